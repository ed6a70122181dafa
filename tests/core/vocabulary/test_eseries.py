"""Preferred values (IEC 60063): the nearest one by ratio, in any decade."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.vocabulary.eseries import E6, E12, nearest_in


@pytest.mark.parametrize(
    ("series", "value", "near"),
    [
        (E6, 50e-6, 47e-6),
        (E6, 4.0e-6, 4.7e-6),
        (E6, 98.0, 100.0),
        (E12, 7640.0, 8200.0),
        (E12, 1.0, 1.0),
        (E12, 0.95, 1.0),
    ],
)
def test_the_nearest_is_found_across_decades(series, value, near):
    assert nearest_in(series, value) == pytest.approx(near)


@given(st.floats(1e-12, 1e9), st.sampled_from([E6, E12]))
def test_no_other_value_of_the_series_is_nearer(value, series):
    found = nearest_in(series, value)
    ratio = max(found / value, value / found)
    assert ratio <= (1.26 if series is E6 else 1.12), "half a step of the series, on a logarithmic scale"
    assert nearest_in(series, found) == pytest.approx(found), "a preferred value stays itself"
