"""Capacitors, substitutes, supplies, start statistics: numbers checked against hand calculation."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.boards.model import KeepOut
from loyal_trace.core.boards.supplies import ChainPoint
from loyal_trace.core.job import entries as e
from loyal_trace.core.parts.capacitors import StockItem, acceptable, check_substitute, esr_limit, judge_capacitor
from loyal_trace.core.power.formulas import peak_voltage, ripple_voltage
from loyal_trace.core.proving.starts import StartTally, failure_rate_upper, improvement_p_value, starts_needed
from loyal_trace.core.vocabulary.errors import RequestError
from tests.helpers.builders import made, rails_of, small_board


def test_clean_starts_bound_the_failure_rate_as_the_textbook_says():
    assert failure_rate_upper(20) == pytest.approx(1 - 0.05 ** (1 / 20))
    assert failure_rate_upper(59) < 0.05 < failure_rate_upper(58)
    assert failure_rate_upper(0) == 1 and failure_rate_upper(0, 3) == 1
    assert failure_rate_upper(9, 1) == pytest.approx(0.3941633, abs=1e-6)


@given(st.integers(0, 6), st.floats(0.005, 0.6))
def test_the_starts_needed_are_enough_and_one_less_is_not(failed, target):
    needed = starts_needed(target, failed)
    assert failure_rate_upper(needed, failed) <= target * (1 + 1e-9)
    assert needed == 1 or failure_rate_upper(needed - 1, failed) > target


def test_before_and_after_are_compared_exactly():
    assert improvement_p_value(0, 3, 3, 0) == pytest.approx(1 / 20)
    assert improvement_p_value(5, 0, 5, 0) == 1.0
    assert StartTally(59, 0, 0, 3).still_needed == 0 and StartTally(19, 0, 0, 3).still_needed == 40
    for bad in ((-1, 0, 0.95), (1, 0, 1.0)):
        with pytest.raises(RequestError):
            failure_rate_upper(*bad)


def test_supply_sums():
    assert ripple_voltage(1.5, 4700e-6, 100) == pytest.approx(3.19, abs=0.01)
    assert peak_voltage(9.0, 0.85) == pytest.approx(9 * math.sqrt(2) - 1.7)
    assert esr_limit(1000e-6, 16) == pytest.approx(2 * 0.16 / (2 * math.pi * 120 * 1e-3))


@pytest.mark.parametrize(
    ("farad", "ohm", "in_circuit", "verdict"),
    [
        (0.95e-3, 0.05, True, "good"),
        (0.5e-3, None, True, "bad"),
        (1e-6, None, False, "bad"),
        (1e-3, 5.0, True, "bad"),
        (1.8e-3, None, False, "doubtful"),
        (1.8e-3, None, True, "good"),
        (None, None, True, "not measured"),
    ],
)
def test_capacitor_verdicts(farad, ohm, in_circuit, verdict):
    assert judge_capacitor(small_board().part("C1"), farad, ohm, in_circuit).verdict == verdict


@pytest.mark.parametrize(
    ("item", "fits"),
    [
        (StockItem("a", "capacitor", 1, 1e-3, 16, "aluminium", 10, 16), True),
        (StockItem("b", "capacitor", 1, 2.2e-3, 25, "aluminium", 12, 16), True),
        (StockItem("c", "capacitor", 1, 1e-3, 10, "aluminium", 10, 16), False),
        (StockItem("d", "capacitor", 1, 4.7e-3, 25, "aluminium", 12, 16), False),
        (StockItem("e", "capacitor", 1, 1e-3, 25, "aluminium", 13, 16), False),
        (StockItem("f", "capacitor", 1, 1e-3, 16, "tantalum", 7, 9), False),
        (StockItem("g", "capacitor", 1, 1e-3, 35, "tantalum", 7, 9), True),
        (StockItem("h", "capacitor", 1, 1e-3, 16, "aluminium", 10, 31), False),
    ],
)
def test_substitutes_are_judged_by_value_voltage_and_room(item, fits):
    board = small_board(keep_outs=(KeepOut(0, 0, 100, 30, 100, "shield"),))
    checks = check_substitute(board, board.part("C1"), item)
    assert acceptable(checks) is fits and all(c.reason for c in checks)


def rail_board():
    chain = (
        ChainPoint("C1", "voltage", 9, 12, "C1"),
        ChainPoint("U1.14", "voltage", 4.85, 5.15, "U1"),
        ChainPoint("U2.14", "voltage", 4.75, 5.25, "U2"),
    )
    return small_board(chain=chain)


def volts(place, value):
    return made(e.Measured, board="small", place=place, quantity="voltage", value=value)


def test_the_fault_lies_between_the_last_good_and_the_first_bad_point():
    report = rails_of(rail_board(), [volts("C1", 10.4), volts("U1.14", 4.1)])
    assert [p.verdict for p in report.points] == ["good", "bad", "not measured"]
    assert report.paths[0].first_bad.point.point == "U1.14" and report.paths[0].last_good.point.point == "C1"


def test_schools_of_a_good_rail_differ_and_say_so():
    state = [volts("U2.14", 4.82)]
    by_school = {s: rails_of(rail_board(), state, s).points[2].verdict for s in ("maker", "strict", "clean")}
    assert by_school == {"maker": "good", "strict": "bad", "clean": "good"}
    low = [volts("U2.14", 4.6)]
    assert rails_of(rail_board(), low, "clean").points[2].verdict == "doubtful"
    assert rails_of(rail_board(), low, "maker").points[2].verdict == "bad"
