"""One assessment of a whole case: every verdict, the suspects, the plan and the proof, for one state of the logbook."""

from collections.abc import Mapping
from dataclasses import dataclass

from loyal_trace.core.case import Case, SlotAssessment
from loyal_trace.core.diagnosis.evidence import EvidenceTable, Priors
from loyal_trace.core.diagnosis.suspects import NextThing, Suspect, next_things, rank_suspects
from loyal_trace.core.logbook.state import Place
from loyal_trace.core.parts.capacitors import PartVerdict
from loyal_trace.core.planning.first_power import order_school
from loyal_trace.core.planning.steps import Plan, build_plan
from loyal_trace.core.power.rails import RailReport
from loyal_trace.core.probing.check import ChipVerdict
from loyal_trace.core.proving.checklist import Proof, build_proof

_PROBING = (2, 4)


@dataclass(frozen=True)
class Beliefs:
    """The passed-in tables of the diagnosis."""

    evidence: EvidenceTable
    priors: Priors


@dataclass(frozen=True)
class Assessment:
    """Everything the screens and the report show, computed from one case."""

    case: Case
    firmware: str
    roms: Mapping[Place, SlotAssessment]
    chips: Mapping[Place, ChipVerdict]
    rails: Mapping[str, RailReport]
    capacitors: Mapping[Place, PartVerdict]
    suspects: tuple[Suspect, ...]
    next: tuple[NextThing, ...]
    probing: tuple[NextThing, ...]
    plan: Plan
    proof: Proof

    def suspect_at(self, place: Place) -> Suspect | None:
        """The suspect in a place, if anything speaks about it."""
        return next((s for s in self.suspects if s.place == place), None)


def assess(case: Case, beliefs: Beliefs) -> Assessment:
    """Computes everything from a case."""
    suspects = rank_suspects(case, beliefs.evidence, beliefs.priors)
    return Assessment(
        case,
        case.firmware(),
        case.roms(),
        case.chips(),
        case.rails(),
        case.capacitors(),
        suspects,
        next_things(case, suspects, beliefs.evidence),
        next_things(case, suspects, beliefs.evidence, stages=_PROBING),
        build_plan(case, suspects, order_school(case)),
        build_proof(case.boards, case.state, case.bench(), case.shortfalls()),
    )
