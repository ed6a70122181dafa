"""Restoring an image from its sums alone: one or two wrong bytes anywhere, from the linear CRC, proved by a hash.

One byte: the difference of the sums, carried back over k bytes, must be a table entry. Two bytes: with d the distance
between them, Z^(d−1)·T[e] and the difference carried back must agree in their upper 24 bits, and the low byte then
gives the other error, so one pass over 255·n values against a table of 2^24 finds all pairs; a table of 2^20 before it
stays in the processor's cache and turns most of them away. Every candidate has to pass the other sums; hashing begins
at a checkpoint before its first changed byte, single-bit errors first, then those that cost least to hash.
"""

import hashlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from loyal_trace.core.roms.crc_algebra import TABLE, backwards, syndromes
from loyal_trace.core.roms.images import RomImage

_MOST_SEARCHED = 2**20
_MOST_PAIRS = 2**17
_MOST_SOLUTIONS = 64
_SMALL = 1 << 14
_CHECKPOINT = 1024
_WORKERS, _AT_ONCE = 2, 512  # hashing and array work let another thread run
_PROOFS = ("sha256", "sha1", "md5")
Cancel = Callable[[], bool]


@dataclass(frozen=True)
class Change:
    """One byte: where, what it is, what it was meant to be."""

    offset: int
    read: int
    meant: int


@dataclass(frozen=True)
class Restored:
    """Changes that make the sums right, by which sum that is proved, and how many other solutions fit as well."""

    changes: tuple[Change, ...]
    data: bytes
    proof: str
    solutions: int = 1

    @property
    def certain(self) -> bool:
        """Is it proved by a hash, or by a CRC that only one change fits?"""
        return self.solutions == 1


def _never() -> bool:
    return False


def restore(data: bytes, digests: Mapping[str, str], cancelled: Cancel = _never) -> Restored | None:
    """One or two wrong bytes put right, the fewest first; None when none fit or it was cancelled.

    Needs a CRC-32; two bytes are only proposed when a hash proves them, or when exactly one pair fits the CRC.
    """
    if "crc32" not in digests or not 0 < len(data) <= _MOST_SEARCHED:
        return None
    difference = RomImage("", data).digest("crc32")
    delta = int(difference, 16) ^ int(digests["crc32"], 16)
    if delta == 0:
        return None
    ones = list(_one_byte(data, delta))
    found = _proved(data, ones, digests, cancelled)
    if found is not None or len(data) > _MOST_PAIRS:
        return found
    return _proved(data, two_bytes(data, delta), digests, cancelled)


def _one_byte(data: bytes, delta: int) -> Iterator[tuple[Change, ...]]:
    """Every single byte that explains the difference; at most one a place."""
    back = np.r_[np.uint32(delta), backwards(delta, len(data) - 1)] if len(data) > 1 else np.array([delta], np.uint32)
    order = np.argsort(TABLE)
    place = np.minimum(np.searchsorted(TABLE[order], back), 255)
    for k in np.flatnonzero(TABLE[order][place] == back):
        error, offset = int(order[place[k]]), len(data) - 1 - int(k)
        if error:
            yield (Change(offset, data[offset], data[offset] ^ error),)


def two_bytes(data: bytes, delta: int) -> list[tuple[Change, ...]]:
    """Every pair of bytes that explains the difference: single bits first, then the latest place first."""
    size = len(data)
    back = backwards(delta, size)
    upper = back >> np.uint32(8)
    coarse = np.zeros(1 << 20, dtype=bool)
    present = np.zeros(1 << 24 if size > _SMALL else 0, dtype=bool)  # for a small image the coarse table is enough
    if len(present):
        present[upper] = True
    coarse[back >> np.uint32(12)] = True
    order = np.argsort(upper, kind="stable")
    ordered = upper[order]
    basis = np.ascontiguousarray(syndromes(size).T)

    def search(first: int, last: int) -> list[np.ndarray]:
        """Pairs whose left error is one of a run of the Gray code: each differs from the one before by one bit."""
        values, index = np.zeros(size, dtype=np.uint32), np.empty(size, dtype=np.intp)
        rows, before = [], 0
        for number in range(first, last):
            gray = number ^ (number >> 1)
            for bit in _bits_of(gray ^ before):
                np.bitwise_xor(values, basis[bit], out=values)
            before = gray
            np.right_shift(values, np.uint32(12), out=index, casting="unsafe")
            hits = np.flatnonzero(coarse.take(index))
            if len(present):
                hits = hits[present[values[hits] >> np.uint32(8)]]
            if len(hits):
                rows.append(_matches(hits, values[hits], gray, ordered, order, back, size))
        return rows

    with ThreadPoolExecutor(_WORKERS) as pool:
        halves = [pool.submit(search, 1, 128), pool.submit(search, 128, 256)]
        rows = [row for half in halves for row in half.result()]
    found = np.concatenate(rows) if rows else np.empty((0, 4), dtype=np.int64)
    single = (np.bitwise_count(found[:, 1].astype(np.uint8)) == 1) & (
        np.bitwise_count(found[:, 3].astype(np.uint8)) == 1
    )
    ranked = found[np.lexsort((-found[:, 0], ~single))].tolist()
    return [(Change(a, data[a], data[a] ^ ea), Change(b, data[b], data[b] ^ eb)) for a, ea, b, eb in ranked]


