"""Teardown as one line a step, and reassembly as that list backwards: what is to go back, and what is left over."""

import re
from dataclasses import dataclass
from typing import Any

from loyal_trace.core.job.entries import TakenApart
from loyal_trace.core.job.snapshot import JobSnapshot
from loyal_trace.core.vocabulary.errors import RequestError

_SORTS = {
    "fastener": ("screw", "bolt", "nut", "rivet", "clip", "spacer", "post", "washer", "fastener"),
    "cable": ("cable", "plug", "ribbon", "wire", "lead", "loom", "connector"),
    "shield": ("shield", "cover", "lid", "can", "plate", "bracket", "bezel"),
    "switch": ("switch", "knob", "lever", "jumper"),
    "glue": ("glue", "tape", "hot melt", "silicone", "foam"),
}
_COUNT = re.compile(r"(\d+)\s*[x×*]?\s+(.*)")
_NUMBER = r"\d+(?:[.,]\d+)?"
_SIZE = re.compile(rf"\b(M{_NUMBER}(?:\s*[x×]\s*{_NUMBER})?|{_NUMBER}(?:\s*[x×]\s*{_NUMBER})?\s*mm)\b")
_NEEDS_WAY = ("cable", "switch")


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
        counted = f"{self.step.count} × " if self.step.count > 1 else ""
        told = [f"{counted}{self.step.what}", self.step.size, self.step.place, self.step.way]
        return ", ".join(piece for piece in told if piece)


def parse_step(text: str) -> dict[str, Any]:
    """The fields of a `TakenApart` from one line: `4 M3x8 screws, bottom shield` or `ribbon, J3, red stripe left`.

    Count first, if more than one; then what, where, and which way round, with commas between. RequestError for an
    empty line, and for a cable or switch of which nobody says which way round it was.
    """
    pieces = [piece.strip() for piece in text.split(",")]
    if not pieces[0]:
        raise RequestError("say what came off, for instance: 4 M3x8 screws, bottom shield")
    counted = _COUNT.fullmatch(pieces[0])
    count, what = (int(counted[1]), counted[2]) if counted else (1, pieces[0])
    if count < 1:
        raise RequestError("nothing came off; say how many")
    size = _SIZE.search(what)
    bare = " ".join(what.replace(size[0], " ").split()) if size else what
    sort = next((s for s, words in _SORTS.items() if any(word in bare.lower() for word in words)), "")
    sort = sort or ("fastener" if size else "other")
    place, way = (pieces[1] if len(pieces) > 1 else ""), ", ".join(pieces[2:])
    if sort in _NEEDS_WAY and not way:
        raise RequestError(f"say which way round the {sort} was: {bare or what}, {place or 'where'}, red stripe left")
    told = {"count": count, "size": size[0] if size else "", "place": place, "way": way}
    return {"sort": sort, "what": bare or sort, **told}


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
    return tuple(f"{item.left} left over of {item.words}" for item in skipped)


def still_out(state: JobSnapshot) -> tuple[str, ...]:
    """Everything that came off and is not back, last off first."""
    out = [item for item in reassembly(state) if item.left]
    return tuple(f"{item.left} × {item.step.what}, {item.step.place}".rstrip(", ") for item in out)
