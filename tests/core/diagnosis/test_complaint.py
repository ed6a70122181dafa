"""The owner's words and the board's symptoms: suggestions with their scores."""

import pytest

from loyal_trace.core.diagnosis.complaint import WordGroups, stem, suggest

GROUPS = WordGroups('groups = [["sound", "audio", "noise"], ["picture", "screen", "display"]]\nignored = ["the", "no"]')
SYMPTOMS = [("a", "no sound"), ("b", "no sound after reset"), ("a", "picture rolls"), ("a", "wrong colours")]


@pytest.mark.parametrize(
    ("word", "root"),
    [
        ("colours", "colour"),
        ("coloured", "colour"),
        ("rolling", "roll"),
        ("bus", "bus"),
        ("gas", "gas"),
        ("ring", "ring"),
    ],
)
def test_an_ending_is_taken_off_only_where_a_word_is_left(word, root):
    assert stem(word) == root


def test_the_share_of_a_symptoms_own_words_is_its_score():
    found = suggest("the audio is gone after a reset", SYMPTOMS, GROUPS)
    assert [(s.board, s.symptom) for s in found] == [("a", "no sound"), ("b", "no sound after reset")]
    assert found[0].score == 1.0 and found[0].shared == ("audio",)
    assert set(found[1].shared) == {"audio", "after", "reset"}


def test_a_rare_word_counts_more_than_one_that_every_symptom_has():
    symptoms = [("a", "sound crackles"), ("a", "sound hums"), ("a", "sound missing")]
    assert [s.symptom for s in suggest("it hums", symptoms, GROUPS)] == ["sound hums"]
    assert suggest("it hums", symptoms, GROUPS)[0].score == pytest.approx(0.75)
    assert suggest("audio", symptoms, GROUPS) == (), "a quarter of a symptom is too little"


def test_nothing_is_suggested_from_nothing_and_no_more_than_asked():
    assert suggest("", SYMPTOMS, GROUPS) == () and suggest("no", SYMPTOMS, GROUPS) == ()
    assert len(suggest("sound picture colours", SYMPTOMS, GROUPS, most=2)) == 2
