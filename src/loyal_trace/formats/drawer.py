"""The spare parts drawer and shops' offers: CSV files, one line an item, edited cell by cell so that nothing is lost.

Columns that the program does not know stay as they are, and so does everything that was not changed.
"""

import csv
import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from loyal_trace.core.parts.stock import STATE_WORDS, Offer, StockItem, state_word
from loyal_trace.core.vocabulary.errors import RequestError, UserFileError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import parse_quantity, typed_quantity
from loyal_trace.formats.checksum_lists import decode_text

FIELDS = (
    "number",
    "kind",
    "count",
    "value",
    "voltage",
    "technology",
    "diameter",
    "height",
    "pitch",
    "place",
    "state",
    "temperature",
    "hours",
    "ripple",
    "esr",
    "mounting",
    "series",
    "keeper",
    "donor",
    "risk",
)
_UNITS = {"value": "F", "voltage": "V", "ripple": "A", "esr": "Ω", "temperature": "°C"}
_NUMBERS = (
    "value",
    "voltage",
    "diameter",
    "height",
    "pitch",
    "temperature",
    "hours",
    "ripple",
    "esr",
)
_MOST = {"value": 10.0, "voltage": 10_000.0, "diameter": 300.0, "height": 300.0, "pitch": 300.0}
_MOST_COUNT, _MOST_ROWS = 100_000, 20_000
_OFFER_TITLES = {"shop": ("shop", "seller"), "number": ("number", "part", "article"), "minimum": ("minimum", "moq")}


@dataclass(frozen=True)
class DrawerFile:
    """The drawer as it stands in its file: titles and cells, and what they mean."""

    titles: tuple[str, ...] = FIELDS[:11]
    rows: tuple[Mapping[str, str], ...] = ()
    name: str = "drawer.csv"

    @property
    def items(self) -> tuple[StockItem, ...]:
        """The items of the file; UserFileError with the line for what cannot be."""
        return tuple(item_of(row, self.where(n)) for n, row in enumerate(self.rows) if _cell(row, "number"))

    def where(self, index: int) -> str:
        """The line of a row, for people."""
        return say("{name}, line {line}", name=self.name, line=index + 2)

    def find(self, number: str, place: str = "") -> list[int]:
        """The rows of an item, by number and place (empty: any)."""
        wanted = number.strip().upper()
        return [
            n
            for n, row in enumerate(self.rows)
            if _cell(row, "number").upper() == wanted and (not place or _cell(row, "place") == place.strip())
        ]

    def changed(self, index: int, **cells: str) -> "DrawerFile":
        """With some cells of a row changed; a column that is not there yet is added."""
        titles = self.titles + tuple(name for name in cells if name not in self.titles)
        rows = [dict(row) for row in self.rows]
        rows[index] |= cells
        return self._checked(titles, rows)

    def without(self, index: int) -> "DrawerFile":
        """Without a row."""
        return self._checked(self.titles, [dict(row) for n, row in enumerate(self.rows) if n != index])

    def added(self, item: StockItem) -> "DrawerFile":
        """With an item; one of the same number, place and state is counted up."""
        for index in self.find(item.number, item.place):
            row = self.rows[index]
            if STATE_WORDS.get(_cell(row, "state").lower()) == item.state and _cell(row, "place") == item.place:
                have = item_of(row, self.where(index)).count
                return self.changed(index, count=str(have + item.count))
        cells = cells_of(item)
        titles = self.titles + tuple(name for name in cells if name not in self.titles)
        return self._checked(titles, [*(dict(row) for row in self.rows), cells])

    def _checked(self, titles: Sequence[str], rows: Sequence[Mapping[str, str]]) -> "DrawerFile":
        found = replace(self, titles=tuple(titles), rows=tuple(rows))
        _ = found.items  # refused before it is written, never after
        return found

    def text(self) -> str:
        """The file again."""
        out = io.StringIO()
        writer = csv.DictWriter(out, self.titles, lineterminator="\n", extrasaction="ignore", restval="")
        writer.writeheader()
        writer.writerows(self.rows)
        return out.getvalue()


def read_drawer(data: bytes, name: str = "drawer.csv") -> DrawerFile:
    """The file of a drawer; UserFileError names the line of what cannot be read."""
    titles, rows = _table(data, name)
    if "number" not in titles:
        raise UserFileError(
            say("{name}, line 1", name=name), say("has no column “number”"), say("name the columns in the first line")
        )
    found = DrawerFile(titles, rows, name)
    _ = found.items
    return found


def parse_drawer(data: bytes, name: str = "drawer.csv") -> tuple[StockItem, ...]:
    """The items of a drawer's file; only `number` is needed. UserFileError names the line of what cannot be."""
    return read_drawer(data, name).items


