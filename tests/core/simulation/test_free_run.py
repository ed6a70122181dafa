"""Free run: signatures follow the netlist, and a fault computed in part is the fault computed whole."""

import numpy as np
import pytest

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.supplies import Clock
from loyal_trace.core.roms.signature import Register
from loyal_trace.core.simulation.board_faults import BoardFault, fault_of
from loyal_trace.core.simulation.free_run import (
    all_faults,
    free_run,
    frequencies_of,
    signature_of,
    signatures,
)
from loyal_trace.core.simulation.packed import unpack
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.resources import chip_library
from tests.helpers.event_driven import EventDriven
from tests.helpers.free_run_boards import free_run_board

LIBRARY = chip_library()
NETS = {
    "CLK": (("U1", 1),),
    "QA": (("U1", 3), ("U2", 1)),
    "QB": (("U1", 4), ("U2", 2), ("U3", 1)),
    "NAND": (("U2", 3), ("U3", 2)),
    "XOR": (("U3", 3),),
    "GND": (("U1", 2), ("U2", 4)),
}
PARTS = (Part("U1", "74LS393"), Part("U2", "74LS00"), Part("U3", "74LS86"))
BOARD = BoardDefinition("b", "b", parts=PARTS, nets=tuple(NETS.items()), clocks=(Clock("CLK", frequency=1e6),))
CLOCKS = 512


