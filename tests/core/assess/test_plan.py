"""Plans from small cases: which step, with which part, in which order, and what happens when it was not enough."""

import pytest

from loyal_trace.core.assess.kit import candidates_for, kit_of
from loyal_trace.core.assess.parts import in_stock
from loyal_trace.core.assess.plan import REPAIR_ORDERS
from loyal_trace.core.boards.model import KeepOut, Part, ServiceItem
from loyal_trace.core.boards.supplies import ChainPoint, Supply
from loyal_trace.core.job import entries as e
from loyal_trace.core.parts.stock import StockItem
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.identity import PartRef
from tests.helpers.builders import assessment_of, made, measured, moment_of, probed, small_board

C1 = PartRef("small", "C1")
DRIED = measured("C1", "capacitance", 0.3e-3)
# Read three times alike: one misreading explains it no longer.
DEAD = [probed("U1", "1=L 2=H 3=L")] * 3


def capacitor(number, value=1e-3, voltage=16, technology="aluminium", diameter=10, height=16, **more):
    return StockItem(number, "capacitor", 3, value, voltage, technology, diameter, height, **more)


def steps(board=None, entries=(), drawer=()):
    return {s.id: s for s in assessment_of(board, entries, drawer=drawer).plan.steps}


def test_a_dried_capacitor_is_renewed_with_the_first_item_that_fits():
    drawer = [
        capacitor("too low", voltage=10),
        capacitor("too wide", diameter=14),
        capacitor("fits", place="tray A"),
        capacitor("later"),
    ]
    step = steps(entries=[DRIED], drawer=drawer)["small/C1/capacitor"]
    assert (
        step.part_number == "fits"
        and step.from_drawer == "tray A"
        and not {"bad", "doubtful"} & {c.verdict for c in step.checks}
    )
    assert "dried" in step.reason and Caution.POLARITY in step.cautions and step.minutes > 0


def test_without_a_fit_the_nearest_miss_says_why_and_the_part_is_ordered():
    found = assessment_of(entries=[DRIED], drawer=[capacitor("too low", voltage=10)])
    step = found.plan.steps[0]
    assert step.part_number == "1000u 16V" and step.from_drawer == ""
    assert [c.aspect for c in step.checks if c.verdict == "bad"] == ["voltage"]
    assert [(n.number, n.to_order) for n in found.plan.parts] == [("1000u 16V", 1)]


def test_room_under_a_shield_decides():
    board = small_board(keep_outs=(KeepOut(0, 0, 100, 12, 100, "shield"),))
    moment = moment_of(board, [DRIED], drawer=[capacitor("tall")])
    (missed,) = candidates_for(moment, C1)
    assert missed.judged.fits == "no" and "shield" in missed.judged.deciding
    assert kit_of(moment).choice_at(C1).item is None and kit_of(moment).groups[0].buy == 1


def test_a_reservoir_brings_its_cautions_first():
    parts = (
        Part(
            "C1",
            "1000u",
            kind="capacitor",
            value=1e-3,
            voltage=16,
            polarised=True,
            technology="aluminium",
            role="reservoir",
        ),
    )
    fed = {"chain": (ChainPoint("C1", "voltage", 9, 12, "C1"),)}
    mains = small_board(parts=parts, nets=(), rails=(), supplies=(Supply(ac_rms=9.0, reservoir="C1"),), **fed)
    step = steps(mains, [DRIED])["small/C1/capacitor"]
    assert step.cautions[:2] == (Caution.MAINS, Caution.RESERVOIR)
    plug = small_board(parts=parts, nets=(), rails=(), supplies=(Supply(dc=9.0, reservoir="C1"),), **fed)
    assert Caution.MAINS not in steps(plug, [DRIED])["small/C1/capacitor"].cautions, "the mains is in another box"


