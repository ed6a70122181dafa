"""A parts list from any spreadsheet as a table to look at: encoding and columns are guessed, and can be chosen.

From the mapped table comes the text of a board definition (`board.toml`, `parts.csv`), which is read like anybody's.
"""

import csv
import io
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from loyal_trace.core.boards.kinds import UNITS, kind_of
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.parts.marking import capacitor_marking, parse_marking
from loyal_trace.core.vocabulary.errors import RequestError, UserFileError
from loyal_trace.core.vocabulary.identity import natural_key
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import parse_quantity
from loyal_trace.formats.checksum_lists import delimiter_of

ENCODINGS = ("utf-8", "cp1252", "utf-16", "cp437", "mac_roman")
TITLES: Mapping[str, tuple[str, ...]] = {
    "refdes": ("refdes", "ref", "refs", "reference", "references", "designator", "designation", "place", "position",
               "location", "parts",
               "referenz", "bauteilnummer"),
    "part": ("part", say("part number"), "partnumber", "mpn", "number", "type", "device", "chip", "description", "name",
             "bauteil", "beschreibung"),
    "value": ("value", "val", "wert", "valeur"),
    "package": ("package", "footprint", "case", "housing", "body", "gehäuse"),
    "kind": ("kind", "class", "category"),
    "x": ("x", say("pos x"), "posx", say("mid x"), "center-x(mm)", "x (mm)"),
    "y": ("y", say("pos y"), "posy", say("mid y"), "center-y(mm)", "y (mm)"),
    "rotation": ("rotation", "rot", "angle"),
    "voltage": ("voltage", "volt", "rating"),
    "socketed": ("socketed", "socket"),
}  # fmt: skip
_OF_CHIPS = ("U", "N", "Z")
_TYPE_NUMBER = re.compile(r"[A-Z]{1,5}-?\d{1,6}[A-Z0-9-]*")
_GRID_PLACE = re.compile(r"(\d{1,2})([A-Z])|([A-Z])(\d{1,2})")
_CELL_X, _CELL_Y, _MARGIN, _ACROSS = 32.0, 24.0, 24.0, 8
_WORST_LINES = 40


@dataclass(frozen=True)
class PartTable:
    """The cells of a list as text, its first row the titles (on `first_line` of the file), and how it was read."""

    rows: tuple[tuple[str, ...], ...]
    encoding: str
    delimiter: str
    first_line: int = 1

    @property
    def titles(self) -> tuple[str, ...]:
        return self.rows[0]

    @property
    def width(self) -> int:
        return max(len(row) for row in self.rows)


def read_table(data: bytes, name: str, encoding: str = "") -> PartTable:
    """The table in a file, decoded as asked, else as the first of `ENCODINGS` that fits; UserFileError otherwise."""
    if not data.strip():
        raise UserFileError(name, say("the file is empty"), say("export the list again"))
    if b"\0" in data and not data.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise UserFileError(name, say("is not text"), say("save the spreadsheet as CSV"))
    tried = [encoding] if encoding else _likely(data)
    for one in tried:
        try:
            text = data.decode(one).lstrip("\ufeff")
        except (UnicodeDecodeError, LookupError):
            continue
        return _table(text, name, one)
    raise UserFileError(
        name, say("is not text in {tried}", tried=joined(say(" or "), tried)), say("choose another encoding")
    )


def _likely(data: bytes) -> list[str]:
    return ["utf-16"] if data.startswith((b"\xff\xfe", b"\xfe\xff")) else ["utf-8", "cp1252", "cp437"]


def _table(text: str, name: str, encoding: str) -> PartTable:
    lines = text.splitlines()
    if not text.strip():
        raise UserFileError(name, say("the file is empty"), say("export the list again"))
    first = next((number for number, line in enumerate(lines) if line.strip()), 0)
    body = "\n".join(lines[first:])
    delimiter = delimiter_of(lines[first])
    try:
        rows = [tuple(cell.strip() for cell in row) for row in csv.reader(io.StringIO(body), delimiter=delimiter)]
    except csv.Error as error:
        raise UserFileError(
            name, say("is not readable CSV ({error})", error=error), say("export the list again")
        ) from None
    return PartTable(tuple(rows), encoding, delimiter, first + 1)


