"""Which known image is this? By sums of the dump and of its parts, by aligned blocks where images are at hand."""

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from loyal_trace.core.roms.images import KnownSum, RomImage, SumList

BLOCK = 256
_DULL = 4


@dataclass(frozen=True)
class Match:
    """One known image that a dump may be: name and source, how, and the fraction of the dump that agrees (0 to 1)."""

    name: str
    source: str
    firmware: str
    how: str
    fraction: float


@dataclass
class KnownImages:
    """Lists of sums and images at hand, searched by digest and by block."""

    lists: list[SumList] = field(default_factory=list)
    _blocks: dict[bytes, list[int]] = field(default_factory=dict)
    _images: list[tuple[str, str]] = field(default_factory=list)

    def add_image(self, name: str, source: str, data: bytes) -> None:
        """An image at hand: each of its blocks that says something is kept."""
        number = len(self._images)
        self._images.append((name, source))
        for block in set(_blocks(data)):
            self._blocks.setdefault(block, []).append(number)

    def identify(self, data: bytes, most: int = 8) -> tuple[Match, ...]:
        """Ranked matches of one dump, whole ones first."""
        found = list(self._by_sums(data)) + list(self._by_blocks(data))
        best: dict[tuple[str, str, str], Match] = {}
        for match in found:
            key = (match.name, match.source, match.firmware)
            if key not in best or match.fraction > best[key].fraction:
                best[key] = match
        return tuple(sorted(best.values(), key=lambda m: (-m.fraction, m.name))[:most])

    def _by_sums(self, data: bytes) -> Iterator[Match]:
        for how, fraction, part in variants(data):
            image = RomImage("", part)
            for listed in self.lists:
                for entry in listed.matching(image):
                    yield Match(_named(entry), listed.source, entry.firmware, how, fraction)

    def _by_blocks(self, data: bytes) -> Iterator[Match]:
        blocks = list(_blocks(data))
        votes: Counter[int] = Counter()
        for block in blocks:
            votes.update(self._blocks.get(block, ()))
        for number, count in votes.most_common(16):
            name, source = self._images[number]
            yield Match(name, source, "", f"{count} of {len(blocks)} blocks", count / len(blocks))


def _named(entry: KnownSum) -> str:
    return entry.place or entry.name


def _blocks(data: bytes) -> Iterator[bytes]:
    """Aligned blocks with some variety; empty stretches are in every image and tell nothing."""
    for start in range(0, len(data) - BLOCK + 1, BLOCK):
        block = data[start : start + BLOCK]
        if len(set(block)) > _DULL:
            yield block


def variants(data: bytes) -> Iterator[tuple[str, float, bytes]]:
    """The dump itself, its halves to eighths, its lanes, and both byte orders: (how, share of the dump, bytes)."""
    yield "whole", 1.0, data
    array = np.frombuffer(data, dtype=np.uint8)
    for count in (2, 4, 8):
        size = len(data) // count
        if size and size * count == len(data):
            pieces = [data[n * size : (n + 1) * size] for n in range(count)]
            for number, piece in enumerate(pieces):
                yield f"part {number + 1} of {count}", pieces.count(piece) / count, piece
            if count < 8:
                for number in range(count):
                    yield f"lane {number + 1} of {count}", 1.0 / count, array[number::count].tobytes()
    if len(data) % 2 == 0:
        yield "bytes exchanged", 1.0, array.reshape(-1, 2)[:, ::-1].tobytes()
    yield "inverted", 1.0, (array ^ np.uint8(255)).tobytes()
