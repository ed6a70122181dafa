"""A netlist as numbered signals, and the order of need in which they are computed.

Signals that depend on themselves form one group, solved in `loops`.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from graphlib import TopologicalSorter

import numpy as np

from loyal_trace.core.chips.model import Memory, Output
from loyal_trace.core.simulation.netlist import Netlist, PinFault, PlacedChip
from loyal_trace.core.simulation.packed import Levels, pack, steady
from loyal_trace.core.simulation.signals import (
    LINES,
    Bit,
    Cells,
    Data,
    Drive,
    Key,
    Leaking,
    Names,
    Node,
    Streams,
    Wired,
    Written,
)
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say


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
        self,
        netlist: Netlist,
        stimuli: Mapping[str, Levels],
        start: Mapping[tuple[str, str], int] | None = None,
        written: frozenset[str] = frozenset(),
    ) -> None:
        """`written`: the RAMs that are written in the run; others hold what they hold."""
        self.written = written
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
        self.of_chip: dict[str, dict[int, Names]] = {}
        for number, node in self.nodes.items():
            if not isinstance(node, LINES):
                self.of_chip.setdefault(node.chip.refdes, {})[number] = node.names

    def _numbered(self, stimuli: Mapping[str, Levels]) -> None:
        """Numbers for nets, bits and cells; a net with one driver *is* that driver."""
        for chip in self.netlist.chips:
            for register in chip.type.registers:
                self.number[chip.refdes, register.bit] = len(self.number)
            if self._holds(chip):
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
            if memory is not None and self._holds(chip):
                self.nodes[self.number[chip.refdes, "cells"]] = self._cells(chip, memory)
        for net, pins in self.netlist.drivers.items():
            if net in self.given or net in self.netlist.constant:
                continue
            drivers = [(chip, name, node) for chip, name in pins if (node := self._driver(chip, name)) is not None]
            self._drive(net, drivers)
        for net, touching in self._touching().items():
            self.nodes[self.number[net]] = touching

    def _holds(self, chip: PlacedChip) -> bool:
        """Is it known, or does it become known, what a memory puts on its data pins?"""
        return chip.type.memory is not None and (chip.content is not None or chip.refdes in self.written)

    def _cells(self, chip: PlacedChip, memory: Memory) -> Cells:
        if memory.write is None or chip.refdes not in self.written:
            return Cells(chip, memory, self._sources(chip, memory.address))
        names = {*memory.address, *memory.data, *memory.write.names}
        return Written(chip, memory, self._sources(chip, names))

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
            if not self._holds(chip):
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
        # Half a second to import, and no window waits for it at its start.
        from scipy.sparse import csr_array
        from scipy.sparse.csgraph import connected_components

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
