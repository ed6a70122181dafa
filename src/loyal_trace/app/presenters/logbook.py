"""The logbook as lines: when, where, what; newest last."""

from dataclasses import dataclass

from loyal_trace.app.job import OpenJob
from loyal_trace.core.job.entries import Entry, describe
from loyal_trace.core.vocabulary.phrases import say
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
    words = say(
        "{local_time}  {board:8} {describe}", local_time=local_time(entry.time), board=board, describe=describe(entry)
    )
    return LogLine(entry.id, say("undone: {words}", words=words) if dead else words, dead)


def newest(job: OpenJob, timed: bool = True) -> str:
    """The newest action that counts, in words, with its time or without; empty when there is none."""
    last = job.last_action()
    if last is None:
        return ""
    board = say("{name} ", name=job.boards[last.board].name) if last.board in job.boards else ""
    words = say("{board}{describe}", board=board, describe=describe(last))
    return say("{local_time} {words}", local_time=local_time(last.time), words=words) if timed else words
