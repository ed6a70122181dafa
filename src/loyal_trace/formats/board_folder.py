"""Reads a board definition: a folder (or zip) with `board.toml`, `parts.csv` and `nets.csv`. See docs/formats.md.

Every defect is collected, with file, line and remedy; a board with defects is refused as a whole.
"""

import csv
import io
import math
import re
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any

from loyal_trace.core.boards.cells import Chemistry
from loyal_trace.core.boards.model import (
    Block,
    BoardDefinition,
    CheckItem,
    FunctionPath,
    GoodReading,
    KeepOut,
    KnownFault,
    OwnPin,
    Part,
    RevisionMark,
    Screen,
    SelfTestCode,
    ServiceItem,
    StepMinutes,
)
from loyal_trace.core.boards.supplies import Cell, ChainPoint, Clock, Lamp, Rail, Reset, Supply
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.vocabulary.errors import BoardDefects, UserFileError
from loyal_trace.core.vocabulary.identity import BoardPin
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.formats.board_checks import check_chain, check_marks, check_references
from loyal_trace.formats.board_defects import DefectReader, line_of
from loyal_trace.formats.board_parts import part_of_row
from loyal_trace.formats.board_roms import RomRow, read_roms
from loyal_trace.formats.checksum_lists import decode_text
from loyal_trace.formats.rom_files import read_file
from loyal_trace.formats.safe_zip import zip_files

FILES = ("board.toml", "parts.csv", "nets.csv")
_TABLES: dict[str, type] = {
    "rail": Rail,
    "chain": ChainPoint,
    "supply": Supply,
    "clock": Clock,
    "screen": Screen,
    "lamp": Lamp,
    "cell": Cell,
    "reset": Reset,
    "mark": RevisionMark,
    "block": Block,
    "check": CheckItem,
    "self_test": SelfTestCode,
    "keep_out": KeepOut,
    "service": ServiceItem,
    "function": FunctionPath,
    "pin": OwnPin,
    "good": GoodReading,
    "fault": KnownFault,
    "minutes": StepMinutes,
}


@dataclass(frozen=True)
class _SymptomRow:
    text: str
    block: str = ""


@dataclass(frozen=True)
class _SiblingsRow:
    parts: tuple[str, ...]


@dataclass(frozen=True)
class _MateRow:
    here: str
    there: str


_ROWS: dict[str, type] = {"symptom": _SymptomRow, "siblings": _SiblingsRow, "mate": _MateRow, "rom": RomRow}
_BOARD_KEYS = {
    "id": str,
    "name": str,
    "revision": str,
    "maker": str,
    "year": int,
    "width": float,
    "height": float,
    "columns": list,
    "rows": list,
    "firmwares": list,
    "revision_marks": list,
    "cautions": list,
    "revisions": list,
    "format": int,
}
_LARGEST_BOARD = 2000.0
_PIN = re.compile(r"([A-Za-z0-9_/+-]+)\.([0-9]{1,6})")


def load_board(path: Path, library: ChipLibrary) -> BoardDefinition:
    """The board in a folder or zip. BoardDefects lists all that is wrong; UserFileError when it cannot be read."""
    return parse_board(board_files(path), str(path), library)


def board_files(path: Path) -> dict[str, bytes]:
    """The board's own files, by name, from a folder or a zip (with or without one enclosing folder)."""
    if path.is_dir():
        return {name: read_file(path / name) for name in FILES if (path / name).exists()}
    if path.suffix.lower() == ".zip" and path.exists():
        return {PurePosixPath(n).name: data for n, data in zip_files(path) if PurePosixPath(n).name in FILES}
    raise UserFileError(
        str(path),
        say("is neither a board folder nor a zip"),
        say("a board folder holds {files}", files=joined(", ", FILES)),
    )


