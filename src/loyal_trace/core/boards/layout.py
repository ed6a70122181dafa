"""Parts whose place nobody said: the rows and columns that their names give, and the groups they belong to."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.vocabulary.identity import natural_key

_GRID_PLACE = re.compile(r"(\d{1,2})([A-Z])\d?|([A-Z])(\d{1,2})")
_DESIGNATOR = re.compile(r"([A-Za-z]+)\d")
# U3, N3 and Z3 are the third chip, not row U: only a name without a chip's letter is a place in a grid.
_LETTERS_OF_CHIPS = ("U", "N", "Z")


def grid_of(kinds: Mapping[str, str]) -> dict[str, tuple[str, str]]:
    """Place → (row, column), where at least half of the chips carry names of a grid; `kinds`: place → kind of part.

    The first sign of a name is its row: 5D is in row 5, column D; B12 in row B, column 12. C1 and U3 are designators.
    """
    chips = [refdes for refdes, kind in kinds.items() if kind == "chip"]
    found: dict[str, tuple[str, str]] = {}
    for refdes in chips:
        match = _GRID_PLACE.fullmatch(refdes.upper())
        if match is not None and match[3] not in _LETTERS_OF_CHIPS:
            found[refdes] = (match[1] or match[3], match[2] or match[4])
    return found if len(found) * 2 >= len(chips) and len(set(found.values())) > 1 else {}


@dataclass(frozen=True)
class PartGroup:
    """Parts that stand together on a map without positions: by designator, or a grid of rows and columns."""

    title: str
    parts: tuple[Part, ...]
    rows: tuple[str, ...] = ()
    columns: tuple[str, ...] = ()


def grouped(board: BoardDefinition) -> tuple[PartGroup, ...]:
    """The parts without a place, in groups: first the grid that they name, if any, then by the letters of their names.

    Parts whose kind was not understood stand last, in a group of their own.
    """
    loose = sorted((part for part in board.parts if not part.placed), key=lambda part: natural_key(part.refdes))
    # Two parts named for one cell (5D1 and 5D2): the first stands there, the other among those without one.
    cells = {(part.row, part.column): part for part in reversed(loose) if part.row and part.column}
    gridded = [part for part in loose if cells.get((part.row, part.column)) is part]
    groups = []
    if len(gridded) > 1:
        rows = _in_order(part.row for part in gridded)
        columns = _in_order(part.column for part in gridded)
        groups.append(PartGroup("", tuple(gridded), rows, columns))
    else:
        gridded = []
    by_letters: dict[str, list[Part]] = {}
    for part in loose:
        if part not in gridded:
            by_letters.setdefault(_group_name(part), []).append(part)
    sizes = {name: max(_rank(part) for part in parts) for name, parts in by_letters.items()}
    order = sorted(by_letters, key=lambda name: (name == "?", -sizes[name], natural_key(name)))
    return (*groups, *(PartGroup(name, tuple(by_letters[name])) for name in order))


def _in_order(names: Iterable[str]) -> tuple[str, ...]:
    return tuple(sorted(set(names), key=natural_key))


def _group_name(part: Part) -> str:
    if part.kind == "unknown":
        return "?"
    match = _DESIGNATOR.match(part.refdes)
    return match[1].upper() if match else part.kind


def _rank(part: Part) -> int:
    """Chips first, then what is measured most."""
    return {"chip": 3, "capacitor": 2, "amplifier": 2}.get(part.kind, 1)
