"""What can stand in for a chip, what it gives up, and what is refused."""

import numpy as np
import pytest

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.chips.levels import FAMILIES
from loyal_trace.core.parts.equivalents import Section, bypass, equivalents_of, family_change, sections_of
from loyal_trace.core.parts.fitting import Fits
from loyal_trace.core.simulation.engine import StreamEngine
from loyal_trace.core.simulation.netlist import build_netlist
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.resources import chip_library, families, memory_types


def of(number, clock=None):
    return equivalents_of(number, chip_library(), families(), memory_types(), clock)


def found(number, other, clock=None):
    return next(one for one in of(number, clock).found if one.number == other)


def change(old, new, clock=None):
    return family_change("74XX00", FAMILIES[old], FAMILIES[new], families(), clock)


@pytest.mark.parametrize(
    ("old", "new", "fits"),
    [
        ("LS", "ALS", Fits.FITS),
        ("LS", "HCT", Fits.WITH_CARE),
        ("LS", "HC", Fits.NO),
        ("LS", "AC", Fits.NO),
        ("TTL", "HC", Fits.NO),
        ("HC", "HCT", Fits.FITS),
        ("HC", "LS", Fits.NO),
        ("S", "LS", Fits.WITH_CARE),
        ("LS", "S", Fits.WITH_CARE),
        ("TTL", "L", Fits.WITH_CARE),
    ],
)
def test_another_family_is_judged_by_levels_drive_load_and_speed(old, new, fits):
    one = change(old, new)
    assert one.fits is fits and (one.gives_up or fits is Fits.FITS)


def test_each_thing_that_is_given_up_is_told_with_its_figures():
    told = " ".join(change("LS", "HCT").gives_up)
    assert "input left open" in told and "drives 10 inputs of LS where it drove 20" in told
    assert "each input takes 2.00 mA, so an output of LS feeds 4" in " ".join(change("LS", "S").gives_up)
    assert "edges of 1.50 ns instead of 6.00 ns" in " ".join(change("LS", "ACT").gives_up)
    assert "need 3.5 V for a high, and LS outputs promise 2.7 V" in " ".join(change("LS", "HC").gives_up)


@pytest.mark.parametrize(("clock", "fits"), [(None, Fits.WITH_CARE), (4e6, Fits.WITH_CARE), (12e6, Fits.NO)])
def test_a_slow_family_is_too_slow_at_a_fast_clock(clock, fits):
    assert change("F", "LS", clock).fits is fits
    with pytest.raises(RequestError):
        of("74LS00", -1.0)


def test_the_list_begins_with_the_type_itself_and_ends_with_what_does_not_fit():
    listed = of("SN74LS161N").found
    assert listed[0].number == "74LS161" and listed[0].fits is Fits.FITS and listed[-1].fits is Fits.NO
    assert {one.number for one in listed} >= {"74HCT161", "74ALS161", "74161", "74HC161"}


def test_types_with_the_same_pins_and_logic_are_found_with_what_differs():
    inverter = found("7404", "7405")
    assert inverter.fits is Fits.WITH_CARE and "open collectors" in inverter.gives_up[0]
    assert found("7405", "7404").fits is Fits.NO, "nothing that drives high on a shared line"
    assert "7402" not in {one.number for one in of("7400").found}, "other pins, other logic"


def test_a_memory_is_never_replaced_by_a_smaller_one():
    numbers = {one.number: one for one in of("27C256").found}
    assert "27C64" not in numbers and "27C512" in numbers
    assert all(memory_types().find(number).size >= 32768 for number in numbers)