def parse_board(files: Mapping[str, bytes], place: str, library: ChipLibrary) -> BoardDefinition:
    """A board from the bytes of its files; BoardDefects with every defect at once when there are any."""
    reader = DefectReader(place, library)
    for name in FILES[:2]:
        if name not in files:
            reader.bad(
                name, 0, say("the file is missing"), say("every board folder has one (nets.csv may be left out)")
            )
    table, text = _read_toml(reader, files.get("board.toml", b""))
    head = _read_head(reader, table, text)
    parts = _read_parts(reader, files.get("parts.csv", b""), head.get("revisions", ()))
    nets = _read_nets(reader, files["nets.csv"], parts) if "nets.csv" in files else ()
    _former_keys(table)
    tables = {name: _read_table(reader, table, text, name, cls) for name, cls in (*_TABLES.items(), *_ROWS.items())}
    slots = read_roms(reader, tables["rom"], text, parts)
    check_references(reader, text, table, parts, dict(nets))
    if reader.defects:
        raise BoardDefects(place, tuple(reader.defects))
    board = BoardDefinition(
        **{k: v for k, v in head.items() if k != "format"},
        parts=tuple(part for _, part in parts.values() if part.kind != "via"),
        vias=tuple(part for _, part in parts.values() if part.kind == "via"),
        nets=nets,
        rails=tables["rail"],
        chain=tables["chain"],
        supplies=tables["supply"],
        clocks=tables["clock"],
        screens=tables["screen"],
        lamps=tables["lamp"],
        cells=tables["cell"],
        resets=tables["reset"],
        marks=tables["mark"],
        rom_slots=slots,
        blocks=tables["block"],
        checklist=tables["check"],
        self_tests=tables["self_test"],
        keep_outs=tables["keep_out"],
        service=tables["service"],
        functions=tables["function"],
        own_pins=tables["pin"],
        good=tables["good"],
        faults=tables["fault"],
        minutes=tables["minutes"],
        symptoms=tuple((row.text, row.block) for row in tables["symptom"]),
        siblings=tuple(row.parts for row in tables["siblings"]),
        mates=tuple((row.here, row.there) for row in tables["mate"]),
    )
    check_chain(reader, text, board)
    check_marks(reader, text, board)
    if reader.defects:
        raise BoardDefects(place, tuple(reader.defects))
    return board


def _read_toml(reader: DefectReader, data: bytes) -> tuple[dict[str, Any], str]:
    try:
        text = decode_text(data, "board.toml")
        return tomllib.loads(text.replace("\r\n", "\n")), text
    except (ValueError, RecursionError) as error:
        found = re.search(r"line (\d+)", str(error))
        reader.bad(
            "board.toml",
            int(found[1]) if found else 0,
            say("is not readable TOML ({error})", error=error),
            say("correct that line"),
        )
    except UserFileError as error:
        reader.bad("board.toml", 0, error.what, say("save it as UTF-8 text"))
    return {}, ""


def _read_head(reader: DefectReader, table: dict[str, Any], text: str) -> dict[str, Any]:
    board = table.get("board", {})
    if not isinstance(board, dict) or not board:
        if table or not reader.defects:
            reader.bad("board.toml", 1, say("has no [board] table"), say("add [board] with id and name"))
        return {"id": "?", "name": "?"}
    head = {}
    for key, value in board.items():
        line = line_of(text, "board", 0, key)
        wrong = _wrong_in_head(key, value)
        if wrong:
            reader.bad("board.toml", line, *wrong)
        else:
            head[key] = tuple(str(v) for v in value) if isinstance(value, list) else _BOARD_KEYS[key](value)
    for key in ("id", "name"):
        if not head.get(key):
            reader.bad(
                "board.toml",
                line_of(text, "board", 0),
                say("[board] has no {key}", key=key),
                say('add {key} = "…"', key=key),
            )
    known = {*_TABLES, *_ROWS, "board"}
    for key in sorted(set(table) - known, key=list(table).index):
        remedy = say("known: {known}", known=joined(", ", sorted(known)))
        reader.bad("board.toml", line_of(text, key, 0), say("unknown table “{key}”", key=key), remedy)
    return head


