"""Opens the store's database: durable writes, one writer at a time, migrations, and clear words when it will not do."""

import atexit
import fcntl
import os
import shutil
import sqlite3
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from loyal_trace.core.vocabulary.errors import MachineError, UserFileError
from loyal_trace.core.vocabulary.phrases import say

DATABASE = "workshop.sqlite3"
HEAD = "0002"
FIRST = "0001"


class StoreBusy(MachineError):
    """Another process holds the store for writing."""


def take_lock(folder: Path) -> IO[str]:
    """The writer's lock on a store folder, held until the returned file is closed; StoreBusy when another has it."""
    try:
        handle = (folder / "lock").open("a")
    except OSError as error:
        raise MachineError(
            say(
                "{folder}: the store cannot be written ({strerror}); open it read-only",
                folder=folder,
                strerror=error.strerror,
            )
        ) from None
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        handle.close()
        raise StoreBusy(
            say("{folder}: another Loyal Trace has this store open; close it, or look at it read-only", folder=folder)
        ) from None
    return handle


@contextmanager
def speaking_plainly(place: Path, new: bool = False) -> Iterator[None]:
    """Turns the database's own errors into one sentence with what was kept; in a `new` store there was nothing yet."""
    try:
        yield
    except sqlite3.DatabaseError as error:
        words = str(error).lower()
        if "full" in words:
            told = (
                say("{place}: the disk is full; no store could be made here, and nothing was in it yet", place=place)
                if new
                else say("{place}: the disk is full; the last entry was not saved, all earlier ones are", place=place)
            )
            raise MachineError(told) from None
        if "readonly" in words or "read-only" in words:
            raise MachineError(say("{place}: the store is read-only; nothing was changed", place=place)) from None
        if "malformed" in words or "not a database" in words or "disk image" in words:
            raise UserFileError(
                str(place),
                say("the store is damaged ({words})", words=words),
                say(
                    "it was left untouched; save what can be read with `loyal-trace store salvage OUT`, or use a backup"
                ),
            ) from None
        raise MachineError(
            say("{place}: the store could not be used ({words}); earlier entries are kept", place=place, words=words)
        ) from None


def open_database(folder: Path, read_only: bool) -> sqlite3.Connection:
    """A connection to the folder's database: write-ahead log, full sync, triggers that cannot be slipped past."""
    file = (folder / DATABASE).resolve()
    _refuse_emptied(file)
    fixed = read_only and not os.access(file.parent, os.W_OK)
    copied = _with_its_log(file) if fixed else file
    connection = sqlite3.connect(
        uri_of(copied, read_only, immutable=fixed and copied == file), uri=True, check_same_thread=False, timeout=5
    )
    try:
        found = _known_version(connection, folder)  # before anything is set: what is not ours is not touched
        if not read_only:
            connection.execute("PRAGMA journal_mode=WAL")
            connection.execute("PRAGMA synchronous=FULL")
        connection.execute("PRAGMA foreign_keys=ON")
        connection.execute("PRAGMA recursive_triggers=ON")
        _bring_up_to_date(connection, folder, read_only, found)
    except BaseException:
        connection.close()
        raise
    return connection


def _refuse_emptied(file: Path) -> None:
    """A database of no bytes beside attachments was one with jobs: a new one in its place would hide that."""
    if file.exists() and file.stat().st_size == 0 and any((file.parent / "attachments").glob("*/*")):
        raise UserFileError(
            str(file),
            say("is empty (0 bytes), although attachments of jobs are beside it"),
            say("restore a backup, or move the file away and begin with an empty store"),
        )


def _with_its_log(file: Path) -> Path:
    """On a medium that cannot be written the write-ahead log is not read: a copy of both shows every entry in it."""
    log = file.with_name(f"{file.name}-wal")
    if not log.exists() or log.stat().st_size == 0:
        return file
    folder = Path(tempfile.mkdtemp(prefix="loyal-trace-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    try:
        for one in (file, log):
            shutil.copyfile(one, folder / one.name)
    except OSError as error:
        raise MachineError(
            say(
                "{file}: entries in the write-ahead log cannot be shown, as there is no room for a copy ({strerror})",
                file=file,
                strerror=error.strerror,
            )
        ) from None
    return folder / file.name


def uri_of(file: Path, read_only: bool, immutable: bool = False) -> str:
    """The name under which SQLite opens a file, whatever signs are in it; `immutable`: nobody else changes it."""
    base = f"file:{str(file).replace('%', '%25').replace('?', '%3f').replace('#', '%23')}"
    return f"{base}?immutable=1" if immutable else f"{base}?mode={'ro' if read_only else 'rwc'}"


def _version_on_disk(connection: sqlite3.Connection) -> str | None:
    """The schema version found; None in an empty database."""
    names = {name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type='table'")}
    if not names:
        return None
    if "alembic_version" not in names:
        raise UserFileError(DATABASE, say("is a database, but not of Loyal Trace"), say("choose another store folder"))
    row = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    if not row or not {"jobs", "entries", "board_files"} <= names:
        raise UserFileError(
            DATABASE, say("was a store, but tables of it are gone"), say("restore a backup, or salvage it")
        )
    return str(row[0])


def _known_version(connection: sqlite3.Connection, place: Path) -> str | None:
    """The version found, if this program can go on from it; a store from a newer program is refused untouched."""
    found = _version_on_disk(connection)
    if found is not None and (not found.isdecimal() or found > HEAD):
        remedy = say("update Loyal Trace; nothing was changed")
        raise UserFileError(
            str(place), say("the store was written by a newer version (schema {found})", found=found), remedy
        )
    return found


def _bring_up_to_date(connection: sqlite3.Connection, place: Path, read_only: bool, found: str | None) -> None:
    """Runs the migrations when needed; an older store can be read as it is."""
    if read_only and found is None:
        raise MachineError(say("{place}: there is no store here yet, and it was opened read-only", place=place))
    if not read_only and found != HEAD:
        _migrate(connection)


def _migrate(connection: sqlite3.Connection) -> None:
    # Loaded only here: the migration library takes longer than everything else at the start of the program.
    import sqlalchemy as sa
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", "loyal_trace.store:migrations")
    config.set_main_option("path_separator", "os")
    engine = sa.create_engine("sqlite://", creator=lambda: connection, poolclass=sa.pool.StaticPool)
    try:
        with engine.begin() as opened:
            # All or nothing: a cut between two tables would leave a store that opens no more.
            opened.exec_driver_sql("BEGIN IMMEDIATE")
            config.attributes["connection"] = opened
            command.upgrade(config, "head")
    except sa.exc.DatabaseError as error:
        raise sqlite3.DatabaseError(str(error.orig or error)) from None
