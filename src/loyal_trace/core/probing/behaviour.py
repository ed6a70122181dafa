"""What a chip's outputs can do, given what its inputs do: computed from the chip's model.

Each signal has a *drive*: 0 or 1 (steady), "P" (seen at both levels), "?" (anything), "C" (steady, level unknown).
Two questions are asked of each output for each behaviour (steady low, steady high, pulsing):

* *likely*: is there a way for the inputs to move, each pulsing one taking both levels, that gives it, if a register
  whose clock runs sees moving data at both levels?
* *usual*: does it come out when the pulsing inputs move independently of each other?

A gate held steady by two inputs that move against each other is likely but unusual. What is not likely here may still
be possible, since clock and data can be in league: `reach` decides that exactly. docs/method.md has the definitions.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from itertools import product

import numpy as np

from loyal_trace.core.chips.expressions import Branch, Expr, Tree, control_names, leaf_for
from loyal_trace.core.chips.model import ChipType, Register
from loyal_trace.core.probing.cones import combinations_of
from loyal_trace.core.probing.drives import BEHAVIOURS, Drive, Drives

# 2^14 rows are a blink; a cone with more free inputs than that decides nothing anyway.
_MAX_FREE = 14


@dataclass(frozen=True)
class Expectation:
    """Behaviours (0, 1, "P") that are likely and usual; `released` when the output may be switched off."""

    likely: frozenset[Drive]
    usual: frozenset[Drive]
    released: str = "never"


def _covers(values: Mapping[str, np.ndarray], mask: np.ndarray, names: Iterable[str]) -> bool:
    """Does the masked set take both levels of every named signal?"""
    return bool(mask.any()) and all(values[n][mask].any() and not values[n][mask].all() for n in names)


def function_behaviour(expr: Expr, drives: Drives) -> tuple[set[Drive], set[Drive]]:
    """(possible, usual) behaviours of a combinational function under the drives of its arguments."""
    possible, usual = _cached_function(expr, tuple(drives.get(n, "?") for n in expr.names))
    return set(possible), set(usual)


@lru_cache(maxsize=32768)
def _cached_function(expr: Expr, given: tuple[Drive, ...]) -> tuple[frozenset[Drive], frozenset[Drive]]:
    drives = dict(zip(expr.names, given, strict=True))
    # A steady signal of unknown level takes one level for good: each is tried by itself, unlike a free one.
    steady_unknown = [n for n in expr.names if drives.get(n, "?") == "C"]
    possible: set[Drive] = set()
    usual: set[Drive] = set()
    for levels in product((0, 1), repeat=len(steady_unknown)):
        fixed = {**drives, **dict(zip(steady_unknown, levels, strict=True))}
        more_possible, more_usual = _function_behaviour(expr, fixed)
        possible |= more_possible
        usual |= more_usual
    return frozenset(possible), frozenset(usual)


def _function_behaviour(expr: Expr, drives: Drives) -> tuple[set[Drive], set[Drive]]:
    pulsing = [n for n in expr.names if drives.get(n, "?") == "P"]
    free = [n for n in expr.names if drives.get(n, "?") == "?"]
    if len(pulsing) + len(free) > _MAX_FREE:
        return set(BEHAVIOURS), set(BEHAVIOURS)
    values: dict[str, np.ndarray] = combinations_of(pulsing + free)
    size = 1 << len(pulsing + free)
    for name in expr.names:
        if name not in values:
            values[name] = np.full(size, drives[name], dtype=np.uint8)
    result = np.broadcast_to(np.asarray(expr.evaluate(values), dtype=np.uint8), (size,))
    possible: set[Drive] = {v for v in (0, 1) if _covers(values, result == v, pulsing)}
    # A row is one choice of the free inputs, a column one of the pulsing ones: all of a row alike needs no league.
    table = result.reshape(1 << len(free), 1 << len(pulsing))
    usual: set[Drive] = {v for v in (0, 1) if (table == v).all(axis=1).any()}
    if result.any() and not result.all():
        possible.add("P")
        if free or (table.any(axis=1) & ~table.all(axis=1)).any():
            usual.add("P")
    return possible, usual & possible


class _RegisterView:
    """One register bit under fixed drives: which steady levels it can hold, and whether it can move."""

    def __init__(self, register: Register, drives: Drives, clocked: bool) -> None:
        self.register, self.drives = register, drives
        self.tree, controls = _decision_of(register, clocked)
        self.pulsing = [n for n in controls if drives[n] == "P"]
        self.free = [n for n in controls if drives[n] not in (0, 1, "P")]
        self.settled = {n: drives[n] for n in controls if drives[n] in (0, 1)}

    def _control_sets(self) -> Iterable[tuple[dict[str, Drive], list[dict[str, Drive]]]]:
        """For each choice of the free controls, all combinations of the pulsing ones."""
        # Eight free controls are 256 trees; more of them means that hardly anything was probed, and low stands for
        # all.
        for levels in product((0, 1), repeat=min(len(self.free), 8)):
            chosen = {**self.settled, **dict(zip(self.free, levels, strict=False))}
            chosen.update(dict.fromkeys(self.free[8:], 0))
            yield (
                chosen,
                [
                    {**chosen, **dict(zip(self.pulsing, combo, strict=True))}
                    for combo in product((0, 1), repeat=len(self.pulsing))
                ],
            )

    def _leaf_values(self, control: dict[str, Drive], own: int, fair: bool = True) -> list[set[int]]:
        """For each choice of the unknown data, the set of values that the leaf takes.

        `fair` takes moving data to be seen at both levels whenever the leaf counts. Without it that holds for input
        pins only: a stored bit may move and yet always show the same level at the moments that a control picks.
        """
        values: dict[str, Drive] = {**control, self.register.bit: own}
        leaf = leaf_for(self.tree, values)
        data = [n for n in leaf.names if n not in values]
        moving = [n for n in data if self.drives[n] == "P" and (fair or n not in self.register.all_bits)]
        unknown = [n for n in data if self.drives[n] not in (0, 1) and n not in moving]
        values.update({n: self.drives[n] for n in data if self.drives[n] in (0, 1)})
        outcomes = []
        for levels in product((0, 1), repeat=len(unknown)):
            values.update(zip(unknown, levels, strict=True))
            taken = set()
            for combo in product((0, 1), repeat=len(moving)):
                values.update(zip(moving, combo, strict=True))
                taken.add(int(leaf.evaluate(values)))
            outcomes.append(taken)
        return outcomes

    def holds(self, level: int) -> tuple[bool, bool]:
        """Can the bit stay at `level` at all, and also when the pulsing controls take all combinations?"""
        possible = False
        for _, combinations in self._control_sets():
            # Held under every combination: it stays without the pulsing controls avoiding any.
            if all({level} in self._leaf_values(c, level) for c in combinations):
                return True, True
            good = [c for c in combinations if {level} in self._leaf_values(c, level, fair=not self.pulsing)]
            possible = possible or (bool(good) and all({c[n] for c in good} == {0, 1} for n in self.pulsing))
        return possible, False

    def can_move(self) -> bool:
        """Can the bit go up at some time and down at another?"""
        ups = downs = False
        for _, combinations in self._control_sets():
            for control in combinations:
                ups = ups or any(1 in taken for taken in self._leaf_values(control, 0))
                downs = downs or any(0 in taken for taken in self._leaf_values(control, 1))
                if ups and downs:
                    return True
        return False


@lru_cache(maxsize=1024)
def _decision_of(register: Register, clocked: bool) -> tuple[Tree, tuple[str, ...]]:
    """A bit's whole decision tree and the names that its decisions read, without the bit itself."""
    tree = _with_overrides(register, clocked)
    return tree, tuple(sorted(control_names(tree) - {register.bit}))


