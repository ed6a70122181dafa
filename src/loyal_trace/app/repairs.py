"""A step of the plan, done: what it writes down, whichever way it is said."""

from typing import Any

from loyal_trace.app.commands import step_entry
from loyal_trace.app.job import OpenJob
from loyal_trace.core.assess.away import SAFETY
from loyal_trace.core.assess.extra_steps import modification_words
from loyal_trace.core.assess.parts import in_stock, stock
from loyal_trace.core.job.entries import (
    CONTACT_REPAIRED,
    NEW_SOCKET,
    OWN_PART,
    RE_PROGRAMMED,
    Entry,
    Fitted,
    GaveBack,
    NamedPart,
    Removed,
    Worked,
)
from loyal_trace.core.parts.stock import StockItem
from loyal_trace.core.planning.steps import Step
from loyal_trace.core.vocabulary.phrases import say

_MOVES = ("rescue", "put-back", "give-back")
_OWN_PART_STAYS = {"leg": CONTACT_REPAIRED, "program": RE_PROGRAMMED, "socket": NEW_SOCKET, "socketing": NEW_SOCKET}
_WORK_ON_IT = {"reflow": "reflowed", "sink": "heat sink fitted", "improve": "modified", "track": "track repaired"}
_REASON = 120


def spares_for(job: OpenJob, step: Step) -> list[StockItem]:
    """What in the drawer could go in: the same number and not known bad."""
    if step.kind in _OWN_PART_STAYS or step.kind in _MOVES or step.kind in _WORK_ON_IT:
        return []
    return [item for item in stock(job.moment) if item.number == step.part_number and in_stock(job.moment, item)]


def entries_of_step(job: OpenJob, step: Step, spare: StockItem | None = None) -> list[Entry]:
    """What a finished step writes down: parts out and in, where they came from, and the step itself as done."""
    here = {"board": step.place.board, "place": step.place.refdes}
    number = job.moment.part(step.place).number
    done = step_entry(job, step)
    if step.kind in _MOVES:
        return [_moved(job, step, number, here), done]
    if step.kind in _WORK_ON_IT:
        pin = int(step.id.rpartition("/")[2]) or None if step.kind == "track" else None
        parts = (NamedPart(board=step.place.board, refdes=step.place.refdes, pin=pin),)
        detail = modification_words(job.moment, step.id)
        work = job.make(Worked, board=step.place.board, action=_WORK_ON_IT[step.kind], parts=parts, detail=detail)
        return [work, done]
    if step.kind in _OWN_PART_STAYS:
        return [job.make(Fitted, number=number, origin=_OWN_PART_STAYS[step.kind], **here), done]
    origin = spare.place if spare is not None else step.from_drawer or "ordered"
    return [
        job.make(Removed, number=number, reason=step.reason[:_REASON], **here),
        job.make(Fitted, number=step.part_number, origin=origin, **here),
        done,
    ]


def _moved(job: OpenJob, step: Step, number: str, here: dict[str, Any]) -> Entry:
    """A part that goes to its shelf, comes back, or returns to its lender."""
    if step.kind == "rescue":
        return job.make(Removed, number=number, reason=SAFETY, shelf=say("a box of its own"), **here)
    if step.kind == "put-back":
        return job.make(Fitted, number=number, origin=OWN_PART, **here)
    return job.make(GaveBack, **here)
