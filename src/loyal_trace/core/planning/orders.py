"""Repair orders side by side: how long, how many days, when the fault is found, whether the culprit will be known.

A repair order is a sequence of changes with a test after each. Its expected minutes until the fault is found are the
time that passes while it is not found yet: the sum over all blocks of minutes × probability that no change made so far
was the one. With one test after each change this is the scheduling problem of weighted completion times with needs
and tool changes; without both, sorting by probability per minute is best (Smith 1956), which bounds every order from
below. Up to a dozen changes the best order is found exactly (dynamic programme over sets), beyond by moving blocks.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

TEST_MINUTES, TOOL_MINUTES = 5.0, 3.0
EXACT_UP_TO = 12
# The stated model of what goes wrong (shares): a polarised part fitted the wrong way round; a part fitted in the place
# of another value that is out at the same time; the board hurt at a part; and at each power-up on the way.
WRONG_WAY, MIXED, POWER_UP = 0.001, 0.002, 0.0005
_FURTHER_OF_A_GROUP = 0.8
_PASSES, _LONGEST_BLOCK, _REACH = 6, 3, 20
_BETTER = 1e-9
# A day of waiting for the post weighs like so many minutes at the bench when orders are compared.
PATIENCE = 15.0
KEEP_WITHIN = 0.1
MOST_TOGETHER = 0.95


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


def normalised(tasks: Sequence[Task]) -> tuple[Task, ...]:
    """Probabilities that one fault is removed by one of them: together at most 95 %, as it may be none of them."""
    total = sum(task.probability for task in tasks) / MOST_TOGETHER
    return tuple(replace(task, probability=task.probability / total) for task in tasks) if total > 1 else tuple(tasks)


# the cost of a sequence


def _group_minutes(tasks: Sequence[Task]) -> float:
    """Like parts done together: each after the first goes faster."""
    ordered = sorted((task.minutes for task in tasks), reverse=True)
    return sum(m if n == 0 else m * _FURTHER_OF_A_GROUP for n, m in enumerate(ordered))


@dataclass(frozen=True)
class _Unit:
    """What is changed before one test."""

    tasks: tuple[Task, ...]
    minutes: float
    probability: float
    tool: str
    needs: frozenset[int]
    days: float


def _units(tasks: Sequence[Task], grouping: Grouping) -> list[_Unit]:
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
        _Unit(
            tuple(some),
            _group_minutes(some) + TEST_MINUTES,
            sum(task.probability for task in some),
            some[0].tool,
            frozenset(where[need] for task in some for need in task.needs if need in where and where[need] != n),
            max(task.days for task in some),
        )
        for n, some in enumerate(chosen)
    ]


def _cost(units: Sequence[_Unit], order: Sequence[int], patience: float = PATIENCE) -> float:
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


def _holds(units: Sequence[_Unit], order: Sequence[int]) -> bool:
    """Does each come after what it needs, as far as that is in the order?"""
    here, done = frozenset(order), set[int]()
    for n in order:
        if not units[n].needs & here <= done:
            return False
        done.add(n)
    return True


def _bound(units: Sequence[_Unit]) -> float:
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


def _of_forest(units: Sequence[_Unit]) -> float:
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


def _depths(units: Sequence[_Unit]) -> list[float]:
    """Minutes of the longest way of needs to each change, itself included; needs in a circle count once."""
    known: dict[int, float] = {}

    def depth(n: int, above: frozenset[int]) -> float:
        if n not in known:
            deeper = [depth(need, above | {n}) for need in units[n].needs if need not in above]
            known[n] = units[n].minutes + max(deeper, default=0.0)
        return known[n]

    return [depth(n, frozenset({n})) for n in range(len(units))]


def _ratio(unit: _Unit) -> float:
    return unit.probability / unit.minutes


# sequences


def _exact(units: Sequence[_Unit]) -> list[int]:
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


def _greedy(units: Sequence[_Unit], key: Mapping[int, float], stay: bool) -> list[int]:
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

    def __init__(self, units: Sequence[_Unit], order: list[int]) -> None:
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
        if not _holds(self._units, moved):
            return False
        self._take(moved)
        return True

    def _ends(self, high: int, tool: str, cost: float) -> float:
        """The cost up to a place, with the change of tool that the next one asks for then."""
        if high == len(self.order) or self._units[self.order[high]].tool == tool:
            return cost
        return cost + self._before[high][0] * TOOL_MINUTES


def _improved(units: Sequence[_Unit], order: list[int]) -> list[int]:
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


def _sequenced(units: Sequence[_Unit], sequence: Priority) -> tuple[list[int], bool]:
    """The order of the units, and whether it is known to be the best."""
    everyone = range(len(units))
    if sequence is Priority.GIVEN:
        return _greedy(units, {n: -float(n) for n in everyone}, False), False
    if sequence is Priority.EASY:
        return _greedy(units, {n: -units[n].minutes - 60.0 * (units[n].tool == "iron") for n in everyone}, False), False
    if sequence is Priority.LIKELY:
        return _greedy(units, {n: units[n].probability for n in everyone}, False), False
    if len(units) <= EXACT_UP_TO and _holds(units, _greedy(units, dict.fromkeys(everyone, 0.0), False)):
        return _exact(units), True
    ratio = {n: _ratio(units[n]) for n in everyone}
    start = min((_greedy(units, ratio, stay) for stay in (False, True)), key=lambda order: _cost(units, order))
    return _improved(units, start), False


# orders


def repair_order(tasks: Sequence[Task], grouping: Grouping, sequence: Priority = Priority.BEST) -> RepairOrder:
    """One repair order over the tasks, with its timeline and figures."""
    units = _units(normalised(tasks), grouping)
    order, exact = _sequenced(units, sequence)
    blocks, days = _timeline(units, order)
    return RepairOrder(
        grouping,
        sequence,
        tuple(blocks),
        sum(block.minutes for block in blocks),
        days,
        _cost(units, order, 0.0),
        sum(max((task.probability for task in unit.tasks), default=0.0) for unit in units),
        _mix_up(units),
        _damage(units),
        _cost(units, order),
        _bound(units),
        exact,
    )


def _timeline(units: Sequence[_Unit], order: Sequence[int]) -> tuple[list[Block], float]:
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


def _mix_up(units: Sequence[_Unit]) -> float:
    """The chance that a part ends up in a wrong place or the wrong way round."""
    right = 1.0
    for unit in units:
        kinds = len({task.group or task.id for task in unit.tasks})
        for task in unit.tasks:
            right *= 1 - (WRONG_WAY if task.polarised else 0.0) - MIXED * min(kinds - 1, 10)
    return 1 - right


def _damage(units: Sequence[_Unit]) -> float:
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
    units = _units(normalised(tasks), Grouping.ONE)
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
    best, _ = _sequenced(units, Priority.BEST)
    return Breaks(broken, max(0.0, _cost(units, asked) - _cost(units, best)) if len(asked) == len(units) else 0.0)


def replanned(before: Sequence[str], tasks: Sequence[Task]) -> tuple[Task, ...]:
    """The tasks after a result, moving only what must move.

    What was planned keeps its order; a new task goes where it costs least. Only where a whole new order is sooner by
    more than a tenth is it taken.
    """
    units = _units(normalised(tasks), Grouping.ONE)
    known = {unit.tasks[0].id: n for n, unit in enumerate(units)}
    kept = [known[task_id] for task_id in before if task_id in known]
    for n in (n for n in range(len(units)) if n not in kept):
        places = [kept[:place] + [n] + kept[place:] for place in range(len(kept) + 1)]
        kept = min(places, key=lambda order: (not _holds(units, order), _cost(units, order)))
    best, _ = _sequenced(units, Priority.BEST)
    chosen = kept if _holds(units, kept) and _cost(units, kept) <= (1 + KEEP_WITHIN) * _cost(units, best) else best
    return tuple(units[n].tasks[0] for n in chosen)


def moved(order: Sequence[str], one: str, before: str) -> tuple[str, ...]:
    """The order with one id put directly before another."""
    rest = [name for name in order if name != one]
    at = rest.index(before) if before in rest else len(rest)
    return (*rest[:at], one, *rest[at:])
