"""Two engines with one interface: a plain one that goes step by step, and one that computes whole streams at once.

Both take a netlist, the driven nets (stimuli) and a number of steps, and give for every net a stream of codes:
0 low, 1 high, 2 floating, 3 two outputs fighting. A register takes, on a rising clock, the inputs of the step before.
"""

from collections.abc import Mapping
from typing import Protocol

import numpy as np

from loyal_trace.core.chips.expressions import evaluate_tree
from loyal_trace.core.chips.model import Register
from loyal_trace.core.simulation.netlist import FIGHT, FLOATING, HIGH, LOW, Netlist, PlacedChip, Stream, as_read
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say

_CONSTANT = {"VCC": HIGH, "GND": LOW}
_SETTLE_LIMIT = 200


class Engine(Protocol):
    """Anything that can simulate a netlist."""

    def run(self, netlist: Netlist, stimuli: Mapping[str, Stream], steps: int) -> dict[str, Stream]:
        """Streams (uint8, length `steps`) of every net. RequestError when the circuit does not settle."""
        ...


class Loop(Exception):
    """Streams cannot be put in order: a signal depends on itself."""


class StreamEngine:
    """Evaluates each net's whole stream once, in the order of need; feedback inside a register bit is a prefix scan.

    A circuit in which a net needs its own stream falls back on the plain engine.
    """

    def run(self, netlist: Netlist, stimuli: Mapping[str, Stream], steps: int) -> dict[str, Stream]:
        run = StreamRun(netlist, stimuli, steps)
        try:
            return {net: run.net(net) for net in netlist.nets}
        except Loop:
            return PlainEngine().run(netlist, stimuli, steps)


class StreamRun:
    """One simulation: streams computed so far, and those being computed (to notice loops)."""

    def __init__(
        self,
        netlist: Netlist,
        stimuli: Mapping[str, Stream],
        steps: int,
        start: Mapping[tuple[str, str], int] | None = None,
    ) -> None:
        """`start`: what stored bits (part, bit) begin with; 0 where nothing is said."""
        self.netlist, self.stimuli, self.steps = netlist, stimuli, steps
        self.start = start or {}
        self.nets: dict[str, Stream] = {}
        self.levels: dict[str, Stream] = {}
        self.bits: dict[tuple[str, str], Stream] = {}
        self.busy: set[object] = set()

    def _constant(self, level: int) -> Stream:
        return np.full(self.steps, level, dtype=np.uint8)

    def net(self, name: str) -> Stream:
        """The resolved codes of a net."""
        if name in self.nets:
            return self.nets[name]
        if name in _CONSTANT:
            found = self._constant(_CONSTANT[name])
        elif name in self.stimuli:
            found = self.stimuli[name]
        else:
            found = self._resolved(name)
        self.nets[name] = found
        return found

    def _resolved(self, name: str) -> Stream:
        if name in self.busy:
            raise Loop
        self.busy.add(name)
        lows = np.zeros(self.steps, dtype=bool)
        highs = np.zeros(self.steps, dtype=bool)
        for chip, pin in self.netlist.drivers.get(name, ()):
            driven = self.driver(chip, pin)
            if driven is not None:
                value, enabled = driven
                lows |= (value == 0) & (enabled == 1)
                highs |= (value == 1) & (enabled == 1)
        self.busy.discard(name)
        codes = np.where(lows, np.where(highs, FIGHT, LOW), np.where(highs, HIGH, FLOATING))
        return codes.astype(np.uint8)

    def level(self, chip: PlacedChip, name: str) -> Stream:
        """What an input pin reads, or the value of a stored bit."""
        if name not in chip.net_of:
            return self.bit(chip, next(r for r in chip.type.registers if r.bit == name))
        fault = chip.faults.get(name)
        if fault is not None and fault.kind in ("input-stuck", "open"):
            return self._constant(fault.level)
        net = chip.net_of[name]
        if net not in self.levels:
            self.levels[net] = as_read(self.net(net))
        return self.levels[net]

    def values(self, chip: PlacedChip, names: tuple[str, ...] | frozenset[str]) -> dict[str, Stream]:
        return {name: self.level(chip, name) for name in names}

    def driver(self, chip: PlacedChip, pin: str) -> tuple[Stream, Stream] | None:
        """(value, enabled) of one output pin; None when it never drives."""
        fault = chip.faults.get(pin)
        if fault is not None and fault.kind == "open":
            return None
        on = self._constant(1)
        if fault is not None and fault.kind == "output-stuck":
            return self._constant(fault.level), on
        if chip.type.memory is not None and pin in chip.type.memory.data:
            return self._memory(chip, pin)
        output = chip.type.output_of.get(pin)
        if output is None:
            return None
        if output.enable is not None:
            on = np.broadcast_to(
                np.asarray(output.enable.evaluate(self.values(chip, output.enable.names)), np.uint8), (self.steps,)
            )
            if not on.any():
                return None
        value = np.asarray(output.value.evaluate(self.values(chip, output.value.names)), dtype=np.uint8)
        value = np.broadcast_to(value, (self.steps,))
        return value, ((on & (1 ^ value)).astype(np.uint8) if output.open_collector else on)

    def _memory(self, chip: PlacedChip, pin: str) -> tuple[Stream, Stream] | None:
        memory = chip.type.memory
        if memory is None or chip.content is None:
            return None
        selected = np.asarray(memory.select.evaluate(self.values(chip, memory.select.names)), dtype=np.uint8)
        selected = np.broadcast_to(selected, (self.steps,))
        if not selected.any():
            return None
        key = (chip.refdes, "address")
        if key not in self.bits:
            index = np.zeros(self.steps, dtype=np.uint32)
            for position, name in enumerate(memory.address):
                index |= self.level(chip, name).astype(np.uint32) << position
            self.bits[key] = chip.content[index % len(chip.content)]
        return ((self.bits[key] >> memory.data.index(pin)) & 1).astype(np.uint8), selected

    def bit(self, chip: PlacedChip, register: Register) -> Stream:
        """The stream of one stored bit, from what it starts with."""
        key = (chip.refdes, register.bit)
        if key in self.bits:
            return self.bits[key]
        if key in self.busy:
            raise Loop
        self.busy.add(key)
        now = self.values(chip, register.reads - {register.bit})
        if register.clock is not None:
            now |= self.values(chip, register.clock.names)
        self.bits[key] = _scan(register, now, self.steps, self.start.get(key, 0))
        self.busy.discard(key)
        return self.bits[key]


