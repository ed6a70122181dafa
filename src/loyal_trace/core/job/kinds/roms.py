"""Entries of ROMs: reference images, lists of checksums, reads."""

from typing import Literal

from loyal_trace.core.job.base import Entry, PlacedEntry, Sha256, Strict, kind
from loyal_trace.core.job.draft import Draft
from loyal_trace.core.job.snapshot import ImageKey
from loyal_trace.core.roms.images import KnownChecksum, checksums_from_mapping
from loyal_trace.core.vocabulary.phrases import say, term
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of


def _image(draft: Draft, entry: "ImageKnown") -> None:
    draft.roms.images[ImageKey(entry.board, entry.place, entry.firmware)] = entry


def _sums(draft: Draft, entry: "ChecksumsKnown") -> None:
    draft.roms.lists.add(entry)


def _read(draft: Draft, entry: "RomRead") -> None:
    draft.roms.reads.add(entry.part, entry)


def _image_words(entry: "ImageKnown") -> str:
    told = say(
        "{place} reference image restored" if entry.proof else "{place} reference image imported", place=entry.place
    )
    told += say(", firmware {firmware}", firmware=entry.firmware) if entry.firmware else ""
    return told + (say(": {proof}", proof=entry.proof) if entry.proof else "")


@kind(_image, _image_words, Stage.ROMS)
class ImageKnown(PlacedEntry):
    """A reference image at hand for a socket and firmware revision."""

    kind: Literal["image_known"] = "image_known"
    firmware: str = ""
    attachment: Sha256
    size: int
    proof: str = ""


class SumLine(Strict):
    """One checksum line: the digests that a file should have; `board` and `place` when it is for one socket."""

    name: str
    digests: dict[str, str]
    size: int | None = None
    firmware: str = ""
    place: str = ""
    board: str = ""

    @property
    def known(self) -> KnownChecksum:
        """The same as images are held against it."""
        digests = checksums_from_mapping(self.digests)
        return KnownChecksum(self.name, digests, self.size, self.firmware, self.place, self.board)


@kind(
    _sums,
    lambda e: say(
        "{checksum_lines} from {source}", checksum_lines=count_of(len(e.lines), "checksum line"), source=e.source
    ),
    Stage.ROMS,
)
class ChecksumsKnown(Entry):
    """A list of checksums imported into the job, with its source."""

    kind: Literal["sums_known"] = "sums_known"
    source: str
    lines: tuple[SumLine, ...]


@kind(
    _read,
    lambda e: say(
        "{place} read ({size:,} bytes, {file_name})",
        place=e.place,
        size=e.size,
        file_name=e.file_name or term(e.source),
    ),
    Stage.ROMS,
)
class RomRead(PlacedEntry):
    """A ROM was read, by the reader or from a file; the bytes are an attachment."""

    kind: Literal["rom_read"] = "rom_read"
    attachment: Sha256
    size: int
    source: str = "reader"
    file_name: str = ""
