"""Looking a store over, and saving from a damaged one what can be read, into a new store.

Nothing here changes the store that is looked at.
"""

import hashlib
import json
import re
import shutil
import sqlite3
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import closing, suppress
from dataclasses import dataclass, field
from pathlib import Path

from loyal_trace.app.own_types import FOLDER as OWN_TYPES
from loyal_trace.app.own_types import library_with_own
from loyal_trace.app.workshop import load_workshop
from loyal_trace.core.job.chain import check_chain
from loyal_trace.core.job.entries import Entry, Opened, Unread, line_hash, read_or_mark
from loyal_trace.core.vocabulary.errors import LoyalTraceError, MachineError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.formats.board_folder import parse_board
from loyal_trace.resources import chip_library
from loyal_trace.store.backup import backups_in, lines_in
from loyal_trace.store.connection import DATABASE, uri_of
from loyal_trace.store.store import Store

_SMALL_FILES = ("drawer.csv", "offers.csv", "bench.toml", "window.toml")
_ENTRY = re.compile(rb'\{"kind":"[a-z_]{1,40}",')
_LONGEST_LINE = 1 << 22


@dataclass(frozen=True)
class Trouble:
    """One thing that is missing or not as it was written: where, and what."""

    place: str
    what: str


def check_store(store: Store, backups: Path | None = None) -> tuple[Trouble, ...]:
    """Every byte against its hash, every line against the chain, every board and list by reading it."""
    found = [*_database(store)]
    wanted: dict[str, str] = {}
    for job in store.jobs():
        entries = store.entries(job.id)
        found += _lines([line for _, line in store.lines(job.id)], entries, job.id, backups)
        for entry in entries:
            if sha := str(getattr(entry, "attachment", "")):
                wanted.setdefault(sha, job.id)
        for board, files in store.board_files(job.id).items():
            try:
                parse_board(files, board, chip_library())
            except LoyalTraceError as error:
                found.append(Trouble(say("job {job}, board {board}", job=job.id, board=board), str(error)))
    found += _attachments(store.folder, wanted)
    _, told = library_with_own(store.folder, chip_library)
    found += [Trouble(str(store.folder), text) for text in (*load_workshop(store.folder).warnings, *told)]
    return tuple(found)


def _database(store: Store) -> Iterator[Trouble]:
    try:
        said = store.integrity()
    except LoyalTraceError as error:
        said = (str(error),)
    for text in said:
        yield Trouble(str(store.folder / DATABASE), text)


def _lines(lines: Sequence[str], entries: Sequence[Entry], job: str, backups: Path | None) -> Iterator[Trouble]:
    for number, entry in enumerate(entries, start=1):
        if isinstance(entry, Unread) and not entry.newer:
            yield Trouble(say("job {job}, entry {number}", job=job, number=number), entry.why)
    for fault in check_chain(lines):
        yield Trouble(say("job {job}, entry {line}", job=job, line=fault.line), fault.what)
    hashes = {line_hash(line) for line in lines}
    for backup in backups_in(backups) if backups is not None else ():
        count, head = lines_in(backup).get(job, (0, ""))
        if head and head not in hashes:
            told = say(
                "has {now} lines and not the last of the {then} that the backup {backup} has: cut off or changed",
                now=len(lines),
                then=count,
                backup=backup.name,
            )
            yield Trouble(say("job {job}", job=job), told)


def _attachments(folder: Path, wanted: Mapping[str, str]) -> Iterator[Trouble]:
    there = {path.name: path for path in (folder / "attachments").glob("*/*") if not path.name.endswith(".part")}
    for sha, path in sorted(there.items()):
        if _hash_of(path) != sha:
            of = say(" of job {job}", job=wanted[sha]) if sha in wanted else ""
            yield Trouble(str(path), say("the attachment{of} does not have the content it was written with", of=of))
    for sha in sorted(set(wanted) - set(there)):
        yield Trouble(str(folder / "attachments" / sha[:2] / sha), say("missing, of job {job}", job=wanted[sha]))


