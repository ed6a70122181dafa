"""The plan as tasks, the orders side by side, moved steps, and a drawer that is promised once."""

import pytest

from loyal_trace.core.assess.capacitors import life_of, old_beside_new
from loyal_trace.core.assess.compare import comparison_of, own_order_words, sundries_of
from loyal_trace.core.assess.kit import kit_choice, kit_of, wanted_capacitors
from loyal_trace.core.assess.orders import delivery_days, tasks_for
from loyal_trace.core.assess.plan import plan_of
from loyal_trace.core.boards.model import Part, ServiceItem
from loyal_trace.core.job import entries as e
from loyal_trace.core.parts.stock import StockItem
from loyal_trace.core.planning.choices import EVERY, NEVER, SOME
from loyal_trace.core.vocabulary.identity import PartRef
from tests.helpers.builders import made, measured, moment_of, probed, small_board

DEAD = [probed("U1", "1=L 2=H 3=L")] * 3


def decided(what, choice):
    return made(e.Decided, what=what, choice=choice)


def capacitor(refdes, value, number="", **more):
    fields = {"value": value, "voltage": 16, "polarised": True, "technology": "aluminium", **more}
    return Part(refdes, number or f"{value}", "RAD-2", "capacitor", **fields)


def recap_board(**more):
    parts = [capacitor(f"C{n}", [10e-6, 47e-6, 100e-6][n % 3]) for n in range(1, 17)]
    chips = [Part("U1", "74LS00", "DIP-14", x=20, y=20), Part("U2", "74LS04", "DIP-14", x=60, y=20, socketed=True)]
    chips.append(Part("U3", "74LS32", "DIP-14", x=80, y=20))
    return small_board(parts=(*parts, *chips), **more)


def test_renewing_first_plans_every_electrolytic_of_the_board():
    for choice in (decided("first power", "replace capacitors first"), decided("kit", "electrolytics")):
        steps = plan_of(moment_of(recap_board(), [choice])).steps
        assert len(steps) == 16 and {step.kind for step in steps} == {"capacitor"}
    assert plan_of(moment_of(recap_board())).steps == ()
    assert kit_choice(moment_of(recap_board(), [decided("kit", "beauty")])) == "what is bad"


def test_what_was_replaced_leaves_the_kit_and_a_new_part_that_measures_bad_comes_back():
    chosen = decided("kit", "electrolytics")
    fitted = made(e.Fitted, board="small", place="C1", number="47u 25V")
    assert len(wanted_capacitors(moment_of(recap_board(), [chosen, fitted]))) == 15
    again = measured("C1", "capacitance", 1e-6)
    found = {w.place.refdes: w.why for w in wanted_capacitors(moment_of(recap_board(), [chosen, fitted, again]))}
    assert len(found) == 16 and found["C1"] == "bad"


def test_reasons_are_told_apart():
    board = recap_board(service=(ServiceItem("C2", "they dry here"),))
    entries = [measured("C1", "capacitance", 1e-6), decided("kit", "electrolytics")]
    found = {w.place.refdes: w for w in wanted_capacitors(moment_of(board, entries))}
    assert [found[c].why for c in ("C1", "C2", "C3")] == ["bad", "service", "class"]
    assert found["C1"].probability > found["C2"].probability > found["C3"].probability


def test_one_spare_chip_is_promised_to_one_place():
    board = small_board(
        parts=(Part("U1", "74LS00", "DIP-14", x=20, y=20), Part("U3", "74LS00", "DIP-14", x=60, y=20)), nets=()
    )
    dead = [*DEAD, *[probed("U3", "1=L 2=H 3=L")] * 3]
    plan = plan_of(moment_of(board, dead, drawer=[StockItem("74LS00", count=1, place="tray 1")]))
    assert sorted(step.from_drawer for step in plan.steps) == ["", "tray 1"]
    assert [(need.needed, need.in_drawer, need.to_order) for need in plan.parts] == [(2, 1, 1)]


def test_tasks_know_their_group_tool_and_post():
    moment = moment_of(recap_board(), [decided("kit", "electrolytics"), *DEAD, decided("delivery", "5 days")])
    tasks = {task.name: task for task in tasks_for(moment, plan_of(moment).steps)}
    assert tasks["C1"].group == tasks["C4"].group == kit_of(moment).group_of(PartRef("small", "C1")).letter
    assert tasks["C1"].days == 5 == delivery_days(moment) and tasks["C1"].polarised and tasks["C1"].tool == "iron"
    assert tasks["U1"].probability > tasks["C1"].probability and tasks["U1"].damage > tasks["C1"].damage
    assert delivery_days(moment_of(recap_board(), [decided("delivery", "soon")])) == 3


def test_a_rare_chip_is_out_of_the_way_before_anything_else():
    board = small_board(
        parts=(*small_board().parts, Part("U9", "HYB-3", "DIP-16", x=80, y=20, socketed=True, rare=True))
    )
    moment = moment_of(board, [decided("kit", "electrolytics"), decided("repair order", "soonest found"), *DEAD])
    tasks = tasks_for(moment, plan_of(moment).steps)
    rescue = next(task for task in tasks if "rescue" in task.id)
    assert all(rescue.id in task.needs for task in tasks if task is not rescue)
    assert plan_of(moment).steps[0].kind == "rescue"


