"""Another type in a place: what it gives up is computed from both, and stands with the proof of the replacement."""

import pytest

from loyal_trace.core.boards.model import Part
from loyal_trace.core.parts.other_type import given_up
from tests.helpers.builders import chip_library

TEN_MICRO = Part("C1", "10u 16V", kind="capacitor", value=1e-5, voltage=16.0, polarised=True)


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ("74LS374", "74HC374", ("its inputs need 3.5 V for a high, LS outputs promise 2.7 V", "tie it")),
        ("74LS374", "74HCT374", ("tie it",)),
        ("74LS04", "74S04", ("it draws about 5 times the current",)),
        ("74LS00", "74LS08", ("it is a quad 2-input AND gate, not a quad 2-input NAND gate",)),
        ("74LS00", "74LS02", ("pin 1 is 1Y, was 1A; ",)),
        ("27C64", "27C128", ("pin 26 is A13, was NC1",)),
        ("6264", "6116", ("it has 24 pins in place of 28",)),
        ("74LS374", "74ALS374", ()),
        ("74LS374", "74LS374", ()),
        ("HYB-3", "HYB-4", ()),
    ],
)
def test_what_another_chip_gives_up(old, new, told):
    found = given_up(Part("U1", old), new, chip_library())
    assert len(found) == len(told) and all(part in one for part, one in zip(told, found, strict=True))


@pytest.mark.parametrize(
    ("new", "told"),
    [("10u 25V", ()), ("4u7 25V", ("4.7 µF in place of 10 µF",)), ("10u 10V", ("10 V in place of 16 V",)),
     ("12u 16V", ()), ("100u 16V", ("100 µF in place of 10 µF",)), ("74LS00", ())],
)  # fmt: skip
def test_what_another_value_gives_up(new, told):
    assert given_up(TEN_MICRO, new, chip_library()) == told
