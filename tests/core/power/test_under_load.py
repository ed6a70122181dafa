"""What a loaded supply says: drop, heat, current, crowbar, each at and beside its bound."""

from dataclasses import replace

import pytest

from loyal_trace.core.boards.supplies import Supply
from loyal_trace.core.power.consumption import Draw
from loyal_trace.core.power.explain import explain
from loyal_trace.core.power.under_load import SupplyContext, under_load
from loyal_trace.core.vocabulary.verdicts import PartVerdict
from tests.core.power.test_supply_chain import HEALTHY, chain_board, point
from tests.helpers.builders import measured, rails_of

COOLED = Supply(8.5, 1.2, "+5 V", reservoir="C1", nominal=5.0, theta_jc=3.0, theta_cs=0.5, theta_sa=6.0)


def read(supply=COOLED, extra=(), **changes):
    board = chain_board(supplies=(supply,), chain=(*chain_board().chain[:-1], *extra))
    readings = dict(HEALTHY)
    for name, value in changes.items():
        where, _, quantity = name.partition("_")
        readings[(where.replace("o", "."), quantity.replace("_", " "))] = value
    return board, rails_of(board, [measured(where, quantity, v) for (where, quantity), v in readings.items()]).paths[0]


def said(around=None, supply=COOLED, extra=(), **changes):
    board, path = read(supply, extra, **changes)
    return under_load(board, path, supply, around or SupplyContext())


def kind_of(found, words):
    return next((one.kind for one in found if words in one.text), None)


@pytest.mark.parametrize(("far", "kind"), [(4.87, "good"), (4.851, "good"), (4.849, "doubtful"), (4.6, "doubtful")])
def test_three_in_a_hundred_may_be_lost_between_the_regulator_and_the_far_chip(far, kind):
    found = said(REG1o3_voltage=5.0, U1o14_voltage=far)
    assert kind_of(found, "are lost between REG1.3 and U1.14") == kind
    assert kind_of(said(REG1o3_voltage=5.0, U1o14_voltage=5.01), "are lost") is None


def test_the_drop_is_told_as_the_resistance_that_it_speaks_for():
    found = said(REG1o3_voltage=5.0, U1o14_voltage=4.4)
    assert any("500 mΩ at 1.20 A" in one.text for one in found)


@pytest.mark.parametrize(("input_voltage", "kind"), [(9.0, "good"), (11.5, "good"), (12.5, "doubtful"), (14.5, "bad")])
def test_a_regulators_junction_is_warm_from_a_hundred_and_hot_from_a_hundred_and_twenty_five(input_voltage, kind):
    # 9.5 K/W in air of 25 °C at 1.2 A: 11.4 degrees for each volt across it.
    found = said(C1_voltage=input_voltage, REG1o3_voltage=5.0)
    assert kind_of(found, "REG1 turns") == kind
    degrees = 25 + (input_voltage - 5.0) * 1.2 * 9.5
    assert any(f"junction about {degrees:.0f} °C" in one.text for one in found)


@pytest.mark.parametrize(("rectifier", "told"), [("bridge", True), ("half", False)])
def test_ripple_at_the_mains_frequency_is_half_a_bridge_and_all_of_a_single_diode(rectifier, told):
    board, path = read(replace(COOLED, rectifier=rectifier), C1_ripple_frequency=50.0, C1_ripple=4.0)
    assert any("instead of twice that" in one.text for one in explain(board, path)) == told


@pytest.mark.parametrize(("input_voltage", "degrees"), [(12.5, 100), (15.0, 125)])
def test_exactly_a_hundred_is_warm_and_exactly_a_hundred_and_twenty_five_not_hot_yet(input_voltage, degrees):
    ten = replace(COOLED, current=1.0, theta_jc=3.5)  # 10 K/W at 1 A
    found = said(supply=ten, C1_voltage=input_voltage, REG1o3_voltage=5.0)
    assert kind_of(found, "REG1 turns") == "doubtful" and any(f"about {degrees} °C" in one.text for one in found)


def test_without_compound_a_kelvin_and_a_half_per_watt_is_added_and_good_is_no_longer_said():
    found = said(SupplyContext(without_compound=frozenset({"REG1"})), REG1o3_voltage=5.0)
    assert kind_of(found, "REG1 turns") == "doubtful" and any(
        f"about {25 + 4.8 * 11:.0f} °C" in one.text for one in found
    )
    unknown = said(supply=replace(COOLED, theta_sa=0.0), C1_voltage=40.0, REG1o3_voltage=5.0)
    assert kind_of(unknown, "REG1 turns") == "good", "without known cooling nothing can be said"


def test_a_bridge_turns_two_drops_into_heat_as_long_as_it_is_whole():
    assert kind_of(said(), "BR1 turns 2.04 W into heat") == "good"
    assert kind_of(said(BR1o2_diode=0.0), "BR1 turns") is None


@pytest.mark.parametrize(
    ("amps", "kind"), [(0.59, "doubtful"), (0.61, "good"), (1.0, "good"), (2.29, "good"), (2.31, "bad")]
)
def test_current_is_held_against_the_sum_over_the_chips(amps, kind):
    current = point("J1.1", "current", "J1")
    found = said(SupplyContext(draw=Draw(1.0, 2.0, 12, 3)), extra=(current,), J1o1_current=amps)
    assert kind_of(found, "12 chips together take") == kind and kind_of(found, "3 of them guessed") == kind
    assert (
        kind_of(said(SupplyContext(draw=Draw(0, 0, 0, 0)), extra=(current,), J1o1_current=amps), "chips together")
        is None
    )


@pytest.mark.parametrize(("volts", "fired"), [(0.39, False), (0.41, True), (1.69, True), (1.71, False)])
def test_a_rail_held_near_a_volt_is_a_fired_crowbar(volts, fired):
    guarded = replace(COOLED, crowbar="Q1", crowbar_voltage=6.2)
    found = said(supply=guarded, U1o14_voltage=volts, REG1o3_voltage=5.0)
    assert (kind_of(found, "the crowbar Q1 has fired") == "doubtful") is fired
    assert not fired or kind_of(found, "above 6.20 V")
    assert kind_of(said(U1o14_voltage=volts), "crowbar") is None


def test_a_reservoir_measured_elsewhere_is_brought_to_its_supply():
    dried = PartVerdict("bad", "dried")
    assert kind_of(said(SupplyContext({"C1": dried})), "C1 was measured: dried") == "bad"
    assert kind_of(said(SupplyContext({"C1": PartVerdict("not measured", "nothing")})), "was measured") is None