def _before(stream: Stream) -> Stream:
    return np.concatenate((stream[:1], stream[:-1]))


def _scan(register: Register, now: dict[str, Stream], steps: int, start: int = 0) -> Stream:
    """A bit's stream: each step maps the old value to a new one (set, keep or flip); maps compose by a prefix scan."""
    zero, one = np.zeros(steps, dtype=np.uint8), np.ones(steps, dtype=np.uint8)
    if register.clock is None:
        active, inputs = np.ones(steps, dtype=bool), now
    else:
        clock = np.broadcast_to(np.asarray(register.clock.evaluate(now), dtype=np.uint8), (steps,))
        active = (clock == 1) & (_before(clock) == 0)
        inputs = {name: _before(stream) for name, stream in now.items()}
    if_zero = np.where(active, evaluate_tree(register.sync, {**inputs, register.bit: zero}), zero)
    if_one = np.where(active, evaluate_tree(register.sync, {**inputs, register.bit: one}), one)
    for condition, value in reversed(register.overrides):
        forced = np.broadcast_to(np.asarray(condition.evaluate(now) == 1), (steps,))
        level = np.broadcast_to(np.asarray(value.evaluate(now), dtype=np.uint8), (steps,))
        if_zero, if_one = np.where(forced, level, if_zero), np.where(forced, level, if_one)
    settles = if_zero == if_one
    flips = np.cumsum((if_zero == 1) & (if_one == 0)) & 1
    last = np.maximum.accumulate(np.where(settles, np.arange(steps), -1))
    started = np.where(last >= 0, if_zero[last], start)
    flips_before = np.where(last >= 0, flips[last], 0)
    scanned: Stream = (started ^ flips ^ flips_before).astype(np.uint8)
    return scanned


class PlainEngine:
    """One step at a time, every chip again until nothing changes. Slow and obviously right."""

    def run(self, netlist: Netlist, stimuli: Mapping[str, Stream], steps: int) -> dict[str, Stream]:
        record = {net: np.zeros(steps, dtype=np.uint8) for net in netlist.nets}
        bits: dict[tuple[str, str], int] = {(c.refdes, r.bit): 0 for c in netlist.chips for r in c.type.registers}
        nets = dict.fromkeys(netlist.nets, FLOATING)
        before: dict[str, int] | None = None
        for step in range(steps):
            driven = {n: int(s[step]) for n, s in stimuli.items()}
            nets, bits = self._settle(netlist, driven, nets, before, bits)
            before = nets
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
        if name in _CONSTANT:
            return _CONSTANT[name]
        if name in driven:
            return driven[name]
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
            if chip.content is None or not memory.select.evaluate(values):
                return None
            index = sum(values[name] << i for i, name in enumerate(memory.address))
            return int(chip.content[index % len(chip.content)]) >> memory.data.index(pin) & 1
        output = chip.type.output_of.get(pin)
        if output is None or (output.enable is not None and not output.enable.evaluate(values)):
            return None
        level = int(output.value.evaluate(values))
        return None if output.open_collector and level else level

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
        if register.clock.evaluate(now) and not register.clock.evaluate(earlier):
            return int(evaluate_tree(register.sync, earlier))
        return old


def _plain_values(chip: PlacedChip, nets: Mapping[str, int], bits: Mapping[tuple[str, str], int]) -> dict[str, int]:
    """What every pin of a chip reads, and its stored bits."""
    values = {name: (0, 1, 1, 0)[nets[net]] for name, net in chip.net_of.items()}
    for name, fault in chip.faults.items():
        if fault.kind in ("input-stuck", "open"):
            values[name] = fault.level
    values.update({r.bit: bits[(chip.refdes, r.bit)] for r in chip.type.registers})
    return values
