"""Entries of facts: what the board is. They are folded into its definition, like a file would be."""

from types import MappingProxyType
from typing import Literal

from pydantic import Field

from loyal_trace.core.job.base import OWN_BOARD, Entry, NamedPart, PlacedEntry, Raw, Strict, kind
from loyal_trace.core.job.draft import EMPTY, Draft
from loyal_trace.core.job.snapshot import CheckKey, SupplyKey
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of, format_quantity


def _part(draft: Draft, entry: "PartTold") -> None:
    draft.facts.parts.add(entry.part, entry)


def _pin(draft: Draft, entry: "PinTold") -> None:
    draft.facts.pins.add(entry.part, entry)


def _connected(draft: Draft, entry: "Connected") -> None:
    draft.facts.connections.add(entry)


def _check(draft: Draft, entry: "CheckTold") -> None:
    draft.facts.checks.add(entry)


def _setting(draft: Draft, entry: "SettingTold") -> None:
    draft.facts.settings[entry.part] = entry


def _outline(draft: Draft, entry: "OutlineTold") -> None:
    draft.facts.outlines.add(entry.board, entry)


def _nets(draft: Draft, entry: "NetsTold") -> None:
    draft.facts.nets.add(entry)


def _line(draft: Draft, entry: "LineTold") -> None:
    draft.facts.lines.add(entry)


def _rail(draft: Draft, entry: "RailTold") -> None:
    draft.facts.rails.add(entry)


def _supply(draft: Draft, entry: "ChainDescribed") -> None:
    key = SupplyKey(entry.board, entry.path)
    draft.facts.supplies[key] = MappingProxyType({**draft.facts.supplies.get(key, EMPTY), entry.line: entry.text})


def _socket(draft: Draft, entry: "RomTold") -> None:
    draft.facts.sockets[entry.part] = entry


def _clock(draft: Draft, entry: "ClockTold") -> None:
    draft.facts.clocks[PartRef(entry.board, entry.at.name)] = entry


def _lamp(draft: Draft, entry: "LampTold") -> None:
    draft.facts.lamps[entry.part] = entry


def _twins(draft: Draft, entry: "TwinsTold") -> None:
    draft.facts.twins.add(entry)


def _code(draft: Draft, entry: "CodeTold") -> None:
    draft.facts.codes[CheckKey(entry.board, entry.code)] = entry


def _path(draft: Draft, entry: "PathTold") -> None:
    draft.facts.paths[CheckKey(entry.board, entry.name)] = entry


def _service(draft: Draft, entry: "ServiceTold") -> None:
    draft.facts.service.add(entry)


def _assumed(draft: Draft, entry: "Assumed") -> None:
    draft.facts.assumed[entry.name] = entry


def _own_board(raw: Raw) -> Raw:
    """Version 1 kept the board without a definition under the id of its loose files."""
    return {**raw, "board": OWN_BOARD} if raw.get("board") == "files" else raw


def _sink_words(sink: float | None) -> str:
    if sink is None:
        return ""
    return say("on a heat sink of {sink:g} K/W", sink=sink) if sink else say("without a heat sink")


def _part_words(entry: "PartTold") -> str:
    told = [
        entry.number,
        say("in a socket") if entry.socketed else "",
        "soldered" if entry.socketed is False else "",
        say("row {row}", row=entry.row) if entry.row else "",
        say("column {column}", column=entry.column) if entry.column else "",
        say("rare") if entry.rare else "",
        say("diameter {mm:g} mm", mm=entry.diameter) if entry.diameter is not None else "",
        say("pitch {mm:g} mm", mm=entry.pitch) if entry.pitch is not None else "",
        say("{mm:g} mm of room", mm=entry.room) if entry.room is not None else "",
        say("for {role}", role=term(entry.role)) if entry.role else "",
        say("{height:g} mm high", height=entry.height) if entry.height is not None else "",
        say("a source of {heat:g} W of heat", heat=entry.heat) if entry.heat is not None else "",
        _sink_words(entry.sink),
        say("{x:.0f} mm from the left, {y:.0f} mm from the top", x=entry.x, y=entry.y)
        if entry.x is not None and entry.y is not None
        else "",
        say("from {source}", source=entry.source) if entry.source else "",
    ]
    return say("{place} is {told}", place=entry.place, told=joined(", ", (piece for piece in told if piece)))


def _rom_words(entry: "RomTold") -> str:
    where = "" if entry.address is None else say("at {address:04X}", address=entry.address)
    where += "" if entry.last is None else say(" to {last:04X}", last=entry.last)
    number = "" if entry.number is None else say("ROM {entry_number}", entry_number=entry.number)
    return say(
        "{place} is {what}",
        place=entry.place,
        what=joined(", ", (piece for piece in (number, entry.label, entry.device, where) if piece)),
    )


