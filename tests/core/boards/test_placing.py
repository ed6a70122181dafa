"""Parts placed from a photo: what was clicked gives back where the part is and how it is turned."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.boards.alignment import align
from loyal_trace.core.boards.model import Part
from loyal_trace.core.boards.outline import pin_places
from loyal_trace.core.boards.placing import cornered, is_mirrored, laid_over, placed, row_length, scaled, size_from
from loyal_trace.core.vocabulary.errors import RequestError


@given(
    st.sampled_from([8, 14, 16, 20, 24, 28, 40]),
    st.sampled_from([0, 90, 180, 270]),
    st.floats(20, 200),
    st.floats(20, 200),
    st.floats(-0.6, 0.6),
    st.floats(-0.6, 0.6),
)
def test_two_clicks_near_the_corner_pins_give_the_part_back(pins, rotation, x, y, du, dv):
    part = Part("U1", "", f"DIP-{pins}", x=x, y=y, rotation=rotation)
    places = pin_places(part)
    first, opposite = places[1], places[pins // 2 + 1]
    found = placed(Part("U1", "", f"DIP-{pins}"), (first[0] + du, first[1] + dv), opposite)
    assert found.rotation == rotation and math.dist((found.x, found.y), (x, y)) <= 0.5 * math.hypot(du, dv) + 1e-9
    assert found.misfit <= math.hypot(du, dv) + 1e-9


def test_the_wrong_package_shows_as_a_misfit_and_a_round_part_gets_its_diameter():
    sixteen = pin_places(Part("U1", "", "DIP-16", x=50, y=50))
    assert placed(Part("U1", "", "DIP-14"), sixteen[1], sixteen[9]).misfit > 2
    can = placed(Part("C1", "100u", kind="capacitor", polarised=True), (10, 10), (16, 18))
    assert (can.x, can.y, can.diameter) == (13, 14, 10.0)
    assert placed(Part("U9", "HYB-3"), (0, 10), (4, 40)).rotation == 90
    with pytest.raises(RequestError, match="same point"):
        placed(Part("C1", ""), (1, 1), (1, 1))


def test_one_known_length_sets_the_scale_and_corners_the_size():
    assert row_length(Part("U3", "4066", "DIP-14")) == pytest.approx(15.24)
    assert row_length(Part("C1", "")) is None
    found = laid_over(scaled((100, 200), (400, 600), 50.0))
    assert found.on_board(100, 200) == pytest.approx((10, 20)) and found.on_board(0, 0) == pytest.approx(
        (0, 0), abs=1e-9
    )
    assert size_from(found, [(0, 0), (1000, 0), (1000, 600), (0, 600)]) == (100.0, 60.0)
    with pytest.raises(RequestError, match="further apart"):
        scaled((0, 0), (3, 4), 50)
    with pytest.raises(RequestError, match="no board"):
        size_from(found, [(0, 0), (1, 0), (1, 1), (0, 1)])


def test_the_corners_of_a_slanted_photo_straighten_it_and_the_solder_side_is_known_by_them():
    slanted = [(100, 80), (900, 120), (850, 700), (150, 640)]
    found = laid_over(cornered(slanted, (168, 122)))
    assert found.on_board(850, 700) == pytest.approx((168, 122)) and not is_mirrored(found)
    mirrored = [(900 - u, v) for u, v in slanted]
    assert is_mirrored(align([(0, 0), (168, 0), (168, 122), (0, 122)], mirrored))
