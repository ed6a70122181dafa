"""The teardown page of Inspect: what came off, and the same list backwards as it goes together again."""

from loyal_trace.app.presenters.model import Action, Cell, Meaning, Row, Rows, Target, heading
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.teardown import left_over, reassembly, still_out
from loyal_trace.core.job.entries import Refitted
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.units import count_of

_EXAMPLE = "off: 4 M3x8 screws, bottom shield; or: off: ribbon, J3, red stripe left"


class TeardownPage:
    """Steps with the last one first, as they go back; a new one is said in the line."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self.current = 0

    def actions(self) -> tuple[Action, ...]:
        """What can be done on this page."""
        off = Action(
            "O",
            say("Enter what comes off"),
            lambda: self.workspace.line_asked.emit("off: "),
            say("Puts off: into the line"),
        )
        if not reassembly(self.workspace.snapshot):
            return (off,)
        return (
            Action(
                "P",
                say("Refit the step"),
                self.put_back,
                say("Records all pieces of the selected step as refitted"),
                main=True,
            ),
            off,
        )

    def rows(self) -> Rows:
        """What came off, the last first."""
        listed = reassembly(self.workspace.snapshot)
        self.current = min(self.current, max(0, len(listed) - 1))
        rows = [heading(say("Reassembly: last off, first on"), 30)] if listed else []
        errors = left_over(self.workspace.snapshot)
        for item in listed:
            lost = item.back == 0 and any(item.words in error for error in errors)
            kind = "good" if not item.left else "bad" if lost else "unknown"
            word = (
                "back"
                if not item.left
                else say("{back} of {step_count} back", back=item.back, step_count=item.step.count)
                if item.back
                else say("still off")
            )
            cells = (
                Cell(40, 76, term(item.step.sort), bold=True),
                Cell(122, 390, item.words),
                Cell(518, 0, word, kind),
            )
            rows.append(Row(kind, cells, height=24))
        return Rows(tuple(rows), self.current + 1 if listed else -1)

    def meaning(self) -> Meaning:
        """What is left over, or still off."""
        errors, out = left_over(self.workspace.snapshot), still_out(self.workspace.snapshot)
        if errors:
            return Meaning(
                say("{errors}.", errors=joined("; ", errors)),
                say("Find out where they belong before you close the case."),
                "bad",
            )
        if out:
            still = say("{steps} of the teardown not refitted yet.", steps=count_of(len(out), "step"))
            return Meaning(still, say("Type what comes off next; press Alt+P when the selected step is refitted."))
        if reassembly(self.workspace.snapshot):
            return Meaning(
                say("Everything recorded as taken off is recorded as refitted."),
                say("Look for pieces that are left over."),
                "good",
            )
        why = say("Record each piece as it comes off: fasteners by size and place, cables by orientation.")
        return Meaning(why, say("Type, for example: {example}", example=_EXAMPLE))

    def target(self) -> Target:
        """The line takes what comes off next."""
        return Target(say("job"), say("teardown"), _EXAMPLE)

    def row_picked(self, row: int) -> None:
        """Another step."""
        if row > 0:
            self.current = row - 1
            self.workspace.show()

    def move(self, step: int) -> None:
        """The next step."""
        listed = reassembly(self.workspace.snapshot)
        if listed:
            self.current = (self.current + step) % len(listed)
            self.workspace.show()

    def put_back(self) -> None:
        """All that is left of the picked step is back; then the next one that is off."""
        listed = reassembly(self.workspace.snapshot)
        item = listed[self.current] if listed else None
        if item is not None and item.left and self.workspace.record(Refitted, target=item.step.id, count=item.left):
            self.go_on()

    def go_on(self) -> None:
        """To the first step that is still off."""
        listed = reassembly(self.workspace.snapshot)
        self.current = next((n for n, item in enumerate(listed) if item.left), self.current)
        self.workspace.show()
