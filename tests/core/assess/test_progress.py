"""Stations and map marks: shares, counts and the bounds at which a mark changes."""

from dataclasses import replace

import pytest

from loyal_trace.core.assess.progress import map_marks, mark_for_word, progress
from loyal_trace.core.assess.suspects import Suspect
from loyal_trace.core.boards.model import Part, RomSlot
from loyal_trace.core.boards.supplies import ChainPoint
from loyal_trace.core.job import entries as e
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.stages import Stage
from tests.helpers.builders import assessment_of, made, measured, probed, small_board

CHAIN = (
    ChainPoint("U1.14", "voltage", 4.75, 5.25, "U1"),
    ChainPoint("U2.14", "voltage", 4.75, 5.25, "U2"),
    ChainPoint("C1", "voltage", 9, 12, "C1"),
)
BOARD = small_board(chain=CHAIN, rom_slots=(RomSlot("U2", "2716", 2048),))


def station(stage, *entries, board=BOARD):
    found = progress(assessment_of(board, entries))[stage]
    return found.filled, found.count


def seen(place, finding):
    return made(e.Observed, board="small", place=place, finding=finding)


def test_intake_is_half_done_when_opened_and_done_when_something_was_said():
    opened = made(e.Opened, title="T", boards=("small",))
    assert station(Stage.INTAKE)[0] == 0.0 and station(Stage.INTAKE, opened)[0] == 0.5
    assert station(Stage.INTAKE, opened, made(e.SymptomSeen, board="small", text="dead"))[0] == 1.0
    assert station(Stage.INTAKE, opened, made(e.Decided, what="owner", choice="Jo"))[0] == 1.0


def test_counts_are_of_what_was_done_out_of_what_there_is():
    assert station(Stage.INSPECT, seen("U1", "clean"), seen("U1", "corroded")) == (pytest.approx(1 / 3), "1/3")
    assert station(Stage.RAILS, measured("U1.14", "voltage", 5.0), measured("C1", "voltage", 10.0)) == (
        pytest.approx(2 / 3),
        "2/3",
    )
    assert station(Stage.ROMS) == (0.0, "0/1") and station(Stage.ROMS, board=small_board()) == (0.0, "")
    assert station(Stage.PROBE, probed("U1", "1=L 2=L 3=H")) == (pytest.approx(1 / 2), "1/2")
    assert station(Stage.REPORT) == (0.0, "")


def test_suspects_count_from_one_in_five_and_the_plan_by_its_steps():
    bad = measured("C1", "capacitance", 1e-4)
    assert station(Stage.SUSPECTS) == (0.0, "") and station(Stage.SUSPECTS, bad) == (0.5, "1")
    assert station(Stage.PLAN, bad) == (0.5, "1") and station(Stage.REPAIR, bad) == (0.0, "0/1")
    done = made(e.StepDone, board="small", step="small/C1/capacitor", what="C1", minutes=8.0)
    fitted = made(e.Fitted, board="small", place="C1", number="1000u 16V")
    assert station(Stage.PLAN, bad, done, fitted)[0] == 1.0 and station(Stage.REPAIR, bad, done, fitted) == (1.0, "1/1")


@pytest.mark.parametrize(
    ("word", "kind"),
    [
        ("matches", "good"),
        ("possible", "good"),
        ("differs", "bad"),
        ("impossible", "bad"),
        ("unstable", "doubtful"),
        ("unusual", "doubtful"),
        ("follows", "doubtful"),
        ("not read", "unknown"),
    ],
)
def test_each_verdict_has_its_mark(word, kind):
    assert mark_for_word(word).kind == kind and mark_for_word(word, True).hatched


@pytest.mark.parametrize(
    ("probability", "kind"), [(0.5, "bad"), (0.499, "doubtful"), (0.2, "doubtful"), (0.199, None), (0.029, "good")]
)
def test_a_suspect_is_bad_from_a_half_doubtful_from_a_fifth_and_good_below_its_prior(probability, kind):
    found = assessment_of(BOARD)
    shown = replace_suspects(found, Suspect(PartRef("small", "U1"), "gate", 0.03, probability, ()))
    mark = map_marks(shown, "small", Stage.SUSPECTS).get("U1")
    assert (mark.kind if mark else None) == kind and (mark is None or mark.hatched is (kind != "good"))


class replace_suspects:
    """An assessment with suspects of its own."""

    def __init__(self, found, *suspects):
        self.moment, self.suspects = found.moment, suspects


def test_a_bad_point_marks_its_part_and_what_only_follows_is_doubtful():
    marks = map_marks(
        assessment_of(BOARD, [measured("U1.14", "voltage", 4.0), measured("U2.14", "voltage", 3.9)]),
        "small",
        Stage.RAILS,
    )
    assert (marks["U1"].kind, marks["U1"].hatched) == ("bad", True)
    assert (marks["U2"].kind, marks["U2"].word) == ("doubtful", "follows") and marks["C1"].kind == "unknown"


def test_what_was_seen_is_marked_by_the_newest_finding():
    marks = map_marks(assessment_of(BOARD, [seen("U1", "corroded"), seen("U1", "cleaned")]), "small", Stage.INSPECT)
    assert marks["U1"].kind == "good" and marks["U2"].word == "not inspected"
    bulged = map_marks(
        assessment_of(
            replace(BOARD, parts=(*BOARD.parts, Part("R1", "1k", "", "resistor", 31, 61))), [seen("C1", "bulged")]
        ),
        "small",
        Stage.INSPECT,
    )
    assert bulged["C1"].kind == "bad" and bulged["R1"].kind == "doubtful" and "C1 leaks" in bulged["R1"].word


def test_replaced_parts_are_marked_at_verify_and_missing_ones_at_intake():
    entries = [made(e.Fitted, board="small", place="U1", number="74LS00"), seen("U2", "missing")]
    found = assessment_of(BOARD, entries)
    assert set(map_marks(found, "small", Stage.VERIFY)) == {"U1"}
    assert map_marks(found, "small", Stage.INTAKE)["U2"].kind == "bad"
