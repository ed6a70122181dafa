"""One set of tests runs over both engines; then the bench that the demo stands on."""

import numpy as np
import pytest

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.simulation.engine import PlainEngine, StreamEngine
from loyal_trace.core.simulation.free_run import all_faults
from loyal_trace.core.simulation.machine import Machine
from loyal_trace.core.simulation.netlist import FIGHT, FLOATING, PinFault, as_read, build_netlist
from loyal_trace.core.simulation.packed import unpack
from loyal_trace.core.vocabulary.errors import RequestError

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


@pytest.mark.parametrize("seed", range(8))
def test_registers_that_feed_themselves_through_gates_are_the_same_in_both_engines(seed, library):
    """Property: one bit in a loop, rings of several bits, sets from outside, and clears from their own outputs."""
    rng = np.random.default_rng(seed)
    parts = {"U1": "74LS163", "U2": "74LS174", "U3": "74LS86", "U4": "74LS00", "U5": "74LS74"}
    outputs = [
        f"{refdes}.{p.number}" for refdes, name in parts.items() for p in library.find(name).pins if p.role == "output"
    ]
    nets = {
        "CLK": "U1.2 U2.9 U5.3 U5.11",
        "HIGH": "U1.1 U2.1 U5.1 U5.13",
        "SET": "U5.4 U5.10",
        **{f"N{pin}": pin for pin in outputs},
    }
    gates = {"U3": ("U1", "U2", "U5"), "U4": ("U1", "U2", "U3", "U5")}
    for refdes, name in parts.items():
        for pin in library.find(name).pins:
            at = f"{refdes}.{pin.number}"
            if pin.role == "input" and not any(at in text.split() for text in nets.values()):
                source = str(rng.choice([o for o in outputs if o.split(".")[0] in gates.get(refdes, parts)]))
                nets[f"N{source}"] += f" {at}"
    stimuli = {"CLK": CLOCK, "HIGH": np.ones(600), "SET": rng.random(600) > 0.05 * (seed % 3)}
    if seed % 2:
        nets["HIGH"] = nets["HIGH"].replace("U1.1 ", "")
        nets["NU3.3"] += " U1.1"
    plain, fast = (run(engine, library, parts, nets, stimuli, 150) for engine in ENGINES)
    for net in plain:
        assert np.array_equal(plain[net], fast[net]), net


@pytest.mark.parametrize("engine", ENGINES)
def test_a_clear_that_ends_with_the_clock_edge_still_holds(engine, library):
    """The clear is made from the clock: it ends after the edge, so that the edge counts nothing."""
    nets = {"CLK": "U1.3", "CLEAR": "U1.1", "HIGH": "U1.2 U1.4", "Q": "U1.5"}
    stimuli = {"CLK": CLOCK, "CLEAR": np.array([0, 0, 0, 1, 1, 1, 1, 1]), "HIGH": np.ones(8)}
    found = run(engine, library, {"U1": "74LS74"}, nets, stimuli, 8)
    assert list(found["Q"]) == [0, 0, 0, 0, 0, 1, 1, 1]


@pytest.mark.parametrize("engine", ENGINES)
def test_a_loop_of_gates_that_oscillates_is_refused(engine, library):
    with pytest.raises(RequestError, match="oscillates"):
        run(engine, library, {"U1": "74LS04"}, {"RING": "U1.1 U1.2"}, {}, 4)


@pytest.mark.parametrize("engine", ENGINES)
def test_a_latch_of_two_gates_keeps_what_was_set(engine, library):
    nets = {"S": "U1.1", "R": "U1.5", "Q": "U1.3 U1.4", "NQ": "U1.6 U1.2"}
    stimuli = {"S": [0, 1, 1, 1, 0, 1], "R": [1, 1, 0, 1, 1, 1]}
    found = run(engine, library, {"U1": "74LS00"}, nets, stimuli, 6)
    assert list(found["Q"]) == [1, 1, 0, 0, 1, 1]


def test_one_more_fault_is_computed_as_if_it_had_been_there_from_the_start(library):
    """Property over every pin: only what a fault reaches is computed again."""
    parts = {"U1": "74LS163", "U2": "74LS175", "U3": "74LS283", "U4": "74LS00"}
    nets = {
        "CLK": "U1.2 U2.9",
        "HIGH": "U1.1 U1.7 U1.10 U2.1",
        "GND": "U1.3 U1.4 U1.5 U1.6 U3.7",
        "RCO": "U1.15 U4.1 U4.2",
        "LOAD": "U4.3 U1.9",
        "C0": "U1.14 U3.6",
        "C1": "U1.13 U3.2",
        "C2": "U1.12 U3.15",
        "C3": "U1.11 U3.11",
        "A0": "U2.2 U3.5",
        "A1": "U2.7 U3.3",
        "A2": "U2.10 U3.14",
        "A3": "U2.15 U3.12",
        "S0": "U3.4 U2.4",
        "S1": "U3.1 U2.5",
        "S2": "U3.13 U2.12",
        "S3": "U3.10 U2.13",
    }
    drawn = board(parts, nets)
    stimuli = {"CLK": CLOCK[:200].astype(np.uint8), "HIGH": np.ones(200, np.uint8)}
    good = Machine(build_netlist(drawn, library), stimuli, 200)
    for fault in all_faults(drawn, library):
        whole = Machine(build_netlist(drawn, library, faults=(fault,)), stimuli, 200)
        changed = good.changed(fault)
        for net in nets:
            now = unpack(changed[net], 200) if net in changed else good.levels(net)
            assert np.array_equal(now, whole.levels(net)), (fault, net)
            assert (net in changed) == (not np.array_equal(good.levels(net), whole.levels(net)))


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


