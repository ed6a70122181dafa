"""What the jobs of the made-up workshop share: board files, hidden faults, and a clock for entries made long ago."""

import tomllib
from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime, timedelta
from importlib.resources import files
from typing import Any

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.logbook.entries import Opened
from loyal_trace.core.simulation.bench import HiddenFault
from loyal_trace.formats.board_folder import FILES, parse_board
from loyal_trace.resources import chip_library
from loyal_trace.session import JobSession, Surroundings
from loyal_trace.store.store import Store


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


def open_demo_job(store: Store, around: Surroundings, job: str, since: datetime, **told: Any) -> JobSession:
    """A job taken in long ago, open to be worked on by M. Pell from then on; `told` are fields of its first entry."""
    at_work = replace(around, clock=BenchClock(since), author="M. Pell")
    opened = Opened(
        id=around.ids(), time=since, author=at_work.author, owner="Gannet Point Pier Collection", number=job.upper(),
        promise="repair and service", **told,
    )  # fmt: skip
    store.create_job(job, opened.title, since.isoformat(), board_files_of(opened.boards), [opened])
    return JobSession(store, job, at_work)
