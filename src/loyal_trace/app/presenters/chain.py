"""The supply chain as values to draw: its stops, its ripple, and rows about its far end and its supplies."""

from collections.abc import Mapping
from dataclasses import dataclass

from loyal_trace.app.presenters.model import Cell, Row, heading
from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.rails import limits_by, rails_by
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.supplies import Supply
from loyal_trace.core.power.expected import nominal_reservoir
from loyal_trace.core.power.formulas import Reservoir
from loyal_trace.core.power.rails import SUPPLY_LIMITS, PathReport, PointVerdict
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.units import format_quantity

KIND_OF: Mapping[str, str] = {"good": "good", "bad": "bad", "doubtful": "doubtful"}
_CYCLES = 3

# Where stops stand close together.
_SHORT: Mapping[str, str] = {
    Quantity.RIPPLE_FREQUENCY: say("frequency"),
    Quantity.AC_VOLTAGE: say("AC"),
    Quantity.RESISTANCE: say("ohms"),
    Quantity.TO_GROUND: say("to ground"),
    Quantity.TO_GROUND_REVERSED: say("reversed"),
}


@dataclass(frozen=True)
class ChainStop:
    """One point: names, reading, limits, verdict kind, and whether the fault's boundary is here."""

    point: str
    quantity: str
    reading: str
    expected: str
    kind: str
    boundary: bool = False
    branch: str = ""
    short: str = ""


@dataclass(frozen=True)
class ChainPicture:
    """The stops in order, the one in hand, and in words what the far end feeds."""

    stops: tuple[ChainStop, ...]
    current: int
    feeds: str = ""


@dataclass(frozen=True)
class Wave:
    """A ripple: its peak and trough (volt), and how many periods of it are drawn."""

    peak: float
    trough: float
    periods: float


@dataclass(frozen=True)
class RipplePicture:
    """The ripple of a healthy reservoir and the measured one over three mains cycles, the level needed, in words."""

    expected: Wave
    measured: Wave
    needed: float
    span: tuple[float, float]
    words: tuple[str, ...]


def ripple_picture(full: Reservoir, supply: Supply, mean: float, ripple: float, frequency: float) -> RipplePicture:
    """The picture for a measured mean (volt), ripple (volt peak to peak) and ripple frequency (hertz)."""
    shown = _CYCLES / supply.mains
    expected = Wave(full.peak_voltage, full.trough_voltage, shown * full.ripple_frequency)
    measured = Wave(mean + ripple / 2, mean - ripple / 2, shown * frequency)
    needed = supply.nominal + supply.dropout if supply.nominal > 0 else 0.0
    high = 1.06 * max(expected.peak, measured.peak)
    low = min(expected.trough, measured.trough, needed or high)
    words = [
        say(
            "expected {ripple_voltage} at {ripple_frequency:.0f} Hz",
            ripple_voltage=format_quantity(full.ripple_voltage, "V"),
            ripple_frequency=full.ripple_frequency,
        ),
        say("measured {ripple} at {frequency:.0f} Hz", ripple=format_quantity(ripple, "V"), frequency=frequency),
    ]
    if needed:
        words.append(say("the regulator needs {needed}", needed=format_quantity(needed, "V")))
    return RipplePicture(expected, measured, needed, (max(0.0, low - 0.25 * (high - low)), high), tuple(words))


def stop(point: PointVerdict, boundary: bool) -> ChainStop:
    where = point.point
    kind = KIND_OF.get(point.verdict, "unknown")
    long, short = term(where.quantity), _SHORT.get(where.quantity, term(where.quantity))
    return ChainStop(where.point, long, point.shown, point.expected, kind, boundary, where.branch, short)


def sentence_row(words: str, glyph: str, tall: int) -> Row:
    return Row(glyph, (Cell(40, 0, words),), height=24 if len(words) < tall else 42)


def path_row(one: PathReport, current: bool) -> Row:
    bad = one.first_bad
    kind = "bad" if bad else "good" if one.measured == len(one.points) else "unknown"
    cells = (
        Cell(40, 130, one.path, bold=current),
        Cell(176, 90, say("{measured} of {count}", measured=one.measured, count=len(one.points))),
        Cell(270, 0, say("first fault at {point}", point=bad.point.point) if bad else say("no fault found so far")),
    )
    return Row(kind, cells, height=24)


def feeds_words(board: BoardDefinition, path: PathReport) -> str:
    """Which blocks need the rails of this path, in words for the end of the line."""
    ends = {p.point.point for p in path.points}
    rails = {rail.name for rail in board.rails if rail.far in ends}
    blocks = [block.name for block in board.blocks if rails & set(block.rails)]
    return say("feeds {blocks}", blocks=joined(", ", blocks)) if blocks else ""


def ripple_of(board: BoardDefinition, path: PathReport) -> RipplePicture | None:
    """Expected ripple against the measured one, where both are known."""
    supply = board.supply(path.path)
    full = nominal_reservoir(board, supply) if supply else None
    found = [path.latest(q) for q in (Quantity.VOLTAGE, Quantity.RIPPLE, Quantity.RIPPLE_FREQUENCY)]
    mean, ripple, frequency = (p.reading.value if p and p.reading else None for p in found)
    if full is None or supply is None or mean is None or ripple is None:
        return None
    return ripple_picture(full, supply, mean, ripple, frequency or full.ripple_frequency)


def limit_rows(moment: Moment, board_id: str, path: PathReport) -> list[Row]:
    """The far end of this path by each of the supply limits."""
    far = {rail.far for rail in moment.boards[board_id].rails}
    chosen = limits_by(moment)
    rows = []
    for name, words in SUPPLY_LIMITS.items():
        judged = rails_by(moment, board_id, name)
        ends = [p for p in judged.points if p.point.path == path.path and p.point.quantity == Quantity.VOLTAGE]
        for end in (p for p in ends if p.point.point in far):
            cells = (
                Cell(40, 70, term(name), bold=name == chosen),
                Cell(112, 110, term(end.verdict), end.verdict),
                Cell(226, 80, end.shown),
                Cell(310, 0, words),
            )
            rows.append(Row(KIND_OF.get(end.verdict, "unknown"), cells, height=24))
    return [heading(say("Voltage at the far chip under each choice of supply limits")), *rows] if rows else []
