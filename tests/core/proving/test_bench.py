"""The bench: its supplies as typed, and what a job asks beyond it."""

import pytest

from loyal_trace.core.boards.supplies import ChainPoint, Rail, Supply
from loyal_trace.core.power.consumption import Draw
from loyal_trace.core.proving.bench import (
    LACKS,
    SUPPLIES,
    BenchProfile,
    BenchSupply,
    parse_supplies,
    profile_of,
    shortfalls,
)
from loyal_trace.core.vocabulary.errors import RequestError
from tests.helpers.builders import small_board

RAILS = (Rail("+5 V", 5.0, 4.75, 5.25), Rail("-12 V", -12.0, -12.6, -11.4))


def test_supplies_are_volts_with_a_limit_if_one_is_told():
    assert parse_supplies("5 V 3 A, -12V 500m A,24 V") == (BenchSupply(5, 3), BenchSupply(-12, 0.5), BenchSupply(24))
    assert [s.words for s in parse_supplies("5 V 3 A, -12 V")] == ["+5 V 3 A", "-12 V"] and parse_supplies("") == ()
    with pytest.raises(RequestError, match="not a supply"):
        parse_supplies("5 V, plenty")


def test_what_was_decided_in_the_job_counts_over_the_workshops_bench():
    usual = BenchProfile((BenchSupply(5, 3),), frozenset({"harness"}))
    assert profile_of({}, usual) == usual and profile_of({}) == BenchProfile()
    told = profile_of({LACKS: "speaker, analyser ,", SUPPLIES: "12 V 1 A"}, usual)
    assert told.lacks == {"speaker", "analyser"} and told.supplies == (BenchSupply(12, 1),)
    assert profile_of({LACKS: "", SUPPLIES: "nonsense"}, usual) == BenchProfile(usual.supplies, frozenset())


def short(profile, draw=None, **changes):
    board = small_board(rails=RAILS, **changes)
    return [(s.item, s.reason) for s in shortfalls({"small": board}, profile, {"small": draw}, set())]


@pytest.mark.parametrize(("volts", "fits"), [(4.84, False), (4.86, True), (5.14, True), (5.16, False)])
def test_a_supply_fits_a_rail_within_three_in_a_hundred(volts, fits):
    found = short(BenchProfile((BenchSupply(volts, 3), BenchSupply(-12, 1))))
    assert (found == []) is fits and all(reason == "this bench has no supply of +5 V" for _, reason in found)


def test_a_bench_that_told_nothing_lacks_nothing_and_a_positive_supply_feeds_no_negative_rail():
    assert short(BenchProfile()) == []
    assert short(BenchProfile((BenchSupply(5, 3), BenchSupply(12, 3)))) == [
        ("-12 V of Small", "this bench has no supply of -12 V")
    ]


@pytest.mark.parametrize(("limit", "enough"), [(0.99, False), (1.0, True), (0.0, True)])
def test_a_supply_must_carry_what_the_chips_take_where_its_limit_is_known(limit, enough):
    found = short(BenchProfile((BenchSupply(5, limit), BenchSupply(-12, 0.1))), Draw(1.0, 2.0, 9, 0))
    assert (found == []) is enough
    assert enough or "its chips take 1.00 A, the bench supply delivers 0.99 A at most" in found[0][1]


def test_a_board_with_an_input_needs_that_and_not_its_rails():
    board = {"supplies": (Supply(dc=12.0, current=0.8),)}
    assert short(BenchProfile((BenchSupply(5, 3),)), **board) == [
        ("12 V input of Small", "this bench has no supply of +12 V")
    ]
    assert short(BenchProfile((BenchSupply(12, 3),)), **board) == []


def test_an_instrument_that_is_lacking_is_named_once_with_all_that_it_would_read():
    chain = (ChainPoint("C1", "ripple"), ChainPoint("Y1", "frequency"), ChainPoint("C1", "voltage"))
    board = small_board(chain=chain)
    lacking = BenchProfile(lacks=frozenset({"analyser"}))
    found = shortfalls({"small": board}, lacking, {"small": None}, set())
    assert [(s.item, s.reason) for s in found] == [("ripple, frequency of Small", "this bench has no analyser")]
    assert shortfalls({"small": board}, lacking, {"small": None}, {"frequency"}) == (), "it was read all the same"
    assert shortfalls({"small": board}, BenchProfile(), {"small": None}, set()) == ()
