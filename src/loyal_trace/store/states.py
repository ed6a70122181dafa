"""What state the jobs of a store are in: open, archived, hidden, or deleted with thirty days to change one's mind.

Nothing of a deleted job is removed before its days are over; then its lines go, the only ones that ever do.
"""

import sqlite3
from dataclasses import dataclass
from datetime import datetime, timedelta

from loyal_trace.store.schema import APPEND_ONLY

OPEN, ARCHIVED, HIDDEN, DELETED = "open", "archived", "hidden", "deleted"
STATES = (OPEN, ARCHIVED, HIDDEN, DELETED)
KEPT_FOR = timedelta(days=30)
_NO_DELETE = "entries_no_delete"


@dataclass(frozen=True)
class JobState:
    """The state of a job and since when (UTC, as ISO 8601)."""

    state: str
    since: str

    def days_left(self, now: datetime) -> int:
        """Whole days until a deleted job is gone."""
        return max(0, (datetime.fromisoformat(self.since) + KEPT_FOR - now).days)


def states_of(connection: sqlite3.Connection) -> dict[str, JobState]:
    """The jobs that are not open, with their states; none in a store from before there were states."""
    try:
        rows = connection.execute("SELECT job, state, since FROM job_states").fetchall()
    except sqlite3.OperationalError:
        return {}
    return {str(job): JobState(str(state), str(since)) for job, state, since in rows}


def set_state(connection: sqlite3.Connection, job: str, state: str, now: datetime) -> None:
    """Gives a job another state, at once on disk."""
    with connection:
        connection.execute("DELETE FROM job_states WHERE job = ?", (job,))
        if state != OPEN:
            row = (job, state, now.isoformat())
            connection.execute("INSERT INTO job_states (job, state, since) VALUES (?, ?, ?)", row)


def purge(connection: sqlite3.Connection, now: datetime) -> list[str]:
    """Removes the jobs whose thirty days are over; returns their ids."""
    over = [
        job
        for job, state in states_of(connection).items()
        if state.state == DELETED and datetime.fromisoformat(state.since) + KEPT_FOR <= now
    ]
    if not over:
        return []
    with connection:
        # The logbook is append-only by trigger: it stands aside for these lines, inside one transaction.
        connection.execute("BEGIN IMMEDIATE")
        connection.execute(f"DROP TRIGGER {_NO_DELETE}")
        for job in over:
            for table in ("entries", "board_files", "job_states"):
                connection.execute(f"DELETE FROM {table} WHERE job = ?", (job,))
            connection.execute("DELETE FROM jobs WHERE id = ?", (job,))
        connection.execute(next(trigger for trigger in APPEND_ONLY if _NO_DELETE in trigger))
    return over
