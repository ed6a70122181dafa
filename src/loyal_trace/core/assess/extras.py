"""Work that no reading asks for, ticked in or out with a reason: usual service, heat sinks, improvements.

What the board's own list or a person names is in until somebody takes it out. What follows from the kind of a part is
only offered. A heat sink is in when the sums say that the part gets too hot with what it has.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from enum import StrEnum
from math import log

from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.assess.parts import replaced
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.supplies import Supply
from loyal_trace.core.job.entries import ExtraTicked
from loyal_trace.core.parts.roles import Role, role_of
from loyal_trace.core.planning.extras import ExtraRules, Improvement, Ticked
from loyal_trace.core.power.cooling import JUNCTION_LIMIT, Housing, SinkNeed, junction_with, plate_in_room, sink_need
from loyal_trace.core.power.expected import nominal_reservoir
from loyal_trace.core.vocabulary.eseries import E12, nearest_in
from loyal_trace.core.vocabulary.identity import PartRef, natural_key
from loyal_trace.core.vocabulary.phrases import say, term
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.units import format_quantity

_OWN_MINUTES, _REFLOW_MINUTES = 20.0, 4.0
# Who reaches into a board is hurt, or a part is, from about this energy (joule) or voltage on.
_ENERGY, _VOLTS = 1.0, 42.0
_SAFE_VOLTS, _BLEED_SECONDS = 5.0, 60.0


class ExtraKind(StrEnum):
    """What sort of work it is."""

    SERVICE = "usual service"
    REFLOW = "reflow"
    SINK = "heat sink"
    IMPROVE = "improvement"


@dataclass(frozen=True)
class Extra:
    """One line of the list: at which place, what, why, in or out, and the reason for that; for an improvement the way
    back. `name` tells several improvements of one place apart."""

    place: PartRef
    kind: ExtraKind
    what: str
    why: str
    ticked: Ticked
    reason: str = ""
    back: str = ""
    minutes: float = 0.0
    name: str = ""
    caution: str = ""


@once
def extras_of(moment: Moment) -> tuple[Extra, ...]:
    """The whole list of the job: what is in first, then what is offered, then what was taken out."""
    found = [*_service(moment), *_reflow(moment), *_sinks(moment), *_improvements(moment)]
    order = (Ticked.IN, Ticked.OFFERED, Ticked.OUT)
    return tuple(
        sorted(found, key=lambda one: (order.index(one.ticked), one.place.board, natural_key(one.place.refdes)))
    )


def _decided(moment: Moment, place: PartRef, kind: ExtraKind, name: str = "") -> ExtraTicked | None:
    return moment.snapshot.parts.extras.get((place, kind.value, name))


def _why_of(decided: ExtraTicked | None) -> str:
    return decided.note if decided is not None else ""


@once
def serviced(moment: Moment) -> dict[PartRef, str]:
    """The parts that are renewed as a matter of course in this job, with the reason; without those taken out."""
    return {one.place: one.why for one in _service(moment) if one.ticked is Ticked.IN}


@once
def _service(moment: Moment) -> tuple[Extra, ...]:
    listed = {PartRef(b, item.refdes): item.why for b, board in moment.boards.items() for item in board.service}
    told = {named.part: entry for entry in moment.snapshot.facts.service for named in entry.members}
    found = []
    for place in dict.fromkeys((*listed, *told, *_of_class(moment))):
        if not moment.has(place) or replaced(moment, place):
            continue
        entry, decided = told.get(place), _decided(moment, place, ExtraKind.SERVICE)
        newer = entry is not None and (decided is None or entry.time >= decided.time)
        ticked = Ticked.IN if place in listed or newer else Ticked.OFFERED
        if decided is not None and not newer:
            ticked = Ticked(decided.choice)
        why = (entry.note if entry is not None else "") or _listed_why(listed.get(place, ""))
        why = why or _of_class(moment).get(place, "") or say("named for this job")
        part = moment.part(place)
        what = say("replace {refdes}", refdes=place.refdes)
        minutes = _service_minutes(part)
        found.append(Extra(place, ExtraKind.SERVICE, what, why, ticked, _why_of(decided), minutes=minutes))
    return tuple(found)


@once
def _reflow(moment: Moment) -> tuple[Extra, ...]:
    """Joints that crack: offered by the kind of part, or named by a person, until they were reflowed."""
    rules, found = _rules(moment), []
    ticked = {place for place, sort, _ in moment.snapshot.parts.extras if sort == ExtraKind.REFLOW}
    done = {named.part for work in moment.snapshot.parts.work if work.action == "reflowed" for named in work.parts}
    for board_id, board in moment.boards.items():
        for part in board.parts:
            place = PartRef(board_id, part.refdes)
            fits = (
                (rule.why for rule in rules.reflow if rule.fits.holds(part, Role.UNKNOWN)) if rules is not None else ()
            )
            why = next(iter(fits), "") if not part.socketed else ""
            if place in done or not (why or place in ticked):
                continue
            decided = _decided(moment, place, ExtraKind.REFLOW)
            state = Ticked(decided.choice) if decided is not None else Ticked.OFFERED
            what = say("reflow the joints of {refdes}", refdes=part.refdes)
            why = why or say("named for this job")
            found.append(Extra(place, ExtraKind.REFLOW, what, why, state, _why_of(decided), minutes=_REFLOW_MINUTES))
    return tuple(found)


def _listed_why(why: str) -> str:
    return "" if why == "said" else term(why)


def _service_minutes(part: Part) -> float:
    if part.socketed or part.kind in ("cell", "fuse"):
        return 4.0
    return {"connector": 30.0, "network": 10.0, "capacitor": 8.0}.get(part.kind, 20.0)


@once
def _of_class(moment: Moment) -> dict[PartRef, str]:
    """Parts whose kind is renewed as a matter of course elsewhere, with why."""
    rules = _rules(moment)
    found: dict[PartRef, str] = {}
    for board_id, board in moment.boards.items() if rules is not None else ():
        for part in board.parts:
            place = PartRef(board_id, part.refdes)
            role = _role(board, part)
            why = next((rule.why for rule in rules.service if rule.fits.holds(part, role)), "") if rules else ""
            if why:
                found[place] = why
    return found


def _role(board: BoardDefinition, part: Part) -> Role:
    return role_of(board, part).role if part.kind == "capacitor" else Role.UNKNOWN


def _rules(moment: Moment) -> ExtraRules | None:
    return moment.tables.extras if moment.tables is not None else None


# Heat sinks


def heat_of(moment: Moment, place: PartRef) -> float | None:
    """The heat of a part (watt): as said, else of a regulator from its readings, else from how its supply is fed."""
    board = moment.boards[place.board]
    if board.part(place.refdes).heat:
        return board.part(place.refdes).heat
    supply = _supply_of(board, place.refdes)
    if supply is None or not supply.nominal:
        return None
    entry = moment.snapshot.latest(place.board, supply.reservoir, Quantity.VOLTAGE) if supply.reservoir else None
    full = nominal_reservoir(board, supply)
    before = entry.value if entry is not None else None
    if before is None or abs(before) <= abs(supply.nominal):
        # Without a reading, or with one taken without power: as the supply is meant to run.
        before = full.mean_voltage if full is not None else supply.dc or None
    return max(0.0, abs(before) - abs(supply.nominal)) * supply.current if before is not None else None


def _supply_of(board: BoardDefinition, refdes: str) -> Supply | None:
    """The supply whose regulator a part is."""
    if board.part(refdes).kind != "regulator":
        return None
    paths = {point.path for point in board.chain if point.part == refdes}
    return next((supply for supply in board.supplies if supply.path in paths), None)


def sink_of(moment: Moment, place: PartRef) -> float | None:
    """The heat sink that a part has (kelvin per watt; infinite for none), as said or as its board has it; else None."""
    said = moment.part(place).sink
    if said is not None:
        return said or float("inf")
    supply = _supply_of(moment.boards[place.board], place.refdes)
    return supply.theta_sa if supply is not None and supply.theta_sa else None


def housing_of(moment: Moment, place: PartRef) -> Housing:
    """What a part's package does with its heat: as its supply says, else by its package, else as a TO-220."""
    rules = _rules(moment)
    found = rules.housing_of(moment.part(place)) if rules is not None else None
    usual = found or Housing(3.0, 62.0)
    supply = _supply_of(moment.boards[place.board], place.refdes)
    return Housing(supply.theta_jc, usual.junction_air) if supply is not None and supply.theta_jc else usual


