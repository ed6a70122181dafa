"""A netlist in the order of need: drivers, wired lines, stored bits and memories, each computed as a whole stream.

What a net *reads as* is one plane of bits: a line is low where any driver pulls it low, and reads high otherwise, also
where nobody drives it (an open TTL input). Signals that depend on themselves form one group, solved in `loops`.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from graphlib import TopologicalSorter

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components

from loyal_trace.core.chips.expressions import Value, control_names, evaluate_tree, leaf_names, tree_on_words
from loyal_trace.core.chips.model import Memory, Output, Register
from loyal_trace.core.simulation.netlist import Netlist, PinFault, PlacedChip
from loyal_trace.core.simulation.packed import STEPS_IN_WORD, Levels, Words, before, pack, steady, stored, unpack
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say

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


class Node:
    """A signal that is computed: which others it reads, by the names on its chip."""

    chip: PlacedChip
    names: Names

    def run(self, streams: Streams, held: Held = _NOTHING) -> Words:
        """Its stream; `held` are pins of the chip that read a level whatever their net does."""
        raise NotImplementedError

    def _read(self, streams: Streams, held: Held) -> dict[str, Value]:
        found: dict[str, Value] = {name: streams.at(number) for name, number in self.names}
        for name, level in held.items():
            found[name] = streams.steady(level)
        return found


@dataclass(frozen=True, eq=False)
class Drive(Node):
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
class Wired(Node):
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
class Leaking(Node):
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
class Bit(Node):
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
class Cells(Node):
    """What a memory holds at the address that it is given: one byte a step (uint8, eight times as many as words)."""

    chip: PlacedChip
    memory: Memory
    names: Names

    def run(self, streams: Streams, held: Held = _NOTHING) -> Words:
        places = {name: place for place, name in enumerate(self.memory.address)}
        numbers = dict(self.names)
        lines = [numbers[name] for name in self.memory.address]
        levels = {places[name]: level for name, level in held.items() if name in places}
        assert self.chip.content is not None
        size = 1 << len(lines)
        cells = np.resize(self.chip.content, size) if len(self.chip.content) != size else self.chip.content
        return cells[streams.address(self.chip.refdes, lines, levels)]  # type: ignore[return-value]

    def step(self, values: Mapping[str, int]) -> int:
        index = sum(values[name] << place for place, name in enumerate(self.memory.address))
        assert self.chip.content is not None
        return int(self.chip.content[index % len(self.chip.content)])


@dataclass(frozen=True, eq=False)
class Data(Node):
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


# Signals that belong to no chip.
LINES = (Wired, Leaking)


@dataclass(frozen=True)
class Group:
    """Signals computed together: one, or several that depend on each other.

    `order` follows what acts within a step; None where that goes round in a circle (latches made of gates).
    """

    members: tuple[int, ...]
    order: tuple[int, ...] | None
    loop: bool


@dataclass
class Faults:
    """Faulty pins as the circuit feels them: pins of a chip that read a level, signals that are held or come late."""

    held: dict[str, dict[str, int]] = field(default_factory=dict)
    forced: dict[int, int] = field(default_factory=dict)
    slow: set[int] = field(default_factory=set)


class Circuit:
    """The signals of a netlist, numbered, and the groups in which they are computed.

    Stimuli and nets without a driver come first; they are given, not computed.
    """

    def __init__(
        self, netlist: Netlist, stimuli: Mapping[str, Levels], start: Mapping[tuple[str, str], int] | None = None
    ) -> None:
        self.netlist, self.given = netlist, frozenset(stimuli)
        self.number: dict[Key, int] = {}
        self.nodes: dict[int, Node] = {}
        self.drives: dict[tuple[str, str], int] = {}
        self._start = start or {}
        self._numbered(stimuli)
        self._made()
        self.inputs = {number: self._inputs(node) for number, node in self.nodes.items()}
        self.groups = self._grouped()
        self.group_of = {number: place for place, group in enumerate(self.groups) for number in group.members}
        self.readers: dict[int, list[int]] = {}
        for number, inputs in self.inputs.items():
            for source in inputs:
                self.readers.setdefault(source, []).append(number)
        self.nets = {net: self.number[net] for net in netlist.nets}
        self.of_chip: dict[str, list[int]] = {}
        for number, node in self.nodes.items():
            if not isinstance(node, LINES):
                self.of_chip.setdefault(node.chip.refdes, []).append(number)

    def _numbered(self, stimuli: Mapping[str, Levels]) -> None:
        """Numbers for nets, bits and cells; a net with one driver *is* that driver."""
        for chip in self.netlist.chips:
            for register in chip.type.registers:
                self.number[chip.refdes, register.bit] = len(self.number)
            if chip.type.memory is not None and chip.content is not None:
                self.number[chip.refdes, "cells"] = len(self.number)
        for net in (*self.netlist.nets, *stimuli, *self.netlist.constant):
            self.number.setdefault(net, len(self.number))
        for net in (net for bridge in self.netlist.bridges for net in (bridge.one, bridge.other)):
            if net not in self.number:
                raise RequestError(say("there is no net {net} with a chip of a known type on it", net=net))
            self.number.setdefault((net, "alone"), len(self.number))

    def _made(self) -> None:
        for chip in self.netlist.chips:
            for register in chip.type.registers:
                names = (register.reads | set(register.clock.names if register.clock else ())) - {register.bit}
                key = (chip.refdes, register.bit)
                self.nodes[self.number[key]] = Bit(chip, register, self._sources(chip, names), self._start.get(key, 0))
            memory = chip.type.memory
            if memory is not None and chip.content is not None:
                self.nodes[self.number[chip.refdes, "cells"]] = Cells(chip, memory, self._sources(chip, memory.address))
        for net, pins in self.netlist.drivers.items():
            if net in self.given or net in self.netlist.constant:
                continue
            drivers = [(chip, name, node) for chip, name in pins if (node := self._driver(chip, name)) is not None]
            self._drive(net, drivers)
        for net, touching in self._touching().items():
            self.nodes[self.number[net]] = touching

    def _drive(self, net: str, drivers: list[tuple[PlacedChip, str, "Drive | Data"]]) -> None:
        """The signal of a net from its drivers; one driver alone *is* the net."""
        number = self.number[net, "alone"] if (net, "alone") in self.number else self.number[net]
        leaking = any(f.kind == "leaky" and c.net_of[n] == net for c in self.netlist.chips for n, f in c.faults.items())
        if len(drivers) == 1 and not leaking:
            self.nodes[number] = drivers[0][2]
            self.drives[drivers[0][0].refdes, drivers[0][1]] = number
            return
        numbers = []
        for chip, name, node in drivers:
            numbers.append(len(self.number))
            self.number[chip.refdes, f"pin {name}"] = numbers[-1]
            self.nodes[numbers[-1]] = node
            self.drives[chip.refdes, name] = numbers[-1]
        if leaking:
            self.nodes[number] = Leaking(tuple(numbers), tuple(node for _, _, node in drivers))
        elif drivers:
            self.nodes[number] = Wired(tuple(numbers))

    def _touching(self) -> dict[str, Wired]:
        """The nets that touch others, from what each would be alone. RequestError for a net that is not there."""
        found: dict[str, Wired] = {}
        for bridge in self.netlist.bridges:
            one, other = self.number[bridge.one, "alone"], self.number[bridge.other, "alone"]
            found[bridge.one] = Wired((one, other), bridge.kind)
            found[bridge.other] = Wired((one, other), bridge.kind)
        return found

    def _driver(self, chip: PlacedChip, name: str) -> "Drive | Data | None":
        """What drives a net at a pin of a chip; None where nothing does."""
        memory = chip.type.memory
        if memory is not None and name in memory.data:
            if chip.content is None:
                return None
            cells = self.number[chip.refdes, "cells"]
            return Data(chip, memory, memory.data.index(name), cells, self._sources(chip, memory.select.names))
        output = chip.type.output_of.get(name)
        # An open collector lets go instead of driving high, which reads the same.
        return None if output is None else Drive(chip, output, self._sources(chip, _names_of(output)))

    def _sources(self, chip: PlacedChip, names: "frozenset[str] | set[str] | tuple[str, ...]") -> Names:
        return tuple((name, self.number[chip.net_of.get(name, (chip.refdes, name))]) for name in sorted(names))

    @staticmethod
    def _inputs(node: Node) -> tuple[int, ...]:
        if isinstance(node, LINES):
            return node.inputs
        cells = (node.cells,) if isinstance(node, Data) else ()
        return (*(number for _, number in node.names), *cells)

    # the order

    def _grouped(self) -> tuple[Group, ...]:
        """Groups of signals that depend on each other, in the order of need."""
        size = len(self.number)
        pairs = np.array([(s, number) for number, inputs in self.inputs.items() for s in inputs], dtype=np.intp)
        rows, columns = pairs.reshape(-1, 2).T
        graph = csr_array((np.ones(len(rows), dtype=bool), (rows, columns)), shape=(size, size))
        _, labels = connected_components(graph, directed=True, connection="strong")
        members: dict[int, list[int]] = {}
        for number in sorted(self.nodes):
            members.setdefault(int(labels[number]), []).append(number)
        needs = {
            label: {int(labels[s]) for number in numbers for s in self.inputs[number] if s in self.nodes} - {label}
            for label, numbers in members.items()
        }
        return tuple(self._group(members[label]) for label in TopologicalSorter(needs).static_order())

    def _group(self, numbers: list[int]) -> Group:
        if len(numbers) == 1:
            alone = (numbers[0],)
            reads_itself = numbers[0] in self.inputs[numbers[0]]
            return Group(alone, None if reads_itself else alone, reads_itself)
        inside = set(numbers)
        acting = {number: {s for s in self._acting(number) if s in inside} for number in numbers}
        try:
            order = tuple(TopologicalSorter(acting).static_order())
        except ValueError:  # graphlib's CycleError
            return Group(tuple(numbers), None, True)
        return Group(tuple(numbers), order, True)

    def _acting(self, number: int) -> Iterator[int]:
        """What acts on a signal within the same step: a clocked bit takes its data from the step before."""
        node = self.nodes[number]
        if not isinstance(node, Bit) or node.register.clock is None:
            yield from self.inputs[number]
            return
        yield from (source for name, source in node.names if name in node.control_names)

    # faults

    def faults(self, faults: tuple[PinFault, ...]) -> Faults:
        """Faulty pins as signals; a pin that is not on the board is passed over."""
        chips = {chip.refdes: chip for chip in self.netlist.chips}
        found = Faults()
        for fault in faults:
            chip = chips.get(fault.refdes)
            if chip is not None:
                self._felt(chip, chip.type.pin_number(fault.pin).name, fault, found)
        return found

    def _felt(self, chip: PlacedChip, name: str, fault: PinFault, found: Faults) -> None:
        if fault.kind in ("input-stuck", "open"):
            found.held.setdefault(chip.refdes, {})[name] = fault.level
        drive = self.drives.get((chip.refdes, name))
        if fault.kind == "open" and drive is not None:
            found.forced[drive] = 1
        if fault.kind == "slow" and drive is not None:
            found.slow.add(drive)
        if fault.kind != "output-stuck":
            return
        if drive is not None:
            found.forced[drive] = fault.level
            return
        # A pin whose logic nobody described: it pulls its net low, or it is the source that stays high.
        net = self.number[chip.net_of[name]]
        source = chip.net_of[name] in self.given and name not in chip.type.output_of
        if fault.level == 0 or source:
            found.forced[net] = fault.level

    def streams(self, stimuli: Mapping[str, Levels], count: int) -> Streams:
        """The streams that are given: stimuli as they read, supplies, and nets that nobody drives."""
        found = Streams(count)
        for net in (*self.netlist.nets, *stimuli, *self.netlist.constant):
            number = self.number.get((net, "alone"), self.number[net])
            if net in self.netlist.constant and net not in stimuli:
                found.put(number, steady(self.netlist.constant[net], count))
            elif net in stimuli:
                found.put(number, pack(np.asarray(stimuli[net] == 1) | (stimuli[net] == 2)))
            elif number not in self.nodes:
                found.put(number, steady(1, count))
        return found


def _names_of(output: Output) -> frozenset[str]:
    return frozenset(output.value.names) | frozenset(output.enable.names if output.enable else ())
