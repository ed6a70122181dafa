"""Which part, place or spare is bad, from arrangements that were seen: what sat where, and how that ended.

Every part and place is good or bad; all combinations are weighed, up to 2^16. An arrangement fails where a bad part
sits or a place is bad, or for a reason beside all of them. The figures are assumptions.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say

_MOST = 16
_PART, _SPARE, _PLACE, _ELSEWHERE = 0.15, 0.15, 0.05, 0.05
_RIGHT = 0.97
WORKS, FAILS = "works", "fails"
_WORDS = {
    **dict.fromkeys(("works", "work", "ok", "good", "pass", "passes", "gone", "clean"), WORKS),
    **dict.fromkeys(("fails", "fail", "failed", "bad", "fault", "stays", "dead"), FAILS),
}
Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]


@dataclass(frozen=True)
class Arrangement:
    """What sat where (place → part), and how it ended: works, fails, or the place at which the fault was seen."""

    pairs: tuple[tuple[str, str], ...]
    outcome: str


@dataclass(frozen=True)
class Doubt:
    """A part or a place (`kind`) and the probability that it is bad."""

    name: str
    kind: str
    probability: float


@dataclass(frozen=True)
class Move:
    """An arrangement worth trying next: one part in one place, and what it is expected to tell (bit)."""

    part: str
    place: str
    bits: float


def outcome_of(text: str, places: Sequence[str]) -> str:
    """The outcome that a word or the name of a place means; RequestError for anything else."""
    word = " ".join(text.lower().split())
    if word in _WORDS:
        return _WORDS[word]
    named = {place.lower(): place for place in places}
    for prefix in ("", "at ", "fault at ", "fails at "):
        if word.startswith(prefix) and word[len(prefix) :] in named:
            return named[word[len(prefix) :]]
    raise RequestError(say("“{text}” is not an outcome: write works, fails, or a place of the line", text=text))


def solve_arrangements(seen: Sequence[Arrangement]) -> tuple[tuple[Doubt, ...], tuple[Move, ...]]:
    """Parts and places by how probably they are bad, and the moves that tell most; RequestError for too many."""
    worlds = _Worlds(seen)
    doubts = sorted(worlds.doubts(), key=lambda one: (-one.probability, one.kind, one.name))
    moves = sorted(worlds.moves(), key=lambda one: (-one.bits, one.place, one.part))
    return tuple(doubts), tuple(moves)


class _Worlds:
    """Every combination of good and bad parts and places, with its weight after all that was seen."""

    def __init__(self, seen: Sequence[Arrangement]) -> None:
        self.seen = seen
        parts = dict.fromkeys(part for one in seen for _, part in one.pairs)
        places = dict.fromkeys(place for one in seen for place, _ in one.pairs)
        self.names = [*(("part", name) for name in parts), *(("place", name) for name in places)]
        if len(self.names) >= _MOST:
            raise RequestError(
                say("these are {count} parts and places; at most {most}", count=len(self.names), most=15)
            )
        count = len(self.names) + 1
        numbers = np.arange(2**count, dtype=np.int64)
        self.bad: Bools = ((numbers[:, None] >> np.arange(count)) & 1).astype(bool)
        priors = [self._prior(kind, name) for kind, name in self.names] + [_ELSEWHERE]
        self.weight: Floats = np.where(self.bad, priors, 1 - np.array(priors)).prod(axis=1)
        for one in seen:
            self.weight = self.weight * self._told(one)
            self.weight = self.weight / self.weight.sum()

    def _prior(self, kind: str, name: str) -> float:
        if kind == "place":
            return _PLACE
        return _SPARE if "spare" in name.lower() else _PART

    def _of(self, kind: str, name: str) -> Bools:
        return np.asarray(self.bad[:, self.names.index((kind, name))], dtype=bool)

    def _fails(self, pairs: Sequence[tuple[str, str]]) -> Mapping[str, Bools]:
        """Place → the worlds in which the fault shows there."""
        return {place: self._of("part", part) | self._of("place", place) for place, part in pairs}

    def _told(self, one: Arrangement) -> Floats:
        """The probability of how an arrangement ended, in every world."""
        at = self._fails(one.pairs)
        elsewhere = self.bad[:, -1]
        anywhere = np.logical_or.reduce([*at.values(), elsewhere])
        if one.outcome == WORKS:
            truth = ~anywhere
        elif one.outcome == FAILS:
            truth = anywhere
        else:
            others = [bad for place, bad in at.items() if place != one.outcome]
            truth = at[one.outcome] & ~np.logical_or.reduce([*others, np.zeros_like(elsewhere)])
        return np.where(truth, _RIGHT, 1 - _RIGHT)

    def doubts(self) -> Iterator[Doubt]:
        """Every part and place with its probability, and the rest of the board."""
        for n, (kind, name) in enumerate(self.names):
            yield Doubt(name, kind, float(self.weight[self.bad[:, n]].sum()))
        yield Doubt("elsewhere", "elsewhere", float(self.weight[self.bad[:, -1]].sum()))

    def moves(self) -> Iterator[Move]:
        """Each part in each place that it was not seen in, the rest as it was last."""
        last = dict(self.seen[-1].pairs)
        tried = {pair for one in self.seen for pair in one.pairs}
        for place in last:
            for part in (name for kind, name in self.names if kind == "part"):
                if (place, part) not in tried:
                    yield Move(part, place, self._bits(_moved(last, place, part)))

    def _bits(self, pairs: Mapping[str, str]) -> float:
        """How much whether it works is expected to tell about parts and places."""
        fails = np.logical_or.reduce([*self._fails(tuple(pairs.items())).values(), self.bad[:, -1]])
        chance = np.where(fails, _RIGHT, 1 - _RIGHT)
        before = _entropies(self.weight @ self.bad).sum()
        after = 0.0
        for told in (chance, 1 - chance):
            share = float((told * self.weight).sum())
            after += share * float(_entropies((told * self.weight) @ self.bad / max(share, 1e-12)).sum())
        return max(0.0, float(before - after))


def _moved(last: Mapping[str, str], place: str, part: str) -> dict[str, str]:
    """The arrangement with a part in a place; a part that sat elsewhere changes places with the one it displaces."""
    found = dict(last)
    for other, sitting in last.items():
        if sitting == part:
            found[other] = last[place]
    found[place] = part
    return found


def _entropies(probability: Floats) -> Floats:
    p = np.clip(probability, 1e-12, 1 - 1e-12)
    return np.asarray(-(p * np.log2(p) + (1 - p) * np.log2(1 - p)), dtype=np.float64)