def _bits_of(value: int) -> Iterator[int]:
    return (bit for bit in range(8) if value >> bit & 1)


def _matches(
    hits: np.ndarray,
    values: np.ndarray,
    error: int,
    ordered: np.ndarray,
    order: np.ndarray,
    back: np.ndarray,
    size: int,
) -> np.ndarray:
    """Rows (left place, its error, right place, its error) for left errors whose contribution meets the difference."""
    upper = values >> np.uint32(8)
    first, last = np.searchsorted(ordered, upper, "left"), np.searchsorted(ordered, upper, "right")
    count = last - first
    which = np.repeat(np.arange(len(hits)), count)
    within = np.arange(len(which)) - np.repeat(np.cumsum(count) - count, count)
    k = order[first[which] + within]
    distance = hits[which] + 1
    other = (back[k] ^ values[which]) & np.uint32(0xFF)
    right = size - 1 - k
    left = right - distance
    keep = (left >= 0) & (other != 0)
    return np.column_stack((left[keep], np.full(keep.sum(), error), right[keep], other[keep].astype(np.int64)))


class _Hasher:
    """Hashes changed copies of an image, beginning at the last checkpoint before the first change."""

    def __init__(self, data: bytes, algorithm: str) -> None:
        self._data, self._marks = data, [hashlib.new(algorithm, usedforsecurity=False)]
        for start in range(0, len(data), _CHECKPOINT):
            following = self._marks[-1].copy()
            following.update(data[start : start + _CHECKPOINT])
            self._marks.append(following)

    def digest(self, changes: Sequence[Change]) -> str:
        number = changes[0].offset // _CHECKPOINT
        state, at = self._marks[number].copy(), number * _CHECKPOINT
        view = memoryview(self._data)
        for change in changes:
            state.update(view[at : change.offset])
            state.update(bytes([change.meant]))
            at = change.offset + 1
        state.update(view[at:])
        return state.hexdigest()


def _proved(
    data: bytes, candidates: Sequence[tuple[Change, ...]], digests: Mapping[str, str], cancelled: Cancel
) -> Restored | None:
    """The candidate that every other sum accepts; with no other sum, the only one, or the first of several."""
    proof = next((name for name in _PROOFS if name in digests), "")
    if not proof:
        if not candidates or len(candidates) > _MOST_SOLUTIONS:
            return None
        return Restored(candidates[0], changed(data, candidates[0]), "crc32", len(candidates))
    hasher, wanted = _Hasher(data, proof), digests[proof].lower()

    def first_right(some: Sequence[tuple[Change, ...]]) -> tuple[Change, ...] | None:
        if cancelled():
            return None
        return next((changes for changes in some if hasher.digest(changes) == wanted), None)

    with ThreadPoolExecutor(_WORKERS) as pool:
        for start in range(0, len(candidates), _AT_ONCE):
            some = candidates[start : start + _AT_ONCE]
            parts = [pool.submit(first_right, some[number::_WORKERS]) for number in range(_WORKERS)]
            right = next((found for part in parts if (found := part.result())), None)
            if right is not None:
                return Restored(right, changed(data, right), proof)
            if cancelled():
                return None
    return None


def changed(data: bytes, changes: Sequence[Change]) -> bytes:
    """The image with some bytes changed."""
    out = bytearray(data)
    for change in changes:
        out[change.offset] = change.meant
    return bytes(out)


def restore_one_byte(image: RomImage, digests: Mapping[str, str]) -> tuple[int, int] | None:
    """The one byte that makes an image match its sums: offset and value; None when no byte does."""
    if "crc32" not in digests or not 0 < image.size <= _MOST_SEARCHED:
        return None
    delta = int(image.digest("crc32"), 16) ^ int(digests["crc32"], 16)
    for changes in _one_byte(image.data, delta) if delta else ():
        candidate = RomImage(image.name, changed(image.data, changes))
        if all(candidate.digest(a) == value for a, value in digests.items()):
            return changes[0].offset, changes[0].meant
    return None