def test_the_usual_service_is_planned_until_the_part_proves_good():
    board = small_board(service=(ServiceItem("C1", "they dry here"),))
    assert "they dry here" in steps(board)["small/C1/capacitor"].reason
    assert steps(board, [measured("C1", "capacitance", 0.97e-3), measured("C1", "esr", 0.05)]) == {}
    assert steps(board, [made(e.Fitted, board="small", place="C1", number="new")]) == {}


def test_a_suspect_beyond_doubt_is_renewed_and_a_doubtful_one_is_not():
    assert "small/U1/chip" in steps(entries=DEAD)
    assert steps(entries=[made(e.Observed, board="small", place="U1", finding="corroded")]) == {}


def test_a_chip_is_exchanged_to_prove_it_below_the_probability_from_which_the_job_replaces():
    spare = [StockItem("74LS00", count=1, place="drawer 1")]
    strict = made(e.Decided, what="replace from", choice="70 %")
    assert steps(entries=DEAD, drawer=spare)["small/U1/chip"].what.startswith("Replace U1")
    found = steps(entries=[*DEAD, strict], drawer=spare)
    assert found["small/U1/chip"].what.startswith("Exchange U1 to prove it")
    assert steps(entries=[*DEAD, strict]) == {}, "without a spare it is measured on"


def test_a_finished_step_stays_and_a_new_accusation_opens_a_further_one():
    done = [
        *DEAD,
        made(e.Fitted, board="small", place="U1", number="74LS00", origin="drawer 1"),
        made(e.StepDone, step="small/U1/chip", what="Replace U1", minutes=25.0),
    ]
    assert [(s.id, s.done) for s in steps(entries=done).values()] == [("small/U1/chip", True)]
    again = steps(entries=[*done, *DEAD])
    assert list(again) == ["small/U1/chip", "small/U1/chip-2"] and not again["small/U1/chip-2"].done
    assert "drawer 1 shows the same fault" in again["small/U1/chip-2"].reason


def test_a_skipped_step_is_not_asked_for_again():
    skipped = made(e.StepDone, step="small/U1/chip", what="Replace U1", skipped=True, note="owner wants it as found")
    found = steps(entries=[*DEAD, skipped])
    assert list(found) == ["small/U1/chip"] and found["small/U1/chip"].skipped and found["small/U1/chip"].done


def test_a_worn_socket_seen_is_renewed_once():
    seen = made(e.Observed, board="small", place="U2", finding="socket loose")
    assert "small/U2/socket" in steps(entries=[seen])
    fitted = made(e.Fitted, board="small", place="U2", number="74LS04", origin="own part, socket renewed")
    assert steps(entries=[seen, fitted]) == {}


@pytest.mark.parametrize(
    ("choice", "order"),
    [
        ("least invasive", ["U2", "U1", "C1"]),
        ("capacitors first", ["C1", "U2", "U1"]),
        ("no such school", ["U2", "U1", "C1"]),
    ],
)
def test_each_school_orders_in_its_own_way(choice, order):
    entries = [DRIED, *DEAD, *[probed("U2", "1=H 2=H")] * 4, made(e.Decided, what="repair order", choice=choice)]
    plan = assessment_of(entries=entries).plan
    assert [s.place[1] for s in plan.steps] == order and plan.order in REPAIR_ORDERS


def test_what_the_job_took_from_the_drawer_is_gone():
    drawer = [
        StockItem("74LS00", count=1, place="drawer 1"),
        StockItem("74LS00", count=2, place="drawer 2", state="bad"),
    ]
    assert steps(entries=DEAD, drawer=drawer)["small/U1/chip"].from_drawer == "drawer 1"
    used = [made(e.Fitted, board="small", place="U2", number="74LS00", origin="drawer 1"), *DEAD]
    moment = moment_of(entries=used, drawer=drawer)
    assert [in_stock(moment, i) for i in drawer] == [0, 0]
    found = assessment_of(entries=used, drawer=drawer)
    assert found.plan.steps[0].from_drawer == "" and found.plan.parts[0].in_drawer == 0
