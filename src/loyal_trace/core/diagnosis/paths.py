"""Which parts explain what works and what fails, from the paths that functions take; several faults at once.

Every part on a path may have a faulty body or a faulty place (socket, pins, track), wholly or in the section that one
function uses, dead or partial; and between two stages something may be missing from what was told. All sets of one and
two such faults are weighed against every statement, each of which may be false. A replaced part is another body from
then on; a swap is a statement about one body. The figures are assumptions; `make bench` measures what they reach.
"""

import math
from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.diagnosis.tried import BODY, CHANGES, NEITHER, PLACE, Tried, chance
from loyal_trace.core.vocabulary.identity import PartRef

Floats = NDArray[np.float64]
STATES = ("works", "partly", "fails")
OUTCOMES = ("stays", "partly", "gone")
_FALSE = 0.02
# How a function does (works, partly, fails) with no fault on its path, with a partial one, with a dead one.
_SEEN = np.array([[0.98, 0.01, 0.01], [0.15, 0.65, 0.20], [0.02, 0.03, 0.95]])
# The same of a signal in the middle of a path: what comes after may load it, and a probe slips.
_SIGNAL = np.array([[0.93, 0.03, 0.04], [0.20, 0.60, 0.20], [0.04, 0.04, 0.92]])
# What an exchange does (stays, partly, gone): the body is not at fault, it is one of two faults, it is the only one.
# Of the spares about one in seven is bad, wholly or in a section.
_EXCHANGED = np.array([[0.95, 0.03, 0.02], [0.45, 0.43, 0.12], [0.14, 0.05, 0.81]])
_DEAD, _PARTIAL = 2, 1
_DEAD_SHARE = 0.75
_WHOLE_SHARE = 0.3
_PLACE_SHARE = 0.2
_TWO_FAULTS, _MOST_TWO = 0.25, 0.40
_GAP_SHARE = 0.10
_ELSEWHERE = 0.02
_MOST_SIGNALS = 4
# The odds that a part was faulty that somebody chose to replace: what was read of it is not kept with the new one.
_CHOSEN = 1 / 3
# A replacement is bad about as often as a spare of a drawer.
_NEW_BAD = 0.08


@dataclass(frozen=True)
class Statement:
    """A function was said to work, to work partly, or to fail; `upto`: its signal after that part of its path."""

    function: str
    state: str
    time: datetime
    upto: PartRef | None = None


@dataclass(frozen=True)
class Exchange:
    """The body in a place was exchanged: the fault stayed, was partly gone, or gone (also: moved with the body)."""

    part: PartRef
    outcome: str
    time: datetime


@dataclass(frozen=True)
class Case:
    """What was told: the parts of each function in order, the statements, what was changed when; priors from 0 to 1.

    `old`: how much more likely what was measured of a part taken out is if it was at fault than if not.
    """

    paths: Mapping[str, tuple[PartRef, ...]]
    statements: tuple[Statement, ...]
    priors: Mapping[PartRef, float]
    exchanges: tuple[Exchange, ...] = ()
    replaced: Mapping[PartRef, tuple[datetime, ...]] = field(default_factory=dict)
    trials: tuple[Tried, ...] = ()
    old: Mapping[PartRef, float] = field(default_factory=dict)

    @property
    def key(self) -> Hashable:
        """Every value that the odds depend on."""
        tables = (self.paths, self.priors, self.replaced, self.old)
        return ("paths", *(tuple(table.items()) for table in tables), self.statements, self.exchanges, self.trials)


@dataclass(frozen=True)
class Gap:
    """Two stages of a path between which something may not have been told, and the probability that it is at fault."""

    function: str
    first: PartRef
    second: PartRef
    probability: float


@dataclass(frozen=True)
class PathOdds:
    """The probability of each part on a path to be faulty as it is now, and the likeliest gap in what was told.

    `prior` is what it was before the paths were weighed.
    """

    prior: Mapping[PartRef, float]
    probability: Mapping[PartRef, float]
    gap: Gap | None
    worlds: "Worlds"


