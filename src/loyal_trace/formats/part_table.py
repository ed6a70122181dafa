"""A parts list from any spreadsheet as a table to look at: encoding and columns are guessed, and can be chosen.

From the mapped table comes the text of a board definition (`board.toml`, `parts.csv`), which is read like anybody's.
"""

import csv
import io
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import tomli_w

from loyal_trace.core.boards.kinds import UNITS, kind_of
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.parts.marking import parse_marking
from loyal_trace.core.parts.marks import Marking, capacitor_marking
from loyal_trace.core.parts.spec import POLARISED, described_marking
from loyal_trace.core.vocabulary.errors import RequestError, UserFileError
from loyal_trace.core.vocabulary.identity import natural_key
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import parse_quantity
from loyal_trace.formats.rom_files import read_file
from loyal_trace.formats.tables import SPREADSHEET_ENDINGS, TABLE_ENDINGS, PartTable, read_table

TITLES: Mapping[str, tuple[str, ...]] = {
    "refdes": (
        "refdes",
        "ref",
        "refs",
        "reference",
        "references",
        "designator",
        "designation",
        "place",
        "position",
        "location",
        "parts",
        "designators",
        "reference designator",
        "reference designators",
        "locations",
        "places",
        "positions",
        "referenz",
        "bauteilnummer",
    ),
    "part": (
        "part",
        say("part number"),
        "partnumber",
        "mpn",
        "number",
        "type",
        "device",
        "chip",
        "description",
        "name",
        "bauteil",
        "beschreibung",
    ),
    "value": ("value", "val", "wert", "valeur"),
    "package": ("package", "footprint", "case", "housing", "body", "gehäuse"),
    "kind": ("kind", "class", "category"),
    "x": ("x", say("pos x"), "posx", say("mid x"), "center-x(mm)", "x (mm)"),
    "y": ("y", say("pos y"), "posy", say("mid y"), "center-y(mm)", "y (mm)"),
    "rotation": ("rotation", "rot", "angle"),
    "voltage": ("voltage", "volt", "rating"),
    "socketed": ("socketed", "socket"),
    "role": ("role", "use", "purpose"),
    "technology": ("technology", "dielectric", "material"),
    "pitch": ("pitch", say("lead spacing"), say("hole pitch"), "rm"),
    "diameter": ("diameter", "dia", "ø"),
    "room_diameter": ("room", say("room diameter"), say("max diameter"), "room_diameter"),
    "room_height": (say("room height"), say("max height"), "room_height"),
}
NET_TITLES = ("net", say("net name"), "netname", "signal", "node", "netz")
PIN_TITLES = ("pin", "pins", "pad", say("pin number"), "nodes")
_TYPE_NUMBER = re.compile(r"[A-Z]{1,5}-?\d{1,6}[A-Z0-9-]*")
_LOOKS_LIKE_PLACE = re.compile(r"[A-Za-z]{1,4}\d{1,4}[A-Za-z]?|\d{1,2}[A-Za-z]\d?")
_RANGE = re.compile(r"([A-Za-z]{1,4})(\d{1,4})-([A-Za-z]{0,4})(\d{1,4})")
_MARGIN = 24.0
_MOST_WORDS = 12
_SIZES = ("pitch", "diameter", "room_diameter", "room_height")
_TECHNOLOGIES = ("aluminium", "tantalum", "polymer", "ceramic", "film", "mica", "paper")
_WORST_LINES = 40
_SUMS = {"crc32", "crc", "md5", "sha1", "sha256"}


def has_titles(table: PartTable) -> bool:
    """Is the first row one of titles? A list copied from a page often begins with its first part."""
    known = {title for titles in TITLES.values() for title in titles}
    if any(title.lower() in known for title in table.titles):
        return True
    column = _most(table, set())
    first = table.titles[column] if column is not None and column < len(table.titles) else ""
    return not (first and _all_places(first))