def test_a_bipolar_prom_gets_an_adapter_with_every_pin_of_the_eprom():
    one = found("82S129", "27C64")
    assert len(one.wiring) == 28 and one.fits is Fits.WITH_CARE
    wires = {wire.start.split("(")[1].rstrip(")"): wire.end for wire in one.wiring}
    chip = chip_library().find("82S129")
    for name in [f"A{n}" for n in range(8)] + [f"D{n}" for n in range(4)] + ["VCC", "GND"]:
        assert wires[name].startswith(f"socket pin {chip.pin(name).number} ")
    assert wires["A8"] == wires["A12"] == "ground" and wires["D7"] == "nothing" and wires["VPP"] == "+5 V"
    assert wires["/CE"] == f"socket pin {chip.pin('/CE1').number} (select)"
    assert any("access in 150 ns" in cost for cost in one.gives_up)
    pulled = [any("pull-up" in cost for cost in found(number, "2716").gives_up) for number in ("82S129", "74S188")]
    left = {
        name: [cost for cost in found(name, "27C64").gives_up if "has no enable for" in cost]
        for name in ("82S129", "82S141", "82S191")
    }
    assert left["82S129"] == [] and "for CE4, CE3:" in left["82S141"][0] and "for CE3, CE2:" in left["82S191"][0]
    assert pulled == [False, True], "only where the old outputs are open collectors"


def test_a_static_ram_gets_a_larger_one_on_an_adapter():
    one = found("2114", "6116")
    assert one.gives_up == ("1 address line to ground", "not connected: 4 data lines")
    chip = chip_library().find("2114")
    wires = {wire.start.split("(")[1].rstrip(")"): wire.end for wire in one.wiring}
    assert (
        wires["A10"] == "ground"
        and wires["D7"] == "nothing"
        and wires["A9"].startswith(f"socket pin {chip.pin('A9').number}")
    )


def test_one_section_of_an_array_by_a_discrete_part():
    one = next(o for o in of("ULN2803").found if "section" in o.relation)
    assert one.fits is Fits.WITH_CARE and len(one.wiring) == 4
    text = " ".join(one.gives_up)
    assert "workaround" in text and "400 mA" in text and "diode test" in text and "before it" in text
    assert one.wiring[0].end.startswith("pin 1 ") and "pin 18 (output)" in one.wiring[1].end


def test_like_sections_can_stand_in_for_each_other():
    gates = sections_of(chip_library().find("74LS00"))
    assert [gate.name for gate in gates] == ["1Y", "2Y", "3Y", "4Y"] and gates[0] == Section("1Y", (1, 2), 3)
    wires = bypass(gates[0], gates[3], chip_library().find("74LS00"))
    assert [(w.start.split()[3], w.end) for w in wires] == [("1", "pin 12"), ("2", "pin 13"), ("3", "pin 11")]
    for alone in ("74LS161", "27C64", "74LS138", "74LS244"):
        assert sections_of(chip_library().find(alone)) == ()


@pytest.mark.parametrize("number", ["", "HYB-3", "74LS99999"])
def test_an_unknown_type_is_said_to_be_unknown(number):
    with pytest.raises(RequestError):
        of(number)


@pytest.mark.parametrize(
    "number", ["74573", "7400", "74161", "74374", "74138", "7486", "74245", "7437", "74154", "74163"]
)
def test_what_fits_without_a_wire_does_on_every_pin_what_the_old_chip_does(number):
    """Both driven with the same made-up signals; open collectors are told, and show what they pull low only."""
    steps, draw, old = 200, np.random.default_rng(7), chip_library().find(number)
    signals = {
        p.number: draw.integers(0, 2, steps // 4).repeat(4).astype(np.uint8) for p in old.pins if p.role == "input"
    }

    def shown(name):
        board = BoardDefinition("b", "b", parts=(Part("U1", name),))
        pins = [pin.number for pin in chip_library().find(name).pins if pin.role == "input"]
        found = StreamEngine().run(build_netlist(board, chip_library()), {f"U1.{n}": signals[n] for n in pins}, steps)
        return {pin.number: found[f"U1.{pin.number}"] for pin in chip_library().find(name).pins if pin.role == "output"}

    before = shown(number)
    others = [one for one in of(number).found if not one.wiring and chip_library().knows(one.number)]
    assert len(others) > 3
    for one in others:
        told = " ".join(one.gives_up)
        if "open collector" not in told and "drives high" not in told and "drive high" not in told:
            assert all(np.array_equal(stream[8:], shown(one.number)[n][8:]) for n, stream in before.items()), one.number