@dataclass(frozen=True)
class _Atom:
    """One possible fault, of a part or in a gap: what it touches, how badly; `since`, `until` bound the body's life."""

    owner: PartRef | Gap
    touches: frozenset[str]
    degree: int
    weight: float
    body: bool = False
    since: datetime | None = None
    until: datetime | None = None

    def lives_at(self, time: datetime) -> bool:
        return (self.since is None or time > self.since) and (self.until is None or time <= self.until)

    def at(self, statement: Statement, before: Mapping[tuple[str, PartRef], frozenset[PartRef]]) -> int:
        """How badly it shows in a statement; `before` are the parts up to a stage of a function."""
        shows = statement.function in self.touches and self.lives_at(statement.time)
        if shows and statement.upto is not None:
            shows = self.within(before.get((statement.function, statement.upto), frozenset()))
        return self.degree if shows else 0

    def within(self, parts: frozenset[PartRef]) -> bool:
        """Does it sit in this first stretch of a path?"""
        return (self.owner.second if isinstance(self.owner, Gap) else self.owner) in parts

    def in_exchange(self, exchange: Exchange) -> bool:
        return self.body and self.owner == exchange.part and self.lives_at(exchange.time)

    def in_trial(self, tried: Tried) -> int:
        """What a trial touched of it: nothing, a place, a body."""
        if self.owner not in tried.parts or not self.lives_at(tried.time):
            return NEITHER
        return BODY if self.body else PLACE


@dataclass(frozen=True)
class Worlds:
    """The sets of faults, alike ones in groups: members (−1: no second), probability, what each group touches now."""

    first: NDArray[np.intp]
    second: NDArray[np.intp]
    probability: Floats
    touched: Mapping[str, NDArray[np.intp]]
    stages: Mapping[tuple[str, PartRef], NDArray[np.intp]]
    bodies: Mapping[PartRef, Floats]
    places: Mapping[PartRef, Floats]

    def bits_of_function(self, function: str) -> float:
        """Bits that trying a function now is expected to tell about the faults."""
        classes = _worse(self.touched[function], self.first, self.second)
        return _expected_bits(self.probability, _said(_SEEN)[classes])

    def bits_of_signal(self, function: str, part: PartRef) -> float:
        """Bits that looking at the signal of a function after a part is expected to tell; 0 where nobody can ask."""
        column = self.stages.get((function, part))
        if column is None:
            return 0.0
        return _expected_bits(self.probability, _said(_SIGNAL)[_worse(column, self.first, self.second)])

    def bits_of_exchange(self, part: PartRef) -> float:
        """Bits that exchanging the body of a part is expected to tell."""
        share = self.bodies[part]
        one = share[self.first]
        other = np.where(self.second >= 0, share[self.second], 0.0)
        alone = np.where(self.second < 0, one, 0.0)
        beside = np.where(self.second >= 0, 1 - (1 - one) * (1 - other), 0.0)
        mixed = np.stack([1 - alone - beside, beside, alone], axis=1) @ _EXCHANGED
        return _expected_bits(self.probability, mixed)

    def bits_of_trial(self, part: PartRef, sort: str) -> float:
        """Bits that touching a part, cooling it, or holding a chip on top is expected to tell."""
        shares = np.stack([self.places[part], self.bodies[part]])
        changes = np.zeros(len(self.first))
        # Each of the two faults is at a place or in a body of the part, or elsewhere, with its share.
        pair = self.second >= 0
        for cause, share in ((PLACE, shares[0]), (BODY, shares[1])):
            one, other = share[self.first], np.where(pair, share[self.second], 0.0)
            hit = np.full(len(self.first), cause, dtype=np.intp)
            changes += np.maximum(one, other) * chance(sort, hit, pair)
        within = np.maximum(shares.sum(axis=0)[self.first], np.where(pair, shares.sum(axis=0)[self.second], 0.0))
        changes += (1 - within) * chance(sort, np.full(len(self.first), NEITHER, dtype=np.intp), pair)
        changes = np.clip(changes, 0.0, 1.0)
        return _expected_bits(self.probability, np.stack([1 - changes, changes], axis=1))


