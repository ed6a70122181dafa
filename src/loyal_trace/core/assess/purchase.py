"""Where to buy what the drawer lacks: the offers for the kit and the other steps, and when the parts arrive."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from loyal_trace.core.assess.capacitors import limits_of
from loyal_trace.core.assess.kit import kit_of
from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.parts.stock import Offer
from loyal_trace.core.planning.buying import Purchase, Wish, plan_purchase, same_type
from loyal_trace.core.planning.steps import Plan, Step


@dataclass(frozen=True)
class Needed:
    """What a job has to buy, for the order of several jobs at once."""

    job: str
    wishes: tuple[Wish, ...]


@once
def offers_of(moment: Moment) -> tuple[Offer, ...]:
    """What shops offer: the workshop's own list, and what was said in this job."""
    said = tuple(
        Offer(o.shop, o.number, o.price, o.minimum, o.shipping, o.days, o.trust, o.sort)
        for o in moment.snapshot.parts.offered
    )
    return (*moment.offers, *said)


def capacitor_wishes(moment: Moment) -> tuple[Wish, ...]:
    """The capacitors that the drawer lacks, one wish a group of the kit."""
    groups = (group for group in kit_of(moment).groups if group.buy)
    return tuple(Wish(group.order, group.to_order, group.choices[0].place.place) for group in groups)


def wishes_of(moment: Moment, plan: Plan) -> tuple[Wish, ...]:
    """Everything that has to be bought for the open steps of a job."""
    capacitors = {step.part_number for step in plan.steps if step.kind == "capacitor"}
    others = (need for need in plan.parts if need.to_order and need.number not in capacitors)
    return (*capacitor_wishes(moment), *(Wish(need.number, need.to_order) for need in others))


def purchase_of(moment: Moment, plan: Plan, others: Sequence[Needed] = ()) -> Purchase | None:
    """The cheapest orders for this job, and for others with it; None where nothing is offered or needed."""
    limits, offers = limits_of(moment), offers_of(moment)
    wishes = [*wishes_of(moment, plan), *(replace(w, owner=needed.job) for needed in others for w in needed.wishes)]
    if limits is None or not offers or not wishes:
        return None
    return plan_purchase(wishes, offers, limits, hour_rate(moment))


def hour_rate(moment: Moment) -> float:
    """What an hour is worth, as the job was told; 0 where nobody said."""
    try:
        return float(moment.snapshot.decision("hour rate", "0"))
    except ValueError:
        return 0.0


@once
def _capacitors_bought(moment: Moment) -> Purchase | None:
    limits, offers, wishes = limits_of(moment), offers_of(moment), capacitor_wishes(moment)
    if limits is None or not offers or not wishes:
        return None
    return plan_purchase(wishes, offers, limits, hour_rate(moment))


def days_offered(moment: Moment, step: Step) -> float | None:
    """In how many days the offer that would be taken is here; None where no shop offers the part."""
    if step.kind == "capacitor":
        bought, group = _capacitors_bought(moment), kit_of(moment).group_of(step.place)
        lines = bought.lines if bought is not None and group is not None else ()
        return next((line.offer.days for line in lines if group is not None and line.wish.name == group.order), None)
    exact = [o for o in offers_of(moment) if same_type(o.number, step.part_number)]
    return min(exact, key=lambda offer: offer.price).days if exact else None
