"""Usual service, heat sinks and improvements: offered by kind, in or out as ticked, and what steps come of them."""

from dataclasses import replace

import pytest

from loyal_trace.core.assess.at_iron import actions_of
from loyal_trace.core.assess.compare import comparison_of
from loyal_trace.core.assess.extras import ExtraKind, extras_of, heat_of, housing_of
from loyal_trace.core.assess.plan import plan_of
from loyal_trace.core.boards.model import BoardDefinition, Part, RomSlot, SelfTestCode, ServiceItem
from loyal_trace.core.boards.supplies import ChainPoint, Supply
from loyal_trace.core.job.entries import Decided, ExtraTicked, Fitted, NamedPart, PartTold, ServiceTold, Worked
from loyal_trace.core.planning.choices import EVERY, NEVER
from loyal_trace.core.planning.extras import Ticked
from loyal_trace.core.planning.sequencing import Priority
from loyal_trace.core.power.cooling import sink_need
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.identity import PartRef
from tests.helpers.builders import made
from tests.helpers.builders import moment_of as moment_on

B = "own"
SUPPLY = Supply(ac_rms=9.0, current=0.8, path="+5", reservoir="C1", nominal=5.0)
BOARD = BoardDefinition(
    B,
    "One of its kind",
    parts=(
        Part("C1", "4700u 25V", kind="capacitor", value=4.7e-3, voltage=25.0, polarised=True, technology="aluminium"),
        Part("REG1", "7805", "TO-220", "regulator", value=5.0),
        Part("J1", "edge 2x22", kind="connector"),
        Part("J2", "J-28", kind="connector"),
        Part("BT1", "3.6V", kind="cell"),
        Part("U1", "74LS00", "DIP-14"),
        Part("U2", "27C64", "DIP-28", socketed=True),
    ),
    chain=(ChainPoint("J2", "voltage", part="J2", path="+5"), ChainPoint("REG1", "voltage", part="REG1", path="+5")),
    supplies=(SUPPLY,),
    service=(ServiceItem("J2", "its pins were round on every one seen"),),
)


def moment_of(*entries, board=BOARD):
    return moment_on(board, entries)


def ticks(*entries, kind=ExtraKind.SERVICE, board=BOARD):
    return {one.place.refdes: one.ticked for one in extras_of(moment_of(*entries, board=board)) if one.kind is kind}


def kinds_at(refdes, *entries):
    return [step.kind for step in plan_of(moment_of(*entries)).steps if step.place.refdes == refdes]


def tick(place, choice, sort="usual service", **fields):
    return made(ExtraTicked, board=B, place=place, sort=sort, choice=choice, **fields)


def test_the_boards_own_service_list_is_in_and_kinds_of_parts_are_only_offered():
    found = ticks()
    assert found["J2"] is Ticked.IN and found["J1"] is found["BT1"] is found["C1"] is Ticked.OFFERED
    assert "U1" not in found
    assert kinds_at("J2") == ["service"] and kinds_at("J1") == []


def test_what_was_ticked_last_counts_and_a_reason_is_kept():
    out = tick("J2", "out", note="new last year")
    assert ticks(out)["J2"] is Ticked.OUT and kinds_at("J2", out) == []
    assert next(o.reason for o in extras_of(moment_of(out)) if o.reason) == "new last year"
    again = made(ServiceTold, board=B, members=(NamedPart(board=B, refdes="J2"),))
    assert ticks(out, again)["J2"] is Ticked.IN
    assert ticks(tick("J1", "in"))["J1"] is Ticked.IN and kinds_at("J1", tick("J1", "in")) == ["service"]


def test_a_serviced_part_that_was_replaced_is_done():
    fitted = made(Fitted, board=B, place="J2", number="J-28", origin="tray 2")
    assert "J2" not in ticks(fitted) and kinds_at("J2", fitted) == []