def _wrong_in_head(key: str, value: Any) -> tuple[str, str] | None:
    """What is wrong with a key of [board], and the remedy; None when it can be taken."""
    wanted = _BOARD_KEYS.get(key)
    if wanted is None:
        return say("unknown key “{key}” in [board]", key=key), say(
            "known: {board_keys}", board_keys=joined(", ", _BOARD_KEYS)
        )
    # A TOML boolean is an int to Python, and an int is a good length.
    is_number = isinstance(value, int | float)
    if isinstance(value, bool) or not (is_number if wanted is float else isinstance(value, wanted)):
        return say("“{key}” should be a {wanted}", key=key, wanted=wanted.__name__), say("correct the value")
    if wanted is float and not 0 < float(value) < _LARGEST_BOARD:
        return say("“{key}” is {value:g} mm", key=key, value=value), say(
            "give millimetres up to {largest_board:g}", largest_board=_LARGEST_BOARD
        )
    return None


def _csv_rows(
    reader: DefectReader, data: bytes, file: str, needed: tuple[str, ...]
) -> list[tuple[int, dict[str, str]]]:
    try:
        text = decode_text(data, file)
        rows = csv.DictReader(io.StringIO(text, newline=""))
        names = [n.strip() for n in rows.fieldnames or ()]
        missing = [n for n in needed if n not in names]
        if missing:
            reader.bad(
                file,
                1,
                say("has no column {missing}", missing=joined(", ", missing)),
                say("the first line names the columns: {needed}", needed=needed),
            )
            return []
        return [
            (rows.line_num, {(k or "").strip(): (v or "").strip() for k, v in row.items() if not isinstance(v, list)})
            for row in rows
            if any(row.values())
        ]
    except (csv.Error, UserFileError) as error:
        reader.bad(
            file, 0, say("is not readable CSV ({error})", error=error), say("save it as comma separated UTF-8 text")
        )
        return []


def _read_parts(reader: DefectReader, data: bytes, revisions: tuple[str, ...]) -> dict[str, tuple[int, Part]]:
    parts: dict[str, tuple[int, Part]] = {}
    for line, row in _csv_rows(reader, data, "parts.csv", ("refdes", "part")) if data else ():
        refdes = row["refdes"]
        if not re.fullmatch(r"[A-Za-z0-9_/+-]+", refdes):
            reader.bad(
                "parts.csv",
                line,
                say("“{refdes}” is not a reference designator", refdes=refdes),
                say("use letters, digits, _ + - /"),
            )
        elif refdes in parts:
            reader.bad(
                "parts.csv",
                line,
                say("{refdes} is listed twice (first on line {parts})", refdes=refdes, parts=parts[refdes][0]),
                say("remove one"),
            )
        else:
            parts[refdes] = (line, part_of_row(reader, line, row))
    for line, part in parts.values():
        for revision in part.revisions:
            if revision not in revisions:
                what = say(
                    "{refdes} is for revision {revision}, which [board] revisions does not list",
                    refdes=part.refdes,
                    revision=revision,
                )
                reader.bad("parts.csv", line, what, say("add the revision or correct it"))
    if data and not parts and not reader.defects:
        reader.bad("parts.csv", 1, say("lists no parts"), say("add one line a part"))
    return parts


def _pin_count(reader: DefectReader, part: Part) -> int | None:
    found = re.search(r"(?<!\d)([0-9]{1,4})$", part.package)
    if found:
        return int(found[1])
    return len(reader.library.find(part.number).pins) if reader.library.knows(part.number) else None


def _read_nets(
    reader: DefectReader, data: bytes, parts: Mapping[str, tuple[int, Part]]
) -> tuple[tuple[str, tuple[BoardPin, ...]], ...]:
    nets: dict[str, tuple[BoardPin, ...]] = {}
    owner: dict[tuple[str, int], str] = {}
    for line, row in _csv_rows(reader, data, "nets.csv", ("net", "pins")):
        name = row["net"]
        if not name or name in nets:
            what = say("net {name} is listed twice", name=name) if name else say("a net has no name")
            reader.bad("nets.csv", line, what, say("give every net one line and its own name"))
            continue
        pins = [pin for text in row["pins"].split() if (pin := _pin_ref(reader, line, name, text, parts)) is not None]
        for pin in pins:
            if pin in owner:
                where = say("net {owner}", owner=owner[pin]) if owner[pin] != name else say("the same net")
                reader.bad(
                    "nets.csv",
                    line,
                    say(
                        "pin {pin}.{pin2} of net {name} is already on {where}",
                        pin=pin[0],
                        pin2=pin[1],
                        name=name,
                        where=where,
                    ),
                    say("remove one"),
                )
            owner.setdefault(pin, name)
        if len(row["pins"].split()) < (1 if row.get("alone") == "yes" else 2):
            reader.bad(
                "nets.csv",
                line,
                say("net {name} is dangling: it joins fewer than two pins", name=name),
                say("add pins or remove it"),
            )
        nets[name] = tuple(pins)
    return tuple(nets.items())


