"""The spare parts drawer: a CSV with one line an item, and sizes so that substitutes can be judged."""

import csv
import io

from loyal_trace.core.parts.capacitors import StockItem
from loyal_trace.core.vocabulary.errors import RequestError, UserFileError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import parse_quantity
from loyal_trace.formats.checksum_lists import decode_text

_STATES = ("unknown", "proven", "bad")


def parse_drawer(data: bytes, name: str = "drawer.csv") -> tuple[StockItem, ...]:
    """Reads `number,kind,count,value,voltage,technology,diameter,height,pitch,place,state`; only number is needed."""
    rows = csv.DictReader(io.StringIO(decode_text(data, name), newline=""))
    if "number" not in (rows.fieldnames or ()):
        raise UserFileError(
            say("{name}, line 1", name=name), say("has no column “number”"), say("name the columns in the first line")
        )
    return tuple(
        _item(row, say("{name}, line {line_num}", name=name, line_num=rows.line_num))
        for row in rows
        if row.get("number")
    )


def _item(row: dict[str, str], where: str) -> StockItem:
    def number(key: str, unit: str = "") -> float | None:
        text = (row.get(key) or "").strip()
        try:
            return parse_quantity(text, unit) if text else None
        except RequestError as error:
            raise UserFileError(where, str(error)) from None

    state = (row.get("state") or "unknown").strip()
    if state not in _STATES:
        raise UserFileError(
            where, say("state “{state}” is not one of {states}", state=state, states=joined(", ", _STATES))
        )
    return StockItem(
        row["number"].strip(),
        (row.get("kind") or "chip").strip(),
        int(number("count") or 0),
        number("value", "F"),
        number("voltage", "V"),
        (row.get("technology") or "").strip(),
        number("diameter"),
        number("height"),
        number("pitch"),
        (row.get("place") or "").strip(),
        state,
    )
