"""Repair orders side by side: how long, how many days, when the fault is found, whether the culprit will be known.

A repair order is a sequence of changes with a test after each; `planning.sequencing` finds the one that is soonest.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from loyal_trace.core.planning.sequencing import (
    TEST_MINUTES,
    TOOL_MINUTES,
    Grouping,
    Priority,
    Task,
    Unit,
    bound_below,
    cost_of,
    holds,
    normalised,
    sequenced,
    units_of,
)

# The stated model of what goes wrong (shares): a polarised part fitted the wrong way round; a part fitted in the place
# of another value that is out at the same time; the board hurt at a part; and at each power-up on the way.
WRONG_WAY, MIXED, POWER_UP = 0.001, 0.002, 0.0005
KEEP_WITHIN = 0.1


@dataclass(frozen=True)
class Block:
    """A piece of a timeline: what is replaced together, a test, or a wait for the post (days)."""

    kind: str
    tasks: tuple[Task, ...] = ()
    minutes: float = 0.0
    days: float = 0.0

    @property
    def letter(self) -> str:
        """What stands in a drawn block: the group, and how many."""
        letters = dict.fromkeys(task.group or task.name for task in self.tasks)
        count = f" ×{len(self.tasks)}" if len(self.tasks) > 1 and len(letters) == 1 else ""
        return next(iter(letters), "") + count if len(letters) == 1 else ""


@dataclass(frozen=True)
class RepairOrder:
    """One way to do the work, with its timeline and what it costs.

    `found`: expected minutes at the bench until the fault is found. `weight` adds the days of waiting; `bound` is below
    the weight of every order of its grouping.
    """

    grouping: Grouping
    sequence: Priority
    blocks: tuple[Block, ...]
    minutes: float
    days: float
    found: float
    known: float
    mix_up: float
    damage: float
    weight: float = 0.0
    bound: float = 0.0
    exact: bool = False

    @property
    def tasks(self) -> tuple[Task, ...]:
        """Every change in order."""
        return tuple(task for block in self.blocks for task in block.tasks)

    @property
    def gap(self) -> float:
        """How far it may be from the best, as a share of it: 0 where it is the best."""
        return 0.0 if self.exact or self.bound <= 0 else max(0.0, self.weight / self.bound - 1)


# the cost of a sequence


# sequences


# orders


def repair_order(tasks: Sequence[Task], grouping: Grouping, sequence: Priority = Priority.BEST) -> RepairOrder:
    """One repair order over the tasks, with its timeline and figures."""
    units = units_of(normalised(tasks), grouping)
    order, exact = sequenced(units, sequence)
    blocks, days = _timeline(units, order)
    return RepairOrder(
        grouping,
        sequence,
        tuple(blocks),
        sum(block.minutes for block in blocks),
        days,
        cost_of(units, order, 0.0),
        sum(max((task.probability for task in unit.tasks), default=0.0) for unit in units),
        _mix_up(units),
        _damage(units),
        cost_of(units, order),
        bound_below(units),
        exact,
    )


def _timeline(units: Sequence[Unit], order: Sequence[int]) -> tuple[list[Block], float]:
    """Blocks of replacing and testing; before what is not here yet a wait, which costs days and no bench minutes."""
    blocks: list[Block] = []
    day, tool = 0.0, ""
    for n in order:
        unit = units[n]
        if unit.days > day:
            blocks.append(Block("wait", days=unit.days - day))
            day = unit.days
        change = TOOL_MINUTES if unit.tool != tool else 0.0
        blocks.append(Block("replace", unit.tasks, unit.minutes - TEST_MINUTES + change))
        blocks.append(Block("test", minutes=TEST_MINUTES))
        tool = unit.tool
    return blocks, day


def _mix_up(units: Sequence[Unit]) -> float:
    """The chance that a part ends up in a wrong place or the wrong way round."""
    right = 1.0
    for unit in units:
        kinds = len({task.group or task.id for task in unit.tasks})
        for task in unit.tasks:
            right *= 1 - (WRONG_WAY if task.polarised else 0.0) - MIXED * min(kinds - 1, 10)
    return 1 - right


def _damage(units: Sequence[Unit]) -> float:
    """The chance that the board or a part is hurt on the way."""
    whole = 1.0
    for unit in units:
        whole *= 1 - POWER_UP
        for task in unit.tasks:
            whole *= 1 - task.damage
    return 1 - whole


@dataclass(frozen=True)
class Diagnostics:
    """A test program or self-test that runs before any iron: minutes, and the chance that it names the faulty part."""

    minutes: float
    names: float


def compared(tasks: Sequence[Task], diagnostics: Diagnostics | None = None) -> tuple[RepairOrder, ...]:
    """The repair orders side by side: how much is changed before a test, then which change comes first.

    Last stands running diagnostics before everything, where the board has any.
    """
    if not tasks:
        return ()
    by_grouping = [repair_order(tasks, grouping) for grouping in Grouping]
    by_sequence = [repair_order(tasks, Grouping.ONE, s) for s in (Priority.EASY, Priority.LIKELY, Priority.GIVEN)]
    after = (diagnosed_first(tasks, by_grouping[0], diagnostics),) if diagnostics is not None else ()
    return (*by_grouping, *by_sequence, *after)


def diagnosed_first(tasks: Sequence[Task], best: RepairOrder, diagnostics: Diagnostics) -> RepairOrder:
    """Diagnostics, then the part that they name, else the soonest order.

    Expected minutes until found: the run; then with the chance that it names the part that part's own minutes and a
    test, else what the soonest order takes. A fault that none of the changes removes is named by neither.
    """
    known = normalised(tasks)
    total = sum(task.probability for task in known)
    own = (
        sum(task.probability * (task.minutes + TOOL_MINUTES + TEST_MINUTES) for task in known) / total if total else 0.0
    )
    names = diagnostics.names * total
    found = diagnostics.minutes + names * own + (1 - names) * best.found
    return replace(
        best,
        sequence=Priority.DIAGNOSE,
        blocks=(Block("test", minutes=diagnostics.minutes), *best.blocks),
        minutes=best.minutes + diagnostics.minutes,
        found=found,
        known=names + (1 - names) * best.known,
        weight=best.weight - best.found + found,
        bound=0.0,
        exact=False,
    )


# changing an order


@dataclass(frozen=True)
class Breaks:
    """What an order of one's own breaks: (change, what it needs first), and minutes until found that it adds."""

    needs: tuple[tuple[Task, Task], ...]
    later: float

    @property
    def anything(self) -> bool:
        """Is anything broken?"""
        return bool(self.needs)


