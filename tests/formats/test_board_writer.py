"""A board written as its folder is the same board when it is read, and the same bytes when it is written again."""

from dataclasses import replace

import pytest

from loyal_trace.core.boards.model import (
    BoardDefinition,
    FunctionPath,
    GoodReading,
    KnownFault,
    OwnPin,
    Part,
    RomSlot,
    StepMinutes,
)
from loyal_trace.core.vocabulary.identity import BoardPin, natural_key
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.demo.workshop import demo_boards
from loyal_trace.formats.board_folder import parse_board
from loyal_trace.formats.board_writer import write_board
from loyal_trace.resources import chip_library

OWN = BoardDefinition(
    "own-sound",
    say("Sound {what}", what='board "x"'),
    width=168,
    parts=(
        Part(
            "C1",
            "100u 16V",
            kind="capacitor",
            value=1e-4,
            voltage=16.0,
            polarised=True,
            technology="aluminium",
            x=3.25,
            y=7,
        ),
        Part("R1", "4k7", kind="resistor", value=4700.0, placed=False, row="5", column="D"),
        Part("U1", "74LS138", "DIP-16", x=40, y=30, rotation=90, socketed=True),
        Part("U2", "HYB-3", placed=False, room_height=12.5),
    ),
    nets=(("D0", (BoardPin("U1", 3), BoardPin("U2", 5))),),
    rom_slots=(RomSlot("U2", "27C64", 0, number=1, address=0x4000),),
    functions=(FunctionPath("gun", ("U1", "U2")),),
    own_pins=(OwnPin("U2", 5, "RESET", "in"),),
    good=(GoodReading("U1.16", "voltage", 4.98),),
    faults=(KnownFault("U2", 2),),
    minutes=(StepMinutes("capacitor", 4.5, 3),),
    siblings=(("U1", "U2"),),
    symptoms=(("no sound", ""),),
)


@pytest.mark.parametrize("board", [OWN, *demo_boards().values()], ids=lambda board: board.id)
def test_what_is_written_is_read_again_and_written_the_same(board):
    files = write_board(board)
    again = parse_board(files, board.id, chip_library())
    in_order = tuple(sorted(board.parts, key=lambda part: natural_key(part.refdes)))
    assert again == replace(board, parts=in_order, name=str(board.name))
    assert write_board(again) == files


def test_a_named_line_of_one_pin_is_kept_and_a_net_that_a_folder_cannot_hold_is_left_out():
    nets = (("D2", (BoardPin("U1", 3),)), ("PINLESS", (BoardPin("U1", 0), BoardPin("U9", 5))))
    files = write_board(replace(OWN, nets=nets))
    assert files["nets.csv"] == b"net,pins,alone\nD2,U1.3,yes\n"
    assert parse_board(files, "own", chip_library()).nets == nets[:1]
