"""What a point of a supply chain should read: the board's own limits, else computed from how its path is fed."""

from dataclasses import dataclass

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.supplies import ChainPoint, Reset, Supply
from loyal_trace.core.power.consumption import Draw
from loyal_trace.core.power.diodes import SILICON_HIGH, SILICON_LOW
from loyal_trace.core.power.formulas import Reservoir, charge_time, reservoir
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say, term
from loyal_trace.core.vocabulary.quantities import GROUND

# Mains may differ by ten in a hundred (EN 50160), and an unloaded winding reads high.
_WINDING = 0.10
# Data sheets of fixed regulators allow ±4 %; nearly all sit within ±3 %, and one outside is worth a second look.
_REGULATED = 0.03
# A capacitor at −20 % has a quarter more ripple; beyond that it is not the tolerance.
_RIPPLE = 1.3
_FREQUENCY = 0.03
# Fuse, clips and leads together; a cold small fuse has some tenths of an ohm by itself.
_FUSE_OHMS = 0.5
_RATING = 0.02
# Loaded rails of TTL boards read tens of ohms to ground; under ten it is a short.
NO_SHORT = 10.0
# Electrolytics of −20/+50 % and a threshold that is no exact figure.
_TIMING = 0.4
_QUIET = 0.05
_TTL_HIGH, _TTL_LOW = 2.4, 0.8
# A fresh lithium cell reads some tenths above its nominal voltage.
_CELL_HIGH, _CELL_DRAIN = 1.15, 2.0


@dataclass(frozen=True)
class Limits:
    """Low and high in the unit of the quantity, and where they come from (empty: the board says so)."""

    low: float
    high: float
    source: str = ""


def nominal_reservoir(board: BoardDefinition, supply: Supply) -> Reservoir | None:
    """What a healthy reservoir of this path carries, or None when its value or winding is not known."""
    if not supply.ac_rms or not supply.reservoir or not board.has(supply.reservoir):
        return None
    value = board.part(supply.reservoir).value
    if not value:
        return None
    fed = (supply.ac_rms, supply.diode_drop, supply.rectifier)
    return reservoir(*fed, supply.current, value, supply.mains)


def limits_at(board: BoardDefinition, point: ChainPoint, draw: Draw | None = None) -> Limits:
    """The limits of a point; RequestError when neither the board nor the sums give any.

    `draw` is what the fitted chips should take together; without it a supply's current is held against its own load.
    """
    # What the board's definition says counts over any sum.
    if point.low is not None and point.high is not None:
        return Limits(point.low, point.high)
    kind = board.part(point.part).kind if point.part and board.has(point.part) else ""
    if point.quantity == "diode":
        return Limits(SILICON_LOW, SILICON_HIGH, say("a silicon diode"))
    if point.quantity == "resistance" and kind == "fuse":
        return Limits(0.0, _FUSE_OHMS, say("an intact fuse"))
    rating = board.part(point.part).value if kind == "fuse" else None
    if point.quantity == "rating" and rating:
        return Limits(rating * (1 - _RATING), rating * (1 + _RATING), say("the rating printed on the board"))
    if point.quantity in GROUND:
        return Limits(NO_SHORT, float("inf"), say("no short"))
    supply = board.supply(point.path)
    found = _of_cell(board, point) or _of_reset(board, point)
    if found is None and supply is not None:
        found = _from_supply(board, point, kind, supply, draw)
    if found is None:
        raise RequestError(
            say(
                "{title}: no limits are known for {quantity} at {point}",
                title=board.title,
                quantity=term(point.quantity),
                point=point.point,
            )
        )
    return found


def _of_cell(board: BoardDefinition, point: ChainPoint) -> Limits | None:
    """A back-up cell: enough volts for what it feeds, and no more drain than that takes."""
    cell = next((c for c in board.cells if c.part == point.part), None)
    if cell is None:
        return None
    if point.quantity == "voltage":
        return Limits(cell.low, cell.nominal * _CELL_HIGH, say("what the cell feeds keeps its contents"))
    if point.quantity == "current":
        return Limits(0.0, cell.current * _CELL_DRAIN, say("twice the back-up current"))
    return None


def reset_time(board: BoardDefinition, reset: Reset) -> float | None:
    """How long (second) the reset lasts by its resistor and capacitor; None when a value is not known."""
    if not (board.has(reset.resistor) and board.has(reset.capacitor)):
        return None
    ohms, farads = board.part(reset.resistor).value, board.part(reset.capacitor).value
    return charge_time(ohms, farads, reset.threshold, reset.supply) if ohms and farads else None


def _of_reset(board: BoardDefinition, point: ChainPoint) -> Limits | None:
    """A reset: how long it lasts, its level once it is over, and no pulses from the watchdog."""
    reset = next((r for r in board.resets if r.point == point.point), None)
    if reset is None:
        return None
    if point.quantity == "reset time":
        if reset.high:
            return Limits(reset.low, reset.high)
        lasts = reset_time(board, reset)
        return (
            Limits(lasts * (1 - _TIMING), lasts * (1 + _TIMING), say("R·C to the threshold ±40 %")) if lasts else None
        )
    if point.quantity == "voltage":
        released = (_TTL_HIGH, 5.5) if reset.active == "low" else (0.0, _TTL_LOW)
        return Limits(*released, say("the reset is over"))
    return Limits(0.0, _QUIET, say("a fed watchdog is quiet")) if point.quantity == "reset pulses" else None


def _from_supply(
    board: BoardDefinition, point: ChainPoint, kind: str, supply: Supply, draw: Draw | None
) -> Limits | None:
    if supply.dc and kind == "connector" and point.quantity == "voltage":
        return Limits(supply.dc * (1 - _WINDING), supply.dc * (1 + _WINDING), say("the input ±10 %"))
    if point.quantity == "ac voltage":
        return Limits(supply.ac_rms * (1 - _WINDING), supply.ac_rms * (1 + _WINDING), say("the winding ±10 %"))
    if point.quantity == "ripple frequency":
        pulses = 1 if supply.rectifier == "half" else 2
        # Half a rectifier is told by exactly this: the mains itself in place of twice the mains.
        wanted = pulses * supply.mains
        return Limits(wanted * (1 - _FREQUENCY), wanted * (1 + _FREQUENCY), say("{pulses} × mains", pulses=pulses))
    full = nominal_reservoir(board, supply)
    if full and kind == "capacitor" and point.quantity == "ripple":
        return Limits(0.0, _RIPPLE * full.ripple_voltage, "I / (f·C), capacitor −20 %")
    if full and kind == "capacitor" and point.quantity == "voltage":
        low, high = full.mean_voltage * (1 - _WINDING), full.peak_voltage * (1 + _WINDING)
        return Limits(low, high, say("√2·Vrms less the diodes, less half the ripple"))
    if point.quantity == "current" and draw is not None:
        return Limits(draw.low, draw.high, say("the total of {chips} fitted chips", chips=draw.chips))
    if point.quantity == "current":
        return Limits(0.5 * supply.current, 1.3 * supply.current, say("the load of the supply"))
    if point.quantity == "voltage" and supply.nominal:
        low, high = sorted((supply.nominal * (1 - _REGULATED), supply.nominal * (1 + _REGULATED)))
        return Limits(low, high, say("the regulator ±3 %"))
    return None
