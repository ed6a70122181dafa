"""One open job: its logbook on disk, its snapshot, its boards, and the assessment of the moment.

The composition of store and core that window, command line and demo share. Time and ids come from what is passed in.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, TypeVar
from uuid import uuid4

from loyal_trace.app.own_types import library_with_own
from loyal_trace.app.preferences import load_preferences, remember
from loyal_trace.app.whole import usable
from loyal_trace.app.workshop import Workshop, load_workshop, save_bench
from loyal_trace.core.assess.assessment import Assessment
from loyal_trace.core.assess.boards import boards_of, revision_of
from loyal_trace.core.assess.moment import DiagnosisTables, Memo, Moment
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.revisions import RevisionFinding
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.job.entries import ChecksumsKnown, Entry, Imported, Note, Opened, Retracted
from loyal_trace.core.job.fold import Fold
from loyal_trace.core.job.lean import leaner
from loyal_trace.core.job.snapshot import JobSnapshot
from loyal_trace.core.proving.bench import profile_of
from loyal_trace.core.simulation.dictionary import Dictionary
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.formats.archive import JobArchive
from loyal_trace.formats.board_folder import board_files, load_board, parse_board
from loyal_trace.resources import chip_library, current_table, default_tables
from loyal_trace.store.checkpoints import keep_checkpoint
from loyal_trace.store.store import Store, without_collecting

EntryType = TypeVar("EntryType", bound=Entry)
_NO_ACTION = (Retracted, Opened, Imported)


def utc_now() -> datetime:
    """The time of a new entry."""
    return datetime.now(UTC)


def new_id() -> str:
    """A fresh id for an entry or a job."""
    return uuid4().hex[:16]


def printable(text: str) -> str:
    """A text as it can be written: bytes of a file name or a command line that are no text become question marks."""
    return text.encode("utf-8", "replace").decode("utf-8")


@dataclass(frozen=True)
class Environment:
    """What an open job needs from outside: who writes, the clock, ids, tables and chip library."""

    author: str = ""
    clock: Callable[[], datetime] = utc_now
    ids: Callable[[], str] = new_id
    tables: Callable[[], DiagnosisTables] = default_tables
    library: Callable[[], ChipLibrary] = chip_library


class OpenJob:
    """An open job. Every change goes through `record_all`, which returns when the entries are on disk."""

    def __init__(self, store: Store, job: str, environment: Environment | None = None) -> None:
        """Opens a job of a store; RequestError when there is none of that id."""
        if not store.has_job(job):
            raise RequestError(say("there is no job {job} in this store (see `loyal-trace job list`)", job=job))
        self.store, self.id = store, job
        self.env = environment or Environment()
        # Entries carry the name of the person, never that of an account.
        self.author = self.env.author or load_preferences(store.folder).name
        self.library, self._of_types = library_with_own(store.folder, self.env.library)
        with without_collecting():
            found = usable(store, job, self.library)
            self._fold = Fold(found.entries, found.checkpoint)
        parsed, self._not_read = found.boards, found.warnings
        order = self.snapshot.opened.boards if self.snapshot.opened else ()
        self.defined = {b: parsed[b] for b in sorted(parsed, key=lambda b: (b not in order, b))}
        self.workshop = self._workshop()
        self._memo = Memo()
        self.dictionaries: Mapping[str, Dictionary] = {}
        self._moment: Moment | None = None
        self._boards_kept: tuple[tuple[object, ...], Mapping[str, BoardDefinition]] = ((), {})
        self._undone: list[list[Entry]] = []

    # what is known

    @property
    def title(self) -> str:
        return self.snapshot.opened.title if self.snapshot.opened else self.id

    @property
    def entries(self) -> Sequence[Entry]:
        """All entries in the order they were made, those that do not count included."""
        return self._fold.entries

    @property
    def snapshot(self) -> JobSnapshot:
        """The frozen state after all entries that count."""
        return self._fold.snapshot

    @property
    def retracted(self) -> set[str]:
        """Ids of entries that do not count."""
        return self._fold.dead

    @property
    def boards(self) -> Mapping[str, BoardDefinition]:
        """The boards of the job at this moment, facts folded in."""
        return self.moment.boards

    @property
    def moment(self) -> Moment:
        """The inputs of every assessment; a new one after each change."""
        if self._moment is None:
            self._moment = self._moment_of(self.snapshot)
        return self._moment

    def _moment_of(self, snapshot: JobSnapshot) -> Moment:
        return Moment(
            self._boards_at(snapshot),
            snapshot,
            self.library,
            self.store.attachment,
            self.workshop.drawer,
            self.workshop.offers,
            current_table(),
            self.workshop.bench,
            self.env.tables(),
            self.dictionaries,
            self._memo,
        )

    def _boards_at(self, snapshot: JobSnapshot) -> Mapping[str, BoardDefinition]:
        """The boards at a moment, folded again only when one of the frozen things that they are made of is another."""
        # Everything that boards_of reads, by identity: the snapshot shares each group that did not change.
        inputs = (snapshot.facts, snapshot.roms, snapshot.paper.decisions, self.defined)
        kept, boards = self._boards_kept
        if not kept or any(a is not b for a, b in zip(kept, inputs, strict=True)):
            boards = boards_of(self.defined, snapshot, self.library)
            self._boards_kept = (inputs, boards)
        return boards

    def use_dictionaries(self, dictionaries: Mapping[str, Dictionary]) -> None:
        """The fault dictionaries that the moments carry from now on."""
        self.dictionaries = dictionaries
        self._moment = None

    def moment_with(self, lists: Sequence[ChecksumsKnown]) -> Moment:
        """The moment as it would be with further lists of checksums, before they are recorded."""
        roms = replace(self.snapshot.roms, lists=(*self.snapshot.roms.lists, *lists))
        return self._moment_of(replace(self.snapshot, roms=roms))

    def assessment(self) -> Assessment:
        """Every verdict of this moment, each computed when it is first asked for."""
        return Assessment(self.moment)

    def revision(self, board_id: str, of: str = "board") -> RevisionFinding:
        """What the answers given so far say of a board's revision, or of its firmware."""
        return revision_of(self.defined[board_id], self.snapshot, of)

    # recording

    def make(self, kind: type[EntryType], **fields: Any) -> EntryType:
        """An entry with id, time and author filled in, not yet recorded."""
        told: dict[str, Any] = {
            name: printable(value) if isinstance(value, str) else value for name, value in fields.items()
        }
        return kind(id=self.env.ids(), time=self.env.clock(), author=self.author, **told)

    def record(self, kind: type[EntryType], **fields: Any) -> EntryType:
        """Makes an entry, writes it to disk, and brings the snapshot up to date."""
        entry = self.make(kind, **fields)
        self.record_all([entry])
        return entry

    def sign_as(self, name: str) -> None:
        """Entries from now on carry this name; it is remembered for the store."""
        self.author = name
        if not self.store.read_only:
            remember(self.store.folder, name=name)

    def record_all(self, new: Sequence[Entry]) -> None:
        """Writes the entries of one action, all or none; they are undone as one."""
        # Something new ends what can be redone, as in every editor.
        self._undone.clear()
        self._write(_as_one(new))

    def _write(self, new: Sequence[Entry]) -> None:
        self._fold.add([leaner(entry) for entry in self.store.append_all(self.id, new)])
        self._moment = None

    def keep_checkpoint(self) -> None:
        """Leaves a long job so that it opens quickly the next time; nothing to do for others."""
        keep_checkpoint(self.store, self.id, self._fold)

    def read_workshop(self) -> None:
        """The drawer and the bench profile as they are on disk now; what cannot be read is named in its warnings."""
        self.workshop = self._workshop()
        self._moment = None

    def _workshop(self) -> Workshop:
        found = load_workshop(self.store.folder)
        return replace(found, warnings=(*found.warnings, *self._of_types, *self._not_read))

    def save_bench(self) -> None:
        """The bench as this job has it becomes the workshop's own, with which the next job begins."""
        if self.store.read_only:
            return
        decided = {what: entry.choice for what, entry in self.snapshot.paper.decisions.items()}
        bench = profile_of(decided, self.workshop.bench)
        save_bench(self.store.folder, bench)
        self.workshop = replace(self.workshop, bench=bench)
        self._moment = None

    def add_board(self, files: Mapping[str, bytes], place: str) -> BoardDefinition:
        """Another board joins this job (a sub-board, the next of a stack); RequestError when its id is taken."""
        board = parse_board(files, place, self.library)
        if board.id in self.boards:
            raise RequestError(
                say("this job has a board {id} already; give the other one its own id in board.toml", id=board.id)
            )
        note = self.make(Note, board=board.id, text=say("board added: {title}", title=board.title))
        self._fold.add([leaner(entry) for entry in self.store.add_board(self.id, board.id, files, note)])
        self.defined = {**self.defined, board.id: board}
        self._moment = None
        return board

    # undo and redo

    def retract(self, target: str) -> None:
        """Undoes an entry by appending a retraction; RequestError for an unknown or already undone one."""
        if not self._fold.has(target):
            raise RequestError(say("there is no entry {target} in this logbook", target=target))
        if target in self.retracted:
            raise RequestError(say("this entry is already undone"))
        # One row of the logbook stands for its whole action: half of it undone would be a state nobody made.
        whole = self._fold.entry(target).part_of or target
        self._undone = [self._group(whole if self._fold.has(whole) else target)]
        self._write([self.make(Retracted, target=whole if self._fold.has(whole) else target)])

    def _group(self, head: str) -> list[Entry]:
        """The live entries of one action: its head, and what belongs to it, in their order."""
        # An action's entries were recorded together; looking further back would slow undo on a long job.
        start = max(0, len(self.entries) - 5000)
        near = [e for e in self.entries[start:] if (e.id == head or e.part_of == head) and e.id not in self.retracted]
        return near or [self._fold.entry(head)]

    def last_action(self) -> Entry | None:
        """The head of the newest action that counts; None when nothing can be undone."""
        live = (e for e in reversed(self.entries) if e.id not in self.retracted and not e.part_of)
        return next((e for e in live if not isinstance(e, _NO_ACTION)), None)

    def undo(self) -> list[Entry]:
        """Undoes the last action as one; returns its entries, none when there is nothing to undo."""
        head = self.last_action()
        if head is None:
            return []
        group = self._group(head.id)
        self._write([self.make(Retracted, target=head.id)])
        self._undone.append(group)
        return group

    def redo(self) -> list[Entry]:
        """Records again what was undone last; returns the new entries, none when there is nothing to redo."""
        if not self._undone:
            return []
        group = self._undone.pop()
        names = {entry.id: self.env.ids() for entry in group}
        again = [
            entry.model_copy(
                update={
                    "id": names[entry.id],
                    "time": self.env.clock(),
                    "author": self.author,
                    "part_of": names.get(entry.part_of, entry.part_of),
                }
            )
            for entry in group
        ]
        self._write(again)
        return again


