"""The signals of a simulated board, each computed as a whole stream: drivers, wired lines, stored bits, memories.

What a net *reads as* is one plane of bits: a line is low where any driver pulls it low, and reads high otherwise, also
where nobody drives it (an open TTL input).
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.chips.expressions import Value, control_names, evaluate_tree, leaf_names, tree_on_words
from loyal_trace.core.chips.model import Memory, Output, Register
from loyal_trace.core.simulation.netlist import PlacedChip
from loyal_trace.core.simulation.packed import STEPS_IN_WORD, Levels, Words, before, steady, stored, unpack

# A net by its name, a stored bit or the cells of a memory by part and name.
Key = str | tuple[str, str]
Names = tuple[tuple[str, int], ...]
Held = Mapping[str, int]
_NOTHING: Held = {}
# Where a bit is clocked, and the (condition, level) streams that override it.
Acting = tuple[Words, list[tuple[Words, Words]]]


class Streams:
    """Streams by number of their signal; what is not set here is looked up in those of a good machine."""

    def __init__(self, count: int, good: "Streams | None" = None) -> None:
        self.count = count
        self._good = good
        self._now: dict[int, Words] = {}
        self._addresses: dict[str, NDArray[np.uint32]] = {}
        self._acting: dict[tuple[str, str], Acting] = {}
        self._before: dict[int, Words] = {}

    def at(self, number: int) -> Words:
        found = self._now.get(number)
        return found if found is not None or self._good is None else self._good.at(number)  # type: ignore[return-value]

    def before(self, number: int) -> Words:
        """The stream one step later."""
        if number not in self._now and self._good is not None:
            return self._good.before(number)
        if number not in self._before:
            self._before[number] = before(self._now[number])
        return self._before[number]

    def put(self, number: int, words: Words) -> None:
        self._now[number] = words
        self._before.pop(number, None)

    def changed(self) -> dict[int, Words]:
        """What was set here."""
        return self._now

    def steady(self, level: int) -> Words:
        return steady(level, self.count)

    def acting(self, numbers: Iterable[int]) -> dict[tuple[str, str], Acting]:
        """Where bits are clocked and overridden in the good machine, while none of these signals differs from it."""
        good = self._good
        return {} if good is None or any(number in self._now for number in numbers) else good._acting

    def full(self, value: Value) -> Words:
        """An expression without a name has one value for all words."""
        return value if np.ndim(value) else np.full(self.count, value, dtype=np.uint64)

    def address(self, refdes: str, lines: Sequence[int], held: Mapping[int, int]) -> "NDArray[np.uint32]":
        """The address at every step on some lines; from that of the good machine, by the lines that differ."""
        found: NDArray[np.uint32] | None = None
        if self._good is not None:
            found = self._good._addresses.get(refdes)
        good = self._good if found is not None else None
        found = np.zeros(self.count * STEPS_IN_WORD, dtype=np.uint32) if found is None else found.copy()
        for place, number in enumerate(lines):
            words = self.steady(held[place]) if place in held else self.at(number)
            if good is not None:
                if words is good.at(number):
                    continue
                words = words ^ good.at(number)
            found ^= unpack(words, len(found)).astype(np.uint32) << np.uint32(place)
        if not held:
            self._addresses[refdes] = found
        return found


class _OnChip:
    """What the signals of a chip share: which others they read, by the names on the chip."""

    chip: PlacedChip
    names: Names

    def _read(self, streams: Streams, held: Held) -> dict[str, Value]:
        found: dict[str, Value] = {name: streams.at(number) for name, number in self.names}
        for name, level in held.items():
            found[name] = streams.steady(level)
        return found


@dataclass(frozen=True, eq=False)
class Drive(_OnChip):
    """An output pin: low where it pulls its net low, high where it drives high or lets go."""

    chip: PlacedChip
    output: Output
    names: Names

    def run(self, streams: Streams, held: Held = _NOTHING) -> Words:
        value, enable, _ = self.parts(streams, held)
        return value if enable is None else value | ~enable

    def parts(self, streams: Streams, held: Held = _NOTHING) -> tuple[Words, Words | None, bool]:
        """(level, where it drives at all, whether it lets go instead of driving high)."""
        values, output = self._read(streams, held), self.output
        value = streams.full(output.value.on_words(values))
        on = None if output.enable is None else streams.full(output.enable.on_words(values))
        return value, on, output.open_collector

    def step(self, values: Mapping[str, int]) -> int:
        """One step of it, from integers."""
        enabled = 1 if self.output.enable is None else int(self.output.enable.evaluate(values))
        return int(self.output.value.evaluate(values)) | (1 ^ enabled)


@dataclass(frozen=True, eq=False)
class Wired:
    """A net with several drivers, or one that touches another (`inputs` are then the nets as they would be without).

    `kind`: and (any low wins, as on a TTL line), or (any high wins), strong (the first wins).
    """

    inputs: tuple[int, ...]
    kind: str = "and"

    def run(self, streams: Streams, held: Held = _NOTHING) -> Words:
        first, *others = (streams.at(number) for number in self.inputs)
        found = first.copy()
        for one in others if self.kind != "strong" else ():
            if self.kind == "and":
                found &= one
            else:
                found |= one
        return found

    def step(self, levels: Sequence[int]) -> int:
        """One step of it, from the levels of its inputs."""
        return levels[0] if self.kind == "strong" else min(levels) if self.kind == "and" else max(levels)


@dataclass(frozen=True, eq=False)
class Leaking:
    """A net that something pulls low while none of its drivers holds it high."""

    inputs: tuple[int, ...]
    drives: tuple["Drive | Data", ...]

    def run(self, streams: Streams, held: Held = _NOTHING) -> Words:
        level, high = streams.steady(1), streams.steady(0)
        for number, drive in zip(self.inputs, self.drives, strict=True):
            _, enable, collector = drive.parts(streams)
            level = level & streams.at(number)
            if not collector:
                high = high | (streams.steady(1) if enable is None else enable)
        return level & high


@dataclass(frozen=True, eq=False)
class Bit(_OnChip):
    """A stored bit."""

    chip: PlacedChip
    register: Register
    names: Names
    start: int = 0

    def run(self, streams: Streams, held: Held = _NOTHING) -> Words:
        return stored(*self.steps(streams, held), self.start)

    def steps(self, streams: Streams, held: Held = _NOTHING) -> tuple[Words, Words]:
        """(keeps, takes): what every step does to the bit x, as (keeps & x) ^ takes."""
        edges, overrides = self.acting(streams, held)
        keeps, takes = self._clocked(edges, streams, held)
        for forced, level in overrides:
            takes = (forced & level) | (~forced & takes)
            keeps = keeps & ~forced
        return keeps, takes

    def acting(self, streams: Streams, held: Held) -> Acting:
        """(where the bit is clocked, what overrides it, the strongest last); shared by bits that are clocked alike."""
        known = {} if held else streams.acting(self.control_numbers)
        key = (self.chip.refdes, self._control_text)
        if key not in known:
            known[key] = self._act(self._read(streams, held), streams)
        return known[key]

    def _act(self, values: dict[str, Value], streams: Streams) -> Acting:
        register = self.register
        overrides = [
            (streams.full(condition.on_words(values)), streams.full(level.on_words(values)))
            for condition, level in reversed(register.overrides)
        ]
        if register.clock is None:
            return streams.steady(1), overrides
        clock = streams.full(register.clock.on_words(values))
        edges = clock & ~before(clock)
        # A clear that ends with the clock edge itself still holds the bit: what follows the edge comes after it.
        for forced, _ in overrides:
            edges = edges & ~before(forced)
        return edges, overrides

    @cached_property
    def _control_text(self) -> str:
        register = self.register
        clock = (register.clock,) if register.clock else ()
        return "|".join(expression.text for pair in (clock, *register.overrides) for expression in pair)

    @cached_property
    def control_numbers(self) -> tuple[int, ...]:
        return tuple(number for name, number in self.names if name in self.control_names)

    @cached_property
    def control_names(self) -> frozenset[str]:
        """What clocks or overrides the bit: it acts at once."""
        names = set(self.register.clock.names if self.register.clock else ())
        for condition, value in self.register.overrides:
            names |= {*condition.names, *value.names}
        return frozenset(names)

    @cached_property
    def _data(self) -> Names:
        read = control_names(self.register.sync) | leaf_names(self.register.sync)
        return tuple((name, number) for name, number in self.names if name in read)

    def _clocked(self, edges: Words, streams: Streams, held: Held) -> tuple[Words, Words]:
        shown = streams.at if self.register.clock is None else streams.before
        values: dict[str, Value] = {name: shown(number) for name, number in self._data}
        values.update({name: streams.steady(level) for name, level in held.items()})
        if self.register.bit not in self.register.reads:
            return ~edges, edges & tree_on_words(self.register.sync, values)
        from_low, from_high = (
            tree_on_words(self.register.sync, {**values, self.register.bit: streams.steady(level)}) for level in (0, 1)
        )
        return ~edges | (from_low ^ from_high), edges & from_low

    def step(self, values: Mapping[str, int], earlier: Mapping[str, int] | None) -> int:
        """One step of it; `values` and `earlier`: what it reads now and read at the step before, itself included."""
        register, old = self.register, values[self.register.bit] if earlier is None else earlier[self.register.bit]
        for condition, value in register.overrides:
            if condition.evaluate(values):
                return int(value.evaluate(values))
        if register.clock is None:
            return int(evaluate_tree(register.sync, values))
        if earlier is None or any(condition.evaluate(earlier) for condition, _ in register.overrides):
            return old
        if register.clock.evaluate(values) and not register.clock.evaluate(earlier):
            return int(evaluate_tree(register.sync, earlier))
        return old


@dataclass(frozen=True, eq=False)
class Cells(_OnChip):
    """What a memory holds at the address that it is given: one byte a step (uint8, eight times as many as words)."""

    chip: PlacedChip
    memory: Memory
    names: Names

    def run(self, streams: Streams, held: Held = _NOTHING) -> Words:
        return self.initial()[self.address(streams, held)]  # type: ignore[return-value]

    def address(self, streams: Streams, held: Held) -> NDArray[np.uint32]:
        """The address at every step."""
        places = {name: place for place, name in enumerate(self.memory.address)}
        numbers = dict(self.names)
        lines = [numbers[name] for name in self.memory.address]
        levels = {places[name]: level for name, level in held.items() if name in places}
        return streams.address(self.chip.refdes, lines, levels)

    def initial(self) -> Levels:
        """What every cell holds at first; what nobody knows reads as an open line."""
        size = 1 << len(self.memory.address)
        content = self.chip.content
        if content is None:
            return np.full(size, 255, dtype=np.uint8)
        return content if len(content) == size else np.resize(content, size)

    def step(self, values: Mapping[str, int]) -> int:
        index = sum(values[name] << place for place, name in enumerate(self.memory.address))
        assert self.chip.content is not None
        return int(self.chip.content[index % len(self.chip.content)])


@dataclass(frozen=True, eq=False)
class Written(Cells):
    """What a RAM holds at its address while it is written in circuit: what was written there last, else its content."""

    def run(self, streams: Streams, held: Held = _NOTHING) -> Words:
        at = self.address(streams, held)
        steps = len(at)
        values = self._read(streams, held)
        taken = np.zeros(steps, dtype=np.uint8)
        for bit, name in enumerate(self.memory.data):
            taken |= unpack(streams.full(values[name]), steps) << np.uint8(bit)
        writes = unpack(writing(self.chip, streams, values), steps).astype(bool)
        order = np.argsort(at, kind="stable")
        place = np.arange(steps)
        # In the order of the addresses, the last write so far is one of the same address or there was none.
        last = np.maximum.accumulate(np.where(writes[order], place, -1))
        begins = np.maximum.accumulate(np.where(np.diff(at[order], prepend=at[order[:1]]) != 0, place, 0))
        known = last >= begins
        found = np.empty(steps, dtype=np.uint8)
        found[order] = np.where(known, taken[order][last], self.initial()[at[order]])
        return found  # type: ignore[return-value]


def writing(chip: PlacedChip, streams: Streams, values: Mapping[str, Value]) -> Words:
    """Where a RAM takes what its data pins show."""
    memory = chip.type.memory
    assert memory is not None and memory.write is not None
    return streams.full(memory.write.on_words(values))


@dataclass(frozen=True, eq=False)
class Data(_OnChip):
    """A data pin of a memory."""

    chip: PlacedChip
    memory: Memory
    place: int
    cells: int
    names: Names

    def run(self, streams: Streams, held: Held = _NOTHING) -> Words:
        value, selected, _ = self.parts(streams, held)
        return value | ~selected

    def parts(self, streams: Streams, held: Held = _NOTHING) -> tuple[Words, Words, bool]:
        """(level, where it drives at all, False: it drives high as well)."""
        selected = streams.full(self.memory.select.on_words(self._read(streams, held)))
        level = streams.at(self.cells).view(np.uint8) & np.uint8(1 << self.place)
        return np.packbits(level, bitorder="little").view(np.uint64), selected, False

    def step(self, values: Mapping[str, int], byte: int) -> int:
        return byte >> self.place & 1 | (1 ^ int(self.memory.select.evaluate(values)))


# Every kind of signal; `run` gives its stream, where `held` are pins that read a level whatever their net does.
Node = Drive | Bit | Cells | Data | Wired | Leaking
# Signals that belong to no chip.
LINES = (Wired, Leaking)
