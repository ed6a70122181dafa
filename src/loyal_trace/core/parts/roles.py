"""What a capacitor is there for: said, or guessed from its nets and its value, and then shown as a guess.

The role decides how near another value has to be. What was said always wins; nets say more than the value.
"""

import re
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.vocabulary.phrases import say


class Role(StrEnum):
    """The roles, by the words that stand on parts lists."""

    RESERVOIR = "reservoir"
    BULK = "bulk"
    DECOUPLING = "decoupling"
    COUPLING = "coupling"
    TIMING = "timing"
    RESET = "reset"
    FILTER = "filter"
    CRYSTAL = "crystal"
    SNUBBER = "snubber"
    VIDEO = "video"
    MOTOR = "motor"
    UNKNOWN = "unknown"


@dataclass(frozen=True)
class RoleOf:
    """A role, whether it is only guessed, and from what."""

    role: Role
    guessed: bool = False
    why: str = ""


@dataclass(frozen=True)
class ValueRange:
    """How far another value may be from the marked one (shares): in order within `fits`, with care within `care`."""

    fits: tuple[float, float]
    care: tuple[float, float]
    why: str


_EXACT = (0.95, 1.05)
# Old electrolytics were −10/+50 %, so that half as much again was always within what the circuit had to bear.
VALUES = {
    Role.RESERVOIR: ValueRange((0.9, 1.5), (0.9, 2.0), say("more loads rectifier and fuse at every start")),
    Role.BULK: ValueRange((0.9, 1.5), (0.9, 2.2), say("more slows the rise of the supply")),
    Role.DECOUPLING: ValueRange((0.9, 2.2), (0.68, 10.0), say("its own inductance matters more than its value")),
    Role.COUPLING: ValueRange(_EXACT, (0.8, 1.5), say("it sets the lowest frequency that passes")),
    Role.TIMING: ValueRange(_EXACT, _EXACT, say("it sets a time")),
    Role.RESET: ValueRange(_EXACT, _EXACT, say("it sets the length of the reset")),
    Role.FILTER: ValueRange(_EXACT, _EXACT, say("it sets a frequency")),
    Role.CRYSTAL: ValueRange(_EXACT, _EXACT, say("it loads the crystal, and another value pulls its frequency")),
    Role.SNUBBER: ValueRange(_EXACT, (0.8, 1.5), say("it is matched to what it damps")),
    Role.VIDEO: ValueRange(_EXACT, (0.95, 1.5), say("it shapes the picture signal")),
    Role.MOTOR: ValueRange(_EXACT, _EXACT, say("it sets the phase of the motor")),
    Role.UNKNOWN: ValueRange(_EXACT, (0.9, 1.5), say("what it does there is not known")),
}

_WORDS = {
    "reservoir": Role.RESERVOIR,
    "smoothing": Role.RESERVOIR,
    "bulk": Role.BULK,
    "decoupling": Role.DECOUPLING,
    "bypass": Role.DECOUPLING,
    "coupling": Role.COUPLING,
    "timing": Role.TIMING,
    "reset": Role.RESET,
    "filter": Role.FILTER,
    "crystal": Role.CRYSTAL,
    "oscillator": Role.CRYSTAL,
    "snubber": Role.SNUBBER,
    "video": Role.VIDEO,
    "sync": Role.VIDEO,
    "motor": Role.MOTOR,
}
# The strictest of several words decides: `reset timing` is a reset.
_STRICT_FIRST = (
    Role.CRYSTAL,
    Role.RESET,
    Role.TIMING,
    Role.MOTOR,
    Role.FILTER,
    Role.SNUBBER,
    Role.VIDEO,
    Role.COUPLING,
    Role.RESERVOIR,
    Role.BULK,
    Role.DECOUPLING,
)
_GROUND = re.compile(r"[AD]?GND\d*|VSS|0V|GROUND|EARTH", re.IGNORECASE)
_SUPPLY = re.compile(r"VCC|VDD|VEE|VBB|VPP|[+-]\d+(?:[.,]\d+)?V?\w{0,3}", re.IGNORECASE)
_RESET_NET = re.compile(r".*(?:RESET|RST|\bPOR\b).*", re.IGNORECASE)
_VIDEO_NET = re.compile(r".*(?:VIDEO|SYNC|\bRED\b|\bGREEN\b|\bBLUE\b|CVBS).*", re.IGNORECASE)
_RESERVOIR_FROM, _BULK_FROM, _SMALL_UP_TO, _DECOUPLING_UP_TO = 470e-6, 1e-6, 150e-12, 1e-6


