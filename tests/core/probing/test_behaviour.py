"""What outputs can do: exact where inputs are steady, sound against simulation where they move."""

import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.chips.expressions import (
    Branch,
    compile_expression,
    compile_tree,
    control_names,
    evaluate_tree,
    leaf_for,
    leaf_names,
)
from loyal_trace.core.chips.levels import FAMILIES, level_of, output_margin
from loyal_trace.core.probing import reach
from loyal_trace.core.probing.behaviour import expected_behaviours, function_behaviour
from loyal_trace.core.probing.check import check_chip, drive_of
from loyal_trace.core.probing.states import PinReading, parse_state
from loyal_trace.core.simulation.bench import state_of_stream
from loyal_trace.core.simulation.engine import StreamEngine
from loyal_trace.core.simulation.netlist import build_netlist
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.resources import chip_library
from tests.helpers.waveforms import read_healthy

LIBRARY = chip_library()
EVERY_TYPE = [re.sub(r"^74(?=\d)", "74LS", name) for name in LIBRARY.type_names]
LOGIC = [name for name in EVERY_TYPE if LIBRARY.find(name).outputs]
GATES = [n for n in LOGIC if not LIBRARY.find(n).registers]
STORING = [n for n in LOGIC if LIBRARY.find(n).registers]
STEPS = 1200


@given(st.sampled_from(GATES), st.data())
def test_steady_inputs_leave_a_gate_exactly_one_level(name, data):
    chip = LIBRARY.find(name)
    levels = {n: data.draw(st.integers(0, 1)) for n in chip.input_names}
    expected = expected_behaviours(chip, levels)
    for output in chip.outputs:
        if output.enable is None or output.enable.evaluate(levels):
            assert expected[output.name].likely == {int(output.value.evaluate(levels))}
            assert expected[output.name].released == "never"
        else:
            assert expected[output.name].released == "always"


