"""Hunting a short on a rail: what to lift so that each reading halves what is left, and where a track reads least.

One part is taken to be shorted. Every test leaves some parts in place; the resistance to ground tells whether the
culprit is among those lifted. Milliohm readings along the rail grow with the distance from the short: the meter's
current returns through it.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.vocabulary.identity import natural_key
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.readings import LiftReading
from loyal_trace.core.vocabulary.units import format_quantity

# Gone means both: many times what it was, and no longer near a short by itself.
GONE_FACTOR, GONE_FROM = 8.0, 50.0
SURE = 0.9
TRACK = Quantity.TRACK
# A lifted leg that still touches its pad: one wrong reading in thirty must not exclude the culprit for good.
_MISREAD = 0.03
_WEIGHT = {"tantalum": 4.0, "aluminium": 1.5, "ceramic": 1.0}
# Pulled from a socket, or unsoldered at one leg.
_MINUTES = {True: 0.5, False: 6.0}
# From here on a few milliohm readings cost less than the lifting.
_TRACK_FROM = 4.0


@dataclass(frozen=True)
class ShortSearch:
    """Candidates with their share of the blame (most first), the parts to lift next, and a sentence.

    `track` are parts at which to read the rail in milliohms instead, where lifting takes an iron. `instead` is what to
    do where there is nothing to seek: no short, or a part on the rail that was changed since it was measured.
    """

    candidates: tuple[tuple[str, float], ...]
    lift: tuple[str, ...]
    why: str
    culprit: str = ""
    track: tuple[str, ...] = ()
    instead: str = ""


def parts_on(board: BoardDefinition, net: str) -> tuple[Part, ...]:
    """The parts that could short a net to ground: all on it but plugs, fuses and resistors."""
    names = dict.fromkeys(refdes for refdes, _ in dict(board.nets).get(net, ()))
    found = [board.part(refdes) for refdes in names if board.has(refdes)]
    return tuple(part for part in found if part.kind not in ("connector", "fuse", "resistor", "inductor", "switch"))


def prior_weight(part: Part) -> float:
    """How readily a part shorts against others, before any reading: tantalum first, as is known of old boards."""
    return _WEIGHT.get(part.technology, 1.0) if part.kind == "capacitor" else 1.0


def find_short(
    board: BoardDefinition, net: str, baseline: float, lifts: Sequence[LiftReading], track: Mapping[str, float]
) -> ShortSearch:
    """Where the short is, from the resistance to ground with everything in place (ohm), lift tests, and readings of
    the track (refdes → ohm between that part's pin and ground, with a milliohm meter)."""
    parts = parts_on(board, net)
    if not parts:
        return ShortSearch((), (), say("the netlist names no part on this rail"))
    shares = {part.refdes: prior_weight(part) for part in parts}
    for lift in lifts:
        gone = lift.value is None or lift.value > max(GONE_FROM, GONE_FACTOR * baseline)
        for refdes in shares:
            agrees = (refdes in lift.parts) == gone
            shares[refdes] *= 1 - _MISREAD if agrees else _MISREAD
    for refdes, factor in _by_distance(board, shares, track).items():
        shares[refdes] *= factor
    total = sum(shares.values())
    ranked = sorted(((r, w / total) for r, w in shares.items()), key=lambda item: (-item[1], natural_key(item[0])))
    first, share = ranked[0]
    # One part is named only when the readings leave the others one chance in ten together.
    if share >= SURE:
        return ShortSearch(tuple(ranked), (), _told(first, lifts, baseline), first)
    chosen = next_lift([board.part(r) for r, _ in ranked], dict(ranked))
    minutes = sum(_MINUTES[board.part(r).socketed] for r in chosen)
    covered = sum(dict(ranked)[r] for r in chosen)
    takes = say("about {minutes} min", minutes=max(1, round(minutes)))
    split = say("{covered:.0f} % to {covered2:.0f} %", covered=100 * covered, covered2=100 * (1 - covered))
    told = say(
        "lifting {chosen} ({takes}) splits the probability {shares}",
        chosen=joined(", ", chosen),
        takes=takes,
        shares=split,
    )
    why = say("{count} parts share the rail; {told}", count=len(parts), told=told)
    to_read = _spread_out([p for p in parts if p.refdes not in track]) if minutes > _TRACK_FROM else ()
    return ShortSearch(tuple(ranked), chosen, why, track=to_read)


def _spread_out(parts: Sequence[Part], most: int = 4) -> tuple[str, ...]:
    """A few parts far from each other, so that readings at them tell the direction."""
    chosen: list[Part] = list(parts[:1])
    while chosen and len(chosen) < min(most, len(parts)):
        rest = [p for p in parts if p not in chosen]
        chosen.append(max(rest, key=lambda p: min(math.hypot(p.x - c.x, p.y - c.y) for c in chosen)))
    return tuple(part.refdes for part in chosen)


def _told(refdes: str, lifts: Sequence[LiftReading], baseline: float) -> str:
    telling = next((lift for lift in reversed(lifts) if refdes in lift.parts), None)
    if telling is None:
        return say("the track resistance is lowest at {refdes}", refdes=refdes)
    value = "OL" if telling.value is None else format_quantity(telling.value, "Ω")
    alone = (
        say("is lifted")
        if telling.parts == (refdes,)
        else say("and {count} others are lifted", count=len(telling.parts) - 1)
    )
    return say(
        "the short goes when {refdes} {alone}: {baseline} before, {value} then",
        refdes=refdes,
        alone=alone,
        baseline=format_quantity(baseline, "Ω"),
        value=value,
    )


def next_lift(parts: Sequence[Part], shares: Mapping[str, float]) -> tuple[str, ...]:
    """The parts to lift together: about half of the blame, those that only have to be pulled before those with solder.

    Parts are added by blame for their minutes until adding the next would go further from a half.
    """
    free = [part for part in parts if part.socketed and shares[part.refdes] > 0.01]
    # Sockets first, as long as they hold a fifth of the blame: pulling them costs nothing.
    pool = free if sum(shares[p.refdes] for p in free) >= 0.2 else list(parts)
    order = sorted(pool, key=lambda p: (-shares[p.refdes] / _MINUTES[p.socketed], natural_key(p.refdes)))
    chosen: list[str] = []
    covered = 0.0
    for part in order:
        if chosen and abs(covered + shares[part.refdes] - 0.5) > abs(covered - 0.5):
            break
        chosen.append(part.refdes)
        covered += shares[part.refdes]
    return tuple(chosen)


def _by_distance(board: BoardDefinition, shares: Mapping[str, float], track: Mapping[str, float]) -> dict[str, float]:
    """How well each candidate explains the track readings: resistance growing with the distance from it.

    Straight line fitted by least squares for every candidate, slope not negative; misfit judged against 15 % noise.
    """
    read = [(board.part(r), ohm) for r, ohm in track.items() if board.has(r)]
    if len(read) < 2:
        return {}
    ohms = np.array([ohm for _, ohm in read])
    noise = max(0.15 * float(ohms.mean()), 1e-6)
    found = {}
    for refdes in shares:
        here = board.part(refdes)
        away = np.array([math.hypot(p.x - here.x, p.y - here.y) for p, _ in read])
        spread = away - away.mean()
        # Resistance falls towards the short: a negative slope explains nothing.
        slope = max(0.0, float(spread @ (ohms - ohms.mean())) / max(float(spread @ spread), 1e-9))
        misfit = ohms - ohms.mean() - slope * spread
        found[refdes] = math.exp(-0.5 * min(60.0, float(misfit @ misfit) / noise**2))
    # Never down to nothing: a track reading at the wrong pin must not exclude a part.
    best = max(found.values())
    return {refdes: max(value / best, 1e-3) for refdes, value in found.items()}
