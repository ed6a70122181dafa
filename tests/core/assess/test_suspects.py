"""Beliefs, weights and priors: the numbers that method.md works through."""

import pytest

from loyal_trace.core.boards.model import Part
from loyal_trace.core.diagnosis.evidence import EvidenceTable, entropy_bits, expected_gain_bits, logit, sigmoid
from loyal_trace.core.probing.check import check_chip
from loyal_trace.core.probing.odds import chip_odds
from loyal_trace.core.probing.states import PinReading
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.resources import chip_library, default_tables, read_text
from tests.helpers.builders import small_board


def test_the_worked_example_of_the_method_page():
    chip = chip_library().find("74LS00")
    readings = {pin: PinReading(state) for pin, state in ((1, "L"), (2, "H"), (3, "L"))}
    once, thrice = (chip_odds(check_chip(chip, readings), readings, {1: n, 3: n}).log_ratio for n in (1, 3))
    odd = default_tables().evidence.weight("odd-one-out").log_ratio
    assert [round(w, 2) for w in (once, thrice, odd)] == [2.02, 3.74, 1.52] and round(logit(0.03), 2) == -3.48
    assert sigmoid(logit(0.03) + once) == pytest.approx(0.19, abs=0.01)
    assert sigmoid(logit(0.03) + thrice + odd) == pytest.approx(0.86, abs=0.01)


def test_a_pin_read_a_thousand_times_counts_no_more_than_one_read_eight_times():
    chip = chip_library().find("74LS00")
    readings = {pin: PinReading(state) for pin, state in ((1, "L"), (2, "H"), (3, "L"))}
    few, many = (chip_odds(check_chip(chip, readings), readings, {1: n, 3: n}).log_ratio for n in (8, 1000))
    assert many == few


def test_every_kind_of_evidence_has_a_source_and_says_something():
    import tomllib

    for kind, row in tomllib.loads(read_text("data/evidence.toml")).items():
        assert row["source"] and row["bad"] != row["good"], kind


@pytest.mark.parametrize("row", ["bad = 1.0\ngood = 0.5", "bad = 0.5\ngood = 0.0"])
def test_certainty_is_refused_as_a_weight(row):
    with pytest.raises(RequestError, match="strictly between"):
        EvidenceTable(f"[x]\n{row}")


def test_expected_information_is_never_negative_and_nothing_for_a_useless_test():
    for prior in (0.01, 0.3, 0.5, 0.99):
        assert 0 < expected_gain_bits(prior, 0.9, 0.1) <= entropy_bits(prior)
        assert expected_gain_bits(prior, 0.4, 0.4) == pytest.approx(0)
    assert entropy_bits(0.5) == 1 and entropy_bits(0) == 0


def test_old_electrolytics_are_doubted_more_than_ceramics_and_unknown_kinds_get_the_rest():
    priors, board = default_tables().priors, small_board()
    old = priors.of(board.part("C1"), board)
    ceramic = priors.of(Part("C9", "100n", kind="capacitor", technology="ceramic"), board)
    assert old > 10 * ceramic and 0 < priors.of(Part("X", "?", kind="other"), board) < 1
