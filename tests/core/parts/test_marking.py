"""Markings: what is printed on parts is understood as a whole or not at all."""

import pytest

from loyal_trace.core.parts.marking import parse_marking
from loyal_trace.core.parts.marks import capacitor_marking


@pytest.mark.parametrize(
    ("text", "value", "voltage"),
    [
        ("6800u 25V", 6.8e-3, 25),
        ("100u/16V", 1e-4, 16),
        ("100n", 1e-7, None),
        ("104", 1e-7, None),
        ("4u7 35V", 4.7e-6, 35),
        ("2,2u 6,3V", 2.2e-6, 6.3),
        ("473", 47e-9, None),
    ],
)
def test_capacitors_are_read_by_value_and_rating(text, value, voltage):
    found = capacitor_marking(text)
    assert (found.value, found.voltage) == (pytest.approx(value), voltage)


@pytest.mark.parametrize("text", ["74LS00", "5", "2000", "100u 16", "u", "100u 16V yellow", "0n"])
def test_what_is_no_capacitor_is_none(text):
    assert capacitor_marking(text) is None


def test_from_one_microfarad_it_is_an_electrolytic_and_polarised_unless_marked_bipolar():
    assert (capacitor_marking("1u 50V").technology, capacitor_marking("1u 50V").polarised) == ("aluminium", True)
    assert (capacitor_marking("999n").technology, capacitor_marking("999n").polarised) == ("", False)
    assert capacitor_marking("10u 16V BP").polarised is False and capacitor_marking("10u 16V BP").number == "10u 16V BP"


@pytest.mark.parametrize(
    ("text", "kind", "found"),
    [
        ("74ls166", "chip", "chip"),
        ("27C128-15", "chip", "chip"),
        ("4116", "chip", "chip"),
        ("LM339N", "chip", "chip"),
        ("2N3904", "transistor", "transistor"),
        ("7805", "regulator", "regulator"),
        ("1N4148", "diode", "diode"),
        ("2A slow", "fuse", "fuse"),
        ("8MHz", "crystal", "crystal"),
        ("4", "crystal", None),
        ("10k", "network", "network"),
        ("4k7", "resistor", "resistor"),
        ("HYB-3", "chip", None),
        ("banana", "capacitor", None),
        ("-4k7", "resistor", None),
        ("500A", "fuse", None),
    ],
)
def test_the_kind_comes_from_the_marking_and_the_designator(library, text, kind, found):
    marking = parse_marking(text, kind, library)
    assert (marking.kind if marking else None) == found


def test_a_value_goes_before_a_type_number_on_parts_that_have_values(library):
    assert parse_marking("6800u", "capacitor", library).kind == "capacitor"
    assert parse_marking("6800", "chip", library).kind == "chip"
    assert parse_marking("4k7", "chip", library) is None
