"""Swaps, removals, lifts, stimulus as one puzzle: which body, place or spare is bad, or none, given all their ends.

Every body, place and spare that took part is good or bad; all combinations are weighed (up to 2^16). Before each
exchange the fault was seen at its first place. What is told is right nearly always. The figures are assumptions.
"""

from collections.abc import Hashable, Iterable, Mapping, Sequence
from copy import copy
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.diagnosis.tried import BODY, NEITHER, PLACE, Tried, chance

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


Move = Exchange | Tried


@dataclass(frozen=True)
class Puzzle:
    """All moves of one board in order; the prior probability that each part is bad; bodies that are spares."""

    moves: tuple[Move, ...]
    prior: Mapping[str, float]
    spares: frozenset[str] = frozenset()

    @property
    def key(self) -> Hashable:
        """Every value that the answer depends on."""
        return ("swaps", self.moves, tuple(self.prior.items()), self.spares)


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

    def bits_of(self, move: Move) -> float:
        """How much a move not made yet is expected to tell about bodies and places (bit)."""
        return self._worlds.bits_of(move) if self._worlds is not None else 0.0


class _Worlds:
    """Every combination of bad and good, one row each, with its weight."""

    def __init__(self, names: Sequence[str], prior: Floats, spares: frozenset[str]) -> None:
        self.names = list(names)
        self._spares = frozenset(_body(spare) for spare in spares)
        count = len(self.names)
        numbers = np.arange(2**count, dtype=np.int64)
        self.bad: Bools = ((numbers[:, None] >> np.arange(count)) & 1).astype(bool)
        weights = np.where(self.bad, prior, 1 - prior)
        self.weight: Floats = np.asarray(weights.prod(axis=1), dtype=np.float64)

    def of(self, name: str) -> Bools:
        """Whether a variable is bad in each world; good where it is not part of the puzzle."""
        return self._any({name})

    def _any(self, names: Iterable[str]) -> Bools:
        wanted = set(names)
        columns = [number for number, name in enumerate(self.names) if name in wanted]
        return np.asarray(self.bad[:, columns].any(axis=1), dtype=bool)

    def _rest(self, parts: Iterable[str]) -> Bools:
        """Is anything bad beside these parts? A spare in the drawer does not show."""
        own = {name for part in parts for name in (_body(part), _place(part))}
        return self._any(set(self.names) - own - self._spares)

    def _told(self, move: Move) -> Floats:
        """The chance of each outcome (columns) in each world."""
        return self._exchanged(move) if isinstance(move, Exchange) else self._changed(move)

    def _exchanged(self, exchange: Exchange) -> Floats:
        rest = self._rest({exchange.first, exchange.own, exchange.body, exchange.other})
        place = self.of(_place(exchange.first)) | rest
        first = self.of(_body(exchange.body)) | place
        other = np.zeros_like(first)
        if exchange.other:
            other = self.of(_body(exchange.own)) | self.of(_place(exchange.other))
        state = np.where(first, 0, np.where(other, 2, 1))
        told = _TOLD[state]
        only_place = self.of(_place(exchange.first)) & ~self.of(_body(exchange.body)) & ~rest
        wiped = (1 - _WIPED) * _TOLD[0] + _WIPED * _TOLD[1]
        return np.asarray(np.where(only_place[:, None], wiped, told), dtype=np.float64)

    def _changed(self, tried: Tried) -> Floats:
        """Columns: the fault stays, the fault changes."""
        names = [part.refdes for part in tried.parts]
        body, place = self._any(map(_body, names)), self._any(map(_place, names))
        cause = np.where(body, BODY, np.where(place, PLACE, NEITHER))
        changes = chance(tried.sort, cause, self._rest(names))
        return np.stack([1 - changes, changes], axis=1)

    def suppose(self, moves: Iterable[Move]) -> None:
        """Weighs the worlds by what was so before: the fault was seen at each place watched, or at a part tried."""
        watched = {move.first: {move.own, move.first} for move in moves if isinstance(move, Exchange)}
        for parts in watched.values() or ({part for move in moves for part in _parts(move)},):
            before = self._any(name for part in parts for name in (_body(part), _place(part))) | self._rest(parts)
            self.weight = self.weight * np.where(before, _SEEN_BEFORE, _FALSE)
        self.weight = self.weight / self.weight.sum()

    def learn(self, move: Move) -> None:
        """Weighs the worlds by how a move ended."""
        column = OUTCOMES.index(move.outcome) if isinstance(move, Exchange) else int(move.changed)
        self.weight = self.weight * self._told(move)[:, column]
        self.weight = self.weight / self.weight.sum()

    def probability(self, name: str) -> float:
        return float(self.weight[self.of(name)].sum())

    def either(self, part: str) -> float:
        """The probability that a part's body or its place is bad."""
        return float(self.weight[self.of(_body(part)) | self.of(_place(part))].sum())

    def bits_of(self, move: Move) -> float:
        """Expected information about all bodies and places on the board: entropy before less the mean one after."""
        shown = [number for number, name in enumerate(self.names) if name not in self._spares]
        bad = self.bad[:, shown].astype(np.float64)
        told = self._told(move) * self.weight[:, None]
        shares = told.sum(axis=0)
        after = (told.T @ bad) / np.maximum(shares, 1e-12)[:, None]
        bits = _entropies(self.weight @ bad).sum() - float(shares @ _entropies(after).sum(axis=1))
        return max(0.0, float(bits))