def path_odds(case: Case) -> PathOdds | None:
    """The odds of every part on a told path; None when nothing fails, or nothing was told of the way it takes."""
    statements = _once_each(case)
    if not any(s.state != "works" for s in statements):
        return None
    atoms = _atoms(case)
    return _weighed(case, atoms, statements)


def _once_each(case: Case) -> tuple[Statement, ...]:
    """The statements about functions with a path; one said again with nothing changed between tells nothing new."""
    changes = sorted(time for times in case.replaced.values() for time in times)
    kept: list[Statement] = []
    last: dict[tuple[str, PartRef | None], Statement] = {}
    for statement in sorted(case.statements, key=lambda s: s.time):
        asked = (statement.function, statement.upto)
        path = case.paths.get(statement.function, ())
        if not path or (statement.upto is not None and statement.upto not in path):
            continue
        before = last.get(asked)
        changed = before is not None and any(before.time < time <= statement.time for time in changes)
        if before is None or changed or before.state != statement.state:
            if before is not None and not changed:
                kept.remove(before)  # said otherwise without a change: the later word counts
            kept.append(statement)
            last[asked] = statement
    return tuple(kept)


def _atoms(case: Case) -> list[_Atom]:
    users: dict[PartRef, list[str]] = {}
    for function, path in case.paths.items():
        for part in dict.fromkeys(path):
            users.setdefault(part, []).append(function)
    found = [atom for part, functions in users.items() for atom in _of_part(case, part, functions)]
    return found + _gaps(case, sum(atom.weight for atom in found))


def _of_part(case: Case, part: PartRef, functions: Sequence[str]) -> list[_Atom]:
    prior = case.priors[part] / (1 - case.priors[part])  # odds: what is nearly certain outweighs the rest
    times = sorted(case.replaced.get(part, ()))
    lives = list(zip([None, *times], [*times, None], strict=True))
    found = _scopes(part, functions, prior * _PLACE_SHARE)
    for number, (since, until) in enumerate(lives):
        first = max(prior, _CHOSEN) * case.old.get(part, 1.0) if times else prior
        weight = first * (1 - _PLACE_SHARE) if number == 0 else _NEW_BAD * prior
        found += _scopes(part, functions, weight, True, since, until)
    return found


def _scopes(
    part: PartRef,
    functions: Sequence[str],
    weight: float,
    body: bool = False,
    since: datetime | None = None,
    until: datetime | None = None,
) -> list[_Atom]:
    """The whole of it, or the section that one of its functions uses; dead or partial."""
    scopes = [(frozenset(functions), _WHOLE_SHARE)]
    scopes += [(frozenset({one}), (1 - _WHOLE_SHARE) / len(functions)) for one in functions]
    degrees = ((_DEAD, _DEAD_SHARE), (_PARTIAL, 1 - _DEAD_SHARE))
    return [
        _Atom(part, touches, degree, weight * scope * share, body, since, until)
        for touches, scope in scopes
        for degree, share in degrees
    ]


def _gaps(case: Case, told: float) -> list[_Atom]:
    """Something untold between two stages, shared by the functions that pass both one after the other."""
    links: dict[tuple[PartRef, PartRef], list[str]] = {}
    for function, path in case.paths.items():
        for first, second in pairwise(path):
            links.setdefault((first, second), []).append(function)
    weight = told * _GAP_SHARE / max(1, len(links))
    return [
        _Atom(Gap(functions[0], first, second, 0.0), frozenset(functions), _DEAD, weight)
        for (first, second), functions in links.items()
    ]


Stretches = Mapping[tuple[str, PartRef], frozenset[PartRef]]


def _stretches(case: Case) -> Stretches:
    """(function, part of its path) → the parts up to and with it."""
    return {
        (function, part): frozenset(path[: number + 1])
        for function, path in case.paths.items()
        for number, part in enumerate(path)
    }


