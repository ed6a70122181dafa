"""The evening at the iron: the actions of a step, how each part comes off, parts out and in, timers, drying."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from loyal_trace.core.assess.capacitors import judged_capacitors
from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.assess.parts import replaced
from loyal_trace.core.assess.step_cautions import is_coated
from loyal_trace.core.assess.suspects import suspects_of
from loyal_trace.core.boards.model import Part
from loyal_trace.core.planning.methods import (
    Access,
    Method,
    Wanted,
    fitting,
    mounting_of,
    off_before_wash,
    power_from,
    removals,
    wash_of,
)
from loyal_trace.core.planning.steps import Step
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.verdicts import Verdict

BOARD_TYPE_DECISION = "board type "
_SAFE = "stored safely"
_WASHED, _DRIED = ("board washed",), ("board dried",)
WITHOUT_IRON = {
    "leg": ("straighten", "inspect", "measure"),
    "reflow": ("heat", "inspect", "measure"),
    "program": ("erase", "program", "verify"),
    "rescue": ("remove", "store"),
    "put-back": ("fit", "inspect"),
    "give-back": ("remove", "pack"),
    "missing": ("fit", "inspect"),
    "diagnose": ("fit", "measure"),
    "track": ("clean pads", "fit", "inspect", "measure"),
    "sink": ("fit", "inspect", "measure"),
    "improve": ("fit", "inspect", "measure"),
}
_SOCKETED = ("remove", "fit", "inspect", "measure")


@dataclass(frozen=True)
class ActionState:
    """One action of a step: its name, and what became of it (done, skipped, went wrong, empty while open)."""

    name: str
    result: str = ""
    note: str = ""


@dataclass(frozen=True)
class Tally:
    """Parts that came out for good, those that have one in again, and the places that are still empty."""

    out: tuple[PartRef, ...]
    empty: tuple[PartRef, ...]

    @property
    def fitted(self) -> int:
        """How many are in again."""
        return len(self.out) - len(self.empty)


@dataclass(frozen=True)
class Timer:
    """A time that runs: for what, since when, how long (seconds)."""

    what: str
    since: datetime
    seconds: float

    def left(self, now: datetime) -> float:
        """Seconds left; below 0 it is over."""
        return self.seconds - (now - self.since).total_seconds()


@dataclass(frozen=True)
class Drying:
    """A board that was washed: when, with what, and from when power may go on."""

    board: str
    washed: datetime
    detail: str
    until: datetime
    why: str


def board_type(moment: Moment, board: str) -> str:
    """What kind of board it is: single-sided, plated holes, planes …; empty while nobody said."""
    return moment.snapshot.decision(f"{BOARD_TYPE_DECISION}{board}")


def wanted_whole(moment: Moment, place: PartRef) -> Wanted:
    """Is the part in a place still evidence, or rare? Then it must come off whole."""
    part = moment.part(place)
    verdict = judged_capacitors(moment).get(place)
    # A capacitor that was measured has told what it knows; of any other suspect only the part itself can.
    if verdict is not None:
        evidence = verdict.verdict in (Verdict.NOT_MEASURED, Verdict.DOUBTFUL)
    else:
        evidence = any(s.place == place and s.against for s in suspects_of(moment))
    evidence = evidence and not replaced(moment, place)
    return Wanted(
        evidence, part.rare, board_type(moment, place.board), is_coated(moment, place.board), _beside(moment, place)
    )


def _beside(moment: Moment, place: PartRef) -> Access | None:
    """The room beside a part; what has been taken off is in nobody's way."""
    from loyal_trace.core.planning.room import RoomBeside  # arrays: not before the first paint

    parts = moment.snapshot.parts

    def room() -> RoomBeside:
        gone = (one for one in parts.removed if one.board == place.board and one not in parts.fitted)
        out, board = frozenset(one.refdes for one in gone), moment.boards[place.board]
        return moment.memo.of(("room beside", board.parts, out), lambda: RoomBeside(board, out))

    return moment.remembered(("room beside", place.board), room).of(place.refdes)


def methods_for(moment: Moment, place: PartRef) -> tuple[Method, ...]:
    """The ways to take the part of a place off, the best first."""
    if moment.tables is None or not moment.has(place):
        return ()
    part, wanted, methods = moment.part(place), wanted_whole(moment, place), moment.tables.methods
    # Alike for all parts of a kind that are held alike.
    key = ("removals", part.kind, mounting_of(part), wanted)
    return moment.memo.of(key, lambda: removals(methods, part, wanted))


def fitting_for(moment: Moment, place: PartRef) -> Method | None:
    """How the new part goes on; None without a table."""
    return fitting(moment.tables.methods, moment.part(place)) if moment.tables is not None else None


