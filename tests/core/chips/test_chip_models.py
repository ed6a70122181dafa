"""The chip data against function tables written independently, with random vectors, and its form as a whole."""

import re

import numpy as np
import pytest

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.simulation.engine import StreamEngine
from loyal_trace.core.simulation.netlist import build_netlist
from loyal_trace.resources import chip_library
from tests.helpers.chip_truth import COUNTERS, GATES

LIBRARY = chip_library()


def found(key):
    return LIBRARY.find(f"74LS{key[2:]}" if re.fullmatch(r"74\d+", key) else key)


@pytest.mark.parametrize("key", sorted(GATES))
def test_a_gate_follows_its_function_table(key):
    chip, dice = found(key), np.random.default_rng(1)
    names = [pin.name for pin in chip.pins if pin.role == "input"]
    for vector in dice.integers(0, 2, (400, len(names))):
        levels = {name: int(level) for name, level in zip(names, vector, strict=True)}
        shown = {output.name: int(output.value.evaluate(levels)) for output in chip.outputs}
        assert shown == GATES[key](levels), levels


def stimuli(chip, dice, steps):
    """Levels that change one pin at a time, clocks often, clears and loads seldom."""
    names = [pin.name for pin in chip.pins if pin.role == "input"]
    weight = np.array(
        [12.0 if re.search("CLK|UP|DN", n) else 0.3 if re.search("R|LOAD|PE$", n) else 1.0 for n in names]
    )
    levels = np.zeros((steps, len(names)), dtype=np.uint8)
    now = np.array([int(n.startswith("/") or n in ("ENP", "ENT", "UP", "DN", "U")) for n in names], dtype=np.uint8)
    for step in range(steps):
        if step:
            now = now.copy()
            now[dice.choice(len(names), p=weight / weight.sum())] ^= 1
        levels[step] = now
    return {name: levels[:, n] for n, name in enumerate(names)}


@pytest.mark.parametrize("key", sorted(COUNTERS))
@pytest.mark.parametrize("seed", [1, 2])
def test_a_counter_counts_loads_and_clears_like_its_function_table(key, seed):
    chip, steps = found(key), 1500
    driven = stimuli(chip, np.random.default_rng(seed), steps)
    board = BoardDefinition("b", "b", parts=(Part("U1", chip.name),))
    nets = {f"U1.{chip.pin(name).number}": stream for name, stream in driven.items()}
    streams = StreamEngine().run(build_netlist(board, LIBRARY), nets, steps)
    truth = COUNTERS[key]()
    # A decade counter that was loaded with more than nine is on its own until it comes back.
    settled = True
    for step in range(steps):
        expected = truth.step({name: int(stream[step]) for name, stream in driven.items()})
        shown = {name: int(streams[f"U1.{chip.pin(name).number}"][step]) for name in expected}
        settled = _settled(truth, shown, expected, settled)
        assert not settled or shown == expected, (step, expected)


def _settled(truth, shown, expected, before):
    """Whether model and table are in the same state; a state that the table leaves open ends with the next load."""
    modulus = getattr(truth, "modulus", 0)
    if modulus == 10 and truth.state >= 10:
        return False
    return before or shown == expected


def test_the_library_is_large_and_its_form_is_sound():
    names = LIBRARY.type_names
    chips = [found(name) for name in names]
    assert len(names) >= 400 and sum(bool(chip.outputs) for chip in chips) >= 200
    for chip in chips:
        pins = [pin.name for pin in chip.pins]
        twice = {name for name in pins if pins.count(name) > 1}
        assert twice <= {"VCC", "GND", "VSS", "VDD"}, (chip.name, twice)
        assert len(pins) % 2 == 0 or chip.name.startswith("RSIP"), chip.name
        for name in (*chip.cpu_address, *(chip.memory.address + chip.memory.data if chip.memory else ())):
            assert name in pins, (chip.name, name)
        assert all(chip.pin(output.name) for output in chip.outputs)


PRINTED = {
    "SN74LS00N": ("7400", "LS"), "DM7400N": ("7400", "TTL"), "74HCT245": ("74245", "HCT"), "HD74LS373P": ("74373", "LS"),
    "MM74C00N": ("7400", "4000"), "74HC4040N": ("4040", "HC"), "N74F138N": ("74138", "F"), "SN5404J": ("7404", "TTL"),
    "CD4011BE": ("4011", "4000"), "MC14011BCP": ("4011", "4000"), "HEF4017BP": ("4017", "4000"),
    "HM6116P-3": ("6116", "NMOS"), "TMS2764JL": ("27C64", "NMOS"), "D2764A-25": ("27C64", "NMOS"),
    "27C64-15": ("27C64", "NMOS"), "M27C256B-12F1": ("27C256", "NMOS"), "KM4164B-15": ("4164", "NMOS"),
    "MC6809EP": ("6809E", "NMOS"), "MC6809P": ("6809", "NMOS"), "Z80ACPU": ("Z80", "NMOS"), "D780C-1": ("Z80", "NMOS"),
    "P8085AH": ("8085", "NMOS"), "M5L8255AP-5": ("8255", "NMOS"), "MC68000P8": ("68000", "NMOS"),
    "UPC358C": ("LM358", "ANALOGUE"), "TL074CN": ("TL074", "ANALOGUE"), "NE555P": ("NE555", "ANALOGUE"),
    "ULN2003A": ("ULN2003", "DRIVER"), "N82S129N": ("74S287", "S"), "PAL16L8ACN": ("PAL16L8", "S"),
    "SN74LS245N 8432": ("74245", "LS"), "8349 QQ74LS04X": ("7404", "LS"),
}  # fmt: skip


@pytest.mark.parametrize("printed", sorted(PRINTED))
def test_names_as_printed_are_read(printed):
    assert LIBRARY.read_as(printed)[0] == PRINTED[printed][0]
    assert LIBRARY.find(printed).family.name == PRINTED[printed][1]


@pytest.mark.parametrize(
    "printed", ["LS00", "00", "4K7", "100N", "104", "BC547", "1N4001", "1N4148", "2N3904", "8432", ""]
)
def test_what_is_no_chip_of_the_library_is_not_read_as_one(printed):
    assert LIBRARY.read_as(printed) is None


def test_the_speed_grade_is_read():
    assert LIBRARY.read_as("D2764A-25")[1].speed == "25" and LIBRARY.read_as("74LS00")[1].speed == ""
