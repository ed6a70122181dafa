"""Groups of signals that depend on each other, over a whole stream.

One clocked bit in a ring of gates is a scan over maps of one bit. Larger rings are relaxed: computed again and again
from a guess until nothing changes, which is *the* answer where every ring passes through a clocked bit (each step
follows from the one before), and taken for it elsewhere when two opposite guesses end alike. What is left is walked
step by step: rings of clocked bits by a function written for them, others with each (state, inputs) computed once.
"""

import re
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from loyal_trace.core.chips.expressions import tree_code
from loyal_trace.core.simulation.circuit import Circuit, Faults, Group
from loyal_trace.core.simulation.packed import STEPS_IN_WORD, Levels, Words, before, pack, stored, unpack
from loyal_trace.core.simulation.signals import LINES, Bit, Cells, Data, Drive, Leaking, Streams, Wired, Written
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say

_ROUNDS = 24
# What is read from a RAM, changed and written back comes to rest after as many rounds as a cell is written.
_ROUNDS_OF_RAM = 400
_SETTLE_LIMIT = 200


class Unsettled(Exception):
    """Signals that go on changing within one step: a loop of gates that oscillates. `numbers` are theirs."""

    def __init__(self, numbers: tuple[int, ...]) -> None:
        super().__init__(numbers)
        self.numbers = numbers


def solve(circuit: Circuit, group: Group, streams: Streams, faults: Faults, good: Streams | None = None) -> None:
    """Puts the streams of all members of a loop; `good` are those of a machine that is nearly the same, as a guess.

    Unsettled when they do not come to rest within a step.
    """
    bits = [number for number in group.members if isinstance(circuit.nodes[number], Bit)]
    if group.order is not None and len(bits) == 1:
        _one_bit(circuit, group, bits[0], streams, faults)
        return
    guesses = (0, 1) if group.order is None else (0,)
    ends = []
    for guess in guesses:
        for number in group.members:
            if number not in faults.forced:
                streams.put(number, guessed(circuit, number, streams, good, guess))
        if not _relaxed(circuit, group, streams, faults):
            break
        ends.append([streams.at(number) for number in group.members])
    alike = all(np.array_equal(one, other) for end in ends[1:] for one, other in zip(ends[0], end, strict=True))
    if len(ends) < len(guesses) or not alike:
        if faults.slow & set(group.members) or any(isinstance(circuit.nodes[n], Leaking) for n in group.members):
            raise RequestError(say("a slow or leaky pin in a loop of signals cannot be simulated"))
        if any(isinstance(circuit.nodes[n], Written) for n in group.members):
            raise RequestError(say("what a RAM holds depends on itself in more rounds than can be computed"))
        if group.order is None or not _clocked_walk(circuit, group, bits, streams, faults):
            _walk(circuit, group, streams, faults)


def guessed(circuit: Circuit, number: int, streams: Streams, good: Streams | None, inverted: int) -> Words:
    """A stream to begin with: that of the good machine or its opposite, else low or high throughout."""
    if good is not None:
        return ~good.at(number) if inverted else good.at(number)
    if isinstance(circuit.nodes[number], Cells):
        return np.full(streams.count * STEPS_IN_WORD, 255 * inverted, dtype=np.uint8)
    return streams.steady(inverted)


def computed(circuit: Circuit, number: int, streams: Streams, faults: Faults) -> Words:
    """The stream of one signal, faulty where it is held."""
    if number in faults.forced:
        return streams.steady(faults.forced[number])
    node = circuit.nodes[number]
    if isinstance(node, LINES):
        return node.run(streams)
    found = node.run(streams, faults.held.get(node.chip.refdes, {}))
    return before(before(found)) if number in faults.slow else found


def _relaxed(circuit: Circuit, group: Group, streams: Streams, faults: Faults) -> bool:
    """Whether the streams came to rest within some rounds."""
    held_over = any(isinstance(circuit.nodes[number], Written) for number in group.members)
    for _ in range(_ROUNDS_OF_RAM if held_over else _ROUNDS):
        moved = False
        for number in group.order or group.members:
            found = computed(circuit, number, streams, faults)
            if (found != streams.at(number)).any():
                streams.put(number, found)
                moved = True
        if not moved:
            return True
    return False


def _one_bit(circuit: Circuit, group: Group, bit: int, streams: Streams, faults: Faults) -> None:
    """A clocked bit whose next value goes through gates that read it: what becomes of 0 and of 1 at every step."""
    node = circuit.nodes[bit]
    assert isinstance(node, Bit) and group.order is not None
    gates = [number for number in group.order if number != bit]
    maps = []
    for level in (0, 1):
        streams.put(bit, streams.steady(level))
        for number in gates:
            streams.put(number, computed(circuit, number, streams, faults))
        keeps, takes = node.steps(streams, faults.held.get(node.chip.refdes, {}))
        maps.append(takes ^ keeps if level else takes)
    streams.put(bit, stored(maps[0] ^ maps[1], maps[0], node.start))
    for number in gates:
        streams.put(number, computed(circuit, number, streams, faults))