def _entropies(probability: Floats) -> Floats:
    """Uncertainty (bit) of yes-or-no questions."""
    p = np.clip(probability, 1e-12, 1 - 1e-12)
    return np.asarray(-(p * np.log2(p) + (1 - p) * np.log2(1 - p)), dtype=np.float64)


def _body(name: str) -> str:
    return f"body {name}"


def _place(name: str) -> str:
    return f"place {name}"


def solve(puzzle: Puzzle) -> tuple[Solved, ...]:
    """Weighs all moves together; of very many, the newest as far as 2^16 combinations hold, then the older ones."""
    left = [move for move in puzzle.moves if len({ELSEWHERE, *_variables(move)}) <= _MOST]
    found: list[Solved] = []
    while left:
        kept, names = _kept(left)
        found.append(_solved(puzzle, kept, names))
        left = [move for move in left if move not in kept]
    return tuple(found)


def _solved(puzzle: Puzzle, kept: Sequence[Move], names: Sequence[str]) -> Solved:
    priors = np.array([_prior(name, puzzle) for name in names], dtype=np.float64)
    worlds = _Worlds(names, priors, puzzle.spares)
    worlds.suppose(kept)
    premise = copy(worlds)
    for move in kept:
        worlds.learn(move)
    bodies = {name[5:]: worlds.probability(name) for name in names if name.startswith("body ")}
    places = {name[6:]: worlds.probability(name) for name in names if name.startswith("place ")}
    return Solved(bodies, places, worlds.probability(ELSEWHERE), worlds, premise)


def _parts(move: Move) -> Iterable[str]:
    """The parts of the board in a move."""
    if isinstance(move, Exchange):
        return (move.own, *((move.other,) if move.other else ()))
    return (part.refdes for part in move.parts)


def _variables(move: Move) -> Iterable[str]:
    if isinstance(move, Tried):
        for part in _parts(move):
            yield from (_body(part), _place(part))
        return
    yield _body(move.own)
    yield _place(move.first)
    yield _body(move.body)
    if move.other:
        yield _place(move.other)


def _kept(moves: Sequence[Move]) -> tuple[list[Move], list[str]]:
    """The newest moves whose variables fit together, in their order, and the variables."""
    kept: list[Move] = []
    names: dict[str, None] = {ELSEWHERE: None}
    for move in reversed(moves):
        wanted = dict.fromkeys((*names, *_variables(move)))
        if len(wanted) <= _MOST:
            names = wanted
            kept.insert(0, move)
    return kept, list(names)


def _prior(name: str, puzzle: Puzzle) -> float:
    if name == ELSEWHERE:
        return _ELSEWHERE
    sort, _, part = name.partition(" ")
    if part in puzzle.spares:
        return _SPARE_BAD
    share = _PLACE_SHARE if sort == "place" else 1 - _PLACE_SHARE
    return min(0.6, max(0.002, puzzle.prior.get(part, 0.05) * share))
