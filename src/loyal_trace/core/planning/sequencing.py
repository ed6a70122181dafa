"""The order of changes that finds the fault soonest, and a bound below all orders.

The expected minutes of an order until the fault is found are the time that passes while it is not found yet: the sum
over all blocks of minutes × probability that no change made so far was the one. With one test after each change this is
the scheduling problem of weighted completion times with needs and tool changes; without both, sorting by probability
per minute is best (Smith 1956), which bounds every order from below. Up to a dozen changes the best order is found
exactly (dynamic programme over sets), beyond by moving blocks.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

TEST_MINUTES, TOOL_MINUTES = 5.0, 3.0
_PASSES, _LONGEST_BLOCK, _REACH = 6, 3, 20
# A cause is never taken to be among the changes for certain.
_MOST_TOGETHER = 0.95
EXACT_UP_TO = 12
_FURTHER_OF_A_GROUP = 0.8
_BETTER = 1e-9
# A day of waiting for the post weighs like so many minutes at the bench when orders are compared.
PATIENCE = 15.0


@dataclass(frozen=True)
class Task:
    """One change: minutes, the probability that it removes the fault, its group of like parts, its tool, what it needs.

    `days` until its part is here; `damage` the chance that the board is hurt; `polarised` can be fitted wrongly.
    """

    id: str
    name: str
    minutes: float
    probability: float = 0.0
    group: str = ""
    tool: str = "iron"
    needs: tuple[str, ...] = ()
    days: float = 0.0
    damage: float = 0.005
    polarised: bool = False


class Grouping(StrEnum):
    """How many changes are made before each test."""

    ONE = "one part, one test"
    GROUP = "one group, one test"
    ALL = "all off, then all on"


class Priority(StrEnum):
    """Which change comes first."""

    BEST = "soonest found"
    EASY = "easy first"
    LIKELY = "likely first"
    GIVEN = "as planned"
    DIAGNOSE = "diagnostics first"


def normalised(tasks: Sequence[Task]) -> tuple[Task, ...]:
    """Probabilities that one fault is removed by one of them: together at most 95 %, as it may be none of them."""
    total = sum(task.probability for task in tasks) / _MOST_TOGETHER
    return tuple(replace(task, probability=task.probability / total) for task in tasks) if total > 1 else tuple(tasks)


def _group_minutes(tasks: Sequence[Task]) -> float:
    """Like parts done together: each after the first goes faster."""
    ordered = sorted((task.minutes for task in tasks), reverse=True)
    return sum(m if n == 0 else m * _FURTHER_OF_A_GROUP for n, m in enumerate(ordered))


@dataclass(frozen=True)
class Unit:
    """What is changed before one test."""

    tasks: tuple[Task, ...]
    minutes: float
    probability: float
    tool: str
    needs: frozenset[int]
    days: float


def units_of(tasks: Sequence[Task], grouping: Grouping) -> list[Unit]:
    """The changes between tests, with what each needs as indices of the others."""
    chosen: list[list[Task]] = []
    if grouping is Grouping.ALL:
        chosen = [list(tasks)] if tasks else []
    elif grouping is Grouping.GROUP:
        groups: dict[str, list[Task]] = {}
        for task in tasks:
            groups.setdefault(task.group or task.id, []).append(task)
        chosen = list(groups.values())
    else:
        chosen = [[task] for task in tasks]
    where = {task.id: n for n, some in enumerate(chosen) for task in some}
    return [
        Unit(
            tuple(some),
            _group_minutes(some) + TEST_MINUTES,
            sum(task.probability for task in some),
            some[0].tool,
            frozenset(where[need] for task in some for need in task.needs if need in where and where[need] != n),
            max(task.days for task in some),
        )
        for n, some in enumerate(chosen)
    ]


def cost_of(units: Sequence[Unit], order: Sequence[int], patience: float = PATIENCE) -> float:
    """Expected minutes until the fault is found; what no change removes counts to the end, a day's wait as minutes."""
    left, found, tool, day = 1.0, 0.0, "", 0.0
    for n in order:
        unit = units[n]
        found += left * (unit.minutes + (TOOL_MINUTES if unit.tool != tool else 0.0))
        if unit.days > day:
            found += left * patience * (unit.days - day)
            day = unit.days
        left -= unit.probability
        tool = unit.tool
    return found


def holds(units: Sequence[Unit], order: Sequence[int]) -> bool:
    """Does each come after what it needs, as far as that is in the order?"""
    here, done = frozenset(order), set[int]()
    for n in order:
        if not units[n].needs & here <= done:
            return False
        done.add(n)
    return True


