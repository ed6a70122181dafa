import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.units import count_of, format_percent, format_quantity, parse_quantity


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("4k7", "Ω", 4700),
        ("2R2", "Ω", 2.2),
        ("4,7k", "Ω", 4700),
        ("100n", "F", 1e-7),
        ("0µ1", "F", 1e-7),
        ("1.4V", "V", 1.4),
        ("32.768kHz", "Hz", 32768),
        ("4700u", "F", 4.7e-3),
        ("1.2A", "A", 1.2),
        ("5V1", "V", 5.1),
        ("-0.5", "V", -0.5),
        ("1e-6", "F", 1e-6),
        ("3 kOhm", "Ω", 3000),
        ("220 µF", "F", 2.2e-4),
    ],
)
def test_engineering_notation_is_read(text, unit, value):
    assert parse_quantity(text, unit) == pytest.approx(value)


@pytest.mark.parametrize("text", ["", "k", "4k7k", "nan", "inf", "1e999", "five", "1.2.3", "4,7,1", "0x10"])
def test_what_is_no_number_is_refused_with_the_text_in_the_message(text):
    with pytest.raises(RequestError, match="“"):
        parse_quantity(text)


def test_a_wrong_unit_is_refused():
    with pytest.raises(RequestError, match="expected"):
        parse_quantity("5V", "Ω")


@given(st.floats(1e-12, 9.9e9))
def test_formatting_and_parsing_agree(value):
    assert parse_quantity(format_quantity(value, "F", 6), "F") == pytest.approx(value, rel=1e-5)


def test_numbers_read_as_people_write_them():
    assert format_quantity(0.999999, "V") == "1.00 V"
    assert format_quantity(math.inf, "Ω") == "OL"
    assert format_percent(0.71) == "71 %" and format_percent(0.9999) == "> 99.9 %" and format_percent(1e-9) == "< 0.1 %"
    assert count_of(1, "pin") == "1 pin" and count_of(2000, "entry", "entries") == "2,000 entries"
