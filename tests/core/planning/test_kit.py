"""The kit: stock matched over all places, groups, spares, what to buy and where, and a bought kit's list."""

import itertools
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.parts.fitting import Fits, Place, judge_fit
from loyal_trace.core.parts.roles import Role, RoleOf
from loyal_trace.core.parts.spec import parse_spec
from loyal_trace.core.parts.stock import Offer, State, StockItem
from loyal_trace.core.planning.buying import Wish, plan_purchase
from loyal_trace.core.planning.kit import (
    KitPlace,
    candidates,
    check_kit,
    letter_of,
    plan_kit,
    spec_words,
    standard_value,
)
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.resources import default_tables

LIMITS = default_tables().capacitors


def place(refdes, words, role=Role.BULK, wanted="", **more):
    found = Place(parse_spec(words), RoleOf(role), **more)
    return KitPlace(PartRef("b", refdes), words, found, wanted)


def item(words, count=1, where="tray", state=State.GOOD, **more):
    return StockItem(words, "capacitor", count, place=where, state=state, **more)


def kit(places, items):
    return plan_kit(places, [(one, one.count) for one in items], LIMITS)


def test_the_only_part_that_fits_a_place_is_not_given_to_one_that_has_a_choice():
    """First fit would give the 63 V part to C1 and leave C2 without one."""
    places = [place("C1", "100u/16V"), place("C2", "100u/50V")]
    found = kit(places, [item("100u 63V"), item("100u 25V")])
    assert [found.choice_at(PartRef("b", c)).item.number for c in ("C1", "C2")] == ["100u 25V", "100u 63V"]
    assert found.from_drawer == found.count == 2 and len(found.groups) == 2


def test_stock_is_promised_once_and_what_is_lacking_is_bought_with_a_spare():
    found = kit([place(f"C{n}", "47u/16V") for n in range(1, 13)], [item("47u 25V", 3)])
    (group,) = found.groups
    assert found.from_drawer == 3 and group.buy == 9 and (group.spares, group.to_order) == (1, 10)
    assert [ref.refdes for ref in group.places][:3] == ["C1", "C2", "C3"] and group.letter == "a"
    alone = kit([place("C1", "47u/16V")], []).groups[0]
    assert (alone.buy, alone.spares, alone.to_order) == (1, 0, 1)
    assert kit([place("C1", "47u/16V")], [item("47u 25V")]).groups[0].to_order == 0


def test_a_plain_fit_comes_before_one_with_care_and_that_before_buying():
    wide = {"room_diameter": 10.0}
    both = kit([place("C1", "100u/16V", **wide)], [item("100u 25V 10x16", where="A"), item("100u 25V 8x11", where="B")])
    assert both.choice_at(PartRef("b", "C1")).item.place == "B"
    care = kit([place("C1", "100u/16V", **wide)], [item("100u 25V 10x16", where="A")]).groups[0]
    assert care.fits is Fits.WITH_CARE and "fills its room" in care.reason and care.buy == 0
    assert kit([place("C1", "100u/16V", **wide)], [item("100u 25V 11x16")]).groups[0].buy == 1


def test_a_proven_part_comes_before_an_untested_or_reserved_one_and_a_chosen_one_before_all():
    items = [item("100u 25V", where=s, state=s) for s in (State.RESERVED, State.UNTESTED, State.GOOD)]
    assert kit([place("C1", "100u/16V")], items).choice_at(PartRef("b", "C1")).item.state == State.GOOD
    items.append(item("150u 25V", where="D"))
    assert kit([place("C1", "100u/16V", wanted="150u 25V")], items).choice_at(PartRef("b", "C1")).item.place == "D"
    from_donor = replace(place("C1", "100u/16V", wanted="100u 25V"), wanted_from="old board")
    risky = item("100u 25V", where="old board", donor="CPU 2", risk=0.9)
    assert kit([from_donor], [items[2], risky]).choice_at(PartRef("b", "C1")).item.place == "old board"
    donor = [item("100u 25V", where="old board", donor="CPU 2", risk=0.3), item("150u 25V", where="D")]
    assert kit([place("C1", "100u/16V")], donor).choice_at(PartRef("b", "C1")).item.place == "D"


def test_places_are_grouped_by_all_that_decides_what_goes_in():
    places = [
        place("C1", "100u/16V"),
        place("C2", "100u/16V"),
        place("C3", "100u/25V"),
        place("C4", "100u/16V tantalum"),
        place("C5", "100u/16V BP"),
        place("C6", "100u/16V axial"),
        place("C7", "100u/16V", room_diameter=5.0),
    ]
    assert [[ref.refdes for ref in group.places] for group in kit(places, []).groups].count(["C1", "C2"]) == 1
    assert len(kit(places, []).groups) == 6
    orders = {group.places[0].refdes: group.order for group in kit(places, []).groups}
    assert orders["C4"] == "100u 16V, tantalum" and "bipolar" in orders["C5"] and "Ø up to 5 mm" in orders["C7"]


@pytest.mark.parametrize(
    ("farad", "made"),
    [(50e-6, 47e-6), (47e-6, 47e-6), (100e-6, 100e-6), (640e-6, 680e-6), (12e-6, 12e-6), (2e-3, 2e-3)],
)
def test_an_odd_old_value_is_bought_as_the_one_that_is_made(farad, made):
    assert standard_value(farad) == pytest.approx(made)


