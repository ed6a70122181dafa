"""Reassembly: the teardown backwards, what is to go back, and what is left over."""

from dataclasses import dataclass

from loyal_trace.core.job.entries import TakenApart
from loyal_trace.core.job.snapshot import JobSnapshot
from loyal_trace.core.vocabulary.phrases import joined, say


@dataclass(frozen=True)
class Reassembly:
    """One step of putting it together: the teardown entry, how many pieces are back, and how many are still out."""

    step: TakenApart
    back: int

    @property
    def left(self) -> int:
        return self.step.count - self.back

    @property
    def words(self) -> str:
        counted = say("{step_count} × ", step_count=self.step.count) if self.step.count > 1 else ""
        told = [
            say("{counted}{step}", counted=counted, step=self.step.what),
            self.step.size,
            self.step.place,
            self.step.way,
        ]
        return joined(", ", (piece for piece in told if piece))


def reassembly(state: JobSnapshot) -> tuple[Reassembly, ...]:
    """The teardown backwards, with what is back in place so far."""
    steps = reversed(list(state.seen.taken_apart.values()))
    return tuple(Reassembly(step, min(step.count, state.seen.put_back.get(step.id, 0))) for step in steps)


def left_over(state: JobSnapshot) -> tuple[str, ...]:
    """Errors: pieces that should be back by now: once anything is back, so has to be all that came off later."""
    listed = reassembly(state)
    begun = [index for index, item in enumerate(listed) if item.back]
    if not begun:
        return ()
    skipped = [item for item in listed[: max(begun)] if item.left]
    return tuple(say("{left} left over of {item}", left=item.left, item=item.words) for item in skipped)


def still_out(state: JobSnapshot) -> tuple[str, ...]:
    """Everything that came off and is not back, last off first."""
    out = [item for item in reassembly(state) if item.left]
    return tuple(
        say("{left} × {step}, {place}", left=item.left, step=item.step.what, place=item.step.place).rstrip(", ")
        for item in out
    )
