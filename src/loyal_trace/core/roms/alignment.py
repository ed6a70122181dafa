"""Bytes that were lost or added on the way: which stretches of a file belong to which stretches of the reference.

Each offset between file and reference is a state; going from one to another costs bits, and so does every bit that
differs. The cheapest way through (Viterbi 1967) is found by blocks, then each change of offset is placed to the byte.
Judged by bits, so that a line that is stuck or exchanged does not hide where bytes were lost.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.roms.maps import Bytes

_BLOCK = 16
_CHANGE_BITS = 60.0
_MOST_OFFSETS = 16
_SLIPS = 8
_ALL_WRONG = 8


@dataclass(frozen=True)
class Slip:
    """`count` bytes lost (negative) or added (positive) at `place` of the reference."""

    place: int
    count: int


@dataclass(frozen=True)
class Aligned:
    """The slips, the image as if they had not been (reference-sized), and which of its bytes the file really holds."""

    slips: tuple[Slip, ...]
    image: Bytes
    there: NDArray[np.bool_]


def aligned(data: Bytes, reference: Bytes) -> Aligned | None:
    """The file laid against the reference; None when no bytes were lost or added, or nothing fits."""
    extra = len(data) - len(reference)
    if len(reference) < 4 * _BLOCK or abs(extra) > len(reference) // 2:
        return None
    offsets = _offsets(extra)
    differ = [_differing(data, reference, d) for d in offsets]
    way = _cheapest_way(differ, offsets, extra)
    # Data lost at the very end, or added there, is a cut or an overdump: no slip inside.
    slips = [_placed(differ, offsets, before, after, at) for before, after, at in way]
    return _undone(data, reference, tuple(slips)) if slips else None


def _offsets(extra: int) -> list[int]:
    if extra == 0:
        return sorted(range(-_SLIPS, _SLIPS + 1), key=abs)
    if abs(extra) <= _MOST_OFFSETS:
        side = 1 if extra > 0 else -1
        return list(range(0, extra + side, side))
    return [0, extra]


def _differing(data: Bytes, reference: Bytes, offset: int) -> NDArray[np.uint8]:
    """How many bits differ at each place of the reference under an offset; all where the file has no byte."""
    differ = np.full(len(reference), _ALL_WRONG, dtype=np.uint8)
    first, last = max(0, -offset), min(len(reference), len(data) - offset)
    if last > first:
        differ[first:last] = np.bitwise_count(data[first + offset : last + offset] ^ reference[first:last])
    return differ


def _cheapest_way(differ: list[NDArray[np.uint8]], offsets: list[int], extra: int) -> list[tuple[int, int, int]]:
    """(number of the offset before, after, place) of every change along the cheapest way."""
    blocks = len(differ[0]) // _BLOCK
    costs = np.array([d[: blocks * _BLOCK].reshape(-1, _BLOCK).sum(axis=1) for d in differ], dtype=np.float64)
    total = np.array([0.0 if d == 0 else _CHANGE_BITS for d in offsets])  # a file begins in its place
    came = np.zeros((blocks, len(offsets)), dtype=np.int16)
    own = np.arange(len(offsets))
    for block in range(blocks):
        least = int(total.argmin())
        jump = total[least] + _CHANGE_BITS
        came[block] = np.where(total <= jump, own, least)
        total = np.minimum(total, jump) + costs[:, block]
    state = int(total.argmin())
    found = []
    for block in range(blocks - 1, -1, -1):
        before = int(came[block, state])
        if before != state:
            found.append((before, state, block * _BLOCK))
            state = before
    if offsets[state] != 0:
        found.append((offsets.index(0), state, 0))
    return found[::-1]


def _placed(differ: list[NDArray[np.uint8]], offsets: list[int], before: int, after: int, at: int) -> Slip:
    """The change of offset at the byte where least is wrong before and behind it."""
    count = offsets[after] - offsets[before]
    gap = max(0, -count)
    if at == 0:
        return Slip(0, count)
    first, last = max(0, at - 3 * _BLOCK - gap), min(len(differ[0]), at + 3 * _BLOCK + gap)
    one, two = np.cumsum(np.r_[0, differ[before][first:last]]), np.cumsum(np.r_[0, differ[after][first:last]])
    ends = np.arange(last - first - gap + 1)
    wrong = one[ends].astype(np.int64) + two[-1] - two[ends + gap]
    return Slip(first + int(wrong.argmin()), count)


def _undone(data: Bytes, reference: Bytes, slips: tuple[Slip, ...]) -> Aligned | None:
    image, there = reference.copy(), np.zeros(len(reference), dtype=bool)
    at, offset = 0, 0
    for slip in (*slips, Slip(len(reference), 0)):
        first, last = at, min(slip.place, len(data) - offset)
        if last > first:
            image[first:last] = data[first + offset : last + offset]
            there[first:last] = True
        at, offset = max(slip.place, at) + max(0, -slip.count), offset + slip.count
    return Aligned(slips, image, there) if there.sum() > len(reference) // 2 else None
