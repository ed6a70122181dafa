"""Netlists: KiCad netlist and board files, IPC-D-356 test records, tables of pins. Parts, nets, positions."""

import math
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.formats.checksum_lists import decode_text
from loyal_trace.formats.part_table import NET_TITLES, PIN_TITLES, TITLES, part_row
from loyal_trace.formats.rom_files import read_file
from loyal_trace.formats.s_expressions import Node, children, numbers, read_s_expression, value
from loyal_trace.formats.tables import SPREADSHEET_ENDINGS, TABLE_ENDINGS, PartTable, read_table

_SURE = (".kicad_pcb", ".d356", ".ipc", ".356")
_PIN = re.compile(r"([A-Za-z0-9_/+]+)[.-](\w+)")
_DIP = re.compile(r"DIP-?(\d+)", re.IGNORECASE)
_NO_NET = ("", "N/C", "NC", "NO_CONNECT")
_MARGIN, _NAMED = 10.0, 12
_INCH = 25.4
Point = tuple[float, float]
Pins = dict[str, dict[str, Point]]


@dataclass
class Netlist:
    """What a netlist says: rows of `parts.csv` by place, net → pins, the board's size, and what could not be used."""

    sort: str
    parts: dict[str, dict[str, str]] = field(default_factory=dict)
    nets: dict[str, list[tuple[str, int]]] = field(default_factory=dict)
    outline: tuple[float, float] | None = None
    unused: list[str] = field(default_factory=list)
    _odd_pins: list[str] = field(default_factory=list)

    def join(self, net: str, refdes: str, pin: str) -> None:
        """One pin on a net; a pin that is no number is named among what could not be used."""
        if not pin.isdecimal() or not 0 < int(pin) < 1000:
            self._odd_pins.append(f"{refdes}.{pin}")
        elif net.upper() not in _NO_NET:
            self.nets.setdefault(net.lstrip("/") or net, []).append((refdes, int(pin)))

    def finish(self, name: str) -> "Netlist":
        """Nets of one pin connect nothing; UserFileError when nothing is left."""
        self.nets = {net: list(dict.fromkeys(pins)) for net, pins in self.nets.items()}
        alone = [net for net, pins in self.nets.items() if len(pins) < 2]
        for net in alone:
            del self.nets[net]
        if alone:
            self.unused.append(say("{nets} with only one pin", nets=count_of(len(alone), "net")))
        if self._odd_pins:
            listed = joined(", ", self._odd_pins[:_NAMED])
            more = say(" and {count} more", count=len(self._odd_pins) - _NAMED) if len(self._odd_pins) > _NAMED else ""
            self.unused.append(say("pins without a number: {listed}{more}", listed=listed, more=more))
        if not self.nets and not self.parts:
            raise UserFileError(name, say("holds no part and no net"), say("export the netlist again"))
        return self

    @property
    def words(self) -> str:
        """What it holds in one line."""
        pins = sum(len(found) for found in self.nets.values())
        placed = sum("x" in row for row in self.parts.values())
        where = say(", {placed} with their position", placed=placed) if placed else ""
        return say(
            "{sort}: {parts}{where}, {nets}, {pins}",
            sort=self.sort,
            parts=count_of(len(self.parts), "part"),
            where=where,
            nets=count_of(len(self.nets), "net"),
            pins=count_of(pins, "pin"),
        )


def is_netlist(path: Path) -> bool:
    """Is it a netlist, by its ending or by how it begins?"""
    if not path.is_file():
        return False
    ending = path.suffix.lower()
    if ending in _SURE:
        return True
    if ending == ".net":
        with path.open("rb") as file:
            head = file.read(400).lstrip(b"\xef\xbb\xbf \r\n\t")
        return head.startswith(b"(export") or _looks_like_test_records(head.decode("latin-1"))
    if ending in (*TABLE_ENDINGS, *SPREADSHEET_ENDINGS):
        try:
            return bool(_pin_columns(read_table(read_file(path), path.name)))
        except UserFileError:
            return False
    return False