def actions_of(moment: Moment, step: Step) -> tuple[ActionState, ...]:
    """The actions of a step in order, with what became of each."""
    taken = moment.snapshot.parts.actions
    found = []
    for name in _names(moment, step):
        entry = taken.get((step.id, name))
        found.append(ActionState(name, entry.result if entry else "", entry.note if entry else ""))
    return tuple(found)


def _names(moment: Moment, step: Step) -> tuple[str, ...]:
    if step.kind in WITHOUT_IRON:
        return WITHOUT_IRON[step.kind]
    part = moment.part(step.place) if moment.has(step.place) else None
    if step.socketed or part is None:
        return _SOCKETED
    ways, on = methods_for(moment, step.place), fitting_for(moment, step.place)
    off = ways[0].steps if ways else ("remove", "clear holes")
    before = ("discharge",) if _stores_charge(moment, step.place, part) else ()
    return (*before, *off, *(on.steps if on is not None else ("fit", "inspect", "measure")))


def _stores_charge(moment: Moment, place: PartRef, part: Part) -> bool:
    """Is it a reservoir, or an electrolytic large or high enough to hold what hurts?"""
    board = moment.boards[place.board]
    reservoir = any(supply.reservoir == part.refdes for supply in board.supplies)
    return reservoir or (part.kind == "capacitor" and ((part.value or 0) >= 1e-3 or (part.voltage or 0) >= 63))


def open_actions(actions: tuple[ActionState, ...]) -> tuple[ActionState, ...]:
    """The actions that are still open; one that went wrong is open."""
    return tuple(one for one in actions if one.result in ("", "went wrong"))


def next_action(actions: tuple[ActionState, ...]) -> ActionState | None:
    """The first action that is still open."""
    return next(iter(open_actions(actions)), None)


@once
def tally_of(moment: Moment) -> Tally:
    """Parts out and in: what came out to be replaced, and which places wait for a part."""
    removed = moment.snapshot.parts.removed
    out = tuple(place for place, entry in removed.items() if entry.reason != _SAFE and not entry.shelf)
    return Tally(out, tuple(place for place in out if place not in moment.snapshot.parts.fitted))


def timers_of(moment: Moment, now: datetime) -> tuple[Timer, ...]:
    """The timers that run, or ended within the last day; the one with the least time left first."""
    found = [Timer(t.what, t.time, t.seconds) for t in moment.snapshot.parts.timers.values()]
    fresh = [timer for timer in found if timer.left(now) > -timedelta(days=1).total_seconds()]
    return tuple(sorted(fresh, key=lambda timer: timer.left(now)))


@once
def drying_boards(moment: Moment) -> Mapping[str, Drying]:
    """The boards that were washed and not said to be dry since, with the earliest time for power."""
    found: dict[str, Drying] = {}
    if moment.tables is None:
        return found
    for entry in moment.snapshot.parts.work:
        if entry.before:
            continue
        if entry.action in _WASHED:
            until = power_from(moment.tables.methods, entry.time, entry.detail)
            why = wash_of(moment.tables.methods, entry.detail).why
            found[entry.board] = Drying(entry.board, entry.time, entry.detail, until, why)
        elif entry.action in _DRIED or "dried" in entry.detail:
            found.pop(entry.board, None)
    return found


def wet_words(moment: Moment, board: str, now: datetime) -> str:
    """Why a board must not have power yet after a wash; empty when it may."""
    drying = drying_boards(moment).get(board)
    if drying is None or now >= drying.until:
        return ""
    hours = (drying.until - now).total_seconds() / 3600
    return say(
        "The board was washed and needs {hours:.1f} h more to dry before power, as {why}. "
        "When it was dried with gentle heat, type board dried",
        hours=hours,
        why=drying.why,
    )


def to_take_off(moment: Moment, board: str) -> tuple[tuple[str, str], ...]:
    """(designator, why) of what has to come off a board before it is washed."""
    if moment.tables is None or board not in moment.boards:
        return ()
    empty = {place.refdes for place in moment.snapshot.parts.removed if place.board == board}
    gone = [refdes for refdes in empty if PartRef(board, refdes) not in moment.snapshot.parts.fitted]
    return off_before_wash(moment.tables.methods, moment.boards[board], gone)


def off_words(moment: Moment, board: str) -> str:
    """What has to come off before a wash, in one sentence; empty for nothing."""
    found = to_take_off(moment, board)
    if not found:
        return ""
    by_reason: dict[str, list[str]] = {}
    for refdes, why in found:
        by_reason.setdefault(why, []).append(refdes)
    told = (say("{parts} ({why})", parts=joined(" ", parts), why=why) for why, parts in by_reason.items())
    return say("Before a wash take off {parts}", parts=joined("; ", told))
