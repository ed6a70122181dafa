"""Which known image is this? By sums of the dump and of its parts; where images are at hand, by what survives damage.

Whole digests prove; the keys of `lane_keys` find an image again that is damaged, cut, doubled, shifted or has lines
exchanged, with the fraction of its lines that agree. Faults of low address lines spoil every block but keep most bytes:
known images of that size with the most similar byte counts are then examined as the truth, which explains or does not.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.roms.against import against_reference
from loyal_trace.core.roms.hypotheses import NO_DEVICE
from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage
from loyal_trace.core.roms.lane_keys import BLOCK, NO_KEY, every_phase, lane_keys
from loyal_trace.core.roms.maps import Bytes
from loyal_trace.core.vocabulary.phrases import say

_MOST_ALIKE = 256  # a key that so many images share tells nothing
_FOUND, _WORTH = 0.3, 0.05
_OVERLAP, _EXAMINED, _LEFT = 0.6, 6, 0.05
_LARGEST_EXAMINED = 1 << 18
_AT_ONCE = 1 << 22
_LEAST_TOLD = 64  # so many bytes that are no fill say what it is
_EXPLAINS = ("address-stuck", "address-bridged", "address-swapped", "lane-wrong", "byte-swapped", "shifted")


@dataclass(frozen=True)
class Match:
    """One known image that a dump may be: name and source, how, and the fraction of the dump that agrees (0 to 1)."""

    name: str
    source: str
    firmware: str
    how: str
    fraction: float
    number: int = field(default=-1, compare=False)


@dataclass(frozen=True)
class _Held:
    name: str
    source: str
    firmware: str
    data: Bytes


@dataclass
class KnownImages:
    """Lists of sums and images at hand, searched by digest and by key."""

    lists: list[ChecksumList] = field(default_factory=list)
    _images: list[_Held] = field(default_factory=list)
    _keys: NDArray[np.uint64] | None = None
    _owners: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    _counts: NDArray[np.int32] = field(default_factory=lambda: np.zeros((0, 256), dtype=np.int32))
    _lanes: "_Lanes | None" = None
    lanes_of: "KnownImages | None" = None

    def add_image(self, name: str, source: str, data: bytes, firmware: str = "") -> None:
        """An image at hand joins those that are searched."""
        self._images.append(_Held(name, source, firmware, np.frombuffer(data, dtype=np.uint8)))
        self._keys = None

    def __len__(self) -> int:
        return len(self._images) + sum(len(listed.entries) for listed in self.lists)

    def prepare(self) -> None:
        """Builds the index of keys and byte counts; the first search does so by itself."""
        keys, owners = [np.zeros(0, dtype=np.uint64)], [np.zeros(0, dtype=np.int64)]
        for first, last, joined in self._batches():
            found = lane_keys(joined)
            blocks = [len(held.data) // BLOCK for held in self._images[first:last]]
            keys.append(found.ravel())
            owners.append(np.repeat(np.arange(first, last), blocks).repeat(8))
        every, of = np.concatenate(keys), np.concatenate(owners)
        kept = np.flatnonzero(every != NO_KEY)
        order = kept[np.argsort(every[kept])]
        self._keys, self._owners = every[order], of[order]
        counts = [np.bincount(held.data, minlength=256) for held in self._images]
        self._counts = np.array(counts, dtype=np.int32).reshape(len(counts), 256)

    def _batches(self) -> Iterator[tuple[int, int, Bytes]]:
        """Runs of images, the whole blocks of each laid one after the other, a few megabytes at a time."""
        first, size = 0, 0
        for number, held in enumerate((*self._images, None)):
            if held is None or size > _AT_ONCE:
                some = [h.data[: len(h.data) // BLOCK * BLOCK] for h in self._images[first:number]]
                if some:
                    yield first, number, np.concatenate(some)
                first, size = number, 0
            size += len(held.data) if held is not None else 0

    def identify(self, data: bytes, most: int = 8) -> tuple[Match, ...]:
        """Ranked matches of one dump, whole ones first."""
        best: dict[tuple[str, str, str], Match] = {}
        for match in (*self._by_sums(data), *self._by_images(data)):
            key = (match.name, match.source, match.firmware)
            if match.fraction >= _WORTH and (key not in best or match.fraction > best[key].fraction):
                best[key] = match
        return tuple(sorted(best.values(), key=lambda m: (-m.fraction, m.name, m.source))[:most])

    def _by_sums(self, data: bytes) -> Iterator[Match]:
        for how, fraction, part in variants(data) if self.lists else ():
            if how != "whole" and part == part[:1] * len(part):
                continue  # a blank part of anything is a blank part of everything
            image = RomImage("", part)
            for listed in self.lists:
                for entry in listed.matching(image):
                    yield Match(_named(entry), listed.source, entry.firmware, how, fraction)

    def _by_images(self, data: bytes) -> list[Match]:
        if not self._images:
            return []
        if self._keys is None:
            self.prepare()
        image = np.frombuffer(data, dtype=np.uint8)
        found = self._voted(lane_keys(image).ravel(), say("line patterns agree"))
        if len(image) % 2 == 0 and not _any(found):
            swapped = image.reshape(-1, 2)[:, ::-1].ravel()
            found += self._voted(lane_keys(swapped).ravel(), say("line patterns agree, bytes exchanged"))
        if not _any(found):
            found += self._as_lane(image)
        if not _any(found):
            found += self._examined(image)
        if not _any(found) and len(image) >= BLOCK:
            found += self._voted(every_phase(image), say("line patterns agree, shifted"), len(image) // BLOCK)
        return [self._with_bytes(match, image) if match.number >= 0 else match for match in found]

    def _as_lane(self, image: Bytes) -> list[Match]:
        """The dump may be one byte lane of a wider image at hand: their lanes are searched as images."""
        if self.lanes_of is not None:
            return []
        if self._lanes is None or self._lanes.count != len(self._images):
            lanes = KnownImages(lanes_of=self)
            for held in self._images:
                for number in range(2 if len(held.data) >= 4 * BLOCK else 0):
                    name = say("byte lane {number} of 2 of {name}", number=number, name=held.name)
                    lanes.add_image(name, held.source, held.data[number::2].tobytes(), held.firmware)
            self._lanes = _Lanes(lanes, len(self._images))
        return [replace(match, number=-1) for match in self._lanes.known.identify(image.tobytes())]

    def _with_bytes(self, match: Match, image: Bytes) -> Match:
        """An image of the same size is also compared byte by byte: scattered wrong bits spoil patterns, not bytes."""
        held = self._images[match.number]
        if len(held.data) != len(image):
            return match
        # Where both hold the fill of an unused chip they agree without saying anything.
        told = ~((held.data == image) & ((image == 0xFF) | (image == 0)))
        if np.count_nonzero(told) < _LEAST_TOLD:
            return replace(match, fraction=0.0)
        alike = float(np.mean(held.data[told] == image[told]))
        how = (
            say("every byte agrees")
            if np.array_equal(held.data, image)
            else say("{alike:.1f} % of its bytes agree", alike=100 * alike)
        )
        return replace(match, how=how, fraction=alike) if alike > match.fraction else match

    def _voted(self, keys: NDArray[np.uint64], words: str, blocks: int = 0) -> list[Match]:
        """Images by how many of the keys they have; `blocks` when the keys overlap and not all can be met."""
        asked = np.unique(keys[keys != NO_KEY])
        if self._keys is None or not len(asked):
            return []
        first, last = np.searchsorted(self._keys, asked, "left"), np.searchsorted(self._keys, asked, "right")
        count = np.where(last - first > _MOST_ALIKE, 0, last - first)
        which = np.repeat(first, count) + np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count)
        asked_by = np.repeat(np.arange(len(asked)), count)
        pairs = np.unique(asked_by * len(self._images) + self._owners[which])  # a key counts once for an image
        votes = np.bincount(pairs % len(self._images), minlength=len(self._images))
        per_block = np.count_nonzero(keys) / max(len(keys) // 8, 1)
        total = blocks * per_block if blocks else float(len(asked))
        best = np.argsort(-votes, kind="stable")[:16]
        return [
            self._match(
                int(n),
                say("{votes:,} of {total:,.0f} {words}", votes=votes[n], total=total, words=words),
                min(1.0, votes[n] / max(total, 1.0)),
            )
            for n in best
            if votes[n]
        ]

    def _match(self, number: int, how: str, fraction: float) -> Match:
        held = self._images[number]
        return Match(held.name, held.source, held.firmware, how, float(fraction), number)

    def _examined(self, image: Bytes) -> list[Match]:
        """Known images of this size with alike byte counts, taken as the truth: does a fault explain the dump?"""
        size = len(image)
        if not BLOCK <= size <= _LARGEST_EXAMINED:
            return []
        fits = np.flatnonzero(self._counts.sum(axis=1) == size)
        ours = np.bincount(image, minlength=256)
        overlap = np.minimum(self._counts[fits], ours).sum(axis=1) / size
        found = []
        for place in np.argsort(-overlap, kind="stable")[:_EXAMINED]:
            if overlap[place] < _OVERLAP:
                break
            number = int(fits[place])
            top = against_reference(image, self._images[number].data, NO_DEVICE)[0]
            if top.kind in _EXPLAINS and top.unexplained <= _LEFT * size:
                found.append(self._match(number, top.reason, 1 - top.unexplained / size))
        return found


@dataclass(frozen=True)
class _Lanes:
    """The byte lanes of the images at hand, as images, and of how many they were made."""

    known: KnownImages
    count: int


def _any(found: Sequence[Match]) -> bool:
    return any(match.fraction >= _FOUND for match in found)


def likely_sources(results: Sequence[Sequence[Match]]) -> tuple[tuple[str, int, float], ...]:
    """Which board several dumps come from: source, how many of them it knows best or as well, and their mean share."""
    tally: dict[str, list[float]] = {}
    for matches in results:
        best = max((m.fraction for m in matches), default=0.0)
        for source in {m.source for m in matches if m.fraction == best and best > 0}:
            tally.setdefault(source, []).append(best)
    ranked = [(source, len(shares), sum(shares) / len(shares)) for source, shares in tally.items()]
    return tuple(sorted(ranked, key=lambda r: (-r[1], -r[2], r[0])))


def _named(entry: KnownChecksum) -> str:
    return entry.place or entry.name


def variants(data: bytes) -> Iterator[tuple[str, float, bytes]]:
    """The dump itself, its halves to eighths, its lanes, and both byte orders: (how, share of the dump, bytes)."""
    yield "whole", 1.0, data
    array = np.frombuffer(data, dtype=np.uint8)
    for count in (2, 4, 8):
        size = len(data) // count
        if size and size * count == len(data):
            pieces = [data[n * size : (n + 1) * size] for n in range(count)]
            for number, piece in enumerate(pieces):
                yield (
                    say("part {number} of {count}", number=number + 1, count=count),
                    pieces.count(piece) / count,
                    piece,
                )
            if count < 8:
                for number in range(count):
                    yield (
                        say("byte lane {number} of {count}", number=number + 1, count=count),
                        1.0 / count,
                        array[number::count].tobytes(),
                    )
    if len(data) % 2 == 0:
        yield say("bytes exchanged"), 1.0, array.reshape(-1, 2)[:, ::-1].tobytes()
    yield "inverted", 1.0, (array ^ np.uint8(255)).tobytes()