def bound_below(units: Sequence[Unit]) -> float:
    """Below every order: needs eased to one a change, tools taken up and posts awaited as late as they can be."""
    if not units:
        return 0.0
    tools = {unit.tool for unit in units}
    # The first tool is taken up while nothing is found; every other one at the latest when all else is done.
    rest = [max(0.0, 1.0 - sum(u.probability for u in units if u.tool != tool)) for tool in tools]
    handling = TOOL_MINUTES * (1.0 + sum(sorted(rest)[: len(tools) - 1]))
    waiting, before = 0.0, 0.0
    for day in sorted({unit.days for unit in units if unit.days > 0}):
        here = sum(unit.probability for unit in units if unit.days < day)
        waiting += PATIENCE * (day - before) * max(0.0, 1.0 - here)
        before = day
    return _of_forest(units) + handling + waiting


def _of_forest(units: Sequence[Unit]) -> float:
    """The least cost when each change keeps only one of its needs: exact for such a forest (Horn 1972).

    The change with the most probability a minute is joined to the one it needs, until all stand at a root; the joined
    ones in their order of probability a minute are the best order.
    """
    depth = _depths(units)
    parent = {n: max(unit.needs, key=lambda need: depth[need], default=None) for n, unit in enumerate(units)}
    order = {n: [n] for n in parent}
    weight = {n: (units[n].probability, units[n].minutes) for n in parent}
    home = {n: n for n in parent}

    def root(n: int) -> int:
        while home[n] != n:
            n = home[n]
        return n

    joined_up: list[list[int]] = []
    left = set(parent)
    while left:
        top = max(left, key=lambda n: weight[n][0] / weight[n][1])
        above = parent[order[top][0]]
        if above is None or root(above) not in left:
            joined_up.append(order[top])
        else:
            at = root(above)
            order[at] += order[top]
            weight[at] = (weight[at][0] + weight[top][0], weight[at][1] + weight[top][1])
            home[top] = at
        left.discard(top)
    remaining, found = 1.0, 0.0
    for n in (n for some in joined_up for n in some):
        found += remaining * units[n].minutes
        remaining -= units[n].probability
    return found


def _depths(units: Sequence[Unit]) -> list[float]:
    """Minutes of the longest way of needs to each change, itself included; needs in a circle count once."""
    known: dict[int, float] = {}

    def depth(n: int, above: frozenset[int]) -> float:
        if n not in known:
            deeper = [depth(need, above | {n}) for need in units[n].needs if need not in above]
            known[n] = units[n].minutes + max(deeper, default=0.0)
        return known[n]

    return [depth(n, frozenset({n})) for n in range(len(units))]


def _ratio(unit: Unit) -> float:
    return unit.probability / unit.minutes


def _exact(units: Sequence[Unit]) -> list[int]:
    """The best order by dynamic programming over sets and the tool in hand."""
    count = len(units)
    tools = list(dict.fromkeys(unit.tool for unit in units))
    number = [tools.index(unit.tool) for unit in units]
    needs = [sum(1 << need for need in unit.needs) for unit in units]
    left, day = [1.0] * (1 << count), [0.0] * (1 << count)
    for done in range(1, 1 << count):
        low = (done & -done).bit_length() - 1
        left[done] = left[done & (done - 1)] - units[low].probability
        day[done] = max(day[done & (done - 1)], units[low].days)
    best = [[math.inf] * (len(tools) + 1) for _ in range(1 << count)]
    came: dict[tuple[int, int], tuple[int, int, int]] = {}
    best[0][len(tools)] = 0.0
    for done in range(1 << count):
        for hand, cost in enumerate(best[done]):
            if cost == math.inf:
                continue
            for n in range(count):
                if done >> n & 1 or needs[n] & ~done:
                    continue
                change = TOOL_MINUTES if number[n] != hand else 0.0
                change += PATIENCE * max(0.0, units[n].days - day[done])
                total, state = cost + left[done] * (units[n].minutes + change), done | 1 << n
                if total < best[state][number[n]] - _BETTER:
                    best[state][number[n]] = total
                    came[state, number[n]] = (done, hand, n)
    return _traced(best, came, count)


def _traced(
    best: Sequence[Sequence[float]], came: Mapping[tuple[int, int], tuple[int, int, int]], count: int
) -> list[int]:
    state = (1 << count) - 1
    hand = min(range(len(best[state])), key=lambda tool: best[state][tool])
    order: list[int] = []
    while state:
        state, hand, n = came[state, hand]
        order.append(n)
    return order[::-1]