def _signals(case: Case, statements: Iterable[Statement]) -> list[tuple[str, PartRef]]:
    """The places where looking at a signal can tell something: between the parts of functions that fail now."""
    states = {s.function: s.state for s in statements if s.upto is None}
    failing = sorted(name for name, state in states.items() if state != "works")[:_MOST_SIGNALS]
    return [(name, part) for name in failing for part in case.paths[name][:-1]]


def _said(truth: Floats) -> Floats:
    """What is said when some statements are false, whichever way."""
    mixed: Floats = (1 - _FALSE) * truth + _FALSE / truth.shape[1]
    return mixed


def _weighed(case: Case, atoms: list[_Atom], statements: tuple[Statement, ...]) -> PathOdds:
    exchanges = tuple(e for e in case.exchanges if e.part in case.priors)
    trials = tuple(t for t in case.trials if set(t.parts) & set(case.priors))
    before = _stretches(case)
    asked = _signals(case, statements)
    by_function: dict[str, list[int]] = {}
    for number, statement in enumerate(statements):
        by_function.setdefault(statement.function, []).append(number)
    columns = [
        _shown_in(atom, statements, by_function, before)
        + [int(atom.in_exchange(e)) for e in exchanges]
        + [atom.in_trial(tried) for tried in trials]
        + [atom.degree if function in atom.touches and atom.until is None else 0 for function in case.paths]
        + [
            atom.degree if name in atom.touches and atom.until is None and atom.within(before[name, part]) else 0
            for name, part in asked
        ]
        for atom in atoms
    ]
    groups, member = np.unique(np.array(columns, dtype=np.intp), axis=0, return_inverse=True)
    member = member.reshape(-1)
    weight = np.bincount(member, np.array([atom.weight for atom in atoms]), len(groups)).astype(np.float64)
    first, second = _sets(len(groups))
    log = np.log(_priors(weight, first, second, _two_faults(case.priors.values())))
    count = len(statements)
    for n, statement in enumerate(statements):
        classes = _worse(groups[:, n], first, second)
        table = _SEEN if statement.upto is None else _SIGNAL
        log += np.log(_said(table)[classes, STATES.index(statement.state)])
    for n, exchange in enumerate(exchanges, start=count):
        hit = _worse(groups[:, n], first, second)
        kind = np.where(hit == 0, 0, np.where(second < 0, 2, 1))
        log += np.log(_EXCHANGED[kind, OUTCOMES.index(exchange.outcome)])
    for n, tried in enumerate(trials, start=count + len(exchanges)):
        log += _of_trial(tried, groups[:, n], first, second)
    elsewhere = math.log(_ELSEWHERE) - count * math.log(3) + _with_good_parts(exchanges, trials)
    top = max(float(log.max()), elsewhere)
    weights = np.exp(log - top)
    weights /= weights.sum() + math.exp(elsewhere - top)
    at_functions = count + len(exchanges) + len(trials)
    touched = {f: groups[:, at_functions + n] for n, f in enumerate(case.paths)}
    at_signals = at_functions + len(case.paths)
    signals = {one: groups[:, at_signals + n] for n, one in enumerate(asked)}
    bodies, whole = (_shares(case.priors, atoms, member, weight, bodies_only) for bodies_only in (True, False))
    places = {part: whole[part] - bodies[part] for part in whole}
    worlds = Worlds(first, second, weights / weights.sum(), touched, signals, bodies, places)
    group_chance: Floats = np.bincount(first, weights, len(groups)).astype(np.float64)
    group_chance += np.bincount(second[second >= 0], weights[second >= 0], len(groups))
    probability = {part: min(1.0, float(group_chance @ share)) for part, share in whole.items()}
    return PathOdds(case.priors, probability, _likeliest_gap(atoms, member, weight, group_chance), worlds)