def test_what_to_buy_is_said_with_the_next_rating_and_the_room():
    group = kit([place("C1", "50u/15V radial pitch 5", room_height=12.0)], []).groups[0]
    assert spec_words(group.spec) == group.order == "47u 16V, radial, 105 °C, up to 12 mm high, pitch 5 mm"
    assert [letter_of(n) for n in (0, 25, 26, 51, 52)] == ["a", "z", "aa", "az", "ba"]


def test_candidates_are_listed_the_best_first_with_those_that_do_not_fit():
    stock = [
        (item("330u 25V"), 1),
        (item("100u 10V"), 2),
        (item("100u 25V"), 3),
        (item("220u 25V"), 1),
        (item("10n"), 5),
    ]
    found = candidates(place("C1", "100u/16V").place, stock, LIMITS)
    assert [c.item.number for c in found][:2] == ["100u 25V", "220u 25V"] and len(found) == 4
    assert [c.judged.fits for c in found] == ["fits", "with-care", "no", "no"]


VALUES = ["10u", "15u", "22u", "47u", "100u"]


@given(
    st.lists(st.tuples(st.sampled_from(VALUES), st.sampled_from([10, 16, 25])), min_size=1, max_size=5),
    st.lists(st.tuples(st.sampled_from(VALUES), st.sampled_from([16, 25, 35]), st.integers(1, 2)), max_size=4),
)
def test_no_other_assignment_serves_more_places_from_the_drawer(wanted, have):
    places = [place(f"C{n}", f"{v}/{u}V") for n, (v, u) in enumerate(wanted)]
    items = [item(f"{v} {u}V", n, where=str(k)) for k, (v, u, n) in enumerate(have)]
    found = kit(places, items)
    used = [choice.item.place for group in found.groups for choice in group.choices if choice.item]
    assert all(used.count(one.place) <= one.count for one in items), "nothing is promised twice"
    units = [one for one in items for _ in range(one.count)][:6]
    fits = [[judge_fit(p.place, u.spec, LIMITS).fits is not Fits.NO for u in units] for p in places]
    most = 0
    for order in itertools.permutations(range(len(places) + len(units)), len(places)):
        most = max(most, sum(u < len(units) and fits[p][u] for p, u in enumerate(order)))
        if most == min(len(places), len(units)):
            break
        if len(places) + len(units) > 7:
            return
    if len(units) == sum(one.count for one in items):
        assert found.from_drawer == most


def test_a_bought_kit_is_held_against_the_board():
    places = [place("C1", "100u/16V"), place("C2", "100u/16V"), place("C3", "47u/25V")]
    found = check_kit(places, [item("100u 25V", 3), item("47u 16V", 1)], LIMITS)
    assert found.missing == (("47u/25V", 1),) and found.left_over == (("100u 25V", 1), ("47u 16V", 1))
    assert not found.complete and found.misfits[0][:2] == ("47u 16V", "47u/25V") and "below" in found.misfits[0][2]
    assert check_kit(places, [item("100u 16V", 2), item("47u 25V")], LIMITS).complete


def shops(*rows):
    return [
        Offer(shop, number, price, minimum, shipping, days) for shop, number, price, minimum, shipping, days in rows
    ]


def test_shipping_decides_where_to_buy_and_nothing_unfit_is_bought():
    wishes = [Wish("47u", 10, place("C1", "47u/16V").place), Wish("100u", 2, place("C2", "100u/16V").place)]
    offers = shops(
        ("A", "47u 25V", 0.20, 1, 5, 3),
        ("A", "100u 25V", 0.30, 1, 5, 3),
        ("B", "47u 25V", 0.05, 1, 5, 2),
        ("B", "100u 10V", 0.01, 1, 5, 2),
    )
    found = plan_purchase(wishes, offers, LIMITS)
    assert found.shops == ("A",) and found.shipping == 5 and found.parts == pytest.approx(2.6) and found.days == 3
    apart = plan_purchase([Wish("47u", 100, wishes[0].place), wishes[1]], offers, LIMITS)
    assert set(apart.shops) == {"A", "B"} and apart.total == pytest.approx(100 * 0.05 + 2 * 0.3 + 10)


def test_smallest_numbers_time_and_what_no_shop_has_are_counted():
    wishes = [Wish("47u", 3, place("C1", "47u/16V").place), Wish("74LS166", 1), Wish("1A slow", 2)]
    offers = shops(("A", "47u 25V", 0.1, 10, 4, 3), ("A", "74ls166", 2.5, 1, 4, 6), ("A", "2A slow", 0.2, 1, 4, 3))
    found = plan_purchase(wishes, offers, LIMITS, hour_rate=30)
    assert [line.count for line in found.lines] == [10, 1] and found.missing == (wishes[2],), "no other fuse is bought"
    assert found.work == pytest.approx(5.0) and found.total == pytest.approx(1.0 + 2.5 + 4 + 5) and found.days == 6
    assert plan_purchase([], offers, LIMITS).total == 0 and plan_purchase(wishes, [], LIMITS).missing == tuple(wishes)


def test_a_shop_that_is_not_trusted_has_to_be_much_cheaper():
    wish = [Wish("74LS166", 1)]
    fair, dubious = Offer("A", "74LS166", 3.0, trust=0.98), Offer("B", "74LS166", 2.8, trust=0.6)
    assert plan_purchase(wish, [fair, dubious], LIMITS).shops == ("A",)
    assert plan_purchase(wish, [fair, Offer("B", "74LS166", 0.5, trust=0.6)], LIMITS).shops == ("B",)
