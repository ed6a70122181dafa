"""The supply pins of chips with several supplies."""

import pytest


@pytest.mark.parametrize(
    ("name", "nominal", "pins"),
    [
        ("74LS00", 5.0, (14,)), ("74LS00", None, (14,)), ("74LS00", -5.0, ()), ("27C64", 5.0, (28,)), ("4116", 5.0, (9,)),
        ("4116", 12.0, (8,)), ("4116", -5.0, (1,)), ("2708", 12.0, (19,)), ("8080", -5.0, (11,)), ("68000", 5.0, (14, 49)),
        ("TL072", 12.0, (8,)), ("TL072", -12.0, (4,)), ("4051", 5.0, (16,)), ("4051", -5.0, (7,)), ("ULN2003", 12.0, ()),
        ("UDN2981", 12.0, (9,)), ("UDN2981", 24.0, (9,)), ("UDN2981", -5.0, ()),
    ],
)  # fmt: skip
def test_a_rail_feeds_the_pins_of_its_voltage(library, name, nominal, pins):
    assert library.find(name).supply_pins(nominal) == pins