def read_netlist(data: bytes, name: str, library: ChipLibrary) -> Netlist:
    """A netlist of any of the known kinds; UserFileError with the line of what is wrong."""
    if name.lower().endswith((*TABLE_ENDINGS, *SPREADSHEET_ENDINGS)):
        return _from_table(read_table(data, name), name, library)
    text = decode_text(data, name)
    if text.lstrip().startswith("("):
        node = read_s_expression(text, name)
        read = {"export": _from_export, "kicad_pcb": _from_board}.get(str(node[0]) if node else "")
        if read is None:
            raise UserFileError(name, say("is neither a netlist nor a board file"), say("export a netlist"))
        return read(node, library).finish(name)
    if _looks_like_test_records(text):
        return _from_test_records(text, library).finish(name)
    raise UserFileError(name, say("is not a netlist of a known kind"), say("export a KiCad netlist or IPC-D-356"))


# tables of pins


def _pin_columns(table: PartTable) -> dict[str, int]:
    """Columns of net, pin and place in a table of pins; empty when it is none."""
    lower = [title.lower() for title in table.titles]

    def column(titles: Iterable[str]) -> int | None:
        return next((lower.index(title) for title in titles if title in lower), None)

    found = {
        "net": column(NET_TITLES),
        "pin": column(PIN_TITLES),
        "refdes": column((*TITLES["refdes"], *TITLES["part"])),
    }
    known = {what: number for what, number in found.items() if number is not None}
    return known if "net" in known and "pin" in known else {}


def _from_table(table: PartTable, name: str, library: ChipLibrary) -> Netlist:
    columns = _pin_columns(table)
    if not columns:
        raise UserFileError(name, say("has no columns for net and pin"), say("name them net, part and pin"))
    found = Netlist(say("table of pins"))
    for line, row in enumerate(table.rows[1:], start=table.first_line + 1):
        cells = {what: row[at] if at < len(row) else "" for what, at in columns.items()}
        pairs = [(cells["refdes"], pin) for pin in cells["pin"].split()] if cells.get("refdes") else []
        words = re.split(r"[\s,;]+", cells["pin"])
        pairs = pairs or [(m[1], m[2]) for word in words if (m := _PIN.fullmatch(word))]
        if not pairs or not cells["net"]:
            if any(row):
                found.unused.append(say("line {line}: “{row}”", line=line, row=joined(" ", row)[:60]))
            continue
        for refdes, pin in pairs:
            found.parts.setdefault(refdes.upper(), {})
            found.join(cells["net"], refdes.upper(), pin)
    # Which parts they are is not said here: the pins alone make them known.
    found.parts.clear()
    return found.finish(name)


# the netlist export


def _from_export(node: Node, library: ChipLibrary) -> Netlist:
    found = Netlist(say("KiCad netlist"))
    for components in children(node, "components"):
        for part in children(components, "comp"):
            refdes = value(part, "ref")
            if refdes:
                _add_part(found, refdes, value(part, "value"), value(part, "footprint"), library)
    for nets in children(node, "nets"):
        for net in children(nets, "net"):
            for pin in children(net, "node"):
                found.join(value(net, "name"), value(pin, "ref"), value(pin, "pin"))
    return found


def _add_part(found: Netlist, refdes: str, number: str, footprint: str, library: ChipLibrary) -> None:
    match = _DIP.search(footprint)
    package = f"DIP-{match[1]}" if match else footprint.rpartition(":")[2]
    told = {"part": "" if number == "~" else number, "package": package}
    found.parts[refdes] = part_row(refdes, told, library)


# the board file


def _from_board(node: Node, library: ChipLibrary) -> Netlist:
    found = Netlist(say("KiCad board"))
    pads: Pins = {}
    nameless = 0
    for part in children(node, "footprint", "module"):
        refdes = _text_of(part, "reference")
        if not refdes or refdes.startswith("#"):
            nameless += 1
            continue
        _add_part(found, refdes, _text_of(part, "value"), str(part[1]) if len(part) > 1 else "", library)
        pads[refdes] = _pads_of(part)
        for pad in children(part, "pad"):
            net = next((str(one[-1]) for one in children(pad, "net") if len(one) > 1), "")
            if net:
                found.join(net, refdes, str(pad[1]))
    if nameless:
        found.unused.append(say("{parts} without a name (holes, marks)", parts=count_of(nameless, "footprint")))
    edge = [point for line in children(node, "gr_line", "gr_rect", "gr_arc") for point in _edge_points(line)]
    _place(found, pads, edge)
    return found


def _text_of(part: Node, what: str) -> str:
    for one in children(part, "property"):
        if len(one) > 2 and str(one[1]).lower() == what:
            return str(one[2])
    for one in children(part, "fp_text"):
        if len(one) > 2 and one[1] == what:
            return str(one[2])
    return ""


