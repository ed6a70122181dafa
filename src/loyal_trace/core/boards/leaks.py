"""How far a leaking capacitor reaches: which parts have to be inspected, and which of them were.

Electrolyte creeps along tracks and runs down: with the lower side of the board known as it stood, it reaches twice as
far that way. The distance is a setting of the job; 35 mm covers what is usually found around a small can.
"""

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.vocabulary.findings import LEAKS, Finding
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.readings import Sighting

DEFAULT_REACH = 35.0
DOWNHILL = 2.0
SIDES = {"": (0.0, 0.0), "top": (0.0, -1.0), "right": (1.0, 0.0), "bottom": (0.0, 1.0), "left": (-1.0, 0.0)}


@dataclass(frozen=True)
class Reached:
    """One part within reach: how far (mm), and `inspect`, `clean it`, or `done` with what was seen since."""

    refdes: str
    distance: float
    status: str


@dataclass(frozen=True)
class Leak:
    """One leaking capacitor and everything within its reach, nearest first."""

    refdes: str
    reached: tuple[Reached, ...]
    replaced: bool = False

    @property
    def open(self) -> tuple[Reached, ...]:
        """What is still to be inspected or cleaned."""
        return tuple(part for part in self.reached if part.status != "done")


def within_reach(
    board: BoardDefinition, refdes: str, distance: float = DEFAULT_REACH, down: str = ""
) -> tuple[tuple[Part, float], ...]:
    """The parts that electrolyte from `refdes` may have reached, with their distance (mm), nearest first.

    `down` is the side of the map (`top`, `right`, `bottom`, `left`) that was lowest as the board stood; empty: unknown.
    Only parts of which somebody said where they are: those that are merely laid out on the map have no distance.
    """
    here, (sx, sy) = board.part(refdes), SIDES[down]
    found: list[tuple[float, str, Part]] = []
    if not here.placed:
        return ()
    for part in (p for p in (*board.parts, *board.vias) if p.placed):
        dx, dy = part.x - here.x, part.y - here.y
        along = dx * sx + dy * sy
        across = math.hypot(dx - along * sx, dy - along * sy)
        felt = math.hypot(across, along / DOWNHILL) if along > 0 else math.hypot(dx, dy)
        if part.refdes != refdes and felt <= distance:
            found.append((math.hypot(dx, dy), part.refdes, part))
    return tuple((part, apart) for apart, _, part in sorted(found, key=lambda item: item[:2]))


def leaks(
    board: BoardDefinition,
    findings: Mapping[str, Sequence[Sighting]],
    distance: float = DEFAULT_REACH,
    down: str = "",
    replaced: Collection[str] = (),
) -> tuple[Leak, ...]:
    """Every leak ever seen on a board and the state of what it reached. `findings` by refdes, oldest first.

    A part counts as inspected by what was seen of it after the leak; residue has to be cleaned. A leaking can that was
    renewed since still has neighbours to inspect.
    """
    found = []
    for refdes, seen in findings.items():
        leak = next((entry for entry in seen if entry.finding in LEAKS), None)
        if leak is None or not board.has(refdes):
            continue
        reached = tuple(
            Reached(part.refdes, apart, _status(findings.get(part.refdes, ()), leak))
            for part, apart in within_reach(board, refdes, distance, down)
        )
        found.append(Leak(refdes, reached, refdes in replaced))
    return tuple(found)


def _status(seen: Sequence[Sighting], leak: Sighting) -> str:
    later = [entry for entry in seen if entry.time >= leak.time]
    if not later:
        return "inspect"
    return say("clean it") if later[-1].finding == Finding.RESIDUE else "done"
