"""Arrangements seen, from CSV: `place, part, place, part, …, outcome`, a title line or none."""

import io
from pathlib import Path

from loyal_trace.core.diagnosis.arrangements import Arrangement, outcome_of
from loyal_trace.core.vocabulary.errors import RequestError, UserFileError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.checksum_lists import decode_text
from loyal_trace.formats.csv_rows import numbered_rows
from loyal_trace.formats.rom_files import read_file


def read_arrangements(path: Path) -> tuple[Arrangement, ...]:
    """Every line of the file; UserFileError names the line that cannot be read."""
    text = decode_text(read_file(path), str(path))
    delimiter = ";" if text.count(";") > text.count(",") else "\t" if "\t" in text and "," not in text else ","
    found = []
    for number, row in numbered_rows(io.StringIO(text, newline=""), delimiter, str(path)):
        cells = [cell.strip() for cell in row]
        while cells and not cells[-1]:
            cells.pop()
        if not cells or (number == 1 and cells[0].lower() == "place"):
            continue
        found.append(_arrangement(cells, path, number))
    if not found:
        raise UserFileError(str(path), say("has no line of the form place, part, …, outcome"))
    return tuple(found)


def _arrangement(cells: list[str], path: Path, number: int) -> Arrangement:
    def refused(why: str) -> UserFileError:
        return UserFileError(str(path), say("line {number}: {why}", number=number, why=why))

    if len(cells) < 3 or len(cells) % 2 == 0:
        raise refused(say("expected place and part in turn, then the outcome"))
    # An empty pair is a line shorter than the longest.
    pairs = tuple((place, part) for place, part in zip(cells[:-1:2], cells[1:-1:2], strict=True) if place and part)
    if len({place for place, _ in pairs}) < len(pairs) or len({part for _, part in pairs}) < len(pairs) or not pairs:
        raise refused(say("a place or a part stands in it twice, or none does"))
    try:
        return Arrangement(pairs, outcome_of(cells[-1], [place for place, _ in pairs]))
    except RequestError as error:
        raise refused(str(error)) from None
