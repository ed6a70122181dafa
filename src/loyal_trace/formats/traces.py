"""Captured traces: CSV with a column a channel, or VCD with one-bit signals. Read in pieces."""

import io
import re
import warnings
from collections.abc import Iterator
from itertools import islice
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.simulation.traces import Trace
from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.formats.csv_rows import numbered_rows

_TIME = re.compile(r"time|t|time\s*[\[(]\s*(s|ms|us|µs|ns)\s*[\])]|time_(s|ms|us|ns)", re.IGNORECASE)
_UNITS = {"s": 1.0, "ms": 1e-3, "us": 1e-6, "µs": 1e-6, "ns": 1e-9, "ps": 1e-12, "fs": 1e-15}
_LEVELS = {"0": 0, "1": 1, "l": 0, "h": 1, "low": 0, "high": 1, "false": 0, "true": 1}
# Lines read at once: 10 million samples of 16 channels stay within the memory of a small machine.
_AT_ONCE = 100_000
# A time has no more digits than a count of 64 bits; the language itself refuses numbers of some thousand.
_LONGEST_TIME = 20
_SCALE = re.compile(r"(\d{1,9})\s*(s|ms|us|ns|ps|fs)")


def read_trace(path: Path) -> Trace:
    """The channels of a file by its ending; UserFileError names what cannot be read."""
    try:
        with path.open(encoding="utf-8", errors="replace", newline="") as stream:
            if path.suffix.lower() == ".vcd":
                return _vcd(stream, path)
            return _csv(stream, path)
    except OSError as error:
        raise UserFileError(str(path), error.strerror or str(error)) from None


def _csv(stream: io.TextIOBase, path: Path) -> Trace:
    head = stream.readline()
    delimiter = ";" if head.count(";") > head.count(",") else "\t" if head.count("\t") > head.count(",") else ","
    _, titles = next(numbered_rows([head], delimiter, str(path)), (1, []))
    names = [name.strip() for name in titles]
    if len(names) < 2 or len(set(names)) < len(names) or any(not name for name in names):
        raise UserFileError(str(path), say("its first line has to name the columns, each differently"))
    timed = _TIME.fullmatch(names[0])
    pieces: list[NDArray[np.float64]] = []
    number = 2
    while lines := list(islice(stream, _AT_ONCE)):
        pieces.append(_piece(lines, number, len(names), 1 if timed else 0, delimiter, path))
        number += len(lines)
    whole = np.concatenate(pieces) if pieces else np.empty((0, len(names)))
    unit = next((piece for piece in timed.groups() if piece), "s") if timed else "s"
    times = whole[:, 0] * _UNITS[unit.lower()] if timed else np.arange(len(whole), dtype=np.float64)
    if len(times) < 2 or (np.diff(times) < 0).any():
        raise UserFileError(str(path), say("needs two samples or more, in the order of their times"))
    first = 1 if timed else 0
    return Trace(times, {name: whole[:, n].astype(np.uint8) for n, name in enumerate(names) if n >= first})


def _piece(lines: list[str], first: int, count: int, times: int, delimiter: str, path: Path) -> NDArray[np.float64]:
    """Some lines as numbers: fast where all cells are numbers, cell by cell where levels are words."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", UserWarning)  # a piece of empty lines has no numbers, and need not
            found = np.loadtxt(lines, delimiter=delimiter, ndmin=2)
    except ValueError:
        found = np.array([_row(row, n, count, path) for n, row in _rows(lines, first, delimiter, path)])
    if found.size and found.shape[1] != count:
        raise UserFileError(str(path), say("line {number} has {n} columns", number=first, n=found.shape[1]))
    if found.size and not np.isin(found[:, times:], (0, 1)).all():
        at = int(np.flatnonzero(~np.isin(found[:, times:], (0, 1)).all(axis=1))[0])
        raise _not_a_level(path, first + at)
    return np.asarray(found.reshape(-1, count), dtype=np.float64)


def _rows(lines: list[str], first: int, delimiter: str, path: Path) -> Iterator[tuple[int, list[str]]]:
    for number, row in numbered_rows(lines, delimiter, str(path), first - 1):
        if any(cell.strip() for cell in row):
            yield number, row


def _row(row: list[str], number: int, count: int, path: Path) -> list[float]:
    if len(row) != count:
        raise UserFileError(str(path), say("line {number} has {n} columns", number=number, n=len(row)))
    try:
        return [float(_LEVELS.get(cell.strip().lower(), cell)) for cell in row]
    except ValueError:
        raise _not_a_level(path, number) from None


def _not_a_level(path: Path, number: int) -> UserFileError:
    return UserFileError(str(path), say("line {number}: levels are 0 and 1, times are numbers", number=number))


def _words(stream: io.TextIOBase) -> Iterator[str]:
    for line in stream:
        yield from line.split()


def _vcd(stream: io.TextIOBase, path: Path) -> Trace:
    """One-bit signals by name; of two of one name in different scopes, the scope stands before it."""
    words = _words(stream)
    scale, names = _vcd_head(words, path)
    if not names:
        raise UserFileError(str(path), say("has no signal of one bit"))
    times: list[int] = []
    now = dict.fromkeys(names, 0)
    rows: dict[str, list[int]] = {code: [] for code in names}

    def sample(time: int) -> None:
        times.append(time)
        for code, levels in rows.items():
            levels.append(now[code])

    time = 0
    for word in words:
        if word[0] == "#":
            if times or any(now.values()) or not times:
                sample(time)
            time = int(word[1:]) if word[1:].isdecimal() and len(word) <= _LONGEST_TIME else time
        elif word[0] in "01xXzZ" and word[1:] in now:
            now[word[1:]] = int(word[0] == "1")
    sample(time)
    whole = np.array(times, dtype=np.float64) * scale
    return Trace(whole, {names[code]: np.frombuffer(bytes(levels), dtype=np.uint8) for code, levels in rows.items()})


def _vcd_head(words: Iterator[str], path: Path) -> tuple[float, dict[str, str]]:
    """(seconds a tick, code → name) up to the end of the definitions."""
    scale, scopes = 1e-9, []
    found: dict[str, tuple[str, str]] = {}
    for word in words:
        if word == "$enddefinitions":
            break
        if word == "$timescale":
            match = _SCALE.fullmatch("".join(_until_end(words)))
            if match is None:
                raise UserFileError(str(path), say("its time scale cannot be read"))
            scale = int(match[1]) * _UNITS[match[2]]
        elif word == "$scope":
            scopes.append(_until_end(words)[-1])
        elif word == "$upscope":
            _until_end(words)
            scopes = scopes[:-1]
        elif word == "$var":
            kind = _until_end(words)
            if len(kind) >= 4 and kind[1] == "1":
                found[kind[2]] = (kind[3], ".".join(scopes))
    plain = [name for name, _ in found.values()]
    return scale, {
        c: name if plain.count(name) == 1 else joined(".", (scope, name)) for c, (name, scope) in found.items()
    }


def _until_end(words: Iterator[str]) -> list[str]:
    found = []
    for word in words:
        if word == "$end":
            break
        found.append(word)
    return found or [""]
