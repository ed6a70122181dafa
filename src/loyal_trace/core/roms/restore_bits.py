"""Wrong bits found from a CRC-32 difference: one in each of three bytes, or a data line stuck over a stretch.

An error in bit b of the byte k places before the end adds x^(8k + 7 − b + 32) to the CRC, in the field of `field`.
**Three bits.** x^i + x^j + x^k = Δ, divided by x^i: 1 + Δ·x^(−i) = x^(j−i)·(1 + x^(k−j)). With logarithms it is a sum:
log(1 + Δ·x^(−i)) = (j − i) + Z(k − j), Z the Zech logarithm; for each i the values of Z in a window of a sorted list
answer it, so all triples cost 2·N logarithms and one sort instead of N² trials (N = 8n).
**Stuck stretch.** On one line the contributions are powers of x^8 times one factor; 32 of them in a row are a basis of
the field, so for every line and last byte the wrong bits before it follow by one linear map. A solution counts when it
only changes bits that read alike from the first to the last; longer stretches add a few free bits, shortest first, as
long as the choices stay below `_MOST_CHOICES`. Bits alike over more than 256 bytes are content, not a stuck line.
"""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.roms.candidates import Candidates
from loyal_trace.core.roms.crc_algebra import Words, apply_tables, repeated, step, step_back, tables_of
from loyal_trace.core.roms.field import ONE, ORDER, X, by_constant, logarithms, power, times_x

_AT_ONCE, _MOST_ROWS = 1 << 14, 1 << 20
_HASHED_AT_ONCE = 1 << 16
_SPAN = 32
_MOST_FREE = 20
_LONGEST_ALIKE = 256
_MOST_CHOICES = 1 << 18


def single_bits(data: bytes) -> Iterator[Candidates]:
    """Every single bit, those that read 1 first: a faded cell reads 1."""
    image = np.frombuffer(data, dtype=np.uint8)
    bits = np.unpackbits(image, bitorder="little")
    for level in (1, 0):
        which = np.flatnonzero(bits == level)[::-1]
        for start in range(0, len(which), _HASHED_AT_ONCE):
            some = which[start : start + _HASHED_AT_ONCE]
            places = some // 8
            yield Candidates(places[:, None], (image[places] ^ (1 << some % 8).astype(np.uint8))[:, None])


def _exponents_of(delta: int) -> int:
    """The difference without the 32 steps that every CRC-32 adds at the end."""
    state = np.array([delta], dtype=np.uint32)
    for _ in range(4):
        state = step_back(state)
    return int(state[0])