def _table(data: bytes, name: str) -> tuple[tuple[str, ...], tuple[Mapping[str, str], ...]]:
    text = decode_text(data, name)
    first = text.split("\n", 1)[0]
    delimiter = next((sign for sign in (";", "\t") if sign in first and "," not in first), ",")
    try:
        listed = list(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True))
    except csv.Error as error:
        raise UserFileError(name, say("is not a table ({error})", error=error), say("save it as CSV")) from None
    if len(listed) > _MOST_ROWS:
        raise UserFileError(name, say("has more than {most:,} lines", most=_MOST_ROWS))
    titles = tuple(title.strip().lower() for title in (listed[0] if listed else ()))
    rows = tuple(
        {title: cell.strip() for title, cell in zip(titles, cells, strict=False)} for cells in listed[1:] if any(cells)
    )
    return titles, rows


def _cell(row: Mapping[str, str], title: str) -> str:
    return (row.get(title) or "").strip()


def item_of(row: Mapping[str, str], where: str) -> StockItem:
    """One line of the drawer; UserFileError with the line and the column for what cannot be."""
    state = STATE_WORDS.get(_cell(row, "state").lower())
    if state is None:
        known = joined(", ", dict.fromkeys(STATE_WORDS).keys() - {""})
        raise UserFileError(where, say("state “{state}” is not one of {known}", state=_cell(row, "state"), known=known))
    count = _number(row, "count", where)
    if count is not None and (count != int(count) or not 0 <= count <= _MOST_COUNT):
        raise UserFileError(where, say("count “{text}” is not a number of parts", text=_cell(row, "count")))
    risk = _number(row, "risk", where) or 0.0
    return StockItem(
        _cell(row, "number"),
        _cell(row, "kind") or "chip",
        int(count) if count is not None else (1 if "count" not in row else 0),
        state=state,
        place=_cell(row, "place"),
        technology=_cell(row, "technology"),
        mounting=_cell(row, "mounting"),
        series=_cell(row, "series"),
        keeper=_cell(row, "keeper"),
        donor=_cell(row, "donor"),
        risk=min(1.0, max(0.0, risk)),
        **{name: _positive(row, name, where) for name in _NUMBERS},
    )


def _positive(row: Mapping[str, str], name: str, where: str) -> float | None:
    found = _number(row, name, where)
    if found is not None and not 0 < found <= _MOST.get(name, 1e9):
        raise UserFileError(
            where,
            say("{name} “{text}” cannot be", name=name, text=_cell(row, name)),
            say("leave the cell empty when it is not known"),
        )
    return found


def _number(row: Mapping[str, str], name: str, where: str) -> float | None:
    text = _cell(row, name)
    try:
        return parse_quantity(text, _UNITS.get(name, "")) if text else None
    except RequestError as error:
        raise UserFileError(where, say("{name}: {error}", name=name, error=error)) from None


def cells_of(item: StockItem) -> dict[str, str]:
    """An item as the cells of its line, empty ones left out but for the usual columns."""
    cells = {"number": item.number, "kind": item.kind, "count": str(item.count), "place": item.place}
    cells["state"] = state_word(item.state)
    for name in _NUMBERS:
        value = getattr(item, name)
        if value is not None:
            cells[name] = typed_quantity(value).strip() if name in ("value", "ripple", "esr") else f"{value:g}"
    for name in ("technology", "mounting", "series", "keeper", "donor"):
        if getattr(item, name):
            cells[name] = getattr(item, name)
    return cells | ({"risk": f"{item.risk:g}"} if item.risk else {})


def parse_offers(data: bytes, name: str = "offers.csv") -> tuple[Offer, ...]:
    """Offers of shops: `shop,number,price,minimum,shipping,days,trust`; UserFileError names the line."""
    titles, rows = _table(data, name)
    own = {field: next((t for t in known if t in titles), "") for field, known in _OFFER_TITLES.items()}
    if not own["number"]:
        raise UserFileError(say("{name}, line 1", name=name), say("has no column “number”"))
    found = []
    for index, row in enumerate(rows):
        where = say("{name}, line {line}", name=name, line=index + 2)
        number = _cell(row, own["number"])
        if number:
            found.append(_offer(row, where, _cell(row, own["shop"]) or say("shop"), number, own["minimum"]))
    return tuple(found)


def _offer(row: Mapping[str, str], where: str, shop: str, number: str, minimum: str) -> Offer:
    def amount(title: str, default: float, most: float) -> float:
        value = _number(row, title, where) if title else None
        if value is not None and not 0 <= value <= most:
            raise UserFileError(where, say("{name} “{text}” cannot be", name=title, text=_cell(row, title)))
        return default if value is None else value

    trust = amount("trust", 0.95, 100.0)
    return Offer(
        shop,
        number,
        amount("price", 0.0, 1e6),
        max(1, int(amount(minimum, 1.0, 1e6))),
        amount("shipping", 0.0, 1e6),
        amount("days", 0.0, 1000.0),
        trust / 100 if trust > 1 else trust,
        _cell(row, "kind") or "capacitor",
    )
