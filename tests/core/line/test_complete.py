"""Completion: places, types and keywords, nothing else, and never what stands there already."""

import pytest

from loyal_trace.core.line.complete import common, completions
from tests.helpers.lines import TIDEWRACK, context


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("5d", "5D"),
        ("5D.13 = 4e", "5D.13 = 4E"),
        ("swap 5D,4c", "swap 5D,4C"),
        ("swa", "swap"),
        ("5D rem", "5D removed"),
        ("ow", "owner:"),
        ("5D is 74LS16", "5D is 74LS161"),
        ("tw-v", "TW-VID"),
    ],
)
def test_the_word_being_typed_is_completed_and_the_rest_stays(text, expected):
    assert expected in completions(text, context(TIDEWRACK))


@pytest.mark.parametrize("text", ["", "5D ", "zzz", "5D is zzz"])
def test_nothing_is_offered_after_a_blank_or_for_a_word_that_begins_nothing(text):
    assert completions(text, context()) == ()


def test_places_come_before_keywords_in_the_order_people_count_and_the_list_is_short():
    found = completions("C", context())
    assert found[:3] == ("C1", "C2", "C3") and len(found) <= 12
    assert "5D" not in completions("5D", context()), "what stands there already is no completion"


def test_types_are_offered_only_where_a_type_is_meant():
    assert not any(one.endswith("74LS161") for one in completions("5D 74LS16", context()))
    assert completions("swap 5D with 74als1", context())[0].startswith("swap 5D with 74ALS1")


@pytest.mark.parametrize(
    ("lines", "shared"),
    [(["5D", "5F"], "5"), (["owner:"], "owner:"), (["C1", "C10"], "C1"), ([], ""), (["a", "b"], "")],
)
def test_what_all_completions_share_is_put_in_at_once(lines, shared):
    assert common(lines) == shared