def _pin_ref(
    reader: DefectReader, line: int, net: str, text: str, parts: Mapping[str, tuple[int, Part]]
) -> BoardPin | None:
    match = _PIN.fullmatch(text)
    if not match:
        reader.bad(
            "nets.csv",
            line,
            say("“{text}” on net {net} is not a pin", text=text, net=net),
            say("write REFDES.PIN, for instance 6A.24"),
        )
        return None
    refdes, pin = match[1], int(match[2])
    if refdes not in parts:
        reader.bad(
            "nets.csv",
            line,
            say("net {net} names part {refdes}, which parts.csv does not list", net=net, refdes=refdes),
            say("add it or correct"),
        )
        return None
    count = _pin_count(reader, parts[refdes][1])
    if count is not None and not 1 <= pin <= count:
        reader.bad(
            "nets.csv",
            line,
            say(
                "{refdes} has {count} pins; net {net} asks for pin {pin}", refdes=refdes, count=count, net=net, pin=pin
            ),
            say("correct the pin number"),
        )
        return None
    return BoardPin(refdes, pin)


def _former_keys(table: dict[str, Any]) -> None:
    """Brings keys of older board folders to those of today: `primary_lithium` of a cell is its chemistry now."""
    cells = table.get("cell")
    for cell in cells if isinstance(cells, list) else ():
        if isinstance(cell, dict) and "primary_lithium" in cell:
            primary = cell.pop("primary_lithium")
            cell.setdefault("chemistry", Chemistry.LITHIUM.value if primary is True else "")


def _read_table(reader: DefectReader, table: dict[str, Any], text: str, name: str, cls: type) -> tuple[Any, ...]:
    """The items of one `[[table]]` as objects of `cls`; types and names of keys are checked."""
    from pydantic import TypeAdapter, ValidationError

    adapter: TypeAdapter[Any] = TypeAdapter(cls)
    items = table.get(name, [])
    if not isinstance(items, list):
        reader.bad(
            "board.toml",
            line_of(text, name, 0),
            say("“{name}” is written [{name}]", name=name),
            say("write [[{name}]]", name=name),
        )
        return ()
    found = []
    for index, item in enumerate(items):
        if not isinstance(item, dict):
            reader.bad(
                "board.toml",
                line_of(text, name, 0),
                say("“{name}” holds {item!r}", name=name, item=item),
                say("write [[{name}]] tables", name=name),
            )
            continue
        unknown = [key for key in item if key not in cls.__dataclass_fields__]  # type: ignore[attr-defined]
        for key in unknown:
            line = line_of(text, name, index, key)
            known = joined(", ", cls.__dataclass_fields__)  # type: ignore[attr-defined]
            reader.bad(
                "board.toml",
                line,
                say("unknown key “{key}” in [[{name}]]", key=key, name=name),
                say("known: {known}", known=known),
            )
        try:
            row = adapter.validate_python(item)
            for key in [k for k, v in vars(row).items() if isinstance(v, float) and not math.isfinite(v)]:
                line = line_of(text, name, index, key)
                reader.bad(
                    "board.toml",
                    line,
                    say("[[{name}]] {key} is not a number", name=name, key=key),
                    say("write a number"),
                )
            found.append(row)
        except ValidationError as error:
            for problem in error.errors():
                key = str(problem["loc"][0]) if problem["loc"] else ""
                line = line_of(text, name, index, key) or line_of(text, name, index)
                reader.bad(
                    "board.toml",
                    line,
                    say("[[{name}]] {key}: {problem}", name=name, key=key, problem=problem["msg"]),
                    say("correct the value"),
                )
    return tuple(found)
