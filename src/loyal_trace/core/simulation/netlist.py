"""A board's netlist as the simulator sees it: which chip pin is on which net, and what is wrong with which pin."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.chips.model import ChipType

Stream = NDArray[np.uint8]
_NAMED = {"VCC": 1, "GND": 0}
LOW, HIGH, FLOATING, FIGHT = 0, 1, 2, 3


@dataclass(frozen=True)
class PinFault:
    """A fault at one pin. `level` is what a stuck or open pin reads as.

    `kind`: input-stuck, output-stuck or open; slow (an output shows what it should one clock, two steps, ago); leaky
    (the pin pulls its net low while nobody drives it high).
    """

    refdes: str
    pin: int
    kind: str
    level: int = 1


@dataclass(frozen=True)
class Bridge:
    """Two nets that touch. `kind`: and (any low wins, as with TTL), or (any high wins), strong (`one` wins)."""

    one: str
    other: str
    kind: str = "and"


@dataclass(frozen=True, eq=False)
class PlacedChip:
    """A chip of the board with the net of every pin (by pin name), its memory content and its faulty pins."""

    refdes: str
    type: ChipType
    net_of: Mapping[str, str]
    content: Stream | None = None
    faults: Mapping[str, PinFault] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Netlist:
    """All chips the library knows, the (chip, output pin name) pairs that can drive each net, and nets that touch.

    `constant`: the level of nets that are supplies: named so, or on supply and ground pins of chips.
    """

    chips: tuple[PlacedChip, ...]
    drivers: Mapping[str, tuple[tuple[PlacedChip, str], ...]]
    nets: tuple[str, ...]
    bridges: tuple[Bridge, ...] = ()
    constant: Mapping[str, int] = field(default_factory=lambda: dict(_NAMED))


def build_netlist(
    board: BoardDefinition,
    library: ChipLibrary,
    contents: Mapping[str, bytes] | None = None,
    faults: tuple[PinFault, ...] = (),
    left_out: frozenset[str] = frozenset(),
    bridges: tuple[Bridge, ...] = (),
) -> Netlist:
    """Places every known chip; `contents` are memory bytes by refdes, `left_out` chips are not in their sockets."""
    placed = []
    for part in board.chips:
        if part.refdes in left_out or not library.knows(part.number):
            continue
        chip = library.find(part.number)
        nets = {p.name: board.line_of(part.refdes, p.number) for p in chip.pins}
        data = (contents or {}).get(part.refdes)
        memory = np.frombuffer(data, dtype=np.uint8) if data is not None else None
        wrong = {chip.pin_number(f.pin).name: f for f in faults if f.refdes == part.refdes}
        placed.append(PlacedChip(part.refdes, chip, nets, memory, wrong))
    drivers: dict[str, list[tuple[PlacedChip, str]]] = {}
    for item in placed:
        for pin in item.type.output_pins:
            if pin.name not in item.type.cpu_address:
                drivers.setdefault(item.net_of[pin.name], []).append((item, pin.name))
    names = {net for item in placed for net in item.net_of.values()}
    frozen = {net: tuple(pairs) for net, pairs in drivers.items()}
    return Netlist(tuple(placed), frozen, tuple(sorted(names)), bridges, _constant(board, placed, frozen))


def with_faults(netlist: Netlist, faults: tuple[PinFault, ...]) -> Netlist:
    """The same netlist with more faults at the pins of its chips."""
    chips = []
    for chip in netlist.chips:
        more = {chip.type.pin_number(f.pin).name: f for f in faults if f.refdes == chip.refdes}
        chips.append(replace(chip, faults={**chip.faults, **more}) if more else chip)
    of = {chip.refdes: chip for chip in chips}
    drivers = {net: tuple((of[chip.refdes], pin) for chip, pin in pairs) for net, pairs in netlist.drivers.items()}
    return replace(netlist, chips=tuple(chips), drivers=drivers)


def _constant(board: BoardDefinition, placed: list[PlacedChip], driven: Mapping[str, object]) -> dict[str, int]:
    """Supply nets and their levels; ground wins where a net is on pins of both kinds."""
    found: dict[str, int] = {}
    for role, level in (("power", 1), ("ground", 0)):
        for chip in placed:
            # By number: a chip may have several supply pins of one name.
            nets = (board.net_of(chip.refdes, pin.number) for pin in chip.type.pins if pin.role == role)
            found.update({net: level for net in nets if net and net not in driven})
    return found | _NAMED


def as_read(stream: Stream) -> Stream:
    """What a TTL input makes of a net: floating reads high, a fight reads low (the lower transistor wins)."""
    return np.array([0, 1, 1, 0], dtype=np.uint8)[stream]
