"""Damage to pads and tracks: what was seen and not repaired since, and where a wire has to go by the netlist."""

from dataclasses import dataclass

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.job.entries import NamedPart, Observed
from loyal_trace.core.planning.steps import MINUTES, Step
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say

_REPAIRED = ("track repaired", "repaired")
# Damage stops the part behind it as surely as a fault of its own, where the pin carries anything.
_MATTERS = 0.3


@dataclass(frozen=True)
class Damage:
    """A pad or track that is damaged: at which part and pin (None: not said), what was seen, the pin to wire it to."""

    place: PartRef
    pin: int | None
    note: str
    to: str = ""

    @property
    def name(self) -> str:
        """The part, with its pin where that is known."""
        return f"{self.place.refdes}.{self.pin}" if self.pin else self.place.refdes


def damage_left(moment: Moment) -> tuple[Damage, ...]:
    """Every damaged pad or track that was neither repaired nor found good since."""
    found: dict[tuple[PartRef, int | None], Damage] = {}
    for place, seen in moment.snapshot.seen.damaged.items():
        for one in seen if moment.has(place) else ():
            if not _repaired(moment, place, one):
                found[place, one.pin] = Damage(place, one.pin, one.note, _wire_to(moment, place, one.pin))
    return tuple(found.values())


def _repaired(moment: Moment, place: PartRef, seen: Observed) -> bool:
    """Was that pin, or the part as a whole, repaired after the damage was seen?"""
    return any(
        work.action in _REPAIRED and work.time >= seen.time and not work.before and _names(named, place, seen.pin)
        for work in moment.snapshot.parts.work
        for named in work.parts
    )


def _names(named: NamedPart, place: PartRef, pin: int | None) -> bool:
    return named.part == place and (pin is None or named.pin is None or named.pin == pin)


def _wire_to(moment: Moment, place: PartRef, pin: int | None) -> str:
    """The pin that a wire can go to: where a cut track led, else the nearest one of the same net; empty for none."""
    if pin is None:
        return ""
    here = NamedPart(board=place.board, refdes=place.refdes, pin=pin)
    for one in reversed(moment.snapshot.facts.connections):
        if here in (one.first, one.second):
            return "" if one.joined else (one.second if one.first == here else one.first).name
    board = moment.boards[place.board]
    others = board.others_on_net(place.refdes, pin)
    nearest = min(others, key=lambda other: _apart(board, place.refdes, other[0]), default=None)
    return f"{nearest[0]}.{nearest[1]}" if nearest is not None else ""


def _apart(board: BoardDefinition, first: str, second: str) -> float:
    if not (board.has(first) and board.has(second)):
        return float("inf")
    one, other = board.part(first), board.part(second)
    return ((one.x - other.x) ** 2 + (one.y - other.y) ** 2) ** 0.5 if one.placed and other.placed else 1e6


def damage_steps(moment: Moment) -> list[Step]:
    """A step for each, with its wire and the check that it holds."""
    return [_step(one) for one in damage_left(moment)]


def _step(one: Damage) -> Step:
    name, to, refdes = one.name, one.to, one.place.refdes
    if to:
        wire = say("insulated wire from {name} to {to}, the shortest way, glued down every 20 mm", name=name, to=to)
        check = say(
            "check continuity {name} to {to} and none to the pins beside, "
            "then type track {name} to {to} repaired with wire",
            name=name,
            to=to,
        )
    else:
        wire = say("find out where {name} led, from a photo or a board of its kind, before you wire it", name=name)
        check = say("check continuity, then type {refdes} repaired", refdes=refdes)
    return Step(
        f"{one.place.board}/{refdes}/track/{one.pin or 0}",
        "track",
        one.place,
        say("Repair the pad or track at {name}", name=name),
        say("seen: {note}", note=one.note or say("track damaged")),
        MINUTES["track"],
        cautions=(Caution.SOLDERING, Caution.LEAD),
        tool=wire,
        after=check,
        height=0.5,
        probability=_MATTERS,
    )