def _shown_in(
    atom: _Atom, statements: Sequence[Statement], by_function: Mapping[str, Sequence[int]], before: Stretches
) -> list[int]:
    """How badly a fault shows in each statement; only those on functions that it touches are looked at."""
    found = [0] * len(statements)
    for function in atom.touches:
        for number in by_function.get(function, ()):
            found[number] = atom.at(statements[number], before)
    return found


def _with_good_parts(exchanges: Iterable[Exchange], trials: Iterable[Tried]) -> float:
    """The log-likelihood of what exchanges and trials did, when no part that was exchanged or tried is at fault."""
    found = sum(math.log(_EXCHANGED[0, OUTCOMES.index(exchange.outcome)]) for exchange in exchanges)
    for tried in trials:
        changes = float(CHANGES[tried.sort][NEITHER])
        found += math.log(changes if tried.changed else 1 - changes)
    return found


def _of_trial(tried: Tried, column: NDArray[np.intp], first: NDArray[np.intp], second: NDArray[np.intp]) -> Floats:
    """The log-likelihood of how a trial ended, for each set of faults."""
    cause = _worse(column, first, second)
    both = (second >= 0) & ((column[first] == NEITHER) | (column[second] == NEITHER))
    changes = chance(tried.sort, cause, both)
    return np.asarray(np.log(changes if tried.changed else 1 - changes), dtype=np.float64)


def _sets(groups: int) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Every group alone, then every two (also two alike: different parts can look the same)."""
    alone = np.arange(groups)
    one, other = np.triu_indices(groups)
    return np.concatenate([alone, one]), np.concatenate([np.full(groups, -1), other])


def _two_faults(priors: Iterable[float]) -> float:
    """The probability of a second fault: as of independent parts, within what boards of this age show."""
    odds = sum(prior / (1 - prior) for prior in priors)
    return min(_MOST_TWO, max(_TWO_FAULTS, odds / (2 + odds)))


def _priors(weight: Floats, first: NDArray[np.intp], second: NDArray[np.intp], two: float) -> Floats:
    pair = second >= 0
    value = np.where(pair, weight[first] * weight[second] * np.where(first == second, 0.5, 1.0), weight[first])
    single = value[~pair].sum()
    both = value[pair].sum()
    share: Floats = np.where(pair, two * value / both, (1 - two) * value / single)
    return share * (1 - _ELSEWHERE)


def _worse(column: NDArray[np.intp], first: NDArray[np.intp], second: NDArray[np.intp]) -> NDArray[np.intp]:
    """Of two faults, the worse shows."""
    return np.maximum(column[first], np.where(second >= 0, column[second], 0))


def _shares(
    parts: Iterable[PartRef], atoms: list[_Atom], member: NDArray[np.intp], weight: Floats, bodies_only: bool
) -> dict[PartRef, Floats]:
    """How much of each group are faults of each part, or of its body alone, that can still be there."""
    found = {part: np.zeros(len(weight)) for part in parts}
    for group, atom in zip(member, atoms, strict=True):
        if isinstance(atom.owner, PartRef) and atom.until is None and (atom.body or not bodies_only):
            found[atom.owner][group] += atom.weight
    return {part: own / weight for part, own in found.items()}


def _likeliest_gap(atoms: list[_Atom], member: NDArray[np.intp], weight: Floats, group_chance: Floats) -> Gap | None:
    found: Gap | None = None
    for number, atom in enumerate(atoms):
        if isinstance(atom.owner, Gap):
            chance = float(group_chance[member[number]] * atom.weight / weight[member[number]])
            if found is None or chance > found.probability:
                found = Gap(atom.owner.function, atom.owner.first, atom.owner.second, chance)
    return found


def _expected_bits(probability: Floats, outcome: Floats) -> float:
    """Mutual information (bit) between the sets of faults and an outcome whose probabilities are given for each set."""
    total = probability @ outcome
    with np.errstate(divide="ignore", invalid="ignore"):
        each = np.where(outcome > 0, outcome * np.log2(outcome / total), 0.0)
    return float(probability @ each.sum(axis=1))
