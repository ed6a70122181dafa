"""The teardown page of Look: what came off, one line a step, and the same list backwards as it goes together again."""

from loyal_trace.core.assess.teardown import left_over, reassembly, still_out
from loyal_trace.core.job.entries import PutBack, TakenApart
from loyal_trace.core.planning.teardown import parse_step
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame

_EXAMPLE = "4 M3x8 screws, bottom shield; or: ribbon, J3, red stripe left"


class TeardownPage:
    """Steps with the last one first, as they go back; the entry line takes a new one, ↵ alone ticks the picked one."""

    def __init__(self, desk: Desk, frame: StageFrame) -> None:
        self.desk, self.frame = desk, frame
        self.list = RowList("teardown and reassembly")
        self.list.picked.connect(self._row_picked)
        self.current = 0

    def hints(self) -> tuple[KeyHint, ...]:
        return (
            KeyHint("↵", "put back", None), KeyHint("↑↓", "step", None),
            KeyHint("↑", "", lambda: self._move(-1)), KeyHint("↓", "", lambda: self._move(1)),
        )  # fmt: skip

    def refresh(self) -> None:
        """Shows the list backwards, what is left over, and asks for the next step."""
        state = self.desk.job.snapshot
        listed, errors, out = reassembly(state), left_over(state), still_out(state)
        self.current = min(self.current, max(0, len(listed) - 1))
        rows = [Row("", (), heading="Going together again, last off first on", height=30)] if listed else []
        for item in listed:
            lost = item.back == 0 and self._skipped(item.words)
            kind = "good" if not item.left else "bad" if lost else "unknown"
            word = "back" if not item.left else f"{item.back} of {item.step.count} back" if item.back else "still off"
            cells = (Cell(40, 76, item.step.sort, bold=True), Cell(122, 390, item.words), Cell(518, 0, word, kind))
            rows.append(Row(kind, cells, height=24))
        self.list.set_rows(tuple(rows), self.current + 1 if listed else -1)
        if errors:
            self.frame.meaning.say(f"{'; '.join(errors)}.", "Find out where they belong before the lid goes on.", "bad")
        elif out:
            self.frame.meaning.say(f"{count_of(len(out), 'step')} of the teardown still open.",
                                   "Type what comes off next; or ↵ when the picked step is back.")  # fmt: skip
        elif listed:
            self.frame.meaning.say("Everything that came off is back in place.", "Nothing is left over.", "good")
        else:
            why = "What comes off is noted as it comes off: fasteners by size and place, cables by which way round."
            self.frame.meaning.say(why, f"Type, for instance: {_EXAMPLE}")
        self.frame.entry.set_target("off", f"what came off: {_EXAMPLE}")

    def _skipped(self, words: str) -> bool:
        return any(words in error for error in left_over(self.desk.job.snapshot))

    def _move(self, step: int) -> None:
        listed = reassembly(self.desk.job.snapshot)
        if listed:
            self.current = (self.current + step) % len(listed)
            self.refresh()

    def _row_picked(self, row: int) -> None:
        if row > 0:
            self.current = row - 1
            self.refresh()

    def submitted(self, text: str) -> None:
        """A new step; a number or nothing ticks the picked one, wholly or that many of its pieces."""
        words, listed = text.strip(), reassembly(self.desk.job.snapshot)
        if (not words or words.isdigit()) and listed:
            item = listed[self.current]
            if item.left:
                count = min(item.left, int(words)) if words else item.left
                if self.desk.record(PutBack, target=item.step.id, count=count):
                    self.frame.entry.edit.clear()
                    self._to_next_open()
            return
        try:
            fields = parse_step(words)
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)
            return
        if self.desk.record(TakenApart, board=self.desk.board, **fields):
            self.frame.entry.edit.clear()
            self.current = 0
            self.refresh()

    def _to_next_open(self) -> None:
        listed = reassembly(self.desk.job.snapshot)
        self.current = next((n for n, item in enumerate(listed) if item.left), self.current)
        self.refresh()
