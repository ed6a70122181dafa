"""Questions asked of a board, and where its parts and pins lie."""

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.boards.model import BoardDefinition, KeepOut, Part, RomSlot
from loyal_trace.core.boards.outline import body_size, pin_places
from loyal_trace.core.roms.images import KnownChecksum
from loyal_trace.core.roms.sockets import own_sockets
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import in_order, natural_key
from tests.helpers.builders import small_board


def test_unknown_parts_nets_and_slots_are_refused_by_name():
    board = small_board()
    for ask, name in ((board.part, "U9"), (board.slot, "U1")):
        with pytest.raises(RequestError, match=name):
            ask(name)
    assert not board.has("U9") and board.has("U1")


def test_pins_of_no_net_have_no_neighbours():
    board = small_board()
    assert board.net_of("U1", 14) is None and board.others_on_net("U1", 14) == ()
    assert board.others_on_net("U1", 3) == (("U2", 1),)


def test_neighbours_come_nearest_first_and_not_the_part_itself():
    board = small_board()
    assert [p.refdes for p in board.neighbours("U1", 100)] == ["U2", "C1"]
    assert [p.refdes for p in board.neighbours("U1", 40)] == ["U2"]
    assert board.neighbours("U1", 10) == ()


def test_parts_of_other_revisions_are_not_fitted():
    parts = (Part("R1", "1k", kind="resistor", revisions=("B",)), Part("R2", "1k", kind="resistor"))
    board = small_board(parts=parts, nets=())
    assert [p.refdes for p in board.fitted("A")] == ["R2"] and len(board.fitted("B")) == 2


def test_the_lowest_limit_over_a_place_counts():
    zones = (KeepOut(0, 0, 100, 40, 100, "lid"), KeepOut(20, 50, 20, 25, 20, "shield"))
    board = small_board(keep_outs=zones)
    assert board.height_limit_at(board.part("C1")) == (25, "shield")
    assert board.height_limit_at(board.part("U2")) == (40, "lid")
    assert small_board().height_limit_at(board.part("U1")) is None


def test_reference_designators_sort_as_people_count():
    assert in_order(["C10", "C2", "10A", "2B", "U1", "2A"]) == ["C2", "C10", "U1", "2A", "2B", "10A"]


@given(st.lists(st.from_regex(r"[A-Z0-9]{1,5}", fullmatch=True), max_size=12))
def test_natural_order_is_a_total_order(names):
    ordered = in_order(names)
    assert sorted(ordered) == sorted(names) and all(natural_key(a) <= natural_key(b) for a, b in pairwise(ordered))


@pytest.mark.parametrize("rotation", [0, 90, 180, 270])
@pytest.mark.parametrize("package", ["DIP-14", "DIP-20", "DIP-28", "DIP-40"])
def test_pins_lie_in_two_rows_around_the_body_whatever_the_rotation(package, rotation):
    part = Part("U1", "x", package, x=100, y=50, rotation=rotation)
    places, pins = pin_places(part), int(package[4:])
    assert len(places) == len(set(places.values())) == pins
    assert sum(x for x, _ in places.values()) / pins == pytest.approx(100)
    assert sum(y for _, y in places.values()) / pins == pytest.approx(50)
    (x1, y1), (x2, y2) = places[1], places[2]
    assert abs(x1 - x2) + abs(y1 - y2) == pytest.approx(2.54)
    width, height = body_size(part)
    assert (width > height) == (rotation % 180 == 0)


def test_pin_one_lies_at_the_lower_left_and_turns_with_the_part():
    lying = pin_places(Part("U1", "x", "DIP-16", x=0, y=0))[1]
    turned = pin_places(Part("U1", "x", "DIP-16", x=0, y=0, rotation=180))[1]
    assert lying[0] < 0 < lying[1] and turned == (-lying[0], -lying[1])
    assert pin_places(Part("C1", "100n", kind="capacitor")) == {}


@pytest.mark.parametrize(
    "kind", ["capacitor", "connector", "bridge", "regulator", "crystal", "fuse", "network", "other"]
)
def test_every_kind_of_part_has_a_body(kind):
    assert min(body_size(Part("X1", "x", "X-4", kind))) > 3


def test_the_word_under_a_refdes_drops_the_series():
    assert Part("U1", "74LS161").short_number == "LS161" and Part("U2", "27C64").short_number == "27C64"
    assert Part("U3", "7400").short_number == "7400"


def test_slots_know_their_sums_by_firmware():
    slot = RomSlot("6A", "27C64", 8192, sums=(("A", (("crc32", "0" * 8),)), ("B", (("crc32", "1" * 8),))))
    assert slot.firmwares == ("A", "B") and slot.expected("B") == {"crc32": "1" * 8} and slot.expected("C") == {}


def test_listed_names_become_sockets_of_the_own_board_unless_a_board_answers_to_them():
    slot = RomSlot("6A", "27C64", 8192, label="TW-0")
    board, own = small_board(rom_slots=(slot,)), BoardDefinition("own", "Own board")
    sums = [
        KnownChecksum(n, (("crc32", "0" * 8),), firmware=f)
        for n, f in (("6a.bin", ""), ("tw-0.bin", ""), ("x.bin", "A"), ("x.bin", "B"), ("4c.bin", ""))
    ]
    grown = own_sockets(sums, {"small": board}, own)
    assert [s.refdes for s in grown.rom_slots] == ["x", "4C"] and grown.firmwares == ("A", "B")
    assert own_sockets(sums[:2], {"small": board}, own) is own
