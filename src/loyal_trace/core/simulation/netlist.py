"""A board's netlist as the simulator sees it: which chip pin is on which net, and what is wrong with which pin."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.chips.model import ChipType

Stream = NDArray[np.uint8]
LOW, HIGH, FLOATING, FIGHT = 0, 1, 2, 3


@dataclass(frozen=True)
class PinFault:
    """A fault at one pin. `kind`: input-stuck, output-stuck or open; `level` is what a stuck or open pin reads as."""

    refdes: str
    pin: int
    kind: str
    level: int = 1


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
    """All chips the library knows, and the (chip, output pin name) pairs that can drive each net."""

    chips: tuple[PlacedChip, ...]
    drivers: Mapping[str, tuple[tuple[PlacedChip, str], ...]]
    nets: tuple[str, ...]


def build_netlist(
    board: BoardDefinition,
    library: ChipLibrary,
    contents: Mapping[str, bytes] | None = None,
    faults: tuple[PinFault, ...] = (),
    left_out: frozenset[str] = frozenset(),
) -> Netlist:
    """Places every known chip; `contents` are memory bytes by refdes, `left_out` chips are not in their sockets."""
    placed = []
    for part in board.chips:
        if part.refdes in left_out or not library.knows(part.number):
            continue
        chip = library.find(part.number)
        nets = {p.name: board.net_of(part.refdes, p.number) or f"{part.refdes}.{p.number}" for p in chip.pins}
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
    return Netlist(tuple(placed), {n: tuple(d) for n, d in drivers.items()}, tuple(sorted(names)))


def as_read(stream: Stream) -> Stream:
    """What a TTL input makes of a net: floating reads high, a fight reads low (the lower transistor wins)."""
    return np.array([0, 1, 1, 0], dtype=np.uint8)[stream]
