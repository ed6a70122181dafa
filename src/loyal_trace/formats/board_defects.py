"""Defects of a board folder, collected with file, line and remedy while its files are read."""

import re

from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.vocabulary.errors import Defect
from loyal_trace.core.vocabulary.phrases import joined, say


class DefectReader:
    """Collects defects while the three files are read one after the other."""

    def __init__(self, place: str, library: ChipLibrary) -> None:
        self.place, self.library = place, library
        self.defects: list[Defect] = []

    def bad(self, file: str, line: int, what: str, remedy: str) -> None:
        self.defects.append(Defect(file, line, joined(" ", what.split()), remedy))


def line_of(text: str, table: str, index: int, key: str = "") -> int:
    """The line of the n-th `[[table]]` (or `[table]`), or of a key below it."""
    seen = -1
    start = 0
    for number, line in enumerate(text.splitlines(), start=1):
        bare = line.replace(" ", "")
        if bare in (say("[[{table}]]", table=table), say("[{table}]", table=table)):
            seen += 1
            if seen == index:
                start = number
                if not key:
                    return number
        elif start and bare.startswith("[[") and not bare.startswith(f"[[{table}."):
            break
        if start and re.match(rf"\s*{re.escape(key)}\s*=", line):
            return number
    return start
