"""The true content out of two or more bad reads of one chip, or of dying twins: where they differ, the sums decide.

Every bit in which the reads differ is an unknown; the CRC-32 gives 32 linear equations for them. Up to 50 such bits are
solved and the solutions proved by a hash; with more, what cells do is tried: all that any read shows as 0 (a faded cell
reads 1), all that any shows as 1, and the majority.
"""

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.roms.candidates import UNWATCHED, Candidates, Watch
from loyal_trace.core.roms.crc_algebra import syndromes
from loyal_trace.core.roms.digests import agrees, digest
from loyal_trace.core.roms.restore import Restored, proved
from loyal_trace.core.roms.voting import moving_bits
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of

_MOST_FREE = 18


def combined(reads: Sequence[bytes]) -> list[tuple[str, bytes]]:
    """What several reads of one size say together, with how: the majority, every bit low that one read shows low, or
    every bit high that one shows high."""
    stack = np.array([np.frombuffer(read, np.uint8) for read in reads])
    ways = [
        (say("bits that any read shows as 0"), np.bitwise_and.reduce(stack)),
        (say("bits that any read shows as 1"), np.bitwise_or.reduce(stack)),
    ]
    if len(reads) > 2:
        ones = np.unpackbits(stack, axis=1).sum(axis=0, dtype=np.int64)
        ways.insert(0, (say("the majority of {count} reads", count=len(reads)), np.packbits(2 * ones > len(reads))))
    return [(words, image.tobytes()) for words, image in ways]


def consensus(reads: Sequence[bytes], digests: Mapping[str, str], watch: Watch = UNWATCHED) -> Restored | None:
    """The content that takes each bit from one of the reads and has every sum; None when there is none."""
    if len(reads) < 2 or len({len(read) for read in reads}) != 1 or not digests:
        return None
    for words, image in combined(reads):
        if agrees(image, digests):
            return Restored((), image, joined(say(" and "), sorted(digests)), words=words)
    return _solved(reads, digests, watch) if "crc32" in digests else None


def _solved(reads: Sequence[bytes], digests: Mapping[str, str], watch: Watch) -> Restored | None:
    base = np.frombuffer(reads[0], np.uint8)
    bits = np.flatnonzero(np.unpackbits(moving_bits(reads), bitorder="little"))
    if not 0 < len(bits) <= 32 + _MOST_FREE:
        return None
    delta = int(digest(reads[0], "crc32"), 16) ^ int(digests["crc32"], 16)
    found = _candidates(base, bits, delta)
    if found is None:
        return None
    words = say("{bits} in which the reads differ, solved", bits=count_of(len(bits), "bit"))
    return proved(reads[0], found, digests, watch, say("solving where the reads differ"), words)


def _candidates(base: NDArray[np.uint8], bits: NDArray[np.int64], delta: int) -> Candidates | None:
    """Every choice of the bits that explains the difference: one solution and what may be added to it freely."""
    table = syndromes(len(base))
    columns = [int(table[len(base) - 1 - bit // 8, bit % 8]) for bit in bits.tolist()]
    pivots: dict[int, tuple[int, int]] = {}  # highest bit → (word, which unknowns make it)
    free = []
    for number, column in enumerate(columns):
        word, made = _reduced(column, 1 << number, pivots)
        if word:
            pivots[word.bit_length()] = (word, made)
        else:
            free.append(made)
    left, solution = _reduced(delta, 0, pivots)
    if left or len(free) > _MOST_FREE:
        return None
    choices = np.arange(1 << len(free), dtype=np.int64)
    masks = np.full(len(choices), solution, dtype=np.int64)
    for place, made in enumerate(free):
        masks ^= np.where(choices >> place & 1, np.int64(made), np.int64(0))
    places = np.unique(bits // 8)
    flips = np.zeros((len(masks), len(places)), dtype=np.uint8)
    for number, bit in enumerate(bits.tolist()):
        column = int(np.searchsorted(places, bit // 8))
        flips[:, column] |= ((masks >> number & 1) << bit % 8).astype(np.uint8)
    return Candidates(np.broadcast_to(places, flips.shape), base[places] ^ flips)


def _reduced(word: int, made: int, pivots: Mapping[int, tuple[int, int]]) -> tuple[int, int]:
    while word and word.bit_length() in pivots:
        pivot, how = pivots[word.bit_length()]
        word, made = word ^ pivot, made ^ how
    return word, made
