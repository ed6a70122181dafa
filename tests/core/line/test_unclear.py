"""What is never guessed: two readings, impossible values, places that are not there, ordinary sentences."""

import itertools
import re
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import loyal_trace.core.line as package
from loyal_trace.app.words import message_ids, sentence
from loyal_trace.core.job.entries import PartTold
from loyal_trace.core.line.grammar import examples
from loyal_trace.core.vocabulary.stages import Stage
from tests.helpers.builders import made
from tests.helpers.lines import SENTENCES, TIDEWRACK, context, read, recorded

V = "tw-vid"
UNCLEAR = [
    ("C1 6,800u", {"C1 measures 6.8u", "C1 measures 6800u", "C1 is 6.8u", "C1 is 6800u"}),
    ("C1 measures 6,800u", {"C1 measures 6.8u", "C1 measures 6800u"}),
    ("C1 100u 16V", {"C1 measures 100u", "C1 is 100u 16V"}),
    ("C1 51u 5 12%", {"C1 measures 51u esr 5 ohm loss 12%", "C1 measures 51u leakage 5uA loss 12%"}),
    ("swap 5D and 5A: goes", {"swap 5D and 5A: gone", "swap 5D and 5A: moves"}),
    ("5D socketed", {"5D socket fitted", "5D is socketed"}),
    ("5D = 5A", {"5D current 5A", "-- 5D = 5A"}),
    ("5D 5F", {"5D capacitance 5", "-- 5D 5F"}),
]
REFUSED = [
    ("U77 removed", "unknown-place"), ("5D.99 low", "unknown-pin"), ("5D.13 = 5D.13", "same-pin"),
    ("swap 5D and 5D", "same-part"), ("swap C1 and 5A: moves", "other-kind"), ("swap 5D and 4E: moves", "other-pins"),
    ("swapped back", "no-swap"), ("symptom gone: no sound", "no-symptom"), ("5D sig 7A5F", "no-rom-socket"),
    ("4A sum sha1 12", "bad-checksum"), ("5D put back", "never-removed"), ("start ok code 3", "code-of-a-clean-start"),
    ("5D 1=L 1=H", "pin-twice"), ("TW-VID F1 removed", "place-elsewhere"),
]  # fmt: skip


@pytest.mark.parametrize(("line", "choices"), UNCLEAR)
def test_two_readings_are_both_offered_and_each_can_be_typed(line, choices):
    found = read(line)
    assert found.status == "unclear" and choices <= {one.canonical for one in found.choices}
    for one in found.choices:
        if not one.canonical.startswith("--"):
            again = read(one.canonical)
            assert again.status == "recorded" and again.said.canonical == one.canonical


@pytest.mark.parametrize(("line", "why"), REFUSED)
def test_what_cannot_be_is_refused_with_its_reason(line, why):
    found = read(line, context(TIDEWRACK, picked=(V, "5D")))
    assert (found.status, found.message.id) == ("refused", why) and sentence(found.message).endswith(".")


def test_letters_that_are_states_and_a_word_are_asked_at_probe():
    at_probe = context(stage=Stage.PROBE, picked=(V, "5D"))
    for word in ("PLL", "HP"):
        found = read(word, at_probe)
        assert found.status == "unclear" and found.choices[-1].canonical == f"-- {word}"
    assert read("PLL").status == "note"
    assert read("sig dead", context(stage=Stage.ROMS, picked=(V, "4A"))).status == "unclear"


def test_a_replacement_at_intake_asks_whether_it_was_before():
    found = read("C1 replaced", context(stage=Stage.INTAKE))
    assert [one.canonical for one in found.choices] == ["before: C1 replaced", "now: C1 replaced"]
    assert read("C1 replaced", context(stage=Stage.REPAIR)).status == "recorded"


