"""What several sources said of one part: which of it counts, and where they disagree.

What a person said counts over everything; of files, lists, netlists and photos the first that says something counts,
and a later one that says something else is shown and asked about, never taken over. Saying it again settles it.
"""

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from typing import Any

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.job.entries import PartTold
from loyal_trace.core.vocabulary.identity import BoardPin, PartRef
from loyal_trace.core.vocabulary.phrases import say

SAID, FILE = "said", "file"
_SAME_PLACE = 3.0
# The maker's letters before a logic type and those of the package after it: SN74LS245N is a 74LS245, LM324N an LM324.
_LOGIC = re.compile(r"[A-Z]{0,3}((?:74|54)[A-Z]{0,4}\d{2,5})[A-Z]{0,2}|([A-Z]{2,3}\d{2,5})[ADNP]{0,2}")
_UNTOLD = ("", "?")


@dataclass(frozen=True)
class Claim:
    """One source's word on one aspect of a part: type, position, socket or height."""

    aspect: str
    origin: str
    source: str
    value: tuple[Any, ...]
    words: str


@dataclass(frozen=True)
class Conflict:
    """Sources that disagree about one aspect of a part: each claim once, the one that counts first."""

    place: PartRef
    aspect: str
    claims: tuple[Claim, ...]


def merged(part: Part, told: Iterable[PartTold], library: ChipLibrary) -> Part:
    """A part with what was said of it since."""
    counts = {claim.aspect: (claim.origin, claim.source) for claim in _defined(part)}
    for entry in told:
        source = (entry.origin, entry.source)
        for claim in _claims(entry):
            # A source that speaks again corrects itself: a part clicked anew on the same photo.
            free = counts.get(claim.aspect, source) == source
            if entry.origin == SAID or free or _only_adds(part, claim, library):
                part = _with(part, claim, entry, library)
                counts[claim.aspect] = source
        part = replace(
            part,
            rare=part.rare or entry.rare,
            pitch=entry.pitch or part.pitch,
            room_diameter=entry.room or part.room_diameter,
            role=entry.role or part.role,
            heat=entry.heat or part.heat,
            sink=part.sink if entry.sink is None else entry.sink,
        )
        if entry.technology and entry.number in _UNTOLD:
            part = replace(part, technology=entry.technology, polarised=bool(entry.polarised))
        if entry.diameter is not None and entry.x is None:
            part = replace(part, diameter=entry.diameter)
        if entry.sort and entry.number in _UNTOLD and entry.origin == SAID:
            part = replace(part, kind=entry.sort)
        if entry.row or entry.column:
            part = replace(part, row=entry.row or part.row, column=entry.column or part.column)
        if entry.package and (entry.origin == SAID or not part.package):
            part = replace(part, package=entry.package)
    return part


def _defined(part: Part) -> Iterator[Claim]:
    """What the definition claims by itself."""
    if part.number not in _UNTOLD:
        value = (part.number, part.value, part.voltage)
        yield Claim("type", FILE, "", value, part.number)
        if part.socketed:
            yield Claim("socket", FILE, "", (True,), say("in a socket"))
    if part.placed:
        yield Claim("position", FILE, "", (part.x, part.y, part.rotation), _at(part.x, part.y))
    if part.room_height is not None:
        yield Claim("height", FILE, "", (part.room_height,), say("{height:g} mm high", height=part.room_height))


def _claims(entry: PartTold) -> Iterator[Claim]:
    about = (entry.origin, entry.source)
    if entry.number not in _UNTOLD:
        yield Claim("type", *about, (entry.number, entry.value, entry.voltage), entry.number)
    if entry.socketed is not None:
        words = say("in a socket") if entry.socketed else say("soldered")
        yield Claim("socket", *about, (entry.socketed,), words)
    if entry.x is not None and entry.y is not None:
        yield Claim("position", *about, (entry.x, entry.y, entry.rotation or 0), _at(entry.x, entry.y))
    if entry.height is not None:
        yield Claim("height", *about, (entry.height,), say("{height:g} mm high", height=entry.height))


def _at(x: float, y: float) -> str:
    return say("{x:.0f} mm from the left, {y:.0f} mm from the top", x=x, y=y)


