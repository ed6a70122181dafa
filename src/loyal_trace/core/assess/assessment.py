"""Everything that screens and report show of one moment, each question answered when it is first asked."""

from collections.abc import Mapping
from dataclasses import dataclass

from loyal_trace.core.assess.capacitors import judged_capacitors
from loyal_trace.core.assess.chips import judged_chips
from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.next_thing import NextThing
from loyal_trace.core.assess.next_things import next_things
from loyal_trace.core.assess.plan import plan_of
from loyal_trace.core.assess.proof import Proof, proof_of
from loyal_trace.core.assess.rails import judged_rails
from loyal_trace.core.assess.roms import SlotAssessment, firmware, judged_slots
from loyal_trace.core.assess.suspects import Suspect, suspect_at, suspects_of
from loyal_trace.core.planning.steps import Plan
from loyal_trace.core.power.rails import RailReport
from loyal_trace.core.probing.verdicts import ChipVerdict
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.verdicts import PartVerdict

_PROBING = (Stage.RAILS, Stage.PROBE)


@dataclass(frozen=True)
class Assessment:
    """The answers for one moment. Nothing is computed before it is asked for, and nothing twice."""

    moment: Moment

    @property
    def firmware(self) -> str:
        return firmware(self.moment)

    @property
    def roms(self) -> Mapping[PartRef, SlotAssessment]:
        return judged_slots(self.moment)

    @property
    def chips(self) -> Mapping[PartRef, ChipVerdict]:
        return judged_chips(self.moment)

    @property
    def rails(self) -> Mapping[str, RailReport]:
        return judged_rails(self.moment)

    @property
    def capacitors(self) -> Mapping[PartRef, PartVerdict]:
        return judged_capacitors(self.moment)

    @property
    def suspects(self) -> tuple[Suspect, ...]:
        return suspects_of(self.moment)

    @property
    def next(self) -> tuple[NextThing, ...]:
        return next_things(self.moment)

    @property
    def probing(self) -> tuple[NextThing, ...]:
        return next_things(self.moment, 3, _PROBING)

    @property
    def plan(self) -> Plan:
        return plan_of(self.moment)

    @property
    def proof(self) -> Proof:
        return proof_of(self.moment)

    def suspect_at(self, place: PartRef) -> Suspect | None:
        """The suspect in a place, if there is any evidence about it."""
        return suspect_at(self.moment, place)


def assess(moment: Moment) -> Assessment:
    """The answers for a moment."""
    return Assessment(moment)
