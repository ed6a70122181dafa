"""Opens the store's database: durable writes, one writer at a time, migrations, and clear words when it will not do."""

import fcntl
import os
import sqlite3
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
def speaking_plainly(place: Path) -> Iterator[None]:
    """Turns the database's own errors into one sentence with what was kept."""
    try:
        yield
    except sqlite3.DatabaseError as error:
        words = str(error).lower()
        if "full" in words:
            raise MachineError(
                say("{place}: the disk is full; the last entry was not saved, all earlier ones are", place=place)
            ) from None
        if "readonly" in words or "read-only" in words:
            raise MachineError(say("{place}: the store is read-only; nothing was changed", place=place)) from None
        if "malformed" in words or "not a database" in words or "disk image" in words:
            raise UserFileError(
                str(place),
                say("the store is damaged ({words})", words=words),
                say("it was left untouched; import your last job archives"),
            ) from None
        raise MachineError(
            say("{place}: the store could not be used ({words}); earlier entries are kept", place=place, words=words)
        ) from None


def open_database(folder: Path, read_only: bool) -> sqlite3.Connection:
    """A connection to the folder's database: write-ahead log, full sync, triggers that cannot be slipped past."""
    file = (folder / DATABASE).resolve()
    connection = sqlite3.connect(_uri(file, read_only), uri=True, check_same_thread=False, timeout=5)
    try:
        if not read_only:
            connection.execute("PRAGMA journal_mode=WAL")
            connection.execute("PRAGMA synchronous=FULL")
        connection.execute("PRAGMA foreign_keys=ON")
        connection.execute("PRAGMA recursive_triggers=ON")
        _bring_up_to_date(connection, folder, read_only)
    except BaseException:
        connection.close()
        raise
    return connection


def _uri(file: Path, read_only: bool) -> str:
    base = f"file:{str(file).replace('%', '%25').replace('?', '%3f').replace('#', '%23')}"
    if not read_only:
        return f"{base}?mode=rwc"
    return f"{base}?mode=ro" if os.access(file.parent, os.W_OK) else f"{base}?immutable=1"


def _version_on_disk(connection: sqlite3.Connection) -> str | None:
    """The schema version found; None in an empty database."""
    names = {name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type='table'")}
    if not names:
        return None
    if "alembic_version" not in names:
        raise UserFileError(DATABASE, say("is a database, but not of Loyal Trace"), say("choose another store folder"))
    row = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    return str(row[0]) if row else None


def _bring_up_to_date(connection: sqlite3.Connection, place: Path, read_only: bool) -> None:
    """Runs the migrations when needed; a store from a newer program is refused untouched."""
    found = _version_on_disk(connection)
    if found == HEAD:
        return
    if found is not None and (not found.isdecimal() or found > HEAD):
        remedy = say("update Loyal Trace; nothing was changed")
        raise UserFileError(
            str(place), say("the store was written by a newer version (schema {found})", found=found), remedy
        )
    if read_only:
        if found is None:
            raise MachineError(say("{place}: there is no store here yet, and it was opened read-only", place=place))
        return  # an older store can be read as it is
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
            config.attributes["connection"] = opened
            command.upgrade(config, "head")
    except sa.exc.DatabaseError as error:
        raise sqlite3.DatabaseError(str(error.orig or error)) from None