def test_the_orders_of_a_job_side_by_side():
    found = comparison_of(moment_of(recap_board(), [decided("kit", "electrolytics"), *DEAD]))
    by_grouping = {order.grouping: order for order in found.orders[:3]}
    one, group, everything = by_grouping.values()
    assert one.minutes > group.minutes > everything.minutes and one.known > group.known > everything.known
    assert everything.mix_up > one.mix_up and len(one.tasks) == len(everything.tasks) == 17
    assert [school.name for school in found.sockets] == [EVERY, SOME, NEVER]
    assert found.sockets[0].damage > found.sockets[1].damage > 0 and found.sockets[2].minutes == 2.5
    first = {school.name: school for school in found.first_power}
    assert first["test as found"].damage > first["replace capacitors first"].damage > first["by risk"].damage > 0
    assert comparison_of(moment_of(recap_board())).orders == ()


def test_a_step_is_moved_and_the_plan_says_what_that_costs():
    base = [decided("kit", "electrolytics"), *DEAD, decided("repair order", "soonest found")]
    assert own_order_words(moment_of(recap_board(), base)) == ""
    plain = [step.place.refdes for step in plan_of(moment_of(recap_board(), base)).steps]
    assert plain[0] == "U1"
    later = [*base, decided("before small/C7", "small/U1"), decided("before small/C8", "small/U1")]
    moved = [step.place.refdes for step in plan_of(moment_of(recap_board(), later)).steps]
    assert moved[:3] == ["C7", "C8", "U1"] and sorted(moved) == sorted(plain)
    assert "later than it could be" in own_order_words(moment_of(recap_board(), later))


def test_dull_joints_that_were_seen_are_reflowed_once():
    seen = made(e.Observed, board="small", place="U1", finding="joint cracked or dull")
    (step,) = [s for s in plan_of(moment_of(entries=[seen])).steps if s.kind == "reflow"]
    assert step.place.refdes == "U1" and "joint" in step.reason
    member = e.NamedPart(board="small", refdes="U1")
    done = made(e.Worked, board="small", action="reflowed", parts=(member,))
    assert not [s for s in plan_of(moment_of(entries=[seen, done])).steps if s.kind == "reflow"]
    again = made(e.Observed, board="small", place="U1", finding="joint cracked or dull")
    assert [s for s in plan_of(moment_of(entries=[seen, done, again])).steps if s.kind == "reflow"]


def test_a_part_that_comes_later_is_done_later():
    base = [decided("kit", "electrolytics"), decided("repair order", "soonest found")]
    late = [*base, decided("arrives small/C3", "9 days")]
    tasks = {
        t.name: t.days for t in tasks_for(moment_of(recap_board(), late), plan_of(moment_of(recap_board(), late)).steps)
    }
    assert tasks["C3"] == 9 and tasks["C4"] == 3
    assert [s.place.refdes for s in plan_of(moment_of(recap_board(), late)).steps][-1] == "C3"


def test_an_order_that_was_chosen_stays_after_a_result():
    base = [decided("kit", "electrolytics"), decided("repair order", "soonest found")]
    ids = [f"small/C{n}/capacitor" for n in (16, 5, 9, 1, 2, 3, 4, 6, 7, 8, 10, 11, 12, 13, 14, 15)]
    kept = [*base, decided("step order", " ".join(ids))]
    assert [s.id for s in plan_of(moment_of(recap_board(), kept)).steps] == ids
    fitted = made(e.Fitted, board="small", place="C5", number="47u 25V")
    left = [s.id for s in plan_of(moment_of(recap_board(), [*kept, fitted])).steps if not s.done]
    assert left == [one for one in ids if "/C5/" not in one]


def test_what_else_has_to_be_at_hand():
    parts = (
        Part("REG1", "7805", "TO-220-3", "regulator"), Part("U1", "74LS00", "DIP-14"),
        Part("U2", "74LS04", "DIP-14", socketed=True), capacitor("C1", 1e-4),
    )  # fmt: skip
    missing = [made(e.Observed, board="small", place="REG1", finding="missing"), *DEAD, decided("kit", "electrolytics")]
    moment = moment_of(small_board(parts=parts, nets=(), rails=()), missing)
    found = {one.what: (one.count, one.places) for one in sundries_of(moment)}
    assert found["insulating sheet and bush"] == (1, ("REG1",)) and found["thermal compound"][0] == 0
    assert found["turned-pin socket, DIP-14"] == (1, ("U1",)) and "C1" in found["solder, flux and braid"][1]
    never = moment_of(small_board(parts=parts, nets=(), rails=()), [*missing, decided("sockets", NEVER)])
    assert not any("socket" in one.what for one in sundries_of(never))


def test_the_years_of_an_original_part_and_what_the_old_one_had_lost():
    opened = made(e.Opened, title="x", boards=("small",))
    board = recap_board(year=1986)
    age = life_of(moment_of(board, [opened]), PartRef("small", "C1"))
    assert age.likely == pytest.approx(40 * 8766 * 2 ** (-6.5) / 2000) and age.low < age.likely < age.high
    assert life_of(moment_of(recap_board(), [opened]), PartRef("small", "C1")) is None, "no year, no age"
    out = made(e.Removed, board="small", place="C1", number="47u")
    old = made(e.Measured, board="small", place="C1", quantity="capacitance", value=20e-6, source="old part")
    new = made(e.Fitted, board="small", place="C1", number="47u 25V")
    assert old_beside_new(moment_of(board, [out, old, new]), PartRef("small", "C1")) is None
    measures = measured("C1", "capacitance", 47e-6)
    changed = old_beside_new(moment_of(board, [out, old, new, measures]), PartRef("small", "C1"))
    assert changed.worse and "43 % of its capacitance" in changed.text
