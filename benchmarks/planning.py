"""The kit and the order of work: exact against every permutation, simulated repairs against fixed orders, times."""

import random
import statistics
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from itertools import permutations

from benchmarks.measure import Figure, best_of, median_of
from loyal_trace.core.assess.assessment import assess
from loyal_trace.core.assess.compare import open_tasks
from loyal_trace.core.assess.kit import kit_of
from loyal_trace.core.assess.moment import Memo, Moment
from loyal_trace.core.assess.plan import plan_of
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.job.entries import Decided, Measured
from loyal_trace.core.job.fold import fold
from loyal_trace.core.parts.fitting import Place
from loyal_trace.core.parts.roles import Role, RoleOf
from loyal_trace.core.parts.spec import parse_spec
from loyal_trace.core.parts.stock import StockItem
from loyal_trace.core.planning.kit import KitPlace, plan_kit
from loyal_trace.core.planning.orders import RepairOrder, compared, repair_order
from loyal_trace.core.planning.sequencing import Grouping, Priority, Task, normalised
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.resources import chip_library, default_tables

_WHEN = datetime(2026, 5, 1, tzinfo=UTC)
_CASES, _REPAIRS, _PLACES, _LINES, _PARTS = 240, 200, 120, 400, 150
_VALUES = ("1u", "2.2u", "4.7u", "10u", "22u", "47u", "100u", "220u", "470u", "1000u", "2200u")


def drawn(draw: random.Random, count: int, needs: float = 0.15) -> tuple[Task, ...]:
    """Changes with minutes, probabilities, tools, needs and posts."""
    found = []
    for n in range(count):
        needed = tuple(str(k) for k in range(n) if draw.random() < needs)
        tool, days = draw.choice(("iron", "hand", "programmer")), draw.choice((0.0, 0.0, 0.0, 3.0))
        minutes, share = draw.uniform(2, 40), draw.random() ** 3
        found.append(Task(str(n), str(n), minutes, share, str(n % 4), tool, needed, days))
    return normalised(found)


def _lawful(tasks: tuple[Task, ...]) -> list[tuple[Task, ...]]:
    return [
        some
        for some in permutations(tasks)
        if all(need in {t.id for t in some[:n]} for n, one in enumerate(some) for need in one.needs)
    ]


def _against_every_order() -> list[Figure]:
    draw, off, outside = random.Random(14), 0, 0
    for case in range(_CASES):
        tasks = drawn(draw, 2 + case % 5)
        found = repair_order(tasks, Grouping.ONE)
        best = min(repair_order(_fixed(some), Grouping.ONE, Priority.GIVEN).weight for some in _lawful(tasks))
        off += abs(found.weight - best) > 1e-6
        outside += found.bound > best + 1e-6
    detail = f"{_CASES} cases of 2 to 6 changes against every order"
    return [
        Figure("orders called exact that are not the best", off, 0, "", detail=detail),
        Figure("bounds above the best order", outside, 0, "", detail=detail),
    ]


def _fixed(tasks: tuple[Task, ...]) -> tuple[Task, ...]:
    """The same changes without their needs, so that they stay in the order given."""
    return tuple(replace(task, needs=()) for task in tasks)


def _minutes_until(order: RepairOrder, culprit: str) -> float:
    """Minutes at the bench until the test that follows the change of the culprit; all of them for none."""
    spent, changed = 0.0, False
    for block in order.blocks:
        spent += block.minutes
        changed |= any(task.id == culprit for task in block.tasks)
        if changed and block.kind == "test":
            return spent
    return spent


def _simulated_repairs() -> list[Figure]:
    draw = random.Random(41)
    orders: dict[str, Callable[[tuple[Task, ...]], RepairOrder]] = {
        "soonest found": lambda tasks: repair_order(tasks, Grouping.ONE),
        "easy first": lambda tasks: repair_order(tasks, Grouping.ONE, Priority.EASY),
        "likely first": lambda tasks: repair_order(tasks, Grouping.ONE, Priority.LIKELY),
        "as listed": lambda tasks: repair_order(tasks, Grouping.ONE, Priority.GIVEN),
        "by groups": lambda tasks: repair_order(tasks, Grouping.GROUP),
        "all at once": lambda tasks: repair_order(tasks, Grouping.ALL),
    }
    found: dict[str, list[float]] = {name: [] for name in orders}
    whole: dict[str, list[float]] = {name: [] for name in orders}
    for _ in range(_REPAIRS):
        tasks = drawn(draw, draw.randint(5, 18), 0.05)
        names, shares = [t.id for t in tasks], [t.probability for t in tasks]
        culprit = draw.choices([*names, ""], [*shares, max(0.0, 1 - sum(shares))])[0]
        for name, make in orders.items():
            order = make(tasks)
            found[name].append(_minutes_until(order, culprit))
            whole[name].append(order.minutes)
    means = {name: statistics.mean(values) for name, values in found.items()}
    told = ", ".join(f"{name} {mean:.0f}" for name, mean in means.items())
    ends = ", ".join(f"{name} {statistics.mean(values):.0f}" for name, values in whole.items())
    best_fixed = min(mean for name, mean in means.items() if name != "soonest found")
    detail = f"{_REPAIRS} repairs; minutes until found: {told}; until all is done: {ends}"
    return [
        Figure("soonest found against the best fixed order", means["soonest found"] / best_fixed, 1.0, detail=detail)
    ]