def _with_overrides(register: Register, clocked: bool) -> Tree:
    hold = Expr(register.bit, (register.bit,), lambda v: v[register.bit])
    tree: Tree = register.sync if clocked else hold
    # The first override listed wins (clear before load), so it becomes the outermost decision.
    for condition, value in reversed(register.overrides):
        tree = Branch(condition, value, tree)
    return tree


def _as_drive(behaviours: set[Drive]) -> Drive:
    """The drive that stands for a set of behaviours."""
    if len(behaviours) == 1:
        return next(iter(behaviours))
    return "C" if behaviours == {0, 1} else "?"


@lru_cache(maxsize=512)
def _names_of(register: Register) -> tuple[str, ...]:
    return tuple(sorted(register.reads | set(register.clock.names if register.clock else ())))


def _register_step(register: Register, drives: Drives) -> tuple[frozenset[Drive], frozenset[Drive]]:
    """(possible, usual) behaviours of one stored bit, given those of everything that it reads."""
    return _cached_step(register, tuple(drives[n] for n in _names_of(register)))


@lru_cache(maxsize=32768)
def _cached_step(register: Register, given: tuple[Drive, ...]) -> tuple[frozenset[Drive], frozenset[Drive]]:
    drives = dict(zip(_names_of(register), given, strict=True))
    clock_possible: set[Drive] = {"P"}
    clock_usual: set[Drive] = {"P"}
    if register.clock is not None:
        clock_possible, clock_usual = function_behaviour(register.clock, drives)
    possible: set[Drive] = set()
    usual: set[Drive] = set()
    for clocked in (True, False):
        # A clock that cannot stand still leaves no unclocked case to explain, and the other way round.
        if not (clock_possible & ({"P"} if clocked else {0, 1})):
            continue
        view = _RegisterView(register, drives, clocked)
        held = {v: view.holds(v) for v in (0, 1)}
        found: set[Drive] = {v for v, (possibly, _) in held.items() if possibly}
        free_found: set[Drive] = {v for v, (_, freely) in held.items() if freely}
        if view.can_move():
            found.add("P")
            free_found.add("P")
        possible |= found
        if clock_usual & ({"P"} if clocked else {0, 1}):
            usual |= free_found
    return frozenset(possible), frozenset(usual)


