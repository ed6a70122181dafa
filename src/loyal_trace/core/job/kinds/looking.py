"""Entries of looking: findings, photos, what was taken apart and put together again."""

from typing import Literal

from pydantic import Field

from loyal_trace.core.job.base import Entry, PlacedEntry, Raw, Sha256, Strict, kind
from loyal_trace.core.job.draft import Draft
from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of

_RENAMED = {
    "leg folded or missing": Finding.PIN_BENT,
    "reversed": Finding.REVERSED,
    "leaking or bulged": Finding.LEAKING,
}


def _observed(draft: Draft, entry: "Observed") -> None:
    draft.seen.findings.add(entry.part, entry)
    # Kept by itself: at every reading somebody asks for it, and a part may have been looked at very often.
    if entry.finding is Finding.TRACK_DAMAGED:
        draft.seen.damaged.add(entry.part, entry)
    elif entry.finding is Finding.LOOKS_GOOD and draft.seen.damaged.get(entry.part):
        draft.seen.damaged.clear(entry.part)


def _photographed(draft: Draft, entry: "Photographed") -> None:
    draft.seen.photos[entry.attachment] = entry


def _aligned(draft: Draft, entry: "PhotoAligned") -> None:
    draft.seen.alignments[entry.attachment] = entry


def _photo_of(draft: Draft, entry: "PhotoOf") -> None:
    if entry.attachment not in draft.seen.photos_of.get(entry.part):
        draft.seen.photos_of.add(entry.part, entry.attachment)


def _taken_apart(draft: Draft, entry: "TakenApart") -> None:
    draft.seen.taken_apart[entry.id] = entry


def _put_back(draft: Draft, entry: "Refitted") -> None:
    draft.seen.put_back[entry.target] = draft.seen.put_back.get(entry.target, 0) + entry.count


def _known_finding(raw: Raw) -> Raw:
    """Version 1 kept any word; one that is none of ours is kept as a note."""
    word = _RENAMED.get(raw["finding"], raw["finding"])
    if word in set(Finding):
        return {**raw, "finding": str(word)}
    note = say("{word}: {raw}", word=word, raw=raw["note"]) if raw.get("note") else word
    return {**raw, "finding": Finding.NOTED.value, "note": note}


def _seen_words(entry: "Observed") -> str:
    where = entry.place if entry.pin is None else f"{entry.place}.{entry.pin}"
    return say("{where} {finding}", where=where, finding=term(entry.finding))


def _came_off(entry: "TakenApart") -> str:
    counted = say("{entry_count} × ", entry_count=entry.count) if entry.count > 1 else ""
    told = [say("{counted}{entry}", counted=counted, entry=entry.what), entry.size, entry.place, entry.way]
    return joined(", ", (piece for piece in told if piece))


@kind(_observed, _seen_words, Stage.INSPECT, {1: _known_finding})
class Observed(PlacedEntry):
    """Something seen at a place, or at one pin of it: one word of `Finding`, and a note."""

    kind: Literal["observed"] = "observed"
    finding: Finding = Field(strict=False)
    pin: int | None = Field(default=None, ge=1, le=999)


class PhotoPoint(Strict):
    """One point seen on both: `x`, `y` in millimetres on the board, `u`, `v` in pixels of the upright photo."""

    x: float
    y: float
    u: float
    v: float


@kind(
    _photographed,
    lambda e: say("photo {file_name} ({width} × {height})", file_name=e.file_name, width=e.width, height=e.height),
    Stage.INSPECT,
)
class Photographed(Entry):
    """A photo of a board; the file is an attachment, whole. Size in pixels, upright as its EXIF says."""

    kind: Literal["photographed"] = "photographed"
    attachment: Sha256
    file_name: str
    width: int = Field(gt=0)
    height: int = Field(gt=0)


@kind(_aligned, lambda e: say("photo aligned by {points}", points=count_of(len(e.points), "point")), Stage.INSPECT)
class PhotoAligned(Entry):
    """A photo was aligned with the board map by points clicked on both."""

    kind: Literal["photo_aligned"] = "photo_aligned"
    attachment: Sha256
    points: tuple[PhotoPoint, ...]


@kind(_photo_of, lambda e: say("{place}: a photo belongs to it", place=e.place), Stage.INSPECT)
class PhotoOf(PlacedEntry):
    """A photo shows this part: it belongs to what was seen there."""

    kind: Literal["photo_of"] = "photo_of"
    attachment: Sha256


@kind(_taken_apart, lambda e: say("taken off: {came_off}", came_off=_came_off(e)), Stage.INSPECT)
class TakenApart(Entry):
    """One step of the teardown: what came off, how many, of what size, from where, and which way round it was."""

    kind: Literal["taken_apart"] = "taken_apart"
    sort: Literal["fastener", "cable", "shield", "switch", "glue", "other"]
    what: str
    count: int = Field(default=1, ge=1)
    size: str = ""
    place: str = ""
    way: str = ""


@kind(_put_back, lambda e: say("put back: {pieces}", pieces=count_of(e.count, "piece")), Stage.REPAIR)
class Refitted(Entry):
    """A step of the teardown was undone: how many of its pieces are back in place."""

    kind: Literal["put_back"] = "put_back"
    target: str
    count: int = Field(default=1, ge=0)
