"""Capacitors: the verdict on a measured one, and whether another may take its place."""

from dataclasses import dataclass

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.parts.esr import EsrTable
from loyal_trace.core.vocabulary.phrases import joined, say
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
        return PartVerdict(say("not measured"), say("no capacitance or ESR has been taken"))
    where = say(" (in circuit: parallel parts may add to it)") if read.in_circuit else ""
    wrong = _by_capacitance(part.value, read, where)
    if wrong is not None and wrong.verdict == "bad":
        return wrong
    resistance = _by_esr(part, read, table)
    if resistance is not None and (wrong is None or resistance.verdict == "bad"):
        return resistance
    if wrong is not None:
        return wrong
    within = [say("capacitance within tolerance")] if read.capacitance is not None else []
    within += [_esr_words(part, read, table)] if read.esr is not None else []
    return PartVerdict("good", joined("; ", within) + where)


def _by_capacitance(marked: float, read: CapacitorReading, where: str) -> PartVerdict | None:
    """Open, dried out, or reading too high; None when the capacitance is in order or was not taken."""
    if read.capacitance is None:
        return None
    share = read.capacitance / marked
    words = say(
        "{capacitance} of {marked} marked ({share:.0f} %){where}",
        capacitance=format_quantity(read.capacitance, "F"),
        marked=format_quantity(marked, "F"),
        share=100 * share,
        where=where,
    )
    if share < 0.01:
        return PartVerdict("bad", say("open: {words}", words=words))
    if share < _LOW:
        return PartVerdict("bad", say("dried out: {words}", words=words))
    if share > _HIGH and not read.in_circuit:
        return PartVerdict(
            "doubtful", say("reads too high, which leakage does on a simple tester: {words}", words=words)
        )
    return None


def _by_esr(part: Part, read: CapacitorReading, table: EsrTable | None) -> PartVerdict | None:
    """Bad above its limit, doubtful where no limit is known; None when it is in order or was not taken."""
    if read.esr is None or part.value is None:
        return None
    if table is None or not _has_limit(part):
        alone = read.capacitance is None
        told = say(
            "{esr} read, but no ESR limit is known for this kind of capacitor", esr=format_quantity(read.esr, "Ω")
        )
        return PartVerdict("doubtful", told) if alone else None
    if read.esr > table.limit(part.value, part.voltage, read.frequency).ohm:
        return PartVerdict(
            "bad", say("series resistance too high: {esr_words}", esr_words=_esr_words(part, read, table))
        )
    return None


def _has_limit(part: Part) -> bool:
    """Is it an electrolytic: by what it is said to be, else by its value?"""
    electrolytic = not part.technology and (part.value or 0.0) >= _ELECTROLYTIC_FROM
    return electrolytic or part.technology in _WITH_LIMITS


def _esr_words(part: Part, read: CapacitorReading, table: EsrTable | None) -> str:
    """The resistance beside its limit, with the frequency at which both hold."""
    if table is None or not _has_limit(part) or read.esr is None or part.value is None:
        return say("ESR not judged")
    limit = table.limit(part.value, part.voltage, read.frequency)
    frequency = format_quantity(limit.frequency, "Hz")
    at = (
        say("{frequency} assumed, as the meter's frequency was not entered", frequency=frequency)
        if limit.assumed
        else frequency
    )
    unrated = "" if part.voltage else say("; voltage rating not known")
    return say(
        "ESR {esr}, limit {ohm} at {at}{unrated}",
        esr=format_quantity(read.esr, "Ω"),
        ohm=format_quantity(limit.ohm, "Ω"),
        at=at,
        unrated=unrated,
    )


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
        return SubstituteCheck("value", "doubtful", say("a value is not known; read both markings"))
    ratio = item.value / part.value
    strict = any(word in part.role for word in ("timing", "reset", "coupling"))
    shown = say(
        "{item_value} for {part_value}",
        item_value=format_quantity(item.value, "F"),
        part_value=format_quantity(part.value, "F"),
    )
    if 0.95 <= ratio <= 1.05:
        return SubstituteCheck("value", "good", say("{shown}: the same", shown=shown))
    if strict:
        return SubstituteCheck("value", "bad", say("{shown}: {role} needs the same value", shown=shown, role=part.role))
    if 1 < ratio <= 2.2:
        return SubstituteCheck(
            "value", "good", say("{shown}: more is allowed in bulk and reservoir positions", shown=shown)
        )
    return SubstituteCheck(
        "value", "bad", say("{shown}: too large" if ratio > 1 else "{shown}: too small", shown=shown)
    )


def _voltage(part: Part, item: StockItem) -> SubstituteCheck:
    if part.voltage is None or item.voltage is None:
        return SubstituteCheck("voltage", "doubtful", say("a rating is not known; read both markings"))
    needed = part.voltage
    if item.technology == "tantalum" and part.technology != "tantalum":
        needed = 2 * part.voltage
        if item.voltage < needed:
            return SubstituteCheck(
                "voltage",
                "bad",
                say(
                    "a tantalum needs {needed:g} V here (used at half its rating), it has {voltage:g} V",
                    needed=needed,
                    voltage=item.voltage,
                ),
            )
    if item.voltage < needed:
        return SubstituteCheck(
            "voltage",
            "bad",
            say("{voltage:g} V is below the {voltage2:g} V fitted", voltage=item.voltage, voltage2=part.voltage),
        )
    return SubstituteCheck(
        "voltage", "good", say("{voltage:g} V for {voltage2:g} V", voltage=item.voltage, voltage2=part.voltage)
    )


def _polarity(part: Part, item: StockItem) -> SubstituteCheck:
    polarised = item.technology in ("aluminium", "tantalum", "polymer")
    if polarised and not part.polarised:
        return SubstituteCheck("polarity", "bad", say("a polarised part where the board has an unpolarised one"))
    if part.polarised and polarised:
        return SubstituteCheck("polarity", "good", say("compare the mark: plus to the side drawn on the map"))
    return SubstituteCheck("polarity", "good", say("no polarity"))


def _room(board: BoardDefinition, part: Part, item: StockItem) -> list[SubstituteCheck]:
    checks = []
    if item.diameter is not None and part.room_diameter is not None:
        fits = item.diameter <= part.room_diameter
        words = say(
            "{diameter:g} mm across where {room_diameter:g} mm are free",
            diameter=item.diameter,
            room_diameter=part.room_diameter,
        )
        checks.append(SubstituteCheck("room", "good" if fits else "bad", words))
    limit = board.height_limit_at(part)
    if limit and item.height is not None:
        fits = item.height <= limit[0]
        words = say(
            "{height:g} mm tall, limit {limit:g} mm ({limit2})", height=item.height, limit=limit[0], limit2=limit[1]
        )
        checks.append(SubstituteCheck("room", "good" if fits else "bad", words))
    if item.pitch is not None and part.pitch is not None and abs(item.pitch - part.pitch) > 0.6:
        words = say(
            "leads {pitch:g} mm apart, holes {pitch2:g} mm: form the leads", pitch=item.pitch, pitch2=part.pitch
        )
        checks.append(SubstituteCheck("pitch", "doubtful", words))
    return checks or [SubstituteCheck("room", "doubtful", say("no sizes known: measure before ordering"))]
