"""Two engines with one interface: a plain one that goes step by step, and one that computes whole streams at once.

Both take a netlist, the driven nets (stimuli) and a number of steps, and give for every net a stream of codes:
0 low, 1 high, 2 floating, 3 two outputs fighting. A register takes, on a rising clock, the inputs of the step before,
its clear among them.
"""

from collections.abc import Mapping
from typing import Protocol

import numpy as np

from loyal_trace.core.chips.expressions import evaluate_tree
from loyal_trace.core.chips.model import Memory, Register
from loyal_trace.core.simulation.machine import Machine
from loyal_trace.core.simulation.netlist import FIGHT, FLOATING, Netlist, PlacedChip, Stream
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say

_SETTLE_LIMIT = 200


class Engine(Protocol):
    """Anything that can simulate a netlist."""

    def run(self, netlist: Netlist, stimuli: Mapping[str, Stream], steps: int) -> dict[str, Stream]:
        """Streams (uint8, length `steps`) of every net. RequestError when the circuit does not settle."""
        ...


class StreamEngine:
    """Whole streams at once, 64 steps to a word, in the order of need."""

    def run(self, netlist: Netlist, stimuli: Mapping[str, Stream], steps: int) -> dict[str, Stream]:
        return Machine(netlist, stimuli, steps).codes()


class PlainEngine:
    """One step at a time, every chip again until nothing changes. Slow and obviously right."""

    def run(self, netlist: Netlist, stimuli: Mapping[str, Stream], steps: int) -> dict[str, Stream]:
        record = {net: np.zeros(steps, dtype=np.uint8) for net in netlist.nets}
        bits: dict[tuple[str, str], int] = {(c.refdes, r.bit): 0 for c in netlist.chips for r in c.type.registers}
        nets = dict.fromkeys(netlist.nets, FLOATING)
        before: dict[str, int] | None = None
        self._rams = {
            chip.refdes: bytearray(chip.content.tobytes() if chip.content is not None else b"")
            for chip in netlist.chips
            if chip.type.memory is not None and (chip.content is not None or chip.type.memory.write is not None)
        }
        for step in range(steps):
            driven = {n: int(s[step]) for n, s in stimuli.items()}
            nets, bits = self._settle(netlist, driven, nets, before, bits)
            before = nets
            self._write(netlist, nets, bits)
            for net, code in nets.items():
                record[net][step] = code
        return record

    def _settle(
        self,
        netlist: Netlist,
        driven: Mapping[str, int],
        nets: dict[str, int],
        before: dict[str, int] | None,
        bits: dict[tuple[str, str], int],
    ) -> tuple[dict[str, int], dict[tuple[str, str], int]]:
        now, old_bits = dict(bits), bits
        for _ in range(_SETTLE_LIMIT):
            fresh = {net: self._net(netlist, net, driven, nets, now) for net in nets}
            stored = {
                (chip.refdes, r.bit): self._bit(chip, r, fresh, before, old_bits)
                for chip in netlist.chips
                for r in chip.type.registers
            }
            if fresh == nets and stored == now:
                return fresh, stored
            nets, now = fresh, stored
        raise RequestError(say("the simulated circuit does not settle: a loop of gates oscillates"))

    def _net(
        self,
        netlist: Netlist,
        name: str,
        driven: Mapping[str, int],
        nets: Mapping[str, int],
        bits: Mapping[tuple[str, str], int],
    ) -> int:
        if name in driven:
            return driven[name]
        if name in netlist.constant:
            return netlist.constant[name]
        levels = {self._drive(chip, pin, nets, bits) for chip, pin in netlist.drivers.get(name, ())} - {None}
        if levels == {0, 1}:
            return FIGHT
        return int(levels.pop() or 0) if levels else FLOATING

    def _drive(
        self, chip: PlacedChip, pin: str, nets: Mapping[str, int], bits: Mapping[tuple[str, str], int]
    ) -> int | None:
        fault = chip.faults.get(pin)
        if fault is not None and fault.kind in ("open", "output-stuck"):
            return fault.level if fault.kind == "output-stuck" else None
        values = _plain_values(chip, nets, bits)
        memory = chip.type.memory
        if memory is not None and pin in memory.data:
            held = self._rams.get(chip.refdes)
            if not held or not memory.select.evaluate(values):
                return None
            return held[_address(memory, values) % len(held)] >> memory.data.index(pin) & 1
        output = chip.type.output_of.get(pin)
        if output is None or (output.enable is not None and not output.enable.evaluate(values)):
            return None
        level = int(output.value.evaluate(values))
        return None if output.open_collector and level else level

    def _write(self, netlist: Netlist, nets: Mapping[str, int], bits: Mapping[tuple[str, str], int]) -> None:
        """At the end of a step, RAMs that are written hold what their data pins show."""
        for chip in netlist.chips:
            memory = chip.type.memory
            if memory is None or memory.write is None:
                continue
            values = _plain_values(chip, nets, bits)
            if memory.write.evaluate(values):
                if not self._rams[chip.refdes]:
                    self._rams[chip.refdes] = bytearray(b"\xff" * (1 << len(memory.address)))
                held = self._rams[chip.refdes]
                byte = sum(values[name] << place for place, name in enumerate(memory.data))
                held[_address(memory, values) % len(held)] = byte

    def _bit(
        self,
        chip: PlacedChip,
        register: Register,
        nets: Mapping[str, int],
        before: Mapping[str, int] | None,
        old_bits: Mapping[tuple[str, str], int],
    ) -> int:
        old = old_bits[(chip.refdes, register.bit)]
        now = _plain_values(chip, nets, old_bits)
        for condition, value in register.overrides:
            if condition.evaluate(now):
                return int(value.evaluate(now))
        if register.clock is None:
            return int(evaluate_tree(register.sync, now))
        if before is None:
            return old
        earlier = _plain_values(chip, before, old_bits)
        # A clear that ends with the clock edge itself still holds the bit: what follows the edge comes after it.
        if any(condition.evaluate(earlier) for condition, _ in register.overrides):
            return old
        if register.clock.evaluate(now) and not register.clock.evaluate(earlier):
            return int(evaluate_tree(register.sync, earlier))
        return old


def _address(memory: Memory, values: Mapping[str, int]) -> int:
    return sum(values[name] << place for place, name in enumerate(memory.address))


def _plain_values(chip: PlacedChip, nets: Mapping[str, int], bits: Mapping[tuple[str, str], int]) -> dict[str, int]:
    """What every pin of a chip reads, and its stored bits."""
    values = {name: (0, 1, 1, 0)[nets[net]] for name, net in chip.net_of.items()}
    for name, fault in chip.faults.items():
        if fault.kind in ("input-stuck", "open"):
            values[name] = fault.level
    values.update({r.bit: bits[(chip.refdes, r.bit)] for r in chip.type.registers})
    return values
