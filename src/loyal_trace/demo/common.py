"""What the jobs of the made-up workshop share: board files, hidden faults, and a clock for entries made long ago."""

import tomllib
from collections.abc import Callable, Mapping
from datetime import datetime, timedelta
from importlib.resources import files
from typing import Any, TypeVar

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.job.entries import Entry, Opened
from loyal_trace.core.simulation.bench import HiddenFault
from loyal_trace.formats.board_folder import FILES, parse_board
from loyal_trace.resources import chip_library
from loyal_trace.store.store import Store

EntryType = TypeVar("EntryType", bound=Entry)

DEMO_AUTHOR = "M. Pell"


def board_files_of(boards: tuple[str, ...]) -> dict[str, dict[str, bytes]]:
    """The files of demo boards: board id → file name → bytes."""
    root = files("loyal_trace.demo") / "boards"
    return {board: {name: (root / board / name).read_bytes() for name in FILES} for board in boards}


def boards_of(boards: tuple[str, ...]) -> dict[str, BoardDefinition]:
    """Demo boards, read like anybody's."""
    return {board: parse_board(found, board, chip_library()) for board, found in board_files_of(boards).items()}


def hidden_table(name: str) -> list[dict[str, Any]]:
    """One table of faults.toml; for the simulated bench alone."""
    found = tomllib.loads((files("loyal_trace.demo") / "faults.toml").read_text())[name]
    return list(found)


def read_fault(row: Mapping[str, object]) -> HiddenFault:
    """One row of faults.toml."""
    fields = {k: (tuple(v) if isinstance(v, list) else v) for k, v in row.items() if k != "name"}
    return HiddenFault(**fields)  # type: ignore[arg-type]


class BenchClock:
    """Times for the demo's entries: each a little after the one before."""

    def __init__(self, start: datetime) -> None:
        self.now = start

    def __call__(self) -> datetime:
        self.now += timedelta(seconds=41)
        return self.now


class DemoJob:
    """A job opened some days ago and worked on by M. Pell since; `told` are fields of its first entry."""

    author = DEMO_AUTHOR

    def __init__(self, store: Store, ids: Callable[[], str], job: str, since: datetime, **told: Any) -> None:
        self.store, self.id, self._ids, self._clock = store, job, ids, BenchClock(since)
        opened = Opened(
            id=ids(),
            time=since,
            author=self.author,
            owner="Gannet Point Pier Collection",
            number=job.upper(),
            promise="repair and service",
            **told,
        )
        store.create_job(job, opened.title, since.isoformat(), board_files_of(opened.boards), [opened])
        self.boards = boards_of(opened.boards)
        self.library = chip_library()

    def make(self, kind: type[EntryType], **fields: Any) -> EntryType:
        """An entry of that time and hand."""
        return kind(id=self._ids(), time=self._clock(), author=self.author, **fields)

    def record_all(self, entries: list[Entry]) -> None:
        """Writes entries as they were made, one after another."""
        self.store.append_all(self.id, entries)
