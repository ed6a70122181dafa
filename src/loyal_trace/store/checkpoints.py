"""Checkpoints of long jobs beside the database: what was read and folded once is not read and folded again.

A folder for each job holds its stretches, one file each, and the state after them. They are only ever a short cut: each
names the lines that it was made from by their hash and the program by its source, and what does not fit is as if it
were not there. They stand in no archive and no backup, and may be deleted at any time.
"""

import hashlib
import json
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from functools import cache
from importlib import resources
from itertools import chain
from pathlib import Path
from typing import Any

from loyal_trace import __version__
from loyal_trace.core.job.checkpoint import Checkpoint, write_state
from loyal_trace.core.job.entries import Entry
from loyal_trace.core.job.fold import Fold
from loyal_trace.core.job.stretch import (
    STRETCH,
    Outline,
    Stretch,
    outline_of,
    read_outline,
    write_columns,
    write_outline,
)
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.formats.whole_file import write_whole
from loyal_trace.store.store import Store

_STATE = "state"
# Below this a job opens at once without one.
LONG_JOB = 4 * STRETCH


@dataclass(frozen=True)
class Kept:
    """A checkpoint that fits its logbook, and the number of the last line that it stands for."""

    checkpoint: Checkpoint
    last: int


def read_checkpoint(store: Store, job: str) -> Kept | None:
    """The checkpoint of a job; None when there is none, or it does not fit lines, files and program of today."""
    folder = store.checkpoints(job)
    try:
        head, state = _read(folder / _STATE)
        count = int(head["stretches"])
        parts = [_stretch(store, job, folder / f"{number:06}") for number in range(count)]
    except (OSError, ValueError, KeyError, TypeError):
        return None
    heads = [head for head, _, _ in parts]
    if not parts or head["of"] != _of_all(heads):
        return None
    # Between its stretches, and before them, there is no other line.
    last = int(heads[-1]["last"])
    if store.count_until(job, last) != count * STRETCH:
        return None
    outlines = [outline for _, outline, _ in parts]
    whole = Outline(
        tuple(chain.from_iterable(one.ids for one in outlines)),
        tuple(chain.from_iterable(one.links for one in outlines)),
        tuple(sorted(set(chain.from_iterable(one.files for one in outlines)))),
    )
    stretches = tuple(stretch for _, _, stretch in parts)
    return Kept(Checkpoint(whole, stretches, frozenset(head["dead"]), state), last)


def _stretch(store: Store, job: str, path: Path) -> tuple[dict[str, Any], Outline, Stretch]:
    head, body = _read(path)
    outline, _, columns = body.partition(b"\n")
    if store.digest_between(job, head["first"], head["last"]) != (STRETCH, head["lines"]):
        raise ValueError(path.name)
    told = read_outline(outline)
    return head, told, Stretch(columns, told.ids)


def _of_all(heads: Sequence[dict[str, Any]]) -> str:
    return hashlib.sha256("".join(head["lines"] for head in heads).encode()).hexdigest()


def _read(path: Path) -> tuple[dict[str, Any], bytes]:
    """The head and the body of a file; ValueError when it is damaged or was written by another program."""
    first, _, body = path.read_bytes().partition(b"\n")
    head = json.loads(first)
    if head["program"] != _program() or head["body"] != hashlib.sha256(body).hexdigest():
        raise ValueError(path.name)
    return head, body


def _write(path: Path, body: bytes, **head: Any) -> dict[str, Any]:
    told = {**head, "program": _program(), "body": hashlib.sha256(body).hexdigest()}
    write_whole(path, json.dumps(told).encode() + b"\n" + body, "checkpoint", make_folders=True, private=True)
    return told


def keep_checkpoint(store: Store, job: str, fold: Fold) -> None:
    """Writes the checkpoint of a long job anew where it would save time; a disk that takes none is not in the way."""
    if store.read_only or len(fold.entries) < LONG_JOB or not fold.far_from_kept():
        return
    with suppress(LoyalTraceError):
        _keep(store, job, fold)


def _keep(store: Store, job: str, fold: Fold) -> None:
    folder, heads = store.checkpoints(job), list[dict[str, Any]]()
    end, snapshot, dead = fold.worth_keeping()
    for number, (first, last) in enumerate(store.ends(job, STRETCH)[: end // STRETCH]):
        path, start = folder / f"{number:06}", number * STRETCH
        count, lines = store.digest_between(job, first, last)
        with suppress(OSError, ValueError, KeyError):
            head = _read(path)[0]
            if (head["first"], head["last"], head["lines"]) == (first, last, lines):
                heads.append(head)
                continue
        entries = fold.entries[start : start + STRETCH]
        columns = write_columns(entries)
        if columns is None or count != STRETCH:
            return
        body = write_outline(outline_of(entries)) + b"\n" + columns
        heads.append(_write(path, body, first=first, last=last, lines=lines))
    state = write_state(snapshot, _places(fold))
    _write(folder / _STATE, state, stretches=len(heads), of=_of_all(heads), dead=sorted(dead))


def _places(fold: Fold) -> Callable[[Entry], int | None]:
    def place_of(entry: Entry) -> int | None:
        place = fold.place_of(entry.id)
        return place if place is not None and fold.entries[place] is entry else None

    return place_of


@cache
def _program() -> str:
    """Which program reads and folds: its version, and the source of what does it."""
    told = hashlib.sha256(__version__.encode())
    for package in ("core.job", "core.job.kinds", "core.vocabulary"):
        for file in sorted(resources.files(f"loyal_trace.{package}").iterdir(), key=lambda one: one.name):
            if file.name.endswith(".py"):
                told.update(file.read_bytes())
    return told.hexdigest()
