"""Rows of CSV with their line numbers; whatever is no CSV is a domain error that names the line."""

import csv
from collections.abc import Iterable, Iterator

from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import say


def numbered_rows(lines: Iterable[str], delimiter: str, name: str, before: int = 0) -> Iterator[tuple[int, list[str]]]:
    """(line number, cells) of every row; `before` lines of the file stand before these.

    UserFileError where it is no CSV, such as a cell that never ends.
    """
    rows = csv.reader(lines, delimiter=delimiter)
    try:
        for cells in rows:
            yield before + rows.line_num, cells
    except csv.Error as error:
        where = say("{name}, line {line_num}", name=name, line_num=before + rows.line_num)
        raise UserFileError(where, say("is not readable CSV ({error})", error=error)) from None
