"""The clock and what is divided from it: each net's frequency predicted from the crystal through the board's counters.

The prediction runs the healthy netlist as streams with the clock toggling and everything that comes from elsewhere left
open, then counts rising edges. Readings name the stage: the first net that is wrong while what feeds its chip is right.
"""

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.supplies import Clock
from loyal_trace.core.chips.expressions import control_names, leaf_names, never_with
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.power.clocks import CrystalLoad, crystal_load
from loyal_trace.core.simulation.machine import Machine
from loyal_trace.core.simulation.netlist import Netlist, PlacedChip, Stream, build_netlist
from loyal_trace.core.vocabulary.identity import natural_key
from loyal_trace.core.vocabulary.units import format_quantity

STEPS = 1 << 17
TOLERANCE = 0.02
_SKIPPED = 4096
_MOST = 64


@dataclass(frozen=True)
class ClockNode:
    """One net of the tree: the pin that drives it, its frequency (hertz), what feeds that chip, and the reading.

    `verdict`: good, bad, follows (bad, but so is what feeds it) or not measured.
    """

    net: str
    pin: str
    frequency: float
    parent: str = ""
    depth: int = 0
    measured: float | None = None
    verdict: str = "not measured"
    why: str = ""


def clock_frequency(board: BoardDefinition, clock: Clock) -> float:
    """Hertz of a clock: of its crystal, else as given; 0 when neither is known."""
    crystal = board.part(clock.part).value if clock.part and board.has(clock.part) else None
    return crystal or clock.frequency


def predict(board: BoardDefinition, library: ChipLibrary, steps: int = STEPS) -> tuple[ClockNode, ...]:
    """The clock trees of a board, each net after the one that feeds it; empty when no clock is described."""
    netlist = build_netlist(board, library)
    found: list[ClockNode] = []
    for clock in board.clocks:
        frequency = clock_frequency(board, clock)
        if frequency > 0:
            found += _tree(board, netlist, clock, frequency, steps)
    return tuple(found)


def _tree(board: BoardDefinition, netlist: Netlist, clock: Clock, frequency: float, steps: int) -> list[ClockNode]:
    """Breadth first from the clock's own net; nets that do not move, or never repeat, are left out."""
    toggling = (np.arange(steps) & 1).astype(np.uint8)
    run = Machine(netlist, {**_released(netlist, steps), clock.net: toggling}, steps, lenient=True)
    source = next((f"{r}.{p}" for r, p in dict(board.nets).get(clock.net, ())), clock.part)
    nodes = {clock.net: ClockNode(clock.net, source, frequency)}
    loaded = _fed_by_memory(netlist)
    queue = [clock.net]
    while queue and len(nodes) < _MOST:
        net = queue.pop(0)
        for chip, pin, driven in _fed_by(netlist, net):
            rate = None if driven in nodes or driven in loaded else _rate(run, driven)
            if rate is not None:
                number = chip.type.pin(pin).number
                depth = nodes[net].depth + 1
                nodes[driven] = ClockNode(driven, f"{chip.refdes}.{number}", frequency * rate, net, depth)
                queue.append(driven)
    return _in_order(nodes, clock.net)


def _released(netlist: Netlist, steps: int) -> dict[str, Stream]:
    """Clears and presets whose pins nobody connected yet, taken as inactive: left open, a high one would hold."""
    found: dict[str, Stream] = {}
    used = Counter(net for chip in netlist.chips for net in chip.net_of.values())
    for chip in netlist.chips:
        for condition in {override[0] for register in chip.type.registers for override in register.overrides}:
            open_pins = [name for name in condition.names if used[chip.net_of.get(name, "")] == 1]
            resting = never_with(condition, open_pins)
            if resting is not None:
                name, level = resting
                found.setdefault(chip.net_of[name], np.full(steps, level, dtype=np.uint8))
    return found


def _fed_by_memory(netlist: Netlist) -> set[str]:
    """Nets that a memory or the processor drives, or that follow from those: no divider makes their frequency."""
    found: set[str] = set()
    feeds: dict[str, set[str]] = {}
    for net, drivers in netlist.drivers.items():
        for chip, pin in drivers:
            if chip.type.memory is not None or chip.type.cpu_address or pin not in chip.type.output_of:
                found.add(net)
            else:
                for name in _needs(chip, pin, clocks_only=False):
                    feeds.setdefault(chip.net_of[name], set()).add(net)
    queue = list(found)
    while queue:
        new = feeds.get(queue.pop(), set()) - found
        found |= new
        queue += new
    return found


