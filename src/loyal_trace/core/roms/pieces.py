"""Files that hold several contents, and contents that lie in several files: found by the sums of their pieces."""

from collections.abc import Container, Iterator, Sequence
from dataclasses import dataclass
from itertools import permutations

import numpy as np

from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage
from loyal_trace.core.vocabulary.phrases import joined, say

_COUNTS = (2, 4, 8)
_MOST_LOOSE, _MOST_OF_FOUR = 24, 6


@dataclass(frozen=True)
class Pieces:
    """What a file holds: the name of each piece or byte lane in its order, empty where it is not known."""

    names: tuple[str, ...]
    lanes: bool

    @property
    def words(self) -> str:
        """`several contents one after the other: 6A, 6B`, or interleaved as byte lanes."""
        how = say("interleaved as byte lanes") if self.lanes else say("one after the other")
        return say(
            "several contents {how}: {names}", how=how, names=joined(", ", (name or "unknown" for name in self.names))
        )


@dataclass(frozen=True)
class Whole:
    """A content made of two or more files: whose it is, in which order they go, and whether they are byte lanes."""

    entry: KnownChecksum
    order: tuple[int, ...]
    lanes: bool
    data: bytes


def pieces_in(data: bytes, known: ChecksumList) -> Pieces | None:
    """The contents that a file holds, when two pieces of it at least are known and not all the same."""
    array = np.frombuffer(data, dtype=np.uint8)
    best: Pieces | None = None
    for count in _COUNTS:
        size = len(data) // count
        if not size or size * count != len(data):
            continue
        parts = [data[n * size : (n + 1) * size] for n in range(count)]
        for lanes, some in (
            (False, parts),
            (True, [array[n::count].tobytes() for n in range(count if count < 8 else 0)]),
        ):
            names = tuple(_name_of(piece, known) for piece in some)
            found = sum(bool(name) for name in names)
            if found > 1 and len(set(names) - {""}) > 1 and (best is None or found > sum(map(bool, best.names))):
                best = Pieces(names, lanes)
    return best


def _name_of(piece: bytes, known: ChecksumList) -> str:
    found = known.matching(RomImage("", piece))
    return (found[0].place or found[0].name) if found else ""


def assembled(images: Sequence[bytes], lanes: bool) -> bytes:
    """Images one after the other, or interleaved as byte lanes."""
    if not lanes:
        return b"".join(images)
    return np.column_stack([np.frombuffer(image, dtype=np.uint8) for image in images]).tobytes()


def wholes_of(images: Sequence[bytes], known: ChecksumList, missing: Container[str]) -> Iterator[Whole]:
    """Contents of a list that two or four of these files make up, as halves or as byte lanes, in any order.

    `missing` are the names of the entries that no file had so far; each of them is found once.
    """
    sizes = {entry.size for entry in known.entries if entry.size is not None}
    found: set[str] = set()
    for count, most in ((2, _MOST_LOOSE), (4, _MOST_OF_FOUR)):
        by_size: dict[int, list[int]] = {}
        for number, image in enumerate(images):
            by_size.setdefault(len(image), []).append(number)
        for size, fitting in by_size.items():
            if not size or (sizes and size * count not in sizes) or not count <= len(fitting) <= most:
                continue
            for whole in _arranged(images, fitting, count, known):
                if whole.entry.name in missing and whole.entry.name not in found:
                    found.add(whole.entry.name)
                    yield whole


def _arranged(images: Sequence[bytes], fitting: Sequence[int], count: int, known: ChecksumList) -> Iterator[Whole]:
    for order in permutations(fitting, count):
        for lanes in (False, True):
            data = assembled([images[n] for n in order], lanes)
            for entry in known.matching(RomImage("", data)):
                yield Whole(entry, order, lanes, data)
