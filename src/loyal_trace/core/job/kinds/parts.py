"""Entries of parts: out, in, exchanged, tried, worked on, planned, in stock."""

from types import MappingProxyType
from typing import Literal

from pydantic import Field

from loyal_trace.core.job.base import OWN_BOARD, Entry, NamedPart, PlacedEntry, Raw, kind
from loyal_trace.core.job.draft import EMPTY, Draft
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.stages import Stage

OWN_PART = "own part"
RE_PROGRAMMED = "own part, re-programmed"
NEW_SOCKET = "own part, new socket"
CONTACT_REPAIRED = "own part, contact repaired"
KEEPS_PART = (OWN_PART, RE_PROGRAMMED, NEW_SOCKET, CONTACT_REPAIRED)
RETIRES = ("re-programmed", "reflowed", "repaired", "socket fitted", "cleaned")


def retire(draft: Draft, place: PartRef) -> None:
    """A part left, entered or was put right: what was read of it before no longer speaks of it now."""
    reads = draft.roms.reads.clear(place)
    if reads:
        draft.roms.earlier_reads.add(place, *reads)
    pins = draft.readings.pins.discard(place)
    if pins:
        earlier = draft.readings.earlier_pins.get(place, EMPTY)
        draft.readings.earlier_pins[place] = MappingProxyType({**earlier, **pins})
    draft.roms.signatures.discard(place)
    starts = draft.proving.starts.clear()
    if starts:
        draft.proving.starts_before.add(*starts)


def _removed(draft: Draft, entry: "Removed") -> None:
    draft.parts.removed[entry.part] = entry
    if entry.shelf:  # it comes back as it is: what was read of it stays true
        return
    draft.parts.fitted.discard(entry.part)
    retire(draft, entry.part)


def _fitted(draft: Draft, entry: "Fitted") -> None:
    if entry.origin == OWN_PART:
        draft.parts.removed.discard(entry.part)
        return
    draft.parts.fitted.discard(entry.part)
    draft.parts.fitted[entry.part] = entry
    draft.parts.changes.add(entry)
    if entry.lender:
        draft.parts.loans[entry.part] = entry
    source = (entry.number, entry.origin)
    draft.parts.taken[source] = draft.parts.taken.get(source, 0) + 1
    retire(draft, entry.part)


def _gave_back(draft: Draft, entry: "GaveBack") -> None:
    if draft.parts.loans.discard(entry.part):
        draft.parts.fitted.discard(entry.part)
        retire(draft, entry.part)


def _swapped(draft: Draft, entry: "Swapped") -> None:
    draft.parts.swaps.add(entry)


def _trial(draft: Draft, entry: "Trial") -> None:
    draft.parts.trials.add(entry)


def _worked(draft: Draft, entry: "Worked") -> None:
    draft.parts.work.add(entry)
    if entry.before or entry.action not in RETIRES:
        return
    for place in entry.parts:
        draft.parts.changes.add(entry)
        retire(draft, place.part)


def _step_done(draft: Draft, entry: "StepDone") -> None:
    draft.parts.steps[entry.step] = entry


def _planned(draft: Draft, entry: "PlannedUse") -> None:
    draft.parts.planned[entry.part] = entry


def _stocked(draft: Draft, entry: "Stocked") -> None:
    draft.parts.stocked.add(entry)


def _from(lender: str, origin: str) -> str:
    return f", borrowed from {lender}" if lender else f" from {origin}" if origin else ""


def _fitted_words(entry: "Fitted") -> str:
    told = f"{entry.place} fitted with {entry.number}{_from(entry.lender, entry.origin)}"
    if entry.origin in KEEPS_PART:
        told = f"{entry.place}: {entry.origin}"
    return told


def _removed_words(entry: "Removed") -> str:
    why = f": {entry.reason}" if entry.reason else ""
    return f"{entry.place} removed{why}" + (f", stored at {entry.shelf}" if entry.shelf else "")


def _swapped_words(entry: "Swapped") -> str:
    other = entry.other.name if entry.other else entry.spare
    back = "swapped back with" if entry.back else "exchanged with"
    outcome = f": the fault {_OUTCOMES[entry.result]}" if entry.result else ""
    return f"{entry.place} {back} {other}{outcome}"


def _trial_words(entry: "Trial") -> str:
    outcome = f": the fault {_OUTCOMES[entry.result]}" if entry.result else ""
    names = ", ".join(part.name for part in entry.parts)
    return f"{names} {entry.action}{outcome}"


