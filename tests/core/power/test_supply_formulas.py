"""Sums of a supply and verdicts along it: numbers checked against hand calculation."""

import math

import pytest

from loyal_trace.core.boards.supplies import ChainPoint
from loyal_trace.core.job import entries as e
from loyal_trace.core.power.formulas import peak_voltage, ripple_voltage
from tests.helpers.builders import made, rails_of, small_board


def test_supply_sums():
    assert ripple_voltage(1.5, 4700e-6, 100) == pytest.approx(3.19, abs=0.01)
    assert peak_voltage(9.0, 0.85) == pytest.approx(9 * math.sqrt(2) - 1.7)


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
