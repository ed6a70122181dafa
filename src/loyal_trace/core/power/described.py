"""A supply chain from three lines, for a board that nobody has described.

    from J1 9 V AC 1.2 A            or   from J1 12 V DC 0.8 A
    through F1 2A, BR1, C1 4700u
    to REG1 5 V, 4F.20

The first says where it enters the board, the winding (volt RMS) or the input voltage, and the load; the second what it
passes: fuses with their rating, the bridge, the reservoir with its value, the regulator with its voltage; the third
the far chip's pin, and the regulator where the second does not name it. What the board knows of a part need not be
said again.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from loyal_trace.core.boards.kinds import kind_of
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.supplies import ChainPoint, Rail, Supply
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import parse_quantity

LINES = ("from", "through", "to")
EXAMPLES = (say("from J1 9 V AC 1.2 A"), say("through F1 2A, BR1, C1 4700u"), say("to REG1 5 V, 4F.20"))
_UNIT = {"fuse": "A", "capacitor": "F", "regulator": "V", "resistor": "Ω"}
_LESS_A_DIODE = 0.85
_LEVEL = re.compile(r"([+-]?\d+(?:[.,]\d+)?)\s*V?", re.IGNORECASE)
_FIXED_REGULATOR = re.compile(r"\D*7([89])[A-Z]{0,2}(\d\d)\D*")
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
    board: BoardDefinition | None
    ac: bool = False
    level: float = 0.0
    regulated: float = 0.0
    parts: dict[str, Part] = field(default_factory=dict)
    points: list[ChainPoint] = field(default_factory=list)


def describe_chain(lines: Mapping[str, str], path: str = "", board: BoardDefinition | None = None) -> DescribedChain:
    """The chain that the lines `from`, `through` and `to` describe; RequestError says which word is not understood.

    Values that the lines leave out are taken from the parts of `board`, and a regulator's voltage from its type
    or from the path's own name (+5).
    """
    missing = [name for name in LINES if name != "through" and not lines.get(name, "").strip()]
    if missing:
        raise RequestError(
            say(
                "the line “{missing} …” is missing, for example: {examples}",
                missing=missing[0],
                examples=EXAMPLES[LINES.index(missing[0])],
            )
        )
    source = _FROM.fullmatch(lines["from"].strip())
    if source is None:
        raise RequestError(
            say(
                "“{lines}” was not understood; write, for example: {examples}",
                lines=lines["from"].strip(),
                examples=EXAMPLES[0],
            )
        )
    place, volts, form, amps, mains = source.groups()
    built = _Building(path, board, ac=form.upper() == "AC")
    plug = place.split(".")[0]
    built.parts[plug] = Part(plug, "plug", kind="connector", placed=False)
    ac, level, current = built.ac, parse_quantity(volts), parse_quantity(amps or "0.5")
    built.level = level
    quantity = "ac voltage" if ac else "voltage"
    low, high = (None, None) if ac else (level * 0.95, level * 1.05)
    built.points.append(ChainPoint(place, quantity, low, high, plug, say("where it enters the board"), path=path))
    reservoir = _through(built, lines.get("through", ""))
    nominal, rail = _to(built, lines["to"], 0.0 if ac else level)
    fed = {"ac_rms": level, "mains": float(mains or 50), "reservoir": reservoir} if ac else {"dc": level}
    supply = Supply(current=current, path=path, nominal=nominal, **fed)
    if ac and not reservoir:
        raise RequestError(say("an AC supply needs its reservoir in “through …”, for example C1 4700u"))
    return DescribedChain(tuple(built.parts.values()), tuple(built.points), supply, rail)


def _pieces(line: str, word: str) -> list[list[str]]:
    body = re.sub(rf"^\s*{word}\b", "", line, flags=re.IGNORECASE)
    return [re.split(r"[\s/]+", piece.strip(), maxsplit=1) for piece in body.split(",") if piece.strip()]


def _valued(built: _Building, words: list[str]) -> Part:
    """The part that a piece names: its value as said, else as the board has it."""
    refdes = words[0].split(".")[0]
    known = built.board.part(refdes) if built.board is not None and built.board.has(refdes) else None
    kind = known.kind if known is not None and known.kind in _UNIT else kind_of(refdes)
    value = parse_quantity(words[1], _UNIT.get(kind, "")) if len(words) > 1 and kind in _UNIT else None
    if value is None and known is not None:
        value = known.value if known.value is not None else _regulated(known.number)
    number = joined(" ", words[1:]) or kind
    polarised = kind == "capacitor" and (value or 0) >= 1e-6
    technology = "aluminium" if polarised else ""
    part = Part(refdes, number, kind=kind, value=value, polarised=polarised, technology=technology, placed=False)
    built.parts[refdes] = part
    return part


def _regulated(number: str) -> float | None:
    """The voltage of a fixed regulator from its type: 7805 holds +5 V, 7912 −12 V; None for others."""
    match = _FIXED_REGULATOR.fullmatch(number)
    return float(match[2]) * (1 if match[1] == "8" else -1) if match else None


def _named_level(path: str) -> float | None:
    """The voltage in the name of a path; None when it has none."""
    match = _LEVEL.fullmatch(path)
    return float(match[1].replace(",", ".")) if match else None


def _through(built: _Building, line: str) -> str:
    """Adds what the supply passes; returns the reservoir's refdes."""
    reservoir = ""
    for words in _pieces(line, "through"):
        part = _valued(built, words)
        if part.kind == "capacitor" and not reservoir:
            reservoir = _reservoir(built, part)
        elif part.kind == "regulator":
            _regulator(built, part, words[0])
        else:
            _passed(built, part)
    return reservoir


