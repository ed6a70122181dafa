"""Phrases: English to all code, and still a sentence with named places to whoever shows them."""

import copy
import pickle
import re
from datetime import UTC, datetime
from decimal import Decimal

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.vocabulary.errors import RequestError, UserFileError
from loyal_trace.core.vocabulary.phrases import (
    after,
    before,
    capital,
    figure,
    joined,
    plain,
    rendered,
    say,
    say_count,
    stacked,
    term,
)
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.units import count_of, format_percent, format_quantity

TEXTS = st.text(st.characters(codec="utf-8"), max_size=12)


class Shouted:
    """A made-up language: capitals, words in another order where a translator wants it, comma for the point."""

    def __init__(self, **orders):
        self.orders = orders

    def gettext(self, message):
        return self.orders.get(message) or "".join(
            piece if piece.startswith("{") else piece.upper() for piece in _pieces(message)
        )

    def ngettext(self, msgid1, msgid2, n):
        return self.gettext(msgid1 if n == 1 else msgid2)

    def figure(self, shown):
        return shown.replace(".", ";").replace(",", ".").replace(";", ",")

    def moment(self, when, pattern):
        return f"DAY {when.day}"


def _pieces(template):
    return re.split(r"(\{[^}]*\})", template)


def test_a_phrase_is_its_english_text_in_every_way():
    phrase = say("{part} is {state}", part="F1", state="open")
    assert phrase == "F1 is open" and hash(phrase) == hash("F1 is open") and phrase in {"F1 is open"}
    assert f"{phrase}." == "F1 is open." and isinstance(plain(phrase), str) and type(plain(phrase)) is str


def test_the_sentence_is_translated_and_names_stay():
    phrase = say("{part} is {state}", part="F1", state=term("open"))
    assert rendered(phrase, Shouted()) == "F1 IS OPEN"
    assert rendered(phrase, Shouted(**{"{part} is {state}": "{state}: {part}"})) == "OPEN: F1"
    assert rendered("F1 is open", Shouted()) == "F1 is open"


@given(TEXTS, TEXTS)
def test_what_people_typed_is_never_changed(first, second):
    shown = rendered(say("{first}|{second}", first=first, second=second), Shouted())
    assert shown == f"{first}|{second}"


@given(st.lists(st.sampled_from([say("one"), say("a {b}", b="c"), "plain"]), max_size=5), st.sampled_from([", ", "\n"]))
def test_joining_and_adding_keep_every_piece_a_phrase(pieces, separator):
    whole = joined(separator, pieces)
    assert whole == separator.join(pieces)
    assert rendered(whole, Shouted()) == separator.join(rendered(piece, Shouted()) for piece in pieces)
    total = say("sum:")
    for piece in pieces:
        total += piece
    assert rendered(total, Shouted()) == "SUM:" + "".join(rendered(piece, Shouted()) for piece in pieces)


def test_beginnings_cuts_and_blanks_are_made_in_the_shown_language():
    phrase = say("replace {part}: it is worn ", part="C1")
    german = Shouted(**{"replace {part}: it is worn ": "ersetze {part}: verschlissen "})
    assert rendered(capital(phrase), german) == "Ersetze C1: verschlissen "
    assert rendered(before(":", phrase), german) == "ersetze C1" and before(":", phrase) == "replace C1"
    assert rendered(after(": ", phrase).strip(), german) == "verschlissen"
    assert rendered(phrase.rstrip(), german) == "ersetze C1: verschlissen"
    assert (before(":", "a: b"), after(": ", "a: b"), after(": ", "a"), capital("é")) == ("a", "b", "", "É")


def test_figures_times_and_counts_are_the_languages_own():
    shouted = Shouted()
    assert rendered(format_quantity(4.62, "V"), shouted) == "4,62 V"
    assert rendered(format_percent(0.004), shouted) == "0,4 %"
    assert rendered(count_of(1200, "pin"), shouted) == "1.200 PINS" and rendered(count_of(1, "pin"), shouted) == "1 PIN"
    assert rendered(say("{value}", value=figure(0.5, ".2f")), shouted) == "0,50"
    for number in (np.int64(1200), Decimal(1200)):
        assert rendered(say("{n:,}", n=number), shouted) == "1.200", "numbers of NumPy and decimals are figures too"
    when = datetime(2026, 11, 27, tzinfo=UTC)
    assert rendered(say("on {when:%Y-%m-%d}", when=when), shouted) == "ON DAY 27"
    assert say("on {when:%Y-%m-%d}", when=when) == "on 2026-11-27"


@pytest.mark.parametrize("count", [0, 1, 2, 1000])
def test_the_noun_agrees_with_its_number(count):
    told = say_count(count, "{count} byte differs", "{count} bytes differ")
    assert told == f"{count} {'byte differs' if count == 1 else 'bytes differ'}"


def test_a_word_of_a_vocabulary_is_translated_and_an_empty_one_stays_empty():
    assert rendered(term(Quantity.TO_GROUND), Shouted()) == "RESISTANCE TO GROUND"
    assert rendered(say("{quantity}", quantity=Quantity.RIPPLE), Shouted()) == "RIPPLE"
    assert term("") == "" and rendered(term("odd {brace}"), Shouted()).endswith("{brace}")


def test_a_wrong_hole_in_a_translation_shows_the_english_sentence():
    wrong = Shouted(**{"{part} is open": "{teil} ist offen"})
    assert rendered(say("{part} is open", part="F1"), wrong) == "F1 is open"


def test_an_error_keeps_the_sentence_it_was_raised_with():
    error = RequestError(say("{place} is unknown", place="5D"))
    assert rendered(str(error), Shouted()) == "5D IS UNKNOWN"
    assert rendered(say("not done: {error}", error=error), Shouted()) == "NOT DONE: 5D IS UNKNOWN"
    told = UserFileError("a.csv", say("holds nothing"), say("choose another"))
    assert rendered(str(told), Shouted()) == "a.csv: HOLDS NOTHING; CHOOSE ANOTHER"


@pytest.mark.parametrize("copied", [copy.deepcopy, lambda p: pickle.loads(pickle.dumps(p))])
def test_a_phrase_survives_copies_and_other_processes(copied):
    phrase = capital(joined(", ", [say("{n} left", n=2), "x"])).strip()
    assert copied(phrase) == phrase and rendered(copied(phrase), Shouted()) == rendered(phrase, Shouted())


def test_lines_are_stacked_without_empty_ones():
    assert stacked("", say("a"), "", "b") == "a\nb" and rendered(stacked(say("a"), "b"), Shouted()) == "A\nb"
