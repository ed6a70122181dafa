"""Suspects: belief in each part being bad, with every line for and against, and the next things worth doing.

Belief is a posterior by log-odds: the prior's log-odds plus the log likelihood ratio of each line of evidence. Parts
are taken one by one, because on boards of this age several faults at once are normal. docs/method.md has the details.
"""

from dataclasses import dataclass

from loyal_trace.core.assess.gather import gather
from loyal_trace.core.assess.moment import Moment, once, tables_of
from loyal_trace.core.diagnosis.evidence import (
    Evidence,
    logit,
    sigmoid,
)
from loyal_trace.core.vocabulary.identity import PartRef, in_order

# Below two in a hundred nothing is worth a minute of measuring.
SHOWN_FROM = 0.02


@dataclass(frozen=True)
class Suspect:
    """A part under suspicion: prior and posterior probability of being bad, and the evidence."""

    place: PartRef
    what: str
    prior: float
    probability: float
    evidence: tuple[Evidence, ...]

    @property
    def against(self) -> tuple[Evidence, ...]:
        """Lines that speak against the part, strongest first."""
        return tuple(sorted((e for e in self.evidence if e.weight > 0), key=lambda e: -e.weight))

    @property
    def in_favour(self) -> tuple[Evidence, ...]:
        """Lines that speak for the part being good, strongest first."""
        return tuple(sorted((e for e in self.evidence if e.weight < 0), key=lambda e: e.weight))


@once
def suspects_of(moment: Moment) -> tuple[Suspect, ...]:
    """Every part with any evidence, most suspect first. Priors are passed in and shown with each suspect."""
    tables = tables_of(moment)
    suspects = []
    for place, lines in gather(moment).items():
        part = moment.part(place)
        prior = tables.priors.of(part, moment.boards[place.board])
        probability = sigmoid(logit(prior) + sum(line.weight for line in lines))
        suspects.append(Suspect(place, part.role or part.number, prior, probability, tuple(lines)))
    return tuple(sorted(suspects, key=lambda s: (-s.probability, s.place)))


def suspect_at(moment: Moment, place: PartRef) -> Suspect | None:
    """The suspect in a place, if there is any evidence about it."""
    return next((s for s in suspects_of(moment) if s.place == place), None)


def cleared(suspects: tuple[Suspect, ...]) -> list[str]:
    """Parts whose evidence speaks for them so far."""
    return in_order(s.place[1] for s in suspects if s.probability < s.prior)
