"""Hunting a short: lifts that halve, track readings that point, and what both say together."""

import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.job.entries import Fitted, Lifted
from loyal_trace.core.power.shorts import find_short, next_lift, parts_on
from loyal_trace.core.simulation.bench import HiddenFault
from loyal_trace.demo.common import boards_of
from loyal_trace.demo.corvane import CORVANE_BOARD, corvane_bench
from tests.helpers.builders import assessment_of, made, measured


def rail_board(count, socketed=()):
    """A row of chips on one net, 20 mm apart."""
    parts = tuple(
        Part(f"U{n}", "74LS00", "DIP-14", x=20.0 * n, y=10.0, socketed=n in socketed) for n in range(1, count + 1)
    )
    plug = Part("J1", "plug", kind="connector")
    pins = (("J1", 1), *((part.refdes, 14) for part in parts))
    return BoardDefinition("small", "Small", parts=(*parts, plug), nets=(("VCC", pins),))


def lifted(parts, value):
    return made(Lifted, board="small", place="VCC", parts=tuple(parts), value=value)


@given(count=st.integers(2, 40), data=st.data())
@settings(max_examples=60, deadline=None)
def test_each_lift_halves_until_the_culprit_is_named(count, data):
    culprit = data.draw(st.integers(1, count))
    board = rail_board(count, data.draw(st.sets(st.integers(1, count))))
    lifts, found = [], find_short(board, "VCC", 1.4, [], {})
    while not found.culprit:
        gone = f"U{culprit}" in found.lift
        lifts.append(lifted(found.lift, 420.0 if gone else 1.4))
        found = find_short(board, "VCC", 1.4, lifts, {})
        assert len(lifts) <= 3 + 2 * math.ceil(math.log2(count)), "more than twice the halvings"
    assert found.culprit == f"U{culprit}"


def test_parts_that_only_have_to_be_pulled_are_lifted_before_those_with_solder():
    found = find_short(rail_board(8, {2, 5, 7}), "VCC", 2.0, [], {})
    assert set(found.lift) <= {"U2", "U5", "U7"} and "J1" not in dict(found.candidates)


def test_one_wrong_reading_does_not_clear_the_culprit_for_good():
    lifts = [lifted(["U1", "U2"], 1.4), lifted(["U1"], 400.0), lifted(["U1"], 410.0), lifted(["U1"], 405.0)]
    assert find_short(rail_board(4), "VCC", 1.4, lifts, {}).culprit == "U1"


@pytest.mark.parametrize("culprit", [1, 4, 9])
def test_milliohms_along_the_track_point_at_the_nearest_part(culprit):
    board = rail_board(9)
    track = {f"U{n}": 0.02 + 2e-4 * abs(20.0 * (n - culprit)) for n in (1, 3, 6, 9)}
    ranked = find_short(board, "VCC", 0.02, [], track).candidates
    assert ranked[0][0] == f"U{culprit}" and ranked[0][1] > 2.0 / 9


def test_with_solder_everywhere_reading_the_track_is_offered_as_cheaper():
    found = find_short(rail_board(12), "VCC", 1.0, [], {})
    assert {"U1", "U12"} <= set(found.track) and "min) splits the probability" in found.why


def test_a_net_without_parts_says_so_and_shares_always_add_up():
    assert "names no part" in find_short(rail_board(3), "GND", 1.0, [], {}).why
    assert parts_on(rail_board(3), "GND") == ()
    board = rail_board(6)
    found = find_short(board, "VCC", 1.0, [lifted(["U1", "U2", "U3"], 1.0)], {})
    assert sum(share for _, share in found.candidates) == pytest.approx(1.0)
    assert next_lift([board.part("U4")], {"U4": 1.0}) == ("U4",)


def test_the_lift_that_frees_the_rail_is_evidence_against_that_part_alone():
    entries = [measured("U1.14", "resistance to ground", 1.2), lifted(["U1", "U2"], 1.2), lifted(["U3"], 300.0)]
    found = assessment_of(rail_board(3), entries)
    assert found.suspect_at(("small", "U3")).probability > 0.8
    assert all(s.probability < 0.2 for s in found.suspects if s.place[1] != "U3")


def test_a_shorted_capacitor_on_the_bench_is_found_by_lifting_what_is_proposed():
    bench = corvane_bench()
    bench.faults.append(HiddenFault(CORVANE_BOARD, "C54", "shorted", factor=1.6))
    board = boards_of((CORVANE_BOARD,))[CORVANE_BOARD]
    baseline, lifts = bench.to_ground(CORVANE_BOARD, "5H.8"), []
    found = find_short(board, "VCC", baseline, lifts, {})
    while not found.culprit:
        value = bench.to_ground(CORVANE_BOARD, "5H.8", lifted=found.lift)
        lifts.append(made(Lifted, board=CORVANE_BOARD, place="VCC", parts=found.lift, value=value))
        found = find_short(board, "VCC", baseline, lifts, {})
        assert len(lifts) < 10
    assert baseline < 2 and found.culprit == "C54" and "the short goes when C54" in found.why
    track = {r: bench.measure(CORVANE_BOARD, r, "track resistance") for r in ("5A", "5H", "4G", "C51", "C57")}
    near = [r for r, _ in find_short(board, "VCC", baseline, [], track).candidates[:4]]
    assert "C54" in near, "the track alone comes close"


def test_the_part_with_which_a_short_went_is_evidence_until_it_was_replaced():
    board = rail_board(3)
    short = measured("U1.14", "resistance to ground", 1.4)
    lifts = [lifted(["U2"], 410.0), lifted(["U1"], 1.4), lifted(["U2"], 420.0)]
    found = assessment_of(board, [short, *lifts]).suspect_at(("small", "U2"))
    assert found.probability > 0.5 and any(line.kind == "short-gone" for line in found.against)
    fitted = made(Fitted, board="small", place="U2", number="74LS00", origin="tray 1")
    again = assessment_of(board, [short, *lifts, fitted]).suspect_at(("small", "U2"))
    assert again is None or not any(line.kind == "short-gone" for line in again.against)
