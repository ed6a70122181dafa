"""A third simulator, written apart from the others: only what changes is evaluated, chip by chip, until a step is at rest.

It is the yardstick of the fault dictionary's speed, and what both engines are held against.
"""

from collections import defaultdict, deque

import numpy as np

from loyal_trace.core.chips.expressions import evaluate_tree
from loyal_trace.core.simulation.netlist import Netlist

_MOST_EVENTS = 100_000


class EventDriven:
    """One run. `levels[net]` is what a net reads as now; an undriven net reads high."""

    def __init__(self, netlist: Netlist, stimuli) -> None:
        self.netlist, self.stimuli = netlist, stimuli
        self.levels = dict.fromkeys((*netlist.nets, *stimuli), 1) | dict(netlist.constant)
        self.before = {}
        self.bits = {(chip.refdes, r.bit): 0 for chip in netlist.chips for r in chip.type.registers}
        self.bits_before = dict(self.bits)
        self.drives = defaultdict(dict)
        self.readers = defaultdict(list)
        for chip in netlist.chips:
            for net in set(chip.net_of.values()):
                self.readers[net].append(chip)
        self.first = True

    def run(self, steps):
        """The level of every net at every step."""
        found = {net: np.zeros(steps, dtype=np.uint8) for net in self.netlist.nets}
        for step in range(steps):
            self._step(step)
            for net in self.netlist.nets:
                found[net][step] = self.levels[net]
        return found

    def _step(self, step):
        self.before, self.bits_before = dict(self.levels), dict(self.bits)
        self.queue, self.queued = deque(), set()
        for net, stream in self.stimuli.items():
            self._set(net, int(stream[step]))
        if self.first:
            for chip in self.netlist.chips:
                self._wake(chip)
        for _ in range(_MOST_EVENTS):
            if not self.queue:
                break
            chip = self.queue.popleft()
            self.queued.discard(chip.refdes)
            self._evaluate(chip)
        self.first = False

    def _wake(self, chip):
        if chip.refdes not in self.queued:
            self.queued.add(chip.refdes)
            self.queue.append(chip)

    def _set(self, net, level):
        if self.levels[net] != level:
            self.levels[net] = level
            for chip in self.readers[net]:
                self._wake(chip)

    def _seen(self, chip, levels, bits):
        seen = {name: levels[net] for name, net in chip.net_of.items()}
        seen.update({name: f.level for name, f in chip.faults.items() if f.kind in ("input-stuck", "open")})
        seen.update({r.bit: bits[chip.refdes, r.bit] for r in chip.type.registers})
        return seen

    def _evaluate(self, chip):
        if chip.type.registers:
            earlier = self._seen(chip, self.before, self.bits_before)
            # A latch may read another bit of its chip: once more until the bits are at rest.
            for _ in range(3):
                now = self._seen(chip, self.levels, self.bits)
                for register in chip.type.registers:
                    self.bits[chip.refdes, register.bit] = self._bit(register, now, earlier)
        now = self._seen(chip, self.levels, self.bits)
        for pin in chip.type.output_pins:
            if pin.name in chip.type.cpu_address or chip.net_of[pin.name] in self.stimuli:
                continue
            net, level = chip.net_of[pin.name], self._driven(chip, pin.name, now)
            if net not in self.netlist.constant:
                self.drives[net][chip.refdes, pin.name] = level
                self._set(net, min(self.drives[net].values()))

    def _bit(self, register, now, earlier):
        for condition, value in register.overrides:
            if condition.evaluate(now):
                return int(value.evaluate(now))
        old = earlier[register.bit]
        if register.clock is None:
            return int(evaluate_tree(register.sync, {**now, register.bit: old}))
        if self.first or any(condition.evaluate(earlier) for condition, _ in register.overrides):
            return old
        rises = register.clock.evaluate(now) and not register.clock.evaluate(earlier)
        return int(evaluate_tree(register.sync, earlier)) if rises else old

    @staticmethod
    def _driven(chip, name, now):
        fault = chip.faults.get(name)
        if fault is not None and fault.kind in ("open", "output-stuck"):
            return fault.level if fault.kind == "output-stuck" else 1
        memory, output = chip.type.memory, chip.type.output_of.get(name)
        if memory is not None and name in memory.data:
            if chip.content is None or not memory.select.evaluate(now):
                return 1
            at = sum(now[line] << place for place, line in enumerate(memory.address))
            return int(chip.content[at % len(chip.content)]) >> memory.data.index(name) & 1
        if output is None or (output.enable is not None and not output.enable.evaluate(now)):
            return 1
        return int(output.value.evaluate(now))