def guess_columns(table: PartTable) -> dict[str, int]:
    """Field → column by the titles; a list without titles known is guessed by what its cells look like."""
    lower = [title.lower() for title in table.titles]
    found: dict[str, int] = {}
    for field, titles in TITLES.items():
        column = next((lower.index(title) for title in titles if title in lower), None)
        if column is not None and column not in found.values():
            found[field] = column
    if "refdes" not in found:
        column = _most(table, set(found.values()))
        if column is not None:
            found["refdes"] = column
    if "part" not in found and "value" in found:
        found["part"] = found["value"]
    if "part" not in found and "refdes" in found:
        # Beside the places, without any title known: the next column that has something in it.
        filled = (n for n in range(table.width) if n != found["refdes"] and any(_cell(row, n) for row in table.rows))
        column = next(filled, None)
        if column is not None and not any(title in lower for titles in TITLES.values() for title in titles):
            found["part"] = column
    return found


def _cell(row: Sequence[str], column: int) -> str:
    return row[column] if column < len(row) else ""


def _most(table: PartTable, taken: set[int]) -> int | None:
    """The column in which most cells look like places, if that is more than half of them."""
    rows = [row for row in table.rows if any(row)][:_WORST_LINES]
    below = rows[1:] or rows
    counts = {
        column: sum(1 for row in below if column < len(row) and _all_places(row[column]))
        for column in range(table.width)
        if column not in taken
    }
    best = max(counts, key=lambda column: counts[column], default=None)
    return best if best is not None and counts[best] * 2 > len(below) else None


def _all_places(cell: str) -> bool:
    found = places_in(cell)
    return bool(found) and all(_LOOKS_LIKE_PLACE.fullmatch(place) for place in found)


def places_in(cell: str) -> list[str]:
    """The places in one cell: `U1 U2`, `U1, U2` and `U1;U2` are two, `C1-C4` are four."""
    found: list[str] = []
    for word in re.sub(r"\s*(?:-|–|\.\.+)\s*", "-", re.sub(r"[,;&]|\band\b", " ", cell)).split():
        found += _range(word) or [word]
    return found


_DIGITS = 12  # of both numbers of a range together


def _range(word: str) -> list[str]:
    """`C1-C4` and `C1-4` written out; empty for anything else."""
    match = _RANGE.fullmatch(word)
    if match is None or (match[3] and match[3].upper() != match[1].upper()):
        return []
    if not match[3] and kind_of(match[1]) == "connector":
        return []  # J1-2 is a pin of a plug
    if len(match[2]) + len(match[4]) > _DIGITS:
        return []
    first, last = int(match[2]), int(match[4])
    return [f"{match[1]}{number}" for number in range(first, last + 1)] if first < last < first + 200 else []


@dataclass(frozen=True)
class ListedParts:
    """The parts of a list as rows of `parts.csv` by place, and what was not understood of it, in sentences."""

    rows: dict[str, dict[str, str]]
    unclear: tuple[str, ...] = ()


def listed_parts(table: PartTable, columns: Mapping[str, int], name: str, library: ChipLibrary) -> ListedParts:
    """Every row of a list as parts. `columns`: field → column; RequestError without refdes and part.

    None is dropped: a row without a place that can be read, or with one listed before as something else, is kept as a
    part of unknown kind under the number of its line (ROW7). UserFileError when there is no part at all.
    """
    if "refdes" not in columns or ("part" not in columns and "value" not in columns):
        raise RequestError(say("choose the column of the places and the one of the parts"))
    begin = 1 if has_titles(table) else 0
    rows: dict[str, dict[str, str]] = {}
    unclear: list[str] = []
    for line, cells in enumerate(table.rows[begin:], start=table.first_line + begin):
        told = {field: cells[column] for field, column in columns.items() if column < len(cells)}
        written = joined(" ", (cell for cell in cells if cell))
        if not written:
            continue
        places = [clean for place in places_in(told.get("refdes", "")) if (clean := _clean(place))]
        for refdes in places or [""]:
            made = part_row(refdes, told, library) if refdes else {}
            if refdes and rows.get(refdes, made) == made:
                rows[refdes] = made
                continue
            kept = f"ROW{line}"
            # The wrong column chosen would make a part of every row; a list needs one place at least.
            rows[kept] = {"refdes": kept, "part": written[:60], "kind": "unknown", "package": ""}
            unclear.append(_unclear(line, refdes, written, kept))
        unclear += [_unknown_kind(line, refdes, rows[refdes]) for refdes in places if _is_unknown(rows.get(refdes))]
    if not any(not refdes.startswith("ROW") for refdes in rows):
        raise UserFileError(name, say("lists no parts"), say("choose the column that holds the places"))
    return ListedParts(rows, tuple(dict.fromkeys(unclear)))


