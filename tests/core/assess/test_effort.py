"""The estimate that narrows, what the bench cannot do, and the owner's words."""

from datetime import timedelta
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.assess.bench import bench_of
from loyal_trace.core.assess.effort import estimate
from loyal_trace.core.boards.model import Block, CheckItem, Part
from loyal_trace.core.boards.supplies import ChainPoint, Rail
from loyal_trace.core.diagnosis.complaint import WordGroups, stem, suggest
from loyal_trace.core.job.entries import Decided, Note, Observed, SymptomSeen
from loyal_trace.core.proving.bench import BenchProfile, BenchSupply, parse_supplies, profile_of, shortfalls
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.resources import read_text, word_groups
from tests.helpers.builders import START, assessment_of, made, measured, moment_of, probed, small_board

SICK = small_board(blocks=(Block("logic", ("U1", "U2"), (), ("dead",)),), symptoms=(("dead", "logic"),))
DEAD = made(SymptomSeen, board="small", text="dead")


def effort_of(*entries, board=SICK):
    return estimate(assessment_of(board, entries))


@given(st.lists(st.integers(0, 200), max_size=12), st.lists(st.integers(0, 200), max_size=2))
def test_hours_spent_count_gaps_up_to_a_pause_and_none_for_a_clock_put_back(minutes, back):
    minutes.sort()
    notes = [made(Note, text="x", time=START + timedelta(minutes=m)) for m in minutes]
    gaps = [b - a for a, b in pairwise(minutes)]
    early = [made(Note, text="x", time=START + timedelta(minutes=m)) for m in back if minutes and m <= minutes[-1]]
    assert effort_of(*notes, *early).hours_spent == pytest.approx(sum(g for g in gaps if g <= 20) / 60)


GONE = made(SymptomSeen, board="small", text="dead", present=False)
LOOKED = made(Observed, board="small", place="U2", finding="looks good")


def test_the_ranges_narrow_as_more_is_known():
    vague = effort_of(DEAD, LOOKED)
    seen = [made(Observed, board="small", place=p, finding="looks good") for p in ("U1", "U2", "C1")]
    better = effort_of(DEAD, LOOKED, *seen)
    width = [e.hours_left[1] - e.hours_left[0] for e in (vague, better)]
    assert better.known > vague.known and width[1] < width[0]
    assert better.chance[1] - better.chance[0] < vague.chance[1] - vague.chance[0]
    assert 0 < vague.hours_left[0] < vague.hours_left[1] and 0 <= vague.chance[0] < vague.chance[1] <= 1


def test_without_a_symptom_or_a_reading_no_probability_of_success_is_told():
    for nothing in (effort_of(), effort_of(DEAD), effort_of(LOOKED)):
        assert nothing.chance is None and "probability" not in " ".join(nothing.sentences)
    assert "probability that every symptom goes" in " ".join(effort_of(DEAD, LOOKED).sentences)


def test_a_symptom_that_a_suspect_explains_costs_less_search_and_one_that_is_gone_hardly_any():
    scorched = [made(Observed, board="small", place="U1", finding="scorched") for _ in range(3)]
    rail = [measured("U1.3", "resistance", 1.0)]
    unknown, found = effort_of(DEAD), effort_of(DEAD, *scorched, *rail)
    assert found.hours_left[1] <= unknown.hours_left[1]
    assert effort_of(GONE, LOOKED).chance[0] > effort_of(DEAD, LOOKED).chance[0]


def test_it_says_what_it_comes_to_and_never_whether_it_is_worth_it():
    dead = made(SymptomSeen, board="small", text="dead")
    told = [made(Decided, what="value", choice="250"), made(Decided, what="hour rate", choice="30")]
    later = made(Note, text="x", time=dead.time + timedelta(minutes=12))
    words = " ".join(effort_of(dead, *told, later).sentences)
    assert "0.2 h spent so far" in words and "at 30 an hour" in words and "worth 250 to its owner" in words
    assert not any(judging in words for judging in ("should", "worthwhile", "not worth", "uneconomic"))


def test_a_rare_part_in_doubt_without_a_spare_weighs_on_the_chance():
    def board(rare):
        parts = (Part("U1", "LK80", "DIP-40", rare=rare), Part("U2", "74LS00", "DIP-14"))
        return small_board(parts=parts, nets=(), blocks=SICK.blocks, symptoms=SICK.symptoms)

    seen = [made(Observed, board="small", place="U1", finding="scorched")]
    swapped = [DEAD, *seen, made(Decided, what="x", choice="y")]
    common, rare = (effort_of(*swapped, board=board(rare)) for rare in (False, True))
    assert rare.chance[0] <= common.chance[0]