def guess_columns(table: PartTable) -> dict[str, int]:
    """Field → column by the titles; a list without titles known is guessed by what its cells look like."""
    lower = [title.lower() for title in table.titles]
    found: dict[str, int] = {}
    for field, titles in TITLES.items():
        column = next((lower.index(title) for title in titles if title in lower), None)
        if column is not None and column not in found.values():
            found[field] = column
    if "refdes" not in found:
        column = _most(table, re.compile(r"[A-Za-z]{1,3}\d{1,4}|\d{1,2}[A-Z]"), set(found.values()))
        if column is not None:
            found["refdes"] = column
    if "part" not in found and "value" in found:
        found["part"] = found["value"]
    return found


def _most(table: PartTable, looks: re.Pattern[str], taken: set[int]) -> int | None:
    """The column in which most cells look like something, if that is more than half of them."""
    rows = [row for row in table.rows[1:] if any(row)][:_WORST_LINES]
    counts = {
        column: sum(
            1 for row in rows if column < len(row) and all(looks.fullmatch(w) for w in places_in(row[column]) or [""])
        )
        for column in range(table.width)
        if column not in taken
    }
    best = max(counts, key=lambda column: counts[column], default=None)
    return best if best is not None and counts[best] * 2 > len(rows) else None


def places_in(cell: str) -> list[str]:
    """The places in one cell: `U1 U2`, `U1, U2` and `U1;U2` are two."""
    return cell.replace(",", " ").replace(";", " ").split()


def board_from_table(
    table: PartTable, columns: Mapping[str, int], board_id: str, name: str, library: ChipLibrary
) -> dict[str, bytes]:
    """The files of a board with the parts of a list. `columns`: field → column; RequestError without refdes and part.

    UserFileError names the line of a place that is listed twice. Where no x and y are given, a place such as 5C is put
    at column 5, row C, and everything else in rows.
    """
    if "refdes" not in columns or ("part" not in columns and "value" not in columns):
        raise RequestError(say("choose the column of the places and the one of the parts"))
    rows: dict[str, dict[str, str]] = {}
    for line, cells in enumerate(table.rows[1:], start=table.first_line + 1):
        told = {field: cells[column] for field, column in columns.items() if column < len(cells)}
        for refdes in places_in(told.get("refdes", "")):
            if refdes in rows:
                raise UserFileError(
                    say("{name}, line {line}", name=name, line=line),
                    say("{refdes} is listed twice", refdes=refdes),
                    say("remove one of the two"),
                )
            rows[refdes] = _part_row(refdes, told, library)
    if not rows:
        raise UserFileError(name, say("lists no parts"), say("choose the column that holds the places"))
    width, height = _put_in_place(rows)
    return {
        "board.toml": _toml(board_id, name, width, height).encode(),
        "parts.csv": _csv(rows[refdes] for refdes in sorted(rows, key=natural_key)).encode(),
    }


def _part_row(refdes: str, told: Mapping[str, str], library: ChipLibrary) -> dict[str, str]:
    clean = re.sub(r"[^A-Za-z0-9_/+-]", "", refdes)
    number = told.get("part") or told.get("value") or "?"
    kind = told.get("kind", "").lower() or _kind_of_row(clean, number, library)
    row = {"refdes": clean, "part": number, "kind": kind, "package": told.get("package", "")}
    if kind == "chip" and library.knows(number) and not re.search(r"\d$", row["package"]):
        row["package"] = f"DIP-{len(library.find(number).pins)}"
    # A cell such as 100u 16V holds the value and its rating; a column of its own counts before it.
    marked = capacitor_marking(told.get("value") or number) if kind == "capacitor" else None
    if marked is not None and marked.voltage is not None:
        told = {"voltage": say("{voltage:g}", voltage=marked.voltage), **{k: v for k, v in told.items() if v}}
    unit = {"capacitor": "F", "resistor": "Ω", "crystal": "Hz", "fuse": "A"}.get(kind)
    value = _number(told.get("value") or told.get("part", ""), unit) if unit else ""
    value = str(marked.value) if marked is not None and marked.value is not None else value
    if value:
        row["value"] = value
    if kind == "capacitor" and value and parse_quantity(value, "F") >= 1e-6:
        bipolar = marked is not None and marked.polarised is False
        row |= {"technology": "aluminium"} if bipolar else {"polarised": "yes", "technology": "aluminium"}
    for field, unit in (("voltage", "V"), ("x", ""), ("y", ""), ("rotation", "")):
        number_text = _number(told.get(field, ""), unit)
        if number_text:
            row[field] = number_text
    if told.get("socketed", "").lower() in ("yes", "y", "1", "true", "x"):
        row["socketed"] = "yes"
    return row


