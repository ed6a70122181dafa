"""What a point of a supply chain should read: the board's own limits, else computed from how its path is fed."""

from dataclasses import dataclass

from loyal_trace.core.boards.model import BoardDefinition, ChainPoint, Supply
from loyal_trace.core.errors import RequestError
from loyal_trace.core.power.diodes import SILICON_HIGH, SILICON_LOW
from loyal_trace.core.power.formulas import Reservoir, reservoir

_WINDING = 0.10
_REGULATED = 0.03
_RIPPLE = 1.3
_FREQUENCY = 0.03
_FUSE_OHMS = 0.5
_RATING = 0.02


@dataclass(frozen=True)
class Limits:
    """Low and high in the unit of the quantity, and where they come from (empty: the board says so)."""

    low: float
    high: float
    source: str = ""


def nominal_reservoir(board: BoardDefinition, supply: Supply) -> Reservoir | None:
    """What a healthy reservoir of this path carries, or None when its value is not known."""
    if not supply.reservoir or not board.has(supply.reservoir):
        return None
    value = board.part(supply.reservoir).value
    if not value:
        return None
    fed = (supply.ac_rms, supply.diode_drop, supply.rectifier)
    return reservoir(*fed, supply.current, value, supply.mains)


def limits_at(board: BoardDefinition, point: ChainPoint) -> Limits:
    """The limits of a point; RequestError when neither the board nor the sums give any."""
    if point.low is not None and point.high is not None:
        return Limits(point.low, point.high)
    kind = board.part(point.part).kind if point.part and board.has(point.part) else ""
    if point.quantity == "diode":
        return Limits(SILICON_LOW, SILICON_HIGH, "a silicon diode")
    if point.quantity == "resistance" and kind == "fuse":
        return Limits(0.0, _FUSE_OHMS, "an intact fuse")
    rating = board.part(point.part).value if kind == "fuse" else None
    if point.quantity == "rating" and rating:
        return Limits(rating * (1 - _RATING), rating * (1 + _RATING), "the rating printed on the board")
    supply = board.supply(point.path)
    found = _from_supply(board, point, kind, supply) if supply else None
    if found is None:
        raise RequestError(f"{board.title}: no limits are known for {point.quantity} at {point.point}")
    return found


def _from_supply(board: BoardDefinition, point: ChainPoint, kind: str, supply: Supply) -> Limits | None:
    if point.quantity == "ac voltage":
        return Limits(supply.ac_rms * (1 - _WINDING), supply.ac_rms * (1 + _WINDING), "the winding ±10 %")
    if point.quantity == "ripple frequency":
        pulses = 1 if supply.rectifier == "half" else 2
        wanted = pulses * supply.mains
        return Limits(wanted * (1 - _FREQUENCY), wanted * (1 + _FREQUENCY), f"{pulses} × mains")
    full = nominal_reservoir(board, supply)
    if full and kind == "capacitor" and point.quantity == "ripple":
        return Limits(0.0, _RIPPLE * full.ripple_voltage, "I / (f·C), capacitor −20 %")
    if full and kind == "capacitor" and point.quantity == "voltage":
        low, high = full.mean_voltage * (1 - _WINDING), full.peak_voltage * (1 + _WINDING)
        return Limits(low, high, "√2·Vrms less the diodes, less half the ripple")
    if point.quantity == "voltage" and supply.nominal:
        low, high = sorted((supply.nominal * (1 - _REGULATED), supply.nominal * (1 + _REGULATED)))
        return Limits(low, high, "the regulator ±3 %")
    return None
