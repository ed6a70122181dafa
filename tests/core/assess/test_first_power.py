"""The first power-up: its risk in lines, the school that fits, and the order of work that follows."""

from dataclasses import replace

import pytest

from loyal_trace.core.assess.first_power import first_power_choice, first_power_risk, repair_order
from loyal_trace.core.boards.supplies import ChainPoint, Supply
from loyal_trace.core.job.entries import Decided, Fitted, Observed, Opened
from loyal_trace.core.planning.choices import BY_RISK, RENEW_FIRST
from tests.helpers.builders import assessment_of, made, measured, moment_of, small_board

GROUND = ChainPoint("U2.14", "resistance to ground", part="U2", powered=False)
OLD = replace(small_board(), year=1981, chain=(GROUND,))


def risk_of(*entries, board=OLD):
    return first_power_risk(moment_of(board, [made(Opened, title="t"), *entries]))


def test_the_risk_grows_with_age_leaks_low_rails_and_missing_parts():
    fine = risk_of(measured("U2.14", "resistance to ground", 400.0), board=replace(OLD, year=2012))
    assert fine.word == "low" and fine.advice == "test as found" and fine.share >= 0.02
    leak = made(Observed, board="small", place="C1", finding="leaking")
    shorted = measured("U2.14", "resistance to ground", 2.0)
    worst = risk_of(leak, shorted, made(Observed, board="small", place="U1", finding="missing"))
    assert worst.points == round(100 * worst.share)
    assert worst.word == "high" and worst.advice == RENEW_FIRST and 0.6 < worst.share <= 1.0
    for words in ("1 electrolytics of 45 years", "C1 leaking", "U2.14 reads 2.00 Ω to ground", "U1 missing"):
        assert words in worst.reason


def test_each_line_is_what_it_says_and_they_add_up():
    middle = risk_of()
    assert middle.word == "middle" and middle.advice == BY_RISK
    assert middle.share == pytest.approx(sum(points for points, _ in middle.lines))
    own = replace(OLD, supplies=(Supply(8.5, 1.0),))
    assert risk_of(board=own).share == pytest.approx(middle.share + 0.1)
    assert risk_of(measured("U2.14", "resistance to ground", 300.0)).share == pytest.approx(middle.share - 0.25)


def test_a_renewed_can_neither_ages_nor_leaks():
    leak = made(Observed, board="small", place="C1", finding="leaking")
    replaced = made(Fitted, board="small", place="C1", number="1000u 16V", origin="drawer 1")
    clean = [made(Observed, board="small", place=p, finding="looks good") for p in ("U1", "U2")]
    assert risk_of(leak, replaced, *clean).share < risk_of(leak).share - 0.3


@pytest.mark.parametrize(
    ("choice", "order"), [("renew capacitors first", "capacitors first"), ("test as found", "least invasive")]
)
def test_the_school_decides_the_order_of_work_unless_that_was_decided_itself(choice, order):
    decided = made(Decided, what="first power", choice=choice)
    assert repair_order(moment_of(OLD, [decided])) == order
    own = made(Decided, what="repair order", choice="likely first")
    assert repair_order(moment_of(OLD, [decided, own])) == "likely first"
    assert assessment_of(OLD, [decided]).plan.order == order


def test_by_risk_follows_the_risk_and_older_words_are_understood():
    by_risk = made(Decided, what="first power", choice="decide by risk")
    assert (
        first_power_choice(moment_of(OLD, [by_risk])) == BY_RISK
        and repair_order(moment_of(OLD, [by_risk])) == "least invasive"
    )
    leak, short = (
        made(Observed, board="small", place="C1", finding="leaking"),
        measured("U2.14", "resistance to ground", 1.0),
    )
    assert repair_order(moment_of(OLD, [by_risk, leak, short])) == "capacitors first"