def _kind_of_row(refdes: str, number: str, library: ChipLibrary) -> str:
    """The kind that the type says; only without one, the kind that the designator suggests.

    Chips on a grid are called C3, D1, F1 or J2 by their place: a type number that is no value is no capacitor or fuse.
    """
    suggested = kind_of(refdes)
    marked = parse_marking(number, suggested, library)
    if marked is not None:
        return marked.kind
    return "unknown" if suggested in UNITS and _TYPE_NUMBER.fullmatch(number.upper()) else suggested


def _number(text: str, unit: str) -> str:
    """The first word of a cell as a number, when it is one; empty otherwise."""
    for piece in (text, text.split()[0] if text.split() else "", text.removesuffix("mm")):
        try:
            return str(parse_quantity(piece.strip(), unit))
        except RequestError:
            continue
    return ""


def _put_in_place(rows: dict[str, dict[str, str]]) -> tuple[float, float]:
    """Gives every part without x and y a place; returns width and height (mm) of a board that holds them all."""
    placed = [row for row in rows.values() if "x" in row and "y" in row]
    lost = [refdes for refdes, row in rows.items() if not ("x" in row and "y" in row)]
    for refdes in lost:  # laid out, not placed: no distance may be worked out from it
        rows[refdes] |= {"placed": "no"}
    # C1 and U3 are designators, not row C and row U: only chips without a designator's letter stand in a grid.
    found = {refdes: match for refdes in lost if (match := _GRID_PLACE.fullmatch(refdes))}
    grid = {r: m for r, m in found.items() if m[1] or (rows[r]["kind"] == "chip" and m[3] not in _OF_CHIPS)}
    if len(grid) * 2 > len(lost) and not placed:
        for refdes, match in grid.items():
            across, down = int(match[1] or match[4]) - 1, ord(match[2] or match[3]) - ord("A")
            rows[refdes] |= {"x": str(_MARGIN + across * _CELL_X), "y": str(_MARGIN + down * _CELL_Y)}
        lost = [refdes for refdes in lost if refdes not in grid]
    below = max((float(row["y"]) + _CELL_Y for row in rows.values() if "y" in row), default=_MARGIN)
    for number, refdes in enumerate(sorted(lost, key=natural_key)):
        at = (_MARGIN + number % _ACROSS * _CELL_X, below + number // _ACROSS * _CELL_Y)
        rows[refdes] |= {"x": str(at[0]), "y": str(at[1])}
    return _shifted(rows, "x"), _shifted(rows, "y")


def _shifted(rows: Mapping[str, dict[str, str]], axis: str) -> float:
    """Moves all parts inside the board along one axis; returns its length (mm)."""
    least = min(0.0, min(float(row[axis]) for row in rows.values()) - _MARGIN)
    for row in rows.values():
        row[axis] = say("{float:g}", float=float(row[axis]) - least)
    return min(1990.0, max(float(row[axis]) for row in rows.values()) + _MARGIN)


def _toml(board_id: str, name: str, width: float, height: float) -> str:
    quoted = name.replace("\\", " ").replace('"', "'")
    return say(
        '[board]\nformat = 1\nid = "{board_id}"\nname = "{quoted}"\nwidth = {width:g}\nheight = {height:g}\n',
        board_id=board_id,
        quoted=quoted,
        width=width,
        height=height,
    )


def _csv(rows: Iterable[dict[str, str]]) -> str:
    fields = (
        "refdes",
        "part",
        "package",
        "kind",
        "x",
        "y",
        "rotation",
        "socketed",
        "placed",
        "value",
        "voltage",
        "polarised",
        "technology",
    )
    out = io.StringIO()
    writer = csv.DictWriter(out, fields, lineterminator="\n")
    writer.writeheader()
    writer.writerows(rows)
    return out.getvalue()