def breaks(tasks: Sequence[Task], order: Sequence[str]) -> Breaks:
    """What it means to do the tasks in that order of ids."""
    units = units_of(normalised(tasks), Grouping.ONE)
    place = {task_id: n for n, task_id in enumerate(order)}
    by_id = {task.id: task for task in tasks}
    broken = tuple(
        (task, by_id[need])
        for task in tasks
        for need in task.needs
        if need in by_id and place.get(need, math.inf) > place.get(task.id, math.inf)
    )
    known = {unit.tasks[0].id: n for n, unit in enumerate(units)}
    asked = [known[task_id] for task_id in order if task_id in known]
    best, _ = sequenced(units, Priority.BEST)
    return Breaks(broken, max(0.0, cost_of(units, asked) - cost_of(units, best)) if len(asked) == len(units) else 0.0)


def replanned(before: Sequence[str], tasks: Sequence[Task]) -> tuple[Task, ...]:
    """The tasks after a result, moving only what must move.

    What was planned keeps its order; a new task goes where it costs least. Only where a whole new order is sooner by
    more than a tenth is it taken.
    """
    units = units_of(normalised(tasks), Grouping.ONE)
    known = {unit.tasks[0].id: n for n, unit in enumerate(units)}
    kept = [known[task_id] for task_id in before if task_id in known]
    for n in (n for n in range(len(units)) if n not in kept):
        places = [kept[:place] + [n] + kept[place:] for place in range(len(kept) + 1)]
        kept = min(places, key=lambda order: (not holds(units, order), cost_of(units, order)))
    best, _ = sequenced(units, Priority.BEST)
    chosen = kept if holds(units, kept) and cost_of(units, kept) <= (1 + KEEP_WITHIN) * cost_of(units, best) else best
    return tuple(units[n].tasks[0] for n in chosen)


def moved(order: Sequence[str], one: str, before: str) -> tuple[str, ...]:
    """The order with one id put directly before another."""
    rest = [name for name in order if name != one]
    at = rest.index(before) if before in rest else len(rest)
    return (*rest[:at], one, *rest[at:])
