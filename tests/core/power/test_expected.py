"""Computed limits of a supply point, each bound checked against the sum or tolerance that it comes from."""

import math

import pytest

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.supplies import Cell, ChainPoint, Reset, Supply
from loyal_trace.core.power.consumption import Draw
from loyal_trace.core.power.expected import limits_at, nominal_reservoir, reset_time
from tests.core.power.test_supply_chain import chain_board, point

DC = chain_board(supplies=(Supply(dc=12.0, current=0.8, path="+5 V", nominal=5.0),))


def bounds(board, where, quantity, part="", **more):
    found = limits_at(board, point(where, quantity, part, **more))
    return found.low, found.high


@pytest.mark.parametrize(
    ("where", "quantity", "part", "low", "high"),
    [
        ("J1.1", "ac voltage", "J1", 7.65, 9.35),
        ("F1", "resistance", "F1", 0.0, 0.5),
        ("F1", "rating", "F1", 1.96, 2.04),
        ("BR1.1", "diode", "BR1", 0.4, 0.85),
        ("C1", "ripple frequency", "BR1", 97.0, 103.0),
        ("REG1.3", "voltage", "REG1", 4.85, 5.15),
        ("U1.14", "resistance to ground", "U1", 10.0, math.inf),
        ("J1.1", "current", "J1", 0.6, 1.56),
    ],
)
def test_each_limit_is_its_nominal_value_with_its_tolerance(where, quantity, part, low, high):
    assert bounds(chain_board(), where, quantity, part) == (pytest.approx(low), pytest.approx(high))


def test_a_reservoir_is_expected_between_its_mean_and_its_peak_with_the_mains_tolerance():
    full = nominal_reservoir(chain_board(), chain_board().supplies[0])
    peak = 8.5 * math.sqrt(2) - 2 * 0.85
    ripple = 1.2 / (100 * 4700e-6)
    assert full.peak_voltage == pytest.approx(peak) and full.ripple_voltage == pytest.approx(ripple)
    low, high = bounds(chain_board(), "C1", "voltage", "C1")
    assert (low, high) == (pytest.approx(0.9 * (peak - ripple / 2)), pytest.approx(1.1 * peak))
    assert bounds(chain_board(), "C1", "ripple", "C1") == (0.0, pytest.approx(1.3 * ripple))


def test_a_dc_input_is_held_against_itself_and_a_half_rectifier_against_the_mains():
    assert bounds(DC, "J1.1", "voltage", "J1") == (pytest.approx(10.8), pytest.approx(13.2))
    assert bounds(DC, "REG1.3", "voltage", "REG1") == (pytest.approx(4.85), pytest.approx(5.15))
    half = chain_board(supplies=(Supply(8.5, 1.2, "+5 V", mains=60.0, rectifier="half", reservoir="C1"),))
    assert bounds(half, "C1", "ripple frequency", "BR1") == (pytest.approx(58.2), pytest.approx(61.8))


def test_a_negative_regulator_has_its_smaller_magnitude_at_the_upper_limit():
    board = chain_board(supplies=(Supply(dc=12.0, path="+5 V", nominal=-5.0),))
    assert bounds(board, "REG1.3", "voltage", "REG1") == (pytest.approx(-5.15), pytest.approx(-4.85))


def test_the_chips_own_current_counts_before_the_load_of_the_supply():
    draw = Draw(1.0, 2.0, 12, 0)
    found = limits_at(chain_board(), point("J1.1", "current", "J1"), draw)
    assert (found.low, found.high) == (pytest.approx(0.6), pytest.approx(2.3)) and "12 fitted chips" in found.source


def with_start_up(**reset):
    parts = (Part("R1", "10k", kind="resistor", value=1e4), Part("C6", "10u", kind="capacitor", value=1e-5))
    fields = {"point": "U1.26", "resistor": "R1", "capacitor": "C6", **reset}
    cell = Cell("BT1", 3.0, 2.5, 0.22, 3e-6)
    chain = (ChainPoint("U1.26", "reset time"), ChainPoint("BT1", "voltage", part="BT1"))
    everything = (*parts, Part("BT1", "cell", kind="cell"), Part("U1", "CPU"))
    return BoardDefinition("b", "B", parts=everything, chain=chain, resets=(Reset(**fields),), cells=(cell,))


def test_a_reset_lasts_what_its_parts_say_within_forty_in_a_hundred():
    board = with_start_up()
    lasts = -1e4 * 1e-5 * math.log(1 - 1.4 / 5)
    assert reset_time(board, board.resets[0]) == pytest.approx(lasts)
    assert bounds(board, "U1.26", "reset time", path="") == (pytest.approx(0.6 * lasts), pytest.approx(1.4 * lasts))
    assert bounds(with_start_up(low=0.02, high=0.5), "U1.26", "reset time", path="") == (0.02, 0.5)
    assert bounds(board, "U1.26", "reset pulses", path="") == (0.0, 0.05)
    assert reset_time(board, Reset("U1.26", resistor="R9", capacitor="C6")) is None


@pytest.mark.parametrize(("active", "low", "high"), [("low", 2.4, 5.5), ("high", 0.0, 0.8)])
def test_a_reset_that_is_over_has_the_other_level(active, low, high):
    assert bounds(with_start_up(active=active), "U1.26", "voltage", path="") == (low, high)


def test_a_cell_feeds_what_it_keeps_alive_and_no_more_than_twice_that():
    assert bounds(with_start_up(), "BT1", "voltage", path="") == (2.5, pytest.approx(3.45))
    assert bounds(with_start_up(), "BT1", "current", path="") == (0.0, pytest.approx(6e-6))
