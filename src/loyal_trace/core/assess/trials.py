"""What parts did to the fault: taken out, lifted, pressed, cooled, a good chip held on top."""

import math
from collections.abc import Iterator

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.parts import outdated
from loyal_trace.core.diagnosis.evidence import Evidence, EvidenceTable
from loyal_trace.core.job.entries import Trial
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say, term

_CHANGED = ("gone", "partly", "comes back", "better", "worse", "moves")
# Action → kinds of evidence when the fault changed, and when it stayed.
_KINDS = {
    "out": ("trial-out-gone", "trial-out-stays"),
    "lifted": ("trial-lifted-gone", "trial-out-stays"),
    **dict.fromkeys(("pressed", "wobbled", "tapped", "flexed"), ("trial-touched", "trial-untouched")),
    **dict.fromkeys(("cooled", "warmed", "heated"), ("trial-heat", "trial-no-heat")),
    "piggyback": ("piggyback-better", "piggyback-stays"),
}


def trial_evidence(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """A line for each part of each trial that had an outcome; of several parts at once each gets its share."""
    for trial in moment.snapshot.parts.trials:
        if trial.action not in _KINDS or not trial.result:
            continue
        changed = trial.result in _CHANGED
        kind = _KINDS[trial.action][0 if changed else 1]
        places = dict.fromkeys(named.part for named in trial.parts)
        for place in places:
            if moment.has(place) and not outdated(moment, place, trial.time):
                line = table.line(place, kind, _words(trial))
                # One of several parts: the odds of each are those of the group, divided by their number.
                weight = max(0.0, line.weight - math.log(len(places))) if changed else line.weight
                yield Evidence(place, kind, line.text, weight)


def _words(trial: Trial) -> str:
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
