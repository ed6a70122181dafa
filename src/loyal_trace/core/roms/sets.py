"""A set of ROMs as a whole: are its slots of one firmware revision, and if not, which slot is of which?"""

from collections.abc import Mapping
from dataclasses import dataclass

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.roms.images import KnownChecksum
from loyal_trace.core.vocabulary.identity import in_order
from loyal_trace.core.vocabulary.phrases import joined, say


def board_sums(board: BoardDefinition) -> tuple[KnownChecksum, ...]:
    """The known sums of a board's slots, each under its refdes and place."""
    return tuple(
        KnownChecksum(slot.refdes, digests, slot.size or None, firmware, slot.refdes, board.id)
        for slot in board.rom_slots
        for firmware, digests in slot.sums
    )


@dataclass(frozen=True)
class RevisionMix:
    """Slots by the one firmware whose sums they have; those that are the same in several tell nothing."""

    by_firmware: Mapping[str, tuple[str, ...]]

    @property
    def mixed(self) -> bool:
        return len(self.by_firmware) > 1

    @property
    def words(self) -> str:
        """One sentence: which slots are of which revision, and that no chip is bad for it."""
        told = joined(
            "; ",
            (
                say("{slots} of {firmware}", slots=joined(", ", slots), firmware=firmware)
                for firmware, slots in self.by_firmware.items()
            ),
        )
        if self.mixed:
            return say(
                "firmware revisions are mixed ({told}): the chips can be good, but the set has to be of one revision",
                told=told,
            )
        return (
            say(
                "every slot that differs between revisions has firmware {rpartition}",
                rpartition=told.rpartition(" of ")[2],
            )
            if told
            else say("no slot that differs between revisions was read")
        )


def revision_mix(matches: Mapping[str, tuple[KnownChecksum, ...]]) -> RevisionMix:
    """From slot → the entries whose sums its image has."""
    found: dict[str, list[str]] = {}
    for slot, entries in matches.items():
        firmwares = {entry.firmware for entry in entries if entry.firmware}
        if len(firmwares) == 1:
            found.setdefault(firmwares.pop(), []).append(slot)
    return RevisionMix({firmware: tuple(in_order(slots)) for firmware, slots in sorted(found.items())})
