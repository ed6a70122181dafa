"""What is where it belongs, when it changed, what a capacitor measures now, what is left in the drawer."""

from datetime import timedelta

import pytest

from loyal_trace.core.assess.capacitors import judged_capacitors
from loyal_trace.core.assess.parts import (
    absent,
    changes_made,
    in_stock,
    last_change,
    replaced,
    stock,
)
from loyal_trace.core.job import entries as e
from loyal_trace.core.parts.stock import StockItem
from loyal_trace.core.vocabulary.identity import PartRef
from tests.helpers.builders import made, measured, moment_of

U1, U2, C1 = (PartRef("small", name) for name in ("U1", "U2", "C1"))


def out(place):
    return made(e.Removed, board="small", place=place)


def fitted(place, **more):
    return made(e.Fitted, board="small", place=place, **{"number": "74LS00", **more})


def test_a_part_is_absent_when_taken_out_or_missing_and_back_when_one_was_fitted():
    missing = made(e.Observed, board="small", place="U1", finding="missing")
    assert absent(moment_of(entries=[out("U1")]), U1) and absent(moment_of(entries=[missing]), U1)
    assert not absent(moment_of(entries=[missing, made(e.Observed, board="small", place="U1", finding="present")]), U1)
    assert not absent(moment_of(entries=[out("U1"), fitted("U1")]), U1) and not absent(moment_of(), U1)


def test_a_borrowed_stand_in_is_no_replacement():
    assert replaced(moment_of(entries=[fitted("U1")]), U1)
    assert not replaced(moment_of(entries=[fitted("U1", lender="the twin")]), U1) and not replaced(moment_of(), U1)


def test_the_newest_change_counts_and_a_part_that_is_out_has_none():
    first, second = fitted("U1"), fitted("U1")
    worked = made(e.Worked, board="small", action="reflowed", parts=(e.NamedPart(board="small", refdes="U2"),))
    moment = moment_of(entries=[first, worked, second])
    assert last_change(moment, U1) == second.time and last_change(moment, U2) == worked.time
    assert last_change(moment, C1) is None and last_change(moment_of(entries=[first, out("U1")]), U1) is None
    assert changes_made(moment.snapshot) == ((U1, ""), (U2, "reflowed"), (U1, ""))


def test_readings_from_before_a_replacement_are_of_the_old_part():
    old, new = measured("C1", "capacitance", 1e-4), fitted("C1", number="1000u 25V")
    assert judged_capacitors(moment_of(entries=[old]))[C1].verdict == "bad"
    found = judged_capacitors(moment_of(entries=[old, new]))[C1]
    assert found.verdict == "not measured" and "1000u 25V" in found.reason
    assert judged_capacitors(moment_of(entries=[old, new, measured("C1", "capacitance", 1e-3)]))[C1].verdict == "good"
    again = measured("C1", "esr", 0.1).model_copy(update={"time": new.time + timedelta(seconds=1)})
    assert judged_capacitors(moment_of(entries=[new, again]))[C1].verdict == "good"


@pytest.mark.parametrize(("in_circuit", "verdict"), [(True, "good"), (False, "doubtful")])
def test_a_high_reading_is_doubted_only_out_of_circuit(in_circuit, verdict):
    high = measured("C1", "capacitance", 1.6e-3, in_circuit=in_circuit)
    assert judged_capacitors(moment_of(entries=[high]))[C1].verdict == verdict


def test_the_drawer_is_the_workshops_own_and_what_was_said_less_what_was_taken():
    mine = StockItem("74LS00", count=2, place="drawer 3")
    told = made(e.Stocked, number="74LS04", count=3, place="tray 1")
    moment = moment_of(entries=[told, fitted("U1", origin="drawer 3")], drawer=(mine,))
    assert [item.number for item in stock(moment)] == ["74LS00", "74LS04"]
    assert in_stock(moment, mine) == 1 and in_stock(moment, stock(moment)[1]) == 3
    assert in_stock(moment, StockItem("74LS00", count=0, place="drawer 3")) == 0
    assert in_stock(moment, StockItem("74LS00", count=5, state="bad")) == 0
