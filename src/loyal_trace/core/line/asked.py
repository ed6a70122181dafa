"""What a stage asks for at a place: a pin, a point of a supply, a capacitor, a socket, a part to be inspected."""

from loyal_trace.core.line.context import (
    Asked,
    AskedCapacitor,
    AskedParts,
    AskedPin,
    AskedPoint,
    AskedSocket,
    Context,
)
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.stages import Stage


def asked_at(context: Context, place: PartRef, pin: int | None = None) -> Asked | None:
    """What the stage of a context asks for at a part (and pin) that is picked; None where it asks for nothing."""
    board = context.boards.get(place.board)
    if board is None or not board.has(place.refdes):
        return None
    if context.stage is Stage.INSPECT:
        return AskedParts((place,))
    if context.stage is Stage.RAILS:
        return _point(context, place, pin)
    if context.stage is Stage.ROMS:
        return AskedSocket(place) if any(slot.refdes == place.refdes for slot in board.rom_slots) else None
    if context.stage is Stage.PROBE and board.part(place.refdes).is_chip:
        return AskedPin(place, pins_from(context, place, pin))
    if context.stage is Stage.PLAN and board.part(place.refdes).kind == "capacitor":
        return AskedCapacitor(place)
    return None


def pins_from(context: Context, place: PartRef, pin: int | None) -> tuple[int, ...]:
    """The used pins of a chip from one on (by itself: from the first that was not probed), in their order."""
    library, part = context.library, context.boards[place.board].part(place.refdes)
    probed = context.snapshot.readings.pins.get(place, {})
    if not library.knows(part.number):
        start = pin or max(probed, default=0) + 1
        return tuple(range(start, start + 64))
    used = [p.number for p in library.find(part.number).pins if p.role != "unused"]
    first = pin or next((number for number in used if number not in probed), used[0])
    return tuple(number for number in used if number >= first)


def _point(context: Context, place: PartRef, pin: int | None) -> AskedPoint | None:
    """The first point of a supply there that was not measured yet, power off before power on; else the first there."""
    name = f"{place.refdes}.{pin}" if pin else place.refdes
    points = [p for p in context.boards[place.board].chain if p.point == name]
    points = points or [p for p in context.boards[place.board].chain if p.part == place.refdes]
    unread = [p for p in points if context.snapshot.latest(place.board, p.point, p.quantity) is None]
    still = sorted(unread, key=lambda p: p.powered)
    wanted = next(iter(still or points), None)
    if wanted is None:
        return None
    return AskedPoint(place.board, wanted.point, wanted.quantity, wanted.powered, part=wanted.part)
