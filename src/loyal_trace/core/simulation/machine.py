"""A netlist with what drives it from outside, run once; and what one more fault would change of it.

Only what a fault reaches is computed again, and no further than where its stream is as it was.
"""

from collections.abc import Mapping
from heapq import heappop, heappush
from typing import Any

import numpy as np

from loyal_trace.core.simulation.circuit import Circuit, Faults
from loyal_trace.core.simulation.loops import Unsettled, computed, guessed, solve
from loyal_trace.core.simulation.netlist import (
    FIGHT,
    FLOATING,
    HIGH,
    LOW,
    Netlist,
    PinFault,
    PlacedChip,
    Stream,
    with_faults,
)
from loyal_trace.core.simulation.packed import ONES, STEPS_IN_WORD, Words, unpack
from loyal_trace.core.simulation.signals import Data, Drive, Streams, writing
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say

_NAMED = 4


class Machine:
    """One simulation. `start`: what stored bits (part, bit) begin with, 0 where nothing is said.

    RequestError where a loop of gates does not come to rest; a `lenient` machine lets it stand still, and its nets are
    `unsettled`.
    """

    def __init__(
        self,
        netlist: Netlist,
        stimuli: Mapping[str, Stream],
        steps: int,
        start: Mapping[tuple[str, str], int] | None = None,
        lenient: bool = False,
    ) -> None:
        self.unsettled: set[str] = set()
        self.netlist, self.stimuli, self.steps = netlist, stimuli, steps
        self._start, self._lenient = start, lenient
        self._count = -(-steps // STEPS_IN_WORD)
        rest = steps % STEPS_IN_WORD
        self._last = np.uint64((1 << rest) - 1) if rest else ONES
        self._built(frozenset())
        # A RAM that nobody writes is a table; only where one is written in the run it has to be followed.
        while written := self._written(self._streams, self._faults) - self.circuit.written:
            self._built(self.circuit.written | written)

    def _built(self, written: frozenset[str]) -> None:
        """The circuit and its run, with some RAMs that are written."""
        netlist, lenient = self.netlist, self._lenient
        self.circuit = Circuit(netlist, self.stimuli, self._start, written)
        self._net_of = {number: net for net, number in self.circuit.nets.items()}
        self._own = tuple(fault for chip in netlist.chips for fault in chip.faults.values())
        self._faults = self.circuit.faults(self._own)
        self._streams = self._run(lenient)

    def _written(self, streams: Streams, faults: Faults) -> frozenset[str]:
        """The RAMs that are written at some step."""
        found = set()
        for chip in self.netlist.chips:
            memory = chip.type.memory
            if memory is None or memory.write is None:
                continue
            held = faults.held.get(chip.refdes, {})
            values: dict[str, Any] = {
                name: streams.steady(held[name]) if name in held else streams.at(self.circuit.nets[chip.net_of[name]])
                for name in memory.write.names
            }
            if writing(chip, streams, values).any():
                found.add(chip.refdes)
        return frozenset(found)

    def _run(self, lenient: bool) -> Streams:
        streams = self.circuit.streams(self.stimuli, self._count)
        for number, level in self._faults.forced.items():
            streams.put(number, streams.steady(level))
        for place in range(len(self.circuit.groups)):
            try:
                self._compute(place, streams, self._faults)
            except Unsettled as trouble:
                nets = self._nets(trouble.numbers)
                if not lenient:
                    names = joined(", ", nets[:_NAMED])
                    raise RequestError(
                        say("a loop of gates oscillates on the simulated board: {nets}", nets=names)
                    ) from None
                self.unsettled.update(nets)
                for number in trouble.numbers:
                    streams.put(number, guessed(self.circuit, number, streams, None, 1))
        return streams

    def _nets(self, numbers: tuple[int, ...]) -> list[str]:
        return sorted(self._net_of[number] for number in numbers if number in self._net_of)

    def _compute(self, place: int, streams: Streams, faults: Faults, good: Streams | None = None) -> None:
        group = self.circuit.groups[place]
        if group.loop:
            solve(self.circuit, group, streams, faults, good)
        else:
            number = group.members[0]
            streams.put(number, computed(self.circuit, number, streams, faults))

    def begun_otherwise(self, seed: int) -> "Machine":
        """The same board with other levels in its stored bits at first, and anything from chips without a model."""
        dice = np.random.Generator(np.random.PCG64(seed))
        bits = [(chip.refdes, register.bit) for chip in self.netlist.chips for register in chip.type.registers]
        start = {bit: int(dice.integers(2)) for bit in bits}
        other = {net: dice.integers(0, 2, self.steps, dtype=np.uint8) for net in _without_model(self.netlist)}
        return Machine(self.netlist, {**other, **self.stimuli}, self.steps, start, lenient=True)

    # what is seen

    def words(self, net: str) -> Words:
        """What a net reads as, 64 steps to a word."""
        return self._streams.at(self.circuit.nets[net])

    def levels(self, net: str) -> Stream:
        """What a net reads as, a step to a value."""
        return unpack(self.words(net), self.steps)

    def codes(self) -> dict[str, Stream]:
        """The codes of all nets: low, high, floating, fighting."""
        return {net: self._codes(net) for net in self.netlist.nets}

    def _codes(self, net: str) -> Stream:
        number = self.circuit.nets[net]
        drivers = self.netlist.drivers.get(net, ())
        if net in self.stimuli and number not in self._faults.forced and (net, "alone") not in self.circuit.number:
            return self.stimuli[net]
        if net in self.netlist.constant or net in self.stimuli or (net, "alone") in self.circuit.number:
            return self.levels(net)
        lows, highs = np.zeros(self.steps, dtype=bool), np.zeros(self.steps, dtype=bool)
        for chip, name in drivers:
            value, enabled = self._driven(chip, name)
            lows |= enabled & ~value
            highs |= enabled & value
        codes = np.where(lows, np.where(highs, FIGHT, LOW), np.where(highs, HIGH, FLOATING))
        return codes.astype(np.uint8)

    def _driven(self, chip: PlacedChip, name: str) -> tuple[np.ndarray, np.ndarray]:
        """(high?, driving?) at every step of one output."""
        fault, everywhere = chip.faults.get(name), np.ones(self.steps, dtype=bool)
        if fault is not None and fault.kind == "output-stuck":
            return everywhere & bool(fault.level), everywhere
        drive = self.circuit.drives.get((chip.refdes, name))
        if drive is None or (fault is not None and fault.kind == "open"):
            return everywhere, ~everywhere
        held = self._faults.held.get(chip.refdes, {})
        node = self.circuit.nodes[drive]
        assert isinstance(node, Drive | Data)
        value, enable, collector = node.parts(self._streams, held)
        level = unpack(value, self.steps).astype(bool)
        on = everywhere if enable is None else unpack(enable, self.steps).astype(bool)
        return level, on & ~level if collector else on

    # one more fault

    def changed(self, fault: PinFault) -> dict[str, Words]:
        """The nets that read differently under one more fault, with their streams.

        Loops that do not come to rest under it are passed over, with what hangs on them.
        """
        faults = self.circuit.faults((*self._own, fault))
        streams = Streams(self._count, self._streams)
        changed, queue, waiting = self._touched(self.circuit.faults((fault,)), streams)
        while queue:
            place = heappop(queue)
            waiting.discard(place)
            try:
                self._compute(place, streams, faults, self._streams)
            except Unsettled:
                for number in self.circuit.groups[place].members:
                    streams.put(number, self._streams.at(number))
                continue
            for number in self.circuit.groups[place].members:
                if self._differs(number, streams.at(number)):
                    self._queue(number, queue, waiting)
                    changed.append(number)
        if self._written(streams, faults) - self.circuit.written:
            return self._run_anew(fault)
        return {self._net_of[number]: streams.at(number) for number in changed if number in self._net_of}

    def _run_anew(self, fault: PinFault) -> dict[str, Words]:
        """As `changed`, by a run of its own: the fault writes to a RAM that is not written otherwise."""
        other = Machine(with_faults(self.netlist, (fault,)), self.stimuli, self.steps, self._start, lenient=True)
        found = {net: other.words(net) for net in self.netlist.nets}
        return {net: words for net, words in found.items() if self._differs(self.circuit.nets[net], words)}

    def _touched(self, faults: Faults, streams: Streams) -> tuple[list[int], list[int], set[int]]:
        """Where a fault begins: (given signals that it changes, queue of groups, the same as a set)."""
        changed: list[int] = []
        queue: list[int] = []
        waiting: set[int] = set()
        circuit = self.circuit
        for number in faults.forced:
            if number in circuit.nodes:
                self._push(circuit.group_of[number], queue, waiting)
            else:
                streams.put(number, streams.steady(faults.forced[number]))
                if self._differs(number, streams.at(number)):
                    self._queue(number, queue, waiting)
                    changed.append(number)
        for refdes, names in faults.held.items():
            for number, read in circuit.of_chip.get(refdes, {}).items():
                if any(name in names for name, _ in read):
                    self._push(circuit.group_of[number], queue, waiting)
        return changed, queue, waiting

    def _queue(self, number: int, queue: list[int], waiting: set[int]) -> None:
        own = self.circuit.group_of.get(number)
        for reader in self.circuit.readers.get(number, ()):
            place = self.circuit.group_of[reader]
            if place != own:
                self._push(place, queue, waiting)

    @staticmethod
    def _push(place: int, queue: list[int], waiting: set[int]) -> None:
        if place not in waiting:
            waiting.add(place)
            heappush(queue, place)

    def _differs(self, number: int, words: Words) -> bool:
        good = self._streams.at(number)
        if words is good:
            return False
        unlike = words != good
        # Beyond the last step asked for, the last word shows nothing.
        if words.dtype == np.uint64 and unlike[-1]:
            unlike[-1] = (words[-1] ^ good[-1]) & self._last != 0
        return bool(unlike.any())


def _without_model(netlist: Netlist) -> list[str]:
    """Nets that only outputs drive whose logic or content nobody knows."""
    found = []
    for net, drivers in netlist.drivers.items():
        told = [chip for chip, name in drivers if name in chip.type.output_of or chip.content is not None]
        if drivers and not told:
            found.append(net)
    return sorted(found)
