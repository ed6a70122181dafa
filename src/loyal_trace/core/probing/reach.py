"""What an output with stored bits behind it can do at all: exact reachability over states and inputs.

A reading says of a pin that it stays low, stays high, or is seen at both levels again and again. A node is a state of
the stored bits with a level of every input that acts at once (clocks, clears, gates, what the output reads). From a
node the inputs may change in any way, also several at a time: the bits follow. What is read for a while is a walk that
keeps coming back, so it lies in one strongly connected part of the graph. An output can stay at a level if some part
of the nodes with that level holds both levels of every pulsing input; it can pulse if some part holds both of its own.

Inputs that are only looked at on a clock edge may move at any other time unseen, so they are free at every edge. Bits
that do not fit are free as well: what is called impossible stays impossible with them.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cached_property, lru_cache
from itertools import pairwise, product

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.chips.expressions import Expr, Tree, control_names, evaluate_tree, leaf_names
from loyal_trace.core.chips.model import ChipType, Output, Register
from loyal_trace.core.probing.drives import BEHAVIOURS, Drive, Drives

Bools = NDArray[np.bool_]
Levels = Mapping[str, NDArray[np.uint8] | int]
# Pairs of nodes that are looked at: 2^16 take two milliseconds.
_MOST_PAIRS = 16
# Up to here a product of matrices is quicker than to set up the search of a library (1 ms).
_FEW_NODES = 64
# Names of data that one bit takes in at an edge: more are taken as "either level".
_MOST_DATA = 6


def reachable_behaviours(cone: ChipType, drives: Drives) -> frozenset[Drive]:
    """What the one output of a cone can do (0, 1, "P") with some movement of the inputs that fits their drives."""
    return frozenset(b for b in BEHAVIOURS if can_show(cone, drives, (b,)))


def can_show(cone: ChipType, drives: Drives, behaviours: tuple[Drive, ...]) -> bool:
    """Can the outputs of a cone do this all at once (one of 0, 1, "P" for each) with its inputs as they are?"""
    graph = _graph_for(cone, tuple((name, drives.get(name, "?")) for name in _names_of(cone)))
    return graph is None or graph.shows(behaviours)


def divisions(cone: ChipType, drives: Drives, clock: str) -> frozenset[Fraction]:
    """Rising edges of the output for one of the clock, when that is all that moves, from every state it can start in.

    Empty when something else takes part.
    """
    graph = _graph_for(cone, tuple((name, drives.get(name, "?")) for name in _names_of(cone)))
    if graph is None or graph.roles.inputs != (clock,) or graph.roles.controls:
        return frozenset()
    return graph.divisions()


@lru_cache(maxsize=512)
def _names_of(cone: ChipType) -> tuple[str, ...]:
    names = {name for output in cone.outputs for name in output.value.names}
    for register in cone.registers:
        names |= register.reads | set(register.clock.names if register.clock else ())
    return tuple(sorted(names - {register.bit for register in cone.registers}))


@lru_cache(maxsize=1024)
def _graph_for(cone: ChipType, given: tuple[tuple[str, Drive], ...]) -> "_Graph | None":
    drives = dict(given)
    graph = _graph(cone, drives)
    if graph is not None and len(graph.roles.bits) < len(cone.registers):
        return _graph(cone, _narrowed(cone, drives))
    return graph


def _narrowed(cone: ChipType, drives: dict[str, Drive]) -> dict[str, Drive]:
    """The drives with those of stored bits that can do one thing only, each by itself with the others free.

    Of a long shift register fed with a steady level this leaves nothing open, whichever bits fit into one graph.
    """
    found = dict(drives)
    bits = {register.bit for register in cone.registers}
    reads = {r.bit: (r.reads | set(r.clock.names if r.clock else ())) & bits - {r.bit} for r in cone.registers}
    waiting = [register.bit for register in cone.registers]
    while waiting:
        bit = waiting.pop(0)
        # What reads bits that may do anything does anything itself: only what follows from inputs is worth a graph.
        if reads[bit] - set(found):
            continue
        graph = _graph(_of_bit(cone, bit), {name: drive for name, drive in found.items() if name != bit}, 1)
        can = [b for b in BEHAVIOURS if graph is None or graph.shows((b,))]
        # That a bit must move is not passed on: behind many dividers it may take longer than anybody looks.
        if len(can) == 1 and can[0] != "P" and bit not in found:
            found[bit] = next(iter(can))
            waiting += [r.bit for r in cone.registers if bit in r.reads and r.bit not in (*found, *waiting)]
    return found


@lru_cache(maxsize=4096)
def _of_bit(cone: ChipType, bit: str) -> ChipType:
    """A stored bit as if it were an output."""
    shown = Output(bit, Expr(bit, (bit,), lambda levels: levels[bit]))
    return replace(cone, outputs=(shown,), memory=None, cpu_address=())


@dataclass(frozen=True)
class _Roles:
    """The names of a cone by what they do: bits kept exactly, inputs of a node, controls looked at on edges only."""

    bits: tuple[str, ...]
    inputs: tuple[str, ...]
    controls: tuple[str, ...]
    pulsing: frozenset[str]
    fixed: Mapping[str, int]

    @property
    def pairs(self) -> int:
        """Size of the relation between nodes, as a power of two."""
        return 2 * len(self.bits) + 2 * len(self.inputs) + len(self.controls)


def _graph(cone: ChipType, drives: Drives, most: int = 99) -> "_Graph | None":
    """The graph with as many bits as fit, those nearest to the output first; None when not even the inputs fit."""
    ordered = [bit for bit in _by_distance(cone)[:most] if drives.get(bit, "?") not in (0, 1)]
    for count in range(len(ordered), -1, -1):
        roles = _roles(cone, drives, ordered[:count])
        if roles.pairs <= _MOST_PAIRS:
            return _Graph(cone.outputs, cone.registers, roles)
    return None


def _by_distance(cone: ChipType) -> tuple[str, ...]:
    """The stored bits, those that the output shows first, then those that these read."""
    reads = {r.bit: r.reads | set(r.clock.names if r.clock else ()) for r in cone.registers}
    found = dict.fromkeys(name for output in cone.outputs for name in output.value.names if name in reads)
    queue = list(found)
    while queue:
        for name in sorted(reads[queue.pop(0)]):
            if name in reads and name not in found:
                found[name] = None
                queue.append(name)
    return tuple(found)


def _roles(cone: ChipType, drives: Drives, bits: Sequence[str]) -> _Roles:
    at_once = {name for output in cone.outputs for name in output.value.names}
    controls: set[str] = set()
    for register in (r for r in cone.registers if r.bit in bits):
        at_once |= set(register.clock.names) if register.clock else set(register.reads)
        for condition, value in register.overrides:
            at_once |= set(condition.names) | set(value.names)
        controls |= control_names(register.sync)
    steady = {name: drive for name, drive in drives.items() if isinstance(drive, int)}
    inputs = tuple(sorted(at_once - set(bits) - set(steady)))
    only_controls = tuple(sorted(controls - set(bits) - set(steady) - set(inputs)))
    pulsing = frozenset(name for name in inputs if drives.get(name) == "P")
    return _Roles(tuple(bits), inputs, only_controls, pulsing, steady)


class _Graph:
    """The nodes (state, inputs) of a cone and which can follow which."""

    def __init__(self, outputs: Iterable[Output], registers: Iterable[Register], roles: _Roles) -> None:
        self.roles = roles
        self.registers = [r for r in registers if r.bit in roles.bits]
        self.states, self.levels = 1 << len(roles.bits), 1 << len(roles.inputs)
        states = np.arange(self.states, dtype=np.uint32)[:, None]
        levels = np.arange(self.levels, dtype=np.uint32)[None, :]
        self.values: dict[str, NDArray[np.uint8] | int] = dict(roles.fixed)
        self.values |= {name: ((states >> n) & 1).astype(np.uint8) for n, name in enumerate(roles.bits)}
        self.values |= {name: ((levels >> n) & 1).astype(np.uint8) for n, name in enumerate(roles.inputs)}
        self.outs = [self._on_nodes(output.value.evaluate(self.values)).reshape(-1) for output in outputs]
        self.settled = self._settled()
        self._shown: dict[tuple[Drive, ...], bool] = {}  # pairs of outputs ask the same again and again

    def _on_nodes(self, levels: object) -> NDArray[np.uint8]:
        """Levels for every node, of shape (states, inputs)."""
        return np.broadcast_to(np.asarray(levels, dtype=np.uint8), (self.states, self.levels))

    def _forced(self, register: Register) -> tuple[Bools, NDArray[np.uint8]]:
        """(where an override acts, the level that it gives)."""
        acts = np.zeros((self.states, self.levels), dtype=bool)
        level = np.zeros((self.states, self.levels), dtype=np.uint8)
        for condition, value in reversed(register.overrides):
            here = self._on_nodes(condition.evaluate(self.values)) == 1
            level = np.where(here, self._on_nodes(value.evaluate(self.values)), level)
            acts |= here
        return acts, level

    def _settled(self) -> Bools:
        """The nodes at which every forced bit has its forced level, and every open latch follows."""
        found = np.ones((self.states, self.levels), dtype=bool)
        for register in self.registers:
            own = self._on_nodes(self.values[register.bit])
            acts, level = self._forced(register)
            found &= ~acts | (own == level)
            if register.clock is None:
                can = self._taken(register, {})
                found &= acts | np.where(own == 1, can[1], can[0])
        return found

    def _taken(self, register: Register, controls: Mapping[str, int]) -> tuple[Bools, Bools]:
        """(may the bit become 0, may it become 1) at every node, by what it takes in."""
        values = {**self.values, **controls}
        free = sorted(_reads(register.sync) - set(values))
        if len(free) > _MOST_DATA:
            everywhere = np.ones((self.states, self.levels), dtype=bool)
            return everywhere, everywhere
        low = np.zeros((self.states, self.levels), dtype=bool)
        high = np.zeros((self.states, self.levels), dtype=bool)
        for combination in product((0, 1), repeat=len(free)):
            taken = self._on_nodes(
                evaluate_tree(register.sync, {**values, **dict(zip(free, combination, strict=True))})
            )
            high |= taken == 1
            low |= taken == 0
        return low, high

    def _follows(self) -> Bools:
        """Which node can follow which, of shape (state, inputs, next inputs, next state)."""
        found = np.zeros((self.states, self.levels, self.levels, self.states), dtype=bool)
        names = self.roles.controls
        for combination in product((0, 1), repeat=len(names)):
            found |= self._under(dict(zip(names, combination, strict=True)))
        found &= self.settled[:, :, None, None]
        found &= self.settled.T[None, None, :, :]
        return found

    def _under(self, controls: Mapping[str, int]) -> Bools:
        """The same with the controls that are looked at on edges at these levels."""
        found = np.ones((self.states, self.levels, self.levels, self.states), dtype=bool)
        for register in self.registers:
            now = np.broadcast_to(np.asarray(self.values[register.bit]), (self.states, 1))[:, 0]
            if register.clock is None:
                found &= self._latched(register, now)
                continue
            clock = self._on_nodes(register.clock.evaluate(self.values)) == 1
            rises = ~clock[:, :, None, None] & clock.T[None, None, :, :]
            low, high = self._taken(register, controls)
            high_next = (now == 1)[None, None, None, :]
            takes = np.where(high_next, high[:, :, None, None], low[:, :, None, None])
            keeps = now[:, None, None, None] == now[None, None, None, :]
            acts, _ = self._forced(register)
            found &= acts.T[None, None, :, :] | np.where(rises, takes, keeps)
        return found

    def _latched(self, register: Register, now: NDArray[np.uint8]) -> Bools:
        """A latch keeps what it had, or follows where it is open, shape (state, 1, next inputs, next state)."""
        acts, _ = self._forced(register)
        from_low, from_high = (self._taken(register, {register.bit: level}) for level in (0, 1))
        was_high = now[:, None, None] == 1
        high = np.where(was_high, from_high[1].T, from_low[1].T)
        low = np.where(was_high, from_high[0].T, from_low[0].T)
        fits = np.where((now == 1)[None, None, :], high, low)
        return (acts.T[None] | fits)[:, None, :, :]

    @cached_property
    def _edges(self) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        """(node before, node after) of every step that can be taken."""
        state, level, next_level, next_state = np.nonzero(self._follows())
        return state * self.levels + level, next_state * self.levels + next_level

    def shows(self, behaviours: tuple[Drive, ...]) -> bool:
        """Is there a part of the nodes with every steady output at its level, and both levels of all that pulses?"""
        if behaviours not in self._shown:
            self._shown[behaviours] = self._in_one_part(behaviours)
        return self._shown[behaviours]

    def _in_one_part(self, behaviours: tuple[Drive, ...]) -> bool:
        kept = self.settled.reshape(-1).copy()
        both = [
            self._on_nodes(self.values[name]).reshape(-1) for name in self.roles.inputs if name in self.roles.pulsing
        ]
        for out, behaviour in zip(self.outs, behaviours, strict=True):
            if behaviour == "P":
                both.append(out)
            else:
                kept &= out == behaviour
        if not kept.any() or not both:
            return bool(kept.any())
        part = _parts(*self._edges, kept)
        good = np.ones(int(part.max()) + 1, dtype=bool)
        for levels in both:
            for value in (0, 1):
                good &= np.bincount(part[kept & (levels == value)], minlength=len(good)) > 0
        return bool(good.any())

    def divisions(self) -> frozenset[Fraction]:
        """Rising edges of the first output for one of the only input, over each cycle of states."""
        before, after = self._edges
        moves = before % 2 != after % 2
        following = dict(zip(before[moves].tolist(), after[moves].tolist(), strict=True))
        if len(following) != int(moves.sum()):
            return frozenset()  # more than one way to go on: something else takes part
        return frozenset(self._division(cycle) for cycle in _cycles(following))

    def _division(self, cycle: list[int]) -> Fraction:
        out = self.outs[0]
        rises = sum(int(out[one]) < int(out[other]) for one, other in pairwise((*cycle, cycle[0])))
        return Fraction(2 * rises, len(cycle))


def _cycles(following: Mapping[int, int]) -> list[list[int]]:
    """The cycles that a walk from any node ends in."""
    found: list[list[int]] = []
    seen: set[int] = set()
    for start in following:
        path: list[int] = []
        node = start
        while node in following and node not in seen:
            seen.add(node)
            path.append(node)
            node = following[node]
        if node in path:
            found.append(path[path.index(node) :])
    return found


def _parts(before: NDArray[np.intp], after: NDArray[np.intp], kept: Bools) -> NDArray[np.intp]:
    """The number of the strongly connected part of each node."""
    inside = np.flatnonzero(kept[before] & kept[after])
    before, after, nodes = before[inside], after[inside], len(kept)
    if nodes <= _FEW_NODES:
        return _parts_of_few(before, after, nodes)
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    steps = coo_array((np.ones(len(inside), dtype=np.int8), (before, after)), shape=(nodes, nodes))
    return np.asarray(connected_components(steps, connection="strong")[1], dtype=np.intp)


def _parts_of_few(before: NDArray[np.intp], after: NDArray[np.intp], nodes: int) -> NDArray[np.intp]:
    """The same by paths of twice the length each time: the first node that each is joined with."""
    reaches = np.eye(nodes, dtype=np.float32)
    reaches[before, after] = 1
    while True:
        further = (reaches @ reaches > 0).astype(np.float32)
        if np.array_equal(further, reaches):
            return np.asarray(((reaches > 0) & (reaches.T > 0)).argmax(axis=1), dtype=np.intp)
        reaches = further


def _reads(tree: Tree) -> set[str]:
    return control_names(tree) | leaf_names(tree)
