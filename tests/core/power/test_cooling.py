"""Heat sinks: when one is needed, how good, how large, and what the junction is with the one that is there."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.boards.model import Part
from loyal_trace.core.power.cooling import (
    CASE_AIR,
    JUNCTION_LIMIT,
    SHEET,
    Housing,
    junction_with,
    plate_area,
    plate_in_room,
    sink_need,
)
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.resources import extras

TO220 = Housing(3.0, 62.0)
WATT = st.floats(0.01, 60.0)


def test_a_small_heat_needs_no_sink_and_the_bound_is_the_package_in_still_air():
    most = (JUNCTION_LIMIT - CASE_AIR) / TO220.junction_air
    assert sink_need(most * 0.999, TO220).needed is None
    assert sink_need(most * 1.001, TO220).needed is not None
    assert "none is needed" in sink_need(0.5, TO220).words


def test_four_watts_in_a_to_220_need_ten_kelvin_a_watt():
    need = sink_need(4.0, TO220)
    assert need.needed == pytest.approx((100 - 45) / 4 - 3 - 0.8) and need.bare == 45 + 4 * 62
    assert "at most 9.9 K/W" in need.words and "far beyond its limit" in need.words
    assert "132 °C" in sink_need(1.4, TO220).words


def test_where_no_sink_is_enough_it_is_said():
    need = sink_need(30.0, TO220)
    assert need.needed < 0 and "no heat sink is enough" in need.words


@given(WATT, st.floats(0.5, 20.0), st.floats(20.0, 200.0))
def test_with_the_sink_that_is_asked_for_the_junction_is_at_its_limit(power, case, air):
    housing = Housing(case, case + SHEET + air)
    need = sink_need(power, housing)
    if need.needed is None:
        assert CASE_AIR + power * housing.junction_air <= JUNCTION_LIMIT
    elif need.needed > 0:
        assert junction_with(power, housing, need.needed) == pytest.approx(JUNCTION_LIMIT)
        assert need.needed <= air, "never a worse one than still air by itself"


@given(WATT)
def test_more_heat_asks_for_a_better_sink(power):
    one, more = sink_need(power, TO220).needed, sink_need(power * 1.1, TO220).needed
    assert one is None or (more is not None and more < one)


def test_a_plate_in_still_air_has_the_area_of_its_resistance():
    assert plate_area(10.0) == pytest.approx(1 / (2 * 9 * 10))
    with pytest.raises(RequestError):
        plate_area(0.0)


@given(st.floats(2.6, 100.0), st.one_of(st.none(), st.floats(0.005, 0.2)))
def test_a_plate_keeps_its_area_in_any_room_or_has_none(sink, height):
    found = plate_in_room(sink, height)
    if found is None:
        assert height is not None and plate_area(sink) / min(height, math.sqrt(plate_area(sink))) > 0.15
        return
    width, tall = found
    assert width * tall == pytest.approx(plate_area(sink)) and width <= 0.15 + 1e-9
    assert height is None or tall <= height + 1e-12


def test_no_board_has_room_for_the_plate_of_a_very_good_sink():
    assert plate_in_room(1.0, None) is None and plate_in_room(10.0, 0.0) is None


@pytest.mark.parametrize(
    ("package", "case"), [("TO-3", 3.0), ("TO-220", 3.0), ("TO-126", 8.0), ("TO-92", 80.0), ("DIP-14", None)]
)
def test_packages_are_known_by_their_names(package, case):
    found = extras().housing_of(Part("X", "x", package, "transistor"))
    assert (found.junction_case if found else None) == case


def test_a_negative_heat_is_refused():
    with pytest.raises(RequestError, match="power"):
        sink_need(-1.0, TO220)