def test_a_value_that_cannot_be_right_is_never_recorded():
    at_probe = context(stage=Stage.PROBE, picked=(V, "5D"))
    for line, where in [("5D.13 -5 ohm", None), ("C1 esr -1", None), ("99V", at_probe), ("Y1 9999GHz", None)]:
        assert read(line, where).status in ("unclear", "refused", "note"), line
    for line in ("5D at 0 x 10 mm", "5D at 10 x 0 mm", "5D at 10 x 2001 mm", "C1 0 mm high"):
        assert read(line).status == "refused", line
    assert read("5D at 2000 x 2000 mm").status == read("30V", at_probe).status == "recorded"
    assert read("30.1V", at_probe).status == "refused"


def test_a_word_left_over_makes_a_note_and_is_named():
    for line, word in [("C1 51u 5 12% badly", "badly"), ("5D.13 low again", "again"), ("start ok today", "today")]:
        found = read(line)
        assert (found.status, found.message.id, found.message.facts["word"]) == ("note", "leftover", word)


def test_a_note_belongs_to_the_place_that_it_begins_with():
    for line, board, place in [
        ("TW-VID 5D: hot to the touch", V, "5D"),
        ("5D is odd", "", ""),
        ("the 5D gets hot", "", ""),
        ("6E smells", "", ""),
        ("2G smells", V, "2G"),
    ]:
        fields = read(line, context(TIDEWRACK)).said.entries[0].fields
        assert (fields["board"], fields["place"], fields["text"]) == (board, place, line)
    assert read("5D gets hot").said.entries[0].fields["place"] == "5D"


def test_a_colon_may_stand_after_a_place_that_is_known():
    same = [("5D.13: 4.87V", "5D.13 4.87V"), ("C1 : 30u esr 5", "C1 30u esr 5"), ("TW-VID 5D: hot", "TW-VID 5D hot"),
            ("5D.13: low", "5D.13 low"), ("5D: 1=L 2=P", "5D 1=L 2=P"), ("C1: leaking", "C1 leaking")]  # fmt: skip
    for line, plain in same:
        assert recorded(line) == recorded(plain), line
    assert {e.kind.__name__ for one in read("5D.3: 5V").choices for e in one.entries} == {"PinTold", "Measured"}
    assert recorded("5D.3: RESET")[0][0] == "pin_told"
    for line in ("5D: put back", "Look: removed", "5D: it was hot", "9Z.13: 4.87V"):
        assert read(line).status == "note", line


def test_the_same_can_be_said_in_another_order_of_words():
    for line, usual in (
        ("5D pin 13 low", "5D.13 low"), ("pin 13 of 5D low", "5D.13 low"), ("TW-VID 5D pin 13 4.87V", "5D.13 4.87V"),
        ("4.87V at 5D.13", "5D.13 4.87V"), ("measured 4.87 volts at pin 13 of 5D", "5D.13 4.87V"), ("2 megahertz at 5D.13", "5D.13 2MHz"),
        ("5D.13 4.87 volts", "5D.13 4.87V"), ("5D.13=4.87V", "5D.13 4.87V"), ("swapped 5D with 5A, no change", "swap 5D and 5A: stays"),
        ("replaced C1 with 6800u 25V", "C1 replaced with 6800u 25V"), ("5D out, the fault stays", "5D out: stays"),
    ):  # fmt: skip
        assert recorded(line) == recorded(usual), line
    for line in (
        "the 5D pin 13 is loose",
        "4.87V at the far chip",
        "hot at 5D",
        "5D pin 99 low",
        "two volts at 5D.13",
        "5D pin low",
    ):
        assert read(line).status == "note", line


def test_open_is_a_reading_of_what_can_be_open():
    facts = [
        made(PartTold, board=V, place=name, number=name, sort=sort)
        for name, sort in (("F1", "fuse"), ("R5", "resistor"), ("D1", "diode"))
    ]
    where = context(entries=facts)
    for line in ("F1 open", "F1 blown", "F1 is blown", "R5 open"):
        assert [(f["quantity"], f["overload"]) for _, f in recorded(line, where)] == [("resistance", True)], line
    assert read("D1 open", where).status == "unclear", "in ohms or at the diode test"
    assert [read(line, where).status for line in ("C1 open", "5D open", "C1 blown")] == ["note"] * 3


