"""The grid of what works and what fails: a row a function, a column a part, so that the shared column can be seen."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.vocabulary.identity import PartRef, natural_key
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.units import count_of

MOST_COLUMNS = 16
# What a cell shows: on a working path, on failing paths only, on both or on one that was not tried.
WORKS, FAILS, OPEN = "w", "f", "o"
STATE_KIND = {"works": "good", "partly": "doubtful", "fails": "bad"}
_ORDER = {"fails": 0, "partly": 1, "": 2, "works": 3}


@dataclass(frozen=True)
class GridColumn:
    """A part: its name and type, on how many failing and working paths it is."""

    refdes: str
    number: str
    failing: int
    working: int


@dataclass(frozen=True)
class GridRow:
    """A function: its state, and for each column a cell: empty, `WORKS`, `FAILS` or `OPEN`."""

    name: str
    state: str
    kind: str
    cells: tuple[str, ...]


@dataclass(frozen=True)
class PathGrid:
    """The grid, the column of the picked part (−1 for none), and what was left out of it."""

    columns: tuple[GridColumn, ...]
    rows: tuple[GridRow, ...]
    marked: int = -1
    left_out: str = ""

    @property
    def words(self) -> str:
        """The grid in words, for who does not see it."""
        told = []
        for row in self.rows:
            parts = [c.refdes for c, cell in zip(self.columns, row.cells, strict=True) if cell]
            path = joined(" → ", parts) if parts else say("its path is not entered")
            told.append(say("{name} {state}: {path}", name=row.name, state=row.state, path=path))
        return joined("; ", told)


Function = tuple[str, str, tuple[str, ...]]


def grid_rows_order(functions: Sequence[Function]) -> list[Function]:
    """Failing functions first, working ones last."""
    return sorted(functions, key=lambda one: _ORDER.get(one[1], 2))


def path_grid(
    board: BoardDefinition, functions: Sequence[Function], probability: Mapping[PartRef, float], picked: str
) -> PathGrid | None:
    """The grid of a board's functions: (name, state, parts in order) each; None when no path was entered.

    Of more parts than fit, those on failing paths stay, the likeliest first.
    """
    ordered = grid_rows_order(functions)
    order: dict[str, list[float]] = {}
    for _, _, path in ordered:
        for number, refdes in enumerate(path):
            order.setdefault(refdes, []).append(number / max(1, len(path) - 1))
    if not order:
        return None
    failing = _counts(ordered, ("fails", "partly"))
    working = _counts(ordered, ("works",))

    def worth(refdes: str) -> tuple[bool, float]:
        return failing.get(refdes, 0) > 0, probability.get(PartRef(board.id, refdes), 0.0)

    kept = sorted(order, key=worth, reverse=True)[:MOST_COLUMNS]
    # In the order of the signal, as far as the paths agree about it.
    columns = sorted(kept, key=lambda refdes: (sum(order[refdes]) / len(order[refdes]), natural_key(refdes)))
    left = len(order) - len(columns)
    rows = tuple(
        GridRow(
            name,
            term(state) if state else say("not tried"),
            STATE_KIND.get(state, "unknown"),
            tuple(_cell(refdes, state, path, failing, working) for refdes in columns),
        )
        for name, state, path in ordered
    )
    return PathGrid(
        tuple(
            GridColumn(r, board.part(r).short_number if board.has(r) else "", failing.get(r, 0), working.get(r, 0))
            for r in columns
        ),
        rows,
        columns.index(picked) if picked in columns else -1,
        say("{parts} with less probability not shown", parts=count_of(left, "part")) if left else "",
    )


def _counts(functions: Sequence[Function], states: tuple[str, ...]) -> dict[str, int]:
    found: dict[str, int] = {}
    for _, state, path in functions:
        for refdes in dict.fromkeys(path) if state in states else ():
            found[refdes] = found.get(refdes, 0) + 1
    return found


def _cell(
    refdes: str, state: str, path: tuple[str, ...], failing: Mapping[str, int], working: Mapping[str, int]
) -> str:
    if refdes not in path:
        return ""
    if state == "works":
        return WORKS
    return FAILS if state in ("fails", "partly") and not working.get(refdes) else OPEN
