"""What this bench can do: supplies with limits, instruments, harness, display; and what the job asks beyond it."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.power.consumption import Draw
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import format_quantity, parse_quantity

ABILITIES = (
    say("display"),
    say("harness"),
    say("speaker"),
    say("supply"),
    say("meter"),
    say("probe"),
    say("reader"),
    say("analyser"),
    say("ESR tester"),
    say("thermometer"),
)
LACKS, SUPPLIES = "bench lacks", "bench supplies"
_INSTRUMENT = {
    "esr": say("ESR tester"),
    "ripple": "analyser",
    "ripple frequency": "analyser",
    "frequency": "analyser",
    "reset time": "analyser",
    "reset pulses": "analyser",
    "temperature": "thermometer",
}
_SUPPLY = re.compile(r"([+-]?\s*[\d.,]+)\s*V(?:\s+([\d.,]+m?)\s*A)?", re.IGNORECASE)
_NEAR = 0.03


@dataclass(frozen=True)
class BenchSupply:
    """One supply: volt, and its current limit (ampere; 0 when not known)."""

    voltage: float
    current: float = 0.0

    @property
    def words(self) -> str:
        limit = say(" {current:g} A", current=self.current) if self.current else ""
        return say("{voltage:+g} V{limit}", voltage=self.voltage, limit=limit)


@dataclass(frozen=True)
class BenchProfile:
    """Supplies (empty: not told) and the abilities that this bench lacks."""

    supplies: tuple[BenchSupply, ...] = ()
    lacks: frozenset[str] = field(default_factory=frozenset)


def parse_supplies(text: str) -> tuple[BenchSupply, ...]:
    """`5 V 3 A, 12 V 1 A, -5 V 0.5 A` as supplies; RequestError for a piece that is none."""
    found = []
    for piece in (p.strip() for p in text.split(",") if p.strip()):
        match = _SUPPLY.fullmatch(piece)
        if match is None:
            raise RequestError(
                say("“{piece}” is not a supply; write its voltage and its current limit, such as 5 V 3 A", piece=piece)
            )
        found.append(BenchSupply(parse_quantity(match[1].replace(" ", "")), parse_quantity(match[2] or "0")))
    return tuple(found)


def profile_of(decided: Mapping[str, str], workshop: BenchProfile | None = None) -> BenchProfile:
    """The bench as this job has it: what was decided here (name → choice), else the workshop's own profile."""
    usual = workshop or BenchProfile()
    lacks, supplies = decided.get(LACKS), decided.get(SUPPLIES)
    words = frozenset(w.strip() for w in lacks.split(",") if w.strip()) if lacks is not None else usual.lacks
    try:
        told = parse_supplies(supplies) if supplies is not None else usual.supplies
    except RequestError:
        told = usual.supplies
    return BenchProfile(told, words)


@dataclass(frozen=True)
class Shortfall:
    """Something the job asks of the bench and does not get: what cannot be tested, and why."""

    board: str
    item: str
    reason: str


def shortfalls(
    boards: Mapping[str, BoardDefinition], profile: BenchProfile, draws: Mapping[str, Draw | None], readings: set[str]
) -> tuple[Shortfall, ...]:
    """Rails no supply feeds, and supply points no instrument reads. `readings`: quantities that were taken anyway."""
    found: list[Shortfall] = []
    for board_id, board in boards.items():
        found += _rails(board_id, board, profile, draws.get(board_id))
        asked = dict.fromkeys(_INSTRUMENT[p.quantity] for p in board.chain if p.quantity in _INSTRUMENT)
        taken = {_INSTRUMENT[q] for q in readings if q in _INSTRUMENT}
        for tool in asked:
            if tool in profile.lacks and tool not in taken:
                quantities = [p.quantity for p in board.chain if _INSTRUMENT.get(p.quantity) == tool]
                what = joined(", ", dict.fromkeys(quantities))
                found.append(
                    Shortfall(
                        board_id,
                        say("{what} of {board}", what=what, board=board.name),
                        say("this bench has no {tool}", tool=tool),
                    )
                )
    return tuple(found)


def _rails(board_id: str, board: BoardDefinition, profile: BenchProfile, draw: Draw | None) -> Iterable[Shortfall]:
    """What the bench has to feed, its inputs or else its rails: is there a supply of that voltage, and enough of it?"""
    fed = [
        (say("{rail} of {board}", rail=rail.name, board=board.name), rail.nominal)
        for rail in board.rails
        if not board.supplies
    ]
    fed += [(say("{dc:g} V input of {board}", dc=s.dc, board=board.name), s.dc) for s in board.supplies if s.dc]
    for name, volts in fed if profile.supplies else ():
        fits = [s for s in profile.supplies if abs(s.voltage - volts) <= _NEAR * abs(volts)]
        if not fits:
            yield Shortfall(board_id, name, say("this bench has no supply of {volts:+g} V", volts=volts))
            continue
        most = max(s.current for s in fits)
        if draw and (board.supplies or abs(volts - 5.0) < 0.3) and 0 < most < draw.typical:
            wants = format_quantity(draw.typical, "A")
            yield Shortfall(
                board_id,
                name,
                say("its chips take {wants}, the bench supply delivers {most:g} A at most", wants=wants, most=most),
            )
