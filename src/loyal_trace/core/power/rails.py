"""Rail readings judged: each point of the supply chain, the schools of what a good 5 V is, first bad after good."""

from dataclasses import dataclass

from loyal_trace.core.boards.model import BoardDefinition, ChainPoint
from loyal_trace.core.logbook.entries import Measured
from loyal_trace.core.logbook.state import JobState
from loyal_trace.core.units import format_quantity

SCHOOLS = {
    "maker": "the maker's ±5 % at the far chip (4.75 to 5.25 V)",
    "strict": "at least 4.9 V at the far chip",
    "clean": "clean matters more than exact: ripple within its limit",
}
_UNIT = {"voltage": "V", "ripple": "V", "ac voltage": "V", "diode": "V", "resistance": "Ω", "frequency": "Hz"}
_STRICT_SHARE = 0.98


@dataclass(frozen=True)
class PointVerdict:
    """One point of a chain: its reading (None when not taken), its verdict, and a sentence."""

    board: str
    point: ChainPoint
    reading: Measured | None
    verdict: str
    why: str

    @property
    def shown(self) -> str:
        """The reading with its unit, or a dash."""
        if self.reading is None:
            return "–"
        if self.reading.overload or self.reading.value is None:
            return "OL"
        return format_quantity(self.reading.value, _UNIT.get(self.point.quantity, ""))

    @property
    def expected(self) -> str:
        """The limits in words: 4.75 to 5.25 V, at most 2.9 V."""
        unit = _UNIT.get(self.point.quantity, "")
        if self.point.low <= 0:
            return f"at most {self.point.high:g} {unit}"
        return f"{self.point.low:g} to {self.point.high:g} {unit}"


@dataclass(frozen=True)
class RailReport:
    """All points of one board's chain, and the place of the fault when good gives way to bad."""

    points: tuple[PointVerdict, ...]
    first_bad: PointVerdict | None
    last_good: PointVerdict | None

    @property
    def measured(self) -> int:
        return sum(1 for p in self.points if p.reading is not None)


def judge_rails(board_id: str, board: BoardDefinition, state: JobState, school: str = "maker") -> RailReport:
    """Judges every chain point of a board under one school of what a good 5 V is."""
    far = {rail.far: rail for rail in board.rails}
    points = []
    for point in board.chain:
        reading = state.latest(board_id, point.point, point.quantity)
        rail = far.get(point.point)
        strict_limit = rail.nominal * _STRICT_SHARE if rail and point.quantity == "voltage" else None
        points.append(_judge(board_id, point, reading, school, strict_limit))
    first_bad = next((p for p in points if p.verdict == "bad"), None)
    last_good = None
    if first_bad:
        before = points[: points.index(first_bad)]
        upstream = (p for p in reversed(before) if p.point.point != first_bad.point.point)
        last_good = next((p for p in upstream if p.verdict == "good"), None)
    return RailReport(tuple(points), first_bad, last_good)


def _judge(
    board: str, point: ChainPoint, reading: Measured | None, school: str, strict_limit: float | None
) -> PointVerdict:
    if reading is None:
        return PointVerdict(board, point, None, "not measured", f"{point.quantity} at {point.point}: {point.note}")
    if reading.overload or reading.value is None:
        return PointVerdict(board, point, reading, "bad", f"{point.point} reads open (OL): {point.note}")
    value, low, high = reading.value, point.low, point.high
    clean_only = school == "clean" and strict_limit is not None
    if value < low or value > high:
        side = "below" if value < low else "above"
        verdict = "doubtful" if clean_only and 0.9 * low <= value <= 1.05 * high else "bad"
        return PointVerdict(
            board, point, reading, verdict, f"{point.point} is {side} its limit: {_cause(point, value)}"
        )
    if strict_limit is not None and value < strict_limit:
        words = f"within the maker's limits, but below the stricter {strict_limit:.2f} V"
        return PointVerdict(board, point, reading, "bad" if school == "strict" else "good", f"{point.point} is {words}")
    return PointVerdict(board, point, reading, "good", f"{point.point} is within its limits ({point.note})")


def _cause(point: ChainPoint, value: float) -> str:
    """What a reading outside its limits usually means at such a point."""
    if point.quantity == "ripple":
        lost = 100 * (1 - point.high / value)
        return f"the reservoir has lost capacitance (about {lost:.0f} % or more) or the load is too high"
    if point.quantity == "diode":
        return "a diode of the bridge is open or shorted"
    if point.quantity == "resistance":
        return "it is open or a poor contact" if value > point.high else "it is shorted"
    if point.quantity == "ac voltage":
        return "look at winding, plug and mains setting before this board"
    return "drop on the way here, or something on the rail draws too much" if value < point.low else "regulation failed"