def _as_one(new: Sequence[Entry]) -> Sequence[Entry]:
    """Entries recorded together belong to the last of them, so that one retraction takes all of them back."""
    if len(new) < 2:
        return new
    head = new[-1].id
    return [entry if entry.part_of else entry.model_copy(update={"part_of": head}) for entry in new[:-1]] + [new[-1]]


def open_new_job(
    store: Store,
    title: str,
    boards: Sequence[Path],
    owner: str = "",
    complaint: str = "",
    environment: Environment | None = None,
    listed: Sequence[Mapping[str, bytes]] = (),
) -> str:
    """A new job from board folders; returns its id. Every board is validated before anything is written.

    `listed` are boards made from parts lists, as the bytes of their files.
    """
    env = environment or Environment()
    library, _ = library_with_own(store.folder, env.library)
    found = {load_board(path, library).id: board_files(path) for path in boards}
    found |= {parse_board(files, say("the parts list"), library).id: dict(files) for files in listed}
    if len(found) < len(boards) + len(listed):
        raise RequestError(say("two of the boards carry the same id; give each its own in board.toml"))
    job, opened_at = env.ids()[:8], env.clock()
    opened = Opened(
        id=env.ids(),
        time=opened_at,
        author=env.author or load_preferences(store.folder).name,
        title=title,
        owner=owner,
        complaint=complaint,
        boards=tuple(found),
    )
    store.create_job(job, title, opened_at.isoformat(), found, [opened])
    return job


def import_archive(store: Store, archive: JobArchive, environment: Environment | None = None) -> str:
    """Imports an archive into a store and returns the job's id there: its own, or a new one when that is in use."""
    env = environment or Environment()
    job = archive.job_id if archive.job_id and not store.has_job(archive.job_id) else env.ids()[:8]
    author = env.author or load_preferences(store.folder).name
    noted = Imported(id=env.ids(), time=env.clock(), author=author, head=archive.head, entries=len(archive.lines))
    store.import_archive(archive, job, noted)
    return job


def find_job(store: Store, name: str) -> str:
    """The id of the job meant by an id or a title; RequestError for none, or for several of one title (with ids)."""
    jobs = store.jobs()
    if any(job.id == name for job in jobs):
        return name
    wanted = name.strip().casefold()
    found = [job.id for job in jobs if job.title.strip().casefold() == wanted]
    if len(found) == 1:
        return found[0]
    if found:
        raise RequestError(
            say(
                "{count} jobs are called “{name}”: {found}; give one of these ids",
                count=len(found),
                name=name,
                found=joined(", ", found),
            )
        )
    raise RequestError(
        say("there is no job with the id or title “{name}” in this store (see `loyal-trace job list`)", name=name)
    )
