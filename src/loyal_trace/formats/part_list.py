"""A bare parts list from any spreadsheet: which part is at which place, found by the titles of two columns."""

import csv
import io
from dataclasses import dataclass
from pathlib import Path

from loyal_trace.core.errors import UserFileError
from loyal_trace.formats.rom_files import read_file
from loyal_trace.formats.sum_lists import decode_text, delimiter_of

PLACE_TITLES = ("refdes", "ref", "reference", "designator", "place", "position", "location")
PART_TITLES = ("part", "part number", "number", "type", "device", "chip", "value")


@dataclass(frozen=True)
class ListedPart:
    """One line: the place and what is printed on the part."""

    refdes: str
    number: str


def _table(text: str) -> list[list[str]]:
    rows = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter_of(text.split("\n", 1)[0]))
    return [[cell.strip() for cell in row] for row in rows]


def _column(head: list[str], titles: tuple[str, ...]) -> int | None:
    lower = [title.lower() for title in head]
    return next((lower.index(title) for title in titles if title in lower), None)


def is_part_list(path: Path) -> bool:
    """Does a CSV file begin with titles of a place and of a part, and of no sums?"""
    if path.suffix.lower() not in (".csv", ".tsv") or not path.is_file():
        return False
    head = (_table(decode_text(read_file(path), str(path))) or [[]])[0]
    sums = {"crc32", "crc", "md5", "sha1", "sha256"} & {title.lower() for title in head}
    return not sums and _column(head, PLACE_TITLES) is not None and _column(head, PART_TITLES) is not None


def read_part_list(path: Path) -> tuple[ListedPart, ...]:
    """The parts of a list, in order; several places in one cell (`U1 U2` or `U1, U2`) are parts of their own.

    UserFileError names the line of a place that is listed twice, and a list without parts.
    """
    name = str(path)
    rows = _table(decode_text(read_file(path), name))
    place, part = _column(rows[0], PLACE_TITLES), _column(rows[0], PART_TITLES)
    if place is None or part is None:
        known = f"{', '.join(PLACE_TITLES)}; {', '.join(PART_TITLES)}"
        raise UserFileError(f"{name}, line 1", "has no columns for place and part", f"titles known: {known}")
    found: dict[str, ListedPart] = {}
    for line, row in enumerate(rows[1:], start=2):
        if len(row) <= max(place, part) or not row[part]:
            continue
        for refdes in row[place].replace(",", " ").split():
            if refdes in found:
                raise UserFileError(f"{name}, line {line}", f"{refdes} is listed twice", "remove one of the two")
            found[refdes] = ListedPart(refdes, row[part])
    if not found:
        raise UserFileError(name, "lists no parts", "one line a part, with its place")
    return tuple(found.values())