def _is_unknown(row: Mapping[str, str] | None) -> bool:
    return row is not None and row["kind"] == "unknown"


def _unclear(line: int, refdes: str, written: str, kept: str) -> str:
    if refdes:
        return say(
            "line {line}: {refdes} is listed before as another part; kept as {kept}, a part of unknown kind",
            line=line,
            refdes=refdes,
            kept=kept,
        )
    return say(
        "line {line}: “{written}” names no place; kept as {kept}, a part of unknown kind",
        line=line,
        written=written[:60],
        kept=kept,
    )


def _unknown_kind(line: int, refdes: str, row: Mapping[str, str]) -> str:
    return say(
        "line {line}: the kind of {refdes} “{number}” was not understood; kept as a part of unknown kind",
        line=line,
        refdes=refdes,
        number=row["part"],
    )


def _clean(place: str) -> str:
    """A place as it is kept: no signs that a place cannot have, designators in capitals (u3 and U3 are one part)."""
    clean = re.sub(r"[^A-Za-z0-9_/+-]", "", place)
    return clean.upper() if _LOOKS_LIKE_PLACE.fullmatch(clean) else clean


def board_from_table(
    table: PartTable, columns: Mapping[str, int], board_id: str, name: str, library: ChipLibrary
) -> dict[str, bytes]:
    """The files of a board with the parts of a list; errors as `listed_parts`.

    Without x and y a part has no place: no millimetres are made of a name such as 5C.
    """
    rows = listed_parts(table, columns, name, library).rows
    outline = _put_in_place(rows)
    return {
        "board.toml": _toml(board_id, name, outline).encode(),
        "parts.csv": _csv(rows[refdes] for refdes in sorted(rows, key=natural_key)).encode(),
    }


def part_row(clean: str, told: Mapping[str, str], library: ChipLibrary) -> dict[str, str]:
    number = told.get("part") or told.get("value") or "?"
    kind = told.get("kind", "").lower() or _kind_of_row(clean, number, library)
    row = {"refdes": clean, "part": number, "kind": kind, "package": told.get("package", "")}
    if kind == "chip" and library.knows(number) and not re.search(r"\d$", row["package"]):
        row["package"] = f"DIP-{len(library.find(number).pins)}"
    # A cell such as 100u 16V holds the value and its rating; a column of its own counts before it.
    marked = _capacitor_in(told.get("value") or number) if kind == "capacitor" else None
    if marked is not None:
        printed = {
            size: say("{size:g}", size=value)
            for size in ("voltage", "diameter", "pitch")
            if (value := getattr(marked, size))
        }
        told = {**printed, **{k: v for k, v in told.items() if v}}
    unit = {"capacitor": "F", "resistor": "Ω", "control": "Ω", "crystal": "Hz", "fuse": "A"}.get(kind)
    value = _number(told.get("value") or told.get("part", ""), unit) if unit else ""
    value = str(marked.value) if marked is not None and marked.value is not None else value
    if value:
        row["value"] = value
    if kind == "capacitor" and value:
        sort, plus = (marked.technology, marked.polarised) if marked is not None else _plain_sort(value)
        row |= ({"technology": sort} if sort else {}) | ({"polarised": "yes"} if plus else {})
    if kind == "capacitor":
        row |= _of_capacitor(told)
    for field, unit in (("voltage", "V"), ("x", ""), ("y", ""), ("rotation", ""), *((size, "") for size in _SIZES)):
        number_text = _number(told.get(field, ""), unit)
        if number_text:
            row[field] = number_text
    if told.get("socketed", "").lower() in ("yes", "y", "1", "true", "x"):
        row["socketed"] = "yes"
    return row


