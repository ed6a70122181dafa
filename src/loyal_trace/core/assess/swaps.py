"""Exchanges and trials made in the job, as one puzzle over parts, places and spares."""

import math
from collections.abc import Iterator, Mapping
from datetime import datetime
from functools import partial

from loyal_trace.core.assess.moment import Moment, once, tables_of
from loyal_trace.core.assess.parts import outdated
from loyal_trace.core.assess.trials import evidence_of_many, trials_that_count, words_of
from loyal_trace.core.diagnosis.evidence import Evidence, logit
from loyal_trace.core.diagnosis.swaps import Exchange, Move, Puzzle, Solved, solve
from loyal_trace.core.job.entries import Swapped
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import format_percent

# A part is exchanged because something is already held against it.
_LEAST_PRIOR, _LEAST, _MOST = 0.1, 0.002, 0.99
BAD_SPARE = 0.5
_OUTCOMES = {"stays": "stays", "gone": "gone", "moves": "moves", "partly": "partly", "better": "partly"}


def swaps_that_count(moment: Moment) -> list[Swapped]:
    """Exchanges with an outcome, of parts that were not replaced since."""
    return [
        swap
        for swap in moment.snapshot.parts.swaps
        if moment.has(swap.part)
        and swap.result in _OUTCOMES
        and not swap.back
        and not outdated(moment, swap.part, swap.time)
    ]


def spare_of(swap: Swapped) -> str:
    """The words by which a spare is known, however they were typed."""
    return " ".join(swap.spare.lower().split())


@once
def solved_swaps(moment: Moment) -> Mapping[str, tuple[Solved, ...]]:
    """The puzzle of each board on which something was exchanged or tried."""
    puzzles = {board: puzzle_of(moment, board) for board in moment.boards}
    return {b: moment.memo.of(puzzle.key, partial(solve, puzzle)) for b, puzzle in puzzles.items() if puzzle.moves}


def puzzle_of(moment: Moment, board: str) -> Puzzle:
    """The exchanges and trials of one board in order, with the priors of the parts in them.

    Spares are known by the words used for them.
    """
    timed: list[tuple[datetime, Move]] = []
    spares: set[str] = set()
    names: dict[str, None] = {}
    for swap in swaps_that_count(moment):
        if swap.board != board:
            continue
        spare = spare_of(swap) if swap.other is None else ""
        other = swap.other.refdes if swap.other is not None else ""
        body = spare or other or _unnamed(swap)
        outcome = _OUTCOMES[swap.result]
        # With a spare in its place, a fault that goes along with the part is a fault that is gone here.
        outcome = "gone" if spare and outcome == "moves" else outcome
        timed.append((swap.time, Exchange(swap.place, body, other, outcome, swap.place)))
        names |= dict.fromkeys((swap.place, *((other,) if other else ())))
        spares |= set() if other else {body}
    for _, tried in trials_that_count(moment, board):
        timed.append((tried.time, tried))
        names |= dict.fromkeys(part.refdes for part in tried.parts)
    moves = tuple(move for _, move in sorted(timed, key=lambda one: one[0]))
    return Puzzle(moves, {name: prior_of(moment, PartRef(board, name)) for name in names}, frozenset(spares))


def _unnamed(swap: Swapped) -> str:
    return " ".join(("spare of", swap.place))


def prior_of(moment: Moment, place: PartRef) -> float:
    """The prior probability of a part that is worth an exchange."""
    if not moment.has(place):
        return _LEAST_PRIOR
    return max(_LEAST_PRIOR, tables_of(moment).priors.of(moment.part(place), moment.boards[place.board]))


def swap_evidence(moment: Moment) -> Iterator[Evidence]:
    """One line for each part exchanged or tried: what all moves together say of it or its place."""
    for board, groups in solved_swaps(moment).items():
        told = _told(moment, board)
        swapped = _swapped(moment, board)
        for solved, name in ((one, name) for one in groups for name in one.places):
            place = PartRef(board, name)
            if not moment.has(place):
                continue
            after = min(_MOST, max(_LEAST, solved.of_part(name)))
            weight = _weight(moment, place, solved.before(name), after)
            words = say("tried: {told}{which}", told=told.get(name, ""), which=_which(solved, name, after))
            yield Evidence(place, _kind(weight, name in swapped), words, weight)
    yield from evidence_of_many(moment)


def _swapped(moment: Moment, board: str) -> set[str]:
    here = [swap for swap in swaps_that_count(moment) if swap.board == board]
    return {swap.place for swap in here} | {swap.other.refdes for swap in here if swap.other is not None}


def _kind(weight: float, swapped: bool) -> str:
    if swapped:
        return "swap-cured" if weight > 0 else "swap-no-change"
    return "trial-changed" if weight > 0 else "trial-no-change"


def _weight(moment: Moment, place: PartRef, before: float, after: float) -> float:
    """The log-odds of what the exchanges changed.

    What was seen before them, a fault at this place, counts as far as they confirm it: someone chose the part for a
    reason, but an exchange that changes nothing must not accuse it.
    """
    prior = tables_of(moment).priors.of(moment.part(place), moment.boards[place.board])
    confirmed = math.sqrt(min(1.0, max(0.0, (after - before) / (1 - before))))
    return logit(after) - logit(before) + confirmed * (logit(before) - logit(prior))


def _which(solved: Solved, name: str, after: float) -> str:
    """Whether the part or its place is at fault, as far as the exchanges tell them apart."""
    body, place = solved.bodies.get(name, 0.0), solved.places.get(name, 0.0)
    if after < 0.3:
        return ""
    if body > 3 * place:
        return say("; the part, not its place ({probability})", probability=format_percent(body))
    if place > 3 * body:
        return say("; its socket, pins or track, not the part ({probability})", probability=format_percent(place))
    return say("; the part or its place")


def _told(moment: Moment, board: str) -> dict[str, str]:
    """What was done with each part, in words."""
    found: dict[str, list[str]] = {}
    for swap in swaps_that_count(moment):
        if swap.board != board:
            continue
        other = swap.other.refdes if swap.other is not None else swap.spare or say("a spare")
        for name, beside in ((swap.place, other), *(((other, swap.place),) if swap.other is not None else ())):
            words = {
                "stays": say("with {other} the fault stayed", other=beside),
                "gone": say("with {other} the fault went", other=beside),
                "moves": say("with {other} the fault moved along", other=beside),
            }.get(swap.result, say("with {other} the fault partly went", other=beside))
            found.setdefault(name, []).append(words)
    for trial, tried in trials_that_count(moment, board):
        for part in tried.parts:
            found.setdefault(part.refdes, []).append(words_of(trial))
    return {name: joined("; ", words) for name, words in found.items()}


def bad_spares(moment: Moment) -> dict[str, float]:
    """Spares that the exchanges show to be bad, by the words used for them, with their probability."""
    found: dict[str, float] = {}
    for board, groups in solved_swaps(moment).items():
        own = {part.refdes for part in moment.boards[board].parts}
        for solved in groups:
            found |= {name: p for name, p in solved.bodies.items() if name not in own and p >= BAD_SPARE}
    return found
