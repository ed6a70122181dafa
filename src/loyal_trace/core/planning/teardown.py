"""Teardown as one line a step: what came off, how many, of what size, from where, which way round it was."""

import re
from typing import Any

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say

_SORTS = {
    "fastener": ("screw", "bolt", "nut", "rivet", "clip", "spacer", "post", "washer", "fastener"),
    "cable": ("cable", "plug", "ribbon", "wire", "lead", "loom", "connector"),
    "shield": ("shield", "cover", "lid", "can", "plate", "bracket", "bezel"),
    "switch": ("switch", "knob", "lever", "jumper"),
    "glue": ("glue", "tape", say("hot melt"), "silicone", "foam"),
}
# “10 mm screws” are screws of a size, not ten of something.
_COUNT = re.compile(r"(\d+)\s*[x×*]?\s+(?!mm\b)(.*)")
_NUMBER = r"\d+(?:[.,]\d+)?"
_SIZE = re.compile(rf"\b(M{_NUMBER}(?:\s*[x×]\s*{_NUMBER})?|{_NUMBER}(?:\s*[x×]\s*{_NUMBER})?\s*mm)\b")
_NEEDS_WAY = ("cable", "switch")


def parse_step(text: str) -> dict[str, Any]:
    """The fields of a `TakenApart` from one line: `4 M3x8 screws, bottom shield` or `ribbon, J3, red stripe left`.

    Count first, if more than one; then what, where, and which way round, with commas between. RequestError for an
    empty line, and for a cable or switch of which nobody says which way round it was.
    """
    pieces = [piece.strip() for piece in text.split(",")]
    if not pieces[0]:
        raise RequestError(say("type what came off, for example: 4 M3x8 screws, bottom shield"))
    counted = _COUNT.fullmatch(pieces[0])
    count, what = (int(counted[1]), counted[2]) if counted else (1, pieces[0])
    if count < 1:
        raise RequestError(say("the count is 0; type how many came off"))
    size = _SIZE.search(what)
    bare = joined(" ", what.replace(size[0], " ").split()) if size else what
    sort = next((s for s, words in _SORTS.items() if any(word in bare.lower() for word in words)), "")
    sort = sort or ("fastener" if size else "other")
    place, way = (pieces[1] if len(pieces) > 1 else ""), joined(", ", pieces[2:])
    if sort in _NEEDS_WAY and not way:
        raise RequestError(
            say(
                "type the orientation of the {sort}: {bare}, {place}, red stripe left",
                sort=sort,
                bare=bare or what,
                place=place or "where",
            )
        )
    told = {"count": count, "size": size[0] if size else "", "place": place, "way": way}
    return {"sort": sort, "what": bare or sort, **told}


def step_words(fields: dict[str, Any]) -> str:
    """A step as it can be typed again: `parse_step` gives the same fields back."""
    counted = say("{fields} ", fields=fields["count"]) if fields["count"] > 1 else ""
    what = say("{fields} {fields2}", fields=fields["size"], fields2=fields["what"]).strip()
    return joined(
        ", ",
        (
            piece
            for piece in (say("{counted}{what}", counted=counted, what=what), fields["place"], fields["way"])
            if piece
        ),
    )
