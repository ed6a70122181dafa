"""The fault dictionary: it says of every fault what a run with that fault shows, and is known again by its content."""

from dataclasses import replace

import numpy as np
import pytest

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.supplies import Clock
from loyal_trace.core.roms.signature import Register
from loyal_trace.core.simulation.board_faults import BoardFault
from loyal_trace.core.simulation.dictionary import assembled, compute, content_key, fault_rows, shown_by
from loyal_trace.core.simulation.free_run import all_faults, free_run
from loyal_trace.resources import chip_library

LIBRARY, REGISTER, CLOCKS = chip_library(), Register(), 200
NETS = {
    "CLK": (("U1", 1), ("U4", 3)),
    "QA": (("U1", 3), ("U2", 1)),
    "QB": (("U1", 4), ("U2", 2), ("U3", 1)),
    "NAND": (("U2", 3), ("U3", 2), ("U4", 2)),
    "XOR": (("U3", 3),),
    "GND": (("U1", 2), ("U2", 4)),
    "HIGH": (("U4", 1), ("U4", 4)),
    "Q": (("U4", 5),),
}
PARTS = (Part("U1", "74LS393"), Part("U2", "74LS00"), Part("U3", "74LS86"), Part("U4", "74LS74"))
BOARD = BoardDefinition("b", "b", parts=PARTS, nets=tuple(NETS.items()), clocks=(Clock("CLK", frequency=1e6),))
FAULTS = all_faults(BOARD, LIBRARY)
FOUND = compute(free_run(BOARD, LIBRARY, CLOCKS), FAULTS, REGISTER)


@pytest.mark.parametrize("place", range(0, len(FAULTS), 3))
def test_every_fault_shows_what_a_run_with_it_shows(place):
    run = free_run(BOARD, LIBRARY, CLOCKS, (BoardFault((FAULTS[place],)),))
    changes = FOUND.changes(place)
    for net in NETS:
        state, rises, signature = shown_by(run.words(net), run.steps, REGISTER)
        said = changes.get(net) or FOUND.good(net)
        assert (said.state, said.rises, said.signature) == ("LHP"[state], rises, signature), net


def test_a_column_gives_one_value_a_fault():
    column = FOUND.column("signature", "XOR")
    for place in range(len(FAULTS)):
        said = FOUND.changes(place).get("XOR") or FOUND.good("XOR")
        assert column[place] == said.signature


def test_what_hangs_on_the_state_at_power_on_is_not_relied_on():
    """The counter is cleared by nothing, so all that it drives begins anywhere; the clock and supplies do not."""
    unsure = set(FOUND.nets[FOUND.unsure])
    assert {"QA", "QB", "NAND", "XOR"} <= unsure and not unsure & {"CLK", "GND", "HIGH"}


def test_two_halves_are_the_whole():
    machine = free_run(BOARD, LIBRARY, CLOCKS)
    halves = [fault_rows(machine, part, REGISTER) for part in (FAULTS[:17], FAULTS[17:])]
    found = assembled(machine, FAULTS, REGISTER, [*halves[0], *halves[1]])
    assert found.faults == FOUND.faults and found.groups() == FOUND.groups()
    assert all(found.changes(place) == FOUND.changes(place) for place in range(len(FAULTS)))


def test_the_name_changes_with_everything_that_the_dictionary_follows_from():
    def key(board=BOARD, contents=None, clocks=CLOCKS, register=REGISTER):
        return content_key(board, LIBRARY, contents or {}, clocks, register)

    others = [
        key(replace(BOARD, nets=BOARD.nets[:-1])),
        key(replace(BOARD, parts=(*PARTS[:-1], Part("U4", "74LS175")))),
        key(contents={"U9": b"1"}),
        key(clocks=CLOCKS + 1),
        key(register=Register(poly=0x8005)),
    ]
    assert len({key(), *others}) == 6 and key() == key(replace(BOARD, name="another"))


def test_a_net_that_only_falls_is_pulsing_not_steady():
    words = np.array([0xFF, 0, 0], dtype=np.uint64)
    assert shown_by(words, 192, REGISTER)[:2] == (2, 0)
    assert shown_by(np.zeros(3, np.uint64), 192, REGISTER)[:2] == (0, 0)
