"""Several sources about one part: which counts, and what is asked about."""

import pytest

from loyal_trace.core.assess.boards import boards_of
from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.told import conflicts_of
from loyal_trace.core.job import entries as e
from loyal_trace.core.job.fold import fold
from tests.helpers.builders import made, small_board
from tests.helpers.lines import LIBRARY

TYPE = {"sort": "chip"}


def told(origin, place="U1", **fields):
    return made(e.PartTold, board="small", place=place, origin=origin, source=f"a {origin}", **fields)


def stands(*entries):
    snapshot = fold(entries)
    defined = {"small": small_board()}
    boards = boards_of(defined, snapshot, LIBRARY)
    moment = Moment(boards, snapshot, LIBRARY, lambda sha: b"")
    found = conflicts_of(moment, boards["small"], defined["small"])
    return boards["small"], [(c.place.refdes, c.aspect, [claim.words for claim in c.claims]) for c in found]


def test_an_import_adds_what_is_not_known_and_overwrites_nothing():
    board, found = stands(told("list", number="74LS244", **TYPE), told("list", "Q9", number="2N3904"))
    assert board.part("U1").number == small_board().part("U1").number and board.part("Q9").number == "2N3904"
    assert found == [("U1", "type", [small_board().part("U1").number, "74LS244"])]


def test_what_a_person_says_counts_and_settles_until_another_source_disagrees_again():
    board, found = stands(told("list", number="74LS244", **TYPE), told("said", number="74LS245", **TYPE))
    assert board.part("U1").number == "74LS245" and not found
    board, found = stands(told("said", number="74LS245", **TYPE), told("netlist", number="74LS240", **TYPE))
    assert board.part("U1").number == "74LS245" and found == [("U1", "type", ["74LS245", "74LS240"])]
    _, found = stands(
        told("said", number="74LS245", **TYPE), told("list", number="X9"), told("said", number="74LS245", **TYPE)
    )
    assert not found


@pytest.mark.parametrize(
    ("first", "second", "agree"),
    [
        ({"number": "74LS245"}, {"number": "SN74LS245N"}, True),
        ({"number": "100u", "value": 1e-4}, {"number": "100uF 16V", "value": 1.0001e-4, "voltage": 16.0}, True),
        ({"number": "100u", "value": 1e-4}, {"number": "10u", "value": 1e-5}, False),
        ({"number": "X 1", "voltage": None}, {"number": "x1"}, True),
        ({"x": 10.0, "y": 10.0}, {"x": 12.0, "y": 11.0}, True),
        ({"x": 10.0, "y": 10.0}, {"x": 40.0, "y": 11.0}, False),
        ({"socketed": True}, {"socketed": False}, False),
        ({"height": 12.0}, {"number": "74LS245"}, True),
    ],
)
def test_two_sources_agree_where_they_say_the_same_in_other_words(first, second, agree):
    _, found = stands(told("list", "Q9", **first), told("photo", "Q9", **second))
    assert bool(found) is not agree


def test_a_source_that_only_adds_the_rating_is_taken():
    board, found = stands(
        told("list", "C9", number="100u", value=1e-4, sort="capacitor"),
        told("netlist", "C9", number="100u 16V", value=1e-4, voltage=16.0, sort="capacitor"),
    )
    assert (board.part("C9").voltage, board.part("C9").number) == (16.0, "100u 16V") and not found


def test_a_position_makes_a_part_placed_and_the_outline_belongs_to_it():
    outline = made(e.OutlineTold, board="own", width=168.0, height=122.0, origin="photo")
    part = made(e.PartTold, board="own", place="U7", x=88.0, y=50.0, rotation=90, origin="photo")
    board = boards_of({}, fold([outline, part]), LIBRARY)["own"]
    assert board.part("U7").placed and (board.part("U7").x, board.part("U7").rotation) == (88.0, 90)
    assert (board.width, board.height) == (168.0, 122.0)


def test_nets_of_a_netlist_leave_pins_where_a_continuity_check_or_file_has_them():
    nets = (e.Net(name="D0", pins=(("U1", 3), ("U9", 2))), e.Net(name="D1", pins=(("U9", 5), ("U8", 5))))
    board, _ = stands(made(e.NetsTold, board="small", nets=nets))
    assert board.net_of("U9", 5) == "D1" and board.has("U8") and not board.part("U8").placed
    was = small_board().net_of("U1", 3)
    assert was is None or board.net_of("U1", 3) == was


def test_pins_that_a_person_found_apart_are_apart_and_the_netlist_that_joins_them_is_shown():
    nets = made(e.NetsTold, board="small", source="a netlist", nets=(e.Net(name="D0", pins=(("U8", 5), ("U9", 5))),))
    pins = {
        "first": e.NamedPart(board="small", refdes="U8", pin=5),
        "second": e.NamedPart(board="small", refdes="U9", pin=5),
    }
    apart = made(e.Connected, board="small", joined=False, **pins)
    board, found = stands(nets, apart)
    assert board.net_of("U9", 5) is None and board.net_of("U8", 5) == "D0"
    assert found == [("U8", "connection", ["U8.5 is not connected to U9.5", "both are on net D0"])]
    board, found = stands(nets, apart, made(e.Connected, board="small", joined=True, **pins))
    assert board.net_of("U9", 5) == board.net_of("U8", 5) and not found
