"""Tables of any origin as rows of text: CSV, TSV, semicolons, spreadsheets, columns of spaces as copied from a page."""

import csv
import io
import re
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import joined, say

ENCODINGS = ("utf-8", "cp1252", "utf-16", "cp437", "mac_roman")
TABLE_ENDINGS = (".csv", ".tsv")
SPREADSHEET_ENDINGS = (".xlsx", ".xlsm", ".xls", ".ods")
_ZIP, _OLD_OFFICE = b"PK\x03\x04", b"\xd0\xcf\x11\xe0"
_MOST_ROWS, _MOST_COLUMNS, _MOST_BYTES = 50_000, 100, 32 * 2**20
_LOOKED_AT = 40
# Between the columns of a page that was copied stand at least two blanks; in a list typed by hand only one.
_WIDE_GAP, _SPACES = re.compile(r"\s{2,}|\t"), " "


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


# Patterns that look for places take the square of what they look at.
_LONG_CELL, _LONGEST_CELL = 200, 4000


def read_table(data: bytes, name: str, encoding: str = "") -> PartTable:
    """The table in a file, decoded as asked, else as the first of `ENCODINGS` that fits; UserFileError otherwise."""
    if not data.strip():
        raise UserFileError(name, say("the file is empty"), say("export the list again"))
    if data.startswith((_ZIP, _OLD_OFFICE)):
        return _from_spreadsheet(data, name)
    if b"\0" in data and not data.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise UserFileError(name, say("is not text"), say("save the spreadsheet as CSV"))
    tried = [encoding] if encoding else _likely(data)
    for one in tried:
        try:
            text = data.decode(one).lstrip("\ufeff")
        except (UnicodeDecodeError, LookupError):
            continue
        return table_of_text(text, name, one)
    raise UserFileError(
        name, say("is not text in {tried}", tried=joined(say(" or "), tried)), say("choose another encoding")
    )


def _likely(data: bytes) -> list[str]:
    return ["utf-16"] if data.startswith((b"\xff\xfe", b"\xfe\xff")) else ["utf-8", "cp1252", "cp437"]


def table_of_text(text: str, name: str, encoding: str = "utf-8") -> PartTable:
    """The table in a text, such as one that was copied from a page or a spreadsheet; UserFileError when it is empty."""
    lines = text.splitlines()
    if not text.strip():
        raise UserFileError(name, say("the file is empty"), say("export the list again"))
    first = next((number for number, line in enumerate(lines) if line.strip()), 0)
    body = lines[first:]
    delimiter = separator_of(body)
    split = _split_words if delimiter == _SPACES else _split_csv(delimiter, name)
    rows = [tuple(_plain(cell, name) for cell in row) for row in split(body)]
    return PartTable(tuple(rows), encoding, delimiter, first + 1)


def _plain(cell: str, name: str) -> str:
    """A cell without the blanks around it, in a long one without runs of blanks; UserFileError for one without end."""
    text = cell.strip()
    if len(text) <= _LONG_CELL:
        return text
    text = " ".join(text.split())
    if len(text) > _LONGEST_CELL:
        raise UserFileError(
            name, say("has a cell of {count:,} characters", count=len(text)), say("export the list again")
        )
    return text


def separator_of(lines: list[str]) -> str:
    """What separates the cells: the sign that most of the first lines have equally often; a blank when none has any."""
    looked = [line for line in lines[:_LOOKED_AT] if line.strip()]
    best, most = _SPACES, 0
    # Commas last: 47,5 and R1, R2 have them inside cells of lists with other signs.
    for sign in "\t;|,":
        counts = Counter(line.count(sign) for line in looked)
        alike = max((how_many for number, how_many in counts.items() if number), default=0)
        if alike * 2 > len(looked) and alike > most:
            best, most = sign, alike
    if best != _SPACES or not looked:
        return best
    # No sign stands equally often in most lines: the one of the titles.
    return max(",;\t|", key=looked[0].count) if any(sign in looked[0] for sign in ",;\t|") else _SPACES


def _split_csv(delimiter: str, name: str) -> Callable[[list[str]], list[list[str]]]:
    def split(lines: list[str]) -> list[list[str]]:
        try:
            return list(csv.reader(io.StringIO("\n".join(lines)), delimiter=delimiter))
        except csv.Error as error:
            raise UserFileError(
                name, say("is not readable CSV ({error})", error=error), say("export the list again")
            ) from None

    return split


def _split_words(lines: list[str]) -> list[list[str]]:
    """Columns by wide gaps where most lines have one; else the first word, and the rest of the line."""
    looked = [line.strip() for line in lines[:_LOOKED_AT] if line.strip()]
    wide = sum(bool(_WIDE_GAP.search(line)) for line in looked) * 2 > len(looked)
    return [_WIDE_GAP.split(line.strip()) if wide else line.strip().split(maxsplit=1) for line in lines]


def _from_spreadsheet(data: bytes, name: str) -> PartTable:
    """The first sheet with anything in it. What has no computed value arrives empty."""
    from python_calamine import CalamineError, CalamineWorkbook

    if len(data) > _MOST_BYTES:
        raise UserFileError(name, say("is larger than any parts list"), say("export the list again"))
    try:
        workbook = CalamineWorkbook.from_filelike(io.BytesIO(data))
        for number in range(len(workbook.sheet_names)):
            cells = workbook.get_sheet_by_index(number).to_python(nrows=_MOST_ROWS)
            rows = [tuple(_cell(value) for value in row[:_MOST_COLUMNS]) for row in cells]
            first = next((at for at, row in enumerate(rows) if any(row)), None)
            if first is not None:
                return PartTable(tuple(rows[first:]), "utf-8", "\t", first + 1)
    except (CalamineError, OSError, ValueError) as error:
        raise UserFileError(
            name, say("is not a readable spreadsheet ({error})", error=error), say("export the list again")
        ) from None
    raise UserFileError(name, say("the file is empty"), say("export the list again"))


def _cell(value: object) -> str:
    """A cell as text: whole numbers arrive as 3.0, dates as dates."""
    if isinstance(value, float):
        return f"{value:.12g}"
    if isinstance(value, bool):
        return "yes" if value else ""
    if isinstance(value, (date, datetime, time, timedelta)):
        return str(value)
    return str(value).strip()
