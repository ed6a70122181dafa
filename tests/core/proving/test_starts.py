"""Start statistics, held against hand calculation and against what they promise."""

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from loyal_trace.core.proving.starts import StartTally, failure_rate_upper, improvement_p_value, starts_needed
from loyal_trace.core.vocabulary.errors import RequestError


def test_clean_starts_bound_the_failure_rate_as_the_textbook_says():
    assert failure_rate_upper(20) == pytest.approx(1 - 0.05 ** (1 / 20))
    assert failure_rate_upper(59) < 0.05 < failure_rate_upper(58)
    assert failure_rate_upper(0) == 1 and failure_rate_upper(0, 3) == 1
    assert failure_rate_upper(9, 1) == pytest.approx(0.3941633, abs=1e-6)


@given(st.integers(0, 6), st.floats(0.005, 0.99))
@example(1, 0.98)
def test_the_starts_needed_are_enough_and_one_less_is_not(failed, target):
    needed = starts_needed(target, failed)
    assert failure_rate_upper(needed, failed) <= target * (1 + 1e-9)
    assert needed == 1 or failure_rate_upper(needed - 1, failed) > target


def test_before_and_after_are_compared_exactly():
    assert improvement_p_value(0, 3, 3, 0) == pytest.approx(1 / 20)
    assert improvement_p_value(5, 0, 5, 0) == 1.0
    assert StartTally(59, 0, 0, 3).still_needed == 0 and StartTally(19, 0, 0, 3).still_needed == 40
    for bad in ((-1, 0, 0.95), (1, 0, 1.0)):
        with pytest.raises(RequestError):
            failure_rate_upper(*bad)


@pytest.mark.parametrize("confidence", [0.0, 1.0, 1.5, -0.1])
def test_a_confidence_that_is_none_is_refused(confidence):
    with pytest.raises(RequestError, match="confidence"):
        failure_rate_upper(3, 0, confidence)


@pytest.mark.parametrize("target", [0.0, 1.0, -0.2])
def test_a_target_that_can_never_be_met_is_refused(target):
    with pytest.raises(RequestError, match="target"):
        starts_needed(target)


@given(st.integers(1, 60), st.integers(0, 5), st.floats(0.5, 0.99))
def test_more_clean_starts_and_less_confidence_both_lower_the_bound(clean, failed, confidence):
    bound = failure_rate_upper(clean, failed, confidence)
    assert 0 < bound < 1
    assert failure_rate_upper(clean + 1, failed, confidence) < bound < failure_rate_upper(clean, failed + 1, confidence)
    assert failure_rate_upper(clean, failed, confidence - 0.1) < bound


def test_the_tally_says_what_its_numbers_prove():
    tally = StartTally(clean=10, failed=0, clean_before=2, failed_before=4)
    assert tally.upper == pytest.approx(1 - 0.05 ** (1 / 10)) and tally.still_needed == 49
    assert tally.chance == pytest.approx(15 / 1820)  # C(6,4) ways of C(16,4) leave all four failures before
    assert StartTally(100, 0, 0, 0).still_needed == 0 and StartTally(0, 2, 0, 3).chance == 1.0
    assert improvement_p_value(0, 0, 4, 2) == 1.0 and improvement_p_value(4, 2, 0, 0) == 1.0


def test_with_a_failure_the_bound_is_the_beta_quantile():
    # Clopper and Pearson: the rate at which at most one failure in ten has a probability of 5 %.
    rate = failure_rate_upper(9, 1)
    assert (1 - rate) ** 10 + 10 * rate * (1 - rate) ** 9 == pytest.approx(0.05)
