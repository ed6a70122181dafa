"""Bytes in another order, found from the CRC alone: three address lines exchanged or inverted, or a rotation.

A byte that stands i places on contributes its own word times a power of x. So the CRC of any order is known from the
sums of classes of bytes that move together: the eight classes that three address lines make, or the two parts of a
rotation. No image is built until the sum is right.
"""

import zlib
from collections.abc import Iterator
from functools import lru_cache
from itertools import combinations, permutations, product

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.roms.crc_algebra import Words, contributions, repeated, step
from loyal_trace.core.roms.field import X, by_constant, multiply, power
from loyal_trace.core.roms.maps import Bytes
from loyal_trace.core.vocabulary.phrases import joined, say

Move = tuple[str, str, tuple[int, ...], bytes]
_CLASSES = 8


def reordered(image: Bytes, wanted: str, bits: int) -> Iterator[Move]:
    """(kind, words, lines, bytes) of every order of three address lines, some inverted, that gives the CRC `wanted`."""
    if bits < 3:
        return
    target = np.uint32(int(wanted, 16) ^ zlib.crc32(bytes(len(image))))
    triples = np.array(list(combinations(range(bits), 3)))
    moved = _moved(_class_sums(contributions(image), bits, triples), triples)
    told: set[tuple[tuple[int, int, int], ...]] = set()
    for order in permutations(range(3)):
        for inverted in product((0, 1), repeat=3):
            if order == (0, 1, 2) and not any(inverted):
                continue
            sums = np.zeros(len(triples), dtype=np.uint32)
            for pattern in range(_CLASSES):
                sums ^= moved[pattern, _sent(pattern, order, inverted)]
            for lines in triples[sums == target].tolist():
                # Fewer than three lines moved: every third line gives the same order again.
                key = tuple((lines[n], lines[order[n]], inverted[n]) for n in range(3) if order[n] != n or inverted[n])
                if key not in told:
                    told.add(key)
                    yield _told(image, tuple(lines), order, inverted)


def _sent(pattern: int, order: tuple[int, ...], inverted: tuple[int, ...]) -> int:
    """Where the class `pattern` goes: bit n of the new pattern is bit order[n] of the old one, inverted or not."""
    return sum(((pattern >> order[n] & 1) ^ inverted[n]) << n for n in range(3))


def _class_sums(words: Words, bits: int, triples: NDArray[np.int64]) -> NDArray[np.uint32]:
    """Shape (triples, 8): the sum of the words of each class, bit n of its number the level of the n-th line.

    First the sums where all of some lines are high, folding what lies above the highest; the classes follow from them.
    """
    total = np.bitwise_xor.reduce(words)
    high: dict[tuple[int, ...], np.uint32] = {(): total}
    for top in range(bits):
        below = _high_half(words, top)
        high[(top,)] = np.bitwise_xor.reduce(below)
        for middle in range(top):
            lower = _high_half(below, middle)
            high[(middle, top)] = np.bitwise_xor.reduce(lower)
            for low in range(middle):
                high[(low, middle, top)] = np.bitwise_xor.reduce(_high_half(lower, low))
    masks = [[n for n in range(3) if mask >> n & 1] for mask in range(_CLASSES)]
    found = np.array([[high[tuple(lines[n] for n in mask)] for mask in masks] for lines in triples.tolist()])
    for n in range(3):  # from “at least these are high” to “just these”: what has one more is taken away
        without = [mask for mask in range(_CLASSES) if not mask >> n & 1]
        found[:, without] ^= found[:, [mask | 1 << n for mask in without]]
    return found


def _high_half(words: Words, line: int) -> Words:
    """The words where a line is high, all lines above it folded away: one for each pattern of the lines below."""
    return np.asarray(np.bitwise_xor.reduce(words.reshape(-1, 2, 1 << line)[:, 1], axis=0))


def _moved(sums: NDArray[np.uint32], triples: NDArray[np.int64]) -> NDArray[np.uint32]:
    """Shape (8, 8, triples): the sum of a class after it has moved to the place of another."""
    factors = _steps(int(triples.max()) + 1)[triples]
    old, new = np.divmod(np.arange(_CLASSES * _CLASSES), _CLASSES)
    found = np.ascontiguousarray(sums.T[old])
    for n in range(3):
        for down in (0, 1):  # a byte that moves down by 2^line stands further from the end
            which = np.flatnonzero((old >> n & 1 != new >> n & 1) & (old >> n & 1 == 1 - down))
            powers = np.broadcast_to(factors[:, n, down], (len(which), len(triples)))
            found[which] = multiply(found[which].ravel(), powers.ravel()).reshape(len(which), -1)
    return found.reshape(_CLASSES, _CLASSES, len(triples))


@lru_cache(maxsize=4)
def _steps(bits: int) -> NDArray[np.uint32]:
    """Shape (bits, 2): x^(8·2^line) and its inverse for every address line."""
    found = [np.array([power(X, 8), power(X, -8)], dtype=np.uint32)]
    for _ in range(bits - 1):
        found.append(multiply(found[-1], found[-1]))
    return np.array(found)


def _told(image: Bytes, lines: tuple[int, ...], order: tuple[int, ...], inverted: tuple[int, ...]) -> Move:
    index = np.arange(len(image), dtype=np.int64)
    target = index & ~sum(1 << line for line in lines)
    for n in range(3):
        target |= ((index >> lines[order[n]] & 1) ^ inverted[n]) << lines[n]
    out = np.empty_like(image)
    out[target] = image
    moved = [n for n in range(3) if order[n] != n]
    flipped = [n for n in range(3) if inverted[n]]
    if len(moved) == 2:
        words = say("A{a} and A{b} are exchanged", a=lines[moved[0]], b=lines[moved[1]])
    else:
        words = joined(
            ", ", (say("A{n} is connected in place of A{order}", n=lines[n], order=lines[order[n]]) for n in moved)
        )
    turned = joined(", ", (say("A{line} is inverted", line=lines[n]) for n in flipped))
    if not moved and flipped == [0] and lines[0] < 2:
        swapped = (say("the bytes of every pair are exchanged"), say("the words of every four bytes are exchanged"))
        return "byte-swapped", swapped[lines[0]], (lines[0],), out.tobytes()
    named = tuple(sorted(lines[n] for n in {*moved, *flipped}))
    return "address-swapped", joined(", ", (part for part in (words, turned) if part)), named, out.tobytes()


def rotated(image: Bytes, wanted: str) -> Iterator[tuple[int, bytes]]:
    """(places, bytes) of every rotation that gives the CRC `wanted`: the contents begin that many bytes late.

    With p and s the sums of what comes before and from k on, the rotated image has the sum T exactly where
    p + s·x^(8n) = T·x^(8(n−k)).
    """
    size = len(image)
    target = np.array([int(wanted, 16) ^ zlib.crc32(bytes(size))], dtype=np.uint32)
    words = contributions(image)
    before = np.bitwise_xor.accumulate(words)[:-1]  # of the places 0 … k − 1, for k from 1 on
    after = np.bitwise_xor.reduce(words) ^ before
    left = before ^ by_constant(power(X, 8 * size))(after)
    right = repeated(target, size, step)[1:, 0][::-1]  # T·x^(8(n−k)) for k = 1 … n − 1
    for k in (np.flatnonzero(left == right) + 1).tolist():
        yield k, np.r_[image[k:], image[:k]].tobytes()