def _pads_of(part: Node) -> dict[str, Point]:
    """Pad → its place (mm): the file turns anticlockwise, with y downwards."""
    x0, y0, *turned = [*(numbers(children(part, "at")[0]) if children(part, "at") else []), 0.0, 0.0][:3]
    angle = math.radians(turned[0] if turned else 0.0)
    found = {}
    for pad in children(part, "pad"):
        at = children(pad, "at")
        dx, dy = (numbers(at[0]) if at else [0.0, 0.0])[:2]
        x = x0 + dx * math.cos(angle) + dy * math.sin(angle)
        y = y0 - dx * math.sin(angle) + dy * math.cos(angle)
        found[str(pad[1])] = (x, y)
    return found


def _edge_points(line: Node) -> list[Point]:
    if value(line, "layer") != "Edge.Cuts":
        return []
    ends = [numbers(one) for one in children(line, "start", "mid", "end")]
    return [(end[0], end[1]) for end in ends if len(end) > 1]


# test records


def _looks_like_test_records(text: str) -> bool:
    lines = [line for line in text.splitlines()[:60] if line.strip()]
    return any(line[:3] in ("317", "327", "367") for line in lines) or any(line.startswith("P  ") for line in lines)


def _from_test_records(text: str, library: ChipLibrary) -> Netlist:
    """IPC-D-356 and A: fixed columns; net in 4 to 17, part in 21 to 26, pin in 28 to 31, X and Y from 43 on."""
    found = Netlist(say("IPC-D-356 test records"))
    names: dict[str, str] = {}
    unit = 0.0001 * _INCH
    pads: Pins = {}
    short = 0
    for line in text.splitlines():
        if line.startswith("P  UNITS"):
            unit = 0.001 if line.split()[-1] == "1" else 0.0001 * _INCH
        elif line.startswith("P  NNAME"):
            key, _, full = line[3:].partition(" ")
            names[key.strip()] = full.strip()
        elif line[:3] in ("317", "327"):
            net, refdes, pin = line[3:17].strip(), line[20:26].strip(), line[27:31].strip()
            if refdes == "VIA" or not refdes:
                continue
            if not pin:
                short += 1
                continue
            found.join(names.get(net, net), refdes, pin)
            if refdes not in found.parts:
                found.parts[refdes] = part_row(refdes, {"part": ""}, library)
            at = re.search(r"X([+-]?\d+)Y([+-]?\d+)", line[31:])
            if at:
                pads.setdefault(refdes, {})[pin] = (int(at[1]) * unit, -int(at[2]) * unit)
    if short:
        found.unused.append(say("{records} without a pin", records=count_of(short, "record")))
    _place(found, pads, [])
    return found


# positions


def _place(found: Netlist, pads: Pins, edge: list[Point]) -> None:
    """Gives the parts their middle (mm) from the upper left corner, and how they are turned, from their pads."""
    every = edge or [point for one in pads.values() for point in one.values()]
    if not every or len(set(every)) < 2:
        return
    margin = 0.0 if edge else _MARGIN
    left, top = min(x for x, _ in every) - margin, min(y for _, y in every) - margin
    right, bottom = max(x for x, _ in every) + margin, max(y for _, y in every) + margin
    if max(right - left, bottom - top) > 2000:
        found.unused.append(say("positions: the board would be longer than 2 m"))
        return
    found.outline = (round(right - left, 2), round(bottom - top, 2))
    for refdes, places in pads.items():
        if refdes in found.parts and places:
            xs, ys = [x for x, _ in places.values()], [y for _, y in places.values()]
            middle = ((min(xs) + max(xs)) / 2 - left, (min(ys) + max(ys)) / 2 - top)
            row = found.parts[refdes]
            row |= {"x": f"{middle[0]:.2f}", "y": f"{middle[1]:.2f}", "rotation": str(_turned(places))}


def _turned(places: Mapping[str, Point]) -> int:
    """0 when the pins count from left to right along the lower row, then clockwise in quarter turns."""
    half = max(2, len(places) // 2)
    if "1" not in places or str(half) not in places:
        return 0
    dx, dy = (b - a for a, b in zip(places["1"], places[str(half)], strict=True))
    if abs(dx) >= abs(dy):
        return 0 if dx >= 0 else 180
    return 90 if dy > 0 else 270
