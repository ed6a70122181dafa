"""Meter readings from a CSV file: columns `point`, `quantity`, `value`, one reading a line."""

import io
from dataclasses import dataclass
from pathlib import Path

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.supplies import ChainPoint
from loyal_trace.core.vocabulary.errors import RequestError, UserFileError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.units import parse_reading
from loyal_trace.formats.checksum_lists import decode_text, delimiter_of
from loyal_trace.formats.csv_rows import numbered_rows
from loyal_trace.formats.rom_files import read_file

_COLUMNS = ("point", "quantity", "value")


@dataclass(frozen=True)
class Reading:
    """One line: the chain point it is of, and its value in SI units (infinity for OL)."""

    point: ChainPoint
    value: float


def read_readings(path: Path, board: BoardDefinition) -> tuple[Reading, ...]:
    """The readings of a file, in order; a later one of the same point counts. UserFileError with the line otherwise."""
    name = str(path)
    text = decode_text(read_file(path), name)
    if not text.strip():
        raise UserFileError(
            name, say("the file is empty"), say("write a line point,quantity,value and the readings below it")
        )
    first = text.splitlines()[0]
    rows = numbered_rows(io.StringIO(text, newline=""), delimiter_of(first), name)
    head = [cell.strip().lower() for cell in next(rows)[1]]
    if any(column not in head for column in _COLUMNS):
        raise UserFileError(
            say("{name}, line 1", name=name),
            say("lacks a column point, quantity or value"),
            say("name them in the first line"),
        )
    at = [head.index(column) for column in _COLUMNS]
    found = []
    for number, cells in rows:
        where = say("{name}, line {line_num}", name=name, line_num=number)
        if not any(cell.strip() for cell in cells):
            continue
        if len(cells) <= max(at):
            raise UserFileError(
                where, say("has fewer cells than the first line"), say("write point, quantity and value")
            )
        found.append(_reading(board, where, *(cells[i].strip() for i in at)))
    if not found:
        raise UserFileError(name, say("holds no readings"), say("write one a line"))
    return tuple(found)


def _reading(board: BoardDefinition, where: str, point: str, quantity: str, value: str) -> Reading:
    here = [p for p in board.chain if p.point.lower() == point.lower()]
    if not here:
        known = joined(", ", dict.fromkeys(p.point for p in board.chain)) or "none"
        raise UserFileError(
            where, say("the board has no chain point “{point}”", point=point), say("known: {known}", known=known)
        )
    wanted = next((p for p in here if p.quantity == quantity.lower()), None)
    if wanted is None:
        known = joined(", ", (p.quantity for p in here))
        raise UserFileError(
            where,
            say("“{quantity}” is not measured at {point}", quantity=quantity, point=here[0].point),
            say("known there: {known}", known=known),
        )
    try:
        number = parse_reading(value, Quantity(wanted.quantity).unit)
    except RequestError as error:
        raise UserFileError(where, str(error), say("write 4.62, 4.62 V, 12m or OL")) from None
    return Reading(wanted, number)