def _hash_of(path: Path) -> str:
    try:
        with path.open("rb") as stream:
            return hashlib.file_digest(stream, "sha256").hexdigest()
    except OSError:
        return ""


@dataclass
class Rescued:
    """What was read of a damaged store: jobs with their lines in order and board files; and what is missing."""

    titles: dict[str, tuple[str, str]] = field(default_factory=dict)
    lines: dict[str, list[str]] = field(default_factory=dict)
    boards: dict[str, dict[str, dict[str, bytes]]] = field(default_factory=dict)
    missing: list[Trouble] = field(default_factory=list)


def salvage(folder: Path, out: Path) -> tuple[dict[str, int], tuple[Trouble, ...]]:
    """Reads around damage into a new store `out`: (job → number of lines saved, what is missing).

    MachineError when `out` is not empty or cannot be written, or when there is nothing of a store in `folder`.
    """
    if out.exists() and any(out.iterdir() if out.is_dir() else [out]):
        raise MachineError(say("{out}: there is something here already; choose a new folder", out=out))
    if not (folder / DATABASE).exists():
        raise MachineError(say("{folder}: there is no store here", folder=folder))
    found = _read_around(folder)
    with Store(out) as store:
        for job, lines in found.lines.items():
            title, opened = found.titles.get(job) or _title_of(lines, job)
            store.put_lines(job, title, opened, found.boards.get(job, {}), lines)
        found.missing += _copy_attachments(folder, store)
        for name in _SMALL_FILES:
            if (folder / name).is_file():
                with suppress(OSError):
                    shutil.copyfile(folder / name, out / name)
        if (folder / OWN_TYPES).is_dir():
            with suppress(OSError, shutil.Error):
                shutil.copytree(folder / OWN_TYPES, out / OWN_TYPES, dirs_exist_ok=True)
    return {job: len(lines) for job, lines in found.lines.items()}, tuple(found.missing)


def _read_around(folder: Path) -> Rescued:
    found = Rescued()
    try:
        with closing(_as_it_is(folder)) as connection:
            _read_tables(connection, found)
    except sqlite3.DatabaseError as error:
        found.missing.append(
            Trouble(str(folder / DATABASE), say("cannot be read as a database ({error})", error=error))
        )
    known = {line for lines in found.lines.values() for line in lines}
    loose = [line for line in _carved(folder) if line not in known]
    _sort_in(loose, found)
    return found


def _as_it_is(folder: Path) -> sqlite3.Connection:
    """The database with its write-ahead log, read-only; what is no text in it becomes signs that stand for that."""
    connection = sqlite3.connect(uri_of((folder / DATABASE).resolve(), read_only=True), uri=True)
    connection.text_factory = lambda data: data.decode("utf-8", "replace")
    return connection


def _read_tables(connection: sqlite3.Connection, found: Rescued) -> None:
    for job, title, opened in _rows(connection, "SELECT id, title, opened FROM jobs", found):
        found.titles[str(job)] = (str(title), str(opened))
        found.lines.setdefault(str(job), [])
    for job, body in _rows(connection, "SELECT job, body FROM entries ORDER BY seq", found, "entries", "seq"):
        text = body.decode("utf-8", "replace") if isinstance(body, bytes) else str(body)
        found.lines.setdefault(str(job), []).append(text)
    for job, board, name, data in _rows(connection, "SELECT job, board, name, data FROM board_files", found):
        found.boards.setdefault(str(job), {}).setdefault(str(board), {})[str(name)] = _bytes(data)


def _bytes(data: object) -> bytes:
    return data if isinstance(data, bytes) else str(data).encode()


def _rows(
    connection: sqlite3.Connection, query: str, found: Rescued, table: str = "", key: str = ""
) -> Iterator[tuple[object, ...]]:
    """All rows; when reading breaks off, the rest one by one by their key, if there is one."""
    rows: list[tuple[object, ...]] = []
    try:
        for row in connection.execute(query):
            rows.append(row)
        yield from rows
        return
    except sqlite3.DatabaseError as error:
        found.missing.append(
            Trouble(DATABASE, say("reading breaks off after {count} rows ({error})", count=len(rows), error=error))
        )
    if not key:
        yield from rows
        return
    with suppress(sqlite3.DatabaseError):
        (last,) = connection.execute(f"SELECT seq FROM sqlite_sequence WHERE name = '{table}'").fetchone() or (0,)
        for number in range(1, int(last) + 1):
            with suppress(sqlite3.DatabaseError):
                yield from connection.execute(query.replace("ORDER BY", f"WHERE {key} = {number} ORDER BY"))


