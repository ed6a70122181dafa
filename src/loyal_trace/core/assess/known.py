"""What is known of a board, aspect by aspect, and where it comes from."""

from collections.abc import Iterable
from dataclasses import dataclass

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of


@dataclass(frozen=True)
class KnownAspect:
    """One aspect: its name, how much is known, from where; `state` is good, doubtful (in part) or unknown."""

    name: str
    told: str
    origin: str
    state: str


def known_of(moment: Moment, board: BoardDefinition, from_file: bool) -> tuple[KnownAspect, ...]:
    """Types, positions, ratings, connections, sockets and functions of a board. `from_file`: it has a folder."""
    facts = moment.snapshot.facts
    told = [entry for place, series in facts.parts.items() if place.board == board.id for entry in series]
    parts = board.parts
    typed = [p for p in parts if p.number not in ("", "?") and p.kind != "unknown"]
    placed = [p for p in parts if p.placed]
    capacitors = [p for p in board.capacitors if p.polarised or p.value is None]
    rated = [p for p in capacitors if p.value is not None and p.voltage is not None]
    pins = sum(len(members) for _, members in board.nets)
    connections = say("{nets}, {pins}", nets=count_of(len(board.nets), "net"), pins=count_of(pins, "pin"))
    paths = [key.item for key in facts.paths if key.board == board.id]
    types = _origins((t.source for t in told if t.number), from_file)
    positions = _origins((t.source for t in told if t.x is not None), from_file and bool(placed))
    found = [
        _of(say("Types"), len(typed), len(parts), types),
        _of(say("Positions"), len(placed), len(parts), positions),
        _of(say("Capacitor ratings"), len(rated), len(capacitors), ""),
    ]
    if board.nets:
        sources = [told.source for told in facts.nets if told.board == board.id]
        checked = any(c.first.board == board.id for c in facts.connections)
        origin = _origins((*sources, *([""] if checked else ())), from_file)
        found.append(KnownAspect(say("Connections"), connections, origin, "good"))
    if board.rom_slots:
        proved = sum(1 for slot in board.rom_slots if slot.sums)
        words = say("{count} of {all} with a checksum", count=proved, all=len(board.rom_slots))
        state = "good" if proved == len(board.rom_slots) else "doubtful"
        found.append(KnownAspect(say("ROM sockets"), words, "", state))
    if paths:
        words = say("{functions} with their path", functions=count_of(len(paths), "function"))
        found.append(KnownAspect(say("Functions"), words, "", "good"))
    return tuple(one for one in found if one.told)


def _of(name: str, known: int, every: int, origin: str) -> KnownAspect:
    state = "good" if known == every else "doubtful" if known else "unknown"
    told = say("{known} of {every}", known=known, every=every) if every else ""
    return KnownAspect(name, told, origin, state)


def _origins(sources: Iterable[str], from_file: bool) -> str:
    """Where facts come from: the board's folder, files by name, or what was entered."""
    found = [say("board folder")] if from_file else []
    found += [source or say("entered") for source in dict.fromkeys(sources)]
    return joined(", ", found)
