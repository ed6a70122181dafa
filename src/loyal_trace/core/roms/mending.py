"""All that can be tried to get the true content of a slot from a bad read and the sums: the surest first."""

from collections.abc import Sequence
from dataclasses import dataclass

from loyal_trace.core.roms.images import KnownSum, RomImage
from loyal_trace.core.roms.restore import Cancel, restore
from loyal_trace.core.roms.undo import undo
from loyal_trace.core.roms.voting import vote


@dataclass(frozen=True)
class Mended:
    """The true content, the firmware whose sums it has, and what was done with the proof, in words."""

    data: bytes
    firmware: str
    proof: str


def mend(reads: Sequence[bytes], own: Sequence[KnownSum], cancelled: Cancel) -> Mended | None:
    """From one or more reads of a chip and the sums of its slot; None when nothing known here gives them.

    Order: a vote over the reads, a reversible change, one or two wrong bytes, a line exchanged over some stretch; each
    of the newest read, then of the vote.
    """
    sources = [reads[-1]]
    if len({len(read) for read in reads}) == 1 and len(reads) > 2:
        sources.append(vote(reads).data)
    for entry in own:
        digests = entry.by_algorithm
        for number, data in enumerate(sources):
            if entry.accepts(RomImage("", data)):
                return Mended(
                    data, entry.firmware, f"the majority of {len(reads)} reads" if number else "one of the reads"
                )
        for data in sources:
            undone = undo(data, digests, entry.size)
            if undone is not None:
                return Mended(undone.data, entry.firmware, f"{undone.words}, proved by {undone.proof}")
        for data in sources:
            found = restore(data, digests, cancelled)
            if found is not None and found.certain:
                told = ", ".join(f"{c.offset:04X} from {c.read:02X} to {c.meant:02X}" for c in found.changes)
                return Mended(found.data, entry.firmware, f"{told}, proved by {found.proof}")
            stretch = None if cancelled() else undo(data, digests, entry.size, thorough=True)
            if stretch is not None:
                return Mended(stretch.data, entry.firmware, f"{stretch.words}, proved by {stretch.proof}")
            if cancelled():
                return None
    return None
