"""Which revision a board is: from marks that are data of the board, asked no longer than they tell anything."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.boards.model import Block, BoardDefinition, Part, RevisionMark, RomSlot
from loyal_trace.core.boards.revisions import (
    answers_of,
    decision_name,
    expected_left,
    firmware_effects,
    identify,
    revision_effects,
)

REVISIONS = ("A", "B", "C", "D")
MARKS = (
    RevisionMark("letter", {"A": "A", "B": "B", "C or D": "C D"}, where="J1"),
    RevisionMark("fuse", {"yes": "C", "no": "A B D"}),
    RevisionMark("colour", {"green": "A B", "brown": "C D"}),
    RevisionMark("labels", {"all A": "A", "both": "A B"}, of="firmware", warn={"both": "labels of two firmwares"}),
)


def board(marks=MARKS, **changes):
    parts = (
        Part("J1", "plug", kind="connector"),
        Part("F1", "2 A", kind="fuse", revisions=("C",)),
        Part("W1", "wire", kind="other", revisions=("A", "B", "D")),
        Part("U1", "74LS00", "DIP-14"),
    )
    fields = {
        "id": "b",
        "name": "B",
        "revision": "A",
        "revisions": REVISIONS,
        "firmwares": ("A", "B"),
        "marks": marks,
        "parts": parts,
        "nets": (("N", (("F1", 1), ("U1", 1))), ("M", (("F1", 2),))),
        "blocks": (Block("x", ("F1", "U1")),),
    }
    return BoardDefinition(**{**fields, **changes})


def true_answers(revision):
    """What somebody sees who looks at a board of that revision."""
    seen = {}
    for mark in MARKS[:3]:
        seen[mark.name] = next(a for a in mark.answers if revision in mark.allowed(a))
    return seen


@given(st.sampled_from(REVISIONS))
def test_asking_only_what_is_proposed_settles_every_revision(revision):
    answers, asked = {}, 0
    while (finding := identify(board(), answers)).ask:
        answers[finding.ask[0].name] = true_answers(revision)[finding.ask[0].name]
        asked += 1
    assert finding.settled == revision and asked <= 2, "the mark that leaves least is asked first"


@given(st.sampled_from(REVISIONS), st.sets(st.sampled_from(["letter", "fuse", "colour"])))
def test_true_answers_never_exclude_the_true_revision_nor_disagree(revision, looked_at):
    answers = {name: answer for name, answer in true_answers(revision).items() if name in looked_at}
    finding = identify(board(), answers)
    assert revision in finding.possible and finding.warnings == ()


def test_nothing_is_asked_that_no_longer_separates_what_is_left():
    finding = identify(board(), {"letter": "C or D"})
    assert finding.possible == ("C", "D") and [m.name for m in finding.ask] == ["fuse"]
    assert identify(board(), {"letter": "A"}).ask == ()


def test_marks_that_disagree_are_named_and_nothing_is_settled():
    finding = identify(board(), {"letter": "A", "fuse": "yes", "colour": "brown"})
    assert finding.possible == ("C",) and finding.settled == ""
    assert "“letter” says A, “fuse” says C, “colour” says C or D" in finding.warnings[0]


def test_labels_of_two_firmwares_are_a_warning_of_their_own():
    mixed = identify(board(), {"labels": "both"}, "firmware")
    assert mixed.possible == ("A", "B") and mixed.warnings == ("labels of two firmwares",) and not mixed.settled
    assert identify(board(), {"labels": "all A"}, "firmware").settled == "A"
    assert identify(board(), {"labels": "something else"}, "firmware").possible == ("A", "B")


def test_a_revision_says_what_it_changes():
    assert revision_effects(board(), "C") == (
        "F1 (2 A): fitted on this revision only",
        "W1 (wire): not fitted on this revision",
    )
    slots = (
        RomSlot("6A", "2716", 2048, sums=(("A", (("crc32", "1"),)), ("B", (("crc32", "1"),)))),
        RomSlot("6B", "2716", 2048, sums=(("A", (("crc32", "1"),)), ("B", (("crc32", "2"),)))),
    )
    own, same = firmware_effects(board(rom_slots=slots), "B")
    assert own.startswith("6B: content of firmware B alone") and same.startswith("6A: the same in every firmware")


@pytest.mark.parametrize(("revision", "parts"), [("C", {"J1", "F1", "U1"}), ("A", {"J1", "W1", "U1"})])
def test_a_board_as_one_revision_knows_nothing_of_the_others(revision, parts):
    built = board().as_revision(revision)
    assert {p.refdes for p in built.parts} == parts and built.title == f"B rev {revision}"
    mentioned = {pin[0] for _, pins in built.nets for pin in pins} | set(built.blocks[0].parts)
    assert mentioned <= parts


def test_answers_are_kept_apart_by_board():
    choices = {decision_name("b", "letter"): "A", decision_name("other", "letter"): "B", "firmware": "A"}
    assert answers_of("b", choices) == {"letter": "A"}


def test_what_an_answer_leaves_is_the_mean_over_the_answers_that_a_revision_may_give():
    letter, labels = MARKS[0], MARKS[3]
    assert expected_left(letter, REVISIONS) == pytest.approx((1 + 1 + 2 + 2) / 4)
    assert expected_left(labels, ("A", "B")) == pytest.approx(((1 + 2) / 2 + 2) / 2)
    assert expected_left(letter, ()) == 0.0
