"""The fault dictionary of a board: what every net shows in free run, healthy and under every fault of one pin.

Kept as flat arrays, so that thousands of faults take a few megabytes and a file of them is read at once.
"""

import hashlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.chips.expressions import Branch, Tree
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.roms.signature import Register
from loyal_trace.core.simulation.free_run import signature_value, unpredictable_nets
from loyal_trace.core.simulation.machine import Machine
from loyal_trace.core.simulation.netlist import PinFault
from loyal_trace.core.simulation.packed import Words, rising

# Raised whenever the simulation gives other streams than before: what was kept on disk is then of no use.
_EDITION = "2"
# Low and high are their own numbers.
PULSING = 2
Rows = NDArray[np.int64]
STATES = "LHP"


@dataclass(frozen=True)
class Shown:
    """What one net shows over the run: L, H or P; rising edges; the signature (a number)."""

    state: str
    rises: int
    signature: int


@dataclass(frozen=True, eq=False)
class Dictionary:
    """`good_*`: one value a net. Of fault k, the changes are `starts[k]` to `starts[k + 1]` of the flat arrays.

    `unsure` nets hang on what memories and stored bits hold at power-on, or on chips without a model: no reading of
    them is held against anything.
    """

    nets: NDArray[np.str_]
    unsure: NDArray[np.bool_]
    good_state: NDArray[np.uint8]
    good_rises: NDArray[np.int32]
    good_signature: NDArray[np.uint32]
    refdes: NDArray[np.str_]
    pin: NDArray[np.int16]
    kind: NDArray[np.str_]
    level: NDArray[np.uint8]
    starts: NDArray[np.int64]
    net: NDArray[np.int32]
    state: NDArray[np.uint8]
    rises: NDArray[np.int32]
    signature: NDArray[np.uint32]
    clocks: NDArray[np.int64]

    @cached_property
    def number_of(self) -> dict[str, int]:
        """Net → its number in the arrays."""
        return {str(net): number for number, net in enumerate(self.nets)}

    @cached_property
    def faults(self) -> tuple[PinFault, ...]:
        """The faults in their order."""
        rows = zip(self.refdes, self.pin, self.kind, self.level, strict=True)
        return tuple(PinFault(str(refdes), int(pin), str(kind), int(level)) for refdes, pin, kind, level in rows)

    def good(self, net: str) -> Shown:
        """What a net shows on a healthy board."""
        at = self.number_of[net]
        return Shown(STATES[self.good_state[at]], int(self.good_rises[at]), int(self.good_signature[at]))

    def changes(self, fault: int) -> dict[str, Shown]:
        """The nets that show something else under a fault."""
        part = slice(int(self.starts[fault]), int(self.starts[fault + 1]))
        rows = zip(self.net[part], self.state[part], self.rises[part], self.signature[part], strict=True)
        return {str(self.nets[n]): Shown(STATES[state], int(rises), int(sign)) for n, state, rises, sign in rows}

    @cached_property
    def fault_of_change(self) -> NDArray[np.int64]:
        """The fault that each of the flat values belongs to."""
        return np.repeat(np.arange(len(self.pin)), np.diff(self.starts))

    @cached_property
    def visible(self) -> NDArray[np.bool_]:
        """Which faults change the signature of a net that can be relied on."""
        told = ~self.unsure[self.net] & (self.signature != self.good_signature[self.net])
        return np.bincount(self.fault_of_change, weights=told, minlength=len(self.pin)) > 0

    def column(self, quantity: str, net: str) -> NDArray[np.int64]:
        """What every fault shows at one net: its `state`, `rises` or `signature`."""
        at = self.number_of[net]
        values, good = getattr(self, quantity), getattr(self, f"good_{quantity}")
        found = np.full(len(self.pin), good[at], dtype=np.int64)
        hits = np.flatnonzero(self.net == at)
        found[self.fault_of_change[hits]] = values[hits]
        return found

    def groups(self) -> int:
        """How many groups of faults the signatures of all nets tell apart, those without effect left out."""
        rows = (self._row(fault) for fault in range(len(self.pin)))
        return len({row for row in rows if row != (b"", b"")})

    def _row(self, fault: int) -> tuple[bytes, bytes]:
        part = slice(int(self.starts[fault]), int(self.starts[fault + 1]))
        order = np.argsort(self.net[part])
        return self.net[part][order].tobytes(), self.signature[part][order].tobytes()