@once
def _sinks(moment: Moment) -> tuple[Extra, ...]:
    found: list[Extra] = []
    for board_id, board in moment.boards.items():
        for part in board.parts:
            place = PartRef(board_id, part.refdes)
            heat = heat_of(moment, place)
            need = sink_need(heat, housing_of(moment, place)) if heat is not None else None
            if need is not None and need.needed is not None:
                found += _sink(moment, place, need)
    return tuple(found)


def _sink(moment: Moment, place: PartRef, need: SinkNeed) -> Iterator[Extra]:
    """A heat sink for a part that needs one; nothing where the one it has is enough."""
    has = sink_of(moment, place)
    if has is not None and need.needed is not None and has <= need.needed:
        return
    decided = _decided(moment, place, ExtraKind.SINK)
    ticked = Ticked(decided.choice) if decided is not None else Ticked.OFFERED if has is None else Ticked.IN
    why = need.words
    if has is None:
        why = say("{why}; whether it has one is not entered", why=why)
    elif has != float("inf"):
        inside = junction_with(need.power, housing_of(moment, place), has)
        why = say(
            "{heat} of heat with its heat sink of {sink:g} K/W: {inside:.0f} °C inside, above {limit:.0f} °C",
            heat=format_quantity(need.power, "W"),
            sink=has,
            inside=inside,
            limit=JUNCTION_LIMIT,
        )
    what = say("fit a heat sink at {refdes}", refdes=place.refdes)
    why = say("{why}. {room}", why=why, room=room_words(moment, place, need))
    yield Extra(place, ExtraKind.SINK, what, why, ticked, _why_of(decided), minutes=10.0)


