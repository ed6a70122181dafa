"""What parts did to the fault: taken out, lifted, pressed, cooled, a good chip held on top."""

import math
from collections.abc import Iterator

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.parts import outdated
from loyal_trace.core.diagnosis.evidence import Evidence
from loyal_trace.core.diagnosis.tried import BODY, CHANGES, NEITHER, SORT_OF, Tried
from loyal_trace.core.job.entries import Trial
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say, term

# A part that is missing or lifted may make matters worse without being at fault; one that is touched may not.
_CURED = ("gone", "partly", "better")
_CHANGED = (*_CURED, "comes back", "worse", "moves")
_MOST_AT_ONCE = 7


def trials_that_count(moment: Moment, board: str) -> list[tuple[Trial, Tried]]:
    """Trials on a board with an outcome that tells something, of parts that were not replaced since."""
    found = []
    for trial in moment.snapshot.parts.trials:
        sort = SORT_OF.get(trial.action)
        parts = tuple(dict.fromkeys(named.part for named in trial.parts if named.board == board))
        parts = tuple(p for p in parts if moment.has(p) and not outdated(moment, p, trial.time))
        changed = trial.result in (_CHANGED if sort in ("touched", "heat") else _CURED)
        if sort is not None and parts and (changed or trial.result == "stays"):
            found.append((trial, Tried(parts, sort, changed, trial.time)))
    return found


def evidence_of_many(moment: Moment) -> Iterator[Evidence]:
    """A line for each part of a trial of so many at once that no puzzle holds them: each gets its share."""
    for board in moment.boards:
        for trial, tried in trials_that_count(moment, board):
            count = len(tried.parts)
            if count > _MOST_AT_ONCE and tried.changed:
                table = CHANGES[tried.sort]
                weight = max(0.0, math.log(table[BODY] / table[NEITHER]) - math.log(count))
                for place in tried.parts:
                    yield Evidence(place, "trial-of-many", words_of(trial), weight)


def words_of(trial: Trial) -> str:
    """What was tried and what it did."""
    names = joined(", ", (named.name for named in trial.parts))
    return say("{names} {action}: the fault {result}", names=names, action=term(trial.action), result=_ended(trial))


def _ended(trial: Trial) -> str:
    return {
        "gone": say("went"),
        "stays": say("stayed"),
        "comes back": say("came back"),
        "partly": say("partly went"),
        "better": say("got better"),
        "worse": say("got worse"),
    }.get(trial.result, say("moved"))


def parts_tried(moment: Moment) -> frozenset[PartRef]:
    """Parts with which something was tried."""
    return frozenset(named.part for trial in moment.snapshot.parts.trials for named in trial.parts)
