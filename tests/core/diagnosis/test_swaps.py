"""The puzzle of swaps: bodies, places and spares together."""

from datetime import datetime

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from loyal_trace.core.diagnosis.swaps import OUTCOMES, Exchange, Puzzle, Solved, solve
from loyal_trace.core.diagnosis.tried import CHANGES, Tried
from loyal_trace.core.vocabulary.identity import PartRef

PRIOR = {"U7": 0.3, "U8": 0.05, "U9": 0.05}


def spare(name, outcome, place="U7"):
    return Exchange(place, name, "", outcome, place)


def twin(one, other, outcome):
    return Exchange(one, other, other, outcome, one)


def solved(*exchanges, prior=PRIOR):
    return solve(Puzzle(exchanges, prior, frozenset({"spare A", "spare B", "spare C"})))[0]


def test_a_fault_that_moves_with_the_part_is_in_the_part():
    found = solved(twin("U7", "U8", "moves"))
    assert found.bodies["U7"] > 0.9 and found.places["U7"] < 0.1 and found.bodies["U8"] < 0.1


def test_a_fault_that_stays_is_in_the_place_or_elsewhere_not_in_the_part():
    found = solved(twin("U7", "U8", "stays"))
    assert found.bodies["U7"] < 0.35 and found.places["U7"] + found.elsewhere > 0.7


def test_one_spare_cures_and_the_other_does_not_so_the_other_is_bad():
    found = solved(spare("spare A", "stays"), spare("spare B", "gone"))
    assert found.bodies["spare A"] > 0.7 and found.bodies["U7"] > 0.75 and found.bodies["spare B"] < 0.1


def test_two_spares_that_change_nothing_speak_for_the_place():
    one = solved(spare("spare A", "stays"))
    two = solved(spare("spare A", "stays"), spare("spare B", "stays"))
    assert two.bodies["U7"] < one.bodies["U7"] and two.places["U7"] > one.places["U7"]
    assert two.bodies["spare A"] < 0.3, "two bad spares are less likely than one bad place"


def test_a_spare_that_changes_nothing_where_another_cures_is_bad_and_the_cure_names_the_part():
    found = solved(spare("spare A", "stays"), spare("spare A", "stays", "U8"), spare("spare B", "gone", "U8"))
    once = solved(spare("spare A", "stays"))
    assert found.bodies["spare A"] > once.bodies["spare A"]
    assert found.bodies["U8"] > found.bodies["U7"], "the one fault went with U8, which was the less likely before"


def tried(parts, sort, changed):
    return Tried(tuple(PartRef("b", part) for part in parts.split()), sort, changed, datetime.min)


def test_trials_and_swaps_are_one_puzzle():
    wobbled, swapped = tried("U7", "touched", True), spare("spare A", "stays")
    alone, both = solved(wobbled), solved(wobbled, swapped)
    assert both.places["U7"] > 0.7 > alone.places["U7"] + 0.1 and both.bodies["U7"] < alone.bodies["U7"]
    body = solved(tried("U7", "heat", True), spare("spare A", "gone"))
    assert body.bodies["U7"] > 0.9 and body.places["U7"] < 0.05
    elsewhere = solved(tried("U7", "out", False), spare("spare A", "stays"), tried("U8", "heat", True))
    assert elsewhere.of_part("U8") > elsewhere.of_part("U7")


@pytest.mark.parametrize("sort", sorted(CHANGES))
def test_what_changes_the_fault_counts_against_the_part_and_what_does_not_counts_for_it(sort):
    changed, same = solved(tried("U7", sort, True)), solved(tried("U7", sort, False))
    assert changed.of_part("U7") > changed.before("U7") > same.of_part("U7")
    together = solved(tried("U7 U8 U9", sort, True))
    assert together.of_part("U7") < changed.of_part("U7")
    assert changed.bits_of(tried("U7", sort, True)) > 0


def test_many_moves_are_weighed_in_groups_and_none_is_lost():
    parts = [f"U{n}" for n in range(20)]
    found = solve(Puzzle(tuple(tried(part, "heat", part == "U0") for part in parts), {}))
    assert len(found) > 1 and {name for group in found for name in group.places} == set(parts)
    assert max((group.of_part(name), name) for group in found for name in group.places)[1] == "U0"


def test_the_move_that_tells_most_is_the_one_not_made_yet():
    found = solved(spare("spare A", "stays"))
    assert found.bits_of(twin("U7", "U8", "stays")) > 0.05
    settled = solved(twin("U7", "U8", "moves"), spare("spare B", "gone"))
    assert settled.bits_of(spare("spare C", "gone")) < found.bits_of(twin("U7", "U8", "stays"))
    assert settled.of_part("U7") > 0.95


@given(
    st.lists(
        st.tuples(
            st.sampled_from(["U7", "U8", "U9"]),
            st.sampled_from(["U7", "U8", "U9", "spare A", "spare B"]),
            st.sampled_from(OUTCOMES),
        ),
        min_size=1,
        max_size=12,
    )
)
@settings(max_examples=60, deadline=None)
def test_whatever_was_told_the_probabilities_stay_probabilities(told):
    exchanges = [
        spare(other, end, one) if other.startswith("spare") else twin(one, other, end)
        for one, other, end in told
        if one != other
    ]
    found = solved(*exchanges) if exchanges else None
    for p in (*found.bodies.values(), *found.places.values(), found.elsewhere) if found else ():
        assert 0 <= p <= 1


@pytest.mark.parametrize("count", [3, 30])
def test_many_exchanges_are_weighed_as_far_as_they_fit(count):
    exchanges = [spare(f"spare {n}", "stays", f"U{n}") for n in range(count)]
    groups = solve(Puzzle(tuple(exchanges), {}, frozenset(f"spare {n}" for n in range(count))))
    assert all(len(group.bodies) + len(group.places) < 16 for group in groups)
    assert sum(len(group.places) for group in groups) == count


def test_without_exchanges_a_part_and_its_place_are_independent():
    assert Solved({"U7": 0.3}, {"U7": 0.2}, 0.0).of_part("U7") == pytest.approx(0.44)