def test_a_divider_halves_and_equal_nets_have_equal_signatures():
    run = free_run(BOARD, LIBRARY, CLOCKS)
    rates = frequencies_of(run)
    assert rates["QA"] == pytest.approx(0.5, abs=0.01) and rates["QB"] == pytest.approx(0.25, abs=0.01)
    found = signatures(run)
    assert found["GND"] == signature_of(np.zeros(2 * CLOCKS // 64, np.uint64), Register(), 2 * CLOCKS)
    sampled = np.packbits(run.levels("NAND")[1::2]).tobytes()
    assert found["NAND"] == Register().shown(Register().of(sampled))
    assert len({found["QA"], found["QB"], found["NAND"], found["XOR"]}) == 4
    assert signatures(run, Register(poly=0x8005)) != found


@pytest.mark.parametrize("fault", all_faults(BOARD, LIBRARY), ids=lambda f: f"{f.refdes}.{f.pin}-{f.level}")
def test_a_fault_computed_in_part_is_the_fault_computed_whole(fault):
    good = free_run(BOARD, LIBRARY, CLOCKS)
    whole = free_run(BOARD, LIBRARY, CLOCKS, (BoardFault((fault,)),))
    changed = good.changed(fault)
    differs = {net for net in NETS if not np.array_equal(whole.words(net), good.words(net))}
    assert set(changed) & set(NETS) == differs
    assert all(np.array_equal(changed[net], whole.words(net)) for net in differs)


def levels_with(fault, net, contents=None):
    return free_run(BOARD, LIBRARY, CLOCKS, (fault_of(fault, BOARD, LIBRARY),), contents).levels(net)


def test_faults_are_typed_by_pin_and_other_kinds_are_refused():
    assert fault_of("U2.3 stuck 0", BOARD, LIBRARY).pins[0].kind == "output-stuck"
    assert fault_of("U2.1A stuck 1", BOARD, LIBRARY).pins[0].kind == "input-stuck"
    assert fault_of("U2.3 open", BOARD, LIBRARY).pins[0].kind == "open"
    for text in (
        "U2.3 noisy",
        "U9.1 stuck 0",
        "U2.99 stuck 0",
        "U2 stuck 0",
        "U2.3 stuck 2",
        "U2.7 stuck 0",
        "U2.1 slow",
        "QA bridge QZ",
        "QZ missing",
        "U2 cell 0.0 stuck 1",
    ):
        with pytest.raises(RequestError):
            fault_of(text, BOARD, LIBRARY)


def test_nets_that_touch_read_alike_and_the_stronger_one_wins():
    alone = {net: free_run(BOARD, LIBRARY, CLOCKS).levels(net) for net in ("QA", "QB")}
    both = alone["QA"] & alone["QB"]
    assert np.array_equal(levels_with("QA bridge QB", "QA"), both)
    assert np.array_equal(levels_with("QA bridge QB", "QB"), both)
    assert np.array_equal(levels_with("QA bridge QB or", "QB"), alone["QA"] | alone["QB"])
    assert np.array_equal(levels_with("QA bridge QB strong", "QB"), alone["QA"])
    assert not levels_with("QA bridge QB strong", "XOR").any() or not np.array_equal(
        levels_with("QA bridge QB strong", "NAND"), free_run(BOARD, LIBRARY, CLOCKS).levels("NAND")
    )


def test_a_missing_clock_stops_what_it_drives_and_a_dead_chip_lets_its_lines_go():
    assert not levels_with("CLK missing", "QA").any()
    assert levels_with("U2 dead", "NAND").all()


def test_a_slow_output_is_a_clock_late_and_a_leaky_pin_takes_a_line_down_that_nobody_drives():
    good = free_run(BOARD, LIBRARY, CLOCKS).levels("NAND")
    assert np.array_equal(levels_with("U2.3 slow", "NAND")[2:], good[:-2])
    nets = {"E": (("U1", 1),), "A": (("U1", 2),), "BUS": (("U1", 3), ("U2", 1))}
    bus = BoardDefinition(
        "b",
        "b",
        parts=(Part("U1", "74LS125"), Part("U2", "74LS04")),
        nets=tuple(nets.items()),
        clocks=(Clock("E", frequency=1e6),),
    )
    leaky = free_run(bus, LIBRARY, CLOCKS, (fault_of("U2.1 leaky", bus, LIBRARY),))
    enabled = leaky.levels("E") == 0
    assert free_run(bus, LIBRARY, CLOCKS).levels("BUS").all()
    assert np.array_equal(leaky.levels("BUS"), enabled)


def test_a_memory_with_a_faulty_cell_shows_it_at_its_address():
    nets = {f"A{n}": (("U1", pin), ("U2", cell)) for n, (pin, cell) in enumerate([(30, 8), (31, 7), (32, 6), (33, 5)])}
    nets |= {"GND": (("U2", 18), ("U2", 20)), "D0": (("U2", 9),)}
    board = BoardDefinition("b", "b", parts=(Part("U1", "Z80"), Part("U2", "2716")), nets=tuple(nets.items()))
    contents = {"U2": bytes(2048)}
    fault = fault_of("U2 cell 7FF.0 stuck 1", board, LIBRARY)
    assert not free_run(board, LIBRARY, CLOCKS, (), contents).levels("D0").any()
    assert free_run(board, LIBRARY, CLOCKS, (fault,), contents).levels("D0").any()
    with pytest.raises(RequestError, match="not known"):
        free_run(board, LIBRARY, CLOCKS, (fault,))


def test_a_board_on_which_nothing_moves_is_refused():
    with pytest.raises(RequestError, match="neither a clock nor a processor"):
        free_run(BoardDefinition("b", "b", parts=PARTS), LIBRARY, CLOCKS)


def test_a_whole_board_does_what_an_event_driven_simulator_says():
    board, contents = free_run_board(LIBRARY, chips=60, roms=3, lines=9)
    run = free_run(board, LIBRARY, 400, (), contents)
    found = EventDriven(run.netlist, run.stimuli).run(run.steps)
    assert [net for net in run.netlist.nets if not np.array_equal(found[net], run.levels(net))] == []
    assert sum(len(np.unique(found[net])) == 2 for net in found) > 200


def test_supplies_are_known_by_the_pins_on_them_whatever_they_are_called():
    """A processor with two ground pins, each on a net of its own, feeds gates that are tied to them."""
    pins = [pin for pin in LIBRARY.find("6502").pins if pin.role == "ground"]
    nets = {f"M{n}": (("U1", pin.number), ("U2", 3 * n + 1)) for n, pin in enumerate(pins)}
    nets |= {"+5 V": (("U1", 8), ("U2", 2), ("U2", 5))}
    board = BoardDefinition("b", "b", parts=(Part("U1", "6502"), Part("U2", "74LS00")), nets=tuple(nets.items()))
    run = free_run(board, LIBRARY, CLOCKS)
    assert len(pins) == 2 and run.levels("U2.3").all() and run.levels("U2.6").all()
    assert not any(run.levels(net).any() for net in ("M0", "M1"))


def test_a_state_machine_of_a_prom_and_a_register_walks_through_its_states():
    """The contents name the state after each; a counter clears the register again after eight."""
    following = bytes([3, 0, 7, 5, 15, 9, 2, 12, 6, 4, 1, 8, 10, 13, 14, 11])
    pins = {"D": ((12, 3), (11, 4), (10, 6), (9, 11)), "Q": ((5, 2), (6, 5), (7, 7), (4, 10))}
    nets = {f"D{n}": (("U1", prom), ("U2", reg)) for n, (prom, reg) in enumerate(pins["D"])}
    nets |= {f"Q{n}": (("U1", prom), ("U2", reg)) for n, (prom, reg) in enumerate(pins["Q"])}
    low = tuple(("U1", pin) for pin in (3, 2, 1, 15, 13, 14))
    nets |= {"CLK": (("U2", 9), ("U3", 1)), "GND": (*low, ("U3", 2)), "CLR": (("U3", 6), ("U2", 1))}
    parts = (Part("U1", "82S129"), Part("U2", "74LS174"), Part("U3", "74LS393"))
    board = BoardDefinition("b", "b", parts=parts, nets=tuple(nets.items()), clocks=(Clock("CLK", frequency=1e6),))
    contents = {"U1": following + following * 15}
    run = free_run(board, LIBRARY, 64, contents=contents)
    states = sum(unpack(run.words(f"Q{n}"), run.steps).astype(int) << n for n in range(4))
    shown = [int(state) for n, state in enumerate(states) if n == 0 or state != states[n - 1]]
    expected = [0]
    while len(expected) < 8:
        expected.append(following[expected[-1]])
    begins = shown.index(0)
    assert shown[begins : begins + 8] == expected
