"""The store: jobs, their logbooks, boards and attachments in one folder. An acknowledged entry is on disk."""

import gc
import hashlib
import re
import shutil
import sqlite3
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from types import TracebackType
from typing import Self

from loyal_trace.core.job.chain import check_chain, head_of
from loyal_trace.core.job.entries import Entry, Imported, Opened, Unread, line_hash, read_or_mark, write_entry
from loyal_trace.core.job.lean import leaner
from loyal_trace.core.vocabulary.errors import MachineError, RequestError, UserFileError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.archive import Damage, JobArchive, OnDemand
from loyal_trace.formats.whole_file import folders_for, write_whole
from loyal_trace.store.connection import DATABASE, open_database, speaking_plainly, take_lock
from loyal_trace.store.states import JobState, purge, set_state, states_of

_BEFORE_ALL = -(2**63)
_INSERT = "INSERT INTO entries (job, id, body) VALUES (?, ?, ?)"
_INSERT_FILE = "INSERT INTO board_files (job, board, name, data) VALUES (?, ?, ?, ?)"
_JOBS = """
    SELECT id, title, opened, (SELECT COUNT(*) FROM entries WHERE job = jobs.id)
    FROM jobs ORDER BY opened DESC, id
"""


@dataclass(frozen=True)
class JobSummary:
    """One line of the job list."""

    id: str
    title: str
    opened: str
    entries: int


