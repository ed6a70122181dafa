"""The part of a chip that decides one output, and the names that it reads."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.chips.expressions import Branch, Expr, Tree
from loyal_trace.core.chips.model import ChipType

_MOST_FREE = 12


@lru_cache(maxsize=512)
def cone_of(chip: ChipType, output_name: str) -> ChipType:
    """The part of a chip that decides one output: that output and the stored bits behind it."""
    output = chip.output_of.get(output_name)
    if output is None:
        return replace(chip, outputs=(), registers=())
    needed = set(output.value.names)
    growing = True
    # Bits read bits: everything behind the output, until nothing is added.
    while growing:
        growing = False
        for register in chip.registers:
            clock = set(register.clock.names) if register.clock else set()
            if register.bit in needed and not (register.reads | clock) <= needed:
                needed |= register.reads | clock
                growing = True
    registers = tuple(r for r in chip.registers if r.bit in needed)
    return replace(chip, outputs=(output,), registers=registers, memory=None, cpu_address=())


@lru_cache(maxsize=512)
def names_read(cone: ChipType) -> tuple[str, ...]:
    names: set[str] = set()
    for output in cone.outputs:
        names |= set(output.value.names) | set(output.enable.names if output.enable else ())
    for register in cone.registers:
        names |= register.reads | set(register.clock.names if register.clock else ())
    if cone.memory:
        names |= set(cone.memory.address) | set(cone.memory.select.names)
    return tuple(sorted(names))


@lru_cache(maxsize=512)
def names_nearby(cone: ChipType, name: str) -> frozenset[str]:
    """What an output reads itself, and what the stored bits that it shows read."""
    output = cone.output_of.get(name)
    if output is None:
        return frozenset(names_read(cone))
    names = set(output.value.names) | set(output.enable.names if output.enable else ())
    for register in cone.registers:
        if register.bit in names:
            names |= register.reads | set(register.clock.names if register.clock else ())
    return frozenset(names)


def deciding_inputs(cone: ChipType, known: Mapping[str, int]) -> frozenset[str]:
    """The inputs that can make a difference to the outputs of a cone while others are steady at known levels."""
    registers = {register.bit: register for register in cone.registers}
    found: set[str] = set()
    waiting = [name for output in cone.outputs for name in _live(output.value, known)]
    while waiting:
        name = waiting.pop()
        if name in found:
            continue
        found.add(name)
        register = registers.get(name)
        if register is None:
            continue
        waiting += _live(register.clock, known) if register.clock is not None else ()
        for condition, value in register.overrides:
            acting = _live(condition, known)
            waiting += acting
            if acting or condition.evaluate({name: known.get(name, 0) for name in condition.names}):
                waiting += _live(value, known)
        waiting += _live_in_tree(register.sync, known)
    return frozenset(found - set(registers))


def _live(expr: Expr, known: Mapping[str, int]) -> tuple[str, ...]:
    """The names of an expression that can change its value while those known are steady."""
    free = [name for name in expr.names if name not in known]
    if not free or len(free) > _MOST_FREE:
        return tuple(free)
    columns = combinations_of(free)
    size = 1 << len(free)
    levels = {**{name: np.full(size, known[name], dtype=np.uint8) for name in expr.names if name in known}, **columns}
    value = np.broadcast_to(np.asarray(expr.evaluate(levels), dtype=np.uint8), (size,))
    table = value.reshape((2,) * len(free))
    # The first name counts in ones, so it is the last axis.
    return tuple(n for k, n in enumerate(free) if (np.diff(table, axis=len(free) - 1 - k) != 0).any())


def _live_in_tree(tree: Tree, known: Mapping[str, int]) -> set[str]:
    """The names that a decision tree can read while those known are steady."""
    if not isinstance(tree, Branch):
        return set(_live(tree, known))
    deciding = _live(tree.condition, known)
    if deciding:
        return set(deciding) | _live_in_tree(tree.then, known) | _live_in_tree(tree.other, known)
    levels = {name: known.get(name, 0) for name in tree.condition.names}
    return _live_in_tree(tree.then if tree.condition.evaluate(levels) else tree.other, known)


def combinations_of(names: Sequence[str]) -> dict[str, NDArray[np.uint8]]:
    """All 2^n assignments of the names, as one column each."""
    count = np.arange(1 << len(names), dtype=np.uint32)
    return {name: ((count >> i) & 1).astype(np.uint8) for i, name in enumerate(names)}
