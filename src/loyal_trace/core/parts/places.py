"""A capacitor's place on its board: what was there, its role, its room, what it carries, how warm it gets."""

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.parts.fitting import Place
from loyal_trace.core.parts.limits import CapacitorLimits
from loyal_trace.core.parts.roles import is_ground, nets_of, role_of
from loyal_trace.core.parts.spec import spec_of_part

_HOT_KINDS = ("regulator", "bridge", "amplifier", "transistor")


def runs_hot(part: Part) -> bool:
    """Is it a kind of part that runs hot?"""
    return part.kind in _HOT_KINDS


def place_on(board: BoardDefinition, part: Part, limits: CapacitorLimits) -> Place:
    """Everything that the board says of a capacitor's place."""
    limit = board.height_limit_at(part) if part.placed else None
    height = limit or ((part.room_height, "") if part.room_height is not None else None)
    supply = next((s for s in board.supplies if s.reservoir == part.refdes), None)
    return Place(
        spec_of_part(part),
        role_of(board, part),
        part.room_diameter,
        height[0] if height else None,
        height[1] if height else "",
        volts_on(board, part),
        supply.current if supply is not None and supply.current > 0 else None,
        warmer_at(board, part, limits),
    )


def volts_on(board: BoardDefinition, part: Part) -> float | None:
    """The direct voltage across a part between a rail and ground; None where the netlist does not say."""
    nets = nets_of(board, part.refdes)
    if len(nets) < 2 or not any(map(is_ground, nets)):
        return None
    return next((abs(rail.nominal) for rail in board.rails if rail.net in nets and rail.nominal), None)


def hot_parts_near(board: BoardDefinition, part: Part, within: float) -> tuple[tuple[float, Part], ...]:
    """(millimetres between the middles, part) of what runs hot nearby, nearest first; only where places are known."""
    if not part.placed:
        return ()
    hot = [other for other in board.parts if other.placed and runs_hot(other) and other.refdes != part.refdes]
    near = [(((o.x - part.x) ** 2 + (o.y - part.y) ** 2) ** 0.5, o) for o in hot]
    return tuple(sorted(((mm, o) for mm, o in near if mm <= within), key=lambda pair: pair[0]))


def warmer_at(board: BoardDefinition, part: Part, limits: CapacitorLimits) -> float:
    """How many kelvin warmer a place is for the hottest part near it; 0 where nothing hot is near or known."""
    widest = limits.heat[-1][0] if limits.heat else 0.0
    near = hot_parts_near(board, part, widest)
    if not near:
        return 0.0
    return next((kelvin for within, kelvin in limits.heat if near[0][0] <= within), 0.0)


def beside(board: BoardDefinition, part: Part) -> tuple[float, tuple[str, ...]]:
    """(farad, names) of the capacitors that the netlist has on the same two nets: they read with it in circuit."""
    nets = set(nets_of(board, part.refdes))
    if len(nets) < 2:
        return 0.0, ()
    here = [
        other
        for other in board.capacitors
        if other.refdes != part.refdes and other.value and set(nets_of(board, other.refdes)) == nets
    ]
    largest = sorted(here, key=lambda other: -(other.value or 0.0))
    return sum(other.value or 0.0 for other in here), tuple(other.refdes for other in largest)
