"""Repair orders: exact ones against every permutation, others inside their bound, and what the figures mean."""

import random
from dataclasses import replace
from itertools import permutations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from loyal_trace.core.planning import sequencing
from loyal_trace.core.planning.orders import (
    Diagnostics,
    breaks,
    compared,
    diagnosed_first,
    moved,
    repair_order,
    replanned,
)
from loyal_trace.core.planning.sequencing import Grouping, Priority, Task, normalised


def task(name, minutes=8.0, probability=0.1, **more):
    return Task(name, name, minutes, probability, **more)


def drawn(seed, count, tools=("iron", "hand")):
    draw = random.Random(seed)
    found = []
    for n in range(count):
        needs = tuple(str(k) for k in range(n) if draw.random() < 0.15)
        found.append(
            Task(
                str(n),
                str(n),
                draw.uniform(2, 40),
                draw.random(),
                str(n % 4),
                draw.choice(tools),
                needs,
                draw.choice([0, 0, 0, 3.0]),
            )
        )
    return normalised(found)


def weight_of(tasks):
    units = sequencing.units_of(tasks, Grouping.ONE)
    return sequencing.cost_of(units, range(len(units)))


@pytest.mark.parametrize("seed", range(25))
def test_up_to_a_dozen_the_order_is_the_best_of_all(seed):
    tasks = drawn(seed, 2 + seed % 5)
    found = repair_order(tasks, Grouping.ONE)
    lawful = [
        some
        for some in permutations(tasks)
        if all(need in {t.id for t in some[:n]} for n, one in enumerate(some) for need in one.needs)
    ]
    assert found.exact and found.weight == pytest.approx(min(map(weight_of, lawful)))
    assert found.bound <= found.weight + 1e-9 and found.gap == 0


@pytest.mark.parametrize("seed", range(4))
def test_beyond_a_dozen_it_is_inside_its_bound_and_no_worse_than_any_fixed_order(seed):
    tasks = drawn(seed, 30)
    found = repair_order(tasks, Grouping.ONE)
    assert not found.exact and found.bound <= found.weight and found.gap < 0.4
    for priority in (Priority.EASY, Priority.LIKELY, Priority.GIVEN):
        assert found.weight <= repair_order(tasks, Grouping.ONE, priority).weight + 1e-9
    ids = [one.id for one in found.tasks]
    assert sorted(ids) == sorted(t.id for t in tasks)
    assert all(ids.index(need) < ids.index(t.id) for t in tasks for need in t.needs)


def test_the_long_way_comes_near_what_is_best(monkeypatch):
    for seed in range(6):
        tasks = drawn(seed, 9)
        best = repair_order(tasks, Grouping.ONE).weight
        with monkeypatch.context() as patch:
            patch.setattr(sequencing, "EXACT_UP_TO", 2)
            assert best - 1e-9 <= repair_order(tasks, Grouping.ONE).weight <= 1.03 * best


def test_without_needs_and_tools_it_is_by_probability_per_minute():
    tasks = [task("slow", 40, 0.4), task("quick", 3, 0.2), task("even", 8, 0.2), task("never", 5, 0.0)]
    assert [t.name for t in repair_order(tasks, Grouping.ONE).tasks] == ["quick", "even", "slow", "never"]


def test_expected_minutes_are_those_of_the_drawn_timeline():
    tasks = [task("a", 10, 0.5), task("b", 10, 0.3)]
    found = repair_order(tasks, Grouping.ONE)
    kinds = [(block.kind, block.minutes) for block in found.blocks]
    assert kinds == [("replace", 13.0), ("test", 5.0), ("replace", 10.0), ("test", 5.0)] and found.minutes == 33
    assert found.found == pytest.approx(18 + 0.5 * 15) and found.days == 0
    assert repair_order([], Grouping.ONE).minutes == 0 and compared([]) == ()


def test_a_wait_for_the_post_costs_days_and_no_bench_minutes_and_comes_late():
    tasks = [task("posted", 8, 0.5, days=3.0), task("here", 8, 0.4)]
    found = repair_order(tasks, Grouping.ONE)
    assert [block.kind for block in found.blocks] == ["replace", "test", "wait", "replace", "test"]
    assert found.days == 3 and found.blocks[2].minutes == 0 and found.minutes == 8 + 8 + 10 + 3
    assert found.tasks[0].name == "here"


def test_one_part_one_test_tells_the_culprit_and_all_at_once_does_not():
    tasks = [task(str(n), 8, 0.1, group="ab"[n % 2], polarised=True) for n in range(8)]
    one, group, everything = (repair_order(tasks, grouping) for grouping in Grouping)
    assert one.known == pytest.approx(0.8) and group.known == pytest.approx(0.2) and everything.known == 0.1
    assert one.minutes > group.minutes > everything.minutes
    assert one.mix_up < everything.mix_up and group.mix_up == pytest.approx(one.mix_up)
    assert everything.found == everything.minutes and everything.damage < one.damage
    assert [block.letter for block in group.blocks if block.kind == "replace"] == ["a ×4", "b ×4"]


