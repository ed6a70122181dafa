"""Chip types of one's own, from a file: the schema of the library, or a table of pins (`pin,name,direction`)."""

import io
import re
from pathlib import Path

import tomli_w

from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.checksum_lists import decode_text
from loyal_trace.formats.csv_rows import numbered_rows
from loyal_trace.formats.rom_files import read_file

_NAME = re.compile(r"/?[A-Za-z0-9]+")
_DIRECTIONS = {"out": "out", "output": "out", "both": "out", "bidirectional": "out", "io": "out", "o": "out"}


def read_chip_types(path: Path) -> str:
    """The TOML text of a file of types; a CSV of pins becomes one type, named like the file."""
    text = decode_text(read_file(path), str(path))
    if path.suffix.lower() == ".toml":
        return text
    return _from_pins(text, path)


def _from_pins(text: str, path: Path) -> str:
    """One type without logic: names and directions of its pins."""
    delimiter = ";" if text.count(";") > text.count(",") else "\t" if text.count("\t") > text.count(",") else ","
    pins: dict[int, str] = {}
    driven: list[str] = []
    for number, row in numbered_rows(io.StringIO(text, newline=""), delimiter, str(path)):
        cells = [cell.strip() for cell in row]
        if len(cells) < 2 or (number == 1 and not cells[0].isdecimal()):
            continue
        if not cells[0].isdecimal() or int(cells[0]) in pins or not _NAME.fullmatch(cells[1]):
            raise UserFileError(
                str(path),
                say(
                    "line {number}: “{row}” is not a pin; write number, name (letters and digits, / before an "
                    "active-low one) and in, out or both",
                    number=number,
                    row=", ".join(cells),
                ),
            )
        pins[int(cells[0])] = cells[1].upper()
        if len(cells) > 2 and cells[2].lower() in _DIRECTIONS:
            driven.append(cells[1].upper())
    if sorted(pins) != list(range(1, len(pins) + 1)) or not pins:
        raise UserFileError(
            str(path), say("the pins must be numbered from 1 without a gap; {n} were read", n=len(pins))
        )
    entry = {"title": path.stem.upper(), "pins": " ".join(pins[n] for n in sorted(pins))}
    entry |= {"also_out": " ".join(driven)} if driven else {}
    return tomli_w.dumps({path.stem.upper(): entry})