class Store:
    """One store folder. Only one process writes; `read_only` opens it beside a writer."""

    def __init__(self, folder: Path, read_only: bool = False) -> None:
        """Opens (and makes) the store. StoreBusy, MachineError or UserFileError say why it will not open."""
        self.folder, self.read_only = folder, read_only
        self._heads: dict[str, str] = {}
        self._lock = None
        if not read_only:
            try:
                folders_for(folder)
            except OSError as error:
                raise MachineError(
                    say(
                        "{folder}: the store folder cannot be made ({strerror})", folder=folder, strerror=error.strerror
                    )
                ) from None
            self._lock = take_lock(folder)
        elif not (folder / DATABASE).exists():
            raise MachineError(say("{folder}: there is no store here", folder=folder))
        new = not (folder / DATABASE).exists()
        try:
            with speaking_plainly(folder, new):
                self._connection = open_database(folder, read_only)
            if not read_only:
                _to_oneself(folder)
        except BaseException:
            self._close_lock()
            raise

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, value: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Ends the use of the store and lets another process write."""
        self._connection.close()
        self._close_lock()

    def _close_lock(self) -> None:
        if self._lock is not None:
            self._lock.close()
            self._lock = None

    def _may_write(self) -> None:
        if self.read_only:
            raise MachineError(say("{folder}: the store is open read-only; nothing was changed", folder=self.folder))

    # jobs

    def jobs(self) -> tuple[JobSummary, ...]:
        """All jobs, newest first."""
        with speaking_plainly(self.folder):
            return tuple(JobSummary(*row) for row in self._connection.execute(_JOBS))

    def has_job(self, job: str) -> bool:
        with speaking_plainly(self.folder):
            return self._connection.execute("SELECT 1 FROM jobs WHERE id = ?", (job,)).fetchone() is not None

    def create_job(
        self,
        job: str,
        title: str,
        opened: str,
        boards: Mapping[str, Mapping[str, bytes]],
        first: Sequence[Entry] = (),
    ) -> None:
        """A new job with its boards' files and its first entries, all at once or not at all."""
        self._create(job, title, opened, boards, [(entry.id, write_entry(entry)) for entry in _chained(first, "")])

    def _create(
        self,
        job: str,
        title: str,
        opened: str,
        boards: Mapping[str, Mapping[str, bytes]],
        rows: Sequence[tuple[str, str]],
    ) -> None:
        self._may_write()
        if self.has_job(job):
            raise RequestError(say("there is already a job {job} in this store", job=job))
        with speaking_plainly(self.folder), self._connection:
            self._connection.execute("INSERT INTO jobs (id, title, opened) VALUES (?, ?, ?)", (job, title, opened))
            for board, files in boards.items():
                self._insert_files(job, board, files)
            self._connection.executemany(_INSERT, [(job, entry_id, line) for entry_id, line in rows])
        self._heads.pop(job, None)

    def add_board(self, job: str, board: str, files: Mapping[str, bytes], entry: Entry) -> tuple[Entry, ...]:
        """Another board's files for a job, and the entry that says so, both or neither; the entry as kept."""
        self._may_write()
        if board in self.board_files(job):
            raise RequestError(say("the job {job} has a board {board} already", job=job, board=board))
        with speaking_plainly(self.folder):
            kept = _chained([entry], self.head(job))
            with self._connection:
                self._insert_files(job, board, files)
                self._connection.execute(_INSERT, (job, entry.id, write_entry(kept[0])))
        self._heads.pop(job, None)
        return kept

    def _insert_files(self, job: str, board: str, files: Mapping[str, bytes]) -> None:
        self._connection.executemany(_INSERT_FILE, [(job, board, name, data) for name, data in files.items()])

    def board_files(self, job: str) -> dict[str, dict[str, bytes]]:
        """The files of a job's boards: board id → file name → bytes."""
        found: dict[str, dict[str, bytes]] = {}
        query = "SELECT board, name, data FROM board_files WHERE job = ? ORDER BY board, name"
        with speaking_plainly(self.folder):
            for board, name, data in self._connection.execute(query, (job,)):
                found.setdefault(board, {})[name] = bytes(data)
        return found

    def put_lines(
        self, job: str, title: str, opened: str, boards: Mapping[str, Mapping[str, bytes]], lines: Sequence[str]
    ) -> None:
        """A job from lines as they were once written, kept as they are; what of them cannot be read stays as well."""
        entries = [read_or_mark(line, job, number) for number, line in enumerate(lines, start=1)]
        self._create(job, title, opened, boards, _named(entries, lines))

    def integrity(self) -> tuple[str, ...]:
        """What the database says is wrong with itself; nothing when it is whole."""
        with speaking_plainly(self.folder):
            rows = [str(text) for (text,) in self._connection.execute("PRAGMA integrity_check(20)")]
        return tuple(text for text in rows if text != "ok")

    def last_number(self) -> int:
        """The number of the last entry ever written in this store, whichever job it belongs to."""
        with speaking_plainly(self.folder):
            return int(self._connection.execute("SELECT COALESCE(MAX(seq), 0) FROM entries").fetchone()[0])

    def copy_database(self, target: sqlite3.Connection) -> None:
        """Copies the database as it is at this moment into an open, empty one."""
        self._connection.backup(target)

    # states

    def states(self) -> dict[str, JobState]:
        """The jobs that are archived, hidden or deleted."""
        with speaking_plainly(self.folder):
            return states_of(self._connection)

    def set_state(self, job: str, state: str, now: datetime) -> None:
        """Archives, hides, deletes or opens a job again; RequestError for an unknown one. Nothing of it is removed."""
        self._may_write()
        if not self.has_job(job):
            raise RequestError(say("there is no job {job} in this store", job=job))
        with speaking_plainly(self.folder):
            set_state(self._connection, job, state, now)

    def purge(self, now: datetime) -> list[str]:
        """Removes the jobs that were deleted more than thirty days ago."""
        self._may_write()
        with speaking_plainly(self.folder):
            gone = purge(self._connection, now)
        for job in gone:
            shutil.rmtree(self.checkpoints(job), ignore_errors=True)
        return gone

    def checkpoints(self, job: str) -> Path:
        """Where the checkpoints of a job are kept; a job's name never becomes a path."""
        return self.folder / "checkpoints" / hashlib.sha256(job.encode()).hexdigest()[:32]

    # the logbook

    def append(self, job: str, entry: Entry) -> Entry:
        """Adds one entry; when this returns, it is on disk. RequestError for an unknown job or a used id."""
        return self.append_all(job, (entry,))[0]

    def append_all(self, job: str, new: Iterable[Entry]) -> tuple[Entry, ...]:
        """Adds several entries, all or none; returns them as kept, each with the hash of the line before it."""
        self._may_write()
        kept = _chained(new, self.head(job))
        lines = [write_entry(entry) for entry in kept]
        try:
            with speaking_plainly(self.folder):
                try:
                    for entry, line in zip(kept, lines, strict=True):
                        self._connection.execute(_INSERT, (job, entry.id, line))
                    self._connection.commit()
                except sqlite3.IntegrityError as error:
                    raise RequestError(say("job {job} cannot take the entry ({error})", job=job, error=error)) from None
        except BaseException:
            self._connection.rollback()
            self._heads.pop(job, None)
            raise
        if lines:
            self._heads[job] = line_hash(lines[-1])
        return kept

    def lines(self, job: str) -> list[tuple[int, str]]:
        """(number, line) of every entry of a job as it was written, in order."""
        return list(self._rows(job))

    def _rows(self, job: str, after: int | None = None) -> Iterator[tuple[int, str]]:
        # Sorted by their numbers alone: with the lines in it, the sorting of a long job takes as long as reading it.
        numbers = "SELECT seq FROM entries WHERE job = ? AND seq > ?"
        query = f"SELECT seq, body FROM entries WHERE seq IN ({numbers}) ORDER BY seq"
        with speaking_plainly(self.folder):
            for seq, body in self._connection.execute(query, (job, _BEFORE_ALL if after is None else after)):
                yield int(seq), _text(body)

    def ends(self, job: str, length: int) -> list[tuple[int, int]]:
        """The numbers of the first and the last line of each whole stretch of so many lines of a job."""
        with speaking_plainly(self.folder):
            rows = self._connection.execute("SELECT seq FROM entries WHERE job = ? ORDER BY seq", (job,))
            numbers = [int(seq) for place, (seq,) in enumerate(rows) if place % length in (0, length - 1)]
        return list(zip(numbers[::2], numbers[1::2], strict=False))

    def digest_between(self, job: str, first: int, last: int) -> tuple[int, str]:
        """How many lines of a job stand between two numbers, both counted, and the SHA-256 of them as stored."""
        query = "SELECT CAST(body AS BLOB) FROM entries WHERE seq BETWEEN ? AND ? AND +job = ? ORDER BY seq"
        with speaking_plainly(self.folder):
            lines = [body for (body,) in self._connection.execute(query, (first, last, job))]
        return len(lines), hashlib.sha256(b"\n".join(lines)).hexdigest()

    def count_until(self, job: str, last: int) -> int:
        """How many lines of a job have numbers up to this one."""
        with speaking_plainly(self.folder):
            found = self._connection.execute("SELECT COUNT(*) FROM entries WHERE job = ? AND seq <= ?", (job, last))
            return int(found.fetchone()[0])

    def entries(self, job: str, lean: bool = False, after: int | None = None) -> tuple[Entry, ...]:
        """The entries of a job in the order they were made; a line that cannot be read is an `Unread` in its place.

        A long job in use takes them `lean`: without the hash of the line before, which only written lines need.
        `after` leaves out the lines up to that number.
        """
        found: list[Entry] = []
        place = str(self.folder / DATABASE)
        with without_collecting():
            for seq, line in self._rows(job, after):
                entry = read_or_mark(line, place, seq, found[-1] if found else None)
                found.append(leaner(entry) if lean else entry)
        return tuple(found)

    def head(self, job: str) -> str:
        """The hash of the last line of a job's logbook; empty when there is none. Only the lock's holder writes."""
        if job not in self._heads:
            query = "SELECT body FROM entries WHERE job = ? ORDER BY seq DESC LIMIT 1"
            with speaking_plainly(self.folder):
                last = self._connection.execute(query, (job,)).fetchone()
            found = head_of([_text(last[0])]) if last is not None else ""
            if self.read_only:
                return found
            self._heads[job] = found
        return self._heads[job]

    # attachments

    def _attachment_path(self, sha: str) -> Path:
        return self.folder / "attachments" / sha[:2] / sha

    def put_attachment(self, data: bytes) -> str:
        """Keeps bytes under their SHA-256, which is returned; on disk when this returns."""
        sha = hashlib.sha256(data).hexdigest()
        path = self._attachment_path(sha)
        # Named by its content: the same bytes are there already, unless they were cut short or damaged since.
        if path.exists() and _same(path, data):
            return sha
        self._may_write()
        write_whole(path, data, "attachment", make_folders=True, private=True)
        return sha

    def attachment(self, sha: str) -> bytes:
        """The bytes of an attachment, verified; UserFileError when they are missing or damaged."""
        path = self._attachment_path(sha)
        try:
            data = path.read_bytes()
        except OSError:
            raise UserFileError(
                str(path), say("the attachment is missing"), say("import the job from an archive again")
            ) from None
        # Verified on every read: a damaged image must never be judged as if it came from the chip.
        if hashlib.sha256(data).hexdigest() != sha:
            raise UserFileError(
                str(path), say("the attachment is damaged"), say("import the job from an archive again")
            )
        return data

    # archives

    def export(self, job: str) -> JobArchive:
        """Everything of one job that can be read, ready to be written as an archive; what cannot is its `damage`."""
        if not self.has_job(job):
            raise RequestError(say("there is no job {job} in this store", job=job))
        # A line of an archive ends where the line ends: what damage has put an end into cannot be kept as one.
        lines = tuple(_LINE_ENDS.sub(" ", line) or " " for _, line in self.lines(job))
        entries = self.entries(job)
        unread = tuple(n for n, one in enumerate(entries, start=1) if isinstance(one, Unread) and not one.newer)
        wanted, lost = _attachments(entries), []
        for sha in sorted(wanted):
            try:
                self.attachment(sha)  # what is missing or damaged is said now, not when half is written
            except UserFileError:
                lost.append(sha)
        damage = Damage(tuple(fault.line for fault in check_chain(lines)), unread, tuple(lost))
        there = OnDemand(sorted(wanted.difference(lost)), self.attachment)
        return JobArchive(job, lines, there, self.board_files(job), damage)

    def import_archive(self, archive: JobArchive, job: str, noted: Imported) -> None:
        """Imports an archive as a new job, its lines as they are, and notes its head; all of it or nothing counts."""
        self._may_write()
        missing = _attachments(archive.entries) - set(archive.attachments) - set(archive.damage.lost)
        if missing:
            raise UserFileError(
                say("the archive"),
                say("lacks the attachment {missing}…", missing=sorted(missing)[0][:12]),
                say("export it again"),
            )
        for sha in archive.attachments:
            self.put_attachment(archive.attachments[sha])
        opened = next((e for e in archive.entries if isinstance(e, Opened)), None)
        title = opened.title if opened is not None else job
        when = archive.entries[0].time.isoformat() if archive.entries else ""
        # The chain goes on from the archive's head, so that the import itself is a link of it.
        last = _chained([noted], archive.head)[0]
        rows = _named(archive.entries, archive.lines)
        self._create(job, title, when, archive.boards, [*rows, (last.id, write_entry(last))])


