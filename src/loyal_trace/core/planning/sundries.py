"""What else has to be at hand for the steps of a plan: sockets, insulating sheets, compound, screws, wire, braid."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from loyal_trace.core.boards.model import Part
from loyal_trace.core.planning.steps import Step
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say

_ON_A_SINK = ("regulator", "bridge", "amplifier")
_SOLDERED = ("capacitor", "chip", "socket", "reflow", "missing", "service", "improve", "socketing", "track")


@dataclass(frozen=True)
class Sundry:
    """One line: what, how many (0: as needed), for which places."""

    what: str
    count: int
    places: tuple[str, ...]


def sundries(
    steps: Sequence[Step], part_of: Callable[[PartRef], Part | None], sockets: bool = True
) -> tuple[Sundry, ...]:
    """What the open steps need besides the parts themselves; `sockets`: what is replaced gets one."""
    found: dict[str, tuple[int, list[str]]] = {}

    def need(what: str, count: int, place: str) -> None:
        have, places = found.setdefault(what, (0, []))
        places.append(place)
        found[what] = (have + count, places)

    for step in steps:
        part = part_of(step.place)
        if step.done or part is None:
            continue
        name = step.place.refdes
        if (part.kind in _ON_A_SINK and step.kind in ("chip", "missing", "service")) or step.kind == "sink":
            need(say("thermal compound"), 0, name)
            need(say("insulating sheet and bush"), 1, name)
            need(say("screw, washer and nut for the heat sink"), 1, name)
        if step.kind == "sink":
            need(say("heat sink"), 1, name)
        if step.kind in ("improve", "track"):
            need(say("insulated wire"), 0, name)
        if step.kind in ("chip", "socketing") and sockets and part.is_chip and not part.socketed and part.package:
            need(say("turned-pin socket, {package}", package=part.package), 1, name)
        if step.kind in _SOLDERED and not step.socketed:
            need(say("solder, flux and braid"), 0, name)
    return tuple(Sundry(what, count, tuple(places)) for what, (count, places) in found.items())
