"""The continuity page of Plan: what the plan assumes, the pairs to ring out, and whether it holds."""

from loyal_trace.core.assess.assumptions import (
    QUANTITY,
    RINGS_BELOW,
    AssumptionVerdict,
    PairResult,
    assumptions,
    place_of_pair,
    suggested,
)
from loyal_trace.core.job.entries import Assumed, Measured, number_or_overload
from loyal_trace.core.planning.assumptions import parse_assumption
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.units import count_of, format_quantity, parse_reading
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame

_EXAMPLE = "spare footprint: 4A.3=4B.3, 4A.5!4B.6"
_KIND = {"holds": "good", "does not hold": "bad", "open": "unknown"}


class ContinuityPage:
    """Pair after pair; R rings, N does not, or ohms are typed."""

    def __init__(self, desk: Desk, frame: StageFrame) -> None:
        self.desk, self.frame = desk, frame
        self.list = RowList("pairs to ring out")
        self.list.picked.connect(self._row_picked)
        self.current = 0
        self._row_of: list[int] = []

    def hints(self) -> tuple[KeyHint, ...]:
        return (
            KeyHint("R", "rings", lambda: self._record(0.0)),
            KeyHint("N", "does not", lambda: self._record(float("inf"))),
            KeyHint("G", "pairs of the picked part", self._suggest),
            KeyHint("↑↓", "pair", None),
            KeyHint("↑", "", lambda: self._move(-1)),
            KeyHint("↓", "", lambda: self._move(1)),
        )

    def _pairs(self) -> list[tuple[AssumptionVerdict, PairResult]]:
        """Every pair of the job, under what it belongs to, the newest assumption first."""
        return [(a, pair) for a in reversed(assumptions(self.desk.job.snapshot)) for pair in a.pairs]

    def refresh(self) -> None:
        """Shows what is assumed, pair by pair, and asks for the next one."""
        pairs = self._pairs()
        self.current = min(self.current, max(0, len(pairs) - 1))
        rows: list[Row] = []
        self._row_of, shown = [], ""
        for assumed, pair in pairs:
            if assumed.name != shown:
                shown = assumed.name
                rows.append(Row("", (), heading=f"{assumed.name}: {assumed.verdict}", height=28))
            self._row_of.append(len(rows))
            rows.append(self._pair_row(pair))
        self.list.set_rows(tuple(rows), self._row_of[self.current] if pairs else -1)
        if not pairs:
            why = "A plan that assumes something of the board (a free footprint, two joined pins) is rung out first."
            self.frame.meaning.say(
                why, f"Type what must ring (=) and must not (!): {_EXAMPLE}; or G for the picked part."
            )
            self.frame.entry.set_target("assume", _EXAMPLE)
            return
        assumed, pair = pairs[self.current]
        kind = _KIND[assumed.verdict]
        asked = "must ring" if pair.must_ring else "must not ring"
        following = {
            "holds": "The plan may rest on it.",
            "does not hold": "Change the plan, or find out why, before the iron.",
        }
        asks = f"Ring {pair.pair[0]} to {pair.pair[1]}: {asked}."
        said = f"{assumed.name} {assumed.verdict.replace('open', 'is open')}: {assumed.reason}."
        self.frame.meaning.say(said, following.get(assumed.verdict, asks), kind)
        self.frame.entry.set_target(pair.words, f"{asked}: R or N, or the ohms; or a new assumption: {_EXAMPLE}")

    def _pair_row(self, pair: PairResult) -> Row:
        read = "" if pair.verdict == "not measured" else "OL" if pair.ohms is None else format_quantity(pair.ohms, "Ω")
        word = (
            "to ring out" if pair.verdict == "not measured" else "as it must be" if pair.verdict == "good" else "not so"
        )
        kind = pair.verdict if pair.verdict in ("good", "bad") else "unknown"
        must = "must ring to" if pair.must_ring else "must not ring to"
        cells = (
            Cell(40, 110, pair.pair[0], mono=True), Cell(154, 120, must), Cell(290, 110, pair.pair[1], mono=True),
            Cell(404, 90, read), Cell(498, 0, word, kind),
        )  # fmt: skip
        return Row(kind, cells, height=24)

    def _row_picked(self, row: int) -> None:
        if row in self._row_of:
            self.current = self._row_of.index(row)
            self.refresh()

    def _move(self, step: int) -> None:
        pairs = self._pairs()
        if pairs:
            self.current = (self.current + step) % len(pairs)
            self.refresh()

    def _suggest(self) -> None:
        """Pairs of the picked part from the netlist."""
        board = self.desk.definition
        fields = suggested(board, self.desk.part) if board is not None and board.has(self.desk.part) else None
        if fields is None:
            self.desk.said.emit("pick a part whose pins are in the netlist, or type the pairs", True)
            return
        self._assume(fields)

    def _assume(self, fields: dict[str, object]) -> None:
        if self.desk.record(Assumed, board=self.desk.board, **fields):
            self.frame.entry.edit.clear()
            self.current = 0
            self.refresh()

    def _record(self, ohms: float) -> None:
        pairs = self._pairs()
        if not pairs:
            return
        assumed, pair = pairs[self.current]
        value, overload = number_or_overload(ohms)
        taken = {"place": place_of_pair(pair.pair), "quantity": QUANTITY, "value": value, "overload": overload}
        if self.desk.record(Measured, board=assumed.board, **taken):
            self.frame.entry.edit.clear()
            left = [n for n, (_, p) in enumerate(self._pairs()) if p.verdict == "not measured"]
            self.current = next((n for n in left if n > self.current), left[0] if left else self.current)
            self.refresh()

    def submitted(self, text: str) -> None:
        """Ohms for the pair in view, or a new assumption."""
        words = text.strip()
        if not words:
            self._move(1)
            return
        try:
            if "=" in words or "!" in words:
                self._assume(parse_assumption(words))
            else:
                self._record(parse_reading(words, "Ω"))
        except LoyalTraceError as error:
            self.desk.said.emit(f"{error} (below {RINGS_BELOW:g} Ω rings)", True)


def summary(found: tuple[AssumptionVerdict, ...]) -> str:
    """One line on all assumptions, for the head of the plan."""
    if not found:
        return ""
    wrong = [a.name for a in found if a.verdict == "does not hold"]
    if wrong:
        return f"{', '.join(wrong)} does not hold"
    still = sum(a.verdict == "open" for a in found)
    return f"{count_of(still, 'assumption')} to ring out" if still else "what it assumes holds"
