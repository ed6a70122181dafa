"""ROMs and chips without a board: a list of sums, or a chip's number alone, makes a bare board to work with."""

from collections.abc import Iterable, Mapping

from loyal_trace.core.boards.model import BoardDefinition, Part, RomSlot
from loyal_trace.core.roms.images import KnownSum, base_name

LOOSE_ID = "files"
_COLUMNS, _PITCH_X, _PITCH_Y = 6, 40.0, 56.0


def loose_board(
    sums: Iterable[KnownSum], boards: Mapping[str, BoardDefinition], chips: Mapping[str, tuple[str, int]]
) -> BoardDefinition | None:
    """A board with one socket for each name that no slot of the given boards answers to, and the given chips.

    `chips` are refdes → (type, pin count). None when there is nothing to put on it.
    """
    taken = {slot.refdes.lower() for b in boards.values() for slot in b.rom_slots}
    taken |= {slot.label.lower() for b in boards.values() for slot in b.rom_slots}
    found = {name: entries for name, entries in _sockets(sums).items() if name not in taken}
    count = len(found) + len(chips)
    if not count:
        return None
    rows = -(-count // _COLUMNS)
    places = [(30 + n % _COLUMNS * _PITCH_X, 40 + n // _COLUMNS * _PITCH_Y) for n in range(count)]
    parts, slots = [], []
    for (refdes, (number, pins)), (x, y) in zip(chips.items(), places, strict=False):
        parts.append(Part(refdes, number, f"DIP-{pins}", x=x, y=y, socketed=True))
    for (stem, entries), (x, y) in zip(found.items(), places[len(chips) :], strict=True):
        parts.append(Part(stem, "ROM", "DIP-28", x=x, y=y, rotation=90, socketed=True))
        size = next((e.size for e in entries if e.size is not None), 0)
        slots.append(RomSlot(stem, "", size, sums=tuple((e.firmware, e.digests) for e in entries)))
    firmwares = tuple(sorted({e.firmware for entries in found.values() for e in entries} - {""}))
    return BoardDefinition(
        LOOSE_ID,
        "Loose parts",
        width=20 + _COLUMNS * _PITCH_X,
        height=max(300.0, 30 + rows * _PITCH_Y),
        firmwares=firmwares,
        parts=tuple(parts),
        rom_slots=tuple(slots),
    )


def _sockets(sums: Iterable[KnownSum]) -> dict[str, list[KnownSum]]:
    """Entries by the socket they are for: its place, else the file name without ending, unless only the ending
    tells two chips apart (`prog.1` and `prog.2`)."""
    by_stem: dict[str, list[KnownSum]] = {}
    for entry in sums:
        by_stem.setdefault((entry.place or base_name(entry.name).rsplit(".", 1)[0]).lower(), []).append(entry)
    found: dict[str, list[KnownSum]] = {}
    for stem, entries in by_stem.items():
        names = {base_name(e.name) for e in entries if not e.place}
        one_chip = len(names) <= len({e.firmware for e in entries})
        for entry in entries:
            found.setdefault(stem if one_chip or entry.place else base_name(entry.name), []).append(entry)
    found.pop("", None)
    return found
