"""The rule of ten kelvin, and what the measured say of the unmeasured."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.parts.ageing import Years, age_of
from loyal_trace.core.parts.survival import Advice, beta_binomial, estimate_rest
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.resources import default_tables

RULE = default_tables().capacitors.life


def test_ten_kelvin_warmer_is_half_the_life():
    cool, warm = (age_of(RULE, Years(2000, celsius)) for celsius in (75, 85))
    assert warm.likely == pytest.approx(1.0) and cool.likely == pytest.approx(0.5)
    assert warm.low == pytest.approx(0.5 / 3) and warm.high == pytest.approx(2.0) and warm.assumed
    marked = age_of(RULE, Years(2000, 85), 2000, 105)
    assert marked.likely == pytest.approx(0.25) and not marked.assumed
    shelf = age_of(RULE, Years(shelf_years=40, shelf_celsius=25))
    assert shelf.likely == pytest.approx(40 * 8766 / 64 / 2000)


@pytest.mark.parametrize(("hours", "word"), [(500, "within"), (1500, "ageing"), (2500, "at the end"), (20_000, "past")])
def test_the_word_follows_from_the_whole_band(hours, word):
    assert word in age_of(RULE, Years(hours, 85)).word


@pytest.mark.parametrize("years", [Years(-1), Years(shelf_years=-1)])
def test_times_that_cannot_be_are_refused(years):
    with pytest.raises(RequestError):
        age_of(RULE, years)


def rest(bad, good, open_ones, other=()):
    measured = [("a", True)] * bad + [("a", False)] * good + [("b", one) for one in other]
    return estimate_rest(measured, ["a"] * open_ones)[0]


def test_what_most_of_a_group_were_the_rest_will_be():
    sick, sound = rest(5, 1, 10), rest(0, 12, 10)
    assert sick.share > 0.7 and sick.advice is Advice.REPLACE and sick.expected_range[0] >= 4
    assert sound.share < 0.05 and sound.advice in (Advice.LEAVE, Advice.MEASURE) and sound.expected_range[1] <= 2
    assert rest(1, 4, 10).advice is Advice.MEASURE, "measuring a part costs less than replacing it"
    assert rest(5, 1, 10).share_range[0] < 5 / 6 < rest(5, 1, 10).share_range[1]


def test_a_group_that_nobody_measured_leans_on_the_others():
    (untouched,) = estimate_rest([("a", True)] * 8, ["b"] * 4)
    (neutral,) = estimate_rest([("a", False)] * 8, ["b"] * 4)
    assert untouched.share > 0.8 and neutral.share < 0.2 and untouched.measured == 0
    assert untouched.share_range[1] - untouched.share_range[0] > 0.25, "and is not sure of it"
    assert estimate_rest([("a", True)], []) == ()


@given(st.integers(0, 30), st.floats(0.1, 20), st.floats(0.1, 20))
def test_the_chances_of_every_count_add_up_and_have_the_mean_of_the_share(count, first, second):
    chances = beta_binomial(count, first, second)
    assert chances.shape == (count + 1,) and chances.sum() == pytest.approx(1.0)
    assert float(np.arange(count + 1) @ chances) == pytest.approx(count * first / (first + second), abs=1e-9)


@given(st.integers(0, 12), st.integers(0, 12), st.integers(1, 20))
def test_ranges_hold_the_mean_and_one_more_bad_one_never_lowers_it(bad, good, open_ones):
    found, worse = rest(bad, good, open_ones), rest(bad + 1, good, open_ones)
    low, high = found.expected_range
    assert low <= round(found.expected + 0.5) and found.expected - 1 <= high <= open_ones
    assert found.share_range[0] <= found.share <= found.share_range[1] <= 1 and worse.share > found.share
