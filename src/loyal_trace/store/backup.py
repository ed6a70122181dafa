"""Copies of a whole store, each of which can be opened as one: by hand to a place of one's own, or rotating by itself.

The database is copied by SQLite's own backup, so a copy made while somebody writes is of one moment. Attachments never
change: what the copy before has is linked, not copied again. `heads.json` keeps how many lines each job has and the
hash of the last, so that a logbook that was cut later shows.
"""

import json
import os
import shutil
import sqlite3
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

from loyal_trace.core.vocabulary.errors import MachineError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.whole_file import folders_for, force_out, write_whole
from loyal_trace.store.connection import DATABASE, speaking_plainly
from loyal_trace.store.store import Store

HEADS = "heads.json"
BACKUPS = "backups"
_NOT_COPIED = (DATABASE, f"{DATABASE}-wal", f"{DATABASE}-shm", "lock", BACKUPS, "attachments")
_UNFINISHED = ".unfinished"
_ALL = "*"  # under this name the number of the last entry of all jobs


def back_up(store: Store, target: Path, before: Path | None = None) -> Path:
    """Copies a store into a new folder, which then opens as a store; `before` is a copy whose attachments are linked.

    MachineError when the folder is there already or cannot be written; nothing half done is left under its name.
    """
    if target.exists() and any(target.iterdir() if target.is_dir() else [target]):
        raise MachineError(say("{target}: there is something here already; choose a new folder", target=target))
    making = target.with_name(target.name + _UNFINISHED)
    try:
        shutil.rmtree(making, ignore_errors=True)
        folders_for(making)
        _copy_database(store, making / DATABASE)
        for path in _small_files(store.folder):
            write_whole(making / path.name, path.read_bytes(), "backup")
        for folder in _small_folders(store.folder):
            shutil.copytree(folder, making / folder.name, copy_function=_copied)
        for path in _attachments(store.folder):
            _copy_or_link(
                path, making / path.relative_to(store.folder), before and before / path.relative_to(store.folder)
            )
        write_whole(making / HEADS, json.dumps(heads_of(store), sort_keys=True).encode(), "backup")
        if target.exists():
            target.rmdir()
        # Names and copied bytes are on the disk before the copy carries its name, and then that name is.
        for path in (making, *(path for path in making.rglob("*") if path.is_dir())):
            force_out(path)
        making.replace(target)
        force_out(target.parent)
    except OSError as error:
        shutil.rmtree(making, ignore_errors=True)
        raise MachineError(
            say("{target}: the backup could not be written ({strerror})", target=target, strerror=error.strerror)
        ) from None
    return target


def _copy_database(store: Store, target: Path) -> None:
    with speaking_plainly(target.parent):
        copy = sqlite3.connect(target)
        try:
            store.copy_database(copy)
            copy.execute("PRAGMA journal_mode=DELETE")  # one file: a copy is carried about
        finally:
            copy.close()
    target.chmod(0o600)
    force_out(target)


def _small_files(folder: Path) -> Iterator[Path]:
    return (
        path
        for path in sorted(folder.iterdir())
        if path.name not in _NOT_COPIED and path.is_file() and not path.name.endswith(".part")
    )


def _small_folders(folder: Path) -> Iterator[Path]:
    """The workshop's own chip types and boards."""
    return (path for path in sorted(folder.iterdir()) if path.name not in _NOT_COPIED and path.is_dir())


def _attachments(folder: Path) -> Iterator[Path]:
    return (path for path in sorted((folder / "attachments").glob("*/*")) if not path.name.endswith(".part"))


def _copied(source: str | Path, target: str | Path) -> str:
    """Copies a file and forces it to the disk."""
    shutil.copyfile(source, target)
    force_out(Path(target))
    return str(target)


def _copy_or_link(source: Path, target: Path, known: Path | None) -> None:
    folders_for(target.parent)
    if known is not None and known.exists() and known.stat().st_size == source.stat().st_size:
        try:
            os.link(known, target)
            return
        except OSError:
            pass  # another file system, or one without links: copied like the first time
    _copied(source, target)
    target.chmod(0o600)
    force_out(target)


def heads_of(store: Store) -> dict[str, list[object]]:
    """Of each job how many lines it has and the hash of the last."""
    found: dict[str, list[object]] = {_ALL: [store.last_number(), ""]}
    for job in store.jobs():
        found[job.id] = [job.entries, store.head(job.id)]
    return found


def backups_in(place: Path) -> list[Path]:
    """The rotating copies of a place, oldest first."""
    if not place.is_dir():
        return []
    return sorted(
        path for path in place.iterdir() if (path / DATABASE).exists() and not path.name.endswith(_UNFINISHED)
    )


def last_number_in(place: Path) -> int:
    """The number of the last entry that the newest rotating copy has; 0 without one."""
    there = backups_in(place)
    return lines_in(there[-1]).get(_ALL, (0, ""))[0] if there else 0


def rotate(store: Store, place: Path, keep: int, now: datetime) -> Path:
    """One more copy in `place`, named by its time; of all copies there the newest `keep` stay."""
    there = backups_in(place)
    name, number = now.strftime("%Y-%m-%d_%H%M%S"), 1
    target = place / name
    while target.exists():
        number += 1
        target = place / f"{name}-{number}"
    made = back_up(store, target, there[-1] if there else None)
    for old in backups_in(place)[: -max(1, keep)]:
        shutil.rmtree(old, ignore_errors=True)
    return made


def lines_in(backup: Path) -> dict[str, tuple[int, str]]:
    """What `heads.json` of a copy says; nothing when it cannot be read."""
    try:
        told = json.loads((backup / HEADS).read_text(encoding="utf-8"))
        return {str(job): (int(count), str(head)) for job, (count, head) in told.items()}
    except (OSError, ValueError, AttributeError, TypeError):
        return {}
