"""Parts whose positions are not known, as the map shows them: in groups, large enough to read, never as a plan."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from loyal_trace.core.boards.layout import PartGroup, grouped
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.outline import pin_count
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.units import count_of, marked_quantity

_UNITS = {
    "capacitor": "F",
    "resistor": "Ω",
    "network": "Ω",
    "control": "Ω",
    "crystal": "Hz",
    "fuse": "A",
    "inductor": "H",
}


_COUNTED: Mapping[str, Callable[[int], str]] = {
    "part": lambda n: count_of(n, "part"),
    "chip": lambda n: count_of(n, "chip"),
    "capacitor": lambda n: count_of(n, "capacitor"),
    "resistor": lambda n: count_of(n, "resistor"),
    "transistor": lambda n: count_of(n, "transistor"),
    "diode": lambda n: count_of(n, "diode"),
    "connector": lambda n: count_of(n, "connector"),
    "control": lambda n: count_of(n, "control"),
}


@dataclass(frozen=True)
class TrayPart:
    """One part: its shape (chip, round, small, unknown), and one or two lines beside or under its name."""

    refdes: str
    shape: str
    lines: tuple[str, ...]
    pins: int = 0
    row: str = ""
    column: str = ""


@dataclass(frozen=True)
class TrayGroup:
    """Parts that stand together, with a title; in rows and columns where their names give them."""

    title: str
    count: str
    parts: tuple[TrayPart, ...]
    rows: tuple[str, ...] = ()
    columns: tuple[str, ...] = ()


@dataclass(frozen=True)
class Tray:
    """All parts without a position, how they are arranged, what was not understood, and what positions would add."""

    title: str
    how: str
    groups: tuple[TrayGroup, ...]
    unclear: str = ""
    offer: str = ""
    examples: tuple[tuple[str, str], ...] = ()


def tray_of(board: BoardDefinition) -> Tray | None:
    """What to show of the parts without a position; None when every part has one."""
    groups = grouped(board)
    if not groups:
        return None
    loose = [part for group in groups for part in group.parts]
    placed = len(board.parts) - len(loose)
    title = say("{parts} not placed", parts=count_of(len(loose), "part")) if placed else say("Positions not known")
    how = say("rows and columns from the names, no distances") if groups[0].columns else say("grouped by designator")
    unknown = [part for part in loose if part.kind == "unknown"]
    first = next((part.refdes for part in loose if part.kind == "chip"), loose[0].refdes)
    return Tray(
        title,
        how,
        tuple(_group(group) for group in groups),
        _unclear(unknown),
        say("Distances, room for replacements, and which neighbours a leak reaches. Until then, inspect by eye."),
        ((say("Enter a place"), " ".join((first, "at row 2 column D"))), (say("Add a photo"), "")),
    )


def _unclear(unknown: list[Part]) -> str:
    if not unknown:
        return ""
    first = unknown[0]
    if len(unknown) == 1:
        return say(
            "{refdes} “{number}”: kind not understood, kept as a part of unknown kind.",
            refdes=first.refdes,
            number=first.number[:40],
        )
    return say(
        "{parts} of unknown kind, such as {refdes} “{number}”.",
        parts=count_of(len(unknown), "part"),
        refdes=first.refdes,
        number=first.number[:30],
    )


def _group(group: PartGroup) -> TrayGroup:
    parts = tuple(_tray_part(part) for part in group.parts)
    if group.columns:
        return TrayGroup("", "", parts, group.rows, group.columns)
    kinds = {part.kind for part in group.parts}
    counted = _COUNTED.get(kinds.pop() if len(kinds) == 1 else "", _COUNTED["part"])
    return TrayGroup(group.title, counted(len(parts)), parts)


def _tray_part(part: Part) -> TrayPart:
    shape = "small"
    if part.kind == "unknown":
        shape = "unknown"
    elif part.is_chip:
        shape = "chip"
    elif part.kind == "capacitor":
        shape = "round" if part.polarised else "disc"
    return TrayPart(part.refdes, shape, _lines(part), _pins(part), part.row, part.column)


def _pins(part: Part) -> int:
    return pin_count(part) if part.package.startswith("DIP-") else 0


def _lines(part: Part) -> tuple[str, ...]:
    """The type, or the value and its rating; nothing for what nobody said."""
    unit = _UNITS.get(part.kind)
    if part.value is not None and unit:
        volts = () if part.voltage is None else (f"{part.voltage:g} V",)
        return (marked_quantity(part.value, unit), *volts)
    number = part.short_number if part.is_chip else part.number
    return (number,) if number and number != "?" else ()
