"""Supply sums against hand-worked figures and against themselves."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.power.clocks import cell_life, crystal_load, divided
from loyal_trace.core.power.diodes import judge_bridge
from loyal_trace.core.power.formulas import (
    bridge_power,
    capacitance_from_ripple,
    regulator,
    reservoir,
    ripple_frequency,
    ripple_voltage,
)
from loyal_trace.core.vocabulary.errors import RequestError

OL = math.inf
AMPERES, FARADS = st.floats(0.01, 5), st.floats(1e-4, 0.05)


def test_the_worked_supply_of_the_method_page():
    found = reservoir(9.0, 0.85, "bridge", 1.5, 4700e-6, 50.0)
    assert found.peak_voltage == pytest.approx(11.03, abs=0.01) and found.ripple_voltage == pytest.approx(
        3.19, abs=0.01
    )
    assert found.trough_voltage == pytest.approx(7.84, abs=0.01) and found.ripple_frequency == 100
    lame = reservoir(9.0, 0.85, "half", 1.5, 4700e-6, 50.0)
    assert lame.ripple_voltage == pytest.approx(6.38, abs=0.01) and lame.ripple_frequency == 50
    assert (
        regulator(lame.trough_voltage, 5.0, 2.0, 1.5).headroom
        < 0
        < regulator(found.trough_voltage, 5.0, 2.0, 1.5).headroom
    )


@pytest.mark.parametrize(("rectifier", "drops", "pulses"), [("bridge", 2, 2), ("centre-tap", 1, 2), ("half", 1, 1)])
def test_each_rectifier_has_its_drops_and_its_ripple(rectifier, drops, pulses):
    found = reservoir(12.0, 0.7, rectifier, 0.0, 1e-3, 60.0)
    assert found.peak_voltage == found.trough_voltage == pytest.approx(12 * math.sqrt(2) - drops * 0.7)
    assert found.ripple_frequency == pulses * 60


@given(AMPERES, FARADS, st.sampled_from([50.0, 60.0]), st.sampled_from(["full", "half"]))
def test_ripple_and_capacitance_are_two_sides_of_one_sum(current, capacitance, mains, rectifier):
    frequency = ripple_frequency(mains, rectifier)
    ripple = ripple_voltage(current, capacitance, frequency)
    assert capacitance_from_ripple(current, ripple, frequency) == pytest.approx(capacitance)
    assert ripple_voltage(2 * current, capacitance, frequency) == pytest.approx(2 * ripple)


@given(st.floats(1, 40), AMPERES, FARADS)
def test_the_trough_lies_between_nothing_and_the_peak(ac, current, capacitance):
    found = reservoir(ac, 0.8, "bridge", current, capacitance, 50.0)
    assert 0 <= found.trough_voltage <= found.mean_voltage <= found.peak_voltage


def test_heat_follows_the_voltage_it_takes_up():
    found = regulator(9.0, 5.0, 2.0, 1.0, (4.0, 1.0, 10.0), 30.0)
    assert (found.headroom, found.power, found.junction_temperature) == (2.0, 4.0, 90.0)
    dry = regulator(9.0, 5.0, 2.0, 1.0, (4.0, 3.5, 10.0), 30.0)
    assert dry.junction_temperature > found.junction_temperature, "without compound the case-to-sink step grows"
    assert regulator(9.0, 5.0, 2.0, 1.0).junction_temperature is None and bridge_power(0.9, 2.0) == pytest.approx(3.6)


@pytest.mark.parametrize(
    ("readings", "verdict", "diodes"),
    [
        ((0.55, 0.56, 0.54, 0.55), "good", ("good",) * 4),
        ((0.22, 0.21, 0.23, 0.22), "good", ("good",) * 4),
        ((0.55, OL, 0.54, 0.55), "open", ("good", "open", "good", "good")),
        ((0.55, 0.01, 0.54, OL), "short", ("good", "short", "good", "open")),
        ((0.55, 0.25, 0.54, 0.55), "leaky", ("good", "leaky", "good", "good")),
        ((OL, OL, OL, OL), "open", ("open",) * 4),
        ((0.0, 0.0, 0.0, 0.0), "short", ("short",) * 4),
    ],
)
def test_a_bridge_is_as_bad_as_its_worst_diode(readings, verdict, diodes):
    found = judge_bridge(readings)
    assert (found.verdict, found.diodes) == (verdict, diodes) and found.reason


def test_one_open_diode_is_said_to_halve_the_ripple_frequency():
    assert "diode 3 is open; half of the wave is missing" in judge_bridge((0.5, 0.5, OL, 0.5)).reason
    with pytest.raises(RequestError, match="four diodes, and 3"):
        judge_bridge((0.5, 0.5, 0.5))
    with pytest.raises(RequestError, match="swap the probes"):
        judge_bridge((0.5, 0.5, 0.5, -0.5))


def test_a_crystal_with_the_wrong_load_runs_fast_or_slow():
    right = crystal_load(22e-12, 22e-12, 5e-12, 16e-12)
    assert right.load_capacitance == pytest.approx(16e-12) and right.verdict == "good" and abs(right.pull_ppm) < 1e-6
    fast, slow = crystal_load(10e-12, 10e-12, 5e-12, 18e-12), crystal_load(68e-12, 68e-12, 5e-12, 18e-12)
    assert fast.verdict == slow.verdict == "bad" and fast.pull_ppm > 0 > slow.pull_ppm
    assert "fast" in fast.reason and "slow" in slow.reason


def test_a_cell_lasts_as_long_as_its_charge_less_what_it_loses_by_itself():
    assert cell_life(0.22 * 3600, 3e-6) == pytest.approx(8.366, abs=0.001)
    assert cell_life(0.22 * 3600, 3e-6, 0.01) == pytest.approx(7.72, abs=0.01)
    assert cell_life(0.22 * 3600, 0.0, 0.05) == pytest.approx(20)
    with pytest.raises(RequestError):
        cell_life(0.22 * 3600, 0.0, 0.0)


@given(st.floats(1e3, 5e7), st.lists(st.integers(1, 64), min_size=1, max_size=6))
def test_a_divider_chain_divides_by_the_product(frequency, by):
    found = divided(frequency, by)
    assert found[-1] == pytest.approx(frequency / math.prod(by)) and list(found) == sorted(found, reverse=True)


@pytest.mark.parametrize(
    "wrong",
    [
        lambda: ripple_voltage(1.0, 0.0, 100.0),
        lambda: ripple_voltage(-1.0, 1e-3, 100.0),
        lambda: ripple_frequency(0.0),
        lambda: ripple_frequency(50.0, "star"),
        lambda: reservoir(9, 0.8, "full", 1, 1e-3, 50),
        lambda: divided(1e6, [0.5]),
        lambda: crystal_load(0.0, 22e-12, 0.0, 16e-12),
        lambda: regulator(9, 5, 2, 1, (-1.0,)),
        lambda: cell_life(1, 1, 1.0),
        lambda: reservoir(math.nan, 0.8, "bridge", 1, 1e-3, 50),
    ],
)
def test_values_that_make_no_sense_are_refused(wrong):
    with pytest.raises(RequestError):
        wrong()
