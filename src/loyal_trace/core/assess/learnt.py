"""A board as the next job of its kind should find it: what was entered, and what this repair taught; nobody's data.

The owner, serial numbers, complaint, prices and names stay in the job. Readings and checks are kept as good ones only
when everything on the checklist was passed.
"""

from collections.abc import Iterator
from dataclasses import replace

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.paths import paths_of, states_now
from loyal_trace.core.assess.proof import SYMPTOM_GONE, proof_of
from loyal_trace.core.boards.model import (
    BoardDefinition,
    CheckItem,
    FunctionPath,
    GoodReading,
    KnownFault,
    OwnPin,
    Part,
    RomSlot,
    StepMinutes,
)
from loyal_trace.core.job.entries import KEEPS_PART, Fitted
from loyal_trace.core.roms.digests import digest
from loyal_trace.core.vocabulary.phrases import plain

_KEPT = ("voltage", "ac voltage", "frequency", "ripple", "resistance", "resistance to ground", "diode")
_PROVED_BY = ("crc32", "sha1")


def learnt_board(moment: Moment, board_id: str, new_id: str, name: str) -> BoardDefinition:
    """The definition to save: the board of this job with its facts folded in, under its own id and name."""
    board = moment.boards[board_id]
    paths = paths_of(moment, board_id)
    return replace(
        board,
        id=new_id,
        name=plain(name),
        parts=tuple(_kept_part(part) for part in board.parts),
        rom_slots=tuple(_proved(moment, board, slot) for slot in board.rom_slots),
        functions=tuple(FunctionPath(f, tuple(place.refdes for place in path)) for f, path in paths.items()),
        own_pins=(*board.own_pins, *_pins(moment, board)),
        checklist=(*board.checklist, *_checks(moment, board)),
        symptoms=(*board.symptoms, *_symptoms(moment, board)),
        good=_good(moment, board),
        faults=_faults(moment, board),
        minutes=_minutes(moment, board),
        cautions=tuple(map(plain, board.cautions)),
        self_tests=tuple(replace(test, meaning=plain(test.meaning)) for test in board.self_tests),
        service=tuple(replace(item, why=plain(item.why)) for item in board.service),
        chain=tuple(replace(point, note=plain(point.note)) for point in board.chain),
    )


def _kept_part(part: Part) -> Part:
    return replace(part, number=plain(part.number), role=plain(part.role))


def _proved(moment: Moment, board: BoardDefinition, slot: RomSlot) -> RomSlot:
    """A socket with the checksums of its reference images, where it has none of its own."""
    sums = dict(slot.sums)
    for key, image in moment.snapshot.roms.images.items():
        if (key.board, key.refdes) == (board.id, slot.refdes) and not sums.get(key.firmware):
            data = moment.blobs(image.attachment)
            sums[key.firmware] = tuple((name, digest(data, name)) for name in _PROVED_BY)
    return replace(slot, sums=tuple(sums.items()))


def _pins(moment: Moment, board: BoardDefinition) -> Iterator[OwnPin]:
    known = {(own.part, own.pin) for own in board.own_pins}
    for place, told in moment.snapshot.facts.pins.items():
        newest = {entry.pin: entry for entry in told if place.board == board.id}
        for number, entry in sorted(newest.items()):
            if (place.refdes, number) not in known:
                yield OwnPin(place.refdes, number, entry.name, entry.direction)


def _checks(moment: Moment, board: BoardDefinition) -> Iterator[CheckItem]:
    """Checks that were said, and the functions; a symptom is listed as one."""
    known = {check.name for check in board.checklist}
    said = [key.item for key in moment.snapshot.proving.tests if key.board == board.id]
    for item in dict.fromkeys((*said, *states_now(moment, board.id))):
        if item not in known and not item.startswith(plain(SYMPTOM_GONE)):
            yield CheckItem(plain(item))


def _symptoms(moment: Moment, board: BoardDefinition) -> Iterator[tuple[str, str]]:
    known = {text for text, _ in board.symptoms}
    for key in moment.snapshot.proving.symptoms:
        if key.board == board.id and key.text not in known:
            yield key.text, ""


def works_as_proved(moment: Moment) -> bool:
    """Is everything on the checklist passed, and is there anything on it?"""
    items = proof_of(moment).items
    return any(item.status == "passed" for item in items) and all(item.status == "passed" for item in items)


def _good(moment: Moment, board: BoardDefinition) -> tuple[GoodReading, ...]:
    """What the board measured last at each point, once it works; what a good board beside it measured counts always."""
    found = {(one.point, one.quantity): one for one in board.good}
    readings = moment.snapshot.readings
    if works_as_proved(moment):
        for key, taken in readings.measured.items():
            if key.board == board.id and key.quantity in _KEPT:
                found[key.point, key.quantity] = GoodReading(key.point, key.quantity, taken[-1].value)
    for key, reading in readings.good_board.items():
        if key.board == board.id:
            found[key.point, key.quantity] = GoodReading(key.point, key.quantity, reading.value)
    return tuple(one for one in found.values() if one.value is not None)


def _faults(moment: Moment, board: BoardDefinition) -> tuple[KnownFault, ...]:
    """The parts that were replaced in this job, each counted once more than before."""
    counts = {fault.part: fault.count for fault in board.faults}
    replaced = {
        entry.place
        for entry in moment.snapshot.parts.changes
        if isinstance(entry, Fitted) and entry.board == board.id and entry.origin not in KEEPS_PART
    }
    service = {item.refdes for item in board.service}
    for refdes in sorted(replaced - service):
        counts[refdes] = counts.get(refdes, 0) + 1
    return tuple(KnownFault(part, count) for part, count in counts.items())


def _minutes(moment: Moment, board: BoardDefinition) -> tuple[StepMinutes, ...]:
    """The mean time of each kind of step, with what was learnt before."""
    sums = {one.step: (one.minutes * one.count, one.count) for one in board.minutes}
    for key, done in moment.snapshot.parts.steps.items():
        of_board, kind = key.partition("/")[0], key.rpartition("/")[2].split("-")[0]
        if of_board == board.id and not done.skipped and done.minutes > 0:
            total, count = sums.get(kind, (0.0, 0))
            sums[kind] = (total + done.minutes, count + 1)
    return tuple(StepMinutes(kind, round(total / count, 1), count) for kind, (total, count) in sums.items())
