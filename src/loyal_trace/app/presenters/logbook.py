"""The logbook as lines: when, where, what; newest last."""

from dataclasses import dataclass

from loyal_trace.app.job import OpenJob
from loyal_trace.core.job.entries import Entry, describe
from loyal_trace.report.times import local_time


@dataclass(frozen=True)
class LogLine:
    """One entry as shown: its id, its words, whether it counts."""

    id: str
    words: str
    dead: bool


def line_of(job: OpenJob, entry: Entry) -> LogLine:
    """One line of the logbook, in local time."""
    board = job.boards[entry.board].name if entry.board in job.boards else entry.board
    dead = entry.id in job.retracted
    words = f"{local_time(entry.time)}  {board:8} {describe(entry)}"
    return LogLine(entry.id, f"undone: {words}" if dead else words, dead)


def newest(job: OpenJob, timed: bool = True) -> str:
    """The newest action that counts, in words, with its time or without; empty when there is none."""
    last = job.last_action()
    if last is None:
        return ""
    board = f"{job.boards[last.board].name} " if last.board in job.boards else ""
    words = f"{board}{describe(last)}"
    return f"{local_time(last.time)} {words}" if timed else words
