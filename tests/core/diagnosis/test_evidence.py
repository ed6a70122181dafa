"""Weights, priors and expected information, against hand calculation and their own laws."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.boards.model import Part, RomSlot
from loyal_trace.core.diagnosis.evidence import (
    EvidenceTable,
    Priors,
    entropy_bits,
    expected_gain_bits,
    logit,
    sigmoid,
)
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import PartRef
from tests.helpers.builders import small_board

PRIORS = """
[kind]
chip = 0.03
resistor = 0.005
other = 0.02
[capacitor]
aluminium = 0.15
[chip]
memory = 0.05
processor = 0.01
"""
SHARE = st.floats(0.01, 0.99)


def test_a_line_weighs_the_log_of_its_likelihood_ratio():
    table = EvidenceTable("[moved]\nbad = 0.8\ngood = 0.05\n[stays]\nbad = 0.1\ngood = 0.9\n")
    place = PartRef("b", "U1")
    assert table.line(place, "moved", "x").weight == pytest.approx(math.log(16))
    assert table.line(place, "stays", "x").weight == pytest.approx(-math.log(9)) and table.weight("stays").good == 0.9


@pytest.mark.parametrize(("bad", "good"), [(0, 0.5), (1, 0.5), (0.5, 0), (0.5, 1), (1.2, 0.5)])
def test_certainty_is_no_weight(bad, good):
    with pytest.raises(RequestError, match="strictly between"):
        EvidenceTable(f"[sure]\nbad = {bad}\ngood = {good}\n")


@pytest.mark.parametrize(
    ("part", "prior"),
    [
        (Part("C1", "", "", "capacitor", technology="aluminium"), 0.15),
        (Part("C2", "", "", "capacitor", technology="mica"), 0.02),
        (Part("U1", "", "DIP-14", role="video RAM"), 0.05),
        (Part("U3", "", "DIP-28"), 0.05),
        (Part("U4", "", "DIP-40", role="processor"), 0.01),
        (Part("U5", "", "DIP-14"), 0.03),
        (Part("R1", "", "", "resistor"), 0.005),
        (Part("K1", "", "", "relay"), 0.02),
    ],
)
def test_the_prior_depends_on_kind_technology_and_role(part, prior):
    board = replace(small_board(), rom_slots=(RomSlot("U3", "2764", 8192),))
    assert Priors(PRIORS).of(part, board) == prior


@given(SHARE)
def test_log_odds_and_probability_undo_each_other_and_entropy_is_even(p):
    assert sigmoid(logit(p)) == pytest.approx(p)
    assert entropy_bits(p) == pytest.approx(entropy_bits(1 - p))
    assert 0 < entropy_bits(p) <= 1


def test_entropy_is_one_bit_in_the_middle_and_none_at_the_ends():
    assert entropy_bits(0.5) == 1.0 and entropy_bits(0.25) == pytest.approx(0.8112781)
    assert entropy_bits(0.0) == 0.0 and entropy_bits(1.0) == 0.0


def test_a_perfect_test_tells_all_that_is_not_known_and_a_blind_one_nothing():
    assert expected_gain_bits(0.5, 1.0, 0.0) == pytest.approx(1.0)
    assert expected_gain_bits(0.3, 1.0, 0.0) == pytest.approx(entropy_bits(0.3))
    assert expected_gain_bits(0.3, 0.4, 0.4) == pytest.approx(0.0, abs=1e-12)
    assert expected_gain_bits(0.3, 1.0, 1.0) == pytest.approx(0.0, abs=1e-12)


@given(SHARE, SHARE, SHARE)
def test_the_gain_is_never_negative_and_never_more_than_is_unknown(prior, when_bad, when_good):
    gain = expected_gain_bits(prior, when_bad, when_good)
    assert -1e-12 <= gain <= entropy_bits(prior) + 1e-12
    assert gain == pytest.approx(expected_gain_bits(prior, 1 - when_bad, 1 - when_good)), "the test's name is free"