def _passed(built: _Building, part: Part) -> None:
    """The points of a fuse, a bridge or a diode on the way, all taken with the power off."""
    off = ChainPoint(part.refdes, "diode", part=part.refdes, powered=False, path=built.path)
    if part.kind == "fuse":
        built.points.append(replace(off, quantity="resistance"))
        if part.value:
            built.points.append(replace(off, quantity="rating"))
    elif part.kind == "bridge":
        for leg in range(1, 5):
            built.points.append(
                replace(
                    off,
                    point=f"{part.refdes}.{leg}",
                    note=say("pin {leg}, power off", leg=leg),
                )
            )
    elif part.kind == "diode":
        built.points.append(off)


def _reservoir(built: _Building, part: Part) -> str:
    """The points over the first capacitor: behind a rectifier its ripple tells its state, on DC the voltage alone."""
    if built.ac and not part.value:
        raise RequestError(say("the value of {refdes} is needed, for example {refdes} 4700u", refdes=part.refdes))
    over = ChainPoint(part.refdes, "voltage", part=part.refdes, note=say("over the reservoir"), path=built.path)
    if built.ac:
        built.points += [replace(over, quantity=q) for q in ("voltage", "ripple frequency", "ripple")]
        return part.refdes
    # Before the regulator it holds the input, less a diode against reversed polarity; behind it the regulated voltage.
    low, high = sorted(
        (built.regulated * 0.95, built.regulated * 1.05)
        if built.regulated
        else (built.level * _LESS_A_DIODE, built.level * 1.05)
    )
    built.points.append(replace(over, low=low, high=high))
    return part.refdes


def _regulator(built: _Building, part: Part, place: str) -> None:
    """The regulator's output; pin 3 where no other was said."""
    level = part.value or _named_level(built.path)
    if not level:
        raise RequestError(say("the voltage of {refdes} is needed, for example {refdes} 5 V", refdes=part.refdes))
    built.regulated = level
    point = place if "." in place else say("{refdes}.3", refdes=part.refdes)
    built.points.append(ChainPoint(point, "voltage", part=part.refdes, path=built.path))


def _to(built: _Building, line: str, level: float) -> tuple[float, Rail]:
    """Adds regulator, resistance to ground and far end; returns the regulated voltage (0 for none) and the rail."""
    far = ""
    for words in _pieces(line, "to"):
        part = _valued(built, words)
        if part.kind == "regulator":
            _regulator(built, part, words[0])
        else:
            far = words[0]
    nominal = built.regulated
    wanted = nominal or level or _named_level(built.path) or 0.0
    if not far or not wanted:
        raise RequestError(
            say(
                "“{line}” names no far end with its voltage; write, for example: {examples}",
                line=line.strip(),
                examples=EXAMPLES[2],
            )
        )
    place, (low, high) = far.split(".")[0], sorted((wanted * 0.95, wanted * 1.05))
    ground = ChainPoint(far, "resistance to ground", part=place, note=say("power off"), powered=False, path=built.path)
    first_powered = next((n for n, p in enumerate(built.points) if p.powered and p.quantity != "ac voltage"), 1)
    built.points.insert(first_powered, ground)
    built.points.append(ChainPoint(far, "voltage", low, high, place, say("far chip"), path=built.path))
    return nominal, Rail(built.path or say("{wanted:+g} V", wanted=wanted), wanted, low, high, far=far)


def with_chain(board: BoardDefinition, chain: DescribedChain) -> BoardDefinition:
    """The board with a described chain; its own of the same path gives way; parts it lacks have no place yet."""
    path = chain.points[0].path
    new = [replace(part, placed=False) for part in chain.parts if not board.has(part.refdes)]
    return replace(
        board,
        parts=(*board.parts, *new),
        chain=(*(p for p in board.chain if p.path != path), *chain.points),
        supplies=(*(s for s in board.supplies if s.path != path), chain.supply),
        rails=(*(r for r in board.rails if r.name != chain.rail.name), chain.rail),
    )
