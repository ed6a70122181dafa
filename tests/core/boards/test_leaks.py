"""Leaking capacitors: what they reach, and what is left to inspect."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.assess.looking import leak_reach, leaks_on
from loyal_trace.core.boards.leaks import SIDES, leaks, within_reach
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.job import entries as e
from tests.helpers.builders import made, moment_of, small_board

GRID = tuple(Part(f"R{x}{y}", "10k", kind="resistor", x=10.0 * x, y=10.0 * y) for x in range(9) for y in range(9))
BOARD = BoardDefinition("small", "Small", parts=GRID)


def names(found):
    return {part.refdes for part, _ in found}


def seen(place, finding):
    return made(e.Observed, board="small", place=place, finding=finding)


def by_part(*entries):
    found = {}
    for entry in entries:
        found.setdefault(entry.place, []).append(entry)
    return found


@given(st.sampled_from([p.refdes for p in GRID]), st.floats(5, 60))
def test_reach_is_a_circle_when_nobody_knows_how_the_board_stood(refdes, distance):
    here = BOARD.part(refdes)
    near = within_reach(BOARD, refdes, distance)
    assert names(near) == {
        p.refdes for p in GRID if p is not here and ((p.x - here.x) ** 2 + (p.y - here.y) ** 2) ** 0.5 <= distance
    }
    assert [apart for _, apart in near] == sorted(apart for _, apart in near)


@pytest.mark.parametrize(("down", "further"), [("bottom", "R48"), ("top", "R40"), ("left", "R04"), ("right", "R84")])
def test_electrolyte_runs_down_twice_as_far_and_never_less_far_up(down, further):
    flat, stood = names(within_reach(BOARD, "R44", 20)), names(within_reach(BOARD, "R44", 20, down))
    assert further in stood and further not in flat and flat <= stood and SIDES[down] != (0.0, 0.0)


def test_a_neighbour_is_open_until_it_was_looked_at_after_the_leak():
    before, leak = seen("R45", "looks good"), seen("R44", "leaking")
    (found,) = leaks(BOARD, by_part(before, leak), 10)
    assert {r.refdes for r in found.open} == {"R43", "R45", "R34", "R54"}, (
        "what was seen before the leak does not count"
    )
    after = [seen("R45", "looks good"), seen("R43", "residue"), seen("R34", "corroded")]
    (found,) = leaks(BOARD, by_part(before, leak, *after), 10)
    assert {r.refdes: r.status for r in found.reached} == {
        "R45": "done",
        "R43": "clean it",
        "R34": "done",
        "R54": "inspect",
    }
    (found,) = leaks(BOARD, by_part(before, leak, *after, seen("R43", "cleaned")), 10)
    assert {r.refdes for r in found.open} == {"R54"}


def test_a_can_renewed_since_still_has_neighbours_to_inspect():
    (found,) = leaks(BOARD, by_part(seen("R44", "leaking"), seen("R44", "looks good")), 10)
    assert found.refdes == "R44" and len(found.open) == 4
    assert leaks(BOARD, by_part(seen("R44", "corroded"), seen("XX", "leaking")), 10) == ()


@pytest.mark.parametrize(("choice", "reach"), [(None, 35.0), ("50 mm", 50.0), ("far", 35.0), ("", 35.0)])
def test_the_distance_is_a_setting_of_the_job(choice, reach):
    entries = [seen("C1", "leaking")] + (
        [made(e.Decided, what="leak reach", choice=choice)] if choice is not None else []
    )
    moment = moment_of(None, entries)
    assert leak_reach(moment) == reach
    (found,) = leaks_on(moment, "small")
    assert {r.refdes for r in found.reached} == ({"U1", "U2"} if reach > 41 else set()) and found.refdes == "C1"


def test_no_reach_is_worked_out_where_nobody_said_where_the_parts_are():
    parts = tuple(replace(part, placed=False) for part in small_board().parts)
    board = small_board(parts=parts)
    assert within_reach(board, "C1", 500.0) == ()
    one = small_board(parts=(*parts[:2], replace(parts[2], placed=True)))
    assert within_reach(one, "C1", 500.0) == (), "a part that is merely laid out has no distance"
    assert [p.refdes for p, _ in within_reach(small_board(), "C1", 500.0)] == ["U1", "U2"]