def test_a_capacitor_left_out_of_the_service_leaves_the_kit():
    told = made(ServiceTold, board=B, members=(NamedPart(board=B, refdes="C1"),))
    assert kinds_at("C1", told) == ["capacitor"]
    assert kinds_at("C1", told, tick("C1", "out")) == []


def test_a_regulator_gets_a_heat_sink_step_only_where_the_sums_ask_for_one():
    place = PartRef(B, "REG1")
    # 9 V RMS behind a bridge: 9·√2 − 2·0.85 = 11.0 V at the peaks, less half the ripple, less 5 V, at 0.8 A.
    assert heat_of(moment_of(), place) == pytest.approx((11.03 - 0.85 - 5) * 0.8, rel=0.03)
    assert ticks(kind=ExtraKind.SINK) == {"REG1": Ticked.OFFERED} and kinds_at("REG1") == []
    none = made(PartTold, board=B, place="REG1", sink=0.0)
    assert kinds_at("REG1", none) == ["sink"]
    assert kinds_at("REG1", made(PartTold, board=B, place="REG1", sink=8.0)) == [], "4.1 W · (3 + 0.8 + 8) is 49 K"
    assert kinds_at("REG1", made(PartTold, board=B, place="REG1", sink=20.0)) == ["sink"]
    assert kinds_at("REG1", none, made(PartTold, board=B, place="REG1", heat=0.5)) == [], "half a watt needs none"
    fitted = made(Worked, board=B, action="heat sink fitted", parts=(NamedPart(board=B, refdes="REG1"),))
    assert kinds_at("REG1", none, fitted) == []


def test_a_heat_sink_that_is_just_good_enough_is_enough():
    moment, place = moment_of(), PartRef(B, "REG1")
    needed = sink_need(heat_of(moment, place), housing_of(moment, place)).needed
    assert kinds_at("REG1", made(PartTold, board=B, place="REG1", sink=needed)) == []
    assert kinds_at("REG1", made(PartTold, board=B, place="REG1", sink=needed * 1.001)) == ["sink"]


def test_any_part_whose_heat_is_said_can_need_a_heat_sink():
    assert ticks(made(PartTold, board=B, place="U1", heat=2.5), kind=ExtraKind.SINK)["U1"] is Ticked.OFFERED


def test_an_improvement_is_a_step_with_its_way_back_until_it_was_made():
    wanted = tick("REG1", "in", "improvement", what="diode across the regulator", back="unsolder the diode")
    step = next(s for s in plan_of(moment_of(wanted)).steps if s.kind == "improve")
    assert "unsolder the diode" in step.tool and "1N4002" in step.what
    typed = made(
        Worked,
        board=B,
        action="modified",
        parts=(NamedPart(board=B, refdes="REG1"),),
        detail="diode across the regulator; back: unsolder it",
    )
    assert kinds_at("REG1", wanted, typed) == []
    undone = made(Worked, board=B, action="modification undone", parts=typed.parts)
    assert kinds_at("REG1", wanted, typed, undone) == [], "what was taken off is not planned again by itself"
    again = tick("REG1", "in", "improvement", what="diode across the regulator")
    assert ticks(wanted, typed, undone, kind=ExtraKind.IMPROVE)["REG1"] is Ticked.OUT
    assert ticks(wanted, typed, undone, again, kind=ExtraKind.IMPROVE)["REG1"] is Ticked.IN
    own = tick("J1", "in", "improvement", what="a label with the voltages", back="peel it off")
    assert kinds_at("J1", own) == ["improve"]
    assert ticks(tick("J1", "out", "improvement", what="a label with the voltages"), kind=ExtraKind.IMPROVE)["J1"] is (
        Ticked.OUT
    )


