"""Power cuts below the database: what a process really did to its files is written down, and replayed up to a moment.

A small library between the process and its files (`recorder.c`) writes down every write, truncation, rename and forced
write of the store's folder. A cut keeps what was forced to the disk. Of everything since, any part is there, torn at
sectors of 512 bytes; a file or folder whose own folder was not forced may be there or not. The real store does the
work: entries, attachments, checkpoints, opening and closing.
"""

import os
import random
import shutil
import struct
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

from benchmarks.endure import Tally
from loyal_trace.app.store_care import check_store
from loyal_trace.store.store import Store

_HEAD = struct.Struct("=cIIQ")
_SECTOR = 512
_SOURCE = Path(__file__).with_name("recorder.c")


@dataclass(frozen=True)
class Event:
    """Something that was done to a file: its sort (a letter of `recorder.c`), path, offset, data."""

    sort: str
    path: str
    offset: int
    data: bytes


@dataclass
class _File:
    """What is safe of a file, and what was done to it since: (offset, data), or (size, None) for a truncation."""

    safe: bytearray = field(default_factory=bytearray)
    since: list[tuple[int, bytes | None]] = field(default_factory=list)

    def sync(self) -> None:
        """Everything is forced to the disk."""
        for change in self.since:
            _apply(self.safe, change)
        self.since.clear()

    def after_cut(self, rng: random.Random) -> bytes:
        """What a cut leaves: each change since wholly, in part or not at all."""
        left = bytearray(self.safe)
        for offset, data in self.since:
            fate = rng.random()
            if fate < 0.4:
                continue
            torn = data is not None and fate < 0.6
            some = data[: _SECTOR * rng.randint(0, len(data) // _SECTOR)] if torn and data is not None else data
            _apply(left, (offset, some))
        return bytes(left)


def _apply(content: bytearray, change: tuple[int, bytes | None]) -> None:
    offset, data = change
    if data is None:
        del content[offset:]
        content.extend(bytes(offset - len(content)))
        return
    if offset > len(content):
        content.extend(bytes(offset - len(content)))
    content[offset : offset + len(data)] = data


class Disk:
    """The files of one folder as a disk has them: what is safe, and what a cut may lose."""

    def __init__(self, folder: Path) -> None:
        self._folder = str(folder)
        self._names: dict[str, _File] = {}
        self._safe: dict[str, _File | None] = {self._folder: None}
        self._moves: list[tuple[str, str, _File | None, str]] = []
        self.acknowledged: list[str] = []

    def play(self, event: Event) -> None:
        """One more thing was done."""
        if event.path.endswith("/acks"):
            self.acknowledged += event.data.decode().split()
            return
        play = {"O": self._open, "W": self._write, "T": self._truncate, "S": self._sync, "R": self._rename}
        if event.sort == "U":
            self._names.pop(event.path, None)
            self._moves.append((_folder_of(event.path), event.path, None, ""))
        elif event.sort == "M":
            self._moves.append((_folder_of(event.path), event.path, None, "folder"))
        else:
            play[event.sort](event)

    def _open(self, event: Event) -> None:
        if event.path not in self._names:
            self._names[event.path] = made = _File()
            self._moves.append((_folder_of(event.path), event.path, made, ""))
        if event.offset:
            self._names[event.path].since.append((0, None))

    def _write(self, event: Event) -> None:
        if event.path in self._names:
            self._names[event.path].since.append((event.offset, event.data))

    def _truncate(self, event: Event) -> None:
        if event.path in self._names:
            self._names[event.path].since.append((event.offset, None))

    def _sync(self, event: Event) -> None:
        if event.path in self._names:
            self._names[event.path].sync()
            return
        rest = []
        for move in self._moves:
            if move[0] == event.path:
                _move(self._safe, move)
            else:
                rest.append(move)
        self._moves = rest

    def _rename(self, event: Event) -> None:
        target = event.data.decode()
        moved = self._names.pop(event.path, None)
        if moved is not None:
            self._names[target] = moved
            self._moves.append((_folder_of(target), event.path, moved, target))

    def after_cut(self, rng: random.Random) -> Iterator[tuple[str, bytes]]:
        """(path inside the folder, content) of what a cut leaves; folders that are not there take their files along."""
        names = dict(self._safe)
        # The changes of names come to the disk in their order, as far as they come.
        for move in self._moves[: rng.randint(0, len(self._moves))]:
            _move(names, move)
        for path, file in names.items():
            if file is not None and all(parent in names for parent in self._parents(path)):
                yield os.path.relpath(path, self._folder), file.after_cut(rng)

    def _parents(self, path: str) -> Iterator[str]:
        while path != self._folder:
            path = _folder_of(path)
            yield path


def _folder_of(path: str) -> str:
    return path.rpartition("/")[0]


def _move(names: dict[str, _File | None], move: tuple[str, str, _File | None, str]) -> None:
    _, path, file, target = move
    if target == "folder":
        names[path] = None
    elif target:
        names.pop(path, None)
        names[target] = file
    elif file is None:
        names.pop(path, None)
    else:
        names[path] = file


def events_in(trace: Path) -> list[Event]:
    """What the recorder wrote down."""
    data, at, found = trace.read_bytes(), 0, []
    while at + _HEAD.size <= len(data):
        sort, length, size, offset = _HEAD.unpack_from(data, at)
        at += _HEAD.size
        path = data[at : at + length].decode()
        found.append(Event(sort.decode(), path, offset, data[at + length : at + length + size]))
        at += length + size
    return found


def can_record() -> bool:
    """Is there a compiler for the recorder?"""
    return (shutil.which("gcc") or shutil.which("cc")) is not None


@cache
def recorder(folder: Path) -> Path:
    """The library, compiled into a folder."""
    made = folder / "recorder.so"
    subprocess.run(
        [shutil.which("gcc") or "cc", "-shared", "-fPIC", "-O1", "-o", made, _SOURCE, "-ldl", "-lpthread"], check=True
    )
    return made


_WORK = """
import os, random, sys
from datetime import UTC, datetime
from pathlib import Path
from loyal_trace.core.job.entries import Note, RomRead
from loyal_trace.store.store import Store
folder, rounds, seed = Path(sys.argv[1]), int(sys.argv[2]), int(sys.argv[3])
rng, number, when = random.Random(seed), 0, datetime(2026, 1, 1, tzinfo=UTC)
acks = os.open(folder / "acks", os.O_WRONLY | os.O_CREAT)
for turn in range(rounds):
    with Store(folder / "store") as store:
        if not store.has_job("j"):
            store.create_job("j", "J", "2026", {}, [])
        for _ in range(rng.randint(1, 12)):
            if rng.random() < 0.3:
                sha = store.put_attachment(rng.randbytes(rng.choice((100, 5000, 70_000))))
                entry = RomRead(id=f"n{number}", time=when, board="b", place="U1", attachment=sha, size=9)
            else:
                entry = Note(id=f"n{number}", time=when, text="x" * rng.choice((10, 300, 9000)))
            store.append("j", entry)
            os.write(acks, f"n{number} ".encode())
            number += 1
"""


def record(folder: Path, rounds: int, seed: int) -> list[Event]:
    """Lets a process work on a store in a folder, and gives back what it did to its files."""
    library = recorder(folder.parent)
    folder.mkdir()
    settings = {"LD_PRELOAD": str(library), "LOYAL_TRACE_FOLDER": str(folder), "LOYAL_TRACE_TRACE": f"{folder}.trace"}
    command = [sys.executable, "-c", _WORK, str(folder), str(rounds), str(seed)]
    subprocess.run(command, check=True, env={**os.environ, **settings})
    return events_in(Path(f"{folder}.trace"))


def power_cuts_below(folder: Path, count: int, seed: int = 1) -> Tally:
    """Cuts the power `count` times, at any event of a recorded piece of work, and opens what the disk then holds."""
    rng = random.Random(seed)
    events = record(folder / "live", max(2, count // 25), seed)
    moments = sorted(rng.randrange(len(events)) for _ in range(count))
    disk, at, lost, acknowledged, wrong = Disk(folder / "live"), 0, 0, 0, []
    for moment in moments:
        while at <= moment:
            disk.play(events[at])
            at += 1
        sure = set(disk.acknowledged)
        acknowledged += len(sure)
        there, said = _reopened(folder / "after", disk, rng)
        lost += len(sure - there)
        wrong += [f"cut after event {moment}: {text}" for text in said]
    return Tally(count, acknowledged, lost, tuple(wrong))


def _reopened(folder: Path, disk: Disk, rng: random.Random) -> tuple[set[str], list[str]]:
    """The ids of the entries that are there after a cut, and everything that is not as it should be."""
    shutil.rmtree(folder, ignore_errors=True)
    for name, content in disk.after_cut(rng):
        file = folder / name
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_bytes(content)
    (folder / "store").mkdir(parents=True, exist_ok=True)
    try:
        with Store(folder / "store") as store:
            found = {entry.id for entry in store.entries("j")} if store.has_job("j") else set()
            return found, [f"{one.place}: {one.what}" for one in check_store(store)]
    except Exception as error:
        return set(), [f"{type(error).__name__}: {error}"]