def _greedy(units: Sequence[Unit], key: Mapping[int, float], stay: bool) -> list[int]:
    """What is free, by a key, largest first; `stay` with the tool in hand as long as there is work for it."""
    done: list[int] = []
    left, tool = set(range(len(units))), ""
    while left:
        free = [n for n in sorted(left) if units[n].needs <= set(done)]
        if not free:  # needs in a circle: nobody can keep them, so the order is what is left of it
            free = sorted(left)
        same = [n for n in free if units[n].tool == tool] if stay else []
        chosen = max(same or free, key=lambda n: (key[n], -n))
        done.append(chosen)
        left.discard(chosen)
        tool = units[chosen].tool
    return done


class _Sequence:
    """An order with what is known before each place: not found yet, day, tool, cost so far.

    A block that is moved changes nothing outside of the stretch between its old and its new place but the tool in hand
    after it, so a move is judged by that stretch alone.
    """

    def __init__(self, units: Sequence[Unit], order: list[int]) -> None:
        self._units = units
        self._take(order)

    def _take(self, order: list[int]) -> None:
        self.order = order
        left, day, tool, cost = 1.0, 0.0, "", 0.0
        self._before = [(left, day, tool, cost)]
        for n in order:
            cost, left, day, tool = self._step(n, cost, left, day, tool)
            self._before.append((left, day, tool, cost))

    def _step(self, n: int, cost: float, left: float, day: float, tool: str) -> tuple[float, float, float, str]:
        unit = self._units[n]
        minutes = unit.minutes
        if unit.tool != tool:
            minutes += TOOL_MINUTES
        if unit.days > day:
            minutes += PATIENCE * (unit.days - day)
            day = unit.days
        return cost + left * minutes, left - unit.probability, day, unit.tool

    @property
    def cost(self) -> float:
        """Of the whole order."""
        return self._before[-1][3]

    def move(self, start: int, length: int, place: int) -> bool:
        """Moves a block to where it begins at `place`, if that costs less and every need still comes first."""
        low, high = min(start, place), max(start, place) + length
        order, block = self.order, self.order[start : start + length]
        stretch = block + order[place:start] if place < start else order[start + length : high] + block
        cost_before, most = self._before[low][3], self._ends(high, self._before[high][2], self._before[high][3])
        left, day, tool, _ = self._before[low]
        cost = cost_before
        for n in stretch:
            cost, left, day, tool = self._step(n, cost, left, day, tool)
            if cost >= most:
                return False
        if self._ends(high, tool, cost) >= most - _BETTER:
            return False
        moved = order[:low] + stretch + order[high:]
        if not holds(self._units, moved):
            return False
        self._take(moved)
        return True

    def _ends(self, high: int, tool: str, cost: float) -> float:
        """The cost up to a place, with the change of tool that the next one asks for then."""
        if high == len(self.order) or self._units[self.order[high]].tool == tool:
            return cost
        return cost + self._before[high][0] * TOOL_MINUTES


def _improved(units: Sequence[Unit], order: list[int]) -> list[int]:
    """Blocks of up to three moved to where they cost less, until nothing does; a number of passes, not of seconds."""
    found = _Sequence(units, order)
    for _ in range(_PASSES):
        before = found.cost
        for length in range(1, _LONGEST_BLOCK + 1):
            for start in range(len(order) - length + 1):
                last = min(len(order) - length, start + _REACH)
                for place in range(max(0, start - _REACH), last + 1):
                    if place != start:
                        found.move(start, length, place)
        if found.cost > before - _BETTER:
            break
    return found.order


def sequenced(units: Sequence[Unit], sequence: Priority) -> tuple[list[int], bool]:
    """The order of the units, and whether it is known to be the best."""
    everyone = range(len(units))
    if sequence is Priority.GIVEN:
        return _greedy(units, {n: -float(n) for n in everyone}, False), False
    if sequence is Priority.EASY:
        return _greedy(units, {n: -units[n].minutes - 60.0 * (units[n].tool == "iron") for n in everyone}, False), False
    if sequence is Priority.LIKELY:
        return _greedy(units, {n: units[n].probability for n in everyone}, False), False
    if len(units) <= EXACT_UP_TO and holds(units, _greedy(units, dict.fromkeys(everyone, 0.0), False)):
        return _exact(units), True
    ratio = {n: _ratio(units[n]) for n in everyone}
    start = min((_greedy(units, ratio, stay) for stay in (False, True)), key=lambda order: cost_of(units, order))
    return _improved(units, start), False