def moving(rng, clock_like):
    """A stream that takes both levels: regular for clocks, random for data."""
    if clock_like:
        return (np.arange(STEPS) // int(rng.integers(1, 4)) & 1).astype(np.uint8)
    return np.repeat(rng.integers(0, 2, STEPS // 4 + 1), 4)[:STEPS].astype(np.uint8)


@pytest.mark.parametrize("name", STORING[::2])
@pytest.mark.parametrize("seed", [3])
def test_a_healthy_chip_with_memory_is_never_called_impossible(name, seed):
    """Property: simulated with random steady and moving inputs, every output does what the check allows."""
    chip = LIBRARY.find(name)
    rng = np.random.default_rng(seed * 100 + len(name) + len(chip.pins))
    clocks = {n for r in chip.registers if r.clock for n in r.clock.names}
    board = BoardDefinition("b", "b", parts=(Part("U1", name),))
    stimuli = {}
    for pin in chip.pins:
        if pin.role == "input":
            kind = rng.integers(3)
            steady = np.full(STEPS, kind == 1, dtype=np.uint8)
            stimuli[f"U1.{pin.number}"] = steady if kind < 2 else moving(rng, pin.name in clocks)
    try:
        streams = StreamEngine().run(build_netlist(board, LIBRARY), stimuli, STEPS)
    except RequestError:
        pytest.skip("both ways of a transceiver at once oscillate")
    readings = {}
    for pin in chip.pins:
        if pin.role in ("input", "output"):
            readings[pin.number] = PinReading(state_of_stream(streams[f"U1.{pin.number}"]))
    wrong = [o.reason for o in check_chip(chip, readings).outputs if o.verdict == "impossible"]
    assert wrong == []


@pytest.mark.parametrize("name", LOGIC)
def test_nothing_probed_means_nothing_is_ruled_out(name):
    chip = LIBRARY.find(name)
    for found in expected_behaviours(chip, {}).values():
        assert {0, 1} <= found.likely


@pytest.mark.parametrize("name", LOGIC)
def test_a_moving_output_of_a_chip_at_rest_is_impossible_for_every_type(name):
    """An output that moves when no input does: the oldest check of all."""
    chip = LIBRARY.find(name)
    readings = {p.number: PinReading("H") for p in chip.pins if p.role == "input"}
    readings |= {p.number: PinReading("P") for p in chip.pins if p.role == "output"}
    for output in check_chip(chip, readings).outputs:
        if output.name not in chip.output_of:
            continue
        enabled = chip.output_of[output.name].enable
        if output.reading.state == "P" and (enabled is None or enabled.evaluate(dict.fromkeys(chip.input_names, 1))):
            wanted = (
                "unusual" if chip.output_of[output.name].open_collector and "high" in output.expected else "impossible"
            )
            assert output.verdict == wanted, output.reason


def test_possible_and_usual_differ_when_inputs_may_move_in_step():
    both = compile_expression("A & B")
    possible, usual = function_behaviour(both, {"A": "P", "B": "P"})
    assert possible == {0, "P"} and usual == {"P"}
    possible, usual = function_behaviour(both, {"A": "P", "B": "?"})
    assert possible == {0, "P"} == usual
    assert function_behaviour(both, {"A": "C", "B": 1})[0] == {0, 1}


def test_trees_tell_control_from_data():
    tree = compile_tree("0 if ~/CLR else A if ~/LOAD else ~q")
    assert isinstance(tree, Branch) and control_names(tree) == {"/CLR", "/LOAD"} and leaf_names(tree) == {"A", "q"}
    assert leaf_for(tree, {"/CLR": 1, "/LOAD": 0}).names == ("A",)
    values = {
        "/CLR": np.array([0, 1, 1]),
        "/LOAD": np.array([1, 0, 1]),
        "A": np.array([1, 1, 1]),
        "q": np.array([0, 0, 0]),
    }
    assert list(evaluate_tree(tree, values)) == [0, 1, 1]


@pytest.mark.parametrize(
    ("family", "volts", "level"),
    [
        ("LS", 0.8, "L"),
        ("LS", 1.4, "X"),
        ("LS", 2.0, "H"),
        ("HC", 1.5, "L"),
        ("HC", 2.5, "X"),
        ("HC", 3.5, "H"),
        ("HCT", 2.0, "H"),
    ],
)
def test_levels_by_family(family, volts, level):
    assert level_of(volts, FAMILIES[family]) == level
    assert parse_state(f"{volts}V", FAMILIES[family]).state == level


def test_weak_levels_are_named_and_strong_ones_are_not():
    ls = FAMILIES["LS"]
    assert "weak low" in output_margin(0.7, ls) and "weak high" in output_margin(2.2, ls)
    assert output_margin(0.2, ls) is None and output_margin(3.4, ls) is None


@pytest.mark.parametrize(
    ("text", "words"), [("L", "low"), ("1.4", "1.40 V (invalid)"), ("6MHz", "6.00 MHz"), ("?", "not probed")]
)
def test_readings_are_spoken(text, words):
    assert parse_state(text, FAMILIES["LS"]).words == words


def test_a_floating_input_acts_high_in_ttl_only():
    assert drive_of(PinReading("Z"), FAMILIES["LS"]) == 1 and drive_of(PinReading("Z"), FAMILIES["HC"]) == "?"
    assert drive_of(PinReading("X"), FAMILIES["LS"]) == "?"


@pytest.mark.parametrize("name", LOGIC)
def test_no_waveform_found_by_a_search_is_called_impossible(name):
    """`make bench` searches further: signals in step with clocks, gated, single pulses, pins not read."""
    chip, rng = LIBRARY.find(name), np.random.default_rng(len(name) * 7919)
    readings = read_healthy(chip, rng)
    if readings is not None:
        wrong = [o.reason for o in check_chip(chip, readings).outputs if o.verdict == "impossible"]
        assert wrong == [], readings


@pytest.mark.parametrize("name", [n for n in STORING if not any(o.enable for o in LIBRARY.find(n).outputs)][::3])
def test_what_is_called_impossible_never_comes_out_of_the_plain_search_either(name):
    """Readings with one output changed: what the exact search allows is a superset of what the simulation shows."""
    chip, rng = LIBRARY.find(name), np.random.default_rng(7)

    def one_changed():
        for readings in filter(None, (read_healthy(chip, rng, hidden=0.0) for _ in range(40))):
            for pin in (p.number for p in chip.pins if p.role == "output" and readings[p.number].state in "LHP"):
                flipped = {"L": "H", "H": "P", "P": "L"}[readings[pin].state]
                verdicts = {o.pin: o for o in check_chip(chip, {**readings, pin: PinReading(flipped)}).outputs}
                yield verdicts[pin].verdict

    assert "impossible" in one_changed(), "some of what cannot be is called impossible"


@pytest.mark.parametrize("name", ["74LS74", "74LS161", "74LS193", "4017"])
def test_both_ways_to_find_what_belongs_together_come_to_the_same_verdicts(name, monkeypatch):
    chip, rng = LIBRARY.find(name), np.random.default_rng(5)
    some = [{pin.number: PinReading(rng.choice(list("LHP"))) for pin in chip.pins} for _ in range(4)]
    told = []
    for few in (0, 1 << 10):
        monkeypatch.setattr(reach, "_FEW_NODES", few)
        told.append([check_chip(chip, readings).outputs for readings in some])
    assert told[0] == told[1]


def test_fourteen_inputs_that_move_or_float_are_still_tried_in_every_combination():
    names = [f"A{n}" for n in range(15)]
    held = {**dict.fromkeys(names, "?"), "A14": 0}
    assert function_behaviour(compile_expression(" & ".join(names)), held) == ({0}, {0})
