"""Repair: the step in hand with its tool, its caution and the check afterwards; which spare goes in; all steps."""

import re

from loyal_trace.app.presenters.base import StagePresenter
from loyal_trace.app.presenters.model import Action, Cell, Meaning, Page, Question, Row, Rows, heading
from loyal_trace.app.presenters.photos import PlaceOnPhoto
from loyal_trace.app.presenters.step_view import cautions_now, current_action, step_view
from loyal_trace.app.repairs import entries_of_step, spares_for
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.at_iron import actions_of, open_actions
from loyal_trace.core.job.entries import ActionTaken, Entry, Observed, StepDone
from loyal_trace.core.planning.steps import Plan, Step
from loyal_trace.core.power.rails import PathReport
from loyal_trace.core.roms.programming import erase_minutes
from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import capital, say, stacked, term
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of, parse_quantity

CARD, SPARES, STEPS = say("the step in hand"), say("spares"), say("all steps")
PHOTO = say("the place on the photo")
_USUAL_ERASE, _USUAL_HEAT, _USUAL_SOAK = 20.0, 5, 10
_HINT = "C1 replaced with 6800u 35V from tray F; 5D removed; J1 reflowed"


class RepairPresenter(StagePresenter):
    """One step at a time. What was done otherwise is said in the line, whether a step proposed it or not."""

    stage = Stage.REPAIR

    def __init__(self, workspace: Workspace) -> None:
        super().__init__(workspace)
        self._chosen = 0
        self._step_id = ""
        self._note = ""
        self._on_photo = PlaceOnPhoto(workspace)

    def _plan(self) -> Plan:
        return self.workspace.assessment().plan

    def _open_steps(self) -> list[Step]:
        return [s for s in self._plan().steps if not s.done]

    def _current(self) -> Step | None:
        """The step in hand: one of the picked part; with nothing picked, the first that is open."""
        steps, picked = self._open_steps(), self.workspace.picked_part
        here = [s for s in steps if picked is None or s.place == picked]
        return next((s for s in here if s.id == self._step_id), next(iter(here), None))

    def page(self) -> Page:
        plan, step = self._plan(), self._current()
        booked = sum(r.minutes for r in self.workspace.snapshot.parts.steps.values() if not r.skipped)
        done = say("{done} of {steps} done", done=plan.done, steps=count_of(len(plan.steps), "step"))
        spares = spares_for(self.workspace.job, step) if step else []
        self._chosen = min(self._chosen, max(0, len(spares) - 1))
        return Page(
            say("Current step"),
            say(
                "{done} · {booked:.0f} min recorded, {minutes_left:.0f} min left",
                done=done,
                booked=booked,
                minutes_left=plan.minutes_left,
            ),
            self._meaning(step),
            self.target(_HINT),
            self._actions(step, len(spares)),
            stacked(*step.before, cautions_now(self.workspace, step)) if step else "",
            lists={SPARES: self._spare_rows(step), STEPS: self._step_rows(step)},
            figures={
                CARD: step_view(self.workspace, step) if step is not None else None,
                PHOTO: self._on_photo.scene(step.place) if step is not None else None,
            },
        )

    def _actions(self, step: Step | None, spares: int) -> tuple[Action, ...]:
        following = Action("N", say("Next step"), lambda: self.move(1), say("Goes to the next open step"))
        if step is None:
            return (following,) if self._open_steps() else ()
        choice = Action(
            "C", say("Choose next spare"), lambda: self._choose(self._chosen + 1), say("Chooses which spare is fitted")
        )
        return (
            Action("A", say("Finish action"), self.finish_action, say("The next action of this step"), main=True),
            Action("D", say("Step done"), self.done, say("Records the step, the parts out and in, and the minutes")),
            Action(
                "W",
                say("Report damage"),
                self.went_wrong,
                say("A pad, a neighbour, a part: it is kept with the action and with the part"),
                asks=Question(say("What went wrong?")),
            ),
            Action(
                "T",
                say("Start timer"),
                self.start_timer,
                say("Heat, erasing, a soak, drying: a quiet sound when it is over"),
                asks=Question(say("Time for what, and how long?"), self._usual_time(step)),
            ),
            Action(
                "S",
                say("Skip the step"),
                self.skip,
                say("Records that this step is left out, with the reason"),
                asks=Question(say("Why is this step left out?")),
            ),
            following,
            *((choice,) if spares > 1 else ()),
            *self.signing(self._supply(step)),
        )

    def _meaning(self, step: Step | None) -> Meaning:
        if step is not None:
            return Meaning(
                say("{reason}.", reason=capital(step.reason)),
                say("Finish each action (Alt+A) or the step (Alt+D). Then {after}.", after=step.after),
            )
        steps, picked = self._open_steps(), self.workspace.picked_part
        if picked is not None and steps:
            why = say("The plan has no step for {refdes}. Work on it can be typed all the same.", refdes=picked.refdes)
            return Meaning(why, say("Type {refdes} replaced, or take the next step (Alt+N).", refdes=picked.refdes))
        if self._plan().steps:
            return Meaning(say("No step is open."), say("Verify the repair (Ctrl+9)."))
        return Meaning(
            say("The plan has no steps so far. Work done can be typed all the same."),
            say("Gather evidence, or see Suspects (Ctrl+6)."),
        )

    def _supply(self, step: Step) -> PathReport | None:
        """The supply of the board of a step whose reservoir is measured before it is touched."""
        report = self.workspace.assessment().rails.get(step.place.board)
        paths = report.paths if report is not None and step.place.board == self.workspace.board else ()
        return next((path for path in paths if path.points), None)

    def _usual_time(self, step: Step) -> str:
        """A time that the action in hand asks for, as it is typed."""
        current = current_action(self.workspace, step)
        name = current.name if current is not None else ""
        if name == "erase":
            lamp = self.workspace.snapshot.decision("lamp")
            minutes = erase_minutes(parse_quantity(lamp)) if lamp else _USUAL_ERASE
            return say("UV eraser {minutes:.0f} min", minutes=minutes)
        if name in ("heat", "preheat"):
            return say("heat a joint {seconds} s", seconds=_USUAL_HEAT)
        return say("soak {minutes} min", minutes=_USUAL_SOAK)

    def finish_action(self) -> None:
        """The action in hand is done; after the last one the step is."""
        step = self._current()
        if step is None:
            return
        left = open_actions(actions_of(self.workspace.moment, step))
        if len(left) <= 1:
            self.done()
            return
        self.workspace.record(ActionTaken, step=step.id, action=left[0].name, board=step.place.board)

    def went_wrong(self, what: str) -> None:
        """What went wrong is kept with the action, and found at the part: it has to be looked at and repaired."""
        step = self._current()
        if step is None or not what.strip():
            return
        current = current_action(self.workspace, step)
        here = {"board": step.place.board, "place": step.place.refdes}
        entries: list[Entry] = [
            self.workspace.job.make(Observed, finding=Finding.TRACK_DAMAGED, note=what.strip(), pin=_pin(what), **here)
        ]
        if current is not None:
            fields = {"step": step.id, "action": current.name, "result": "went wrong", "note": what.strip()}
            entries.append(self.workspace.job.make(ActionTaken, board=step.place.board, **fields))
        told = say("{refdes}: kept, repair it before the step goes on", refdes=step.place.refdes)
        self.workspace.record_all(entries, told)

    def start_timer(self, text: str) -> None:
        """A time begins to run; it goes on while the program is closed."""
        self.enter(say("timer: {text}", text=text.strip()))

    def figure_picked(self, name: str, *at: float) -> None:
        """An action of the track: everything before it is done, or it is open again."""
        step = self._current()
        if name != CARD or step is None or not at:
            return
        actions = actions_of(self.workspace.moment, step)
        index = int(at[0])
        before = [one for one in actions[:index] if one.result == ""]
        fields = {"step": step.id, "board": step.place.board}
        entries: list[Entry] = [self.workspace.job.make(ActionTaken, action=one.name, **fields) for one in before]
        if entries:
            self.workspace.record_all(entries, say("{refdes}: at the action picked", refdes=step.place.refdes))

    def _spare_rows(self, step: Step | None) -> Rows:
        spares = spares_for(self.workspace.job, step) if step else []
        rows = [heading(say("Available spares"), 26)] if spares else []
        for number, item in enumerate(spares, start=1):
            kind = "good" if item.state == "proven" else "doubtful"
            word = say("{state} until proven", state=term(item.state)) if item.state == "unknown" else term(item.state)
            cells = (
                Cell(36, 24, str(number), bold=True, mono=True),
                Cell(64, 150, item.number),
                Cell(220, 150, item.place),
                Cell(374, 0, word, kind),
            )
            rows.append(Row(kind, cells, height=25))
        return Rows(tuple(rows), self._chosen + 1 if spares else -1)

    def _step_rows(self, current: Step | None) -> Rows:
        steps = self._plan().steps
        rows = [heading(say("All steps in order"), 26)] if steps else []
        for step in steps:
            word = (
                "skipped" if step.skipped else "done" if step.done else say("{minutes:.0f} min", minutes=step.minutes)
            )
            name = self.workspace.place_name(step.place)
            cells = (
                Cell(36, 90, name, bold=True, mono=True),
                Cell(130, 380, step.title),
                Cell(520, 0, word),
            )
            rows.append(Row("good" if step.done else "unknown", cells, height=24))
        index = next((i for i, s in enumerate(steps) if current and s.id == current.id), -2)
        return Rows(tuple(rows), index + 1)

    def row_picked(self, name: str, index: int) -> None:
        if name == SPARES and index > 0:
            self._choose(index - 1)
        elif name == STEPS and index > 0:
            self._open(self._plan().steps[index - 1])

    def _choose(self, index: int) -> None:
        step = self._current()
        count = len(spares_for(self.workspace.job, step)) if step else 0
        if count:
            self._chosen = index % count
            self.workspace.show()

    def move(self, step: int) -> None:
        steps, current = self._open_steps(), self._current()
        if steps:
            at = [s.id for s in steps].index(current.id) if current else (-1 if step > 0 else 0)
            self._open(steps[(at + step) % len(steps)])

    def _open(self, step: Step) -> None:
        self._step_id, self._chosen = step.id, 0
        if step.place == self.workspace.place:
            self.workspace.show()
        else:
            self.workspace.pick(*step.place)

    def done(self) -> None:
        """Everything that the finished step writes down, as one action; then the next open step."""
        step = self._current()
        if step is None:
            return
        spares = spares_for(self.workspace.job, step)
        spare = spares[self._chosen] if spares else None
        entries = entries_of_step(self.workspace.job, step, spare)
        if self.workspace.record_all(entries, say("{refdes}: done", refdes=step.place.refdes)):
            self._go_on(step.place)

    def skip(self, reason: str) -> None:
        """The step is left alone; the reason stands in the report."""
        step = self._current()
        if step is None:
            return
        fields = {"step": step.id, "what": step.title, "skipped": True, "note": reason}
        if self.workspace.record(StepDone, **fields):
            self._go_on(step.place)

    def _go_on(self, place: PartRef) -> None:
        """To another step of the same part, else to the first open one."""
        self._step_id, self._chosen = "", 0
        steps = self._open_steps()
        following = next((s for s in steps if s.place == place), next(iter(steps), None))
        if following is not None:
            self._open(following)
        else:
            self.workspace.show()


def _pin(what: str) -> int | None:
    """The pin that a report of damage names, such as pad of pin 2 lifted; None for none."""
    named = re.search(r"\bpin\s+(\d{1,3})\b", what, re.IGNORECASE)
    return int(named[1]) or None if named else None
