"""Builders of small, valid things for tests."""

import itertools
from datetime import UTC, datetime, timedelta
from functools import partial

from loyal_trace.core.assess.assessment import assess
from loyal_trace.core.assess.boards import boards_of
from loyal_trace.core.assess.moment import Memo, Moment
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.supplies import Rail
from loyal_trace.core.job import entries as e
from loyal_trace.core.job.fold import fold
from loyal_trace.core.job.snapshot import ReadingKey
from loyal_trace.core.power.rails import judge_rails
from loyal_trace.core.probing.check import check_chip
from loyal_trace.core.probing.states import parse_assignment
from loyal_trace.resources import chip_library, default_tables

_COUNTER = itertools.count()
START = datetime(2026, 3, 1, 9, 0, tzinfo=UTC)


def made(kind, **fields):
    """An entry with id and time filled in."""
    n = next(_COUNTER)
    return kind(**{"id": f"e{n}", "time": START + timedelta(seconds=n), "author": "T", **fields})


def check(chip_name, pins):
    """The chip verdict for readings written as `1=L 2=P`; output verdicts by pin number."""
    chip = chip_library().find(chip_name)
    verdict = check_chip(chip, dict(parse_assignment(text, chip) for text in pins.split()))
    return {output.pin: output for output in verdict.outputs}


def small_board(**changes):
    """Two gates, a reservoir and a rail."""
    fields = {
        "id": "small",
        "name": "Small",
        "parts": (
            Part("U1", "74LS00", "DIP-14", x=20, y=20),
            Part("U2", "74LS04", "DIP-14", x=60, y=20, socketed=True),
            Part(
                "C1",
                "1000u 16V",
                "RAD-2",
                "capacitor",
                30,
                60,
                value=1e-3,
                voltage=16,
                polarised=True,
                technology="aluminium",
                diameter=10,
                room_diameter=12,
            ),
        ),
        "nets": (("A", (("U1", 3), ("U2", 1))), ("B", (("U2", 2), ("U1", 1)))),
        "rails": (Rail("+5 V", 5.0, 4.75, 5.25, far="U2.14"),),
    }
    return BoardDefinition(**{**fields, **changes})


BOARD_TOML = """[board]
id = "tiny"
name = "Tiny"
width = 100
height = 80
firmwares = ["A"]

[[rail]]
name = "+5 V"
nominal = 5.0
low = 4.75
high = 5.25
net = "VCC"

[[rom]]
refdes = "U2"
device = "2716"
size = 2048
sums.A = { crc32 = "0123abcd" }
"""
PARTS_CSV = "refdes,part,package,kind,x,y,value\nU1,74LS00,DIP-14,,10,10,\nU2,2716,DIP-24,,40,10,\nC1,100n,,capacitor,20,20,100n\n"
NETS_CSV = "net,pins\nVCC,U1.14 U2.24 C1.1\nD0,U1.3 U2.9\n"


def tiny_files(toml=BOARD_TOML, parts=PARTS_CSV, nets=NETS_CSV):
    """The three files of a small valid board, as bytes."""
    return {"board.toml": toml.encode(), "parts.csv": parts.encode(), "nets.csv": nets.encode()}


def moment_of(board=None, entries=(), blobs=None, drawer=(), memo=None):
    """The moment of a job with one board (id `small`) after the given entries."""
    board = board or small_board()
    return moment_with({board.id: board}, entries, blobs, drawer, memo)


def moment_with(boards, entries=(), blobs=None, drawer=(), memo=None):
    """The moment of a job with these boards, facts folded in, after the given entries."""
    store, snapshot, library = dict(blobs or {}), fold(entries), chip_library()
    folded = boards_of(boards, snapshot, library)
    kept = {"tables": default_tables(), "memo": memo or Memo()}
    return Moment(folded, snapshot, library, store.__getitem__, tuple(drawer), **kept)


def assessment_of(board=None, entries=(), blobs=None, drawer=()):
    """Every verdict for one board after the given entries."""
    return assess(moment_of(board, entries, blobs, drawer))


def probed(refdes, pins, board="small"):
    """A PinsProbed entry from `1=L 2=P`, for a 74-type chip with number pins."""
    states = tuple(e.PinState(pin=int(p.split("=")[0]), state=p.split("=")[1]) for p in pins.split())
    return made(e.PinsProbed, board=board, place=refdes, pins=states)


def measured(place, quantity, value, board="small", **more):
    """A Measured entry; infinity is OL."""
    number = None if value == float("inf") else value
    return made(e.Measured, board=board, place=place, quantity=quantity, value=number, overload=number is None, **more)


def rails_of(board, entries=(), limits="maker", draw=None):
    """The rail report of one board after the given entries."""
    snapshot = fold(entries)

    def good_board(point, quantity):
        return snapshot.readings.good_board.get(ReadingKey(board.id, point, quantity))

    return judge_rails(board.id, board, partial(snapshot.latest, board.id), limits, draw, good_board)
