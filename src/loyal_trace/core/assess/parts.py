"""Parts: what is where it belongs, what was replaced, what old parts measured, what is left in the drawer."""

from datetime import datetime

from loyal_trace.core.assess.capacitors import judged_old
from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.boards.model import Part
from loyal_trace.core.job.entries import KEEPS_PART, Fitted, Measured, reading_words
from loyal_trace.core.job.snapshot import JobSnapshot, ReadingKey
from loyal_trace.core.parts.stock import NOT_TO_HAND, State, StockItem
from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.verdicts import PartVerdict, Verdict

_OF_A_PART = (Quantity.CAPACITANCE, Quantity.ESR, Quantity.RESISTANCE)


def absent(moment: Moment, place: PartRef) -> bool:
    """Is the part of this place missing, robbed, or taken out and not put back?"""
    snapshot = moment.snapshot
    if place in snapshot.parts.fitted:
        return False
    seen = snapshot.seen.findings.get(place)
    return place in snapshot.parts.removed or bool(seen and seen[-1].finding is Finding.MISSING)


def replaced(moment: Moment, place: PartRef) -> bool:
    """Was the part in this place replaced or put right in this job? A borrowed stand-in is neither."""
    fitted = moment.snapshot.parts.fitted.get(place)
    return fitted is not None and not fitted.lender


def renewed(moment: Moment, place: PartRef) -> bool:
    """Is the body in this place another one than at the start? A new socket or a repair keeps the body."""
    changes = moment.snapshot.parts.changes
    return any(isinstance(one, Fitted) and one.part == place and one.origin not in KEEPS_PART for one in changes)


@once
def _last_changes(moment: Moment) -> dict[PartRef, datetime]:
    """When the part in each place was last fitted or put right."""
    found: dict[PartRef, datetime] = {}
    for entry in moment.snapshot.parts.changes:
        places = (entry.part,) if isinstance(entry, Fitted) else tuple(named.part for named in entry.parts)
        found |= dict.fromkeys(places, entry.time)
    return {
        place: time
        for place, time in found.items()
        if place not in moment.snapshot.parts.removed or place in moment.snapshot.parts.fitted
    }


def changes_made(snapshot: JobSnapshot) -> tuple[tuple[PartRef, str], ...]:
    """Every place where a part was replaced or put right, in order, with where the new part came from."""
    found: list[tuple[PartRef, str]] = []
    for entry in snapshot.parts.changes:
        if isinstance(entry, Fitted):
            found.append((entry.part, entry.origin))
        else:
            found += [(named.part, entry.action) for named in entry.parts]
    return tuple(found)


def last_change(moment: Moment, place: PartRef) -> datetime | None:
    """When the part now in a place was fitted or put right there; None when nothing was changed."""
    return _last_changes(moment).get(place)


def outdated(moment: Moment, place: PartRef, seen: datetime) -> bool:
    """Was the part in a place changed after something was seen of it? Then that says nothing of the part now there."""
    since = last_change(moment, place)
    return since is not None and seen <= since


@once
def old_parts(moment: Moment) -> dict[PartRef, PartVerdict]:
    """The verdict on each part that was measured after it was taken out of its place."""
    found: dict[PartRef, PartVerdict] = {}
    readings = moment.snapshot.readings.old_parts
    for key in readings:
        place = PartRef(key.board, key.point)
        if place in found or not moment.has(place):
            continue
        part = moment.part(place)
        ohms = readings.get(ReadingKey(key.board, key.point, Quantity.RESISTANCE))
        if part.kind == "capacitor" and (judged := judged_old(moment, place)) is not None:
            found[place] = judged
        elif ohms is not None:
            found[place] = _of_ohms(part, ohms)
    return found


_FUSE_OHMS, _NEAR = 2.0, 0.10


def _of_ohms(part: Part, read: Measured) -> PartVerdict:
    """A fuse or a resistor out of circuit: a fuse conducts, a resistor is within a tenth of what is marked."""
    words = say("measures {reading} out of circuit", reading=reading_words(read))
    if read.value is None:
        return PartVerdict(Verdict.BAD, words)
    if part.kind == "fuse":
        return PartVerdict(Verdict.GOOD if read.value < _FUSE_OHMS else Verdict.BAD, words)
    if part.kind != "resistor" or part.value is None:
        return PartVerdict(Verdict.NOT_MEASURED, words)
    near = abs(read.value - part.value) <= _NEAR * part.value
    return PartVerdict(Verdict.GOOD if near else Verdict.BAD, words)


def worth_measuring_old(moment: Moment) -> tuple[PartRef, ...]:
    """Parts replaced for a fault whose old body nobody measured: it tells whether the fault went with it."""
    measured = {PartRef(key.board, key.point) for key in moment.snapshot.readings.old_parts}
    measured |= {key.part for key in moment.snapshot.readings.measured if key.quantity in _OF_A_PART}
    return tuple(
        place
        for place in moment.snapshot.parts.removed
        if place not in measured
        and moment.has(place)
        and renewed(moment, place)
        and moment.part(place).kind in ("capacitor", "resistor", "fuse")
    )


@once
def stock(moment: Moment) -> tuple[StockItem, ...]:
    """The drawer: the workshop's own list, and what was said to lie there in this job."""
    said = tuple(
        StockItem(
            entry.number,
            count=entry.count,
            place=entry.place,
            state=entry.state,
            donor=entry.donor,
            risk=entry.risk,
        )
        for entry in moment.snapshot.parts.stocked
    )
    return (*moment.drawer, *said)


def spare_for(moment: Moment, number: str) -> StockItem | None:
    """What goes in where that type is needed: a proven one first, one that is still on a donor board last."""
    found = [item for item in stock(moment) if item.number == number and in_stock(moment, item)]
    return min(found, key=lambda item: (bool(item.donor), item.risk, item.state != State.GOOD), default=None)


def in_stock(moment: Moment, item: StockItem) -> int:
    """How many of a drawer item are left: what this job took is gone, what is known bad does not count."""
    if item.state in NOT_TO_HAND:
        return 0
    # Who fits a part says its value and rating, and seldom the size that stands in the drawer's list beside them.
    names = {item.number, item.spec_words}
    taken = sum(moment.snapshot.parts.taken.get((name, item.place), 0) for name in names)
    return max(0, item.count - taken)
