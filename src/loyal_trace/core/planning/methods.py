"""How a part comes off and goes on: by board, package and whether the old part is still wanted; what comes off for a
wash, and when power may go on after it. The figures are data (`resources/data/methods.toml`), with their source."""

import tomllib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from enum import StrEnum
from math import floor
from typing import Any

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.parts.spec import spec_of_part
from loyal_trace.core.vocabulary.phrases import say, term


class BoardType(StrEnum):
    """How a board is made, as far as it matters to who takes a part off it."""

    SINGLE_SIDED = "single-sided"
    UNPLATED = "pads without plating"
    PLATED = "plated holes"
    PLANES = "planes"


class Work(StrEnum):
    """The actions that steps are made of."""

    DISCHARGE = "discharge"
    STRIP = "strip coating"
    CUT = "cut"
    SHIELD = "shield"
    PREHEAT = "preheat"
    HEAT = "heat"
    REMOVE = "remove"
    CLEAR_HOLES = "clear holes"
    CLEAN_PADS = "clean pads"
    FIT = "fit"
    INSPECT = "inspect"
    MEASURE = "measure"
    STRAIGHTEN = "straighten"
    ERASE = "erase"
    PROGRAM = "program"
    VERIFY = "verify"
    STORE = "store"
    PACK = "pack"


class WorkState(StrEnum):
    """What became of an action."""

    OPEN = "open"
    NOW = "now"
    DONE = "done"
    SKIPPED = "skipped"
    WENT_WRONG = "went wrong"


_UNSUITED_RISK, _NARROW_RISK, _COATED_RISK, _COATING_MINUTES = 3.0, 3.0, 1.5, 6.0


@dataclass(frozen=True)
class Method:
    """One way to do it: settings (°C, seconds a joint, tip, solder), minutes, risk, whether the old part stays whole.

    `steps` are the actions in order; `reasons` say why it is or is not the one for this place. `room`: millimetres that
    the tool needs beside the body, from above; `cans`: how far electrolytics have to stand from it.
    """

    id: str
    celsius: float
    seconds: float
    tip: str
    minutes: float
    risk: float
    whole: bool
    how: str
    steps: tuple[str, ...]
    parts: tuple[str, ...] = ()
    mountings: tuple[str, ...] = ()
    boards: tuple[str, ...] = ()
    solder: str = ""
    room: float = 0.0
    cans: float = 0.0
    reasons: tuple[str, ...] = ()


@dataclass(frozen=True)
class Wash:
    """A way of washing: hours until power in moving air and with gentle heat, the liquid's grade, why so long."""

    id: str
    words: tuple[str, ...]
    hours: float
    warm_hours: float
    grade: str
    why: str


@dataclass(frozen=True)
class Methods:
    """All of them, and what has to come off before a wash: (kinds, words in its type, why)."""

    removal: tuple[Method, ...]
    fitting: tuple[Method, ...]
    washes: tuple[Wash, ...]
    before_wash: tuple[tuple[tuple[str, ...], tuple[str, ...], str], ...]


def methods_from(text: str) -> Methods:
    """The methods of the data file."""
    told = tomllib.loads(text)
    return Methods(
        tuple(_method(row) for row in told["removal"]),
        tuple(_method(row | {"risk": 0.0, "whole": True}) for row in told["fitting"]),
        tuple(
            Wash(
                row["id"],
                tuple(row["words"]),
                float(row["hours"]),
                float(row["warm_hours"]),
                term(row["grade"]),
                term(row["why"]),
            )
            for row in told["wash"]
        ),
        tuple((tuple(row["kinds"]), tuple(row.get("words", ())), term(row["why"])) for row in told["before_wash"]),
    )


def _method(row: dict[str, Any]) -> Method:
    lists = {name: tuple(row.get(name, ())) for name in ("parts", "mountings")}
    lists |= {"boards": tuple(b and BoardType(b) for b in row.get("boards", ()))}
    lists |= {"steps": tuple(Work(name) for name in row["steps"])}
    return Method(
        row["id"],
        float(row["celsius"]),
        float(row["seconds"]),
        row["tip"],
        float(row["minutes"]),
        float(row["risk"]),
        bool(row["whole"]),
        term(row["how"]),
        solder=row.get("solder", ""),
        room=float(row.get("room", 0.0)),
        cans=float(row.get("cans", 0.0)),
        **lists,
    )


@dataclass(frozen=True)
class Access:
    """How near the next part stands, and the next can (electrolytic): millimetres between bodies, designators."""

    gap: float
    beside: str
    can_gap: float | None = None
    can: str = ""


@dataclass(frozen=True)
class Wanted:
    """What is asked of a removal: is the old part evidence, is it rare, on what kind of board is it, is that coated,
    what room is beside it (None: nobody said)?"""

    evidence: bool = False
    rare: bool = False
    board: str = ""
    coated: bool = False
    access: Access | None = None


