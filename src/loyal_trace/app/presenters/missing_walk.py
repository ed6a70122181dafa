"""The walk of Intake: over the map part by part, what is there and what is missing."""

from loyal_trace.app.presenters.model import Action, Cap, Cell, Meaning, Row, Rows, heading
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.away import away
from loyal_trace.core.boards.model import Part
from loyal_trace.core.boards.paths import walking_path
from loyal_trace.core.job.entries import Observed
from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.units import count_of

_OF_KEY = {"P": Finding.PRESENT, "M": Finding.MISSING}


class MissingWalk:
    """Goes from part to part; what was looked at closely already is known to be there."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace

    def _path(self) -> list[Part]:
        return list(walking_path(self.workspace.definition)) if self.workspace.definition else []

    def still(self) -> list[Part]:
        """The parts of the board in view that nobody looked for yet."""
        findings = self.workspace.snapshot.seen.findings
        return [p for p in self._path() if (self.workspace.board, p.refdes) not in findings]

    def actions(self) -> tuple[Action, ...]:
        """What can be done on this page."""
        rest = Action(
            "A",
            say("Mark the rest present"),
            self.rest_present,
            say("Records every part not looked for yet as present, as one action"),
        )
        following = Action(
            "N", say("Next part"), lambda: self.move(1), say("Go along the rows; nothing is recorded"), main=True
        )
        return (following, *((rest,) if self.still() else ()))

    def rows(self) -> Rows:
        """What is away so far."""
        found = away(self.workspace.moment)
        rows = [heading(say("Missing, stored or borrowed"), 30)]
        rows += [Row("bad" if a.what == "missing" else "doubtful", (Cell(40, 0, a.words),), height=24) for a in found]
        return Rows(tuple(rows) if found else (*rows, Row("", (Cell(40, 0, say("none so far")),), height=24)))

    def meaning(self) -> Meaning:
        """What is asked next."""
        part = self.workspace.picked_part
        if not self._path():
            return Meaning(
                say("This job has no board yet."),
                say("Add a board (Board menu), or type what is on it, such as U1 is 74LS00."),
            )
        told = say("{parts} of this board not looked for yet.", parts=count_of(len(self.still()), "part"))
        if part is None:
            return Meaning(told, say("Pick a part, or take the next one (Alt+N)."))
        number = self.workspace.moment.part(part).number
        return Meaning(
            told,
            say("Is {refdes} ({number}) in its place? Type present or missing.", refdes=part.refdes, number=number),
        )

    def pad(self) -> tuple[Cap, ...]:
        """Present and missing."""
        return (Cap("P", say("present")), Cap("M", say("missing"))) if self.workspace.picked_part is not None else ()

    def press(self, key: str) -> bool:
        """One part there or missing, then the next."""
        part = self.workspace.picked_part
        if part is None:
            return False
        done = self.workspace.record(Observed, board=part.board, place=part.refdes, finding=_OF_KEY[key])
        if done:
            self.go_on()
        return done

    def go_on(self) -> None:
        """To the next part that nobody looked for, from the picked one on."""
        path, left = self._path(), self.still()
        at = next((n for n, p in enumerate(path) if p.refdes == self.workspace.part), -1)
        after = [p for p in path[at + 1 :] if p in left] or left
        if after:
            self.workspace.pick(self.workspace.board, after[0].refdes)

    def rest_present(self) -> None:
        """Everything not looked for yet is there; undone as one."""
        fields = {"board": self.workspace.board, "finding": Finding.PRESENT}
        entries = [self.workspace.job.make(Observed, place=p.refdes, **fields) for p in self.still()]
        if entries:
            self.workspace.record_all(entries, say("{parts} present", parts=count_of(len(entries), "part")))

    def move(self, step: int) -> None:
        """The next part, whatever is known of it."""
        path = [p.refdes for p in self._path()]
        if path:
            at = path.index(self.workspace.part) if self.workspace.part in path else (-1 if step > 0 else 0)
            self.workspace.pick(self.workspace.board, path[(at + step) % len(path)])
