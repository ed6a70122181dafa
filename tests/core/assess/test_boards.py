"""Boards as they stand: what was said of a board counts over its file, and stays on the board it was said of."""

from dataclasses import replace

import pytest

from loyal_trace.core.assess.boards import boards_of
from loyal_trace.core.boards.model import Part
from loyal_trace.core.job import entries as e
from loyal_trace.core.job.fold import fold
from loyal_trace.core.vocabulary.identity import PartRef
from tests.helpers.builders import made, small_board
from tests.helpers.lines import LIBRARY, context, read, recorded

OTHER = replace(small_board(), id="other", name="Other")
OWN = e.OWN_BOARD


def stands(*entries, boards=None):
    return boards_of(boards or {"small": small_board(), "other": OTHER}, fold(entries), LIBRARY)


def told(place, board="small", **fields):
    return made(e.PartTold, board=board, place=place, **fields)


def pin(place, number, board="small"):
    return e.NamedPart(board=board, refdes=place, pin=number)


def test_a_part_that_was_told_changes_on_its_own_board_alone():
    after = stands(told("U1", number="74LS166", sort="chip"))
    assert after["small"].part("U1").number == "74LS166" and after["small"].part("U1").package == "DIP-16"
    assert after["other"] == OTHER
    assert stands(told("U1", number="A1"), told("U1", number="B2"))["small"].part("U1").number == "B2"


@pytest.mark.parametrize(
    ("fields", "name", "value"),
    [
        ({"socketed": True}, "socketed", True),
        ({"row": "5", "column": "D"}, "column", "D"),
        ({"height": 25.0}, "room_height", 25.0),
        ({"number": "470u 25V", "sort": "capacitor", "value": 4.7e-4, "voltage": 25.0}, "value", 4.7e-4),
    ],
)
def test_each_fact_of_a_part_arrives(fields, name, value):
    assert getattr(stands(told("U1", **fields))["small"].part("U1"), name) == value


def test_what_is_not_said_stays_as_it_was():
    part = stands(told("C1", socketed=False))["small"].part("C1")
    assert part == replace(small_board().part("C1"), socketed=False)


def test_joined_pins_become_one_net_and_a_new_pin_joins_it():
    joined = made(e.Connected, board="small", first=pin("U1", 3), second=pin("U2", 2), joined=True)
    more = made(e.Connected, board="small", first=pin("U2", 2), second=pin("U2", 12), joined=True)
    board = stands(joined, more)["small"]
    nets = [set(members) for _, members in board.nets]
    assert {("U1", 3), ("U2", 1), ("U2", 2), ("U1", 1), ("U2", 12)} in nets and len(nets) == 1
    assert len(stands(joined)["other"].nets) == 2


def test_a_rail_that_was_told_feeds_the_supply_pins_of_its_parts():
    entry = made(e.RailTold, board="small", name="+12 V", nominal=12.0, members=(pin("U1", None),))
    board = stands(entry)["small"]
    rail = next(rail for rail in board.rails if rail.name == "+12 V")
    assert (rail.nominal, rail.low, rail.high) == (12.0, pytest.approx(11.4), pytest.approx(12.6))
    assert ("U1", 14) in dict(board.nets)[rail.net]


def test_a_rom_that_was_told_is_a_socket_with_the_size_of_its_range_or_its_type():
    by_range = made(e.RomTold, board="small", place="U9", number=2, address=0x4000, last=0x5FFF)
    by_type = made(e.RomTold, board="small", place="U8", device="27C64")
    slots = {slot.refdes: slot for slot in stands(by_range, by_type)["small"].rom_slots}
    assert (slots["U9"].size, slots["U9"].number, slots["U9"].address) == (8192, 2, 0x4000)
    assert slots["U8"].size == 8192 and slots["U8"].device == "27C64"


def test_chips_that_are_roms_by_their_type_are_sockets_where_no_definition_lists_them():
    listed = small_board(parts=(*small_board().parts, Part("U7", "2764", "DIP-28"), Part("U8", "6116", "DIP-24")))
    slots = stands(boards={"small": listed})["small"].rom_slots
    assert [(slot.refdes, slot.device, slot.size) for slot in slots] == [("U7", "2764", 8192)], "a RAM is none"
    own = stands(told("6C", OWN, number="27128", sort="chip"), boards={})[OWN]
    assert [(slot.refdes, slot.size) for slot in own.rom_slots] == [("6C", 16384)]


