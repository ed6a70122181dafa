import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.units import (
    count_of,
    format_duration,
    format_percent,
    format_quantity,
    parse_quantity,
    parse_reading,
    two_meanings,
    typed_quantity,
)


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
        ("100NF", "F", 1e-7),
        ("47U", "F", 47e-6),
        ("33P", "F", 33e-12),
        ("4.87v", "V", 4.87),
        ("12 OHM", "Ω", 12),
        ("4K7", "Ω", 4700),
        ("8.002mhz", "Hz", 8.002e6),
        ("500 mHz", "Hz", 0.5),
        ("4MHZ", "Hz", 4e6),
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


@pytest.mark.parametrize(
    ("share", "words"),
    [
        (0.0, "0 %"),
        (1.0, "100 %"),
        (0.0009, "< 0.1 %"),
        (0.001, "0.1 %"),
        (0.0056, "0.6 %"),
        (0.01, "1 %"),
        (0.5, "50 %"),
    ]
    + [(0.99, "99 %"), (0.9951, "99.5 %"), (0.9989, "99.9 %"), (0.9991, "> 99.9 %")],
)
def test_a_share_is_never_rounded_into_certainty(share, words):
    assert format_percent(share) == words


@pytest.mark.parametrize(
    ("seconds", "words"),
    [(45, "45 s"), (60, "1 min"), (80, "80 s"), (90, "1.5 min"), (600, "10 min"), (3600, "1 h"), (5400, "1.5 h")]
    + [(86400, "24 h"), (129600, "1.5 days"), (172800, "2 days")],
)
def test_a_pause_is_said_in_its_natural_unit(seconds, words):
    assert format_duration(seconds) == words


@pytest.mark.parametrize(
    ("value", "unit", "words"),
    [
        (4.7e-3, "F", "4700 µF"),
        (6.8e-3, "F", "6800 µF"),
        (3300, "Ω", "3.30 kΩ"),
        (0.0125, "V", "12.5 mV"),
        (0, "V", "0 V"),
    ]
    + [(2e-13, "F", "0.200 pF"), (-4.5, "V", "-4.50 V"), (999.6, "Ω", "1.00 kΩ"), (1e9, "Hz", "1.00 GHz")],
)
def test_three_figures_and_the_right_prefix(value, unit, words):
    assert format_quantity(value, unit) == words


@given(st.floats(1e-13, 9.9e11, allow_subnormal=False), st.sampled_from(["", "V", "F", "Hz", "Ω"]))
def test_what_is_typed_again_is_exactly_the_same_number(value, unit):
    assert parse_quantity(typed_quantity(value, unit), unit) == value


def test_a_meters_open_line_is_infinity_and_other_words_are_not():
    assert parse_reading(" ol ") == math.inf and parse_reading("0.5", "Ω") == 0.5
    with pytest.raises(RequestError):
        parse_reading("open")


@pytest.mark.parametrize("text", ["9" * 400, "9" * 400 + "k7", "9" * 310 + "V3", "1e999", "9" * 5000])
def test_a_number_beyond_all_numbers_is_refused_however_it_is_written(text):
    with pytest.raises(RequestError):
        parse_quantity(text)


@pytest.mark.parametrize(
    ("text", "meant"),
    [
        ("6,800u", ("6.800u", "6800u")),
        ("-1,250 V", ("-1.250 V", "-1250 V")),
        ("6,80u", None),
        ("0,100", None),
        ("1,2345", None),
    ],
)
def test_a_comma_before_three_digits_has_two_meanings_and_elsewhere_one(text, meant):
    assert two_meanings(text) == meant