def room_words(moment: Moment, place: PartRef, need: SinkNeed) -> str:
    """How large a plain plate would have to be, in the room that the place has."""
    if need.needed is None or need.needed <= 0:
        return say("Use a switching replacement, or take less voltage to it")
    board, part = moment.boards[place.board], moment.part(place)
    limit = board.height_limit_at(part) if part.placed else None
    height = limit[0] / 1000 if limit else None
    plate = plate_in_room(need.needed, height)
    if plate is None:
        return say(
            "No plate of that size has room here: use one with fins, or the metal of the case with an insulating sheet"
        )
    size = say("{width:.0f} × {height:.0f} mm", width=plate[0] * 1000, height=plate[1] * 1000)
    if limit:
        return say("A plain plate of {size} is as good, in the {room:g} mm of height there", size=size, room=limit[0])
    return say("A plain plate of {size} is as good; check that the lid closes", size=size)


# Improvements


@once
def _improvements(moment: Moment) -> tuple[Extra, ...]:
    """What the rules offer and what a person wants, each as it was ticked."""
    found: dict[tuple[PartRef, str], Extra] = {}
    rules = _rules(moment)
    for board_id, board in moment.boards.items() if rules is not None else ():
        for part in board.parts:
            place = PartRef(board_id, part.refdes)
            role = _role(board, part)
            for rule in rules.improvements if rules is not None else ():
                if rule.fits.holds(part, role) and _applies(board, part, rule):
                    found[place, rule.id] = _offered(moment, place, rule)
    own = {(one.place, one.name): one for one in _own_improvements(moment)}
    return tuple(_unless_undone(moment, one) for one in (own | found).values())