def _names(parts: tuple[NamedPart, ...]) -> str:
    return joined(", ", (part.name for part in parts))


Origin = Literal["said", "list", "netlist", "photo"]


@kind(_part, _part_words, Stage.INTAKE)
class PartTold(PlacedEntry):
    """What a part is, as far as it was said: type or value, socket, row and column, height and position (mm).

    `sort` is the kind of part (chip, capacitor, …) when the marking says so; values in SI units. x and y are its middle
    from the upper left corner of the board, seen from the component side; `room` is free across (mm), `role` what a
    capacitor does, `heat` in watt, `sink` the heat sink in kelvin per watt (0: none). `source` names
    the file, list or photo.
    """

    kind: Literal["part_told"] = "part_told"
    number: str = ""
    sort: str = ""
    value: float | None = None
    voltage: float | None = None
    technology: str = ""
    polarised: bool | None = None
    socketed: bool | None = None
    row: str = ""
    column: str = ""
    height: float | None = Field(default=None, gt=0)
    package: str = ""
    x: float | None = None
    y: float | None = None
    rotation: Literal[0, 90, 180, 270] | None = None
    diameter: float | None = Field(default=None, gt=0)
    pitch: float | None = Field(default=None, gt=0)
    room: float | None = Field(default=None, gt=0)
    role: str = ""
    heat: float | None = Field(default=None, gt=0)
    sink: float | None = Field(default=None, ge=0)
    rare: bool = False
    origin: Origin = "said"
    source: str = ""


@kind(
    _pin,
    lambda e: say(
        "{place}.{pin} is {name}{direction}",
        place=e.place,
        pin=e.pin,
        name=e.name,
        direction=" " + e.direction if e.direction else "",
    ),
    Stage.PROBE,
)
class PinTold(PlacedEntry):
    """The name of one pin of a part, and whether it is an input or an output, if that was said."""

    kind: Literal["pin_told"] = "pin_told"
    pin: int = Field(ge=1, le=999)
    name: str
    direction: Literal["", "in", "out", "both", "power", "ground"] = ""


@kind(
    _connected,
    lambda e: say("{first} {it} {second}", first=e.first.name, it="=" if e.joined else "!", second=e.second.name),
    Stage.PROBE,
)
class Connected(Entry):
    """Two pins are connected, or are known not to be."""

    kind: Literal["connected"] = "connected"
    first: NamedPart
    second: NamedPart
    joined: bool = True


@kind(
    _outline,
    lambda e: say("board {width:g} × {height:g} mm", width=e.width, height=e.height),
    Stage.INTAKE,
)
class OutlineTold(Entry):
    """The size of a board (millimetres), seen from the component side."""

    kind: Literal["outline_told"] = "outline_told"
    width: float = Field(gt=0, le=2000)
    height: float = Field(gt=0, le=2000)
    origin: Origin = "said"
    source: str = ""


def _check_words(entry: "CheckTold") -> str:
    items = joined(", ", entry.items)
    if entry.of:
        return say("board is a {kind} board, to check: {items}", kind=term(entry.of), items=items)
    return say("to check: {items}", items=items)


@kind(_check, _check_words, Stage.VERIFY)
class CheckTold(Entry):
    """What has to be proved on a board; `of` is the class of board that it comes from, if any."""

    kind: Literal["check_told"] = "check_told"
    items: tuple[str, ...] = Field(min_length=1)
    of: str = ""


@kind(
    _setting,
    lambda e: say("{place} as found: {setting}", place=e.place, setting=e.setting),
    Stage.INTAKE,
)
class SettingTold(PlacedEntry):
    """How a jumper or switch was set when the board came in."""

    kind: Literal["setting_told"] = "setting_told"
    setting: str


class Net(Strict):
    """A net: its name and its pins, each a reference designator and a pin number."""

    name: str
    pins: tuple[tuple[str, int], ...]


@kind(
    _nets,
    lambda e: say("{nets} from {source}", nets=count_of(len(e.nets), "net"), source=e.source),
    Stage.PROBE,
)
class NetsTold(Entry):
    """Nets of a netlist: which pins are connected."""

    kind: Literal["nets_told"] = "nets_told"
    source: str = ""
    nets: tuple[Net, ...]


