"""How parts come off and go on, what a wash asks for, and when power may go on again."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from loyal_trace.core.assess.at_iron import (
    actions_of,
    drying_boards,
    methods_for,
    next_action,
    off_words,
    tally_of,
    timers_of,
    to_take_off,
    wanted_whole,
    wet_words,
)
from loyal_trace.core.assess.plan import plan_of
from loyal_trace.core.boards.model import Part, RomSlot
from loyal_trace.core.boards.supplies import Supply
from loyal_trace.core.job import entries as e
from loyal_trace.core.planning.methods import Wanted, fitting, mounting_of, power_from, removals, wash_of
from loyal_trace.core.planning.room import RoomBeside
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.resources import methods
from tests.helpers.builders import START, made, measured, moment_of, small_board

TABLE = methods()
CAN = Part("C1", "100u", "radial", "capacitor", value=1e-4, polarised=True, technology="aluminium")
CHIP = Part("U1", "74LS00", "DIP-14")
C1 = PartRef("small", "C1")


def ways(part, **wanted):
    return {one.id: one for one in removals(TABLE, part, Wanted(**wanted))}


@pytest.mark.parametrize("wanted", [{"evidence": True}, {"rare": True}])
def test_what_is_evidence_or_rare_is_never_cut(wanted):
    for part in (CAN, CHIP):
        found = ways(part, **wanted)
        assert (
            found
            and all(one.whole for one in found.values())
            and not {"cut the pins", "cut the can and clear the pins"} & set(found)
        )
        assert all(one.reasons for one in found.values())
    assert "cut the pins" in ways(CHIP) and "cut the can and clear the pins" in ways(CAN)


def test_the_board_decides_which_way_is_kind_to_it():
    single, plated = ways(CAN, board="single-sided", evidence=True), ways(CAN, board="plated holes", evidence=True)
    assert next(iter(single)) == "rock it along its pads" and next(iter(plated)) == "heat both leads"
    assert single["heat both leads"].risk == 3 * TABLE.removal[0].risk
    assert any("not for this board" in reason for reason in single["heat both leads"].reasons)
    assert "preheat and low-melt alloy" in ways(CHIP, board="planes", evidence=True)


def test_the_package_decides_too_and_what_is_not_recommended_comes_last():
    flat = Part("C9", "10u", "SMD-2", "capacitor", value=1e-5, polarised=True, technology="aluminium")
    assert mounting_of(flat) == "smd" and mounting_of(CHIP) == "dip"
    assert list(ways(flat))[-1] == "twist it off" and "hot air" not in ways(flat), "electrolytics burst from it"
    assert fitting(TABLE, flat).id == "surface pads" and fitting(TABLE, CAN).id == "through holes"


def test_a_way_that_has_no_room_there_comes_after_the_others_and_says_what_stands_near():
    near = Part("C2", "10u", "radial", "capacitor", x=20, value=1e-5, polarised=True, diameter=6)
    can = replace(CAN, diameter=10, x=11.5)
    flat = Part("U2", "74LS00", "SOIC-14", x=30)
    room = RoomBeside(small_board(parts=(can, near, flat, replace(CHIP, x=200), Part("U9", "x", x=13, placed=False))))
    beside = room.of("C1")
    assert beside.beside == "C2" and beside.gap == pytest.approx(0.5) and beside.can == "C2"
    narrow, free = ways(can, board="single-sided", access=beside), ways(can, board="single-sided", access=room.of("U1"))
    name = "rock it along its pads"
    assert narrow[name].risk == 3 * free[name].risk and next(iter(free)) != list(narrow)[-1]
    assert "it needs 1 mm beside the part, here are 0.5 mm to C2" in narrow[name].reasons
    assert not any("it needs" in reason for way in free.values() for reason in way.reasons)
    air = ways(flat, access=room.of("U2"))["hot air"]
    assert air.risk == 3 * ways(flat)["hot air"].risk and "C2, an electrolytic, stands" in air.reasons[-1]
    assert room.of("U9") is None


def test_what_has_been_taken_off_stands_in_nobodys_way():
    near = Part("C2", "10u", "radial", "capacitor", x=20, value=1e-5, polarised=True, diameter=6)
    board = {"parts": (replace(CAN, diameter=10, x=11.5), near, replace(CHIP, x=200))}
    told = made(e.Decided, what="board type small", choice="single-sided")
    gone = made(e.Removed, board="small", place="C2", number="10u")
    back = made(e.Fitted, board="small", place="C2", number="10u")
    rocking = [
        next(way for way in methods_for(job([told, *more], **board), C1) if way.id == "rock it along its pads").reasons
        for more in ((), (gone,), (gone, back))
    ]
    assert [any("it needs" in reason for reason in reasons) for reasons in rocking] == [True, False, True]


@pytest.mark.parametrize(("free", "short"), [(11.5, True), (12.0, False), (9.0, True)])
def test_a_told_room_counts_before_the_places_of_others(free, short):
    can = replace(CAN, diameter=10, room_diameter=free, placed=False)
    beside = RoomBeside(small_board(parts=(can, CHIP))).of("C1")
    way = ways(can, access=beside)["rock it along its pads"]
    assert any("it needs 1 mm beside the part" in reason for reason in way.reasons) is short


def job(entries=(), **board):
    return moment_of(small_board(**board), entries)


def test_a_part_that_nobody_measured_is_still_evidence():
    assert wanted_whole(job(), C1).evidence
    assert not wanted_whole(job([measured("C1", "capacitance", 1e-6)]), C1).evidence
    assert not wanted_whole(job([made(e.Fitted, board="small", place="C1", number="x")]), C1).evidence
    told = made(e.Decided, what="board type small", choice="single-sided")
    assert methods_for(job([told]), C1)[0].id == "rock it along its pads"


def step_of(moment, kind="capacitor"):
    return next(step for step in plan_of(moment).steps if step.kind == kind)


def test_a_step_goes_action_by_action_and_comes_back_after_a_week():
    bad = measured("C1", "capacitance", 1e-6)
    fed = {"supplies": (Supply(ac_rms=9, reservoir="C1"),)}
    step = step_of(job([bad], **fed))
    names = [one.name for one in actions_of(job([bad], **fed), step)]
    assert names[0] == "discharge" and names[-3:] == ["fit", "inspect", "measure"]
    done = [made(e.ActionTaken, step=step.id, action=name) for name in names[:2]]
    done.append(made(e.ActionTaken, step=step.id, action=names[2], result="went wrong", note="pad lifted"))
    after = actions_of(job([bad, *done], **fed), step)
    assert [one.result for one in after[:3]] == ["done", "done", "went wrong"]
    assert next_action(after).name == names[2] and next_action(after).note == "pad lifted"
    skipped = made(e.ActionTaken, step=step.id, action=names[2], result="skipped")
    assert next_action(actions_of(job([bad, *done, skipped], **fed), step)).name == names[3]


def test_parts_out_are_counted_against_parts_in():
    out = [made(e.Removed, board="small", place=place, number="x") for place in ("C1", "U1")]
    away = made(e.Removed, board="small", place="U2", number="x", reason="stored safely", shelf="box")
    fitted = made(e.Fitted, board="small", place="U1", number="x")
    tally = tally_of(job([*out, away, fitted]))
    assert [place.refdes for place in tally.out] == ["C1", "U1"] and tally.fitted == 1
    assert [place.refdes for place in tally.empty] == ["C1"]


def test_timers_run_on_while_nobody_looks():
    started = [made(e.TimerStarted, what="erase 6F", seconds=1200), made(e.TimerStarted, what="soak", seconds=60)]
    now = started[0].time + timedelta(seconds=300)
    found = timers_of(job(started), now)
    assert [timer.what for timer in found] == ["soak", "erase 6F"] and found[0].left(now) < 0 < found[1].left(now)
    assert found[1].left(now) == pytest.approx(900)
    again = made(e.TimerStarted, what="soak", seconds=600)
    assert next(t for t in timers_of(job([*started, again]), now) if t.what == "soak").seconds == 600
    assert timers_of(job(started), now + timedelta(days=2)) == ()


def washed(detail="", **more):
    return made(e.Worked, board="small", action="board washed", detail=detail, **more)


@pytest.mark.parametrize(
    ("detail", "hours"), [("with water, drying", 24), ("with IPA", 1), ("with flux cleaner", 4), ("", 24)]
)
def test_power_waits_for_a_washed_board_to_dry(detail, hours):
    entry = washed(detail)
    moment = job([entry])
    assert drying_boards(moment)["small"].until == entry.time + timedelta(hours=hours)
    assert "more to dry" in wet_words(moment, "small", entry.time + timedelta(hours=hours, minutes=-1))
    assert wet_words(moment, "small", entry.time + timedelta(hours=hours)) == ""
    dried = made(e.Worked, board="small", action="board dried")
    assert wet_words(job([entry, dried]), "small", entry.time) == ""
    assert wet_words(job([washed(detail, before=True)]), "small", START) == ""
    warm = power_from(TABLE, datetime(2026, 1, 1, tzinfo=UTC), detail, warm=True)
    assert warm < power_from(TABLE, datetime(2026, 1, 1, tzinfo=UTC), detail)
    assert wash_of(TABLE, detail).why


def test_what_suffers_from_a_wash_comes_off_first():
    parts = (
        CAN,
        CHIP,
        Part("BT1", "NiCd 3.6V", kind="cell"),
        Part("SW1", "8 way", kind="switch"),
        Part("U2", "74LS04", "DIP-14", socketed=True),
        Part("U3", "27C64", "DIP-28", socketed=True),
        Part("K1", "5V relay", kind="relay"),
        Part("C7", "30p trimmer", kind="capacitor", value=3e-11),
    )
    slots = (RomSlot("U3", "27C64", 8192),)
    found = dict(to_take_off(job(parts=parts, nets=(), rom_slots=slots), "small"))
    assert set(found) == {"BT1", "SW1", "U2", "U3", "K1", "C7"} and "label" in found["U3"]
    out = made(e.Removed, board="small", place="BT1", number="x")
    assert "BT1" not in dict(to_take_off(job([out], parts=parts, nets=(), rom_slots=slots), "small"))
    assert off_words(job(parts=(CAN, CHIP), nets=()), "small") == ""
    assert "SW1 K1" in off_words(job(parts=parts, nets=(), rom_slots=slots), "small")
