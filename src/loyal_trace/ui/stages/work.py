"""Work: one step at a time, with its tool, its caution and the check afterwards."""

from loyal_trace.core.assess.away import SAFETY
from loyal_trace.core.assess.parts import in_stock, stock
from loyal_trace.core.job.entries import OWN_PART, AnyEntry, Fitted, GaveBack, Removed, StepDone
from loyal_trace.core.parts.capacitors import StockItem
from loyal_trace.core.planning.steps import Step
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame, column

_MOVES = ("rescue", "put-back", "give-back")
_PUT_RIGHT = {
    "leg": "own part, contact mended",
    "program": "own part, programmed anew",
    "socket": "own part, socket renewed",
}


class WorkStage:
    """The card of the step in hand, and the list of the rest."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.card, self.choices, self.list = RowList("the step in hand"), RowList("spares"), RowList("all steps")
        self.frame = StageFrame(column(self.card, self.choices, self.list, spacing=10))
        self.list.picked.connect(self._picked_row)
        self.choices.picked.connect(lambda row: self._choose(row - 1))
        self.frame.entry.submitted.connect(self._done)
        self._chosen = 0
        self._step_id = ""

    def hints(self) -> tuple[KeyHint, ...]:
        return (
            KeyHint("↵", "done", None),
            KeyHint("X", "skip, say why", self._skip_hint),
            KeyHint("1", "first spare", lambda: self._choose(0)),
            KeyHint("2", "second", lambda: self._choose(1)),
            KeyHint("3", "third", lambda: self._choose(2)),
            KeyHint("↑↓", "step", None),
            KeyHint("↑", "", lambda: self._move(-1)),
            KeyHint("↓", "", lambda: self._move(1)),
            KeyHint('"', "note"),
        )

    def overlay_trace(self) -> tuple[tuple[tuple[str, int], ...], str]:
        return (), ""

    def picked(self) -> None:
        self.refresh()

    def _steps(self) -> list[Step]:
        return list(self.desk.assessment().plan.steps)

    def _current(self) -> Step | None:
        steps = self._steps()
        if any(s.id == self._step_id and not s.done for s in steps):
            return next(s for s in steps if s.id == self._step_id)
        here = [s for s in steps if s.place == self.desk.place and not s.done]
        return (here or [s for s in steps if not s.done] or [None])[0]

    def _spares(self, step: Step) -> list[StockItem]:
        """What in the drawer could go in: the same number and not known bad."""
        if step.kind in _PUT_RIGHT or step.kind in _MOVES:
            return []
        moment = self.desk.job.moment
        return [i for i in stock(moment) if i.number == step.part_number and in_stock(moment, i)]

    def refresh(self) -> None:
        steps, step = self._steps(), self._current()
        plan = self.desk.assessment().plan
        booked = sum(r.minutes for r in self.desk.job.snapshot.parts.steps.values() if not r.skipped)
        done = f"{plan.done} of {count_of(len(steps), 'step')} done"
        self.frame.head(
            "What is done now, with what, and what can hurt?",
            f"{done} · {booked:.0f} min booked, {plan.minutes_left:.0f} to go",
        )
        self.frame.entry.set_hints(self.hints())
        self._show_list(steps, step)
        if step is None:
            self.card.set_rows((), -1)
            self.choices.set_rows((), -1)
            self.frame.caution.say("")
            why = "No step is open." if steps else "The plan is empty so far: evidence makes steps."
            self.frame.meaning.say(why, "Prove the repair (Ctrl+9)." if steps else "Go to Suspects (Ctrl+6).")
            self.frame.entry.set_target("", "nothing to do here")
            return
        self._step_id = step.id
        board = self.desk.job.boards[step.place[0]].title
        facts = [
            ("where", f"{board}, {step.place[1]}"),
            ("with", step.part_number or "nothing new"),
            ("tool", step.tool),
            ("time", f"about {step.minutes:.0f} minutes"),
            ("after", step.after),
        ]
        rows = [Row("", (), heading=step.what.split(":")[0], height=30)]
        rows += [Row("", (Cell(14, 70, name, bold=True), Cell(90, 0, text)), height=42 if len(text) > 76 else 25)
                 for name, text in facts if text]  # fmt: skip
        self.card.set_rows(tuple(rows), -1)
        self._show_spares(step)
        self.frame.caution.say(" ".join(step.cautions))
        self.frame.meaning.say(f"{step.reason}.", f"Do it, press ↵, then {step.after}.")
        self.frame.entry.set_target(step.place[1], "↵ when it is done, with a note after a quotation mark if you like")

    def _show_spares(self, step: Step) -> None:
        spares = self._spares(step)
        self._chosen = min(self._chosen, max(0, len(spares) - 1))
        rows = [Row("", (), heading="Which spare goes in", height=26)] if spares else []
        for number, item in enumerate(spares[:3], start=1):
            kind = "good" if item.state == "proven" else "doubtful"
            cells = (
                Cell(36, 24, str(number), bold=True, mono=True), Cell(64, 150, item.number), Cell(220, 150, item.place),
                Cell(374, 0, f"{item.state} until proven" if item.state == "unknown" else item.state, kind),
            )  # fmt: skip
            rows.append(Row(kind, cells, height=25))
        self.choices.set_rows(tuple(rows), self._chosen + 1 if spares else -1)

    def _show_list(self, steps: list[Step], current: Step | None) -> None:
        rows = [Row("", (), heading="All steps in order", height=26)] if steps else []
        for step in steps:
            word = "skipped" if step.skipped else "done" if step.done else f"{step.minutes:.0f} min"
            cells = (
                Cell(36, 66, step.place[1], bold=True, mono=True),
                Cell(106, 400, step.what.split(":")[0]),
                Cell(520, 0, word),
            )
            rows.append(Row("good" if step.done else "unknown", cells, height=24))
        index = next((i for i, s in enumerate(steps) if current and s.id == current.id), -2)
        self.list.set_rows(tuple(rows), index + 1)

    def _choose(self, index: int) -> None:
        step = self._current()
        if step and index < len(self._spares(step)):
            self._chosen = index
            self.refresh()

    def _move(self, direction: int) -> None:
        steps, current = self._steps(), self._current()
        if current:
            index = [s.id for s in steps].index(current.id)
            for offset in range(1, len(steps) + 1):
                candidate = steps[(index + direction * offset) % len(steps)]
                if not candidate.done:
                    self._open(candidate)
                    return

    def _picked_row(self, index: int) -> None:
        if index > 0:
            self._open(self._steps()[index - 1])

    def _open(self, step: Step) -> None:
        self._step_id = step.id
        if step.place == self.desk.place:
            self.refresh()
        else:
            self.desk.pick(*step.place)

    def _skip_hint(self) -> None:
        self.frame.entry.edit.setText("skip: ")
        self.desk.said.emit("type why it is left alone, then ↵", False)

    def _done(self, text: str) -> None:
        step = self._current()
        if step is None:
            return
        note = text.strip()
        if note.startswith("skip:"):
            entries: list[AnyEntry] = [
                self.desk.job.make(
                    StepDone,
                    step=step.id,
                    what=step.what.split(":")[0],
                    skipped=True,
                    note=note.removeprefix("skip:").strip(),
                )
            ]
        else:
            entries = self._entries(step, note)
        if self.desk.record_all(entries, f"{step.place[1]}: {'skipped' if len(entries) == 1 else 'done'}"):
            self.frame.entry.edit.clear()
            self._step_id = ""
            self._chosen = 0
            self.refresh()

    def _moved(self, step: Step, note: str) -> list[AnyEntry]:
        """A part that goes to its shelf, comes back, or returns to its lender."""
        make, (board, refdes) = self.desk.job.make, step.place
        done = make(StepDone, step=step.id, what=step.what.split(":")[0], minutes=step.minutes, note=note)
        here = {"board": board, "place": refdes, "part_of": done.id}
        number = self.desk.job.moment.part(step.place).number
        if step.kind == "rescue":
            moved: AnyEntry = make(Removed, number=number, reason=SAFETY, shelf=note or "a box of its own", **here)
        elif step.kind == "put-back":
            moved = make(Fitted, number=number, origin=OWN_PART, **here)
        else:
            moved = make(GaveBack, **here)
        return [moved, done]

    def _entries(self, step: Step, note: str) -> list[AnyEntry]:
        """What a finished step writes down; the simulated board is mended along with it."""
        make, (board, refdes) = self.desk.job.make, step.place
        if step.kind in _MOVES:
            return self._moved(step, note)
        spares = self._spares(step)
        origin = _PUT_RIGHT.get(step.kind) or (spares[self._chosen].place if spares else step.from_drawer or "ordered")
        old = self.desk.job.moment.part(step.place).number
        what = step.what.split(":")[0]
        done = make(StepDone, step=step.id, what=what, minutes=step.minutes, note=note)
        entries: list[AnyEntry] = []
        if step.kind not in _PUT_RIGHT:
            reason = step.reason[:120]
            entries.append(make(Removed, board=board, place=refdes, number=old, reason=reason, part_of=done.id))
        number = old if step.kind in _PUT_RIGHT else step.part_number
        fitted = {"number": number, "origin": origin, "note": note or what}
        entries += [make(Fitted, board=board, place=refdes, part_of=done.id, **fitted), done]
        return entries
