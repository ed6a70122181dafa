"""Capacitors: the verdict on a measured one, and whether another may take its place.

ESR limit from `ESR = tan δ / (2π f C)` at 120 Hz with the usual tan δ limits of general-purpose aluminium
electrolytics by voltage class (JIS C 5101 / IEC 60384-4 style tables), doubled for an aged part in service.
"""

import math
from dataclasses import dataclass

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.vocabulary.units import format_quantity
from loyal_trace.core.vocabulary.verdicts import PartVerdict

_TAN_DELTA = ((6.3, 0.24), (10, 0.20), (16, 0.16), (25, 0.14), (35, 0.12), (50, 0.10), (1e9, 0.09))
_AGED = 2.0
_LOW, _HIGH = 0.8, 1.5


def esr_limit(capacitance: float, voltage: float) -> float:
    """Largest ESR (ohm) for an aluminium electrolytic in service, from capacitance (farad) and rating (volt)."""
    tan_delta = next(value for limit, value in _TAN_DELTA if voltage <= limit)
    return _AGED * tan_delta / (2 * math.pi * 120 * capacitance)


def judge_capacitor(part: Part, capacitance: float | None, esr: float | None, in_circuit: bool = True) -> PartVerdict:
    """A measured capacitor against its marking: capacitance −20/+50 %, ESR against its limit."""
    if part.value is None or (capacitance is None and esr is None):
        return PartVerdict("not measured", "no capacitance or ESR has been taken")
    where = " (in circuit: parallel parts may add to it)" if in_circuit else ""
    if capacitance is not None:
        share = capacitance / part.value
        words = f"{format_quantity(capacitance, 'F')} of {format_quantity(part.value, 'F')} marked ({share:.0%}){where}"
        if share < 0.01:
            return PartVerdict("bad", f"open: {words}")
        if share < _LOW:
            return PartVerdict("bad", f"dried: {words}")
        if share > _HIGH and not in_circuit:
            return PartVerdict("doubtful", f"reads too high, which leakage does on a simple tester: {words}")
    if esr is not None and part.voltage and part.technology == "aluminium":
        limit = esr_limit(part.value, part.voltage)
        if esr > limit:
            found = f"{format_quantity(esr, 'Ω')}, limit {format_quantity(limit, 'Ω')}"
            return PartVerdict("bad", f"series resistance too high: {found}")
    return PartVerdict("good", "within tolerance and ESR limit" + where)


@dataclass(frozen=True)
class StockItem:
    """Something in the drawer. Sizes in millimetres; `state` is unknown, proven or bad."""

    number: str
    kind: str = "chip"
    count: int = 1
    value: float | None = None
    voltage: float | None = None
    technology: str = ""
    diameter: float | None = None
    height: float | None = None
    pitch: float | None = None
    place: str = ""
    state: str = "unknown"


@dataclass(frozen=True)
class SubstituteCheck:
    """One aspect of a substitute: value, voltage, polarity, room, … with verdict and reason."""

    aspect: str
    verdict: str
    reason: str


def check_substitute(board: BoardDefinition, part: Part, item: StockItem) -> tuple[SubstituteCheck, ...]:
    """May this item take the capacitor's place? Value, voltage, polarity and room, each with its reason."""
    return (_value(part, item), _voltage(part, item), _polarity(part, item), *_room(board, part, item))


def acceptable(checks: tuple[SubstituteCheck, ...]) -> bool:
    return all(check.verdict != "bad" for check in checks)


def _value(part: Part, item: StockItem) -> SubstituteCheck:
    if part.value is None or item.value is None:
        return SubstituteCheck("value", "doubtful", "a value is not known; read both markings")
    ratio = item.value / part.value
    strict = any(word in part.role for word in ("timing", "reset", "coupling"))
    shown = f"{format_quantity(item.value, 'F')} for {format_quantity(part.value, 'F')}"
    if 0.95 <= ratio <= 1.05:
        return SubstituteCheck("value", "good", f"{shown}: the same")
    if strict:
        return SubstituteCheck("value", "bad", f"{shown}: {part.role} needs the same value")
    if 1 < ratio <= 2.2:
        return SubstituteCheck("value", "good", f"{shown}: more is welcome in bulk and reservoir places")
    return SubstituteCheck("value", "bad", f"{shown}: too {'large' if ratio > 1 else 'small'}")


def _voltage(part: Part, item: StockItem) -> SubstituteCheck:
    if part.voltage is None or item.voltage is None:
        return SubstituteCheck("voltage", "doubtful", "a rating is not known; read both markings")
    needed = part.voltage
    if item.technology == "tantalum" and part.technology != "tantalum":
        needed = 2 * part.voltage
        if item.voltage < needed:
            return SubstituteCheck(
                "voltage",
                "bad",
                f"a tantalum here wants {needed:g} V (run at half its rating), it has {item.voltage:g} V",
            )
    if item.voltage < needed:
        return SubstituteCheck("voltage", "bad", f"{item.voltage:g} V is below the {part.voltage:g} V fitted")
    return SubstituteCheck("voltage", "good", f"{item.voltage:g} V for {part.voltage:g} V")


def _polarity(part: Part, item: StockItem) -> SubstituteCheck:
    polarised = item.technology in ("aluminium", "tantalum", "polymer")
    if polarised and not part.polarised:
        return SubstituteCheck("polarity", "bad", "a polarised part where the board has an unpolarised one")
    if part.polarised and polarised:
        return SubstituteCheck("polarity", "good", "mind the mark: plus to the side drawn on the map")
    return SubstituteCheck("polarity", "good", "no polarity to mind")


def _room(board: BoardDefinition, part: Part, item: StockItem) -> list[SubstituteCheck]:
    checks = []
    if item.diameter is not None and part.room_diameter is not None:
        fits = item.diameter <= part.room_diameter
        words = f"{item.diameter:g} mm across where {part.room_diameter:g} mm are free"
        checks.append(SubstituteCheck("room", "good" if fits else "bad", words))
    limit = board.height_limit_at(part)
    if limit and item.height is not None:
        fits = item.height <= limit[0]
        words = f"{item.height:g} mm tall, limit {limit[0]:g} mm ({limit[1]})"
        checks.append(SubstituteCheck("room", "good" if fits else "bad", words))
    if item.pitch is not None and part.pitch is not None and abs(item.pitch - part.pitch) > 0.6:
        words = f"legs {item.pitch:g} mm apart, holes {part.pitch:g} mm: form the legs"
        checks.append(SubstituteCheck("pitch", "doubtful", words))
    return checks or [SubstituteCheck("room", "doubtful", "no sizes known: measure before ordering")]
