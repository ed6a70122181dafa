"""A supply chain from three lines, for a board that nobody has described.

    from J1 9 V AC 1.2 A            or   from J1 12 V DC 0.8 A
    through F1 2A, BR1, C1 4700u
    to REG1 5 V, 4F.20

The first says where it comes in, the winding (volt RMS) or the input voltage, and the load; the second what it passes:
fuses with their rating, the bridge, the reservoir with its value; the third the regulator with its voltage, if there is
one, and the far chip's pin.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from loyal_trace.core.boards.kinds import kind_of
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.supplies import ChainPoint, Rail, Supply
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.units import parse_quantity

LINES = ("from", "through", "to")
EXAMPLES = ("from J1 9 V AC 1.2 A", "through F1 2A, BR1, C1 4700u", "to REG1 5 V, 4F.20")
_UNIT = {"fuse": "A", "capacitor": "F", "regulator": "V", "resistor": "Ω"}
_DEFAULT_DROPOUT = 2.0
_FROM = re.compile(r"from\s+(\S+)\s+([\d.,]+)\s*V\s*(AC|DC)(?:\s+([\d.,]+m?)\s*A)?(?:\s+(\d+)\s*Hz)?", re.IGNORECASE)


@dataclass(frozen=True)
class DescribedChain:
    """What three lines come to: parts named in them, the points in order, how it is fed, and its rail."""

    parts: tuple[Part, ...]
    points: tuple[ChainPoint, ...]
    supply: Supply
    rail: Rail


@dataclass
class _Building:
    path: str
    parts: dict[str, Part] = field(default_factory=dict)
    points: list[ChainPoint] = field(default_factory=list)


def describe_chain(lines: Mapping[str, str], path: str = "") -> DescribedChain:
    """The chain that the lines `from`, `through` and `to` describe; RequestError says which word is not understood."""
    missing = [name for name in LINES if name != "through" and not lines.get(name, "").strip()]
    if missing:
        raise RequestError(f"the line “{missing[0]} …” is missing, for instance: {EXAMPLES[LINES.index(missing[0])]}")
    source = _FROM.fullmatch(lines["from"].strip())
    if source is None:
        raise RequestError(f"“{lines['from'].strip()}” is not understood; write, for instance: {EXAMPLES[0]}")
    place, volts, form, amps, mains = source.groups()
    built = _Building(path)
    plug = place.split(".")[0]
    built.parts[plug] = Part(plug, "plug", kind="connector")
    ac, level, current = form.upper() == "AC", parse_quantity(volts), parse_quantity(amps or "0.5")
    quantity = "ac voltage" if ac else "voltage"
    low, high = (None, None) if ac else (level * 0.95, level * 1.05)
    built.points.append(ChainPoint(place, quantity, low, high, plug, "where it comes in", path=path))
    reservoir = _through(built, lines.get("through", ""))
    nominal, rail = _to(built, lines["to"], 0.0 if ac else level)
    fed = {"ac_rms": level, "mains": float(mains or 50), "reservoir": reservoir} if ac else {"dc": level}
    supply = Supply(current=current, path=path, nominal=nominal, **fed)
    if ac and not reservoir:
        raise RequestError("an AC supply needs its reservoir in “through …”, for instance C1 4700u")
    return DescribedChain(tuple(built.parts.values()), tuple(built.points), supply, rail)


def _pieces(line: str, word: str) -> list[list[str]]:
    body = re.sub(rf"^\s*{word}\b", "", line, flags=re.IGNORECASE)
    return [piece.split(maxsplit=1) for piece in body.split(",") if piece.strip()]


def _valued(built: _Building, words: list[str]) -> Part:
    refdes = words[0].split(".")[0]
    kind = kind_of(refdes)
    value = parse_quantity(words[1], _UNIT.get(kind, "")) if len(words) > 1 and kind in _UNIT else None
    number = " ".join(words[1:]) or kind
    polarised = kind == "capacitor" and (value or 0) >= 1e-6
    part = Part(
        refdes, number, kind=kind, value=value, polarised=polarised, technology="aluminium" if polarised else ""
    )
    built.parts[refdes] = part
    return part


def _through(built: _Building, line: str) -> str:
    """Adds what the supply passes; returns the reservoir's refdes."""
    reservoir = ""
    for words in _pieces(line, "through"):
        part, add = _valued(built, words), built.points.append
        if part.kind == "fuse":
            add(ChainPoint(part.refdes, "resistance", part=part.refdes, powered=False, path=built.path))
            if part.value:
                add(ChainPoint(part.refdes, "rating", part=part.refdes, powered=False, path=built.path))
        elif part.kind == "bridge":
            for leg in range(1, 5):
                note = f"leg {leg}, power off"
                point = f"{part.refdes}.{leg}"
                add(ChainPoint(point, "diode", part=part.refdes, note=note, powered=False, path=built.path))
        elif part.kind == "diode":
            add(ChainPoint(part.refdes, "diode", part=part.refdes, powered=False, path=built.path))
        elif part.kind == "capacitor" and not reservoir:
            if not part.value:
                raise RequestError(f"the value of {part.refdes} is needed, for instance {part.refdes} 4700u")
            reservoir = part.refdes
            for quantity in ("voltage", "ripple frequency", "ripple"):
                add(ChainPoint(reservoir, quantity, part=reservoir, note="over the reservoir", path=built.path))
    return reservoir


def _to(built: _Building, line: str, level: float) -> tuple[float, Rail]:
    """Adds regulator, resistance to ground and far end; returns the regulated voltage (0 for none) and the rail."""
    nominal, far = 0.0, ""
    for words in _pieces(line, "to"):
        part = _valued(built, words)
        if part.kind == "regulator":
            if not part.value:
                raise RequestError(f"the voltage of {part.refdes} is needed, for instance {part.refdes} 5 V")
            nominal = part.value
            point = f"{part.refdes}.3" if "." not in words[0] else words[0]
            built.points.append(ChainPoint(point, "voltage", part=part.refdes, path=built.path))
        else:
            far = words[0]
    wanted = nominal or level
    if not far or not wanted:
        raise RequestError(f"“{line.strip()}” names no far end with its voltage; write, for instance: {EXAMPLES[2]}")
    place, (low, high) = far.split(".")[0], sorted((wanted * 0.95, wanted * 1.05))
    ground = ChainPoint(far, "resistance to ground", part=place, note="power off", powered=False, path=built.path)
    first_powered = next((n for n, p in enumerate(built.points) if p.powered and p.quantity != "ac voltage"), 1)
    built.points.insert(first_powered, ground)
    built.points.append(ChainPoint(far, "voltage", low, high, place, "far chip", path=built.path))
    return nominal, Rail(built.path or f"{wanted:+g} V", wanted, low, high, far=far)


def with_chain(board: BoardDefinition, chain: DescribedChain) -> BoardDefinition:
    """The board with a described chain; its own of the same path gives way, parts it lacks are added at the top."""
    path = chain.points[0].path
    new = [part for part in chain.parts if not board.has(part.refdes)]
    shelf = [replace(part, x=25.0 + 38 * n, y=18.0) for n, part in enumerate(new)]
    return replace(
        board,
        width=max(board.width, 30 + 38 * len(new)),
        parts=(*board.parts, *shelf),
        chain=(*(p for p in board.chain if p.path != path), *chain.points),
        supplies=(*(s for s in board.supplies if s.path != path), chain.supply),
        rails=(*(r for r in board.rails if r.name != chain.rail.name), chain.rail),
    )