def test_a_winding_without_a_fuse_and_a_reservoir_that_holds_charge_are_offered():
    words = {(o.place.refdes, o.name) for o in extras_of(moment_of()) if o.kind is ExtraKind.IMPROVE}
    assert ("J2", "fuse in the winding") in words and ("J1", "fuse in the winding") not in words
    assert ("C1", "bleeder") not in words, "a third of a joule at 11 V hurts nobody"
    high = BoardDefinition(B, "x", parts=BOARD.parts[:1], supplies=(Supply(ac_rms=40.0, path="+50", reservoir="C1"),))
    bleeder = next(o for o in extras_of(moment_of(board=high)) if o.name == "bleeder")
    assert "kΩ" in bleeder.what and "below 5 V" in bleeder.what


@pytest.mark.parametrize(("choice", "kinds"), [(EVERY, ["socketing"]), (NEVER, [])])
def test_a_socket_for_every_chip_is_planned_only_when_that_is_decided(choice, kinds):
    decided = made(Decided, what="sockets", choice=str(choice))
    assert kinds_at("U1", decided) == kinds and kinds_at("U2", decided) == []


def test_joints_are_offered_for_reflow_until_they_were_reflowed():
    assert ticks(kind=ExtraKind.REFLOW)["REG1"] is Ticked.OFFERED and "U1" not in ticks(kind=ExtraKind.REFLOW)
    wanted = tick("U1", "in", "reflow")
    assert kinds_at("U1", wanted) == ["reflow"]
    done = made(Worked, board=B, action="reflowed", parts=(NamedPart(board=B, refdes="U1"),))
    assert kinds_at("U1", wanted, done) == []


@pytest.mark.parametrize(
    ("tests", "words", "minutes"),
    [((), "test program into U2", 15.0), ((SelfTestCode("3", "RAM", ("U1",)),), "self-test", 3.0)],
)
def test_diagnostics_come_before_everything_where_that_was_decided(tests, words, minutes):
    board = replace(BOARD, rom_slots=(RomSlot("U2", "27C64", 8192, address=0),), self_tests=tests)
    decided = made(Decided, what="diagnostics", choice="first")
    first = plan_of(moment_of(decided, board=board)).steps[0]
    assert first.kind == "diagnose" and words in first.what and first.minutes == minutes
    assert all(step.kind != "diagnose" for step in plan_of(moment_of(board=board)).steps)
    orders = comparison_of(moment_of(board=board)).orders
    assert orders[-1].sequence is Priority.DIAGNOSE and orders[-1].blocks[0].minutes == minutes


def test_a_coating_comes_off_before_a_joint_is_heated_and_carries_its_caution():
    coated = made(Decided, what=f"coating of {B}", choice="coated")
    moment = moment_of(coated)
    step = next(s for s in plan_of(moment).steps if s.place.refdes == "J2")
    names = [action.name for action in actions_of(moment, step)]
    assert names[0] == "strip coating" and Caution.ALCOHOL in step.cautions
    assert "strip coating" not in [a.name for a in actions_of(moment_of(), step)]


def test_low_parts_come_before_tall_ones_whatever_they_are():
    # A capacitor without a height limit is taken to be 1.6 times as high as it is wide: 8 mm, 11.2 mm and 12.8 mm.
    caps = tuple(
        Part(f"C{n}", "100u 16V", kind="capacitor", value=1e-4, voltage=16.0, diameter=n, polarised=True)
        for n in (5.0, 7.0, 8.0)
    )
    others = [("RV1", "control"), ("J3", "connector"), ("Q1", "amplifier"), ("BR1", "bridge"), ("REG2", "regulator")]
    parts = (*caps, *(Part(refdes, "x", kind=kind) for refdes, kind in others))
    board = BoardDefinition(B, "tall", parts=parts, service=tuple(ServiceItem(part.refdes, "each") for part in parts))
    order = [step.place.refdes for step in plan_of(moment_of(board=board)).steps]
    assert order == ["C5.0", "J3", "RV1", "C7.0", "BR1", "Q1", "REG2", "C8.0"]