def mounting_of(part: Part) -> str:
    """How a part is held: radial, axial, smd, dip or nothing known."""
    words = part.package.lower()
    if words.startswith("dip"):
        return "dip"
    if any(word in words for word in ("smd", "so-", "soic", "plcc", "qfp", "0805", "1206")):
        return "smd"
    return spec_of_part(part).mounting


def removals(methods: Methods, part: Part, wanted: Wanted) -> tuple[Method, ...]:
    """The ways to take a part off, the best first; what would destroy evidence or a rare part is not among them."""
    mounting = mounting_of(part)
    kind = part.kind if part.kind != "unknown" else "chip"
    found = [
        _judged(method, wanted)
        for method in methods.removal
        if kind in method.parts
        and mounting in method.mountings
        and (method.whole or not (wanted.evidence or wanted.rare))
    ]
    return tuple(sorted(found, key=lambda method: (method.risk, method.minutes)))


def _judged(method: Method, wanted: Wanted) -> Method:
    """A method with why it does or does not suit, and the risk that follows."""
    reasons, risk = [], method.risk
    if method.boards and wanted.board and wanted.board not in method.boards:
        reasons.append(say("not for this board ({board})", board=term(wanted.board)))
        risk *= _UNSUITED_RISK
    elif method.boards and wanted.board:
        reasons.append(say("suits this board ({board})", board=term(wanted.board)))
    narrow = list(_too_near(method, wanted.access)) if wanted.access is not None else []
    if narrow:
        reasons += narrow
        risk *= _NARROW_RISK
    if wanted.evidence or wanted.rare:
        why = say("it is rare") if wanted.rare else say("it is still evidence")
        reasons.append(say("the part stays whole, as {why}", why=why))
    elif not method.whole:
        reasons.append(say("the old part cannot be measured afterwards"))
    if not wanted.coated:
        return replace(method, risk=risk, reasons=tuple(reasons))
    # Lacquer keeps solder from flowing, burns under the iron, and holds the part when the joints are free.
    reasons.append(say("the coating comes off first"))
    return replace(
        method,
        risk=risk * _COATED_RISK,
        minutes=method.minutes + _COATING_MINUTES,
        steps=(Work.STRIP, *method.steps),
        reasons=tuple(reasons),
    )


def _too_near(method: Method, access: Access) -> Iterator[str]:
    """What stands too near for a method, in words."""
    if access.gap < method.room:
        beside = say(" to {name}", name=access.beside) if access.beside else ""
        yield say(
            "it needs {room:g} mm beside the part, here are {gap:.1f} mm{beside}",
            room=method.room,
            gap=floor(access.gap * 10) / 10,
            beside=beside,
        )
    if access.can_gap is not None and access.can_gap < method.cans:
        yield say("{name}, an electrolytic, stands {gap:.1f} mm from it", name=access.can, gap=access.can_gap)


def fitting(methods: Methods, part: Part) -> Method:
    """How the new part goes on."""
    mounting = mounting_of(part)
    return next((m for m in methods.fitting if mounting in m.mountings), methods.fitting[0])


# washing


def off_before_wash(methods: Methods, board: BoardDefinition, gone: Sequence[str] = ()) -> tuple[tuple[str, str], ...]:
    """(designator, why) of everything that has to come off a board before it is washed; `gone` is off already."""
    roms = {slot.refdes for slot in board.rom_slots}
    found = []
    for part in board.parts:
        if part.refdes in gone:
            continue
        why = next((text for kinds, words, text in methods.before_wash if _concerned(part, kinds, words, roms)), "")
        if why:
            found.append((part.refdes, why))
    return tuple(found)


def _concerned(part: Part, kinds: tuple[str, ...], words: tuple[str, ...], roms: set[str]) -> bool:
    if words:
        return any(word in f"{part.number} {part.technology} {part.package}".lower() for word in words)
    if part.kind in kinds:
        return True
    if "socketed" in kinds and part.socketed and part.is_chip and part.refdes not in roms:
        return True
    return "rom" in kinds and part.refdes in roms and part.socketed


def wash_of(methods: Methods, detail: str) -> Wash:
    """The way of washing that words name; the longest where they name none."""
    text = detail.lower()
    return next((wash for wash in methods.washes if any(word in text for word in wash.words)), methods.washes[-1])


def power_from(methods: Methods, washed: datetime, detail: str, warm: bool = False) -> datetime:
    """The earliest time for power after a wash; `warm`: dried at about 50 °C."""
    wash = wash_of(methods, detail)
    return washed + timedelta(hours=wash.warm_hours if warm else wash.hours)


def method_words(method: Method) -> Iterator[str]:
    """A method as sentences: how, and with what settings to begin."""
    yield method.how
    if method.celsius:
        yield say(
            "Start with {celsius:g} °C, {tip}, up to {seconds:g} s a joint.",
            celsius=method.celsius,
            tip=term(method.tip),
            seconds=method.seconds,
        )
