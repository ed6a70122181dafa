"""Streams with 64 steps to a word: packing, the step before, and stored bits over a whole stream at once.

Bit i of word j is step 64·j + i. The last word is filled by repeating the last step: a stream may be longer than asked.
"""

import numpy as np
from numpy.typing import NDArray

Words = NDArray[np.uint64]
Levels = NDArray[np.uint8]
STEPS_IN_WORD = 64
ONES = np.uint64(2**64 - 1)
_ONE, _TOP = np.uint64(1), np.uint64(63)


def pack(levels: Levels) -> Words:
    """0 and 1, one value a step, as words."""
    missing = -len(levels) % STEPS_IN_WORD
    if missing:
        levels = np.concatenate((levels, np.repeat(levels[-1:], missing)))
    return np.packbits(levels, bitorder="little").view(np.uint64)


def unpack(words: Words, steps: int) -> Levels:
    """One value (0, 1) a step."""
    return np.unpackbits(np.ascontiguousarray(words).view(np.uint8), count=steps, bitorder="little")


def steady(level: int, count: int) -> Words:
    """So many words of one level."""
    return np.full(count, ONES if level else 0, dtype=np.uint64)


def rising(words: Words, steps: int) -> int:
    """How often a stream rises."""
    edges = words & ~before(words)
    if steps % STEPS_IN_WORD:
        edges[-1] &= np.uint64((1 << steps % STEPS_IN_WORD) - 1)
    return int(np.bitwise_count(edges).sum())


def before(words: Words) -> Words:
    """Every step shows the one before it; the first one itself."""
    found = words << _ONE
    found[1:] |= words[:-1] >> _TOP
    found[0] |= words[0] & _ONE
    return found


def stored(keeps: Words, takes: Words, start: int) -> Words:
    """A bit x that becomes (keeps & x) ^ takes at every step, from what it starts with.

    Steps compose as maps of one bit: a prefix scan inside every word, then one over the words (Kogge and Stone).
    """
    if (keeps == ONES).all():
        return _flipped(takes, start)
    a, b = keeps.copy(), takes.copy()
    if start:
        b[0] ^= a[0] & _ONE
    a[0] &= ~_ONE
    for shift in (1, 2, 4, 8, 16, 32):
        by = np.uint64(shift)
        b ^= a & (b << by)
        a &= (a << by) | np.uint64((1 << shift) - 1)
        # Where a bit is loaded often, only the first steps of a word still depend on what it begins with.
        if not (a >> np.uint64(2 * shift - 1)).any():
            entering = np.zeros_like(b)
            entering[1:] = b[:-1] >> _TOP
            return b ^ (a & -entering)
    return b ^ (a & -_entering(a >> _TOP, b >> _TOP))


def _flipped(flips: Words, start: int) -> Words:
    """A bit that is never loaded, only flipped."""
    found = flips.copy()
    if start:
        found[0] ^= _ONE
    for shift in (1, 2, 4, 8, 16, 32):
        found ^= found << np.uint64(shift)
    entering = np.zeros_like(found)
    np.bitwise_xor.accumulate(found[:-1] >> _TOP, out=entering[1:])
    return found ^ -entering


def _entering(keeps: Words, takes: Words) -> Words:
    """What every word begins with, from what each whole word does to the bit; 0 before the first."""
    last = np.maximum.accumulate(np.where(keeps == 0, np.arange(len(keeps)), 0))
    flips = np.cumsum(keeps & takes)
    after = takes[last] ^ ((flips ^ flips[last]) & _ONE)
    entering = np.zeros_like(keeps)
    entering[1:] = after[:-1]
    return entering
