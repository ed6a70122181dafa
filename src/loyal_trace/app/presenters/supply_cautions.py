"""The cautions that stand at a supply in view, and which of them still want a signature."""

from collections.abc import Sequence

from loyal_trace.app.cautions import caution_words
from loyal_trace.app.commands import monitor_near
from loyal_trace.app.job import OpenJob
from loyal_trace.core.power.findings import Explanation
from loyal_trace.core.power.guard import cautions_of, to_sign
from loyal_trace.core.power.rails import PathReport
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.quantities import Quantity

_OF_FUSES = (Quantity.RATING, Quantity.RESISTANCE)


def caution_at(job: OpenJob, board_id: str, path: PathReport, explained: Sequence[Explanation] = ()) -> str:
    """The cautions of a supply in words: what feeds it, a monitor, what its readings add; and who has read them."""
    if not path.points:
        return ""
    cautions = list(cautions_of(job.boards[board_id], path.path))
    read = job.snapshot.paper.cautions
    signed = [read[name] for name in to_sign(tuple(cautions)) if name in read]
    if monitor_near(job, board_id):
        cautions.append(Caution.MONITOR)
    if any(one.hot for one in explained):
        cautions.append(Caution.HOT_PARTS)
    if any(p.verdict == "bad" and p.point.quantity in _OF_FUSES for p in path.points):
        cautions.append(Caution.FUSE)
    by = (
        say(
            "Read by {author}, {astimezone:%H:%M}.\n",
            author=signed[0].author or "you",
            astimezone=signed[0].time.astimezone(),
        )
        if signed
        else ""
    )
    return by + caution_words(cautions)


def unsigned(job: OpenJob, board_id: str, path: PathReport) -> tuple[Caution, ...]:
    """The cautions of a supply that are read and signed before a reading, and were not yet."""
    if not path.points:
        return ()
    cautions = to_sign(cautions_of(job.boards[board_id], path.path))
    return tuple(caution for caution in cautions if caution not in job.snapshot.paper.cautions)
