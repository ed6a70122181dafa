"""The chip check against truths a person at the bench knows."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.probing.check import check_chip
from loyal_trace.core.probing.states import PinReading, parse_state
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.resources import chip_library
from tests.helpers.builders import check


def test_a_nand_with_a_low_input_and_a_low_output_is_impossible_and_says_why():
    verdict = check("74LS00", "1=L 2=P 3=L")[3]
    assert verdict.verdict == "impossible"
    assert "pin 3 (1Y) is low although pin 1 (1A) is low" in verdict.reason and verdict.because == (1,)


@pytest.mark.parametrize(
    ("chip", "pins", "output", "verdict"),
    [
        ("74LS00", "1=P 2=P 3=L", 3, "impossible"),
        ("74LS00", "1=P 2=P 3=H", 3, "unusual"),
        ("74LS00", "1=P 2=P 3=P", 3, "possible"),
        ("74LS00", "1=H 2=H 3=P", 3, "impossible"),
        ("74LS00", "2=H 3=L", 3, "possible"),
        ("74LS00", "1=H 2=Z 3=H", 3, "unusual"),
        ("74HC00", "1=H 2=Z 3=H", 3, "possible"),
        ("74LS00", "1=H 2=H 3=Z", 3, "impossible"),
        ("74LS00", "1=H 2=H 3=1.4V", 3, "impossible"),
        ("74LS00", "1=L 2=H 3=2.1V", 3, "unusual"),
        ("74LS74", "1=H 2=P 3=P 4=H 5=L", 5, "unusual"),
        ("74LS74", "1=H 2=L 3=P 4=H 5=L", 5, "possible"),
        ("74LS74", "1=H 2=P 3=L 4=H 5=L", 5, "possible"),
        ("74LS74", "1=H 2=P 3=L 4=H 5=P", 5, "impossible"),
        ("74LS74", "1=L 2=P 3=P 4=H 5=H", 5, "impossible"),
        ("74LS161", "1=H 2=P 7=H 9=H 10=H 13=L", 13, "impossible"),
        ("74LS161", "1=H 2=P 7=H 9=H 10=H 15=L", 15, "impossible"),
        ("74LS161", "1=H 2=P 7=L 9=H 10=H 14=P", 14, "impossible"),
        ("74LS161", "1=L 2=P 7=H 9=H 10=H 14=L", 14, "possible"),
        ("74LS163", "1=H 2=P 3=L 4=L 5=L 6=L 7=P 9=P 10=P 15=L", 15, "possible"),
        ("74LS166", "1=L 2=P 3=P 4=P 5=P 6=L 7=P 9=H 10=P 11=P 12=P 14=P 15=P 13=L", 13, "unusual"),
        ("74LS166", "1=L 6=L 7=P 9=H 15=H 13=L", 13, "possible"),
        ("74LS166", "1=L 6=L 7=P 9=H 15=H 13=P", 13, "impossible"),
        ("74LS373", "1=L 11=P 3=P 2=H", 2, "unusual"),
        ("74LS373", "1=L 11=H 3=P 2=H", 2, "impossible"),
        ("74LS373", "1=L 11=L 3=P 2=H", 2, "possible"),
        ("74LS373", "1=L 11=L 3=P 2=P", 2, "impossible"),
        ("74LS138", "1=P 2=P 3=P 4=L 5=L 6=L 15=P", 15, "impossible"),
        ("74LS138", "1=P 2=P 3=P 4=L 5=L 6=H 15=L", 15, "impossible"),
        ("74LS245", "1=H 19=L 2=P 18=L", 18, "impossible"),
        ("74LS245", "1=H 19=H 2=P 18=L", 18, "possible"),
        ("74LS244", "1=H 18=Z", 18, "possible"),
        ("74LS07", "1=H 2=L", 2, "unusual"),
        ("74LS07", "1=L 2=H", 2, "impossible"),
        ("27C64", "20=H 11=Z", 11, "possible"),
        ("27C64", "20=L 22=L 10=P 11=Z", 11, "impossible"),
        ("6116", "18=L 20=L 21=L 9=P", 9, "possible"),
        ("74LS393", "1=P 2=L 5=L", 5, "impossible"),
        ("74LS107", "1=H 4=H 12=P 13=H 3=H", 3, "impossible"),
    ],
)
def test_verdicts_known_at_the_bench(chip, pins, output, verdict):
    found = check(chip, pins)[output]
    assert found.verdict == verdict, found.reason


@pytest.mark.parametrize(
    ("chip", "pins", "output", "verdict"),
    [
        # A port: data and clock move, but the edge always finds the same level.
        ("74LS374", "1=L 3=P 11=P 2=L", 2, "unusual"),
        ("74LS273", "1=H 3=P 11=P 2=H", 2, "unusual"),
        ("74LS74", "1=H 2=4MHz 3=2MHz 4=H 5=L", 5, "unusual"),
        # Who drives the line is not this chip.
        ("4164", "15=H 14=Z", 14, "possible"),
        ("4164", "15=H 14=1.4V", 14, "possible"),
        # Inverters as amplifiers, averages of a meter, open inputs.
        ("74LS04", "1=1.4V 2=1.4V", 2, "unusual"),
        ("74LS04", "1=1.5V 2=P", 2, "possible"),
        ("74LS04", "1=P 2=1.5V", 2, "unusual"),
        ("74LS04", "1=Z 2=H", 2, "unusual"),
        ("74LS04", "1=0.2V 2=1.5V", 2, "impossible"),
        # Frequencies.
        ("74LS393", "1=4MHz 2=L 3=4MHz", 3, "impossible"),
        ("74LS393", "1=4MHz 2=L 3=2MHz", 3, "possible"),
        ("74LS393", "1=4MHz 2=L 4=1.5MHz", 4, "impossible"),
        ("74LS393", "1=4MHz 2=L 6=250kHz", 6, "possible"),
        ("74LS393", "1=4MHz 2=L 3=1.98MHz", 3, "possible"),
        ("74LS00", "1=1MHz 2=H 3=2MHz", 3, "impossible"),
        ("74LS86", "1=1MHz 2=1MHz 3=2MHz", 3, "possible"),
        ("74LS04", "1=2MHz 2=1MHz", 2, "impossible"),
        ("74LS04", "1=2MHz 2=2.01MHz", 2, "possible"),
        ("74LS00", "1=1MHz 2=P 3=500kHz", 3, "possible"),
        ("74LS161", "1=H 2=8MHz 7=H 9=H 10=H 15=1MHz", 15, "impossible"),
        ("74LS161", "1=H 2=8MHz 7=H 9=H 10=H 15=500kHz", 15, "possible"),
        ("74LS161", "1=H 2=8MHz 7=H 9=P 10=H 15=1MHz", 15, "possible"),
        # Q beside /Q.
        ("74LS74", "1=H 2=P 3=P 4=H 5=P 6=L", 5, "impossible"),
        ("74LS74", "1=H 2=P 3=P 4=P 5=H 6=L", 6, "unusual"),
        ("74LS74", "1=P 2=P 3=P 4=P 5=P 6=L", 6, "impossible"),
        # Supplies and levels from elsewhere.
        ("74LS00", "14=0.2V 1=L 2=L 3=L", 3, "cannot be judged"),
        ("74LS00", "14=9V 1=L 2=L 3=L", 3, "cannot be judged"),
        ("74LS00", "7=2.5V 1=L 2=L 3=L", 3, "cannot be judged"),
        ("74HC00", "14=3.3V 1=L 2=L 3=L", 3, "impossible"),
        ("74LS00", "1=L 2=L 3=-12V", 3, "unusual"),
        ("74LS373", "1=L 11=H 3=L 2=H", 2, "impossible"),
    ],
)
def test_what_some_waveform_or_another_source_gives_is_never_impossible(chip, pins, output, verdict):
    found = check(chip, pins)[output]
    assert found.verdict == verdict, found.reason


def test_both_outputs_of_a_flip_flop_low_is_impossible_together():
    found = check("74LS74", "1=H 4=H 3=L 5=L 6=L")
    assert found[5].verdict == found[6].verdict == "impossible" and "at once" in found[5].reason


def test_a_low_supply_is_named_before_anything_else():
    chip = chip_library().find("74LS00")
    assert "4.60 V" in check_chip(chip, {14: PinReading("H", voltage=4.6)}).supply
    assert "ground" in check_chip(chip, {7: PinReading("P")}).supply


@pytest.mark.parametrize("text", ["Q", "", "99V", "-3kHz", "LH"])
def test_what_is_no_pin_state_is_refused(text):
    with pytest.raises(RequestError):
        parse_state(text, chip_library().find("74LS00").family)


GATES = [
    "74LS00",
    "74LS02",
    "74LS08",
    "74LS10",
    "74LS27",
    "74LS32",
    "74LS86",
    "74LS138",
    "74LS151",
    "74LS157",
    "74LS283",
]


@given(st.sampled_from(GATES), st.integers(0, 2**32 - 1))
def test_a_healthy_gate_driven_at_random_is_never_called_impossible(name, seed):
    """Property: whatever moves at its inputs, what a healthy combinational chip shows is possible or unusual."""
    chip = chip_library().find(name)
    rng = np.random.default_rng(seed)
    streams = {}
    for pin in chip.input_names:
        kind = rng.integers(4)
        shared = rng.integers(0, 2, 40) if kind < 2 else None
        streams[pin] = {0: np.zeros(40, int), 1: np.ones(40, int)}.get(kind, shared if shared is not None else None)
        if streams[pin] is None:
            streams[pin] = rng.integers(0, 2, 40)
    streams |= {o.name: o.value.evaluate(streams) for o in chip.outputs}

    def state(stream):
        return "L" if not np.any(stream) else "H" if np.all(stream) else "P"

    readings = {p.number: PinReading(state(streams[p.name])) for p in chip.pins if p.name in streams}
    assert [o.reason for o in check_chip(chip, readings).outputs if o.verdict == "impossible"] == []
