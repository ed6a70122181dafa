"""The plan's order and its parts list; teardown steps as one line each."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.planning.steps import PartNeed, Plan, Step, order_key
from loyal_trace.core.planning.teardown import parse_step, step_words
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import PartRef


def step(refdes, kind="chip", **more):
    return Step(refdes, kind, PartRef("b", refdes), "do it", "because", 5.0, **more)


LEG = step("U9", "leg")
SOCKETED = step("U2", socketed=True, probability=0.2)
LIKELY = step("U10", probability=0.9)
LOW, TALL = step("C2", "capacitor", height=4.0), step("C1", "capacitor", height=25.0)


@pytest.mark.parametrize(
    ("order", "names"),
    [
        ("least invasive", ["U2", "U9", "C2", "U10", "C1"]),
        ("likely first", ["U10", "U2", "U9", "C1", "C2"]),
        ("capacitors first", ["C2", "C1", "U2", "U9", "U10"]),
    ],
)
def test_each_order_puts_first_what_it_promises(order, names):
    steps = sorted([TALL, LIKELY, LOW, LEG, SOCKETED], key=lambda s: order_key(s, order))
    assert [s.place.refdes for s in steps] == names


@pytest.mark.parametrize("order", ["least invasive", "likely first", "capacitors first"])
def test_content_is_rescued_before_everything_and_parts_go_back_after_everything(order):
    steps = [step("U1", "give-back"), LIKELY, step("U3", "put-back"), step("U4", "rescue")]
    kinds = [s.kind for s in sorted(steps, key=lambda s: order_key(s, order))]
    assert kinds[0] == "rescue" and set(kinds[2:]) == {"give-back", "put-back"}


def test_designators_are_ordered_as_people_count():
    steps = sorted([step("U10"), step("U9"), step("U1")], key=lambda s: order_key(s, "least invasive"))
    assert [s.place.refdes for s in steps] == ["U1", "U9", "U10"]


def test_only_what_the_drawer_lacks_is_ordered():
    assert PartNeed("74LS00", 3, 1, ()).to_order == 2 and PartNeed("74LS00", 1, 4, ()).to_order == 0
    assert Plan((step("U1", done=True), step("U2")), (), "likely first").done == 1


@pytest.mark.parametrize(
    ("text", "sort", "count", "size", "what"),
    [
        ("4 M3x8 screws, bottom shield", "fastener", 4, "M3x8", "screws"),
        ("M3x8, lid", "fastener", 1, "M3x8", "fastener"),
        ("ribbon, J3, red stripe left", "cable", 1, "", "ribbon"),
        ("top cover", "shield", 1, "", "top cover"),
        ("2 x 10 mm posts", "fastener", 2, "10 mm", "posts"),
        ("hot melt, C4", "glue", 1, "", "hot melt"),
        ("3 beads", "other", 3, "", "beads"),
    ],
)
def test_a_line_of_teardown_is_taken_apart(text, sort, count, size, what):
    found = parse_step(text)
    assert (found["sort"], found["count"], found["size"], found["what"]) == (sort, count, size, what)


@pytest.mark.parametrize(
    ("text", "words"),
    [("", "type what"), (", lid", "type what"), ("0 screws", "how many"), ("cable, J3", "orientation of the cable")],
)
def test_a_line_that_would_be_regretted_later_is_asked_again(text, words):
    with pytest.raises(RequestError, match=words):
        parse_step(text)


@given(
    st.integers(1, 20),
    st.sampled_from(["", "M3x8", "M2.5", "10 mm"]),
    st.sampled_from(["screws", "ribbon", "lid", "beads"]),
    st.sampled_from(["J3", "bottom shield"]),
)
def test_a_step_can_be_typed_again_from_its_words(count, size, what, place):
    fields = parse_step(f"{count} {size} {what}, {place}, red stripe left")
    assert parse_step(step_words(fields)) == fields