def shown_by(words: Words, steps: int, register: Register) -> tuple[int, int, int]:
    """(state, rising edges, signature) of a stream."""
    rises = rising(words, steps)
    state = PULSING if rises or _falls(words) else int(words[0]) & 1
    return state, rises, signature_value(words, register, steps)


def _falls(words: Words) -> bool:
    """Whether a stream that never rises changes all the same: high at first, low at the end."""
    return bool(int(words[0]) & 1 and not int(words[-1]) >> 63)


def compute(
    machine: Machine,
    faults: Sequence[PinFault],
    register: Register,
    tell: Callable[[int], None] = lambda done: None,
) -> Dictionary:
    """The dictionary of these faults over a machine that ran healthy. `tell` is called with the faults done so far."""
    return assembled(machine, faults, register, fault_rows(machine, faults, register, tell))


def fault_rows(
    machine: Machine,
    faults: Sequence[PinFault],
    register: Register,
    tell: Callable[[int], None] = lambda done: None,
) -> list[Rows]:
    """Of each fault, a row for every net that it changes: number of the net, state, rising edges, signature."""
    number = {net: place for place, net in enumerate(machine.netlist.nets)}
    found = []
    for done, fault in enumerate(faults, start=1):
        changed = machine.changed(fault).items()
        rows = [(number[net], *shown_by(words, machine.steps, register)) for net, words in changed]
        found.append(np.array(rows, dtype=np.int64).reshape(-1, 4))
        tell(done)
    return found


def assembled(machine: Machine, faults: Sequence[PinFault], register: Register, rows: Sequence[Rows]) -> Dictionary:
    """The dictionary of faults whose rows were computed, here or by several processes."""
    nets = machine.netlist.nets
    good = [shown_by(machine.words(net), machine.steps, register) for net in nets]
    state, rises, signature = np.array(good, dtype=np.int64).T
    flat = np.concatenate([np.empty((0, 4), dtype=np.int64), *rows])
    unsure = unpredictable_nets(machine)
    return Dictionary(
        nets=np.array(nets),
        unsure=np.array([net in unsure for net in nets]),
        good_state=state.astype(np.uint8),
        good_rises=rises.astype(np.int32),
        good_signature=signature.astype(np.uint32),
        refdes=np.array([fault.refdes for fault in faults], dtype=np.str_),
        pin=np.array([fault.pin for fault in faults], dtype=np.int16),
        kind=np.array([fault.kind for fault in faults], dtype=np.str_),
        level=np.array([fault.level for fault in faults], dtype=np.uint8),
        starts=np.cumsum([0, *(len(one) for one in rows)], dtype=np.int64),
        net=flat[:, 0].astype(np.int32),
        state=flat[:, 1].astype(np.uint8),
        rises=flat[:, 2].astype(np.int32),
        signature=flat[:, 3].astype(np.uint32),
        clocks=np.array([machine.steps // 2], dtype=np.int64),
    )


def content_key(
    board: BoardDefinition, library: ChipLibrary, contents: Mapping[str, bytes], clocks: int, register: Register
) -> str:
    """A name for everything that a dictionary follows from: parts, their logic, nets, clocks, contents, register."""
    found = hashlib.sha256()
    known = [(part.refdes, part.number) for part in board.chips if library.knows(part.number)]
    types = sorted({number for _, number in known})
    images = sorted((refdes, hashlib.sha256(data).hexdigest()) for refdes, data in contents.items())
    logic = [_described(library.find(number)) for number in types]
    fed = sorted(clock.net for clock in board.clocks)
    found.update(repr((_EDITION, known, logic, board.nets, fed, images, clocks, register)).encode())
    return found.hexdigest()


def _described(chip: ChipType) -> object:
    """All that decides what a chip does."""
    outputs = [(o.name, o.value.text, o.enable.text if o.enable else "", o.open_collector) for o in chip.outputs]
    bits = [
        (r.bit, _tree(r.sync), r.clock.text if r.clock else "", [(c.text, v.text) for c, v in r.overrides])
        for r in chip.registers
    ]
    memory = (chip.memory.address, chip.memory.data, chip.memory.select.text) if chip.memory else ()
    return chip.name, chip.pins, outputs, bits, memory, chip.cpu_address


def _tree(tree: Tree) -> object:
    if isinstance(tree, Branch):
        return tree.condition.text, _tree(tree.then), _tree(tree.other)
    return tree.text