def test_a_rail_is_read_by_its_name_and_a_new_one_is_told_with_it():
    assert [kind for kind, _ in recorded("rail -12 -11.8V")] == ["rail_told", "measured"]
    (_, told), (_, read_there) = recorded("rail 12V is 11.8V")
    assert (told["name"], told["nominal"], told["members"], read_there["place"]) == ("+12 V", 12.0, (), "+12 V")
    known = [fields["place"] for _, fields in recorded("rail +5 4.87V")]
    assert (
        known
        == [fields["place"] for _, fields in recorded("rail 5 to ground 40 ohm")]
        == [fields["place"] for _, fields in recorded("+5V 4.87V")]
    )
    assert [read(line).status for line in ("+12V 11.8V", "rail +5 is dead", "rail +5 5A")] == ["note"] * 3


def test_no_board_is_larger_than_two_metres():
    assert [read(line).status for line in ("5D at 2000, 50 mm", "5D at 2001, 50 mm", "board 2000 x 122 mm", "board 168 x 2500 mm")] == [
        "recorded", "refused", "recorded", "refused"
    ]  # fmt: skip


def test_what_a_comma_can_mean_is_asked_wherever_a_value_is_named():
    for line in (
        "C1 is 6,800u 25V",
        "C1 replaced with 6,800u 25V",
        "C1 use 6,800u 35V",
        "all electrolytics replaced with 6,800u",
    ):
        found = read(line)
        numbers = {
            e.fields["number"].split()[0] for one in found.choices for e in one.entries if "reason" not in e.fields
        }
        assert (found.status, numbers) == ("unclear", {"6.8u", "6800u"}), line


def test_bare_values_are_data_only_where_something_is_asked_for():
    for line in ("4.87V", "L", "12k", "corroded", "LHPPL", "sig 7A5F", "2MHz"):
        assert read(line).status == "note", line


PICKS = [(TIDEWRACK, (V, "5D")), (TIDEWRACK, ("tw-cpu", "C1")), (TIDEWRACK, ("tw-cpu", "6C")), ({}, None)]


@pytest.mark.parametrize(("boards", "picked"), PICKS, ids=["chip", "capacitor", "rom", "nothing"])
def test_three_hundred_ordinary_sentences_are_notes_at_every_stage(boards, picked):
    assert len(SENTENCES) >= 300
    for number, stage in enumerate(Stage):
        where = context(boards, picked=picked, stage=stage)
        # All of them with a chip picked; with others every third, another third at each stage.
        some = SENTENCES if picked == (V, "5D") else SENTENCES[number % 3 :: 3]
        wrong = [line for line in some if read(line, where).status != "note"]
        assert not wrong, stage


def test_every_message_of_the_grammar_has_words():
    sources = "".join(path.read_text() for path in Path(package.__file__).parent.rglob("*.py"))
    used = set(re.findall(r"(?:Refusal|Message)\(\s*\"([a-z-]+)\"", sources))
    assert used and used <= message_ids()


PIECES = st.sampled_from(
    [
        *itertools.chain.from_iterable(line.split() for _, line in examples()),
        "--",
        ",",
        "5D.13",
        "C1",
        "TW-VID",
        "1,234u",
    ]
)


@settings(max_examples=400, deadline=None)
@given(words=st.lists(st.one_of(PIECES, st.text(max_size=6)), max_size=7), stage=st.sampled_from([None, *Stage]))
def test_any_line_comes_to_something_and_every_message_has_words(words, stage):
    found = read(" ".join(words), context(TIDEWRACK, picked=(V, "5D"), stage=stage))
    assert found.message is None or sentence(found.message)
    assert (found.said is not None) == (found.status in ("recorded", "note")) or found.message.id == "empty"
    assert len(found.choices) > 1 if found.status == "unclear" else not found.choices
