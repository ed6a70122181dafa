"""CRC-32 as linear algebra over GF(2): what a changed bit, anywhere in an image, does to the sum.

The CRCs of two images of one length differ by the XOR of what each changed bit contributes (polynomial EDB88320).
`syndromes(n)[k, b]` is the contribution of bit b of the byte that stands k places before the end.
"""

import zlib
from collections.abc import Callable
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Words = NDArray[np.uint32]
Bytes = NDArray[np.uint8]

TABLE: Words = np.array([zlib.crc32(bytes([e])) ^ zlib.crc32(b"\0") for e in range(256)], dtype=np.uint32)
_INDEX_OF_TOP = np.zeros(256, dtype=np.uint32)
_INDEX_OF_TOP[TABLE >> 24] = np.arange(256, dtype=np.uint32)


def step(state: Words) -> Words:
    """What is left of a contribution after one more byte."""
    return np.asarray(TABLE[state & 0xFF] ^ (state >> np.uint32(8)), dtype=np.uint32)


def step_back(state: Words) -> Words:
    """The contribution one byte earlier."""
    index = _INDEX_OF_TOP[state >> np.uint32(24)]
    return np.asarray((state ^ TABLE[index]) << np.uint32(8) | index, dtype=np.uint32)


def tables_of(basis: Words) -> Words:
    """Tables (4, 256) of a linear map given by where it sends the 32 unit vectors."""
    tables = np.zeros((4, 256), dtype=np.uint32)
    parts = basis.reshape(4, 8)
    for bit in range(8):  # what is there so far, once without and once with the next vector
        tables[:, 1 << bit : 2 << bit] = tables[:, : 1 << bit] ^ parts[:, bit : bit + 1]
    return tables


def apply_tables(tables: Words, state: Words) -> Words:
    """A linear map, given by its tables, of many words."""
    found = tables[0, state & 0xFF] ^ tables[1, state >> 8 & 0xFF]
    return np.asarray(found ^ tables[2, state >> 16 & 0xFF] ^ tables[3, state >> 24], dtype=np.uint32)


def repeated(first: Words, count: int, once: Callable[[Words], Words]) -> Words:
    """`first` and what becomes of it after 1, 2, … steps of a linear map, stacked: doubling what is there each time."""
    found = np.empty((count, *first.shape), dtype=np.uint32)
    found[0], filled = first, 1
    moved = once((np.uint32(1) << np.arange(32, dtype=np.uint32)).astype(np.uint32))
    while filled < count:
        tables = tables_of(moved)
        more = min(filled, count - filled)
        found[filled : filled + more] = apply_tables(tables, found[:more])
        moved, filled = apply_tables(tables, moved), filled + more
    return found


@lru_cache(maxsize=4)
def syndromes(size: int) -> Words:
    """Contributions of every bit of an image: shape (size, 8), row k for the byte k places before the end."""
    found = repeated(TABLE[1 << np.arange(8)], size, step)
    found.setflags(write=False)
    return found


def contributions(errors: Bytes) -> Words:
    """What an error pattern (one byte a place, from the start of the image) contributes at each of its places."""
    basis = syndromes(len(errors))[::-1]
    found = np.zeros(len(errors), dtype=np.uint32)
    for bit in range(8):
        found ^= np.where(errors >> bit & 1, basis[:, bit], np.uint32(0))
    return found


@lru_cache(maxsize=4)
def backwards(difference: int, count: int) -> Words:
    """The difference carried back over 1, 2, … `count` bytes."""
    first = step_back(np.array([difference], dtype=np.uint32))
    found = repeated(first, count, step_back)[:, 0]
    found.setflags(write=False)
    return found