# rings of clocked bits, step by step

_HOLD, _TAKE = 0, 1
_NAME = re.compile(r"v\[('[^']*')\]")


def _clocked_walk(circuit: Circuit, group: Group, bits: Sequence[int], streams: Streams, faults: Faults) -> bool:
    """All members by a function written for this ring; False where clocks, clears or memories are part of it.

    It runs over the steps at which a bit is clocked or something outside changes, and records the bits; the gates
    follow from them as whole streams.
    """
    inside = set(group.members)
    gates = [number for number in group.order or () if number not in bits]
    nodes = [circuit.nodes[number] for number in group.members]
    if any(isinstance(node, Data | Cells) or (isinstance(node, Wired) and node.kind != "and") for node in nodes):
        return False
    registers = [node for number in bits if isinstance(node := circuit.nodes[number], Bit)]
    if any(inside & set(bit.control_numbers) for bit in registers):
        return False
    outside = sorted({s for number in group.members for s in circuit.inputs[number]} - inside)
    operations = [_operations(bit, streams, faults.held.get(bit.chip.refdes, {})) for bit in registers]
    columns = [*operations, *(unpack(streams.at(number), len(operations[0])) for number in outside)]
    table = np.stack(columns)
    events = np.ones(table.shape[1], dtype=bool)
    events[1:] = (table[: len(bits)] != _HOLD).any(axis=0)[1:] | (table[:, 1:] != table[:, :-1]).any(axis=0)
    at = np.flatnonzero(events)
    source = _loop_source(circuit, bits, gates, outside, faults)
    scope: dict[str, Any] = {}
    exec(source, {"__builtins__": {"zip": zip}}, scope)
    passed = scope["loop"]([bit.start for bit in registers], *(column[at].tolist() for column in columns))
    shown = np.array(passed, dtype=np.uint8).reshape(len(at), len(bits))[np.cumsum(events) - 1]
    for place, number in enumerate(bits):
        streams.put(number, pack(np.ascontiguousarray(shown[:, place])))
    for number in gates:
        streams.put(number, computed(circuit, number, streams, faults))
    return True


def _operations(bit: Bit, streams: Streams, held: Mapping[str, int]) -> Levels:
    """What happens to a bit at every step: it holds, takes its data, or is forced (2 low, 3 high)."""
    steps = streams.count * STEPS_IN_WORD
    edges, overrides = bit.acting(streams, held)
    found = unpack(edges, steps) * np.uint8(_TAKE)
    for forced, level in overrides:
        found = np.where(unpack(forced, steps) == 1, 2 + unpack(level, steps), found)
    return found.astype(np.uint8)


def _loop_source(
    circuit: Circuit, bits: Sequence[int], gates: Sequence[int], outside: Sequence[int], faults: Faults
) -> str:
    """The function `loop(start, operations of each bit …, outside signals …)` that gives the bits after every event."""
    known = {number: f"o{number}" for number in outside} | {number: f"x{number}" for number in (*bits, *gates)}

    def written(code: str, number: int, names: Mapping[str, str]) -> str:
        return f"{faults.forced[number]}" if number in faults.forced else _NAME.sub(lambda m: names[m[1][1:-1]], code)

    def names_of(number: int) -> dict[str, str]:
        node = circuit.nodes[number]
        assert not isinstance(node, Wired | Leaking)
        held = faults.held.get(node.chip.refdes, {})
        return {name: str(held.get(name, known[source])) for name, source in node.names}

    lines, rows = [], []
    for number in bits:
        node = circuit.nodes[number]
        assert isinstance(node, Bit)
        names = {**names_of(number), node.register.bit: known[number]}
        data = written(tree_code(node.register.sync), number, names)
        lines.append(
            f"  y{number} = x{number} if c{number} == {_HOLD} else ({data}) if c{number} == {_TAKE} else c{number} - 2"
        )
    for number in gates:
        node = circuit.nodes[number]
        if isinstance(node, Wired):
            code = " & ".join(known[source] for source in node.inputs)
        else:
            assert isinstance(node, Drive)
            off = f" | (1 ^ {node.output.enable.code})" if node.output.enable else ""
            code = written(node.output.value.code + off, number, names_of(number))
        rows.append(f"  x{number} = {faults.forced.get(number, code)}")
    clocks, given = [f"c{number}" for number in bits], [f"o{number}" for number in outside]
    news = [f"n{number}" for number in outside]
    shown = ", ".join(f"x{number}" for number in bits)
    return "\n".join(
        [
            f"def loop(start, {', '.join(f'l{name}' for name in (*clocks, *given))}):",
            " out = []",
            f" {shown}, = start",
            *(f" {name} = l{name}[0]" for name in given),
            *(f" {line.strip()}" for line in rows),
            f" for {', '.join((*clocks, *news))}, in zip({', '.join(f'l{name}' for name in (*clocks, *given))}):",
            *lines,
            *(f"  x{number} = y{number}" for number in bits),
            *(f"  {name} = {new}" for name, new in zip(given, news, strict=True)),
            *rows,
            f"  out += ({shown},)",
            " return out",
        ]
    )


