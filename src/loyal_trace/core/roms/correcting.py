"""All that can be tried to get the true content of a slot from bad reads and the sums: the surest first."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from loyal_trace.core.roms.candidates import UNWATCHED, Watch
from loyal_trace.core.roms.consensus import combined, consensus
from loyal_trace.core.roms.digests import HASHES
from loyal_trace.core.roms.images import KnownChecksum, RomImage
from loyal_trace.core.roms.restore import MOST_DEEP, MOST_PAIRS, MOST_SEARCHED, Restored, restore
from loyal_trace.core.roms.undo import undo
from loyal_trace.core.vocabulary.phrases import joined, say


@dataclass(frozen=True)
class Correction:
    """The true content, the firmware whose sums it has, what was done in words, and the sums that prove it.

    `changes` are offset, was (in the read) and now (restored) for bytes, or the kind and lines of a change that was
    undone. `solutions` above one: as many other contents have these sums too, and this is only the first of them.
    """

    data: bytes
    firmware: str
    words: str
    proved_by: str
    changes: tuple[Mapping[str, object], ...] = field(default=(), compare=False, hash=False)
    solutions: int = 1

    @property
    def proof(self) -> str:
        """What was done and by which sums it is proved, in one line."""
        return say("{words}, proved by {proved_by}", words=self.words, proved_by=self.proved_by)

    @property
    def certain(self) -> bool:
        return self.solutions == 1


def correct(reads: Sequence[bytes], own: Sequence[KnownChecksum], watch: Watch = UNWATCHED) -> Correction | None:
    """From one or more reads of a chip and the sums of its slot; None when nothing known here gives them.

    Order: the reads as they are and together, one wrong byte, a reversible change, two wrong bytes, a line exchanged
    over some stretch, a line stuck over one, one wrong bit in each of three bytes. When several contents have the sums,
    the first is returned with their number.
    """
    doubtful: Correction | None = None
    for entry in own:
        for found in _ways(reads, entry, watch):
            if found is not None and found.certain:
                return found
            doubtful = doubtful or found
            if watch.cancelled():
                return doubtful
    return doubtful


def _ways(reads: Sequence[bytes], entry: KnownChecksum, watch: Watch) -> Iterator[Correction | None]:
    digests, size = entry.by_algorithm, entry.size
    proof = joined(say(" and "), sorted(digests))
    for read in reads:
        if entry.accepts(RomImage("", read)):
            yield Correction(read, entry.firmware, say("one of the reads matches as it is"), proof)
    if entry.weak:
        return  # sums of a few bits would agree with too much
    together = consensus(reads, digests, watch)
    yield _from_bytes(together, entry)
    # One wrong byte is the commonest and takes milliseconds: before everything that takes longer.
    for read in reads:
        yield _from_bytes(_restored(read, digests, size, watch, most=1), entry)
    sources = [reads[-1]]
    if len(reads) > 1 and len({len(read) for read in reads}) == 1:
        sources += [image for _, image in combined(reads)]
    for data in sources:
        yield _undone(data, entry, thorough=False)
    for data in sources:
        yield _from_bytes(_restored(data, digests, size, watch), entry)
    yield _undone(reads[-1], entry, thorough=True)
    yield _from_bytes(_restored(reads[-1], digests, size, watch, deep=True), entry)


def _restored(
    data: bytes, digests: Mapping[str, str], size: int | None, watch: Watch, deep: bool = False, most: int = 2
) -> Restored | None:
    """Restoring works on an image of the right size; one read too far is cut first."""
    if size is not None and len(data) > size and len(data) % size == 0:
        data = data[:size]
    if size is not None and len(data) != size:
        return None
    return restore(data, digests, watch, deep, most)


def _undone(data: bytes, entry: KnownChecksum, thorough: bool) -> Correction | None:
    found = undo(data, entry.by_algorithm, entry.size, thorough)
    if found is None:
        return None
    change = {"kind": found.kind, **{k: v for k, v in found.where.items() if v != []}}
    return Correction(found.data, entry.firmware, found.words, found.proof, (change,))


def _from_bytes(found: Restored | None, entry: KnownChecksum) -> Correction | None:
    if found is None:
        return None
    changes = tuple({"offset": c.offset, "was": c.read, "now": c.meant} for c in found.changes)
    return Correction(found.data, entry.firmware, found.told, found.proof, changes, found.solutions)


def searched(size: int, entry: KnownChecksum) -> str:
    """What `correct` has looked for in an image of this size against these sums, and what it has not."""
    digests, proof = entry.by_algorithm, any(name in HASHES for name in entry.by_algorithm)
    if entry.weak:
        return say("These checksums are too short to prove a change: nothing was searched.")
    if "crc32" not in digests:
        return say(
            "Searched: lines exchanged or inverted, byte order, byte lanes, cuts, one wrong bit. Not searched: "
            "anything that needs a CRC-32."
        )
    done = [say("one wrong byte")] if size <= MOST_SEARCHED else []
    done.append(say("lines exchanged or inverted, rotation, byte order, byte lanes, cuts"))
    small = [say("two wrong bytes")] if size <= MOST_PAIRS else []
    if size <= MOST_DEEP:
        small.append(say("a line exchanged or inverted over a stretch"))
        small += [say("a line stuck over up to 45 addresses"), say("one wrong bit in each of 3 bytes")] if proof else []
    left = say(
        "Not searched: three or more wrong bytes, lines stuck over a longer stretch, stuck address lines (they lose "
        "half the contents)."
    )
    larger = [
        words
        for most, words in (
            (MOST_SEARCHED, say("one wrong byte (above {most:,} KiB)", most=MOST_SEARCHED >> 10)),
            (MOST_PAIRS, say("two wrong bytes (above {most:,} KiB)", most=MOST_PAIRS >> 10)),
            (MOST_DEEP, say("stretches and three bits (above {most:,} KiB)", most=MOST_DEEP >> 10)),
        )
        if size > most
    ]
    too_large = say("Too large here: {larger}.", larger=joined(", ", larger)) if larger else ""
    return joined(
        " ", (part for part in (say("Searched: {done}.", done=joined(", ", [*done, *small])), too_large, left) if part)
    )