@pytest.mark.parametrize(
    ("text", "found"),
    [("5 V 3 A, 12V 1A", (BenchSupply(5, 3), BenchSupply(12, 1))), ("-5 V 500m A", (BenchSupply(-5, 0.5),)), ("", ())],
)
def test_supplies_are_read_as_typed(text, found):
    assert parse_supplies(text) == found
    again = ", ".join(s.words for s in found)
    assert parse_supplies(again) == found


def test_what_no_supply_feeds_or_no_instrument_reads_is_not_tested_from_the_start():
    rails = (Rail("+5 V", 5.0, 4.75, 5.25, far="U2.14"), Rail("−12 V", -12.0, -12.6, -11.4, far="U1.7"))
    chain = (ChainPoint("C1", "ripple", 0.0, 0.1, "C1"), ChainPoint("U2.14", "voltage", 4.75, 5.25, "U2"))
    board = small_board(rails=rails, chain=chain, checklist=(CheckItem("sound", needs=("speaker",)),))
    profile = BenchProfile(parse_supplies("5 V 0.001 A"), frozenset({"analyser", "speaker"}))
    moment = moment_of(board)
    reasons = {s.item: s.reason for s in shortfalls(moment.boards, profile, {"small": _draw(board)}, set())}
    assert reasons["−12 V of Small"] == "this bench has no supply of -12 V"
    assert "the bench supply delivers 0.001 A at most" in reasons["+5 V of Small"]
    assert reasons["ripple of Small"] == "this bench has no analyser"
    assert "ripple of Small" not in {s.item for s in shortfalls(moment.boards, profile, {}, {"ripple"})}, (
        "it was read anyway"
    )
    entries = [
        made(Decided, what="bench supplies", choice="5 V 3 A"),
        made(Decided, what="bench lacks", choice="speaker"),
    ]
    not_tested = dict(assessment_of(board, entries).proof.not_tested)
    assert not_tested["sound"] == "this bench has no speaker" and "−12 V of Small" in not_tested


def _draw(board):
    from loyal_trace.resources import current_table

    return current_table().draw(board.parts)


def test_the_jobs_own_word_on_the_bench_goes_before_the_workshops():
    usual = BenchProfile((BenchSupply(5.0, 1.0),), frozenset({"harness"}))
    assert profile_of({}, usual) == usual
    decided = [made(Decided, what="bench lacks", choice=""), made(Decided, what="bench supplies", choice="12 V")]
    told = bench_of(moment_of(entries=decided))
    assert told == BenchProfile((BenchSupply(12.0, 0.0),), frozenset())
    with pytest.raises(RequestError, match="is not a supply"):
        parse_supplies("plenty")


SYMPTOMS = [
    ("a", "colours wrong, one plane missing"),
    ("a", "sometimes does not start"),
    ("b", "sound faint"),
    ("b", "forgets time and settings"),
    ("b", "keys dead or doubled"),
    ("b", "score display dark"),
]


@pytest.mark.parametrize(
    ("complaint", "best"),
    [
        ("The colors are off, and it is so quiet.", {"colours wrong, one plane missing", "sound faint"}),
        ("It won't boot every time", {"sometimes does not start"}),
        ("clock is lost over night", {"forgets time and settings"}),
        ("some keys come twice", {"keys dead or doubled"}),
        ("the screen with the points stays black", {"score display dark"}),
        ("it is a nice machine", set()),
        ("", set()),
    ],
)
def test_the_owners_words_find_the_boards_symptoms(complaint, best):
    found = suggest(complaint, SYMPTOMS, word_groups())
    assert best <= {s.symptom for s in found[:2]} and (best or not found)
    assert all(0 < s.score <= 1 and all(word in complaint.lower().replace("'", "") for word in s.shared) for s in found)


def test_no_word_means_two_things():
    import tomllib

    table = tomllib.loads(read_text("data/complaints.toml"))
    words = [stem(w) for group in table["groups"] for w in group]
    assert len(words) == len(set(words))
    assert WordGroups('ignored = ["the"]\ngroups = [["dark", "black"]]').meanings("The BLACK ones") == {
        "dark": "black",
        "ones": "ones",
    }


def test_a_symptom_that_a_strong_suspects_block_explains_needs_no_more_searching():
    sure = [made(Observed, board="small", place="U1", finding="scorched"), *[probed("U1", "1=L 2=H 3=L")] * 3]
    other = made(SymptomSeen, board="small", text="no sound")
    explained, unexplained = effort_of(DEAD, *sure), effort_of(DEAD, other, *sure)
    assert unexplained.hours_left[1] > explained.hours_left[1], "no sound has still to be looked for"
    assert explained.hours_left[1] < effort_of(DEAD, LOOKED).hours_left[1]
