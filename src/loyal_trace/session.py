"""One open job: its logbook on disk, its state in memory, and the assessment of the moment.

The composition of store and core that window, command line and demo share. Time and ids come from what is passed in.
"""

from collections.abc import Callable, Hashable, Mapping, Sequence
from contextlib import suppress
from copy import copy
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cache
from pathlib import Path
from typing import Any, TypeVar
from uuid import uuid4

from loyal_trace.core.assessment import Assessment, Beliefs, assess
from loyal_trace.core.boards.loose import LOOSE_ID, loose_board
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.revisions import RevisionFinding, answers_of, identify
from loyal_trace.core.case import Case
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.diagnosis.evidence import EvidenceTable, Priors
from loyal_trace.core.errors import RequestError
from loyal_trace.core.logbook.entries import (
    AnyEntry,
    ChainDescribed,
    Decided,
    Fitted,
    Note,
    Opened,
    Retracted,
    SumsKnown,
)
from loyal_trace.core.logbook.state import JobState, apply_entry, fold, retracted_ids
from loyal_trace.core.parts.capacitors import StockItem
from loyal_trace.core.power.described import describe_chain, with_chain
from loyal_trace.core.proving.bench import BenchProfile, profile_of
from loyal_trace.formats.archive import JobArchive
from loyal_trace.formats.bench_profile import BENCH_FILE, parse_bench, write_bench
from loyal_trace.formats.board_folder import board_files, load_board, parse_board
from loyal_trace.formats.drawer import parse_drawer
from loyal_trace.resources import chip_library, current_table, read_text
from loyal_trace.store.store import Store

EntryType = TypeVar("EntryType", bound=AnyEntry)
DRAWER_FILE = "drawer.csv"


@cache
def default_beliefs() -> Beliefs:
    """The evidence weights and priors that ship with the program."""
    return Beliefs(EvidenceTable(read_text("data/evidence.toml")), Priors(read_text("data/priors.toml")))


def utc_now() -> datetime:
    """The time of a new entry."""
    return datetime.now(UTC)


def new_id() -> str:
    """A fresh id for an entry or a job."""
    return uuid4().hex[:16]


@dataclass(frozen=True)
class Surroundings:
    """What a session needs from outside: who writes, the clock, ids, tables and chip library."""

    author: str = ""
    clock: Callable[[], datetime] = utc_now
    ids: Callable[[], str] = new_id
    beliefs: Callable[[], Beliefs] = default_beliefs
    library: Callable[[], ChipLibrary] = chip_library