@lru_cache(maxsize=1024)
def role_said(text: str) -> Role | None:
    """The role that words such as `reset timing` name; None when they name none."""
    named = {role for word, role in _WORDS.items() if word in text.lower().replace("decoupling", "bypass")}
    return next((role for role in _STRICT_FIRST if role in named), None)


def role_of(board: BoardDefinition | None, part: Part) -> RoleOf:
    """The role of a capacitor: as said, else guessed from where the board has it, else from its value."""
    said = role_said(part.role)
    if said is not None:
        return RoleOf(said)
    found = (_named_by_the_board(board, part) or _from_nets(board, part)) if board is not None else None
    return found or _from_value(part)


def _guess(role: Role, why: str) -> RoleOf:
    return RoleOf(role, True, why)


def _named_by_the_board(board: BoardDefinition, part: Part) -> RoleOf | None:
    if any(supply.reservoir == part.refdes for supply in board.supplies):
        return RoleOf(Role.RESERVOIR, False, say("it is the reservoir of a supply"))
    if any(reset.capacitor == part.refdes for reset in board.resets):
        return RoleOf(Role.RESET, False, say("it times the reset"))
    return None


def is_ground(net: str) -> bool:
    """Is that net ground, by its name?"""
    return _GROUND.fullmatch(net) is not None


def is_supply(board: BoardDefinition, net: str) -> bool:
    """Is that net a supply: one of the board's rails, or called like one?"""
    return any(rail.net == net for rail in board.rails) or _SUPPLY.fullmatch(net) is not None


def nets_of(board: BoardDefinition, refdes: str) -> tuple[str, ...]:
    """The nets of a part of two pins, in the order of its pins; fewer where the netlist does not say."""
    return tuple(net for net in (board.net_of(refdes, 1), board.net_of(refdes, 2)) if net)


def _from_nets(board: BoardDefinition, part: Part) -> RoleOf | None:
    nets = nets_of(board, part.refdes)
    if len(nets) < 2:
        return None
    value = part.value or 0.0
    beside = {refdes for pin in (1, 2) for refdes, _ in board.others_on_net(part.refdes, pin)}
    kinds = {board.part(refdes).kind for refdes in beside if board.has(refdes)}
    grounded, fed = any(map(is_ground, nets)), any(is_supply(board, net) for net in nets)
    between = say("between {first} and {second}", first=nets[0], second=nets[1])
    if "crystal" in kinds and not fed and value <= _SMALL_UP_TO:
        return _guess(Role.CRYSTAL, say("{between}, beside a crystal", between=between))
    if grounded and fed:
        role = Role.RESERVOIR if value >= _RESERVOIR_FROM else Role.BULK if value >= _BULK_FROM else Role.DECOUPLING
        return _guess(role, between)
    if any(_RESET_NET.fullmatch(net) for net in nets):
        return _guess(Role.RESET, between)
    if any(_VIDEO_NET.fullmatch(net) for net in nets):
        return _guess(Role.VIDEO, between)
    if grounded or fed:
        return _guess(Role.FILTER if value < _BULK_FROM else Role.TIMING, between)
    return _guess(Role.COUPLING, say("{between}, two signals", between=between))


def _from_value(part: Part) -> RoleOf:
    """Without nets the value says little: only what is nearly always so."""
    value = part.value
    if value is None or value <= 0:
        return _guess(Role.UNKNOWN, say("neither role, nets nor value are known"))
    if value <= _SMALL_UP_TO:
        return _guess(Role.CRYSTAL, say("so small a value loads a crystal or sets a frequency"))
    if value >= _RESERVOIR_FROM:
        return _guess(Role.RESERVOIR, say("its value"))
    if part.polarised or value >= _BULK_FROM:
        return _guess(Role.UNKNOWN, say("its value alone does not tell bulk from coupling or timing"))
    return _guess(Role.DECOUPLING if 10e-9 <= value < _DECOUPLING_UP_TO else Role.FILTER, say("its value"))