def _carved(folder: Path) -> list[str]:
    """Every whole line of a logbook found in the bytes of the database and its log, whatever is left around it."""
    found: dict[str, None] = {}
    for name in (DATABASE, f"{DATABASE}-wal"):
        with suppress(OSError):
            data = (folder / name).read_bytes()
            for match in _ENTRY.finditer(data):
                line = _one_object(data[match.start() : match.start() + _LONGEST_LINE])
                if line and not isinstance(read_or_mark(line, "", 0), Unread):
                    found[line] = None
    return list(found)


def _one_object(data: bytes) -> str:
    """The JSON object that begins here; empty when it does not end."""
    depth, quoted, escaped = 0, False, False
    for at, byte in enumerate(data):
        if quoted:
            quoted, escaped = escaped or byte != 0x22, byte == 0x5C and not escaped
        elif byte == 0x22:
            quoted = True
        elif byte in b"{}":
            depth += 1 if byte == 0x7B else -1
            if depth == 0:
                with suppress(UnicodeDecodeError):
                    return data[: at + 1].decode("utf-8")
                return ""
        elif byte < 0x20:
            return ""
    return ""


def _sort_in(loose: Sequence[str], found: Rescued) -> None:
    """Lines without their table go to their jobs by the chain: each names the hash of the line before it."""
    after: dict[str, list[str]] = {}
    for line in loose:
        after.setdefault(str(json.loads(line).get("previous", "")), []).append(line)
    for lines in found.lines.values():
        _go_on(lines, after)
    for start in after.pop("", []):
        name = json.loads(start)["id"][:8]
        lines = [start]
        _go_on(lines, after)
        found.lines.setdefault(name if name not in found.lines else f"{name}-2", []).extend(lines)
    left = sum(len(lines) for lines in after.values())
    if left:
        found.missing.append(
            Trouble(DATABASE, say("{count} lines follow on lines that are lost: not saved", count=left))
        )


def _go_on(lines: list[str], after: dict[str, list[str]]) -> None:
    while lines and (following := after.get(line_hash(lines[-1]))):
        lines.append(following.pop(0))
        if not following:
            del after[line_hash(lines[-2])]


def _title_of(lines: Iterable[str], job: str) -> tuple[str, str]:
    entries = [read_or_mark(line, job, 0) for line in lines]
    opened = next((entry for entry in entries if isinstance(entry, Opened)), None)
    when = entries[0].time.isoformat() if entries else ""
    return (opened.title, when) if opened is not None else (say("saved job {job}", job=job), when)


def _copy_attachments(folder: Path, store: Store) -> list[Trouble]:
    """Every attachment that has the content of its name; the others, and those that are gone, are named."""
    missing: dict[str, str] = {}
    wanted = {str(getattr(e, "attachment", "")) for job in store.jobs() for e in store.entries(job.id)} - {""}
    there = {path.name: path for path in (folder / "attachments").glob("*/*") if not path.name.endswith(".part")}
    for sha, path in sorted(there.items()):
        try:
            data = path.read_bytes()
        except OSError as error:
            missing[sha] = error.strerror or ""
            continue
        if hashlib.sha256(data).hexdigest() == sha:
            store.put_attachment(data)
        else:
            missing[sha] = say("damaged")
    missing.update({sha: say("missing") for sha in wanted - set(there)})
    return [Trouble(say("attachment {sha}", sha=sha), why) for sha, why in sorted(missing.items())]


def told(troubles: Sequence[Trouble]) -> str:
    """The list, one trouble a line."""
    return joined("\n", (say("{place}: {what}", place=one.place, what=one.what) for one in troubles))