def test_probabilities_are_of_one_fault():
    tasks = normalised([task("a", 5, 0.9), task("b", 5, 0.9)])
    assert [t.probability for t in tasks] == pytest.approx([0.475, 0.475]) and normalised([task("a", 5, 0.3)])[
        0
    ].probability == 0.3


def test_an_order_of_ones_own_says_what_it_breaks_and_costs():
    tasks = [task("socket", 30, 0.1), task("chip", 3, 0.6, needs=("socket",)), task("cap", 8, 0.2)]
    fine = breaks(tasks, ["cap", "socket", "chip"])
    assert not fine.anything and fine.later >= 0
    wrong = breaks(tasks, moved(["cap", "socket", "chip"], "chip", "cap"))
    assert [(a.name, b.name) for a, b in wrong.needs] == [("chip", "socket")]
    assert moved(["a", "b", "c"], "c", "a") == ("c", "a", "b") and moved(["a", "b"], "a", "none") == ("b", "a")
    best = [t.id for t in repair_order(tasks, Grouping.ONE).tasks]
    assert breaks(tasks, best).later == pytest.approx(0)


def test_after_a_result_only_what_must_move_is_moved():
    tasks = [task(str(n), 8, 0.1 + 0.001 * n) for n in range(8)]
    before = [str(n) for n in (3, 7, 5, 6, 4, 2, 1, 0)]
    left = [t for t in tasks if t.id != "3"]
    assert [t.id for t in replanned(before, left)] == ["7", "5", "6", "4", "2", "1", "0"], "good enough stays"
    sure = [replace(t, probability=0.9 if t.id == "0" else 0.01) for t in left]
    assert replanned(before, sure)[0].id == "0", "what is far better is taken"
    new = replanned(before, [*left, task("new", 2, 0.5)])
    assert new[0].id == "new" and [t.id for t in new[1:]] == ["7", "5", "6", "4", "2", "1", "0"]


@settings(max_examples=40)
@given(st.integers(0, 10_000), st.integers(1, 9))
def test_every_task_is_done_once_after_what_it_needs_in_every_order(seed, count):
    tasks = drawn(seed, count)
    for order in compared(tasks):
        ids = [one.id for one in order.tasks]
        assert sorted(ids) == sorted(t.id for t in tasks) and order.found <= order.minutes + 1e-9
        assert 0 <= order.mix_up < 1 and 0 <= order.damage < 1 and 0 <= order.known <= 1 + 1e-9
        if order.grouping is Grouping.ONE:
            assert all(ids.index(need) < ids.index(t.id) for t in tasks for need in t.needs)


def test_diagnostics_pay_where_they_often_name_a_part_that_is_dear_to_reach():
    dear = [Task(f"t{n}", f"T{n}", 40.0, 0.15) for n in range(6)]
    best = repair_order(dear, Grouping.ONE)
    sure, blind = (diagnosed_first(dear, best, Diagnostics(10.0, names)) for names in (0.8, 0.0))
    assert sure.found < best.found and blind.found == pytest.approx(best.found + 10)
    # 0.8 of 0.9: that part's 40 min, a tool, a test; else the soonest order.
    assert sure.found == pytest.approx(10 + 0.72 * 48 + 0.28 * best.found)
    assert sure.minutes == best.minutes + 10 and sure.known == pytest.approx(0.72 + 0.28 * best.known)
    assert (
        compared(dear)[-1].sequence is Priority.GIVEN
        and compared(dear, Diagnostics(10.0, 0.5))[-1].blocks[0].kind == "test"
    )


@given(st.integers(0, 10_000), st.integers(2, 16))
@settings(max_examples=60)
def test_moves_are_judged_by_their_stretch_as_by_the_whole_order(seed, count):
    units = sequencing.units_of(normalised(drawn(seed, count)), Grouping.ONE)
    draw = random.Random(seed)
    order = sequencing._greedy(units, dict.fromkeys(range(len(units)), 0.0), False)
    found = sequencing._Sequence(units, list(order))
    assert found.cost == pytest.approx(sequencing.cost_of(units, order))
    for _ in range(40):
        length = draw.randint(1, min(3, len(units) - 1))
        start, place = draw.randrange(len(units) - length + 1), draw.randrange(len(units) - length + 1)
        before = list(found.order)
        rest = before[:start] + before[start + length :]
        moved_to = rest[:place] + before[start : start + length] + rest[place:]
        better = sequencing.cost_of(units, moved_to) < sequencing.cost_of(units, before) - 1e-7 and sequencing.holds(
            units, moved_to
        )
        if start != place and found.move(start, length, place):
            assert found.order == moved_to and better
        elif start != place:
            assert found.order == before and not better
        assert found.cost == pytest.approx(sequencing.cost_of(units, found.order))