class JobSession:
    """An open job. Every change goes through `record`, which returns when the entry is on disk."""

    def __init__(self, store: Store, job: str, surroundings: Surroundings | None = None) -> None:
        """Opens a job of a store; RequestError when there is none of that id."""
        if not store.has_job(job):
            raise RequestError(f"there is no job {job} in this store (see `loyal-trace job list`)")
        self.store, self.job = store, job
        self.around = surroundings or Surroundings()
        self.library = self.around.library()
        self.boards: dict[str, BoardDefinition] = {
            board: parse_board(files, board, self.library) for board, files in store.board_files(job).items()
        }
        self.entries: list[AnyEntry] = list(store.entries(job))
        self.state: JobState = fold(self.entries)
        order = self.state.opened.boards if self.state.opened else ()
        self.defined = {b: self.boards[b] for b in sorted(self.boards, key=lambda b: (b not in order, b))}
        self.boards = self._with_loose_board(self.state)
        self.drawer = load_drawer(store)
        self.workshop = load_bench(store)
        self._cache: dict[Hashable, object] = {}
        self._assessment: Assessment | None = None

    @property
    def title(self) -> str:
        return self.state.opened.title if self.state.opened else self.job

    def make(self, kind: type[EntryType], **fields: Any) -> EntryType:
        """An entry with id, time and author filled in, not yet recorded."""
        return kind(id=self.around.ids(), time=self.around.clock(), author=self.around.author, **fields)

    def record(self, kind: type[EntryType], **fields: Any) -> EntryType:
        """Makes an entry, writes it to disk, and brings the state up to date."""
        entry = self.make(kind, **fields)
        self.record_all([entry])
        return entry

    def record_all(self, new: list[AnyEntry]) -> None:
        """Writes several entries, all or none."""
        self.store.append_all(self.job, new)
        self.entries.extend(new)
        if any(isinstance(entry, Retracted) for entry in new):
            self.state = fold(self.entries)
        else:
            for entry in new:
                apply_entry(self.state, entry)
        self._assessment = None
        if any(isinstance(entry, SumsKnown | Fitted | Decided | Retracted | ChainDescribed) for entry in new):
            self.boards = self._with_loose_board(self.state)

    def remember_bench(self) -> None:
        """The bench as this job has it becomes the workshop's own, with which the next job begins."""
        self.workshop = profile_of(self.state, self.workshop)
        write_bench(self.store.folder / BENCH_FILE, self.workshop)
        self._assessment = None

    def live_times(self) -> list[datetime]:
        """The times of the entries that count."""
        dead = self.retracted
        return [entry.time for entry in self.entries if entry.id not in dead]

    def add_board(self, files: Mapping[str, bytes], place: str) -> BoardDefinition:
        """Another board joins this job (a sub-board, the next of a stack); RequestError when its id is taken."""
        board = parse_board(files, place, self.library)
        if board.id in self.boards:
            raise RequestError(f"this job has a board {board.id} already; give the other one its own id in board.toml")
        note = self.make(Note, board=board.id, text=f"board added: {board.title}")
        self.store.add_board(self.job, board.id, files, note)
        self.entries.append(note)
        apply_entry(self.state, note)
        self.defined[board.id] = board
        self.boards = self._with_loose_board(self.state)
        self._assessment = None
        return board

    def revision(self, board_id: str, of: str = "board") -> RevisionFinding:
        """What the answers given so far say of a board's revision, or of its firmware."""
        return self._identified(board_id, self.state, of)

    def _identified(self, board_id: str, state: JobState, of: str = "board") -> RevisionFinding:
        choices = {what: decided.choice for what, decided in state.decisions.items()}
        return identify(self.defined[board_id], answers_of(board_id, choices), of)

    def _as_built(self, state: JobState) -> dict[str, BoardDefinition]:
        """The job's boards with the parts of the revision that the marks settle, else of the one in the definition."""
        built = {}
        for board_id, board in self.defined.items():
            settled = self._identified(board_id, state).settled
            wanted = settled or (board.revision if board.revision in board.revisions else "")
            built[board_id] = board.as_revision(wanted) if wanted else board
        return built

    def _with_loose_board(self, state: JobState) -> dict[str, BoardDefinition]:
        """The job's boards, and a bare one for listed sums that belong to none and chips probed on their own."""
        sums = [line.known for taken in state.sums for line in taken.lines]
        chips = {
            place: (entry.number, len(self.library.find(entry.number).pins))
            for (board, place), entry in state.fitted.items()
            if board == LOOSE_ID and self.library.knows(entry.number)
        }
        own = self._as_built(state)
        loose = loose_board(sums, own, chips)
        boards = {**own, loose.id: loose} if loose else own
        return self._with_chains(boards, state)

    def _with_chains(self, boards: dict[str, BoardDefinition], state: JobState) -> dict[str, BoardDefinition]:
        """Supply chains described by hand join their boards once all their lines are there."""
        for (board_id, path), lines in state.chains.items():
            if "from" in lines and "to" in lines:
                base = boards.get(board_id) or BoardDefinition(LOOSE_ID, "Loose parts")
                with suppress(RequestError):  # lines that do not fit together yet describe nothing
                    boards[base.id] = with_chain(base, describe_chain(lines, path))
        return boards

    def retract(self, target: str) -> None:
        """Takes an entry back by appending a retraction; RequestError for an unknown or already retracted one."""
        if not any(entry.id == target for entry in self.entries):
            raise RequestError(f"there is no entry {target} in this logbook")
        if target in self.retracted:
            raise RequestError("this entry is already retracted")
        self.record(Retracted, target=target)

    @property
    def retracted(self) -> set[str]:
        """Ids of entries that do not count."""
        return retracted_ids(self.entries)

    def last_live(self) -> AnyEntry | None:
        """The newest entry that counts and is neither a retraction nor the opening of the job."""
        dead = self.retracted
        live = (e for e in reversed(self.entries) if e.id not in dead and not isinstance(e, Retracted | Opened))
        return next(live, None)

    def case(self) -> Case:
        """The inputs of every assessment at this moment."""
        return Case(
            self.boards, self.state, self.library, self.store.attachment, self.drawer, self._cache, current_table(),
            self.workshop,
        )  # fmt: skip

    def case_with(self, lists: Sequence[SumsKnown]) -> Case:
        """The case as it would be with further lists of sums, before they are recorded."""
        state = copy(self.state)
        state.sums = [*state.sums, *lists]
        return Case(self._with_loose_board(state), state, self.library, self.store.attachment, self.drawer)

    def assessment(self) -> Assessment:
        """Every verdict for the state of this moment; computed once until the next entry."""
        if self._assessment is None:
            self._assessment = assess(self.case(), self.around.beliefs())
        return self._assessment


def load_drawer(store: Store) -> tuple[StockItem, ...]:
    """The workshop's drawer, from `drawer.csv` in the store folder; empty when there is none."""
    path = store.folder / DRAWER_FILE
    return parse_drawer(path.read_bytes(), str(path)) if path.exists() else ()


def load_bench(store: Store) -> BenchProfile | None:
    """The workshop's bench profile, from `bench.toml` in the store folder; None when there is none."""
    path = store.folder / BENCH_FILE
    return parse_bench(path.read_bytes(), str(path)) if path.exists() else None


def open_new_job(
    store: Store,
    title: str,
    boards: Sequence[Path],
    owner: str = "",
    complaint: str = "",
    surroundings: Surroundings | None = None,
    listed: Sequence[Mapping[str, bytes]] = (),
) -> str:
    """A new job from board folders; returns its id. Every board is validated before anything is written.

    `listed` are boards made from parts lists, as the bytes of their files.
    """
    around = surroundings or Surroundings()
    found = {load_board(path, around.library()).id: board_files(path) for path in boards}
    found |= {parse_board(files, "the parts list", around.library()).id: dict(files) for files in listed}
    if len(found) < len(boards) + len(listed):
        raise RequestError("two of the boards carry the same id; give each its own in board.toml")
    job, opened_at = around.ids()[:8], around.clock()
    opened = Opened(
        id=around.ids(),
        time=opened_at,
        author=around.author,
        title=title,
        owner=owner,
        complaint=complaint,
        boards=tuple(found),
    )
    store.create_job(job, title, opened_at.isoformat(), found, [opened])
    return job


def take_in(store: Store, archive: JobArchive, surroundings: Surroundings | None = None) -> str:
    """Takes an archive into a store and returns the job's id there: its own, or a new one when that is taken."""
    around = surroundings or Surroundings()
    job = archive.job_id if archive.job_id and not store.has_job(archive.job_id) else around.ids()[:8]
    store.take_in(archive, job)
    return job
