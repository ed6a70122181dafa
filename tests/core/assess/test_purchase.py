"""Offers of shops: what is ordered where, for one job or several, and what their days do to the order of work."""

from loyal_trace.core.assess.orders import tasks_for
from loyal_trace.core.assess.plan import plan_of
from loyal_trace.core.assess.purchase import Needed, purchase_of, wishes_of
from loyal_trace.core.job.entries import Decided, Offered
from loyal_trace.core.parts.stock import StockItem
from loyal_trace.core.planning.buying import Wish, same_type
from tests.helpers.builders import made, measured, moment_of, probed

DRIED = measured("C1", "capacitance", 0.3e-3)
DEAD = [probed("U1", "1=L 2=H 3=L")] * 3


def offered(number, shop="Quay", price=1.0, **more):
    return made(Offered, shop=shop, number=number, price=price, **more)


def bought(*entries, others=()):
    moment = moment_of(entries=entries)
    return purchase_of(moment, plan_of(moment), others)


def test_without_offers_nothing_is_ordered_and_without_needs_neither():
    assert bought(DRIED) is None and bought(offered("1000u 16V 10x16")) is None


def test_capacitor_and_chip_are_ordered_together_from_the_cheapest_shop():
    found = bought(
        DRIED,
        *DEAD,
        offered("1000u 25V 10x16", "Quay", 0.5, shipping=4, days=3),
        offered("1000u 25V 10x16", "Far", 0.4, shipping=9, days=20),
        offered("74LS00", "Quay", 0.8, shipping=4, days=3),
    )
    assert found.shops == ("Quay",) and found.shipping == 4 and found.days == 3
    assert {line.offer.number for line in found.lines} == {"1000u 25V 10x16", "74LS00"}


def test_the_hours_worth_counts_against_a_second_shop():
    two = (
        offered("1000u 25V 10x16", "Quay", 5.0, shipping=1),
        offered("1000u 25V 10x16", "Other", 1.0, shipping=1),
        offered("74LS00", "Quay", 1.0, shipping=1),
    )
    assert set(bought(DRIED, *DEAD, *two).shops) == {"Other", "Quay"}
    worth = made(Decided, what="hour rate", choice="60")
    assert bought(DRIED, *DEAD, *two, worth).shops == ("Quay",), "ten minutes more are worth ten"


def test_one_order_for_two_jobs_pays_the_shipping_once():
    other = Needed("The other job", (Wish("74LS00", 2),))
    found = bought(DRIED, offered("1000u 25V 10x16", shipping=4), offered("74LS00", shipping=4), others=[other])
    assert found.shipping == 4 and [line.wish.owner for line in found.lines] == ["", "The other job"]


def test_what_the_drawer_has_is_not_ordered():
    moment = moment_of(entries=[DRIED], drawer=[StockItem("1000u 25V 10x16", "capacitor", place="tray A")])
    assert wishes_of(moment, plan_of(moment)) == ()


def test_the_days_of_the_chosen_offer_feed_the_order_of_work():
    def days(*entries):
        moment = moment_of(entries=entries)
        return {task.id: task.days for task in tasks_for(moment, plan_of(moment).steps)}

    offers = (offered("1000u 25V 10x16", days=12), offered("74ls00", days=2))
    found = days(DRIED, *DEAD, *offers)
    assert found["small/C1/capacitor"] == 12 and found["small/U1/chip"] == 2
    assert days(DRIED)["small/C1/capacitor"] == 3, "the usual time of the post"


def test_a_type_is_the_same_however_it_is_written():
    assert same_type("turned-pin socket, DIP-28", "Turned-pin socket DIP28") and not same_type("74LS00", "74LS04")
