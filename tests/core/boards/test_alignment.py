"""Photos aligned to the board: exact on synthetic views, honest about what the points cannot fix."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.boards.alignment import align, reference_parts
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.vocabulary.errors import RequestError

CORNERS = [(5.0, 5.0), (250.0, 8.0), (246.0, 190.0), (10.0, 195.0)]
INSIDE = [(x, y) for x in (20.0, 128.0, 240.0) for y in (15.0, 100.0, 185.0)]


def view(tilt, turn=0.3, scale=12.0):
    """A camera's view of the board: turned, scaled, moved, and seen at a slant (`tilt`, per millimetre)."""
    c, s = scale * np.cos(turn), scale * np.sin(turn)
    return np.array([[c, -s, 900.0], [s, c, 400.0], [tilt, -tilt / 2, 1.0]])


def seen(matrix, point):
    u, v, w = matrix @ np.array([*point, 1.0])
    return u / w, v / w


@given(st.floats(-4e-4, 4e-4), st.floats(-3.1, 3.1), st.floats(2, 40))
def test_four_points_align_a_slanted_photo_to_a_hundredth_of_a_pixel(tilt, turn, scale):
    camera = view(tilt, turn, scale)
    found = align(CORNERS, [seen(camera, p) for p in CORNERS])
    for point in INSIDE:
        assert np.allclose(found.on_photo(*point), seen(camera, point), atol=0.01)
        assert np.allclose(found.on_board(*seen(camera, point)), point, atol=0.001)
    assert found.residual < 0.01 and found.points == 4


def test_more_points_average_the_error_of_the_hand_and_the_residual_says_how_large_it_is():
    rng = np.random.default_rng(5)
    camera, points = view(2e-4), CORNERS + INSIDE
    clicked = [np.add(seen(camera, p), rng.normal(0, 2, 2)) for p in points]
    many, four = align(points, clicked), align(points[:4], clicked[:4])
    worst = [max(np.hypot(*np.subtract(f.on_photo(*p), seen(camera, p))) for p in INSIDE) for f in (many, four)]
    assert 0.5 < many.residual < 4 and worst[0] < worst[1] and worst[0] < 4


@pytest.mark.parametrize("count", [2, 3])
def test_two_or_three_points_align_what_was_taken_straight_from_above(count):
    camera = view(0.0)
    found = align(CORNERS[:count], [seen(camera, p) for p in CORNERS[:count]])
    assert all(np.allclose(found.on_photo(*p), seen(camera, p), atol=1e-6) for p in INSIDE)


@pytest.mark.parametrize(
    ("board", "photo", "words"),
    [
        ([(0, 0)], [(1, 1)], "2 points or more"),
        ([(0, 0), (1, 1)], [(0, 0)], "2 points or more"),
        ([(0, 0), (0, 0)], [(0, 0), (9, 9)], "the same"),
        ([(0, 0), (1, 1), (2, 2), (3, 3)], [(0, 0), (1, 0), (2, 0), (3, 1)], "on one line"),
        ([(0, 0), (1, 1), (2, 2)], [(0, 0), (1, 0), (2, 1)], "on one line"),
        ([(0, 0), (1, 1)], [(0, float("nan")), (9, 9)], "not a number"),
    ],
)
def test_points_that_fix_nothing_are_refused_with_the_reason(board, photo, words):
    with pytest.raises(RequestError, match=words):
        align(board, photo)


def test_the_parts_to_click_are_those_nearest_to_the_corners_clockwise():
    at = {
        "U1": (20, 30),
        "U2": (10, 90),
        "U3": (180, 20),
        "U4": (190, 95),
        "U5": (100, 50),
        "U6": (15, 60),
        "U7": (150, 8),
    }
    parts = tuple(Part(name, "74LS00", "DIP-14", x=x, y=y, placed=True) for name, (x, y) in at.items())
    found = reference_parts(BoardDefinition("b", "b", parts=parts, width=200.0, height=100.0))
    assert [part.refdes for part in found] == ["U1", "U3", "U4", "U2"]
    assert reference_parts(BoardDefinition("b", "b", parts=parts[:2], width=200.0, height=100.0)) == parts[:2]
