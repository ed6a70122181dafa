"""The words that everything shares: stages, findings, identity."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.identity import BoardPin, PartRef, PinRef, PointRef, in_order, natural_key
from loyal_trace.core.vocabulary.stages import STAGE_TITLES, Stage, stage_of_word


def test_the_ten_stages_have_their_words_titles_and_keys():
    assert [stage.word for stage in Stage] == [
        *("intake", "inspect", "rails", "roms", "probe", "suspects", "plan", "repair", "verify", "report")
    ]
    assert STAGE_TITLES[3] == "ROMs" and STAGE_TITLES[0] == "Intake"
    assert [stage.key for stage in Stage][-2:] == ["Ctrl+9", "Ctrl+0"]
    assert stage_of_word(" Probe ") is Stage.PROBE and stage_of_word("prove") is None


@pytest.mark.parametrize(
    ("finding", "good", "bad"),
    [
        (Finding.CLEANED, True, False),
        (Finding.PRESENT, True, False),
        (Finding.CORRODED, False, True),
        (Finding.MISSING, False, True),
        (Finding.NOTED, False, False),
    ],
)
def test_a_finding_counts_for_or_against_a_part_or_neither_way(finding, good, bad):
    assert (finding.good, finding.bad) == (good, bad)


def test_places_name_themselves_and_know_their_part():
    assert PinRef("b", "5D", 13).name == "5D.13" == BoardPin("5D", 13).name
    assert PinRef("b", "5D", 13).part == PartRef("b", "5D") == PointRef("b", "5D.13").part
    assert PointRef("b", "C1").part == PartRef("b", "C1")


def test_designators_are_listed_as_people_count():
    assert in_order(["C10", "4C", "C2", "CR1", "10A", "4A", "U1"]) == ["C2", "C10", "CR1", "U1", "4A", "4C", "10A"]


@given(st.integers(0, 999), st.integers(0, 999))
def test_numbers_within_a_designator_are_compared_as_numbers(one, other):
    assert (natural_key(f"C{one}A") < natural_key(f"C{other}A")) is (one < other)
