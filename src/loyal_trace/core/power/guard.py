"""Before power: what has not been measured yet, what can happen, and the cautions that belong to a supply."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from loyal_trace.core.boards.cells import chemistry_of
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.supplies import ChainPoint, Supply
from loyal_trace.core.power.rails import RailReport
from loyal_trace.core.vocabulary.cautions import SIGNED, Caution
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.quantities import GROUND, Quantity

_RISK: Mapping[str, str] = {
    Quantity.TO_GROUND: say("a short behind it would burn tracks, plug or supply"),
    Quantity.RESISTANCE: say("a blown fuse has a cause, and a missing one may hide a short"),
    Quantity.RATING: say("a wrong fuse protects nothing"),
    Quantity.DIODE: say("a shorted bridge puts AC on the reservoir, which can burst"),
}
_MONITOR = re.compile(r"\b(?:monitors?|pictures?|picture tubes?|tube|crt|eht|video out\w*|screen)\b", re.IGNORECASE)
_SWITCH_MODE = re.compile(r"\bswitch(?:ed|ing)?[\s-]?mode\b|\bSMPS\b", re.IGNORECASE)


@dataclass(frozen=True)
class PowerGuard:
    """What is missing before power may go on a board (points, in order), and what that risks."""

    missing: tuple[str, ...]
    risk: str


def power_guard(report: RailReport) -> PowerGuard:
    """The power-off points of a board that have no reading yet.

    All its supplies count: one plug or transformer feeds them together.
    """
    points = report.power_off_missing
    names = tuple(
        dict.fromkeys(say("{point} {quantity}", point=p.point.point, quantity=term(p.point.quantity)) for p in points)
    )
    # Each risk is told once, however many points carry it.
    risks = dict.fromkeys(
        _RISK.get(Quantity.TO_GROUND if p.point.quantity in GROUND else p.point.quantity, "") for p in points
    )
    return PowerGuard(names, joined("; ", (risk for risk in risks if risk)))


def guard_decision(board_id: str) -> str:
    """Under which name going on without those readings is decided in the logbook."""
    return f"power on {board_id}"


def decided_to_go_on(decisions: Mapping[str, object], board_id: str) -> bool:
    """Was it decided to go on without the power-off readings of a board? Older logbooks name one of its supplies."""
    name = guard_decision(board_id)
    return any(what == name or what.startswith(f"{name} ") for what in decisions)


def is_mains_fed(board: BoardDefinition, path: str) -> bool:
    """Does a mains transformer feed this supply: by its description, an AC point, or a transformer or bridge in it?"""
    supply = board.supply(path)
    if supply is not None:
        return supply.ac_rms > 0
    points = _points(board, path)
    kinds = {board.part(p.part).kind for p in points if p.part and board.has(p.part)}
    return any(p.quantity == Quantity.AC_VOLTAGE for p in points) or bool(kinds & {"transformer", "bridge"})


def drives_monitor(board: BoardDefinition, told: Iterable[str] = ()) -> bool:
    """Can a monitor be part of the job: does anything known of the board, or `told` by its owner, name a picture?"""
    known = [part.role for part in board.parts] + [point.note for point in board.chain] + list(board.paths)
    known += [text for block in board.blocks for text in (block.name, *block.symptoms)]
    known += [text for check in board.checklist for text in (check.name, check.how)]
    known += [text for text, _ in board.symptoms]
    return any(_MONITOR.search(text) for text in (*known, *told))


def cautions_of(board: BoardDefinition, path: str) -> tuple[Caution, ...]:
    """The cautions that stand at a supply of a board, what can kill first; empty for none."""
    points = _points(board, path)
    if not points:
        return ()
    cells = [cell.part for cell in board.cells if cell.part in {p.part for p in points}]
    cells += [p.part for p in points if p.part and board.has(p.part) and board.part(p.part).kind == "cell"]
    if cells:
        return (chemistry_of(board, cells[0]).caution,)
    found: list[Caution] = []
    if any(_SWITCH_MODE.search(text) for text in _words(board, points)):
        found.append(Caution.SWITCH_MODE)
    elif is_mains_fed(board, path):
        found += [Caution.MAINS, Caution.RESERVOIR]
    elif any(is_mains_fed(board, other) for other in board.paths):
        # One transformer feeds the board: this path is dead only when the reservoirs of the others are.
        found.append(Caution.RESERVOIR)
    elif _is_dc_fed(board, path, points):
        found.append(Caution.DC_SUPPLY)
    if any(_MONITOR.search(text) for text in (path, *_words(board, points))):
        found.insert(0, Caution.MONITOR)
    return tuple(found)


def to_sign(cautions: tuple[Caution, ...]) -> tuple[Caution, ...]:
    """Those that are read and signed before a reading is taken."""
    return tuple(caution for caution in cautions if caution in SIGNED)


def _points(board: BoardDefinition, path: str) -> list[ChainPoint]:
    return [p for p in board.chain if p.path == path]


def _words(board: BoardDefinition, points: list[ChainPoint]) -> list[str]:
    """What the definition says of the points of a path and of the parts there."""
    return [board.part(p.part).role for p in points if p.part and board.has(p.part)] + [p.note for p in points]


def _is_dc_fed(board: BoardDefinition, path: str, points: list[ChainPoint]) -> bool:
    """By its description; without one, when it begins with a DC voltage at a plug."""
    supply: Supply | None = board.supply(path)
    if supply is not None:
        return supply.dc != 0
    first = next((p for p in points if p.powered), None)
    at_plug = first is not None and board.has(first.part) and board.part(first.part).kind == "connector"
    return at_plug and first is not None and first.quantity == Quantity.VOLTAGE
