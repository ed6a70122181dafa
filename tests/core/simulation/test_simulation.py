"""One set of tests runs over both engines; then the bench that the demo stands on."""

import numpy as np
import pytest

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.simulation.engine import PlainEngine, StreamEngine
from loyal_trace.core.simulation.netlist import FIGHT, FLOATING, PinFault, build_netlist

ENGINES = [PlainEngine(), StreamEngine()]


def board(parts, nets):
    listed = tuple(Part(refdes, number) for refdes, number in parts.items())
    pins = {n: tuple((p.split(".")[0], int(p.split(".")[1])) for p in text.split()) for n, text in nets.items()}
    return BoardDefinition("b", "B", parts=listed, nets=tuple(pins.items()))


def run(engine, library, parts, nets, stimuli, steps=64, **more):
    netlist = build_netlist(board(parts, nets), library, **more)
    streams = {n: np.asarray(s, dtype=np.uint8)[:steps] for n, s in stimuli.items()}
    return engine.run(netlist, streams, steps)


CLOCK = np.arange(600) & 1


@pytest.mark.parametrize("engine", ENGINES)
def test_a_counter_counts_its_clock(engine, library):
    nets = {"CLK": "U1.2", "VCC": "U1.1 U1.7 U1.9 U1.10", "Q0": "U1.14", "Q1": "U1.13", "Q2": "U1.12", "Q3": "U1.11"}
    found = run(engine, library, {"U1": "74LS161"}, nets, {"CLK": CLOCK}, 80)
    value = sum(found[f"Q{i}"].astype(int) << i for i in range(4))
    assert list(value) == [(step + 1) // 2 % 16 for step in range(80)]


@pytest.mark.parametrize("engine", ENGINES)
def test_a_divider_that_feeds_itself_halves_the_clock(engine, library):
    nets = {"CLK": "U1.3", "VCC": "U1.1 U1.4", "BACK": "U1.2 U1.6", "Q": "U1.5"}
    found = run(engine, library, {"U1": "74LS74"}, nets, {"CLK": CLOCK}, 40)
    assert list(found["Q"][:9]) == [0, 1, 1, 0, 0, 1, 1, 0, 0]


@pytest.mark.parametrize("engine", ENGINES)
def test_buses_float_fight_and_follow(engine, library):
    nets = {"A": "U1.2", "B": "U2.2", "EA": "U1.1", "EB": "U2.1", "BUS": "U1.3 U2.3"}
    stimuli = {"A": [0, 0, 0, 0], "B": [1, 1, 1, 1], "EA": [0, 1, 0, 1], "EB": [1, 0, 0, 1]}
    found = run(engine, library, {"U1": "74LS125", "U2": "74LS125"}, nets, stimuli, 4)
    assert list(found["BUS"]) == [0, 1, FIGHT, FLOATING]


@pytest.mark.parametrize("engine", ENGINES)
def test_faults_sit_at_one_pin(engine, library):
    nets = {"A": "U1.1 U1.4", "B": "U1.2 U1.5", "Y": "U1.3", "W": "U1.6"}
    fault = (PinFault("U1", 1, "input-stuck", 0),)
    found = run(engine, library, {"U1": "74LS00"}, nets, {"A": [1, 1], "B": [1, 1]}, 2, faults=fault)
    assert list(found["Y"]) == [1, 1] and list(found["W"]) == [0, 0]
    opened = run(
        engine, library, {"U1": "74LS00"}, nets, {"A": [1, 1], "B": [1, 1]}, 2, faults=(PinFault("U1", 3, "open"),)
    )
    assert list(opened["Y"]) == [FLOATING] * 2


@pytest.mark.parametrize("seed", range(6))
def test_both_engines_agree_on_random_circuits(seed, library):
    """Property: fast simulation equals plain simulation."""
    rng = np.random.default_rng(seed)
    kinds = ["74LS00", "74LS74", "74LS86", "74LS161", "74LS166", "74LS373", "74LS245", "74LS138", "74LS259", "74LS393"]
    parts = {f"U{i}": str(rng.choice(kinds)) for i in range(5)}
    available, nets = ["S0", "S1", "S2", "S3"], {f"S{i}": [] for i in range(4)}
    for refdes, number in parts.items():
        chip = library.find(number)
        for pin in chip.pins:
            if pin.role == "input" or (pin.role == "bidirectional" and pin.name.startswith("A")):
                nets[str(rng.choice(available))].append(f"{refdes}.{pin.number}")
        for pin in chip.pins:
            if pin.role == "output":
                nets[f"{refdes}{pin.name}"] = [f"{refdes}.{pin.number}"]
                available.append(f"{refdes}{pin.name}")
    joined = {n: " ".join(p) for n, p in nets.items() if p}
    stimuli = {"S0": CLOCK, **{f"S{i}": rng.integers(0, 2, 600) for i in (1, 2, 3)}}
    plain, fast = (run(engine, library, parts, joined, stimuli, 120) for engine in ENGINES)
    for net in plain:
        assert np.array_equal(plain[net], fast[net]), net


def test_memories_give_their_content_when_selected(library):
    nets = {
        "A0": "U1.8",
        "A1": "U1.7",
        "CE": "U1.18",
        "GND": "U1.20 U1.6 U1.5 U1.4 U1.3 U1.2 U1.1 U1.23 U1.22 U1.19",
        "D0": "U1.9",
    }
    content = bytes([0, 1, 1, 0] * 512)
    stimuli = {"A0": [0, 1, 0, 1, 1], "A1": [0, 0, 1, 1, 0], "CE": [0, 0, 0, 0, 1]}
    for engine in ENGINES:
        found = run(engine, library, {"U1": "2716"}, nets, stimuli, 5, contents={"U1": content})
        assert list(found["D0"]) == [0, 1, 1, 0, FLOATING]