# anything else, step by step


def _walk(circuit: Circuit, group: Group, streams: Streams, faults: Faults) -> None:
    """All members from step to step; what follows a state and its inputs is computed once."""
    steps = streams.count * STEPS_IN_WORD
    outside = sorted({s for number in group.members for s in circuit.inputs[number]} - set(group.members))
    rows, ids = _inputs(circuit, outside, streams, steps)
    walker = _Walker(circuit, group, faults, outside, rows)
    known: dict[tuple[int, int, int], int] = {}
    state, last = -1, -1
    passed = []
    for now in ids.tolist():
        key = (state, last, now)
        found = known.get(key)
        if found is None:
            found = known[key] = walker.next(*key)
        state, last = found, now
        passed.append(state)
    table = np.array(walker.states, dtype=np.uint8)[np.array(passed)]
    for place, number in enumerate(group.members):
        levels = np.ascontiguousarray(table[:, place])
        streams.put(number, levels if isinstance(circuit.nodes[number], Cells) else pack(levels))


def _inputs(
    circuit: Circuit, outside: Sequence[int], streams: Streams, steps: int
) -> tuple[list[list[int]], np.ndarray]:
    """(the different combinations of what comes from outside, which of them every step has)."""
    columns = []
    for number in outside:
        words = streams.at(number)
        columns.append(words.view(np.uint8) if isinstance(circuit.nodes.get(number), Cells) else unpack(words, steps))
    if not columns:
        return [[]], np.zeros(steps, dtype=np.intp)
    ids = np.zeros(steps, dtype=np.int64)
    for column in columns:
        # Numbered anew after each, so the numbers stay small however many inputs there are.
        _, ids = np.unique(ids * 256 + column, return_inverse=True)
    first = np.unique(ids, return_index=True)[1]
    return [[int(column[at]) for column in columns] for at in first], ids


class _Walker:
    """What one step does to the members of a loop, by integers. States are numbered as they appear."""

    def __init__(
        self, circuit: Circuit, group: Group, faults: Faults, outside: Sequence[int], rows: list[list[int]]
    ) -> None:
        self._circuit, self._group, self._faults = circuit, group, faults
        self._outside, self._rows = outside, rows
        self.states: list[tuple[int, ...]] = []
        self._numbers: dict[tuple[int, ...], int] = {}

    def next(self, state: int, last: int, now: int) -> int:
        """The state after a state, when the inputs went from one combination to another; -1: there was none yet."""
        members = self._group.members
        given = dict(zip(self._outside, self._rows[now], strict=True))
        if state < 0:
            before, values = None, {number: self._at_first(number) for number in members}
        else:
            before = dict(zip(self._outside, self._rows[last], strict=True))
            before.update(zip(members, self.states[state], strict=True))
            values = dict(zip(members, self.states[state], strict=True))
        for _ in range(_SETTLE_LIMIT):
            seen = {**given, **values}
            fresh = {number: self._step(number, seen, before) for number in members}
            if fresh == values:
                return self._number(tuple(values.values()))
            values = fresh
        raise Unsettled(members)

    def _at_first(self, number: int) -> int:
        node = self._circuit.nodes[number]
        return node.start if isinstance(node, Bit) else 255 if isinstance(node, Cells) else 1

    def _number(self, state: tuple[int, ...]) -> int:
        if state not in self._numbers:
            self._numbers[state] = len(self.states)
            self.states.append(state)
        return self._numbers[state]

    def _step(self, number: int, seen: Mapping[int, int], before: Mapping[int, int] | None) -> int:
        if number in self._faults.forced:
            return self._faults.forced[number]
        node = self._circuit.nodes[number]
        if isinstance(node, Wired):
            return node.step([seen[source] for source in node.inputs])
        assert not isinstance(node, Leaking)  # `solve` refuses those
        held = self._faults.held.get(node.chip.refdes, {})
        values = {**{name: seen[source] for name, source in node.names}, **held}
        if isinstance(node, Bit):
            bit = node.register.bit
            if before is None:
                return node.step({**values, bit: node.start}, None)
            earlier = {**{name: before[source] for name, source in node.names}, **held, bit: before[number]}
            return node.step({**values, bit: before[number]}, earlier)
        if isinstance(node, Data):
            return node.step(values, seen[node.cells])
        assert isinstance(node, Drive | Cells)
        return node.step(values)
