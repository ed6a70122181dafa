"""The ROM sockets of a board as one table: what a start-up number, a label or an address means, and which revisions
differ where.

Slots of a wider bus name their byte lane: `lane` 0 of `lanes` 2 holds the bytes at even addresses of a 16-bit bus.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from loyal_trace.core.boards.model import BoardDefinition, RomSlot, SelfTestCode
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say

_LANE_WORDS = {(0, 2): say("even bytes"), (1, 2): say("odd bytes")}


@dataclass(frozen=True)
class SlotLine:
    """One line of the table; `changes` are the firmware revisions that do not share this slot's content."""

    slot: RomSlot
    number: str
    addresses: str
    lane: str
    changes: str


def address_range(slot: RomSlot) -> str:
    """`4000–5FFF`; a byte lane spans as many addresses as all its lanes together. Empty when the board does not say."""
    if slot.address is None:
        return ""
    return say("{address:04X}–{address2:04X}", address=slot.address, address2=slot.address + slot.size * slot.lanes - 1)


def lane_words(slot: RomSlot) -> str:
    """`odd bytes`, `lane 2 of 4`, or empty on an 8-bit bus."""
    if slot.lanes == 1:
        return ""
    return _LANE_WORDS.get(
        (slot.lane, slot.lanes), say("byte lane {lane} of {lanes}", lane=slot.lane, lanes=slot.lanes)
    )


def revision_words(slot: RomSlot) -> str:
    """Is the content the same in every firmware revision known, or which of them are alike?"""
    by_content: dict[tuple[tuple[str, str], ...], list[str]] = {}
    for firmware, digests in slot.sums:
        by_content.setdefault(digests, []).append(firmware)
    groups = [joined("=", names) for names in by_content.values() if any(names)]
    if len(groups) < 2:
        return (
            say("same in {firmwares}", firmwares=joined(", ", slot.firmwares))
            if len(slot.firmwares) > 1
            else joined(", ", slot.firmwares)
        )
    return say("differs: {groups}", groups=joined(" | ", groups))


def slot_table(board: BoardDefinition) -> tuple[SlotLine, ...]:
    """All slots, by start-up number, then address, then place."""
    ordered = sorted(
        board.rom_slots,
        key=lambda s: (s.number is None, s.number or 0, s.address is None, s.address or 0, s.lane, s.refdes),
    )
    return tuple(
        SlotLine(s, "" if s.number is None else str(s.number), address_range(s), lane_words(s), revision_words(s))
        for s in ordered
    )


def find_slot(board: BoardDefinition, text: str) -> RomSlot:
    """The slot meant by a start-up number (`3`, `ROM 3`), a place (`6D`), a label (`TW-3`) or a CPU address (`0x6100`).

    RequestError when none is meant, or when an address is served by several byte lanes.
    """
    said = text.strip().upper().removeprefix("ROM").strip() or text.strip().upper()
    found = [s for s in board.rom_slots if said in (s.refdes.upper(), s.label.upper())]
    found = found or [s for s in board.rom_slots if said.isdecimal() and s.number == int(said)]
    if not found and said.startswith("0X"):
        found = list(_at_address(board, said))
    if len(found) == 1:
        return found[0]
    if found:
        places = joined(", ", (s.refdes for s in found))
        raise RequestError(
            say(
                "“{text}” means {count} slots of {title}: {places}",
                text=text,
                count=len(found),
                title=board.title,
                places=places,
            )
        )
    raise RequestError(say("{title} has no ROM called “{text}”", title=board.title, text=text))


def _at_address(board: BoardDefinition, said: str) -> Iterator[RomSlot]:
    try:
        address = int(said, 16)
    except ValueError:
        return
    for slot in board.rom_slots:
        offset = -1 if slot.address is None else address - slot.address
        if 0 <= offset < slot.size * slot.lanes and offset % slot.lanes == slot.lane:
            yield slot


def expected_complaint(code: SelfTestCode, slot: RomSlot, firmware: str) -> str:
    """Why a self-test that knows one firmware only must complain of a slot that is right; empty when it need not.

    True when the set is of another firmware than the test knows, and the slot's content differs between the two.
    """
    if not code.firmware or not firmware or code.firmware == firmware:
        return ""
    if slot.expected(code.firmware) == slot.expected(firmware):
        return ""
    return say(
        "this test knows only firmware {firmware}; the set is firmware {firmware2}, in which {refdes} "
        "differs: its complaint is expected",
        firmware=code.firmware,
        firmware2=firmware,
        refdes=slot.refdes,
    )
