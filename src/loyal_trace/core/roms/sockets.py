"""Sockets without a board definition: a list of checksums makes one for every name that no board answers to."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import replace

from loyal_trace.core.boards.model import BoardDefinition, Part, RomSlot
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.roms.images import KnownChecksum, base_name

_PLACE = re.compile(r"\d{1,2}[a-z]\d?|(?:u|ic|rom|eprom)\d{1,3}")


def own_sockets(
    sums: Iterable[KnownChecksum], boards: Mapping[str, BoardDefinition], own: BoardDefinition
) -> BoardDefinition:
    """The own board with one socket for each listed name that no socket of the given boards answers to.

    A line that was imported for the own board makes a socket there, whatever boards have joined since: the reads of it
    stay where they were taken. The board itself comes back when there is nothing to add.
    """
    taken = {name.lower() for b in boards.values() for slot in b.rom_slots for name in (slot.refdes, slot.label)}
    here = {name.lower() for slot in own.rom_slots for name in (slot.refdes, slot.label)}
    free = [entry for entry in sums if entry.board in ("", own.id)]
    found = {
        name: entries
        for name, entries in _sockets(free).items()
        if name not in (here if any(entry.board == own.id for entry in entries) else taken)
    }
    if not found:
        return own
    parts = {part.refdes: part for part in own.parts}
    slots = list(own.rom_slots)
    for stem, entries in found.items():
        refdes = stem.upper() if _PLACE.fullmatch(stem) else stem
        known = parts.get(refdes) or Part(refdes, "ROM", "DIP-28", placed=False)
        parts[refdes] = replace(known, socketed=True)
        size = next((e.size for e in entries if e.size is not None), 0)
        slots.append(RomSlot(refdes, "", size, sums=tuple((e.firmware, e.digests) for e in entries)))
    firmwares = sorted({e.firmware for entries in found.values() for e in entries} - {""} | set(own.firmwares))
    return replace(own, parts=tuple(parts.values()), rom_slots=tuple(slots), firmwares=tuple(firmwares))


def can_hold(board: BoardDefinition, refdes: str, library: ChipLibrary) -> bool:
    """Whether a part may hold content: a socket of the board, a memory by its type, or a chip of an unknown type."""
    if any(slot.refdes == refdes for slot in board.rom_slots):
        return True
    part = board.part(refdes)
    if library.knows(part.number):
        return library.find(part.number).memory is not None
    return part.is_chip


def _sockets(sums: Iterable[KnownChecksum]) -> dict[str, list[KnownChecksum]]:
    """Entries by the socket they are for: its place, else the file name without ending, unless only the ending
    tells two chips apart (`prog.1` and `prog.2`)."""
    by_stem: dict[str, list[KnownChecksum]] = {}
    for entry in sums:
        by_stem.setdefault((entry.place or base_name(entry.name).rsplit(".", 1)[0]).lower(), []).append(entry)
    found: dict[str, list[KnownChecksum]] = {}
    for stem, entries in by_stem.items():
        names = {base_name(e.name) for e in entries if not e.place}
        one_chip = len(names) <= len({e.firmware for e in entries})
        for entry in entries:
            found.setdefault(stem if one_chip or entry.place else base_name(entry.name), []).append(entry)
    found.pop("", None)
    return found