def _with(part: Part, claim: Claim, entry: PartTold, library: ChipLibrary) -> Part:
    if claim.aspect == "socket":
        return replace(part, socketed=bool(entry.socketed))
    if claim.aspect == "height":
        return replace(part, room_height=entry.height)
    if claim.aspect == "position":
        x, y, rotation = claim.value
        diameter = entry.diameter or part.diameter
        return replace(part, x=x, y=y, rotation=rotation, diameter=diameter, placed=True)
    package = part.package
    if library.knows(entry.number):
        package = f"DIP-{len(library.find(entry.number).pins)}"
    return replace(
        part,
        number=entry.number,
        kind=entry.sort or part.kind,
        package=package,
        value=entry.value,
        voltage=entry.voltage,
        technology=entry.technology,
        polarised=bool(entry.polarised),
    )


def _only_adds(part: Part, claim: Claim, library: ChipLibrary) -> bool:
    """Does a claim say the same type as is known already, and its rating besides?"""
    if claim.aspect != "type" or part.voltage is not None or claim.value[2] is None:
        return False
    return _agree("type", (part.number, part.value, None), claim.value, library)


def _agree(aspect: str, first: tuple[Any, ...], second: tuple[Any, ...], library: ChipLibrary) -> bool:
    if aspect == "position":
        same = abs(first[0] - second[0]) <= _SAME_PLACE and abs(first[1] - second[1]) <= _SAME_PLACE
        return bool(same)
    if aspect != "type":
        return first == second
    number, value, voltage = first
    other_number, other_value, other_voltage = second
    if value is not None and other_value is not None:
        alike = abs(value - other_value) <= 0.01 * abs(value)
        return bool(alike and (voltage is None or other_voltage is None or voltage == other_voltage))
    return _canonical(number, library) == _canonical(other_number, library)


def _canonical(number: str, library: ChipLibrary) -> str:
    plain = "".join(number.upper().split())
    logic = _LOGIC.fullmatch(plain)
    if logic is not None:
        return logic[1] or logic[2]
    return library.find(number).name if library.knows(number) else plain


def conflicts_of(moment: Moment, board: BoardDefinition, defined: BoardDefinition | None) -> tuple[Conflict, ...]:
    """Where sources disagree about parts of a board, unless the last word was a person's.

    `defined` is the board as its file has it, None for one that grew in the job.
    """
    found: list[Conflict] = []
    for place, told in moment.snapshot.facts.parts.items():
        if place.board != board.id or not board.has(place.refdes):
            continue
        base = defined.part(place.refdes) if defined is not None and defined.has(place.refdes) else None
        claims = [*(_defined(base) if base is not None else ()), *(c for entry in told for c in _claims(entry))]
        for aspect in dict.fromkeys(claim.aspect for claim in claims):
            found += _conflict(place, aspect, [c for c in claims if c.aspect == aspect], moment.library)
    return (*found, *_of_connections(moment, board, defined))


def _of_connections(moment: Moment, board: BoardDefinition, defined: BoardDefinition | None) -> Iterator[Conflict]:
    """Pins that a person found not connected, while a netlist or the board's folder has them on one net."""
    facts = moment.snapshot.facts
    nets = [(FILE, "", name, frozenset(pins)) for name, pins in (defined.nets if defined is not None else ())]
    for told in (one for one in facts.nets if one.board == board.id):
        nets += [("netlist", told.source, n.name, frozenset(BoardPin(*pin) for pin in n.pins)) for n in told.nets]
    newest = {frozenset((c.first, c.second)): c for c in facts.connections if c.first.board == board.id}
    for connection in newest.values():
        pins = {BoardPin(named.refdes, named.pin or 0) for named in (connection.first, connection.second)}
        on = next((net for net in nets if pins <= net[3]), None)
        if not connection.joined and on is not None:
            names = {"first": connection.first.name, "second": connection.second.name}
            apart = Claim("connection", SAID, "", (False,), say("{first} is not connected to {second}", **names))
            joined_in = Claim(
                "connection", on[0], on[1], (True, *names.values()), say("both are on net {net}", net=on[2])
            )
            yield Conflict(connection.first.part, "connection", (apart, joined_in))


def _conflict(place: PartRef, aspect: str, claims: list[Claim], library: ChipLibrary) -> list[Conflict]:
    newest = {(claim.origin, claim.source): claim for claim in claims}
    claims = [claim for claim in claims if newest[claim.origin, claim.source] is claim]
    if claims[-1].origin == SAID:
        return []
    said = [claim for claim in claims if claim.origin == SAID]
    counts = said[-1] if said else claims[0]
    others = [c for c in claims if not _agree(aspect, counts.value, c.value, library)]
    # What was known before a person decided is settled; only a later word opens the question again.
    if said:
        others = [c for c in others if claims.index(c) > claims.index(counts)]
    return [Conflict(place, aspect, (counts, *dict.fromkeys(others)))] if others else []
