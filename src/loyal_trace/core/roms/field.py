"""The field GF(2^32) in which CRC-32 counts: products and discrete logarithms of many elements at once.

The polynomial of CRC-32 is primitive: x generates all 2^32 − 1 elements, so every element is a power of x. Its
logarithm is found after Pohlig and Hellman (IEEE Trans. IT-24, 1978) from two tables, as 2^32 − 1 = 65,535 · 65,537.
Elements are written as CRC-32 writes its register, lowest power in the highest bit.
"""

from collections.abc import Callable
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.roms.crc_algebra import Words, apply_tables, repeated, tables_of

ORDER = 2**32 - 1
ONE = 0x80000000
_POLYNOMIAL = 0xEDB88320
_AT_ONCE = 1 << 15  # such pieces stay in the processor's cache
_SMALL, _LARGE = 65535, 65537
_HALF = 32768  # the inverse of 65,535 modulo 65,537


def times_x(words: Words) -> Words:
    """Every element times x."""
    return np.asarray((words >> np.uint32(1)) ^ (np.uint32(_POLYNOMIAL) * (words & np.uint32(1))), dtype=np.uint32)


def multiply(a: Words, b: Words) -> Words:
    """Products of elements, pair by pair; arrays of one shape, or one of them a single element."""
    first, second = np.broadcast_arrays(np.atleast_1d(a), np.atleast_1d(b))
    found = np.empty(first.shape, dtype=np.uint32)
    for start in range(0, len(first), _AT_ONCE):
        stop = start + _AT_ONCE
        found[start:stop] = _product(first[start:stop], second[start:stop])
    return found


def _product(a: Words, b: Words) -> Words:
    found, bit = np.zeros(len(a), dtype=np.uint32), np.empty(len(a), dtype=np.uint32)
    for place in range(32):  # the highest power of b first
        np.bitwise_and(found, np.uint32(1), out=bit)
        np.right_shift(found, np.uint32(1), out=found)
        np.multiply(bit, np.uint32(_POLYNOMIAL), out=bit)
        np.bitwise_xor(found, bit, out=found)
        np.right_shift(b, np.uint32(place), out=bit)
        np.bitwise_and(bit, np.uint32(1), out=bit)
        np.multiply(bit, a, out=bit)
        np.bitwise_xor(found, bit, out=found)
    return found


def power(element: int, exponent: int) -> int:
    """An element to a power, by squaring; negative powers too."""
    found, base, left = ONE, element, exponent % ORDER
    while left:
        if left & 1:
            found = _times(found, base)
        base, left = _times(base, base), left >> 1
    return found


def _times(a: int, b: int) -> int:
    """The product of two elements: for so few, numbers are quicker than arrays."""
    found = 0
    for place in range(32):  # the highest power of b first
        found = found >> 1 ^ (_POLYNOMIAL if found & 1 else 0) ^ (a if b >> place & 1 else 0)
    return found


X = ONE >> 1


def by_constant(element: int) -> Callable[[Words], Words]:
    """The map that multiplies by one element, by tables."""
    tables = tables_of(multiply(_basis(), np.array([element], dtype=np.uint32)))
    return lambda words: apply_tables(tables, words)


def _basis() -> Words:
    return np.asarray(np.uint32(1) << np.arange(32, dtype=np.uint32), dtype=np.uint32)


@lru_cache(maxsize=8)
def _squarings(count: int) -> NDArray[np.uint32]:
    """The map y → y^(2^count), which is linear, as tables."""
    images = _basis()
    for _ in range(count):
        images = multiply(images, images)
    return tables_of(images)


def _raised(words: Words, count: int) -> Words:
    return apply_tables(_squarings(count), words)


@lru_cache(maxsize=2)
def _powers(root_exponent: int, count: int) -> tuple[Words, NDArray[np.int64]]:
    """The powers of x^root_exponent in rising order of their words, and which power each is."""
    root = power(X, root_exponent)
    words = repeated(np.array([ONE], dtype=np.uint32), count, by_constant(root))[:, 0]
    order = np.argsort(words, kind="stable")
    return words[order], order


def logarithms(words: Words) -> NDArray[np.int64]:
    """The exponents of x, 0 to 2^32 − 2, of elements that must not be 0."""
    found = np.empty(len(words), dtype=np.int64)
    for start in range(0, len(words), _AT_ONCE):
        some = words[start : start + _AT_ONCE]
        grown = some
        for count in (1, 2, 4, 8):  # y^3, y^15, y^255, y^65535
            grown = _product(grown, _raised(grown, count))
        large = _looked_up(grown, _SMALL, _LARGE)
        small = _looked_up(_product(some, _raised(some, 16)), _LARGE, _SMALL)
        found[start : start + _AT_ONCE] = small + _SMALL * ((large - small) * _HALF % _LARGE)
    return found


def _looked_up(words: Words, root_exponent: int, count: int) -> NDArray[np.int64]:
    ordered, which = _powers(root_exponent, count)
    return np.asarray(which[np.searchsorted(ordered, words)], dtype=np.int64)
