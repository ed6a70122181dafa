"""Describing a supply in three lines, for a board that nobody has described."""

from loyal_trace.core.job.entries import OWN_BOARD, ChainDescribed
from loyal_trace.core.power.described import EXAMPLES, LINES, describe_chain
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame

_SAYS = {
    "from": "where it comes in, its volts, and the load if known",
    "through": "what it passes: fuses, bridge, reservoir, with their values; may be empty on DC",
    "to": "the regulator with its volts, if there is one, and a pin of the far chip",
}


class DescribePage:
    """The three lines so far; the entry line takes the next, or any of them again."""

    def __init__(self, desk: Desk, frame: StageFrame) -> None:
        self.desk, self.frame = desk, frame
        self.list = RowList("supply in three lines")

    def hints(self) -> tuple[KeyHint, ...]:
        return (KeyHint('"', "begin with from, through or to"),)

    def _board(self) -> str:
        return self.desk.board or OWN_BOARD

    def _lines(self) -> dict[str, str]:
        """The lines of the newest supply described by hand; a finished one gives way to a new one."""
        return self.desk.job.snapshot.facts.supplies.get((self._board(), self._path()), {})

    def _path(self) -> str:
        """The supply that is being described: a finished one is left alone, and a new one begun."""
        told = {p: lines for (b, p), lines in self.desk.job.snapshot.facts.supplies.items() if b == self._board()}
        begun = [path for path, lines in told.items() if "to" not in lines]
        return begun[0] if begun else f"supply {len(told) + 1}"

    def refresh(self) -> None:
        """Shows what is said so far and asks for the next line."""
        lines = self._lines()
        rows = [Row("", (), heading="A supply in three lines", height=30)]
        for name, example in zip(LINES, EXAMPLES, strict=True):
            told = lines.get(name, "")
            cell = Cell(40, 0, told or f"{name} …", bold=bool(told), mono=True)
            rows.append(Row("good" if told else "unknown", (cell,), height=26))
            rows.append(Row("", (Cell(64, 0, f"{_SAYS[name]}: {example}"),), height=24))
        self.list.set_rows(tuple(rows), -1)
        wanted = next((name for name in LINES if name not in lines), "from")
        example = EXAMPLES[LINES.index(wanted)]
        self.frame.meaning.say("From these lines come the points to measure, in order, and what each should read.",
                               f"Type, for instance: {example}")  # fmt: skip
        self.frame.entry.set_target(wanted, f"{_SAYS[wanted]}: {example}")

    def submitted(self, text: str) -> bool:
        """Keeps a line; True when the supply is complete with it."""
        words, lines = text.strip(), self._lines()
        if not words:
            return False
        expected = next((name for name in LINES if name not in lines), "from")
        name = words.split()[0].lower() if words.split()[0].lower() in LINES else expected
        line = words if words.lower().startswith(name) else f"{name} {words}"
        path, board = self._path(), self._board()
        try:
            if name == "to":
                describe_chain({**lines, name: line}, path)
            elif name == "from":
                describe_chain({"from": line, "through": "through C1 1000u", "to": "to REG1 5 V, 1A.14"}, path)
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)
            return False
        if self.desk.record(ChainDescribed, board=board, line=name, text=line, path=path):
            self.frame.entry.edit.clear()
            return name == "to"
        return False