def _sixty() -> list[Figure]:
    figures = []
    seconds, gaps = [], []
    for seed in range(5):
        tasks = drawn(random.Random(seed), 60, 0.03)
        start = time.perf_counter()
        order = repair_order(tasks, Grouping.ONE)
        seconds.append(time.perf_counter() - start)
        gaps.append(order.gap)
    detail = f"gaps {', '.join(f'{gap:.0%}' for gap in gaps)}"
    figures.append(Figure("an order of 60 changes", max(seconds), 2.0, "s", detail=detail))
    return figures


def _assignment() -> list[Figure]:
    draw, limits = random.Random(1), default_tables().capacitors
    volts = (10, 16, 25, 35, 50)
    places = [
        KitPlace(
            PartRef("b", f"C{n}"),
            "",
            Place(
                parse_spec(f"{draw.choice(_VALUES)}/{draw.choice(volts)}V"),
                RoleOf(draw.choice(list(Role))),
                draw.choice((None, 6.3, 8.0, 10.0)),
                draw.choice((None, 11.0, 16.0)),
            ),
        )
        for n in range(_PLACES)
    ]
    sizes, kinds = ("5x11", "6.3x11", "8x11", "10x16", "12x20"), ("", "tantalum", "film", "105C")
    items = [
        StockItem(
            f"{draw.choice(_VALUES)} {draw.choice((*volts, 63))}V {draw.choice(sizes)} {draw.choice(kinds)}",
            "capacitor",
            draw.randint(1, 8),
            place=f"t{n}",
        )
        for n in range(_LINES)
    ]
    stock = [(item, item.count) for item in items]
    plan_kit(places, stock, limits)
    spent = best_of(3, lambda: plan_kit(places, stock, limits))
    return [Figure("assignment of 120 places × 400 lines, all different", spent, 0.2, "s")]


def _large_moment() -> Callable[[], Moment]:
    """A job with 150 parts, 100 of them electrolytics that are all replaced; a fresh moment each time."""
    draw = random.Random(7)
    parts = []
    for n in range(100):
        value, volts = parse_spec(f"{draw.choice(_VALUES)}/16V").value, draw.choice((16, 25))
        fields = {"value": value, "voltage": volts, "polarised": True, "technology": "aluminium"}
        parts.append(Part(f"C{n + 1}", f"c {volts}", "radial", "capacitor", 10 + 2 * n, 20, **fields))
    parts += [Part(f"U{n + 1}", "74LS00", "DIP-14", x=10 + 4 * n, y=60) for n in range(_PARTS - 100)]
    board = BoardDefinition("big", "Big", parts=tuple(parts))
    entries = [Decided(id="k", time=_WHEN, what="kit", choice="electrolytics")]
    entries += [  # type: ignore[misc]
        Measured(id=f"m{n}", time=_WHEN, board="big", place=f"C{n + 1}", quantity="capacitance", value=1e-6 * n)
        for n in range(40)
    ]
    snapshot, library, tables = fold(entries), chip_library(), default_tables()
    drawer = tuple(StockItem(f"{value} 25V", "capacitor", 9, place=value) for value in _VALUES)
    memo = Memo()  # as in an open job: what did not change since the last moment is known
    return lambda: Moment({"big": board}, snapshot, library, {}.__getitem__, drawer, tables=tables, memo=memo)


def _page() -> list[Figure]:
    make = _large_moment()

    def plan() -> None:
        moment = make()
        plan_of(moment)
        kit_of(moment)
        _ = assess(moment).plan

    def orders() -> None:
        compared(open_tasks(make()))

    plan(), orders()
    told = "100 electrolytics of 150 parts, from a fresh moment"
    return [
        Figure("plan and kit of 150 parts", 1000 * median_of(5, plan), 50, "ms", detail=told),
        Figure("repair orders of 100 changes", median_of(3, orders), 2.0, "s", detail=told),
    ]


def run() -> list[Figure]:
    """Everything about kits and orders."""
    return [*_against_every_order(), *_simulated_repairs(), *_sixty(), *_assignment(), *_page()]


if __name__ == "__main__":
    for figure in run():
        print(f"{figure.name}: {figure.value:.3f} {figure.unit} ({figure.limit_words}) {figure.detail}")