def _fed_by(netlist: Netlist, net: str) -> Iterator[tuple[PlacedChip, str, str]]:
    """(chip, output pin, net it drives) of every chip that has a clock or gate input on a net."""
    for chip in netlist.chips:
        if chip.type.memory is not None or chip.type.cpu_address:
            continue
        inputs = {name for name, at in chip.net_of.items() if at == net and name in chip.type.input_names}
        for output in chip.type.outputs if inputs else ():
            if inputs & _needs(chip, output.name):
                yield chip, output.name, chip.net_of[output.name]


def _needs(chip: PlacedChip, pin: str, clocks_only: bool = True) -> set[str]:
    """The input pins that an output depends on by itself or through the bits it shows.

    Of a clocked bit only its clock counts, or, unless `clocks_only`, what it is loaded from as well; what clears or
    presets it does not: a counter is predicted as it runs.
    """
    registers = {r.bit: r for r in chip.type.registers}
    open_names, seen = set(chip.type.output_of[pin].value.names), set()
    while open_names:
        name = open_names.pop()
        if name in seen:
            continue
        seen.add(name)
        if name in registers:
            register = registers[name]
            open_names |= set(register.clock.names) if register.clock is not None else set()
            if register.clock is None or not clocks_only:
                open_names |= set(control_names(register.sync) | leaf_names(register.sync))
    return seen & set(chip.type.input_names)


def _rate(run: Machine, net: str) -> float | None:
    """Rising edges of a net for one of the clock; None when it stands still, comes unevenly or cannot be told."""
    if net in run.unsettled:
        return None
    levels = run.levels(net)[_SKIPPED:].astype(bool)
    rises = np.flatnonzero(levels[1:] & ~levels[:-1])
    if len(rises) < 3 or np.ptp(np.diff(rises)):
        return None
    return float(2 * (len(rises) - 1) / (rises[-1] - rises[0]))


def _in_order(nodes: Mapping[str, ClockNode], root: str) -> list[ClockNode]:
    """Depth first, so that a branch can be drawn under what feeds it."""
    children: dict[str, list[ClockNode]] = {}
    for node in nodes.values():
        if node.net != root:
            children.setdefault(node.parent, []).append(node)
    ordered: list[ClockNode] = []
    stack = [nodes[root]]
    while stack:
        node = stack.pop()
        ordered.append(node)
        stack += sorted(children.get(node.net, []), key=lambda n: (n.frequency, natural_key(n.pin)))
    return ordered


def judge_tree(nodes: tuple[ClockNode, ...], readings: Mapping[str, float]) -> tuple[ClockNode, ...]:
    """The tree with frequencies measured (net → hertz) held against it."""
    judged: dict[str, ClockNode] = {}
    for node in nodes:
        hertz = readings.get(node.net)
        above = judged.get(node.parent)
        if hertz is None:
            judged[node.net] = node
            continue
        good = abs(hertz - node.frequency) <= TOLERANCE * node.frequency
        verdict = "good" if good else "follows" if above and above.verdict in ("bad", "follows") else "bad"
        why = "" if good else _wrong(node, hertz, above)
        judged[node.net] = replace(node, measured=hertz, verdict=verdict, why=why)
    return tuple(judged.values())


def _wrong(node: ClockNode, hertz: float, above: ClockNode | None) -> str:
    """What a frequency that should be another says of its stage."""
    chip = node.pin.split(".")[0]
    wanted = f"{format_quantity(node.frequency, 'Hz')} expected at {node.pin}"
    fed = f" while {above.pin} is right" if above and above.verdict == "good" else ""
    if hertz == 0:
        return f"{wanted}, no signal there{fed}: {chip}, or a part that holds the line"
    ratio = hertz / node.frequency
    skipped = next((n for n in (2, 4, 8, 16) if abs(ratio / n - 1) < 0.05 or abs(ratio * n - 1) < 0.05), 0)
    if skipped:
        side = "skipped" if ratio > 1 else "doubled"
        return f"{wanted}, {format_quantity(hertz, 'Hz')} measured{fed}: a division by {skipped} is {side} in {chip}"
    return f"{wanted}, {format_quantity(hertz, 'Hz')} measured{fed}: {chip}, or its preset and reset inputs"


def first_wrong(nodes: tuple[ClockNode, ...]) -> ClockNode | None:
    """The stage to blame: the wrong net nearest the crystal whose feeder is not wrong."""
    wrong = [node for node in nodes if node.verdict == "bad"]
    return min(wrong, key=lambda node: node.depth) if wrong else None


def load_of(board: BoardDefinition, clock: Clock) -> CrystalLoad | None:
    """The load that a clock's crystal sees from its two capacitors; None when a value is not known."""
    if not (clock.load and board.has(clock.c1) and board.has(clock.c2)):
        return None
    c1, c2 = board.part(clock.c1).value, board.part(clock.c2).value
    return crystal_load(c1, c2, clock.stray, clock.load) if c1 and c2 else None
