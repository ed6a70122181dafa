"""Entries of parts: out, in, exchanged, tried, worked on, planned, in stock."""

from types import MappingProxyType
from typing import Literal

from pydantic import Field

from loyal_trace.core.job.base import OWN_BOARD, Entry, NamedPart, PlacedEntry, Raw, kind
from loyal_trace.core.job.draft import EMPTY, Draft
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import format_duration

OWN_PART = "own part"
RE_PROGRAMMED = "own part, re-programmed"
NEW_SOCKET = say("own part, new socket")
CONTACT_REPAIRED = say("own part, contact repaired")
KEEPS_PART = (OWN_PART, RE_PROGRAMMED, NEW_SOCKET, CONTACT_REPAIRED)
# How they read after whatever was done before: a new part that got a socket is no part of the board's own.
KEPT_WORDS = {
    OWN_PART: say("own part"),
    RE_PROGRAMMED: say("re-programmed"),
    NEW_SOCKET: say("new socket"),
    CONTACT_REPAIRED: say("contact repaired"),
}
RETIRES = ("re-programmed", "reflowed", "repaired", "socket fitted", "cleaned")


def retire(draft: Draft, place: PartRef) -> None:
    """A part left, entered or was put right: what was read of it before no longer speaks of it now."""
    reads = draft.roms.reads.clear(place)
    if reads:
        draft.roms.earlier_reads.add(place, *reads)
    pins = draft.readings.pins.discard(place)
    draft.readings.repeats.discard(place)
    draft.readings.traces.discard(place)
    if pins:
        earlier = draft.readings.earlier_pins.get(place, EMPTY)
        draft.readings.earlier_pins[place] = MappingProxyType({**earlier, **pins})
    draft.roms.signatures.discard(place)
    # A signature speaks of everything before its net: on a changed board all are taken again.
    for table in (draft.readings.free_run_pins, draft.readings.pin_signatures):
        for other in [key for key in table.keys() if key.board == place.board]:  # noqa: SIM118
            table.discard(other)
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


def _action(draft: Draft, entry: "ActionTaken") -> None:
    draft.parts.actions[entry.step, entry.action] = entry


def _timer(draft: Draft, entry: "TimerStarted") -> None:
    draft.parts.timers.discard(entry.what)
    draft.parts.timers[entry.what] = entry


def _extra(draft: Draft, entry: "ExtraTicked") -> None:
    draft.parts.extras[entry.part, entry.sort, entry.what] = entry


def _planned(draft: Draft, entry: "PlannedUse") -> None:
    draft.parts.planned[entry.part] = entry


def _stocked(draft: Draft, entry: "Stocked") -> None:
    draft.parts.stocked.add(entry)


def _from(lender: str, origin: str) -> str:
    return (
        say(", borrowed from {lender}", lender=lender)
        if lender
        else say(" from {origin}", origin=origin)
        if origin
        else ""
    )


def _fitted_words(entry: "Fitted") -> str:
    told = say(
        "{place} fitted with {entry_number}{from_}",
        place=entry.place,
        entry_number=entry.number,
        from_=_from(entry.lender, entry.origin),
    )
    if entry.origin in KEEPS_PART:
        told = say("{place}: {origin}", place=entry.place, origin=KEPT_WORDS[entry.origin])
    return told


def _removed_words(entry: "Removed") -> str:
    why = say(": {reason}", reason=entry.reason) if entry.reason else ""
    return say("{place} removed{why}", place=entry.place, why=why) + (
        say(", stored at {shelf}", shelf=entry.shelf) if entry.shelf else ""
    )


def _swapped_words(entry: "Swapped") -> str:
    other = entry.other.name if entry.other else entry.spare
    back = say("swapped back with") if entry.back else say("exchanged with")
    outcome = say(": the fault {outcomes}", outcomes=_OUTCOMES[entry.result]) if entry.result else ""
    return say("{place} {back} {other}{outcome}", place=entry.place, back=back, other=other, outcome=outcome)


def _trial_words(entry: "Trial") -> str:
    outcome = say(": the fault {outcomes}", outcomes=_OUTCOMES[entry.result]) if entry.result else ""
    names = joined(", ", (part.name for part in entry.parts))
    return say("{names} {action}{outcome}", names=names, action=entry.action, outcome=outcome)


def _worked_words(entry: "Worked") -> str:
    names = joined(", ", (part.name for part in entry.parts))
    told = say("{names} {action}", names=names, action=entry.action).strip() + (
        say(" {detail}", detail=entry.detail) if entry.detail else ""
    )
    return say("before this job: {told}", told=told) if entry.before else told


