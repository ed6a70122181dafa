"""Missing, shelved and borrowed parts; phrases typed at Intake; teardown and what is left over; assumptions rung out."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.assess.assumptions import assumptions, place_of_pair, suggested
from loyal_trace.core.assess.away import away, rare_in_place
from loyal_trace.core.assess.parts import absent, replaced
from loyal_trace.core.assess.teardown import left_over, reassembly, still_out
from loyal_trace.core.boards.model import Part
from loyal_trace.core.job.entries import Assumed, Refitted, RomRead, TakenApart
from loyal_trace.core.job.fold import fold
from loyal_trace.core.parts.stock import StockItem
from loyal_trace.core.planning.assumptions import parse_assumption
from loyal_trace.core.planning.teardown import parse_step
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import PartRef
from tests.helpers.builders import assessment_of, made, measured, moment_of, small_board
from tests.helpers.lines import context, read

RARE = replace(
    small_board(), parts=(*small_board().parts, Part("2B", "LK80", "DIP-40", x=90, socketed=True, rare=True))
)


def said(*lines, board=RARE, before=()):
    """The entries that lines typed one after the other become."""
    entries = list(before)
    for line in lines:
        found = read(line, context({"small": board}, entries))
        assert found.status == "recorded", (line, found)
        entries += [made(one.kind, **one.fields) for one in found.said.entries]
    return entries


def words(entries, board=RARE):
    return [item.words for item in away(moment_of(board, entries))]


def test_a_missing_part_is_listed_planned_and_no_longer_drawn_current_for():
    entries = said("U1 missing")
    assert words(entries) == ["U1 is missing"] and absent(moment_of(RARE, entries), PartRef("small", "U1"))
    spare = StockItem("74LS00", count=1, place="drawer 2")
    step = next(s for s in assessment_of(RARE, entries, drawer=(spare,)).plan.steps if s.kind == "missing")
    assert step.what == "Fit U1, 74LS00" and step.from_drawer == "drawer 2"
    assert words([*entries, *said("U1 present")]) == []


def test_a_rare_chip_comes_out_first_lies_on_its_shelf_and_goes_back_last():
    assert rare_in_place(moment_of(RARE)) == (("small", "2B"),)
    assert assessment_of(RARE).plan.steps[0].kind == "rescue"
    entries = said("2B shelf: box 3, foam", "U1 missing")
    assert words(entries) == ["U1 is missing", "2B is stored at box 3, foam"]
    plan = assessment_of(RARE, entries).plan
    assert [s.kind for s in plan.steps][-1] == "put-back" and "box 3, foam" in plan.steps[-1].what
    back = [*entries, *said("2B put back", before=entries)[len(entries) :]]
    assert words(back) == ["U1 is missing"] and not replaced(moment_of(RARE, back), PartRef("small", "2B"))


def test_what_was_read_of_a_shelved_chip_stays_true():
    read = made(RomRead, board="small", place="2B", attachment="0" * 64, size=16)
    assert moment_of(RARE, [read, *said("2B shelf: box 3")]).snapshot.roms.reads


def test_a_stand_in_is_tracked_until_it_goes_back():
    entries = said("U2 borrowed from the spare set")
    assert words(entries) == ["U2 is borrowed from the spare set and has to go back"]
    assert not replaced(moment_of(RARE, entries), PartRef("small", "U2"))
    assert any(s.kind == "give-back" for s in assessment_of(RARE, entries).plan.steps)
    assert words(said("U2 given back", before=entries)) == []
    assert read("U2 given back", context({"small": RARE})).message.id == "not-on-loan"


@pytest.mark.parametrize(
    ("line", "what", "choice"),
    [
        ("serial: 1042-B", "serial small", "1042-B"),
        ("value: 250,50", "value", "250.50"),
        ("hour rate: 30", "hour rate", "30"),
        ("label U1: CS8-0 A", "label small/U1", "CS8-0 A"),
        ("complaint: it hums", "complaint", "it hums"),
        ("bench supplies: 5V 3A, -12 V", "bench supplies", "+5 V 3 A, -12 V"),
    ],
)
def test_what_is_said_of_the_job_becomes_decisions(line, what, choice):
    (entry,) = said(line)
    assert (entry.what, entry.choice) == (what, choice)


@pytest.mark.parametrize(
    ("line", "fields"),
    [
        ("4 M3x8 screws, bottom shield", ("fastener", "screws", 4, "M3x8", "bottom shield", "")),
        ("ribbon, J3, red stripe left", ("cable", "ribbon", 1, "", "J3", "red stripe left")),
        ("2 x spacers 12 mm, under REG1", ("fastener", "spacers", 2, "12 mm", "under REG1", "")),
        (
            "power switch, rear, on is up, red lead left",
            ("switch", "power switch", 1, "", "rear", "on is up, red lead left"),
        ),
        ("3 M4", ("fastener", "fastener", 3, "M4", "", "")),
        ("hot melt, over C5", ("glue", "hot melt", 1, "", "over C5", "")),
    ],
)
def test_a_teardown_step_is_one_line(line, fields):
    found = parse_step(line)
    assert tuple(found[k] for k in ("sort", "what", "count", "size", "place", "way")) == fields


@pytest.mark.parametrize(
    ("line", "words_"), [("", "type what came off"), ("plug, J4", "orientation"), ("0 screws", "how many")]
)
def test_a_teardown_step_that_says_too_little_is_asked_again(line, words_):
    with pytest.raises(RequestError, match=words_):
        parse_step(line)


@given(counts=st.lists(st.integers(1, 6), min_size=1, max_size=8), data=st.data())
def test_going_together_is_the_teardown_backwards_and_nothing_is_left_over_in_that_order(counts, data):
    off = [made(TakenApart, sort="fastener", what=f"screw {n}", count=count) for n, count in enumerate(counts)]
    entries, ticked = list(off), data.draw(st.integers(0, len(off)))
    for step in list(reversed(off))[:ticked]:
        entries.append(made(Refitted, target=step.id, count=step.count))
    state = fold(entries)
    assert [item.step.what for item in reassembly(state)] == [step.what for step in reversed(off)]
    assert left_over(state) == () and len(still_out(state)) == len(off) - ticked


def test_a_piece_passed_over_is_left_over_and_says_how_many():
    off = [
        made(TakenApart, sort="fastener", what="screws", count=4, place="shield"),
        made(TakenApart, sort="cable", what="plug"),
    ]
    state = fold([*off, made(Refitted, target=off[0].id, count=4)])
    assert left_over(state) == ("1 left over of plug",)
    some = fold([*off, made(Refitted, target=off[1].id), made(Refitted, target=off[0].id, count=3)])
    assert left_over(some) == () and still_out(some) == ("1 × screws, shield",)


ASSUMED = made(Assumed, board="small", name="spare gate", together=(("U1.3", "U2.1"),), apart=(("U1.5", "U1.6"),))


def rung(a, b, value):
    return measured(place_of_pair((b, a)), "continuity", value)


@pytest.mark.parametrize(
    ("readings", "verdict", "reason"),
    [
        ([], "open", "2 pairs to check for continuity"),
        ([("U1.3", "U2.1", 0.4)], "open", "1 pairs"),
        ([("U1.3", "U2.1", 0.4), ("U1.5", "U1.6", float("inf"))], "holds", "all 2 pairs are as required"),
        ([("U1.3", "U2.1", 900.0)], "does not hold", "U1.3 and U2.1 are not connected"),
        ([("U1.3", "U2.1", 0.4), ("U1.5", "U1.6", 0.1)], "does not hold", "U1.5 and U1.6 are connected"),
    ],
)
def test_an_assumption_holds_only_when_every_pair_is_as_it_must_be(readings, verdict, reason):
    (found,) = assumptions(fold([ASSUMED, *(rung(*r) for r in readings)]))
    assert found.verdict == verdict and reason in found.reason


def test_a_step_at_a_part_whose_assumption_fails_says_so_first():
    entries = [ASSUMED, rung("U1.3", "U2.1", 900.0), *said("U2 missing", board=small_board())]
    step = next(s for s in assessment_of(entries=entries).plan.steps if s.place[1] == "U2")
    assert step.before[0] == "spare gate does not hold: U1.3 and U2.1 are not connected."


def test_pairs_are_typed_or_come_from_the_netlist():
    told = parse_assumption("spare gate: U1.3=U2.1, U1.5!U1.6; U1.4 = U2.4")
    assert told["together"] == (("U1.3", "U2.1"), ("U1.4", "U2.4")) and told["apart"] == (("U1.5", "U1.6"),)
    assert suggested(small_board(), "U2") == {
        "name": "footprint of U2",
        "together": (("U2.1", "U1.3"), ("U2.2", "U1.1")),
        "apart": (("U2.1", "U2.2"),),
    }
    assert suggested(small_board(), "C1") is None
    for text in ("U1.3", "spare:", "U1.3=U1.3", "U1=U2"):
        with pytest.raises(RequestError):
            parse_assumption(text)
