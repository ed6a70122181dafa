"""Before power: what has not been measured yet, what can happen, and the cautions that belong to a supply."""

from collections.abc import Mapping
from dataclasses import dataclass

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.power.rails import PathReport
from loyal_trace.core.vocabulary.quantities import GROUND

_RISK = {
    "resistance to ground": "a short behind it would burn tracks, plug or supply",
    "resistance": "a blown fuse has a cause, and a missing one may hide a short",
    "rating": "a wrong fuse protects nothing",
    "diode": "a shorted bridge puts AC on the reservoir, which can burst",
}
MAINS = "mains and reservoir"
LITHIUM_CELL = "lithium cell"
MONITOR = "monitor high voltage"
CAUTIONS: Mapping[str, str] = {
    MAINS: (
        "Mains is on this transformer. Off before touching; discharge the reservoir through a resistor and measure. "
        "Fuses like for like. Mains wiring is for a qualified person under your local rules."
    ),
    LITHIUM_CELL: (
        "Lithium cell: never charge it, short it or solder to it directly; a swollen one is not opened. It goes to the "
        "collecting point that your local rules name; ask a qualified person when it leaks."
    ),
    MONITOR: (
        "A picture tube holds many kilovolts, also days after it was unplugged. Stop here: discharging it and working "
        "inside is for a qualified person under your local rules."
    ),
}


@dataclass(frozen=True)
class PowerGuard:
    """What is missing before power may go on a path (points, in order), and what that risks."""

    missing: tuple[str, ...]
    risk: str


def power_guard(report: PathReport) -> PowerGuard:
    """The unpowered points of a path that have no reading yet."""
    points = [p for p in report.points if not p.point.powered and p.reading is None]
    names = tuple(dict.fromkeys(f"{p.point.point} {p.point.quantity}" for p in points))
    # Each risk is told once, however many points carry it.
    risks = dict.fromkeys(
        _RISK.get("resistance to ground" if p.point.quantity in GROUND else p.point.quantity, "") for p in points
    )
    return PowerGuard(names, "; ".join(risk for risk in risks if risk))


def guard_decision(board_id: str, path: str) -> str:
    """Under which name going on without those readings is decided in the logbook."""
    return f"power on {board_id}" + (f" {path}" if path else "")


def caution_of(board: BoardDefinition, path: str) -> str:
    """The caution that stands at a supply path: its name in `CAUTIONS`, empty for none."""
    points = [p for p in board.chain if p.path == path]
    kinds = {board.part(p.part).kind for p in points if p.part and board.has(p.part)}
    if any(cell.part in {p.part for p in points} and cell.primary_lithium for cell in board.cells):
        return LITHIUM_CELL
    if any("monitor" in p.note.lower() or "tube" in p.note.lower() for p in points) or "monitor" in path.lower():
        return MONITOR
    supply = board.supply(path)
    if supply is not None and supply.dc:
        return ""
    if any(p.part for p in points) and (not kinds <= {"chip", "transistor"} or supply):
        return MAINS
    return ""
