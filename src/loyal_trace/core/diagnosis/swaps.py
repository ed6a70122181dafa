"""Swaps as one puzzle: which body, which place, which spare is bad, or none of them, given every exchange and its end.

Every body, place and spare that took part is good or bad; all combinations are weighed (up to 2^16). Before each
exchange the fault was seen at its first place. What is told is right nearly always. The figures are assumptions.
"""

from collections.abc import Hashable, Iterable, Mapping, Sequence
from copy import copy
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.diagnosis.evidence import entropy_bits

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]
OUTCOMES = ("stays", "gone", "moves", "partly")
_MOST = 16
_SPARE_BAD = 0.15
_PLACE_SHARE = 0.25
_ELSEWHERE = 0.15
_SEEN_BEFORE = 0.98
_FALSE = 0.02
# What is told (stays, gone, moves, partly) when the first place still fails, when nothing fails, when the other does.
_TOLD = np.array([[0.93, 0.02, 0.02, 0.03], [0.02, 0.93, 0.03, 0.02], [0.02, 0.10, 0.85, 0.03]])
# Taking a chip out and putting one in wipes its contacts: a bad place may seem cured.
_WIPED = 0.08
ELSEWHERE = "elsewhere"


@dataclass(frozen=True)
class Exchange:
    """What sat where during a trial: `first` is the place watched, `body` what was put there.

    `other` is the place that the body of the first went to, empty when it was laid aside; `outcome` one of `OUTCOMES`.
    """

    first: str
    body: str
    other: str
    outcome: str
    own: str


@dataclass(frozen=True)
class Puzzle:
    """All exchanges of one board in order; the prior probability that each part is bad; bodies that are spares."""

    exchanges: tuple[Exchange, ...]
    prior: Mapping[str, float]
    spares: frozenset[str] = frozenset()

    @property
    def key(self) -> Hashable:
        """Every value that the answer depends on."""
        return ("swaps", self.exchanges, tuple(self.prior.items()), self.spares)


@dataclass(frozen=True)
class Solved:
    """Probabilities: of each body and spare, of each place, and that the fault is none of these."""

    bodies: Mapping[str, float]
    places: Mapping[str, float]
    elsewhere: float
    _worlds: "_Worlds | None" = field(default=None, compare=False, repr=False)
    _premise: "_Worlds | None" = field(default=None, compare=False, repr=False)

    def of_part(self, name: str) -> float:
        """The probability that a part or its place is at fault."""
        body, place = self.bodies.get(name, 0.0), self.places.get(name, 0.0)
        return 1 - (1 - body) * (1 - place) if self._worlds is None else self._worlds.either(name)

    def before(self, name: str) -> float:
        """The same before any exchange had an outcome: only that the fault was seen where the exchanges were made."""
        return self._premise.either(name) if self._premise is not None else self.of_part(name)

    def bits_of(self, exchange: Exchange) -> float:
        """How much an exchange not made yet is expected to tell about bodies and places (bit)."""
        return self._worlds.bits_of(exchange) if self._worlds is not None else 0.0