def _stocked_words(entry: "Stocked") -> str:
    if entry.donor:
        return say(
            "{place}: {number} could come from it, at a risk of {risk:.0f} %",
            place=entry.place,
            number=entry.number,
            risk=100 * entry.risk,
        )
    where = say(" in {place}", place=entry.place) if entry.place else ""
    return say(
        "drawer: {entry_count} × {entry_number}{where}, {state}",
        entry_count=entry.count,
        entry_number=entry.number,
        where=where,
        state=term(entry.state),
    )


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
    "gone": say("is gone"),
    "stays": say("stays"),
    "moves": say("moved with the part"),
    "partly": say("is partly gone"),
    "comes back": say("comes back"),
    "better": say("is better"),
    "worse": say("is worse"),
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


@kind(_gave_back, lambda e: say("{place}: the borrowed part was returned", place=e.place), Stage.REPAIR)
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


@kind(
    _step_done,
    lambda e: say("step skipped: {what}" if e.skipped else "step done: {what}", what=e.what or e.step),
    Stage.REPAIR,
)
class StepDone(Entry):
    """A step of the plan was done, or skipped with a reason."""

    kind: Literal["step_done"] = "step_done"
    step: str
    what: str = ""
    minutes: float = 0.0
    skipped: bool = False


@kind(
    _action,
    lambda e: say(
        "{step}: {action} {result}{why}",
        step=e.step.split("/")[1] if e.step.count("/") > 1 else e.step,
        action=term(e.action),
        result=term(e.result),
        why=say(", {note}", note=e.note) if e.note else "",
    ),
    Stage.REPAIR,
)
class ActionTaken(Entry):
    """One action of a step (remove, clear holes, fit …) was done, skipped, or went wrong; the note says why."""

    kind: Literal["action_taken"] = "action_taken"
    step: str
    action: str
    result: Literal["done", "skipped", "went wrong"] = "done"


@kind(
    _timer,
    lambda e: say("timer for {what}: {time}", what=e.what, time=format_duration(e.seconds)),
    Stage.REPAIR,
)
class TimerStarted(Entry):
    """A time began to run: heat, erasing, a soak, a wash, drying (seconds)."""

    kind: Literal["timer_started"] = "timer_started"
    what: str
    seconds: float = Field(gt=0, le=30 * 86_400)


def _offered(draft: Draft, entry: "Offered") -> None:
    draft.parts.offered.add(entry)


@kind(
    _offered,
    lambda e: say(
        "{shop} offers {number} at {price:.2f}{more}",
        shop=e.shop,
        number=e.number,
        price=e.price,
        more=say(", {days:g} days", days=e.days) if e.days else "",
    ),
    Stage.PLAN,
)
class Offered(Entry):
    """What a shop offers: price each, least number sold, shipping of a whole order, days, trust (0 to 1)."""

    kind: Literal["offered"] = "offered"
    shop: str
    number: str
    sort: str = "capacitor"
    price: float = Field(ge=0)
    minimum: int = Field(default=1, ge=1)
    shipping: float = Field(default=0.0, ge=0)
    days: float = Field(default=0.0, ge=0)
    trust: float = Field(default=0.95, ge=0, le=1)


def _extra_words(entry: "ExtraTicked") -> str:
    sort = term(entry.sort)
    if entry.what:
        sort = say("{sort} “{what}”", sort=sort, what=entry.what)
    back = say("; back: {back}", back=entry.back) if entry.back else ""
    if entry.choice == "in":
        return say("{place}: {sort} taken into the plan{back}", place=entry.place, sort=sort, back=back)
    return say("{place}: {sort} left out", place=entry.place, sort=sort)


@kind(_extra, _extra_words, Stage.PLAN)
class ExtraTicked(PlacedEntry):
    """Work beyond the evidence was taken into the plan, or left out (the note says why).

    `what` tells several improvements of one part apart; `back` is the way back from one.
    """

    kind: Literal["extra_ticked"] = "extra_ticked"
    sort: Literal["usual service", "reflow", "heat sink", "improvement"]
    choice: Literal["in", "out"]
    what: str = ""
    back: str = ""


@kind(
    _planned,
    lambda e: say("{place} is to get {e_number}{from_}", place=e.place, e_number=e.number, from_=_from("", e.origin)),
    Stage.PLAN,
)
class PlannedUse(PlacedEntry):
    """What is to go into a place when it is replaced; nothing was done yet."""

    kind: Literal["planned"] = "planned"
    number: str
    origin: str = ""


@kind(_stocked, _stocked_words)
class Stocked(Entry):
    """Something lies in the drawer, or sits on a donor board, from which it comes off with a risk (0 to 1)."""

    kind: Literal["stocked"] = "stocked"
    number: str
    count: int = Field(default=1, ge=0, le=100_000)
    place: str = ""
    state: Literal["unknown", "proven", "bad"] = "unknown"
    donor: str = ""
    risk: float = Field(default=0.0, ge=0, le=1)
