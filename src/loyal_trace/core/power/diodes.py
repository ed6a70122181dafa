"""A rectifier read with the diode test of a meter: each diode, and the bridge as a whole.

Limits: silicon 0.4 to 0.7 V forward, Schottky 0.15 to 0.45 V (usual data sheets at the milliampere of a meter); a
little more is let pass, beyond that the path is as good as open.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say

NEAR_ZERO = 0.05
SCHOTTKY_LOW, SILICON_LOW, SILICON_HIGH = 0.15, 0.4, 0.85
_WORST_FIRST = ("short", "open", "leaky", "good")


@dataclass(frozen=True)
class BridgeVerdict:
    """The bridge as a whole (`good`, `open`, `short` or `leaky`), each diode, and a sentence."""

    verdict: str
    diodes: tuple[str, ...]
    reason: str


def judge_diode(forward: float, schottky: bool = False) -> str:
    """One forward reading (volt; infinity for OL): `good`, `open`, `short`, or `leaky` for too low a drop."""
    if math.isnan(forward) or forward < 0:
        raise RequestError(say("a diode test does not read {forward:g} V; swap the probes", forward=forward))
    if forward > SILICON_HIGH:
        return "open"
    if forward <= NEAR_ZERO:
        return "short"
    return "leaky" if forward < (SCHOTTKY_LOW if schottky else SILICON_LOW) else "good"


def judge_bridge(readings: Sequence[float]) -> BridgeVerdict:
    """Four forward readings (volt, infinity for OL) of one bridge; RequestError for another number of them.

    Diodes of one bridge are of one kind: it is taken as Schottky when all that conduct read below the silicon range.
    """
    if len(readings) != 4:
        raise RequestError(say("a bridge has four diodes, and {count} readings were given", count=len(readings)))
    # Shorted and open ones say nothing about the kind.
    conducting = [r for r in readings if NEAR_ZERO < r <= SILICON_HIGH]
    schottky = len(conducting) > 1 and max(conducting) < SILICON_LOW + 0.05
    diodes = tuple(judge_diode(r, schottky) for r in readings)
    verdict = next(word for word in _WORST_FIRST if word in diodes)
    return BridgeVerdict(verdict, diodes, _sentence(diodes, schottky))


@dataclass(frozen=True)
class TransistorVerdict:
    """`good`, `open`, `short` or `leaky`, and a sentence."""

    verdict: str
    reason: str


def judge_transistor(base_emitter: float, base_collector: float, collector_emitter: float) -> TransistorVerdict:
    """Three diode-test readings (volt, infinity for OL) of a bipolar transistor, probes for conduction from the base.

    A good one reads two silicon diodes from its base, the emitter's a little higher, and nothing between collector and
    emitter. RequestError for readings that no meter shows.
    """
    junctions = {
        say("base to emitter"): judge_diode(base_emitter),
        say("base to collector"): judge_diode(base_collector),
    }
    if math.isnan(collector_emitter) or collector_emitter < 0:
        raise RequestError(
            say(
                "a diode test does not read {collector_emitter:g} V; swap the probes",
                collector_emitter=collector_emitter,
            )
        )
    if collector_emitter <= NEAR_ZERO:
        return TransistorVerdict("short", say("collector and emitter are shorted, the usual fault of a driver"))
    for word in ("short", "open", "leaky"):
        wrong = [name for name, verdict in junctions.items() if verdict == word]
        if wrong:
            return TransistorVerdict(
                word,
                say(
                    "{wrong} is {word}" if len(wrong) == 1 else "{wrong} are {word}",
                    wrong=joined(say(" and "), wrong),
                    word=word,
                ),
            )
    # In circuit a resistor across it reads the same, so it is doubted and not condemned.
    if math.isfinite(collector_emitter):
        shown = say("{collector_emitter:.2f} V between collector and emitter", collector_emitter=collector_emitter)
        return TransistorVerdict(
            "leaky", say("{shown}, where no current should flow; measure it out of circuit", shown=shown)
        )
    return TransistorVerdict("good", say("two junctions from the base and nothing between collector and emitter"))


def _sentence(diodes: tuple[str, ...], schottky: bool) -> str:
    bad = [(number, word) for number, word in enumerate(diodes, start=1) if word != "good"]
    kind = "Schottky" if schottky else "silicon"
    if not bad:
        return say("all four diodes read within the limits of {kind} diodes", kind=kind)
    told = joined(
        ", ",
        (
            say("diode {number} is {word}", number=number, word=word if word != "short" else say("shorted"))
            for number, word in bad
        ),
    )
    if len(bad) == 4 and all(word == "open" for _, word in bad):
        return say("all four diodes read open; swap the probes and measure again before you replace it")
    effect = {
        "open": say("half of the wave is missing: the ripple has the mains frequency"),
        "short": say("it shorts the winding and overloads fuse and transformer"),
        "leaky": say("it leaks; measure it out of circuit before you replace it"),
    }
    worst = next(word for word in _WORST_FIRST if any(w == word for _, w in bad))
    return say("{told}; {effect}", told=told, effect=effect[worst])