def register_behaviours(chip: ChipType, inputs: Drives) -> tuple[dict[str, set[Drive]], dict[str, set[Drive]]]:
    """(possible, usual) behaviours of every stored bit: the greatest sets that explain each other."""
    possible: dict[str, set[Drive]] = {r.bit: set(BEHAVIOURS) for r in chip.registers}
    usual = {bit: set(found) for bit, found in possible.items()}
    # A work list: a bit is looked at again only when one that it reads has become narrower. Sets only shrink, so it
    # ends.
    waiting = {r.bit for r in chip.registers}
    while waiting:
        for register in [r for r in chip.registers if r.bit in waiting]:
            waiting.discard(register.bit)
            drives = {**inputs, **{bit: _as_drive(found) for bit, found in possible.items()}}
            found, found_usual = _register_step(register, drives)
            narrowed = possible[register.bit] & found
            usual[register.bit] = set(found_usual & narrowed)
            if narrowed != possible[register.bit]:
                possible[register.bit] = narrowed
                waiting |= {r.bit for r in chip.registers if register.bit in r.reads}
    return possible, usual


def _orbits(chip: ChipType, inputs: Drives) -> list[list[dict[str, int]]] | None:
    """The cycles that a chip runs through when its clock is all that moves; None when anything else decides."""
    bits = [r.bit for r in chip.registers]
    # With more bits the orbits are too many to list, and the sets above have to do.
    if not bits or len(bits) > 8:
        return None
    for register in chip.registers:
        if register.clock is None or function_behaviour(register.clock, inputs)[0] != {"P"}:
            return None
    values: dict[str, np.ndarray | int] = {n: d for n, d in inputs.items() if isinstance(d, int)}
    states = combinations_of(bits)
    values.update(states)
    following = np.zeros(1 << len(bits), dtype=np.uint32)
    for position, register in enumerate(chip.registers):
        value = _next_if_settled(_with_overrides(register, True), values)
        if value is None:
            return None
        following |= np.broadcast_to(value, following.shape).astype(np.uint32) << position
    return [[{b: int(states[b][s]) for b in bits} for s in cycle] for cycle in _cycles(following)]


