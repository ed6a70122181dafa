"""Crystals, dividers and back-up cells: what their values make of them."""

from collections.abc import Sequence
from dataclasses import dataclass

from loyal_trace.core.power.formulas import not_negative, positive
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say

HOURS_A_YEAR = 365.25 * 24
SECONDS_A_YEAR = HOURS_A_YEAR * 3600
_GOOD_LOAD, _DOUBTFUL_LOAD = 0.10, 0.30
# Typical of AT-cut crystals from 1 to 20 MHz.
_MOTIONAL, _SHUNT = 0.015e-12, 4e-12


@dataclass(frozen=True)
class CrystalLoad:
    """The load (farad) that a crystal sees, how far it is from what it was cut for, the pull (ppm), and a verdict."""

    load_capacitance: float
    verdict: str
    pull_ppm: float
    reason: str


def crystal_load(
    c1: float, c2: float, stray: float, wanted: float, motional: float = _MOTIONAL, shunt: float = _SHUNT
) -> CrystalLoad:
    """CL = C1·C2/(C1+C2) + Cstray against the load the crystal was cut for (farad).

    Pull Δf/f = (Cm/2)·(1/(C0+CL) − 1/(C0+CLwanted)), the usual equivalent circuit; motional and shunt capacitance are
    those of a common megahertz crystal unless given. Good within a tenth of the wanted load, doubtful within three.
    """
    positive(c1=c1, c2=c2, load=wanted, motional_capacitance=motional)
    not_negative(stray=stray, shunt=shunt)
    load = c1 * c2 / (c1 + c2) + stray
    pull = motional / 2 * (1 / (shunt + load) - 1 / (shunt + wanted)) * 1e6
    off = abs(load / wanted - 1)
    verdict = "good" if off <= _GOOD_LOAD else "doubtful" if off <= _DOUBTFUL_LOAD else "bad"
    wrong = say("too small, so the clock is fast") if load < wanted else say("too large, so the clock is slow")
    ppm = say("{pull:+.0f} ppm", pull=pull).replace("-", "−")
    side = say("right") if verdict == "good" else wrong
    return CrystalLoad(load, verdict, pull, say("the load is {side}, by about {ppm}", side=side, ppm=ppm))


def divided(frequency: float, by: Sequence[float]) -> tuple[float, ...]:
    """The frequencies (hertz) after each divider of a chain."""
    positive(frequency=frequency)
    found = []
    for number in by:
        if number < 1:
            raise RequestError(say("a divider divides by 1 or more, not by {number:g}", number=number))
        frequency /= number
        found.append(frequency)
    return tuple(found)


def cell_life(charge: float, current: float, self_discharge: float = 0.0) -> float:
    """Years a back-up cell lasts: capacity ÷ (back-up current + self-discharge).

    `charge` in coulomb, `current` in ampere, `self_discharge` the share of the full charge lost in a year, taken as a
    steady current beside the load (errs on the short side by a few per cent against an exponential loss).
    """
    positive(capacity=charge)
    not_negative(current=current, self_discharge=self_discharge)
    if self_discharge >= 1:
        raise RequestError(say("self-discharge of 100 % a year or more leaves no life to compute"))
    drain = current + self_discharge * charge / SECONDS_A_YEAR
    positive(current_with_self_discharge=drain)
    return charge / drain / SECONDS_A_YEAR
