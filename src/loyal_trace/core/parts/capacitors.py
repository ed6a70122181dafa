"""Capacitors: the verdict on a measured one, and whether another may take its place."""

from dataclasses import dataclass

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.parts.esr import EsrTable
from loyal_trace.core.vocabulary.units import format_quantity
from loyal_trace.core.vocabulary.verdicts import PartVerdict

_LOW, _HIGH = 0.8, 1.5
_ELECTROLYTIC_FROM = 0.47e-6
_WITH_LIMITS = ("aluminium", "tantalum")


@dataclass(frozen=True)
class CapacitorReading:
    """What was measured of a capacitor: farad and ohm (None: not taken), the meter's frequency (hertz), in circuit."""

    capacitance: float | None = None
    esr: float | None = None
    frequency: float | None = None
    in_circuit: bool = True


def judge_capacitor(part: Part, read: CapacitorReading, table: EsrTable | None) -> PartVerdict:
    """A measured capacitor against its marking: capacitance −20/+50 %, ESR against the limit at the meter's frequency.

    The reason names what was compared, and what was not. Without a table no ESR is judged.
    """
    if part.value is None or (read.capacitance is None and read.esr is None):
        return PartVerdict("not measured", "no capacitance or ESR has been taken")
    where = " (in circuit: parallel parts may add to it)" if read.in_circuit else ""
    wrong = _by_capacitance(part.value, read, where)
    if wrong is not None and wrong.verdict == "bad":
        return wrong
    resistance = _by_esr(part, read, table)
    if resistance is not None and (wrong is None or resistance.verdict == "bad"):
        return resistance
    if wrong is not None:
        return wrong
    within = ["capacitance within tolerance"] if read.capacitance is not None else []
    within += [_esr_words(part, read, table)] if read.esr is not None else []
    return PartVerdict("good", "; ".join(within) + where)


def _by_capacitance(marked: float, read: CapacitorReading, where: str) -> PartVerdict | None:
    """Open, dried out, or reading too high; None when the capacitance is in order or was not taken."""
    if read.capacitance is None:
        return None
    share = read.capacitance / marked
    words = (
        f"{format_quantity(read.capacitance, 'F')} of {format_quantity(marked, 'F')} "
        "marked "
        f"({100 * share:.0f} %){where}"
    )
    if share < 0.01:
        return PartVerdict("bad", f"open: {words}")
    if share < _LOW:
        return PartVerdict("bad", f"dried out: {words}")
    if share > _HIGH and not read.in_circuit:
        return PartVerdict("doubtful", f"reads too high, which leakage does on a simple tester: {words}")
    return None


def _by_esr(part: Part, read: CapacitorReading, table: EsrTable | None) -> PartVerdict | None:
    """Bad above its limit, doubtful where no limit is known; None when it is in order or was not taken."""
    if read.esr is None or part.value is None:
        return None
    if table is None or not _has_limit(part):
        alone = read.capacitance is None
        told = f"{format_quantity(read.esr, 'Ω')} read, but no ESR limit is known for this kind of capacitor"
        return PartVerdict("doubtful", told) if alone else None
    if read.esr > table.limit(part.value, part.voltage, read.frequency).ohm:
        return PartVerdict("bad", f"series resistance too high: {_esr_words(part, read, table)}")
    return None


def _has_limit(part: Part) -> bool:
    """Is it an electrolytic: by what it is said to be, else by its value?"""
    electrolytic = not part.technology and (part.value or 0.0) >= _ELECTROLYTIC_FROM
    return electrolytic or part.technology in _WITH_LIMITS


def _esr_words(part: Part, read: CapacitorReading, table: EsrTable | None) -> str:
    """The resistance beside its limit, with the frequency at which both hold."""
    if table is None or not _has_limit(part) or read.esr is None or part.value is None:
        return "ESR not judged"
    limit = table.limit(part.value, part.voltage, read.frequency)
    frequency = format_quantity(limit.frequency, "Hz")
    at = f"{frequency} assumed, as the meter's frequency was not entered" if limit.assumed else frequency
    unrated = "" if part.voltage else "; voltage rating not known"
    return f"ESR {format_quantity(read.esr, 'Ω')}, limit {format_quantity(limit.ohm, 'Ω')} at {at}{unrated}"


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
        return SubstituteCheck("value", "good", f"{shown}: more is allowed in bulk and reservoir positions")
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
                f"a tantalum needs {needed:g} V here (used at half its rating), it has {item.voltage:g} V",
            )
    if item.voltage < needed:
        return SubstituteCheck("voltage", "bad", f"{item.voltage:g} V is below the {part.voltage:g} V fitted")
    return SubstituteCheck("voltage", "good", f"{item.voltage:g} V for {part.voltage:g} V")


def _polarity(part: Part, item: StockItem) -> SubstituteCheck:
    polarised = item.technology in ("aluminium", "tantalum", "polymer")
    if polarised and not part.polarised:
        return SubstituteCheck("polarity", "bad", "a polarised part where the board has an unpolarised one")
    if part.polarised and polarised:
        return SubstituteCheck("polarity", "good", "compare the mark: plus to the side drawn on the map")
    return SubstituteCheck("polarity", "good", "no polarity")


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
        words = f"leads {item.pitch:g} mm apart, holes {part.pitch:g} mm: form the leads"
        checks.append(SubstituteCheck("pitch", "doubtful", words))
    return checks or [SubstituteCheck("room", "doubtful", "no sizes known: measure before ordering")]