def test_a_chip_that_gave_a_signature_is_a_socket_and_a_gate_gives_none():
    facts = [told("6C", OWN, number="HYB-3", sort="chip"), told("6D", OWN, number="74LS00", sort="chip")]
    ((kind, fields),) = recorded("6C sig 7A5F", context({}, facts))
    taken = made(e.SignatureTaken, **{k: fields[k] for k in ("board", "place", "value")})
    assert kind == "signature" and [s.refdes for s in stands(*facts, taken, boards={})[OWN].rom_slots] == ["6C"]
    refused = read("6D sig 7A5F", context({}, facts))
    assert refused.status == "refused" and refused.message.id == "no-rom-socket"


def test_a_supply_takes_the_values_that_were_said_of_its_parts():
    lines = ["F1 is 2A", "C1 is 6800u 25V", "REG1 is 7805", "5D is 74LS166", "J1 is 2 way"]
    entries = [told("F1", OWN, number="2A", sort="fuse", value=2.0), told("J1", OWN, sort="connector")]
    entries += [told("C1", OWN, number="6800u 25V", sort="capacitor", value=6.8e-3, voltage=25.0)]
    entries += [told("REG1", OWN, number="7805", sort="regulator"), told("5D", OWN, number="74LS166", sort="chip")]
    for line in ("from J1 9 V AC 1 A", "through F1, C1, REG1", "to 5D.16"):
        ((kind, fields),) = recorded(f"supply +5: {line}", context({}, entries))
        entries.append(made(e.ChainDescribed, **{k: fields[k] for k in ("board", "line", "text", "path")}))
        assert kind == "chain_described", lines
    board = stands(*entries, boards={})[OWN]
    assert [p.point for p in board.chain if p.quantity == "voltage"] == ["C1", "REG1.3", "5D.16"]
    assert board.supplies[0].nominal == 5.0 and board.rails[-1].far == "5D.16"


def test_twins_codes_paths_and_service_are_kept_with_their_parts():
    members = (pin("U1", None), pin("U2", None))
    board = stands(
        made(e.TwinsTold, board="small", members=members),
        made(e.CodeTold, board="small", code="3", members=members[:1]),
        made(e.ServiceTold, board="small", members=members[1:]),
    )["small"]
    assert ("U1", "U2") in board.siblings and [item.refdes for item in board.service] == ["U2"]
    assert [code.code for code in board.self_tests] == ["3"]


def test_a_fact_about_an_unknown_part_makes_it_with_the_kind_of_its_designator():
    board = stands(made(e.PinTold, board="small", place="Q7", pin=1, name="BASE"))["small"]
    assert board.part("Q7").kind == "transistor" and PartRef("small", "Q7").refdes == "Q7"


def test_a_part_without_a_place_gets_no_millimetres_but_the_row_and_column_of_its_name():
    placed = Part("U99", "74LS00", "DIP-14", x=40, y=30)
    small = small_board(parts=(placed,), nets=(), width=100, height=60)
    board = stands(*(told(name, number="74LS04", sort="chip") for name in ("5D", "4E", "C1")), boards={"small": small})
    parts = {part.refdes: part for part in board["small"].parts}
    assert parts["U99"] == placed and not any(parts[name].placed for name in ("5D", "4E", "C1"))
    assert (parts["5D"].row, parts["4E"].column, parts["C1"].row) == ("5", "E", "C")
    said = stands(told("5D", row="2", column="B"), told("4E"), boards={"small": small})["small"]
    assert (said.part("5D").row, said.part("5D").column) == ("2", "B")


def test_checks_settings_and_rare_parts_are_said_of_a_board():
    checks = made(e.CheckTold, board="small", items=("keyboard", "picture"))
    again = made(e.CheckTold, board="small", items=("keyboard",), of="computer")
    setting = made(e.SettingTold, board="own", place="JP1", setting="1-2")
    boards = stands(checks, again, setting, told("U1", rare=True, pitch=5.0))
    assert [check.name for check in boards["small"].checklist][-2:] == ["keyboard", "picture"]
    assert boards["own"].has("JP1") and boards["small"].part("U1").rare and boards["small"].part("U1").pitch == 5.0
