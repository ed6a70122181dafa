"""The kit of a job: which capacitors belong to it, what the drawer serves, and what is bought."""

from dataclasses import dataclass, replace
from typing import Literal

from loyal_trace.core.assess.capacitors import judged_capacitors, limits_of
from loyal_trace.core.assess.extras import serviced
from loyal_trace.core.assess.first_power import first_power_choice, first_power_risk
from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.assess.parts import in_stock, replaced, stock
from loyal_trace.core.assess.suspects import suspects_of
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.parts.limits import CapacitorLimits
from loyal_trace.core.parts.places import place_on
from loyal_trace.core.parts.spec import spec_of_part
from loyal_trace.core.parts.stock import StockItem
from loyal_trace.core.planning.choices import ALL, BY_RISK, ELECTROLYTICS, RENEW_FIRST, TANTALUMS, WHAT_IS_BAD
from loyal_trace.core.planning.kit import Candidate, Kit, KitPlace, candidates, marked_words, plan_kit
from loyal_trace.core.planning.steps import DECIDE_FROM
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.verdicts import Verdict

KIT = "kit"
Why = Literal["bad", "suspect", "service", "class"]


@dataclass(frozen=True)
class Wanted:
    """A capacitor that is to be replaced, and why: measured bad, suspected, on the service list, or by its class."""

    place: PartRef
    why: Why
    reason: str
    probability: float


def kit_choice(moment: Moment) -> str:
    """Which capacitors are replaced: as decided, else all electrolytics where the job renews them first."""
    decided = moment.snapshot.decision(KIT)
    if decided:
        return decided
    choice = first_power_choice(moment)
    if choice == BY_RISK:
        choice = first_power_risk(moment).advice
    return ELECTROLYTICS if choice == RENEW_FIRST else WHAT_IS_BAD


def of_class(part: Part, choice: str) -> bool:
    """Does a capacitor belong to a class of the kit?"""
    spec = spec_of_part(part)
    if choice == ELECTROLYTICS:
        return spec.is_electrolytic
    if choice == TANTALUMS:
        return spec.technology == "tantalum"
    return choice == ALL


@once
def wanted_capacitors(moment: Moment) -> tuple[Wanted, ...]:
    """Every capacitor to be replaced, with the strongest reason; what was replaced and not found bad since is done."""
    culprit = {s.place: s for s in suspects_of(moment) if s.probability >= DECIDE_FROM and s.against}
    service = serviced(moment)
    choice, found = kit_choice(moment), []
    for place, verdict in judged_capacitors(moment).items():
        if verdict.verdict == Verdict.BAD:
            # A measured capacitor outside its limits is as sure as this program gets about a part.
            found.append(Wanted(place, "bad", verdict.reason, 0.95))
        elif place in culprit:
            found.append(Wanted(place, "suspect", culprit[place].against[0].text, culprit[place].probability))
        elif replaced(moment, place):
            continue
        elif place in service and verdict.verdict != Verdict.GOOD:
            found.append(Wanted(place, "service", say("usual service: {service}", service=service[place]), 0.3))
        elif of_class(moment.part(place), choice):
            found.append(Wanted(place, "class", say("all {kind} are replaced", kind=choice), 0.1))
    return tuple(found)


@once
def kit_of(moment: Moment) -> Kit:
    """The kit for every capacitor to be replaced, from what is left in the drawer."""
    limits = limits_of(moment)
    if limits is None:
        return Kit(())
    places = [kit_place(moment, wanted.place) for wanted in wanted_capacitors(moment)]
    return plan_kit(places, left_in_stock(moment), limits)


@once
def left_in_stock(moment: Moment) -> tuple[tuple[StockItem, int], ...]:
    """Each item of the drawer with how many of it are left."""
    return tuple((item, in_stock(moment, item)) for item in stock(moment))


@once
def kit_place(moment: Moment, ref: PartRef) -> KitPlace:
    """A capacitor's place as the kit sees it, with what somebody chose for it."""
    limits = limits_of(moment)
    assert limits is not None, "asked only where limits are"
    chosen = moment.snapshot.parts.planned.get(ref)
    found = board_place(moment.boards[ref.board], ref.board, moment.part(ref), limits)
    if chosen is None:
        return found
    return replace(found, wanted=chosen.number, wanted_from=chosen.origin)


def board_place(board: BoardDefinition, board_id: str, part: Part, limits: CapacitorLimits) -> KitPlace:
    """A capacitor's place of a board that need not be in a job."""
    place = place_on(board, part, limits)
    return KitPlace(PartRef(board_id, part.refdes), marked_words(place.old, part.number), place)


def candidates_for(moment: Moment, ref: PartRef) -> tuple[Candidate, ...]:
    """What of the drawer could go into a capacitor's place, each with its reasons."""
    limits = limits_of(moment)
    if limits is None or not moment.has(ref) or moment.part(ref).kind != "capacitor":
        return ()
    return candidates(kit_place(moment, ref).place, left_in_stock(moment), limits)
