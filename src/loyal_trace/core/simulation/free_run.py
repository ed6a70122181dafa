"""A board in free run, with or without a fault: what every net does, and the signature a tester would show there.

The processor executes a do-nothing instruction, so its address bus counts; every described clock toggles. What comes
from elsewhere and is driven by nobody floats, and reads as the family of its input reads it.
"""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.roms.signature import Register
from loyal_trace.core.simulation.board_faults import BoardFault
from loyal_trace.core.simulation.machine import Machine
from loyal_trace.core.simulation.netlist import Netlist, PinFault, Stream, build_netlist
from loyal_trace.core.simulation.packed import Words, rising
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say

DEFAULT_CLOCKS = 65_664
_OTHER_STARTS = (1, 2)
# What a processor does with its other lines while it only reads.
# Data are read, and a tester samples, in the second half of a cycle: strobes are active then.
_HIGH_THEN, _LOW_THEN = ("E", "PHI2"), ("/MREQ", "/RD", "/AS", "/UDS", "/LDS", "/M1", "Q", "PHI1", "SYNC", "ALE")
_HIGH = ("/WR", "/HALT", "/IORQ", "/BUSAK", "/RFSH", "RW", "/BG", "VMA")


def free_run(
    board: BoardDefinition,
    library: ChipLibrary,
    clocks: int = DEFAULT_CLOCKS,
    faults: tuple[BoardFault, ...] = (),
    contents: Mapping[str, bytes] | None = None,
) -> Machine:
    """The whole board over so many clocks, two steps each, with its faults.

    RequestError when it has neither clock nor processor, or does not settle.
    """
    pins = tuple(pin for fault in faults for pin in fault.pins)
    bridges = tuple(bridge for fault in faults for bridge in fault.bridges)
    netlist = build_netlist(board, library, _spoilt(contents or {}, faults), pins, bridges=bridges)
    steps = 2 * clocks
    stimuli = _stimuli(board, netlist, steps)
    if not stimuli:
        raise RequestError(say("nothing moves on this board: it has neither a clock nor a processor of a known type"))
    return Machine(netlist, stimuli, steps)


def _spoilt(contents: Mapping[str, bytes], faults: tuple[BoardFault, ...]) -> dict[str, bytes]:
    """The contents of memories with their faulty cells; RequestError where nobody said what a memory holds."""
    found = {refdes: bytearray(data) for refdes, data in contents.items()}
    for refdes, offset, bit, level in (cell for fault in faults for cell in fault.cells):
        if refdes not in found:
            raise RequestError(say("the contents of {refdes} are not known: give a folder of images", refdes=refdes))
        data = found[refdes]
        at = offset % len(data)
        data[at] = data[at] | 1 << bit if level else data[at] & ~(1 << bit)
    return {refdes: bytes(data) for refdes, data in found.items()}


def _stimuli(board: BoardDefinition, netlist: Netlist, steps: int) -> dict[str, Stream]:
    toggling = (np.arange(steps) & 1).astype(np.uint8)
    found: dict[str, Stream] = {clock.net: toggling for clock in board.clocks if clock.net}
    for chip in netlist.chips:
        if not chip.type.cpu_address:
            continue
        count = (np.arange(steps, dtype=np.uint64) + 1) >> 1
        for position, name in enumerate(chip.type.cpu_address):
            found[chip.net_of[name]] = ((count >> np.uint64(position)) & np.uint64(1)).astype(np.uint8)
        names = {pin.name for pin in chip.type.pins}
        found |= {chip.net_of[name]: toggling for name in _HIGH_THEN if name in names}
        found |= {chip.net_of[name]: 1 - toggling for name in _LOW_THEN if name in names}
        found |= {chip.net_of[name]: np.ones(steps, dtype=np.uint8) for name in _HIGH if name in names}
    return found


def signatures(run: Machine, register: Register | None = None) -> dict[str, str]:
    """Net → what a tester with that register shows there, sampled once a clock over the whole run."""
    used = register or Register()
    return {net: signature_of(run.words(net), used, run.steps) for net in sorted(run.netlist.nets)}


def signature_of(words: Words, register: Register, steps: int) -> str:
    """The signature of one net in the symbols 0 to F."""
    return register.shown(signature_value(words, register, steps))


def signature_value(words: Words, register: Register, steps: int) -> int:
    """The signature of one net; it is sampled in the second step of every clock."""
    samples = _SECOND_STEPS.take(words.view(np.uint16)).tobytes()
    if steps % 16:
        kept = np.unpackbits(np.frombuffer(samples, dtype=np.uint8), count=steps // 2)
        samples = np.packbits(kept).tobytes()
    return register.of(samples[: -(-steps // 16)])


def _second_steps() -> NDArray[np.uint8]:
    """Sixteen steps → the eight samples among them, the earliest in the highest bit."""
    steps = np.arange(1 << 16, dtype=np.uint32)
    found = np.zeros(1 << 16, dtype=np.uint8)
    for sample in range(8):
        found |= ((steps >> np.uint32(2 * sample + 1) & np.uint32(1)) << np.uint32(7 - sample)).astype(np.uint8)
    return found


_SECOND_STEPS = _second_steps()


def frequencies_of(run: Machine) -> dict[str, float]:
    """Net → rising edges for one clock."""
    return {net: rising(run.words(net), run.steps) / (run.steps / 2) for net in run.netlist.nets}


def unpredictable_nets(machine: Machine) -> frozenset[str]:
    """Nets that read differently when stored bits begin otherwise, or when chips without a model put out something."""
    found: set[str] = set(machine.unsettled)
    for seed in _OTHER_STARTS:
        other = machine.begun_otherwise(seed)
        found |= {net for net in machine.netlist.nets if not np.array_equal(other.words(net), machine.words(net))}
    return frozenset(found)


def all_faults(board: BoardDefinition, library: ChipLibrary) -> tuple[PinFault, ...]:
    """Every signal pin of every chip of a known type, stuck low and stuck high."""
    found = []
    for part in board.chips:
        if library.knows(part.number):
            for pin in library.find(part.number).pins:
                if pin.role in ("input", "output", "bidirectional"):
                    kind = "input-stuck" if pin.role == "input" else "output-stuck"
                    found += [PinFault(part.refdes, pin.number, kind, level) for level in (0, 1)]
    return tuple(found)
