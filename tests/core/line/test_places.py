"""Places: ranges, rectangles, boards, pins by number and by name."""

import pytest

from loyal_trace.core.job.entries import PinTold
from loyal_trace.core.line.context import Refusal
from loyal_trace.core.line.places import Places, looks_like_place, within
from tests.helpers.builders import made
from tests.helpers.lines import TIDEWRACK, context, read, recorded

V = "tw-vid"


@pytest.mark.parametrize(
    ("refdes", "first", "last", "inside"),
    [
        ("C1", "C1", "C4", True),
        ("C4", "C1", "C4", True),
        ("C5", "C1", "C4", False),
        ("C10", "C2", "C20", True),
        ("C3", "C4", "C1", True),
        ("R2", "C1", "C4", False),
        ("1A", "1A", "5F", True),
        ("5F", "1A", "5F", True),
        ("3C", "5F", "1A", True),
        ("6A", "1A", "5F", False),
        ("1G", "1A", "5F", False),
        ("0A", "1A", "5F", False),
        ("3C", "4A", "4F", False),
        ("C3", "1A", "5F", False),
    ],
)
def test_a_range_counts_designators_or_is_a_rectangle_of_the_grid(refdes, first, last, inside):
    assert within(refdes, first, last) is inside


def places_of(text, where=None):
    return [part.refdes for part in Places(where or context()).several(text)[0].parts]


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("C1-C3", ["C1", "C2", "C3"]),
        ("c2 - c1", ["C1", "C2"]),
        ("5D, 5A and 4C", ["5D", "5A", "4C"]),
        ("5D 5D", ["5D"]),
        ("5A-5D", ["5A", "5B", "5D"]),
    ],
)
def test_a_list_is_written_out_in_its_order_each_place_once(text, names):
    assert places_of(text) == names


def test_a_range_without_a_single_place_is_refused_with_its_ends():
    with pytest.raises(Refusal) as why:
        places_of("C71-C79")
    assert why.value.message.facts["place"] == "C71-C79"


def test_pins_are_found_by_number_by_the_types_names_and_by_names_that_were_told():
    told = made(PinTold, board=V, place="5D", pin=3, name="SPARE")
    for line, pin in (("5D.13 low", 13), ("5D.QH low", 13), ("5D.spare low", 3), ("5D-16 high", 16)):
        ((_, fields),) = recorded(line, context(entries=[told]))
        assert [p.pin for p in fields["pins"]] == [pin], line
    for line in ("5D.0 low", "5D.17 low", "5D.QX low"):
        assert read(line).message.id == "unknown-pin", line


@pytest.mark.parametrize(
    ("text", "looks"), [("5D", True), ("U77", True), ("2nd", False), ("5V", False), ("hello", False)]
)
def test_units_and_ordinals_are_no_places(text, looks):
    assert looks_like_place(text, Places(context())) is looks


def test_a_list_over_two_boards_is_of_the_board_that_has_all_of_it():
    found = Places(context(TIDEWRACK)).several("5D, 4G")
    assert {part.board for one in found for part in one.parts} <= {"tw-cpu", "tw-vid"}
    assert [part.board for part in Places(context(TIDEWRACK)).several("TW-VID 5D, 4C")[0].parts] == [V, V]


def test_with_two_boards_what_is_typed_again_names_the_board():
    for line in ("TW-VID supply +5: to 5D.16", "TW-VID serial: 5", "TW-VID rail +5 to ground 4.2 ohm"):
        assert read(line, context(TIDEWRACK)).said.canonical.startswith("TW-VID "), line
        assert not read(line.removeprefix("TW-VID ")).said.canonical.startswith("TW-VID "), line