def three_bits(data: bytes, delta: int) -> Iterator[Candidates]:
    """Every way to explain the difference by one wrong bit in each of three bytes: three faded cells first."""
    bits = 8 * len(data)
    if len(data) < 3:
        return
    divided = repeated(np.array([_exponents_of(delta)], dtype=np.uint32), bits, by_constant(power(X, -1)))[:, 0]
    divided ^= np.uint32(ONE)
    starts = np.flatnonzero(divided)
    logs = logarithms(divided[starts])
    steps = repeated(np.array([ONE], dtype=np.uint32), bits, times_x)[1:, 0] ^ np.uint32(ONE)
    zech = logarithms(steps)
    order = np.argsort(zech, kind="stable")
    ordered = np.r_[zech[order] - ORDER, zech[order]]  # once below zero, for windows that begin before it
    distance = np.r_[order, order] + 1
    image = np.frombuffer(data, dtype=np.uint8)
    at_once = max(
        64, min(_AT_ONCE, _MOST_ROWS * ORDER // bits**2)
    )  # each start has about bits² / 2^32 pairs to look at
    for faded in (True, False):
        for start in range(0, len(starts), at_once):
            some = slice(start, start + at_once)
            rows = _triples(starts[some], logs[some], ordered, distance, bits)
            yield from _as_candidates(rows, image, faded)


def _triples(
    starts: NDArray[np.int64],
    logs: NDArray[np.int64],
    ordered: NDArray[np.int64],
    distance: NDArray[np.int64],
    bits: int,
) -> NDArray[np.int64]:
    """Rows of three exponents, rising: j − i = log − Z must lie between 1 and what is left of the image."""
    first = np.searchsorted(ordered, logs - (bits - starts), "left")
    count = np.searchsorted(ordered, logs, "left") - first
    which = np.repeat(np.arange(len(starts)), count)
    at = first[which] + np.arange(len(which)) - np.repeat(np.cumsum(count) - count, count)
    middle = starts[which] + logs[which] - ordered[at]
    last = middle + distance[at]
    keep = last < bits
    return np.column_stack((starts[which][keep], middle[keep], last[keep]))


def _as_candidates(rows: NDArray[np.int64], image: NDArray[np.uint8], faded: bool) -> Iterator[Candidates]:
    """Exponents as places and bits, the earliest byte first; only those in three bytes, all reading 1 or not."""
    rows = rows[:, ::-1]
    places, lanes = len(image) - 1 - rows // 8, 7 - rows % 8
    apart = (np.diff(places, axis=1) > 0).all(axis=1)
    ones = (image[places] >> lanes & 1).all(axis=1)
    keep = np.flatnonzero(apart & (ones == faded))
    for start in range(0, len(keep), _HASHED_AT_ONCE):
        some = keep[start : start + _HASHED_AT_ONCE]
        flips = (1 << lanes[some]).astype(np.uint8)
        yield Candidates(places[some], image[places[some]] ^ flips)


def stuck_stretches(data: bytes, delta: int) -> Iterator[Candidates]:
    """Every way to explain the difference by a data line that read one level over a stretch, short stretches first."""
    image = np.frombuffer(data, dtype=np.uint8)[::-1]  # place k is the byte k before the end
    carried = repeated(np.array([_exponents_of(delta)], dtype=np.uint32), len(image), step_back)[:, 0]
    solve = _solver()
    longer = []
    for line in range(8):
        wanted = apply_tables(solve, by_constant(power(X, line - 7))(carried))
        for level in (1, 0):
            alike = (image >> line & 1) == level
            runs = _runs_from(alike)
            top = np.zeros(len(image), dtype=np.int64)
            top[wanted > 0] = np.floor(np.log2(wanted[wanted > 0])).astype(np.int64)
            fits = np.flatnonzero((wanted & 1 == 1) & (top < runs) & (top > 0) & (runs <= _LONGEST_ALIKE))
            yield from _flipped(image, line, [(k, int(wanted[k])) for k in fits[np.argsort(runs[fits])].tolist()])
            begins = np.flatnonzero(np.diff(alike.astype(np.int8), prepend=0) > 0)
            long = begins[(runs[begins] > _SPAN) & (runs[begins] <= _SPAN + _MOST_FREE)]
            longer += [(int(runs[k]), line, int(k)) for k in long]
    choices = 0
    for length, line, start in sorted(longer):
        choices += 1 << length - _SPAN
        if choices > _MOST_CHOICES:
            return
        yield from _long_stretch(image, line, start, length, carried, solve)


def _solver() -> Words:
    """Tables that turn an element into its coordinates over 1, x^8, x^16 … x^248, bit t for x^(8t)."""
    rows = [[int(word), 1 << t] for t, word in enumerate(_powers_of_byte(_SPAN))]
    for bit in range(32):
        pivot = next(n for n in range(bit, 32) if rows[n][0] >> bit & 1)
        rows[bit], rows[pivot] = rows[pivot], rows[bit]
        for n in range(32):
            if n != bit and rows[n][0] >> bit & 1:
                rows[n][0] ^= rows[bit][0]
                rows[n][1] ^= rows[bit][1]
    return tables_of(np.array([coordinates for _, coordinates in rows], dtype=np.uint32))


def _powers_of_byte(count: int) -> Words:
    return repeated(np.array([ONE], dtype=np.uint32), count, step)[:, 0]


def _runs_from(alike: NDArray[np.bool_]) -> NDArray[np.int64]:
    """How many places in a row are alike, from each place on."""
    stops = np.flatnonzero(~alike)
    following = np.searchsorted(stops, np.arange(len(alike)))
    ends = np.r_[stops, len(alike)]
    return np.asarray(ends[following] - np.arange(len(alike)), dtype=np.int64)


def _flipped(image: NDArray[np.uint8], line: int, found: list[tuple[int, int]]) -> Iterator[Candidates]:
    """Masks of wrong bits before a last byte, as candidates: one batch for each number of changed bytes."""
    by_count: dict[int, list[list[int]]] = {}
    size = len(image)
    for last, mask in found:
        row = [size - 1 - last - t for t in range(mask.bit_length() - 1, -1, -1) if mask >> t & 1]
        by_count.setdefault(len(row), []).append(row)
    for listed in by_count.values():
        places = np.array(listed, dtype=np.int64)
        yield Candidates(places, image[size - 1 - places] ^ np.uint8(1 << line))


def _long_stretch(
    image: NDArray[np.uint8], line: int, start: int, length: int, carried: Words, solve: Words
) -> Iterator[Candidates]:
    """A run of more than 32 bytes: every choice of the bits beyond the first 32 leaves one solution for those."""
    free = length - _SPAN
    wanted = by_constant(power(X, line - 7))(carried[start : start + 1])[0]
    beyond = _powers_of_byte(length)[_SPAN:]
    for begin in range(0, 1 << free, _HASHED_AT_ONCE >> 2):
        choices = np.arange(begin, min(begin + (_HASHED_AT_ONCE >> 2), 1 << free), dtype=np.uint32)
        sums = np.full(len(choices), wanted, dtype=np.uint32)
        for bit in range(free):
            sums ^= np.where(choices >> np.uint32(bit) & np.uint32(1), beyond[bit], np.uint32(0))
        masks = apply_tables(solve, sums).astype(np.int64) | choices.astype(np.int64) << _SPAN
        yield from _flipped(image, line, [(start, int(mask)) for mask in masks if mask])
