"""Values as typed: what they can mean, what cannot be, and how they are typed again."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.line.values import percent, possible, read_values, typed_value, unit_of
from loyal_trace.core.vocabulary.quantities import Quantity
from tests.helpers.lines import recorded


@pytest.mark.parametrize(
    ("text", "unit", "values"),
    [
        ("4.87V", "V", [4.87]),
        ("4,87V", "V", [4.87]),
        ("6,800u", "F", [6.8e-6, 6.8e-3]),
        ("1,234", "V", [1.234, 1234.0]),
        ("0,234", "V", [0.234]),
        ("12,3456", "V", [12.3456]),
        ("1234,567", "V", [1234.567]),
        ("4.2 ohms", "Ω", [4.2]),
        ("8.002MHZ", "Hz", [8.002e6]),
        ("ol", "Ω", [math.inf]),
        ("5V", "Ω", []),
        ("five", "V", []),
    ],
)
def test_a_value_gives_every_number_that_it_can_mean(text, unit, values):
    assert read_values(text, unit) == [pytest.approx(value) for value in values]


@pytest.mark.parametrize(
    ("quantity", "value", "can"),
    [
        (Quantity.CAPACITANCE, 10.0, True),
        (Quantity.CAPACITANCE, 10.1, False),
        (Quantity.CAPACITANCE, 0.0, False),
        (Quantity.RESISTANCE, -0.1, False),
        (Quantity.RESISTANCE, math.inf, True),
        (Quantity.ESR, math.inf, True),
        (Quantity.DIODE, math.inf, True),
        (Quantity.VOLTAGE, math.inf, False),
        (Quantity.VOLTAGE, -5.0, True),
        (Quantity.AC_VOLTAGE, -5.0, False),
        (Quantity.LOSS, 10.0, True),
        (Quantity.LOSS, 10.1, False),
        (Quantity.RATING, 0.0, False),
    ],
)
def test_what_no_meter_shows_is_no_reading(quantity, value, can):
    assert possible(quantity, value) is can


@pytest.mark.parametrize(
    ("text", "unit"),
    [("4.2ohm", "Ω"), ("8MHz", "Hz"), ("5V", "V"), ("12", ""), ("20°C", "°C"), ("20C", ""), ("2A", "A")],
)
def test_the_unit_is_what_ends_the_value(text, unit):
    assert unit_of(text) == unit


@pytest.mark.parametrize(("share", "words"), [(0.12, "12%"), (0.005, "0.5%"), (1.0, "100%"), (12.5, "1250%")])
def test_a_loss_is_typed_in_percent(share, words):
    assert percent(share) == words


@given(st.floats(1e-3, 9.9e5), st.sampled_from([Quantity.RESISTANCE, Quantity.VOLTAGE, Quantity.FREQUENCY]))
def test_a_reading_typed_again_is_the_same_reading(value, quantity):
    rounded = float(f"{value:.4g}")
    assert rounded in read_values(typed_value(rounded, quantity), quantity.unit)


@pytest.mark.parametrize(
    ("line", "quantity", "value"),
    [
        ("C1 MEASURES 51U", "capacitance", 51e-6),
        ("C1 measures 100 NF", "capacitance", 1e-7),
        ("5D.13 4.87v", "voltage", 4.87),
        ("5D.13 4.87 V", "voltage", 4.87),
        ("5D.13 TO 5D.14 12 OHM", "continuity", 12.0),
    ],
)
def test_capitals_of_units_and_prefixes_are_the_hands_own(line, quantity, value):
    fields = recorded(line)[0][1]
    assert fields["quantity"] == quantity and fields["value"] == pytest.approx(value)


def test_a_capacitor_named_in_capitals_is_the_same_capacitor():
    ((_, fields),) = recorded("C1 IS 6800U 25V")
    assert (fields["number"], fields["value"], fields["voltage"]) == ("6800u 25V", pytest.approx(6.8e-3), 25)