class _Worlds:
    """Every combination of bad and good, one row each, with its weight."""

    def __init__(self, names: Sequence[str], prior: Floats) -> None:
        self.names = list(names)
        count = len(self.names)
        numbers = np.arange(2**count, dtype=np.int64)
        self.bad: Bools = ((numbers[:, None] >> np.arange(count)) & 1).astype(bool)
        weights = np.where(self.bad, prior, 1 - prior)
        self.weight: Floats = np.asarray(weights.prod(axis=1), dtype=np.float64)

    def of(self, name: str) -> Bools:
        """Whether a variable is bad in each world; good where it is not part of the puzzle."""
        if name not in self.names:
            return np.zeros(len(self.weight), dtype=bool)
        return np.asarray(self.bad[:, self.names.index(name)], dtype=bool)

    def _told(self, exchange: Exchange) -> Floats:
        """The chance of each outcome (columns) in each world."""
        place = self.of(_place(exchange.first)) | self.of(ELSEWHERE)
        first = self.of(_body(exchange.body)) | place
        other = np.zeros_like(first)
        if exchange.other:
            other = self.of(_body(exchange.own)) | self.of(_place(exchange.other))
        state = np.where(first, 0, np.where(other, 2, 1))
        told = _TOLD[state]
        only_place = self.of(_place(exchange.first)) & ~self.of(_body(exchange.body)) & ~self.of(ELSEWHERE)
        wiped = (1 - _WIPED) * _TOLD[0] + _WIPED * _TOLD[1]
        return np.asarray(np.where(only_place[:, None], wiped, told), dtype=np.float64)

    def suppose(self, exchange: Exchange) -> None:
        """Weighs the worlds by what was so before an exchange: the fault was seen at its first place."""
        before = self.of(_body(exchange.own)) | self.of(_place(exchange.first)) | self.of(ELSEWHERE)
        self.weight = self.weight * np.where(before, _SEEN_BEFORE, _FALSE)
        self.weight = self.weight / self.weight.sum()

    def learn(self, exchange: Exchange) -> None:
        """Weighs the worlds by how an exchange ended."""
        self.weight = self.weight * self._told(exchange)[:, OUTCOMES.index(exchange.outcome)]
        self.weight = self.weight / self.weight.sum()

    def probability(self, name: str) -> float:
        return float(self.weight[self.of(name)].sum())

    def either(self, part: str) -> float:
        """The probability that a part's body or its place is bad."""
        return float(self.weight[self.of(_body(part)) | self.of(_place(part))].sum())

    def bits_of(self, exchange: Exchange) -> float:
        """Expected information about the variables of the first place: entropy before less the mean one after."""
        told = self._told(exchange) * self.weight[:, None]
        shares = told.sum(axis=0)
        names = [_body(exchange.own), _place(exchange.first)]
        bits = 0.0
        for name in names:
            bad = self.of(name)
            after = sum(
                share * entropy_bits(float(told[bad, column].sum() / share))
                for column, share in enumerate(shares)
                if share > 1e-12
            )
            bits += entropy_bits(self.probability(name)) - after
        return max(0.0, float(bits))


def _body(name: str) -> str:
    return f"body {name}"


def _place(name: str) -> str:
    return f"place {name}"


def solve(puzzle: Puzzle) -> Solved:
    """Weighs all exchanges together; of very many, the newest count, as many as 2^16 combinations hold."""
    kept, names = _kept(puzzle.exchanges)
    priors = np.array([_prior(name, puzzle) for name in names], dtype=np.float64)
    worlds = _Worlds(names, priors)
    # The fault was seen once, however many exchanges were made at its place.
    for exchange in {exchange.first: exchange for exchange in reversed(kept)}.values():
        worlds.suppose(exchange)
    premise = copy(worlds)
    for exchange in kept:
        worlds.learn(exchange)
    bodies = {name[5:]: worlds.probability(name) for name in names if name.startswith("body ")}
    places = {name[6:]: worlds.probability(name) for name in names if name.startswith("place ")}
    return Solved(bodies, places, worlds.probability(ELSEWHERE), worlds, premise)


def _variables(exchange: Exchange) -> Iterable[str]:
    yield _body(exchange.own)
    yield _place(exchange.first)
    yield _body(exchange.body)
    if exchange.other:
        yield _place(exchange.other)


def _kept(exchanges: Sequence[Exchange]) -> tuple[list[Exchange], list[str]]:
    """The newest exchanges whose variables fit together, in their order, and the variables."""
    kept: list[Exchange] = []
    names: dict[str, None] = {ELSEWHERE: None}
    for exchange in reversed(exchanges):
        wanted = dict.fromkeys((*names, *_variables(exchange)))
        if len(wanted) <= _MOST:
            names = wanted
            kept.insert(0, exchange)
    return kept, list(names)


def _prior(name: str, puzzle: Puzzle) -> float:
    if name == ELSEWHERE:
        return _ELSEWHERE
    sort, _, part = name.partition(" ")
    if part in puzzle.spares:
        return _SPARE_BAD
    share = _PLACE_SHARE if sort == "place" else 1 - _PLACE_SHARE
    return min(0.6, max(0.002, puzzle.prior.get(part, 0.05) * share))
