"""The ROM sockets of a board's definition, with the known checksums of each firmware."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from loyal_trace.core.boards.model import (
    Part,
    RomSlot,
)
from loyal_trace.core.roms.digests import canonical, checked_digest, digest_length, known_algorithms
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.board_defects import DefectReader, line_of


@dataclass(frozen=True)
class RomRow:
    """One `[[rom]]` of a board's definition, as it stands there."""

    refdes: str
    size: int
    device: str = ""
    number: int | None = None
    label: str = ""
    address: int | None = None
    sums: dict[str, dict[str, str]] = field(default_factory=dict)
    lane: int = 0
    lanes: int = 1


def read_roms(
    reader: DefectReader, rows: tuple[RomRow, ...], text: str, parts: Mapping[str, tuple[int, Part]]
) -> tuple[RomSlot, ...]:
    """The sockets of the rows; what is wrong in one is told to the reader with its line."""
    slots: list[RomSlot] = []
    for index, row in enumerate(rows):
        line, refdes, size = line_of(text, "rom", index), row.refdes, row.size
        if refdes not in parts:
            what = say("[[rom]] names part {refdes}, which parts.csv does not list", refdes=refdes or "(none)")
            reader.bad("board.toml", line, what, say("add it"))
        if any(slot.refdes == refdes for slot in slots):
            reader.bad("board.toml", line, say("ROM slot {refdes} is listed twice", refdes=refdes), say("remove one"))
        if size < 0 or size & (size - 1):  # 0: not known
            reader.bad(
                "board.toml",
                line,
                say("ROM slot {refdes} has size {size}", refdes=refdes, size=size),
                say("give a power of two in bytes"),
            )
            size = 1
        if row.lanes not in (1, 2, 4) or not 0 <= row.lane < row.lanes:
            what = say(
                "ROM slot {refdes} is byte lane {lane} of {lanes}", refdes=refdes, lane=row.lane, lanes=row.lanes
            )
            reader.bad("board.toml", line, what, say("`lanes` is 1, 2 or 4, and `lane` counts from 0"))
        sums = tuple(
            (firmware, tuple(sorted(_slot_sums(reader, line, refdes, digests))))
            for firmware, digests in row.sums.items()
        )
        told = (row.device, size, row.number, row.label, row.address, sums, row.lane, row.lanes)
        slots.append(RomSlot(refdes, *told))
    return tuple(slots)


def _slot_sums(reader: DefectReader, line: int, refdes: str, digests: Mapping[str, str]) -> list[tuple[str, str]]:
    good = []
    for written, value in digests.items():
        algorithm = canonical(written)
        if algorithm is None:
            what = say("ROM slot {refdes}: unknown checksum “{written}”", refdes=refdes, written=written)
            reader.bad("board.toml", line, what, say("known: {known_algorithms}", known_algorithms=known_algorithms()))
            continue
        checked = checked_digest(str(value), algorithm, filled=False)
        if checked is None:
            what = say(
                "ROM slot {refdes}: {algorithm} is not {digest_length} hex digits",
                refdes=refdes,
                algorithm=algorithm,
                digest_length=digest_length(algorithm),
            )
            reader.bad("board.toml", line, what, say("copy it again"))
        else:
            good.append((algorithm, checked))
    return good
