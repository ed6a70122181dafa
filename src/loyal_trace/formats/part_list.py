"""A bare parts list dropped on a job: which part is at which place, found by the titles of two columns."""

from dataclasses import dataclass
from pathlib import Path

from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.formats.part_table import TITLES, guess_columns, places_in, read_table
from loyal_trace.formats.rom_files import read_file

_SUMS = {"crc32", "crc", "md5", "sha1", "sha256"}


@dataclass(frozen=True)
class ListedPart:
    """One line: the place and what is printed on the part."""

    refdes: str
    number: str


def is_part_list(path: Path) -> bool:
    """Does a CSV file begin with titles of a place and of a part, and of no sums?"""
    if path.suffix.lower() not in (".csv", ".tsv") or not path.is_file():
        return False
    try:
        titles = {title.lower() for title in read_table(read_file(path), str(path)).titles}
    except UserFileError:
        return False
    wanted = (titles & set(TITLES["refdes"]), titles & {*TITLES["part"], *TITLES["value"]})
    return not titles & _SUMS and all(wanted)


def read_part_list(path: Path) -> tuple[ListedPart, ...]:
    """The parts of a list, in order; several places in one cell (`U1 U2` or `U1, U2`) are parts of their own.

    UserFileError names the line of a place that is listed twice, and a list without parts.
    """
    name = str(path)
    table = read_table(read_file(path), name)
    columns = guess_columns(table)
    if "refdes" not in columns or "part" not in columns:
        known = say("{titles}; {titles2}", titles=joined(", ", TITLES["refdes"]), titles2=joined(", ", TITLES["part"]))
        raise UserFileError(
            say("{name}, line 1", name=name),
            say("has no columns for place and part"),
            say("titles known: {known}", known=known),
        )
    place, part = columns["refdes"], columns["part"]
    found: dict[str, ListedPart] = {}
    for line, row in enumerate(table.rows[1:], start=table.first_line + 1):
        if len(row) <= max(place, part) or not row[part]:
            continue
        for refdes in places_in(row[place]):
            if refdes in found:
                raise UserFileError(
                    say("{name}, line {line}", name=name, line=line),
                    say("{refdes} is listed twice", refdes=refdes),
                    say("remove one of the two"),
                )
            found[refdes] = ListedPart(refdes, row[part])
    if not found:
        raise UserFileError(name, say("lists no parts"), say("one line a part, with its place"))
    return tuple(found.values())
