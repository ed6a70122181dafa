"""The verdict on a measured capacitor, from any mix of readings, each against its own limit.

A leaky part can read far too high in capacitance on a simple tester, and parts in parallel only ever add capacitance
and lower a resistance: what a reading in circuit cannot show is said, and never counts as good.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum

from loyal_trace.core.parts.limits import CapacitorLimits, insulation, kind_of_capacitor
from loyal_trace.core.parts.spec import CapacitorSpec
from loyal_trace.core.vocabulary.eseries import E6, nearest_in
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import format_percent, format_quantity, marked_quantity
from loyal_trace.core.vocabulary.verdicts import PartVerdict, Verdict

_OPEN_BELOW = 0.01
_NEAR_STANDARD = 0.12
_HIDES_FROM = 0.2


class Fault(StrEnum):
    """What a reading says is wrong."""

    OPEN = "open"
    DRIED_OUT = "dried out"
    READS_HIGH = "reads high"
    LEAKY = "leaky"
    RESISTANCE = "series resistance"
    LOSS = "loss"
    SHORT = "short"
    RESISTOR = "a resistor now"
    OTHER_VALUE = "other value fitted"
    NONE = ""


@dataclass(frozen=True)
class CapacitorReading:
    """What was measured of a capacitor; None where it was not taken.

    Farad, ohm, shares (loss, tan δ), ampere, ohm of direct current, hertz of the meter, °C of the part. `parallel` is
    the capacitance (farad) that the netlist shows beside it, and `beside` names those parts.
    """

    capacitance: float | None = None
    esr: float | None = None
    frequency: float | None = None
    in_circuit: bool = True
    loss: float | None = None
    leakage: float | None = None
    tan_delta: float | None = None
    resistance: float | None = None
    celsius: float | None = None
    parallel: float = 0.0
    beside: tuple[str, ...] = ()

    @property
    def empty(self) -> bool:
        """Was nothing measured?"""
        taken = (self.capacitance, self.esr, self.loss, self.leakage, self.tan_delta, self.resistance)
        return all(value is None for value in taken)


@dataclass(frozen=True)
class Reason:
    """One thing that a reading says: how good that is, in words, what is wrong, and the figures alone."""

    verdict: Verdict
    text: str
    fault: Fault = Fault.NONE
    figures: str = ""


@dataclass(frozen=True)
class CapacitorVerdict(PartVerdict):
    """The verdict with every reason, the worst first."""

    reasons: tuple[Reason, ...] = ()

    @property
    def faults(self) -> frozenset[Fault]:
        """Everything that is wrong."""
        return frozenset(reason.fault for reason in self.reasons) - {Fault.NONE}


_WORST = (Verdict.BAD, Verdict.DOUBTFUL, Verdict.GOOD, Verdict.NOT_MEASURED)


def judge(spec: CapacitorSpec, read: CapacitorReading, limits: CapacitorLimits) -> CapacitorVerdict:
    """Everything that was measured against its limits; the worst decides. Without a marked value little can be said."""
    if read.empty:
        return CapacitorVerdict(Verdict.NOT_MEASURED, say("no reading has been taken"))
    reasons = _together([*_capacitance(spec, read, limits), *_others(spec, read, limits)])
    if not reasons:
        why = say("its marked value is not known, so the reading cannot be judged")
        return CapacitorVerdict(Verdict.NOT_MEASURED, why)
    ordered = sorted(reasons, key=lambda reason: _WORST.index(reason.verdict))
    verdict = ordered[0].verdict
    # A part is not good by what nobody can see: where the only readings are hidden by others it stays open.
    worst = [reason.text for reason in ordered if reason.verdict == verdict]
    told = joined("; ", worst) + (say(" (in circuit)") if read.in_circuit else "")
    return CapacitorVerdict(verdict, told, tuple(ordered))


def _together(reasons: list[Reason]) -> list[Reason]:
    """A part that reads high and shows leakage as well reads high because it leaks."""
    high = next((r for r in reasons if r.fault is Fault.READS_HIGH), None)
    leaks = [r for r in reasons if r.fault in (Fault.LEAKY, Fault.LOSS, Fault.RESISTOR)]
    if high is None or not leaks:
        return reasons
    text = say("reads high because it leaks: {high}", high=high.figures)
    told = Reason(Verdict.BAD, text, Fault.LEAKY)
    return [told, *(r for r in reasons if r is not high)]


# capacitance


def _capacitance(spec: CapacitorSpec, read: CapacitorReading, limits: CapacitorLimits) -> Iterator[Reason]:
    if read.capacitance is None or not spec.value:
        return
    share = read.capacitance / spec.value
    words = say(
        "{read} of {marked} marked ({share})",
        read=format_quantity(read.capacitance, "F"),
        marked=marked_quantity(spec.value, "F"),
        share=format_percent(share),
    )
    bounds = limits.share(spec)
    if share < _OPEN_BELOW:
        yield Reason(Verdict.BAD, say("open: {words}", words=words), Fault.OPEN)
    elif share < bounds.doubtful[0]:
        dried = kind_of_capacitor(spec) == "aluminium"
        text = say("dried out: {words}", words=words) if dried else say("too low: {words}", words=words)
        yield Reason(Verdict.BAD, text, Fault.DRIED_OUT)
    elif share < bounds.good[0]:
        yield Reason(Verdict.DOUBTFUL, say("low: {words}", words=words), Fault.DRIED_OUT)
    else:
        yield from _enough(spec, read, limits, share, words)


def _enough(
    spec: CapacitorSpec, read: CapacitorReading, limits: CapacitorLimits, share: float, words: str
) -> Iterator[Reason]:
    """Capacitance that is not too low: right, too high, or right only because of what lies beside it."""
    bounds = limits.share(spec)
    beside = read.parallel / (spec.value or 1.0) if read.in_circuit else 0.0
    if beside > _HIDES_FROM:
        yield _beside(read, bounds.good, beside, share, words)
    elif share <= bounds.good[1]:
        yield Reason(Verdict.GOOD, say("capacitance within its limits: {words}", words=words))
    elif read.in_circuit:
        yield Reason(Verdict.GOOD, say("not low: {words}, to which parallel parts may add", words=words))
    else:
        yield from _too_high(spec, read, bounds.doubtful[1], share, words)


def _beside(read: CapacitorReading, good: tuple[float, float], beside: float, share: float, words: str) -> Reason:
    names = joined(", ", read.beside[:4])
    if share > good[1] + beside:
        return Reason(Verdict.DOUBTFUL, say("more than with {names} beside it: {words}", names=names, words=words))
    if share < good[0] + 0.8 * beside:
        # Something of the sum is missing, and it may as well be this one.
        text = say("with {names} beside it less than all should give: {words}", names=names, words=words)
        return Reason(Verdict.DOUBTFUL, text, Fault.DRIED_OUT)
    text = say("{words}, as much as it and {names} beside it should give", words=words, names=names)
    return Reason(Verdict.GOOD, text)


def _too_high(spec: CapacitorSpec, read: CapacitorReading, most: float, share: float, words: str) -> Iterator[Reason]:
    if kind_of_capacitor(spec) in ("aluminium", "tantalum", "paper"):
        other = _standard_near(read.capacitance or 0.0)
        hint = say(", or another value is fitted ({other} is a usual one)", other=other) if other else ""
        text = say("reads too high, which leakage does on a simple tester{hint}: {words}", hint=hint, words=words)
    else:
        text = say("too high, so another value is fitted: {words}", words=words)
    fault = Fault.READS_HIGH if kind_of_capacitor(spec) in ("aluminium", "tantalum", "paper") else Fault.OTHER_VALUE
    yield Reason(Verdict.BAD if share > most else Verdict.DOUBTFUL, text, fault, words)


def _standard_near(farad: float) -> str:
    """The value of the E6 series that a reading is near, as it is marked; empty when there is none."""
    if farad <= 0:
        return ""
    near = nearest_in(E6, farad)
    return marked_quantity(near, "F") if abs(farad / near - 1) <= _NEAR_STANDARD else ""


# resistance, loss, leakage


def _others(spec: CapacitorSpec, read: CapacitorReading, limits: CapacitorLimits) -> Iterator[Reason]:
    esr, frequency = read.esr, read.frequency
    if read.tan_delta is not None and spec.value and esr is None:
        frequency = frequency or limits.esr.loss_frequency
        esr = read.tan_delta / (2 * math.pi * frequency * spec.value)
    if esr is not None:
        yield from _esr(spec, read, limits, esr, frequency)
    if read.loss is not None:
        yield _loss(spec, read.loss, limits)
    if read.leakage is not None:
        yield from _leakage(spec, read.leakage, limits)
    if read.resistance is not None:
        yield from _resistance(spec, read, limits)


def _esr(
    spec: CapacitorSpec, read: CapacitorReading, limits: CapacitorLimits, esr: float, frequency: float | None
) -> Iterator[Reason]:
    limit = limits.esr_limit(spec, frequency, read.celsius)
    shown = format_quantity(esr, "Ω")
    if limit is None:
        alone = all(v is None for v in (read.capacitance, read.loss, read.leakage, read.resistance))
        text = say("ESR not judged: {esr} read, but no ESR limit is known for this kind of capacitor", esr=shown)
        yield Reason(Verdict.DOUBTFUL if alone else Verdict.GOOD, text)
        return
    at = format_quantity(limit.frequency, "Hz")
    if limit.assumed:
        at = say("{at} assumed, as the meter's frequency was not entered", at=at)
    if read.celsius is not None:
        at = say("{at} and {celsius:g} °C", at=at, celsius=read.celsius)
    unrated = "" if spec.voltage else say("; voltage rating not known")
    words = say(
        "ESR {esr}, limit {ohm} at {at}{unrated}",
        esr=shown,
        ohm=format_quantity(limit.ohm, "Ω"),
        at=at,
        unrated=unrated,
    )
    if esr > limit.ohm * limits.esr_factors["spread"]:
        yield Reason(Verdict.BAD, say("series resistance too high: {words}", words=words), Fault.RESISTANCE)
    elif esr > limit.ohm:
        text = say("series resistance at the limit, where makers differ: {words}", words=words)
        yield Reason(Verdict.DOUBTFUL, text, Fault.RESISTANCE)
    elif read.in_circuit and read.parallel > _HIDES_FROM * (spec.value or math.inf):
        text = say(
            "{words}, but {names} beside it can hide a high one", words=words, names=joined(", ", read.beside[:4])
        )
        yield Reason(Verdict.DOUBTFUL, text)
    else:
        yield Reason(Verdict.GOOD, words)


def _loss(spec: CapacitorSpec, loss: float, limits: CapacitorLimits) -> Reason:
    good, bad = limits.loss(spec)
    words = say("loss {loss}, good up to {good}", loss=format_percent(loss), good=format_percent(good))
    if loss >= bad:
        return Reason(Verdict.BAD, say("loses its charge: {words}", words=words), Fault.LOSS)
    return Reason(Verdict.GOOD if loss <= good else Verdict.DOUBTFUL, words, Fault.NONE if loss <= good else Fault.LOSS)


def _leakage(spec: CapacitorSpec, ampere: float, limits: CapacitorLimits) -> Iterator[Reason]:
    limit = limits.leakage(spec)
    shown = format_quantity(ampere, "A")
    if limit is None:
        yield Reason(Verdict.DOUBTFUL, say("leakage {shown} read, but value or rating is not known", shown=shown))
        return
    words = say(
        "leakage {shown}, limit {limit} at its rated voltage", shown=shown, limit=format_quantity(limit.good, "A")
    )
    if ampere > limit.bad:
        yield Reason(Verdict.BAD, say("leaky: {words}", words=words), Fault.LEAKY)
    elif ampere > limit.good:
        text = say("{words}; after years on a shelf form it at its voltage, then measure again", words=words)
        yield Reason(Verdict.DOUBTFUL, text, Fault.LEAKY)
    else:
        yield Reason(Verdict.GOOD, words)


def _resistance(spec: CapacitorSpec, read: CapacitorReading, limits: CapacitorLimits) -> Iterator[Reason]:
    ohm = read.resistance or 0.0
    shown = format_quantity(ohm, "Ω")
    if ohm <= limits.resistance["short"]:
        text = say("short: {shown} across it", shown=shown)
        verdict = Verdict.DOUBTFUL if read.in_circuit else Verdict.BAD
        yield Reason(verdict, text + (say(", or what lies in parallel") if read.in_circuit else ""), Fault.SHORT)
        return
    if read.in_circuit:
        text = say("{shown} across it in circuit, which parallel parts decide: lift one pin", shown=shown)
        yield Reason(Verdict.DOUBTFUL, text)
        return
    limit = limits.leakage(spec)
    if limit is None:
        yield Reason(Verdict.DOUBTFUL, say("{shown} across it, but value or rating is not known", shown=shown))
        return
    least = insulation(limit, spec.voltage or 0.0)
    words = say("{shown} across it, where {least} or more is usual", shown=shown, least=format_quantity(least, "Ω"))
    if ohm < limits.resistance["bad_share"] * least:
        yield Reason(Verdict.BAD, say("a resistor now: {words}", words=words), Fault.RESISTOR)
    elif ohm < limits.resistance["doubtful_share"] * least:
        yield Reason(Verdict.DOUBTFUL, say("leaky: {words}", words=words), Fault.LEAKY)
    else:
        yield Reason(Verdict.GOOD, words)


@dataclass(frozen=True)
class Changed:
    """An old part beside the new one of the same value: how their readings differ, in words."""

    worse: bool
    text: str


def old_against_new(old: CapacitorReading, new: CapacitorReading) -> Changed | None:
    """What the old part had lost against the new one; None where no quantity was taken of both."""
    told, worse = [], False
    if old.capacitance is not None and new.capacitance:
        share = old.capacitance / new.capacitance
        worse |= share < _WORSE_C
        told.append(say("{share} of its capacitance", share=format_percent(share)))
    if old.esr is not None and new.esr:
        times = old.esr / new.esr
        worse |= times > _WORSE_R
        told.append(say("{times:.2g} times its series resistance", times=times))
    if not told:
        return None
    return Changed(worse, say("the old part has {told} of the new one", told=joined(say(" and "), told)))


_WORSE_C, _WORSE_R = 0.8, 2.0
