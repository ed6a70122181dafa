"""What a voltage means to an input, and what a healthy output delivers, at and beside each limit."""

import pytest

from loyal_trace.core.chips.levels import FAMILIES, level_of, output_margin


@pytest.mark.parametrize(
    ("family", "voltage", "level"),
    [
        ("LS", 0.8, "L"),
        ("LS", 0.81, "X"),
        ("LS", 1.99, "X"),
        ("LS", 2.0, "H"),
        ("HC", 1.5, "L"),
        ("HC", 1.51, "X"),
        ("HC", 3.49, "X"),
        ("HC", 3.5, "H"),
        ("HCT", 2.0, "H"),
    ],
)
def test_a_level_depends_on_the_family(family, voltage, level):
    assert level_of(voltage, FAMILIES[family]) == level


@pytest.mark.parametrize(
    ("family", "voltage", "word"),
    [
        ("LS", 0.5, None),
        ("LS", 0.51, "weak low"),
        ("LS", 0.8, "weak low"),
        ("LS", 0.81, None),
        ("LS", 1.99, None),
        ("LS", 2.0, "weak high"),
        ("LS", 2.69, "weak high"),
        ("LS", 2.7, None),
        ("TTL", 2.5, None),
        ("HC", 0.45, "weak low"),
        ("HC", 3.9, "weak high"),
    ],
)
def test_a_readable_level_can_still_be_weak(family, voltage, word):
    found = output_margin(voltage, FAMILIES[family])
    assert (word in found and FAMILIES[family].name in found) if word else found is None


def test_open_inputs_are_high_in_bipolar_families_alone():
    floating = {name for name, family in FAMILIES.items() if not family.open_input_is_high}
    assert floating == {"HC", "AC", "HCT", "ACT", "NMOS", "4000", "ANALOGUE"}
    assert all(f.output_low < f.input_low and f.output_high > f.input_high for f in FAMILIES.values())