def _unless_undone(moment: Moment, one: Extra) -> Extra:
    """A modification that was taken off again since is left out: it must not be planned once more by itself."""
    ticked = _decided(moment, one.place, ExtraKind.IMPROVE, one.name)
    undone = [
        work.time
        for work in moment.snapshot.parts.work
        if work.action == "modification undone" and any(named.part == one.place for named in work.parts)
    ]
    if ticked is None or one.ticked is not Ticked.IN or not undone or max(undone) <= ticked.time:
        return one
    return replace(one, ticked=Ticked.OUT, reason=say("it was undone"))


def _offered(moment: Moment, place: PartRef, rule: Improvement) -> Extra:
    decided = _decided(moment, place, ExtraKind.IMPROVE, rule.id)
    board, part = moment.boards[place.board], moment.part(place)
    return Extra(
        place,
        ExtraKind.IMPROVE,
        _bleeder(board, part, rule) if rule.when == "holds charge" else rule.what,
        rule.why,
        Ticked(decided.choice) if decided is not None else Ticked.OFFERED,
        _why_of(decided),
        rule.back,
        rule.minutes,
        rule.id,
        rule.caution,
    )


def _own_improvements(moment: Moment) -> Iterator[Extra]:
    """What a person wants to improve, in their own words."""
    for (place, sort, what), entry in moment.snapshot.parts.extras.items():
        if sort == ExtraKind.IMPROVE and moment.has(place):
            ticked = Ticked(entry.choice)
            why = (entry.note if ticked is Ticked.IN else "") or say("wanted for this job")
            reason = entry.note if ticked is Ticked.OUT else ""
            yield Extra(place, ExtraKind.IMPROVE, what, why, ticked, reason, entry.back, _OWN_MINUTES, what)


def _applies(board: BoardDefinition, part: Part, rule: Improvement) -> bool:
    """Does the condition of an improvement hold at a part?"""
    if rule.when == "unfused":
        return _unfused(board, part.refdes)
    if rule.when == "holds charge":
        volts, farad = _volts_on_reservoir(board, part), part.value or 0.0
        return volts is not None and (volts >= _VOLTS or farad * volts**2 / 2 >= _ENERGY)
    return True


def _unfused(board: BoardDefinition, refdes: str) -> bool:
    """Does a path from a winding begin at that part and have no fuse?"""
    for supply in board.supplies:
        points = [point for point in board.chain if point.path == supply.path and point.part]
        if not supply.ac_rms or not points or points[0].part != refdes:
            continue
        if not any(board.has(p.part) and board.part(p.part).kind == "fuse" for p in points):
            return True
    return False


def _volts_on_reservoir(board: BoardDefinition, part: Part) -> float | None:
    supply = next((s for s in board.supplies if s.reservoir == part.refdes), None)
    full = nominal_reservoir(board, supply) if supply is not None else None
    return full.peak_voltage if full is not None else None


def _bleeder(board: BoardDefinition, part: Part, rule: Improvement) -> str:
    """The resistor that brings a reservoir below 5 V within a minute: R = t / (C·ln(V/5)), with twice its heat."""
    volts, farad = _volts_on_reservoir(board, part), part.value or 0.0
    if volts is None or volts <= _SAFE_VOLTS or not farad:
        return rule.what
    ohm = nearest_in(E12, _BLEED_SECONDS / (farad * log(volts / _SAFE_VOLTS)))
    return say(
        "resistor of {ohm}, rated {heat} or more, across it: below 5 V within about a minute",
        ohm=format_quantity(ohm, "Ω"),
        heat=format_quantity(2 * volts**2 / ohm, "W"),
    )


def slug(text: str) -> str:
    """A name for the step of an improvement: letters and digits of its words."""
    return re.sub(r"[^a-z0-9]+", "_", text.lower()).strip("_")[:40]
