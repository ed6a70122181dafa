"""Works and fails: what the functions of a board and their paths say about the parts on them, and what to try next."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import datetime
from functools import partial

from loyal_trace.core.assess.moment import Moment, tables_of
from loyal_trace.core.assess.parts import last_change, old_parts
from loyal_trace.core.assess.trials import trials_that_count
from loyal_trace.core.diagnosis.evidence import Evidence, logit, sigmoid
from loyal_trace.core.diagnosis.paths import Case, Exchange, PathOdds, Statement, path_odds
from loyal_trace.core.job.entries import KEEPS_PART, Entry, Fitted
from loyal_trace.core.job.snapshot import CheckKey
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.verdicts import Verdict

KIND = "paths"
# Evidence about each part by itself.
Alone = Mapping[PartRef, Sequence[Evidence]]
# No number of statements proves a part: 99 in 100 leaves room for what was told wrongly.
_LEAST, _MOST = 0.001, 0.99
# On made-up boards of one and two faults (docs/method.md), this share of the parts that seemed cleared was faulty.
_HIDDEN = 0.018
_OUTCOME = {"gone": "gone", "moves": "gone", "partly": "partly", "better": "partly", "stays": "stays"}


def weighed_paths(moment: Moment, found: Alone) -> Mapping[str, PathOdds]:
    """The odds of each board on which something fails that has a path, given what else was found about each part."""
    cases = {board: case_of(moment, board, found) for board in moment.boards}
    # Most entries change nothing of a case: the odds are then those of the moment before.
    odds = {b: moment.memo.of(case.key, partial(path_odds, case)) for b, case in cases.items() if case is not None}
    return {board: one for board, one in odds.items() if one is not None}


def case_of(moment: Moment, board: str, found: Alone) -> Case | None:
    """What was told of the functions of a board; None without a path."""
    snapshot = moment.snapshot
    paths = paths_of(moment, board)
    parts = {part for path in paths.values() for part in path}
    if not parts:
        return None
    statements = tuple(
        Statement(seen.name, seen.state, seen.time)
        for key, series in snapshot.proving.functions.items()
        if key.board == board
        for seen in series
    )
    statements += tuple(
        Statement(seen.name, seen.state, seen.time, seen.member.part)
        for key, series in snapshot.proving.stages.items()
        if key.board == board
        for seen in series
    )
    exchanges = tuple(
        Exchange(swap.part, _OUTCOME[swap.result], swap.time)
        for swap in snapshot.parts.swaps
        if swap.part in parts and swap.result in _OUTCOME and not swap.back
    )
    priors = {part: informed(moment, part, found) for part in parts}
    trials = tuple(tried for _, tried in trials_that_count(moment, board) if parts & set(tried.parts))
    return Case(paths, statements, priors, exchanges, _replaced(moment, parts), trials, _measured_old(moment, parts))


def informed(moment: Moment, part: PartRef, found: Alone) -> float:
    """The probability of a part before its paths are weighed: what already explains a failure spares the others.

    At most one half, so that no number of readings of one part forbids a second fault.
    """
    prior = tables_of(moment).priors.of(moment.part(part), moment.boards[part.board])
    weight = sum(line.weight for line in found.get(part, ()) if not _is_swap(line))
    return min(0.5, sigmoid(logit(prior) + weight))


def _is_swap(line: Evidence) -> bool:
    """Exchanges and trials: the paths weigh them again with all that fails and works."""
    return line.kind.startswith(("swap", "trial"))


def paths_of(moment: Moment, board: str) -> dict[str, tuple[PartRef, ...]]:
    """The parts of each function whose path was told, in order; those that the board does not have are left out."""
    found = {
        key.item: tuple(named.part for named in told.members if moment.has(named.part))
        for key, told in moment.snapshot.facts.paths.items()
        if key.board == board
    }
    definition = moment.boards.get(board)
    filed: dict[str, tuple[PartRef, ...]] = {}
    for function in definition.functions if definition is not None else ():
        filed[function.name] = tuple(PartRef(board, refdes) for refdes in function.parts)
    return {name: path for name, path in (filed | found).items() if path}


def tried_since_change(moment: Moment, board: str, function: str, path: Iterable[PartRef]) -> bool:
    """Was the function tried after the last replacement on its path?"""
    return _after_changes(moment, moment.snapshot.proving.functions.get(CheckKey(board, function), ()), path)


def looked_since_change(moment: Moment, board: str, function: str, part: PartRef, path: Iterable[PartRef]) -> bool:
    """Was the signal of a function looked at after this part, after the last replacement on its path?"""
    series = moment.snapshot.proving.stages.get(CheckKey(board, function), ())
    return _after_changes(moment, [entry for entry in series if entry.member.part == part], path)


def _after_changes(moment: Moment, series: Sequence[Entry], path: Iterable[PartRef]) -> bool:
    changes = [since for place in path if (since := last_change(moment, place)) is not None]
    return bool(series) and all(series[-1].time > change for change in changes)


def _replaced(moment: Moment, parts: set[PartRef]) -> dict[PartRef, tuple[datetime, ...]]:
    times: dict[PartRef, tuple[datetime, ...]] = {}
    for entry in moment.snapshot.parts.changes:
        if isinstance(entry, Fitted) and entry.part in parts and entry.origin not in KEEPS_PART:
            times[entry.part] = (*times.get(entry.part, ()), entry.time)
    return times


# The part that was taken out measured bad, or good.
_OLD_ODDS: Mapping[str, float] = {Verdict.BAD: 20.0, Verdict.DOUBTFUL: 2.0, Verdict.GOOD: 0.1}


def _measured_old(moment: Moment, parts: set[PartRef]) -> dict[PartRef, float]:
    found = old_parts(moment)
    return {part: _OLD_ODDS.get(found[part].verdict, 1.0) for part in sorted(parts & set(found))}


def states_now(moment: Moment, board: str) -> dict[str, str]:
    """How each function of a board did when it was last tried."""
    functions = moment.snapshot.proving.functions.items()
    return {key.item: series[-1].state for key, series in functions if key.board == board}


def without_path(moment: Moment, board: str) -> tuple[str, ...]:
    """Functions that were tried, but whose path nobody has told."""
    told = {key.item for key in moment.snapshot.facts.paths if key.board == board} | set(paths_of(moment, board))
    return tuple(name for name in states_now(moment, board) if name not in told)


def path_evidence(moment: Moment, found: Alone, weighed: Mapping[str, PathOdds]) -> Iterator[Evidence]:
    """One line a part on a path: by how much its functions change what else was found about it.

    Swaps are weighed there too, so what they added alone is taken off its weight.
    """
    for board, odds in weighed.items():
        states, paths = states_now(moment, board), paths_of(moment, board)
        for place, probability in odds.probability.items():
            alone = sum(line.weight for line in found.get(place, ()) if _is_swap(line))
            needed = [name for name, path in paths.items() if place in path]
            # Beside the fault that explains most, another may hide on the same way: one part in so many had it.
            hidden = _HIDDEN if any(states.get(name) == "fails" for name in needed) else 0.0
            target = logit(min(_MOST, max(_LEAST, probability + (1 - probability) * hidden)))
            weight = target - logit(odds.prior[place]) - alone
            yield Evidence(place, KIND, _words(moment, place, {name: states.get(name, "") for name in needed}), weight)


def _words(moment: Moment, place: PartRef, states: Mapping[str, str]) -> str:
    """What the part has to do with what fails and what works, by the states of the functions that need it."""
    fails = joined(", ", sorted(name for name, state in states.items() if state in ("fails", "partly")))
    works = joined(", ", sorted(name for name, state in states.items() if state == "works"))
    if any(isinstance(entry, Fitted) and entry.part == place for entry in moment.snapshot.parts.changes):
        if fails:
            return say("it was replaced, and what needs it still fails: {fails}", fails=fails)
        return say("it was replaced, and what needs it works: {works}", works=works or say("nothing tried since"))
    if fails and works:
        return say("needed by what fails ({fails}) and also by what works ({works})", fails=fails, works=works)
    if fails:
        return say("needed by what fails ({fails}), and by nothing that works", fails=fails)
    return say("needed by what works ({works})", works=works) if works else say("on a path of which nothing was tried")