@pytest.mark.parametrize("engine", ENGINES)
def test_a_shift_register_fed_back_through_exclusive_or_runs_through_its_states(engine, library):
    """A ring of many bits: seven of them, taps at the last two, run through 127 states."""
    nets = {
        "CLK": "U1.8",
        "HIGH": "U1.9 U1.2",
        "SET": "U2.10",
        "T6": "U1.12 U2.1",
        "T5": "U1.11 U2.2",
        "X": "U2.3 U2.9",
        "IN": "U2.8 U1.1",
    }
    stimuli = {"CLK": np.arange(600) & 1, "HIGH": np.ones(600), "SET": (np.arange(600) < 2).astype(int)}
    found = run(engine, library, {"U1": "74LS164", "U2": "74LS86"}, nets, stimuli, 600)
    clocked = found["T6"][1::2]
    assert np.array_equal(clocked[20:147], clocked[147:274]) and not np.array_equal(clocked[20:83], clocked[83:146])


def ram_board(written_first=False):
    """A counter addresses a RAM; in every second half of its count what the buffer gives is written, then read back.

    Or in every first half: then the first that happens at an address is that it is written.
    """
    write, read = ("U3.21 U5.1 U5.4 U5.10 U5.13", "U3.20")
    nets = {
        "CLK": "U1.1",
        "GND": "U1.2 U1.12 U3.18 U3.1 U3.2 U3.3 U3.4 U3.23 U3.22 U3.19",
        "A0": "U1.3 U3.8",
        "A1": "U1.4 U3.7",
        "A2": "U1.5 U3.6",
        "A3": "U1.6 U3.5 U1.13",
        "PHASE": f"U1.11 U2.1 {write if written_first else read}",
        "/WRITE": f"U2.2 {read if written_first else write}",
        "D0": "U3.9 U5.3",
        "D1": "U3.10 U5.6",
        "D2": "U3.11 U5.8",
        "D3": "U3.13 U5.11",
        "S0": "U5.2",
        "S1": "U5.5",
        "S2": "U5.9",
        "S3": "U5.12",
    }
    return board({"U1": "74LS393", "U2": "74LS04", "U3": "6116", "U5": "74LS125"}, nets)


@pytest.mark.parametrize("written_first", [False, True])
@pytest.mark.parametrize("content", [None, bytes(range(256)) * 8])
def test_a_ram_gives_back_what_was_written_last(library, content, written_first):
    rng = np.random.default_rng(4)
    stimuli = {"CLK": CLOCK[:400].astype(np.uint8)}
    stimuli |= {f"S{n}": rng.integers(0, 2, 400, dtype=np.uint8) for n in range(4)}
    netlist = build_netlist(ram_board(written_first), library, {"U3": content} if content else {})
    plain, fast = (engine.run(netlist, stimuli, 400) for engine in ENGINES)
    for net in ("D0", "D1", "D2", "D3", "/WRITE"):
        assert np.array_equal(as_read(plain[net]), as_read(fast[net])), net
    reads = fast["PHASE" if written_first else "/WRITE"] == 1
    assert len(np.unique(as_read(fast["D0"])[reads])) == 2, "something is read"
    assert Machine(netlist, stimuli, 400).circuit.written == {"U3"}


def test_a_fault_that_writes_a_ram_is_followed_too(library):
    stimuli = {"CLK": CLOCK[:300].astype(np.uint8), "PHASE": np.zeros(300, np.uint8)}
    stimuli |= {f"S{n}": np.zeros(300, np.uint8) for n in range(4)}
    contents = {"U3": bytes(range(255, -1, -1)) * 8}
    good = Machine(build_netlist(ram_board(), library, contents), stimuli, 300)
    assert good.circuit.written == frozenset()
    for fault in (PinFault("U2", 2, "output-stuck", 0), PinFault("U3", 21, "input-stuck", 0)):
        whole = Machine(build_netlist(ram_board(), library, contents, (fault,)), stimuli, 300)
        changed = good.changed(fault)
        for net in ("D0", "D1", "D2", "D3"):
            now = unpack(changed[net], 300) if net in changed else good.levels(net)
            assert np.array_equal(now, whole.levels(net)), (fault, net)
