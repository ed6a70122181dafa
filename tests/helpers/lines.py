"""The grammar for tests: a context, and what a line comes to in it."""

from dataclasses import replace
from datetime import datetime
from pathlib import Path

from loyal_trace.core.assess.boards import boards_of
from loyal_trace.core.job.fold import fold
from loyal_trace.core.line.asked import asked_at
from loyal_trace.core.line.context import Context
from loyal_trace.core.line.grammar import parse_line
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.demo.common import boards_of as demo_boards
from loyal_trace.resources import chip_library
from tests.helpers.builders import START

LIBRARY = chip_library()
TIDEWRACK = demo_boards(("tw-cpu", "tw-vid"))
VIDEO = {"tw-vid": TIDEWRACK["tw-vid"]}
SENTENCES = [
    line for line in (Path(__file__).parents[1] / "data" / "sentences.txt").read_text().splitlines() if line.strip()
]


def context(boards=VIDEO, entries=(), picked=None, pin=None, now: datetime = START, **more):
    """A context in which the stage asks at the picked part for what it asks for; boards grow with the entries."""
    snapshot = fold(entries)
    place = PartRef(*picked) if picked else None
    plain = Context(boards_of(boards, snapshot, LIBRARY), snapshot, LIBRARY, now, picked=place, **more)
    return replace(plain, asked=asked_at(plain, place, pin)) if place else plain


def read(line, where=None):
    """What a line comes to."""
    return parse_line(line, where or context())


def recorded(line, where=None):
    """The entries of a line that is clear, as (kind, all fields with their defaults)."""
    found = read(line, where)
    assert found.said is not None and found.status == "recorded", (line, found.status, found.message, found.choices)
    entries = [one.kind(id="0", time=START, **one.fields) for one in found.said.entries]
    return [(entry.kind, dict(entry)) for entry in entries]
