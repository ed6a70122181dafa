"""A chip against a captured trace: healthy ones agree from any state, late outputs are no fault, wrong ones are named."""

import numpy as np
import pytest

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.simulation.machine import Machine
from loyal_trace.core.simulation.netlist import build_netlist
from loyal_trace.core.simulation.traces import Trace, check_trace
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.resources import chip_library

LIBRARY = chip_library()
STEPS = 3000


def captured(name, seed=1, start=0, late=0):
    """(chip, trace, pins) of a healthy chip with inputs that move at random, slowly."""
    chip, dice = LIBRARY.find(name), np.random.default_rng(seed)
    inputs = [pin for pin in chip.pins if pin.role == "input"]
    stimuli = {}
    for pin in inputs:
        held = int(dice.integers(6, 14))
        levels = dice.integers(0, 2, STEPS // held + 1, dtype=np.uint8)
        if any(pin.name in condition.names for r in chip.registers for condition, _ in r.overrides):
            levels[:] = 1  # clears and presets rest, active low
        stimuli[f"U.{pin.number}"] = levels.repeat(held)[:STEPS]
    netlist = build_netlist(BoardDefinition("b", "b", parts=(Part("U", name),)), LIBRARY)
    run = Machine(netlist, stimuli, STEPS, {("U", r.bit): start for r in chip.registers})
    outputs = {o.name: run.levels(netlist.chips[0].net_of[o.name]) for o in chip.outputs}
    channels = {pin.name: stimuli[f"U.{pin.number}"] for pin in inputs}
    channels |= {
        name: np.concatenate([levels[:1].repeat(late), levels[: STEPS - late]]) for name, levels in outputs.items()
    }
    return chip, Trace(np.arange(STEPS) * 1e-8, channels), {chip.pin(name).number: name for name in channels}


@pytest.mark.parametrize("name", ["74LS00", "74LS138", "74LS74", "74LS161", "74LS166", "74LS273", "74LS163", "74LS164"])
@pytest.mark.parametrize(("start", "late"), [(0, 0), (1, 0), (1, 1)])
def test_a_healthy_chip_agrees_from_any_state_and_with_late_outputs(name, start, late):
    chip, trace, pins = captured(name, start=start, late=late)
    assert check_trace(chip, trace, pins, LIBRARY, skew=2) == ()


def test_a_stuck_output_is_named_with_its_time_and_inputs():
    chip, trace, pins = captured("74LS00")
    stuck = trace.channels["1Y"].copy()
    stuck[1000:] = 0
    found = check_trace(chip, Trace(trace.times, {**trace.channels, "1Y": stuck}), pins, LIBRARY)
    assert (
        [one.name for one in found] == ["1Y"]
        and found[0].time >= 1000e-8
        and (found[0].seen, found[0].expected) == (0, 1)
    )
    assert dict(found[0].inputs)["1A"] & dict(found[0].inputs)["1B"] == 0 and "pin 3 (1Y) is low" in found[0].reason


def test_an_unknown_channel_and_a_map_without_an_output_are_refused():
    chip, trace, _ = captured("74LS00")
    for pins in ({1: "none"}, {1: "1A"}):
        with pytest.raises(RequestError):
            check_trace(chip, trace, pins, LIBRARY)
