"""A board's own questions: nets, neighbours, height limits, and what a revision carries."""

import pytest

from loyal_trace.core.boards.model import Block, KeepOut, Part, RomSlot, SelfTestCode, ServiceItem
from loyal_trace.core.boards.supplies import Cell, ChainPoint, Clock, Reset, Supply
from loyal_trace.core.vocabulary.errors import RequestError
from tests.helpers.builders import small_board

BOARD = small_board()


def test_a_pin_has_one_net_and_its_others():
    assert BOARD.net_of("U1", 3) == "A" and BOARD.net_of("U1", 2) is None
    assert BOARD.others_on_net("U1", 3) == (("U2", 1),) and BOARD.others_on_net("U1", 9) == ()


@pytest.mark.parametrize(("distance", "names"), [(39.9, []), (40.0, ["U2"]), (41.3, ["U2", "C1"])])
def test_neighbours_lie_within_the_distance_nearest_first(distance, names):
    assert [part.refdes for part in BOARD.neighbours("U1", distance)] == names


def test_what_is_not_there_is_refused_by_name():
    for ask in (BOARD.part, BOARD.slot, lambda name: BOARD.neighbours(name, 5)):
        with pytest.raises(RequestError, match="U9"):
            ask("U9")


def zone(x, y, width, depth, limit, why):
    return KeepOut(x=x, y=y, width=width, depth=depth, height_limit=limit, why=why)


def test_the_lowest_limit_over_a_place_counts_up_to_its_edges():
    part = Part("X", "x", x=10, y=20)
    zones = (zone(10, 20, 5, 5, 25, "shield"), zone(0, 0, 10, 20, 18, "bracket"), zone(11, 20, 9, 9, 3, "fan"))
    board = small_board(keep_outs=zones)
    assert board.height_limit_at(part) == (18, "bracket")
    assert board.height_limit_at(Part("X", "x", x=15.1, y=25)) == (3, "fan")
    assert board.height_limit_at(Part("X", "x", x=15, y=24, room_height=2.0)) == (2.0, "room noted for this part")
    assert BOARD.height_limit_at(part) is None


def test_a_revision_carries_its_own_parts_and_forgets_what_hangs_on_the_others():
    parts = (Part("U1", "a"), Part("U2", "b", revisions=("A",)), Part("C1", "1000u", "", "capacitor", revisions=("B",)))
    board = small_board(
        parts=parts,
        revisions=("A", "B"),
        chain=(
            ChainPoint("C1", "voltage", part="C1"),
            ChainPoint("U1.14", "voltage", part="U1"),
            ChainPoint("x", "voltage"),
        ),
        supplies=(Supply(path="a", reservoir="C1"), Supply(path="b")),
        clocks=(Clock("N", "U2"), Clock("M")),
        cells=(Cell("C1", 3, 2, 0.2, 1e-6),),
        resets=(Reset("U1.1", "U2"), Reset("U1.2")),
        rom_slots=(RomSlot("U2", "2716", 2048),),
        blocks=(Block("all", ("U1", "U2", "C1"), (), ()),),
        self_tests=(SelfTestCode("1", "x", ("U1", "U2")),),
        service=(ServiceItem("C1", "old"), ServiceItem("U1", "old")),
        siblings=(("U1", "U2"),),
    )
    b = board.as_revision("B")
    assert [p.refdes for p in b.parts] == ["U1", "C1"] and b.revision == "B"
    assert [s.path for s in b.supplies] == ["a", "b"] and [c.net for c in b.clocks] == ["M"] and len(b.cells) == 1
    assert [r.point for r in b.resets] == ["U1.2"] and b.rom_slots == () and b.blocks[0].parts == ("U1", "C1")
    assert dict(b.nets) == {"A": (("U1", 3),), "B": (("U1", 1),)}
    a = board.as_revision("A")
    assert [s.path for s in a.supplies] == ["b"] and [p.point for p in a.chain] == ["U1.14", "x"] and a.cells == ()
    assert a.self_tests[0].parts == ("U1", "U2") and [s.refdes for s in a.service] == ["U1"]
    assert a.siblings == (("U1", "U2"),) and b.siblings == (("U1",),)
    assert BOARD.as_revision("") is BOARD and BOARD.as_revision("Z").revision == "Z"