@kind(_line, lambda e: say("{bus} line {name}: {names}", bus=e.bus, name=e.name, names=_names(e.members)), Stage.PROBE)
class LineTold(Entry):
    """Which parts or pins are on a data or address line."""

    kind: Literal["line_told"] = "line_told"
    bus: Literal["data", "address", "control"] = "data"
    name: str
    members: tuple[NamedPart, ...] = Field(min_length=1)


def _rail_words(entry: "RailTold") -> str:
    if not entry.members:
        return say("rail {name}", name=entry.name)
    return say("rail {name} feeds {names}", name=entry.name, names=_names(entry.members))


@kind(_rail, _rail_words, Stage.RAILS)
class RailTold(Entry):
    """A rail, and which parts it feeds as far as somebody said; `nominal` volts when its name says them."""

    kind: Literal["rail_told"] = "rail_told"
    name: str
    nominal: float | None = None
    members: tuple[NamedPart, ...] = ()


@kind(
    _supply,
    lambda e: say("supply {path}: {text}" if e.path else "supply: {text}", path=e.path, text=e.text),
    Stage.RAILS,
    {1: _own_board},
)
class ChainDescribed(Entry):
    """One of the three lines that describe a supply chain: `from`, `through` or `to`. `path` tells several apart."""

    kind: Literal["chain_described"] = "chain_described"
    line: Literal["from", "through", "to"]
    text: str
    path: str = ""


@kind(_socket, _rom_words, Stage.ROMS)
class RomTold(PlacedEntry):
    """A place is a ROM socket: its start-up number, label, device, CPU addresses (first and last)."""

    kind: Literal["rom_told"] = "rom_told"
    number: int | None = Field(default=None, ge=0, le=9999)
    label: str = ""
    device: str = ""
    size: int | None = Field(default=None, gt=0)
    address: int | None = Field(default=None, ge=0)
    last: int | None = Field(default=None, ge=0)


@kind(
    _clock,
    lambda e: say("clock at {at}: {hertz}", at=e.at.name, hertz=format_quantity(e.frequency, "Hz")),
    Stage.RAILS,
)
class ClockTold(Entry):
    """The frequency (hertz) that a healthy board shows at a pin: what is divided from there follows from it."""

    kind: Literal["clock_told"] = "clock_told"
    at: NamedPart
    frequency: float = Field(gt=0)


@kind(_lamp, lambda e: say("lamp {lamp} shows {names}", lamp=e.place, names=_names(e.members)), Stage.RAILS)
class LampTold(PlacedEntry):
    """A lamp that is lit while these parts, a fuse as a rule, are intact and fed."""

    kind: Literal["lamp_told"] = "lamp_told"
    members: tuple[NamedPart, ...] = Field(min_length=1)


@kind(_twins, lambda e: say("twins: {names}", names=_names(e.members)), Stage.SUSPECTS)
class TwinsTold(Entry):
    """Parts that do the same and should measure alike."""

    kind: Literal["twins_told"] = "twins_told"
    members: tuple[NamedPart, ...] = Field(min_length=2)


@kind(_code, lambda e: say("code {code} means {names}", code=e.code, names=_names(e.members)), Stage.SUSPECTS)
class CodeTold(Entry):
    """What a self-test code means: the parts that it names."""

    kind: Literal["code_told"] = "code_told"
    code: str
    members: tuple[NamedPart, ...] = Field(min_length=1)


@kind(
    _path,
    lambda e: say("path {name}: {members}", name=e.name, members=joined(" ", (part.name for part in e.members))),
    Stage.SUSPECTS,
)
class PathTold(Entry):
    """The parts that a function needs, in the order of the signal."""

    kind: Literal["path_told"] = "path_told"
    name: str
    members: tuple[NamedPart, ...] = Field(min_length=1)


@kind(_service, lambda e: say("service: {names}", names=_names(e.members)), Stage.PLAN)
class ServiceTold(Entry):
    """Parts that are replaced as a matter of course."""

    kind: Literal["service_told"] = "service_told"
    members: tuple[NamedPart, ...] = Field(min_length=1)
    reason: str = ""


def _pairs_words(entry: "Assumed") -> str:
    return say(
        "assumed: {entry} ({pairs} to check)",
        entry=entry.name,
        pairs=count_of(len(entry.together) + len(entry.apart), "pair"),
    )


@kind(_assumed, _pairs_words, Stage.PLAN)
class Assumed(Entry):
    """What a plan rests on: pairs of pins that must be connected (`together`) and pairs that must not (`apart`)."""

    kind: Literal["assumed"] = "assumed"
    name: str
    together: tuple[tuple[str, str], ...] = ()
    apart: tuple[tuple[str, str], ...] = ()