def _worked_words(entry: "Worked") -> str:
    names = ", ".join(part.name for part in entry.parts)
    told = f"{names} {entry.action}".strip() + (f" {entry.detail}" if entry.detail else "")
    return ("before this job: " if entry.before else "") + told


def _stocked_words(entry: "Stocked") -> str:
    where = f" in {entry.place}" if entry.place else ""
    return f"drawer: {entry.count} × {entry.number}{where}, {entry.state}"


def _own_chip(raw: Raw) -> Raw:
    """Version 1 kept a chip that was only said to be there as fitted; it is a fact of the person's own board."""
    if raw.get("origin") != "own chip":
        return raw
    kept: Raw = {name: raw[name] for name in ("id", "time", "author", "part_of") if name in raw}
    return {**kept, "kind": "part_told", "board": OWN_BOARD, "place": raw["place"], "number": raw["number"]}


def _result(raw: Raw) -> Raw:
    return {**raw, "result": _V1_RESULTS[raw["result"]]}


_V1_RESULTS = {"fault goes": "gone", "fault stays": "stays", "fault moves": "moves"}
_OUTCOMES = {
    "gone": "is gone",
    "stays": "stays",
    "moves": "moved with the part",
    "partly": "is partly gone",
    "comes back": "comes back",
    "better": "is better",
    "worse": "is worse",
}
Outcome = Literal["gone", "stays", "moves", "partly", "comes back", "better", "worse", ""]


@kind(_removed, _removed_words, Stage.REPAIR)
class Removed(PlacedEntry):
    """A part came out. With a `shelf` it was only taken to safety and comes back."""

    kind: Literal["removed"] = "removed"
    number: str = ""
    reason: str = ""
    shelf: str = ""


@kind(_fitted, _fitted_words, Stage.REPAIR, {1: _own_chip})
class Fitted(PlacedEntry):
    """A part went in, or was put right; earlier readings of that place no longer speak of it.

    `lender` is set when it is a stand-in: where it was borrowed and goes back to.
    """

    kind: Literal["fitted"] = "fitted"
    number: str
    origin: str = ""
    lender: str = ""


@kind(_gave_back, lambda e: f"{e.place}: the borrowed part was returned", Stage.REPAIR)
class GaveBack(PlacedEntry):
    """A borrowed stand-in went back to where it came from."""

    kind: Literal["gave_back"] = "gave_back"


@kind(_swapped, _swapped_words, Stage.SUSPECTS, {1: _result})
class Swapped(PlacedEntry):
    """A part was exchanged to see what the fault does: with a spare, or with the part of another place.

    `result`: gone, stays, moves (with the part), partly; empty when only the exchange was said. `back` undoes one.
    """

    kind: Literal["swapped"] = "swapped"
    spare: str = ""
    other: NamedPart | None = None
    result: Outcome = ""
    back: bool = False


@kind(_trial, _trial_words, Stage.SUSPECTS)
class Trial(Entry):
    """Something was done to parts to see what the fault does: out, back, lifted, pressed, cooled, a chip on top."""

    kind: Literal["trial"] = "trial"
    action: str
    parts: tuple[NamedPart, ...] = Field(min_length=1)
    result: Outcome = ""


@kind(_worked, _worked_words, Stage.REPAIR)
class Worked(Entry):
    """Work on parts or on the whole board (no parts): reflowed, cleaned, repaired, a socket fitted, washed.

    `before`: found done by somebody before this job.
    """

    kind: Literal["worked"] = "worked"
    action: str
    parts: tuple[NamedPart, ...] = ()
    detail: str = ""
    before: bool = False


@kind(_step_done, lambda e: f"step {'skipped' if e.skipped else 'done'}: {e.what or e.step}", Stage.REPAIR)
class StepDone(Entry):
    """A step of the plan was done, or skipped with a reason."""

    kind: Literal["step_done"] = "step_done"
    step: str
    what: str = ""
    minutes: float = 0.0
    skipped: bool = False


@kind(_planned, lambda e: f"{e.place} is to get {e.number}{_from('', e.origin)}", Stage.PLAN)
class PlannedUse(PlacedEntry):
    """What is to go into a place when it is replaced; nothing was done yet."""

    kind: Literal["planned"] = "planned"
    number: str
    origin: str = ""


@kind(_stocked, _stocked_words)
class Stocked(Entry):
    """Something lies in the drawer."""

    kind: Literal["stocked"] = "stocked"
    number: str
    count: int = Field(default=1, ge=0, le=100_000)
    place: str = ""
    state: Literal["unknown", "proven", "bad"] = "unknown"
