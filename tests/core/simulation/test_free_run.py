"""Free run: signatures follow the netlist, and a fault computed in part is the fault computed whole."""

import numpy as np
import pytest

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.supplies import Clock
from loyal_trace.core.roms.signature import Register
from loyal_trace.core.simulation.free_run import (
    FaultyRuns,
    all_faults,
    fault_of,
    free_run,
    frequencies_of,
    signature_of,
    signatures,
)
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.resources import chip_library

LIBRARY = chip_library()
NETS = {
    "CLK": (("U1", 1),), "QA": (("U1", 3), ("U2", 1)), "QB": (("U1", 4), ("U2", 2), ("U3", 1)),
    "NAND": (("U2", 3), ("U3", 2)), "XOR": (("U3", 3),), "GND": (("U1", 2), ("U2", 4)),
}  # fmt: skip
PARTS = (Part("U1", "74LS393"), Part("U2", "74LS00"), Part("U3", "74LS86"))
BOARD = BoardDefinition("b", "b", parts=PARTS, nets=tuple(NETS.items()), clocks=(Clock("CLK", frequency=1e6),))
CLOCKS = 512


def test_a_divider_halves_and_equal_nets_have_equal_signatures():
    run = free_run(BOARD, LIBRARY, CLOCKS)
    rates = frequencies_of(run)
    assert rates["QA"] == pytest.approx(0.5, abs=0.01) and rates["QB"] == pytest.approx(0.25, abs=0.01)
    found = signatures(run)
    assert found["GND"] == signature_of(np.zeros(2 * CLOCKS, np.uint8), Register())
    assert len({found["QA"], found["QB"], found["NAND"], found["XOR"]}) == 4
    assert signatures(run, Register(poly=0x8005)) != found


@pytest.mark.parametrize("fault", all_faults(BOARD, LIBRARY), ids=lambda f: f"{f.refdes}.{f.pin}-{f.level}")
def test_a_fault_computed_in_part_is_the_fault_computed_whole(fault):
    good = free_run(BOARD, LIBRARY, CLOCKS)
    whole = free_run(BOARD, LIBRARY, CLOCKS, (fault,))
    changed = FaultyRuns(BOARD, LIBRARY, good, {}).changed(fault)
    differs = {net for net, stream in whole.nets.items() if not np.array_equal(stream, good.nets[net])}
    assert set(changed) == differs and all(np.array_equal(changed[net], whole.nets[net]) for net in differs)


def test_faults_are_typed_by_pin_and_other_kinds_are_refused():
    assert fault_of("U2.3 stuck 0", BOARD, LIBRARY).kind == "output-stuck"
    assert fault_of("U2.1A stuck 1", BOARD, LIBRARY).kind == "input-stuck"
    assert fault_of("U2.3 open", BOARD, LIBRARY).kind == "open"
    for text in ("U2.3 noisy", "U9.1 stuck 0", "U2.99 stuck 0", "U2 stuck 0", "U2.3 stuck 2"):
        with pytest.raises(RequestError):
            fault_of(text, BOARD, LIBRARY)


def test_a_board_on_which_nothing_moves_is_refused():
    with pytest.raises(RequestError, match="neither a clock nor a processor"):
        free_run(BoardDefinition("b", "b", parts=PARTS), LIBRARY, CLOCKS)