_LINE_ENDS = re.compile(r"[\r\n]+")


def _named(entries: Sequence[Entry], lines: Sequence[str]) -> list[tuple[str, str]]:
    """Lines under the ids of their entries; one whose id is used already is called by its number."""
    names: set[str] = set()
    rows = []
    for number, (entry, line) in enumerate(zip(entries, lines, strict=True), start=1):
        name = entry.id if entry.id not in names else f"line-{number}"
        names.add(name)
        rows.append((name, line))
    return rows


def _to_oneself(folder: Path) -> None:
    """Owners' names and photographs are nobody else's business: the folder and its files are the user's alone.

    Files that a write left unfinished (`.part`) are removed: what they were to be was never acknowledged.
    """
    with suppress(OSError):  # a file system without rights, or somebody else's folder: it stays as it is
        folder.chmod(0o700)
        for path in folder.iterdir():
            if path.is_file() and path.name != "lock" and path.stat().st_mode & 0o077:
                path.chmod(0o600)
        for place in ("*.part", "attachments/*/*.part", "checkpoints/*/*.part"):
            for path in folder.glob(place):
                path.unlink()


@contextmanager
def without_collecting() -> Iterator[None]:
    """Many objects that stay are made: walking them again and again to find garbage takes longer than making them."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


def _same(path: Path, data: bytes) -> bool:
    try:
        return path.stat().st_size == len(data) and path.read_bytes() == data
    except OSError:
        return False


def _text(body: object) -> str:
    """A line as text, whatever a damaged row holds."""
    return body.decode("utf-8", "replace") if isinstance(body, bytes) else str(body)


def _attachments(entries: Iterable[Entry]) -> set[str]:
    return {str(entry.attachment) for entry in entries if hasattr(entry, "attachment")}


def _chained(entries: Iterable[Entry], head: str) -> tuple[Entry, ...]:
    """Entries with the hash of the line before each, the first after `head`."""
    kept = []
    for entry in entries:
        linked = entry.model_copy(update={"previous": head})
        head = line_hash(write_entry(linked))
        kept.append(linked)
    return tuple(kept)
