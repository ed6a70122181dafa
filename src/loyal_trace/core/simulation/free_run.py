"""A board in free run, with or without a fault: what every net does, and the signature a tester would show there.

The processor executes a do-nothing instruction, so its address bus counts; every described clock toggles. What comes
from elsewhere and is driven by nobody floats, and reads as the family of its input reads it.
"""

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.probing.cones import cone_of, names_read
from loyal_trace.core.roms.signature import Register
from loyal_trace.core.simulation.engine import Loop, StreamEngine, StreamRun
from loyal_trace.core.simulation.netlist import Netlist, PinFault, PlacedChip, Stream, as_read, build_netlist
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say

DEFAULT_CLOCKS = 65_664
_FAULT = re.compile(r"(\S+)\.(\w+)\s+(stuck\s+[01]|open)", re.IGNORECASE)
# What a processor does with its other lines while it only reads.
_TOGGLING = ("/MREQ", "/RD", "/AS", "/UDS", "/LDS", "/M1", "E", "Q", "PHI1", "PHI2", "VMA", "SYNC", "ALE")
_HIGH = ("/WR", "/HALT", "/IORQ", "/BUSAK", "/RFSH", "RW", "/BG")


@dataclass(frozen=True)
class FreeRun:
    """The streams of all nets for a number of steps (two a clock), and the netlist behind them."""

    netlist: Netlist
    steps: int
    stimuli: Mapping[str, Stream]
    nets: Mapping[str, Stream]
    bits: Mapping[tuple[str, str], Stream]


def fault_of(text: str, board: BoardDefinition, library: ChipLibrary) -> PinFault:
    """`4E.13 stuck 0`, `4E.13 open`; RequestError for another kind, and for a pin that is not there."""
    match = _FAULT.fullmatch(" ".join(text.split()))
    if match is None:
        raise RequestError(say("“{text}” is not a fault: write REFDES.PIN stuck 0, stuck 1 or open", text=text))
    refdes, pin, kind = match[1], match[2], match[3].lower()
    if not board.has(refdes) or not library.knows(board.part(refdes).number):
        raise RequestError(say("there is no chip {refdes} of a known type on this board", refdes=refdes))
    chip = library.find(board.part(refdes).number)
    number = int(pin) if pin.isdecimal() else chip.pin(pin.upper()).number
    role = chip.pin_number(number).role
    if kind == "open":
        return PinFault(refdes, number, "open", 1)
    return PinFault(refdes, number, "input-stuck" if role == "input" else "output-stuck", int(kind[-1]))


def free_run(
    board: BoardDefinition,
    library: ChipLibrary,
    clocks: int = DEFAULT_CLOCKS,
    faults: tuple[PinFault, ...] = (),
    contents: Mapping[str, bytes] | None = None,
) -> FreeRun:
    """The whole board over so many clocks; RequestError when it has neither clock nor processor, or does not settle."""
    netlist = build_netlist(board, library, contents, faults)
    steps = 2 * clocks
    stimuli = _stimuli(board, netlist, steps)
    if not stimuli:
        raise RequestError(say("nothing moves on this board: it has neither a clock nor a processor of a known type"))
    run = StreamRun(netlist, stimuli, steps)
    try:
        nets = {net: run.net(net) for net in netlist.nets}
    except Loop:
        nets = StreamEngine().run(netlist, stimuli, steps)
    return FreeRun(netlist, steps, stimuli, nets, dict(run.bits))


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
        found |= {chip.net_of[name]: toggling for name in _TOGGLING if name in names}
        found |= {chip.net_of[name]: np.ones(steps, dtype=np.uint8) for name in _HIGH if name in names}
    return found


def signatures(run: FreeRun, register: Register | None = None) -> dict[str, str]:
    """Net → what a tester with that register shows there, sampled once a clock over the whole run."""
    used = register or Register()
    return {net: signature_of(stream, used) for net, stream in sorted(run.nets.items())}


def signature_of(stream: Stream, register: Register) -> str:
    """The signature of one net."""
    return register.shown(register.of(np.packbits(as_read(stream)[1::2]).tobytes()))


def frequencies_of(run: FreeRun) -> dict[str, float]:
    """Net → rising edges for one clock."""
    levels = {net: as_read(stream) for net, stream in run.nets.items()}
    clocks = run.steps / 2
    return {net: float(np.count_nonzero(level[1:] > level[:-1])) / clocks for net, level in levels.items()}


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


class FaultyRuns:
    """The board with one fault after the other: only what a fault can reach is computed anew."""

    def __init__(
        self, board: BoardDefinition, library: ChipLibrary, good: FreeRun, contents: Mapping[str, bytes]
    ) -> None:
        self._board, self._library, self._good, self._contents = board, library, good, contents
        self._readers: dict[str, list[tuple[PlacedChip, str]]] = {}
        for chip, output, nets in _outputs(good.netlist):
            for net in nets:
                self._readers.setdefault(net, []).append((chip, output))

    def changed(self, fault: PinFault) -> dict[str, Stream]:
        """The nets that differ from the good run under a fault, with their streams."""
        reached = self._reached(fault)
        netlist = build_netlist(self._board, self._library, self._contents, (fault,))
        run = StreamRun(netlist, self._good.stimuli, self._good.steps)
        run.nets = {net: stream for net, stream in self._good.nets.items() if net not in reached}
        touched = {fault.refdes} | {c.refdes for c in netlist.chips if reached & set(c.net_of.values())}
        run.bits = {key: stream for key, stream in self._good.bits.items() if key[0] not in touched}
        found = {}
        for net in sorted(reached):
            try:
                stream = run.net(net)
            except Loop:
                continue
            if not np.array_equal(stream, self._good.nets[net]):
                found[net] = stream
        return found

    def _reached(self, fault: PinFault) -> set[str]:
        """The nets that a fault can make a difference to."""
        chip = next(c for c in self._good.netlist.chips if c.refdes == fault.refdes)
        name = chip.type.pin_number(fault.pin).name
        if fault.kind == "input-stuck":
            waiting = [chip.net_of[o] for c, o in self._readers.get(chip.net_of[name], ()) if c is chip]
        else:
            waiting = [chip.net_of[name]]
        found: set[str] = set()
        while waiting:
            net = waiting.pop()
            if net not in found and net not in self._good.stimuli:
                found.add(net)
                waiting += [c.net_of[o] for c, o in self._readers.get(net, ())]
        return found


def _outputs(netlist: Netlist) -> Iterator[tuple[PlacedChip, str, set[str]]]:
    """(chip, output, nets that it depends on) of everything that drives."""
    for chip in netlist.chips:
        for pin in chip.type.output_pins:
            cone = cone_of(chip.type, pin.name)
            names = set(names_read(cone)) if cone.outputs else _of_memory(chip, pin.name)
            yield chip, pin.name, {chip.net_of[name] for name in names if name in chip.net_of}


def _of_memory(chip: PlacedChip, name: str) -> set[str]:
    memory = chip.type.memory
    return {*memory.address, *memory.select.names} if memory is not None and name in memory.data else set()
