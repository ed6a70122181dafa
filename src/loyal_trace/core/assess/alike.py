"""Odd one out and common cause: parts that should measure alike, held against each other and against a good board."""

import re
from collections.abc import Iterator, Mapping, Sequence
from itertools import groupby
from statistics import median

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.parts import outdated
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.diagnosis.evidence import Evidence, EvidenceTable
from loyal_trace.core.job.entries import Measured, reading_words
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say, term

_APART = 0.30
_POINT = re.compile(r"(.+?)(\.\d+)?")
_GROUP = 3


def groups_of(board: BoardDefinition) -> list[tuple[str, ...]]:
    """Parts that do the same: said to be twins, or listed as siblings."""
    return [group for group in board.siblings if len(group) > 1]


def odd_readings(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """A part that measures differently from two twins or more, which measure alike; or from a good board."""
    for board_id, board in moment.boards.items():
        taken = _newest(moment, board_id)
        for group in groups_of(board):
            for (pin, quantity), values in _compared(taken, group).items():
                odd = _odd(values)
                if odd is not None:
                    others = joined(
                        ", ", (f"{refdes}{pin} {reading_words(one)}" for refdes, one in values.items() if refdes != odd)
                    )
                    text = say(
                        "odd one out: {place} {quantity} {reading}, but {others}",
                        place=f"{odd}{pin}",
                        quantity=quantity,
                        reading=reading_words(values[odd]),
                        others=others,
                    )
                    yield table.line(PartRef(board_id, odd), "odd-reading", text)
            yield from _of_two(board_id, taken, group, table)
        yield from _against_good(moment, board, taken, table)


def _of_two(board_id: str, taken: "Taken", group: Sequence[str], table: EvidenceTable) -> Iterator[Evidence]:
    """Two twins that measure differently, with no third to say which is right: each is suspected alike."""
    for (pin, quantity), values in _compared(taken, group, 2).items():
        numbers = [one.value for one in values.values() if one.value is not None]
        if len(numbers) == 2 and not _near(*numbers):
            told = joined(", ", (f"{refdes}{pin} {reading_words(one)}" for refdes, one in values.items()))
            text = say("two twins differ in {quantity}: {told}", quantity=term(quantity), told=told)
            for refdes in values:
                yield table.line(PartRef(board_id, refdes), "twin-differs", text)


Taken = Mapping[tuple[str, str, str], Measured]


def _newest(moment: Moment, board_id: str) -> Taken:
    """(part, pin with its dot, quantity) → newest reading of the part as it is now."""
    found = {}
    for key, series in moment.snapshot.readings.measured.items():
        match = _POINT.fullmatch(key.point)
        if key.board != board_id or match is None or series[-1].value is None:
            continue
        if not outdated(moment, PartRef(board_id, match[1]), series[-1].time):
            found[match[1], match[2] or "", key.quantity] = series[-1]
    return found


def _compared(taken: Taken, group: Sequence[str], least: int = _GROUP) -> dict[tuple[str, str], dict[str, Measured]]:
    """(pin, quantity) → readings of at least so many of a group."""
    here = sorted(((pin, quantity), refdes) for refdes, pin, quantity in taken if refdes in group)
    found = {}
    for what, rows in groupby(here, key=lambda row: row[0]):
        names = [refdes for _, refdes in rows]
        if len(names) >= least:
            found[what] = {refdes: taken[refdes, *what] for refdes in names}
    return found


def _odd(values: Mapping[str, Measured]) -> str | None:
    """The one that is apart from the middle of the others, while those are together."""
    numbers = {refdes: reading.value for refdes, reading in values.items() if reading.value is not None}
    for refdes, value in numbers.items():
        others = [number for other, number in numbers.items() if other != refdes]
        middle = median(others)
        together = all(_near(number, middle) for number in others)
        if together and not _near(value, middle):
            return refdes
    return None


def _near(value: float, middle: float) -> bool:
    return abs(value - middle) <= _APART * max(abs(middle), abs(value), 1e-12)


def _against_good(moment: Moment, board: BoardDefinition, taken: Taken, table: EvidenceTable) -> Iterator[Evidence]:
    """Points beside the supply chain, whose limits a good board gives already."""
    chain = {point.point for point in board.chain}
    good = {key: one for key, one in moment.snapshot.readings.good_board.items() if key.board == board.id}
    for key, reading in good.items():
        match = _POINT.fullmatch(key.point)
        if match is None or key.point in chain or reading.value is None or not board.has(match[1]):
            continue
        here = taken.get((match[1], match[2] or "", key.quantity))
        if here is not None and here.value is not None and not _near(here.value, reading.value):
            text = say(
                "{point}: {reading}, but {good} on a good board",
                point=key.point,
                reading=reading_words(here),
                good=reading_words(reading),
            )
            yield table.line(PartRef(board.id, match[1]), "differs-from-good", text)


def common_causes(board: BoardDefinition, accused: Mapping[str, object]) -> list[tuple[str, ...]]:
    """Groups of alike parts of which three or more, and most, are accused at once."""
    found = []
    for group in groups_of(board):
        hit = tuple(refdes for refdes in group if refdes in accused)
        if len(hit) >= _GROUP and 3 * len(hit) >= 2 * len(group):
            found.append(hit)
    return found


def common_evidence(moment: Moment, table: EvidenceTable, accused: Mapping[PartRef, object]) -> Iterator[Evidence]:
    """Eight chips do not die together: evidence for each of them, and against what all of them share."""
    for board_id, board in moment.boards.items():
        here = {place.refdes: why for place, why in accused.items() if place.board == board_id}
        for hit in common_causes(board, here):
            text = say(
                "{count} alike parts seem faulty at once: supply, decoupling, select or the test program first",
                count=len(hit),
            )
            for refdes in hit:
                yield table.line(PartRef(board_id, refdes), "common-cause", text)
            for refdes in shared_by(board, hit):
                words = say("it is on a line that {parts} share", parts=joined(", ", hit))
                yield table.line(PartRef(board_id, refdes), "common-cause-shared", words)


def shared_by(board: BoardDefinition, parts: Sequence[str]) -> list[str]:
    """Chips on a line that all of these parts are on, the supply lines left out."""
    supplies = {rail.net for rail in board.rails} | {"GND", "VSS", "VCC", "+5V", "0V"}
    found: set[str] = set()
    for net, pins in board.nets:
        on_it = {refdes for refdes, _ in pins}
        if net not in supplies and set(parts) <= on_it:
            found |= {refdes for refdes in on_it - set(parts) if board.has(refdes) and board.part(refdes).is_chip}
    return sorted(found)
