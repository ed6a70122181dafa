"""Writes a board definition as its folder: `board.toml`, `parts.csv`, `nets.csv`, the same bytes for the same board."""

import csv
import io
import json
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import MISSING, fields
from typing import Any

import tomli_w

from loyal_trace.core.boards.model import BoardDefinition, Part, RomSlot
from loyal_trace.core.boards.outline import pin_count
from loyal_trace.core.vocabulary.identity import natural_key
from loyal_trace.core.vocabulary.units import typed_quantity
from loyal_trace.formats.board_parts import UNIT_OF_KIND

# Table of board.toml → field of the definition, in the order in which they are written.
_TABLES: Mapping[str, str] = {
    "rail": "rails",
    "supply": "supplies",
    "chain": "chain",
    "clock": "clocks",
    "screen": "screens",
    "lamp": "lamps",
    "cell": "cells",
    "reset": "resets",
    "mark": "marks",
    "block": "blocks",
    "check": "checklist",
    "self_test": "self_tests",
    "keep_out": "keep_outs",
    "service": "service",
    "function": "functions",
    "pin": "own_pins",
    "good": "good",
    "fault": "faults",
    "minutes": "minutes",
}
_HEAD = ("id", "name", "revision", "maker", "year", "width", "height", "columns", "rows", "firmwares")
_HEAD_LAST = ("revisions", "revision_marks", "cautions")
_PART_COLUMNS = (
    "refdes",
    "part",
    "kind",
    "package",
    "x",
    "y",
    "rotation",
    "placed",
    "row",
    "column",
    "socketed",
    "value",
    "voltage",
    "polarised",
    "technology",
    "pitch",
    "diameter",
    "room_diameter",
    "room_height",
    "role",
    "revisions",
    "rare",
    "heat",
    "sink",
)
_BARE = re.compile(r"[A-Za-z0-9_-]+")


def write_board(board: BoardDefinition) -> dict[str, bytes]:
    """The files of a board by name. `parse_board` gives the same board back."""
    parts = sorted((*board.parts, *board.vias), key=lambda part: natural_key(part.refdes))
    files = {"board.toml": _toml(board).encode(), "parts.csv": _table(_PART_COLUMNS, map(_part_row, parts)).encode()}
    nets = [row for name, pins in board.nets if (row := _net_row(board, name, pins))]
    if nets:
        files["nets.csv"] = _table(("net", "pins", "alone"), nets).encode()
    return files


def _toml(board: BoardDefinition) -> str:
    defaults = {spec.name: spec.default for spec in fields(BoardDefinition)}
    head: dict[str, Any] = {"format": 1}
    for name in (*_HEAD, *_HEAD_LAST):
        value = getattr(board, name)
        if name in ("id", "name") or value not in (defaults[name], (), None):
            head[name] = float(value) if name in ("width", "height") else _plain(value)
    document: dict[str, Any] = {"board": head}
    for table, name in _TABLES.items():
        document[table] = [_item(one) for one in getattr(board, name)]
    document["rom"] = [_rom(slot) for slot in board.rom_slots]
    document["symptom"] = [
        {"text": text, "block": block} if block else {"text": text} for text, block in board.symptoms
    ]
    document["siblings"] = [{"parts": list(group)} for group in board.siblings]
    document["mate"] = [{"here": here, "there": there} for here, there in board.mates]
    sections = [tomli_w.dumps({"board": document.pop("board")})]
    sections += [_section(name, item) for name, items in document.items() for item in items]
    return "\n".join(sections)


def _section(name: str, item: dict[str, Any]) -> str:
    """One `[[table]]` with the tables inside it, however short: the library would put short ones on one line."""
    return f"[[{name}]]\n{_body(name, item)}"


def _body(name: str, item: Mapping[str, Any]) -> str:
    inner = {key: value for key, value in item.items() if isinstance(value, dict)}
    text = tomli_w.dumps({key: value for key, value in item.items() if key not in inner})
    for key, value in inner.items():
        path = f"{name}.{key if _BARE.fullmatch(key) else json.dumps(key)}"
        deeper = any(isinstance(one, dict) for one in value.values())
        text += ("" if deeper else f"\n[{path}]\n") + _body(path, value)
    return text


def _plain(value: Any) -> Any:
    """Strings and numbers as TOML has them: no phrases, no tuples."""
    if isinstance(value, tuple | list):
        return [_plain(one) for one in value]
    if isinstance(value, Mapping):
        return {_plain(key): _plain(one) for key, one in value.items()}
    return str.__str__(value) if isinstance(value, str) else value


def _item(one: Any) -> dict[str, Any]:
    """The fields of an item that differ from what is understood without them."""
    found = {}
    for spec in fields(one):
        value = getattr(one, spec.name)
        default = spec.default_factory() if spec.default_factory is not MISSING else spec.default
        if value is not None and (default is MISSING or value != default):
            found[spec.name] = float(value) if spec.type is float else _plain(value)
    return found


def _rom(slot: RomSlot) -> dict[str, Any]:
    found = _item(slot)
    sums = {firmware: dict(digests) for firmware, digests in slot.sums if digests}
    found.pop("sums", None)
    return {**found, "size": slot.size, **({"sums": sums} if sums else {})}


def _part_row(part: Part) -> dict[str, str]:
    unit = UNIT_OF_KIND.get(part.kind, "")
    row = {
        "refdes": part.refdes,
        "part": part.number or "?",
        "kind": "" if part.kind == "chip" else part.kind,
        "package": part.package,
        "placed": "" if part.placed else "no",
        "row": part.row,
        "column": part.column,
        "technology": part.technology,
        "role": part.role,
        "revisions": " ".join(part.revisions),
        "value": "" if part.value is None else typed_quantity(part.value, unit).replace("Ω", ""),
        "voltage": "" if part.voltage is None else typed_quantity(part.voltage),
    }
    if part.placed:
        row |= {"x": _length(part.x), "y": _length(part.y), "rotation": str(part.rotation) if part.rotation else ""}
    for name in ("pitch", "diameter", "room_diameter", "room_height", "heat", "sink"):
        value = getattr(part, name)
        row[name] = "" if value is None else _length(value)
    for name in ("socketed", "polarised", "rare"):
        row[name] = "yes" if getattr(part, name) else ""
    return row


def _length(value: float) -> str:
    return repr(value).removesuffix(".0")


def _net_row(board: BoardDefinition, name: str, pins: Sequence[tuple[str, int]]) -> dict[str, str]:
    """A net with the pins that a folder can hold; one of a single pin, a named line, is marked as such."""
    counts = {refdes: pin_count(board.part(refdes)) for refdes, _ in pins if board.has(refdes)}
    kept = [f"{refdes}.{pin}" for refdes, pin in pins if refdes in counts and 1 <= pin <= (counts[refdes] or 999)]
    alone = {"alone": "yes"} if len(kept) == 1 else {}
    return {"net": str.__str__(name), "pins": " ".join(kept), **alone} if kept else {}


def _table(columns: Sequence[str], rows: Iterable[Mapping[str, str]]) -> str:
    """CSV with the columns that have anything in them."""
    found = list(rows)
    used = [name for name in columns if name in ("refdes", "part") or any(row.get(name) for row in found)]
    out = io.StringIO()
    writer = csv.DictWriter(out, used, lineterminator="\n", extrasaction="ignore", restval="")
    writer.writeheader()
    writer.writerows(found)
    return out.getvalue()