def _capacitor_in(cell: str) -> Marking | None:
    """What a cell says of a capacitor, as far as its first words can be understood: lists say more than markings."""
    words = re.sub(r"[,;](?:\s|$)", " ", cell).split()
    tries = (joined(" ", words[:count]) for count in range(min(len(words), _MOST_WORDS), 0, -1))
    return next((found for text in tries if (found := capacitor_marking(text) or described_marking(text))), None)


def _plain_sort(farad: str) -> tuple[str, bool]:
    """The kind that a value alone suggests, and whether it has a plus."""
    wet = parse_quantity(farad, "F") >= 1e-6
    return ("aluminium" if wet else ""), wet


def _of_capacitor(told: Mapping[str, str]) -> dict[str, str]:
    """What a list says of a capacitor besides value and rating: its role and its kind."""
    row = {"role": told["role"]} if told.get("role") else {}
    kind = next((t for t in _TECHNOLOGIES if t in told.get("technology", "").lower()), "")
    if kind:
        row |= {"technology": kind, "polarised": "yes" if kind in POLARISED else ""}
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


def _put_in_place(rows: dict[str, dict[str, str]]) -> tuple[float, float] | None:
    """Moves the parts with x and y onto the board and returns its width and height (mm); None when there are none.

    All others are marked as not placed.
    """
    placed = {refdes: row for refdes, row in rows.items() if "x" in row and "y" in row}
    for refdes in rows.keys() - placed.keys():
        rows[refdes] |= {"placed": "no"}
        for axis in ("x", "y"):
            rows[refdes].pop(axis, None)
    return (_shifted(placed, "x"), _shifted(placed, "y")) if placed else None


def _shifted(rows: Mapping[str, dict[str, str]], axis: str) -> float:
    """Moves all parts inside the board along one axis; returns its length (mm)."""
    least = min(0.0, min(float(row[axis]) for row in rows.values()) - _MARGIN)
    for row in rows.values():
        row[axis] = f"{float(row[axis]) - least:g}"
    return min(1990.0, max(float(row[axis]) for row in rows.values()) + _MARGIN)


def _toml(board_id: str, name: str, outline: tuple[float, float] | None) -> str:
    told = {"format": 1, "id": board_id, "name": " ".join(name.split())}
    size = {} if outline is None else {"width": outline[0], "height": outline[1]}
    return tomli_w.dumps({"board": told | size})


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
        *_SIZES,
        "role",
    )
    out = io.StringIO()
    writer = csv.DictWriter(out, fields, lineterminator="\n")
    writer.writeheader()
    writer.writerows(rows)
    return out.getvalue()


def is_part_list(path: Path) -> bool:
    """Has a table or spreadsheet a column of places and one of parts, and none of checksums?"""
    if path.suffix.lower() not in (*TABLE_ENDINGS, *SPREADSHEET_ENDINGS) or not path.is_file():
        return False
    try:
        table = read_table(read_file(path), str(path))
    except UserFileError:
        return False
    titles = {title.lower() for title in table.titles}
    if titles & _SUMS or (titles & set(NET_TITLES) and titles & set(PIN_TITLES)):
        return False
    wanted = (titles & set(TITLES["refdes"]), titles & {*TITLES["part"], *TITLES["value"]})
    # Without any title that is known, the cells themselves have to look like places.
    unknown = not any(titles & set(known) for known in TITLES.values())
    return all(wanted) or (unknown and {"refdes", "part"} <= set(guess_columns(table)))
