"""One row of a board's parts.csv, each cell checked; what cannot be is told with its line."""

from loyal_trace.core.boards.model import (
    Part,
)
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import parse_quantity
from loyal_trace.formats.board_defects import DefectReader

KINDS = (
    "chip",
    "capacitor",
    "resistor",
    "network",
    "fuse",
    "bridge",
    "regulator",
    "crystal",
    "connector",
    "diode",
    "transistor",
    "inductor",
    "switch",
    "control",
    "amplifier",
    "cell",
    "relay",
    "transformer",
    "unknown",
    "via",
    "other",
)
UNIT_OF_KIND = {"capacitor": "F", "resistor": "Ω", "network": "Ω", "crystal": "Hz", "fuse": "A"}
_ABOVE_NOTHING = ("voltage", "pitch", "diameter", "room_diameter", "room_height", "heat")
_MOST = {"capacitor": 10.0, "fuse": 1000.0}


def _possible(number: float, key: str, kind: str, text: str) -> float:
    """The number, if a part can have it; RequestError for a capacitor of 0 F, a negative rating, a size of nothing."""
    valued = key == "value" and kind not in ("regulator", "chip", "")
    if (key in _ABOVE_NOTHING or valued) and number <= 0 and not (kind == "resistor" and number == 0):
        raise RequestError(say("“{text}” cannot be", text=text))
    if key == "value" and number > _MOST.get(kind, number):
        raise RequestError(say("“{text}” is too large to be", text=text))
    return number


def part_of_row(reader: DefectReader, line: int, row: dict[str, str]) -> Part:
    """The part of a row; what is wrong in it is told to the reader."""

    def number(key: str, unit: str = "") -> float | None:
        return _number(reader, line, row, key, unit)

    kind = row.get("kind") or "chip"
    if kind not in KINDS:
        reader.bad(
            "parts.csv",
            line,
            say("{row} is of unknown kind “{kind}”", row=row["refdes"], kind=kind),
            say("known: {kinds}", kinds=joined(", ", KINDS)),
        )
    flags = {key: _flag(reader, line, row, key) for key in ("socketed", "polarised", "rare", "placed")}
    rotation = int(number("rotation") or 0)
    if rotation % 90:
        reader.bad(
            "parts.csv",
            line,
            say("{row} is turned by {rotation}°", row=row["refdes"], rotation=rotation),
            "use 0, 90, 180 or 270",
        )
    return Part(
        row["refdes"],
        row["part"],
        row.get("package", ""),
        kind,
        number("x") or 0.0,
        number("y") or 0.0,
        rotation,
        flags["socketed"],
        number("value", UNIT_OF_KIND.get(kind, "")),
        number("voltage", "V"),
        flags["polarised"],
        row.get("technology", ""),
        number("pitch"),
        number("diameter"),
        number("room_diameter"),
        number("room_height"),
        row.get("role", ""),
        tuple(row.get("revisions", "").split()),
        flags["rare"],
        placed=row.get("placed", "").lower() != "no" and bool(row.get("x") or row.get("y")),
        row=row.get("row", ""),
        column=row.get("column", ""),
        heat=number("heat", "W"),
        sink=number("sink", "K/W"),
    )


def _number(reader: DefectReader, line: int, row: dict[str, str], key: str, unit: str) -> float | None:
    """A figure of a part; None for an empty cell, and for one that cannot be, which is told."""
    text = row.get(key, "")
    if not text:
        return None
    try:
        return _possible(parse_quantity(text, unit), key, row.get("kind", ""), text)
    except RequestError as error:
        reader.bad(
            "parts.csv",
            line,
            say("{row} {key}: {error}", row=row["refdes"], key=key, error=error),
            say("write a number such as 100n, 4k7 or 12.5, or leave the cell empty"),
        )
        return None


def _flag(reader: DefectReader, line: int, row: dict[str, str], key: str) -> bool:
    word = row.get(key, "").lower()
    if word not in ("", "yes", "no"):
        reader.bad(
            "parts.csv",
            line,
            say("{row} {key} is “{word}”", row=row["refdes"], key=key, word=word),
            say("write yes, no or nothing"),
        )
    return word == "yes"