def _next_if_settled(tree: Tree, values: Mapping[str, np.ndarray | int]) -> np.ndarray | None:
    """The next value of a bit over all states, or None when an input that is not steady takes part."""
    if isinstance(tree, Branch):
        chosen = _next_if_settled(tree.condition, values)
        if chosen is None or chosen.all():
            return None if chosen is None else _next_if_settled(tree.then, values)
        if not chosen.any():
            return _next_if_settled(tree.other, values)
        then, other = _next_if_settled(tree.then, values), _next_if_settled(tree.other, values)
        return None if then is None or other is None else np.where(chosen, then, other)
    if any(n not in values for n in tree.names):
        return None
    return np.asarray(tree.evaluate(values))


def _cycles(following: np.ndarray) -> list[list[int]]:
    seen: set[int] = set()
    cycles = []
    for start in range(len(following)):
        path: list[int] = []
        state = start
        while state not in seen:
            seen.add(state)
            path.append(state)
            state = int(following[state])
        # Seen on this very walk: the walk has closed a cycle. Otherwise it ran into an older one.
        if state in path:
            cycles.append(path[path.index(state) :])
    return cycles


def _over_cycle(expr: Expr, inputs: Drives, cycle: list[dict[str, int]]) -> tuple[set[Drive], set[Drive]]:
    """Behaviours of an output while the stored bits run through one cycle, every state of it visited."""
    each = [function_behaviour(expr, {**inputs, **state}) for state in cycle]

    def merged(sets: list[set[Drive]]) -> set[Drive]:
        held: set[Drive] = {v for v in (0, 1) if all(v in found for found in sets)}
        moves = any("P" in found for found in sets) or (
            any(0 in found for found in sets) and any(1 in found for found in sets)
        )
        return held | ({"P"} if moves else set())

    return merged([p for p, _ in each]), merged([u for _, u in each])


def expected_behaviours(chip: ChipType, inputs: Drives) -> dict[str, Expectation]:
    """For every output and bidirectional pin: what it can do, from the drives of the chip's inputs alone.

    Memory data pins follow their address: steady when every address line is. CPU pins may do anything.
    """
    drives = {name: inputs.get(name, "?") for name in chip.input_names}
    possible, usual = register_behaviours(chip, drives) if chip.registers else ({}, {})
    cycles = _orbits(chip, drives)
    found: dict[str, Expectation] = {}
    for output in chip.outputs:
        if cycles is not None and set(output.value.names) & set(possible):
            results = [_over_cycle(output.value, drives, cycle) for cycle in cycles]
            can: set[Drive] = set().union(*(p for p, _ in results))
            does: set[Drive] = set().union(*(u for _, u in results))
        else:
            # Possible outputs follow from possible bits, usual ones from usual bits: mixing them would call rare
            # things usual.
            can, _ = function_behaviour(output.value, {**drives, **{b: _as_drive(s) for b, s in possible.items()}})
            _, does = function_behaviour(output.value, {**drives, **{b: _as_drive(s) for b, s in usual.items()}})
        found[output.name] = _with_enable(output.enable, drives, can, does & can)
    found.update(_memory_expectations(chip, drives))
    # A processor gives its bus away at times: the lines may float then, or be driven by others.
    for name in chip.cpu_address:
        found[name] = Expectation(frozenset(BEHAVIOURS), frozenset(BEHAVIOURS), "sometimes")
    return found


def _with_enable(enable: Expr | None, drives: Drives, can: set[Drive], does: set[Drive]) -> Expectation:
    if enable is None:
        return Expectation(frozenset(can), frozenset(does))
    states, _ = function_behaviour(enable, drives)
    released = "never" if states == {1} else "always" if states == {0} else "sometimes"
    # Off at times: the level seen there may come from any other driver of the line.
    if released == "never":
        return Expectation(frozenset(can), frozenset(does))
    return Expectation(frozenset(BEHAVIOURS), frozenset(BEHAVIOURS), released)


def _memory_expectations(chip: ChipType, drives: Drives) -> dict[str, Expectation]:
    if chip.memory is None:
        return {}
    moving = any(drives[n] in ("P", "?") for n in chip.memory.address)
    can: set[Drive] = {0, 1, "P"} if moving else {0, 1}
    expectation = _with_enable(chip.memory.select, drives, can, can)
    return dict.fromkeys(chip.memory.data, expectation)
