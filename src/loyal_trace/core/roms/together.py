"""Several faults at once: address lines, one after the other, and whatever each data line shows, judged together.

The address faults are looked for one by one on a sample, each added to the best few found so far; after each, what the
eight data lines show is worked out anew, so a fault of the data lines hides none of the address lines and the other way
round. An address line that floats gives one of two bytes at every address. What is left is counted.
"""

import itertools
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.roms.hypotheses import address_lines
from loyal_trace.core.roms.line_shows import (
    SOURCES,
    LineShows,
    Source,
    bits_of,
    cheapest,
    counted,
    counted_all,
    entropy_bits,
    is_right,
    mismatches,
    predicted_bytes,
    shows,
    table_of,
)
from loyal_trace.core.roms.maps import PARTS, AddressMap, Bytes, Index, address_maps, spread_over

_SAMPLE = 512
# The best of some hundred maps gains a little by chance: what counts is more than that.
_WORTH, _LEAST_GAIN = 0.97, 24.0
_BEAM, _DEEPEST, _AT_ONCE = 3, 3, 64
_FLOATING_TRIED, _FLOATING_KEPT = 3, 12
# A constant run this long where content should be is a stretch that was not read, and says nothing of the lines.
_BLANK_RUN = 64
_NOISY, _MOST_NOISY, _NOISY_BITS = 0.03, 2, 12.0
# More than this share of wrong bytes left over, and nothing was explained.
_MOST_LEFT = 0.1
_BLANK_BITS = 30.0
_ENOUGH = 128
_STEADY_NUMBER = [SOURCES.index(Source("steady", (), level)) for level in (0, 1)]
_OWN_NUMBER = [SOURCES.index(Source("line", (line,))) for line in range(8)]


@dataclass(frozen=True)
class Reading:
    """How the addresses were read: the maps applied one after the other, and a line that floats (its mask), if any."""

    maps: tuple[AddressMap, ...] = ()
    floating: int = 0
    cost: float = math.inf

    def source(self, index: Index) -> Index:
        """The address of the chip that was read at each address."""
        for one in self.maps:
            index = one.source(index)
        return index

    @property
    def bits(self) -> float:
        return sum(one.bits for one in self.maps) + (_NOISY_BITS if self.floating else 0.0)

    @property
    def used(self) -> set[int]:
        """The address lines that are spoken for."""
        return {line for one in self.maps for line in one.lines} | (
            {self.floating.bit_length() - 1} if self.floating else set()
        )


@dataclass(frozen=True)
class Account:
    """Everything found: the reading, what the data lines show, noisy ones, a stretch not read, and what is left."""

    reading: Reading
    shown: tuple[LineShows, ...]
    noisy: tuple[int, ...]
    blank: tuple[int, int] | None
    predicted: Bytes
    wrong: NDArray[np.int64]
    cost: float


def account_of(image: Bytes, reference: Bytes, there: NDArray[np.bool_] | None = None) -> Account | None:
    """The cheapest account of an image of the right size by faults of its lines; None when none is worth telling.

    `there` marks the bytes that were read at all; the others are not judged.
    """
    unread = _unread(image, reference)
    there = np.ones(len(image), dtype=bool) if there is None else there
    looked_at = np.flatnonzero(~unread & there)
    if len(looked_at) < max(64, len(image) // 4):
        return None
    sample = spread_over(looked_at, _SAMPLE)
    best = _readings(image, reference, sample)
    accounts = [
        one for one in (_in_full(image, reference, reading, looked_at, there) for reading in best) if one is not None
    ]
    return min(accounts, key=lambda one: one.cost, default=None)


def _runs(image: Bytes) -> tuple[Index, Index]:
    """Where each run of one byte begins, and where the next one does."""
    changes = np.flatnonzero(np.diff(image)) + 1
    return np.r_[0, changes], np.r_[changes, len(image)]


def _unread(image: Bytes, reference: Bytes) -> NDArray[np.bool_]:
    """Where the image holds one byte for long although the reference does not."""
    starts, ends = _runs(image)
    moving = np.r_[0, np.cumsum(np.diff(reference) != 0)]
    long = (ends - starts >= _BLANK_RUN) & (moving[ends - 1] - moving[starts] >= _BLANK_RUN // 2)
    marked = np.zeros(len(image) + 1, dtype=np.int64)
    np.add.at(marked, starts[long], 1)
    np.add.at(marked, ends[long], -1)
    return np.asarray(np.cumsum(marked)[:-1] > 0)


def _readings(image: Bytes, reference: Bytes, sample: NDArray[np.int64]) -> list[Reading]:
    """The few cheapest ways in which the addresses may have been read."""
    seen = bits_of(image[sample])
    judge = _Judge(image[sample], seen, reference, sample)
    bits = address_lines(image)
    steps = list(address_maps(bits))
    kept = best = judge.weighed([Reading()])
    for _ in range(_DEEPEST if bits else 0):
        tried = judge.weighed([one for reading in best for one in judge.promising(reading, steps, bits)])
        better = sorted(
            (one for one in tried if one.cost < _WORTH * best[0].cost - _LEAST_GAIN), key=lambda one: one.cost
        )
        if not better:
            break
        best = _distinct(better)
        kept = (best + kept)[:_BEAM]
    return kept


def _distinct(readings: Sequence[Reading]) -> list[Reading]:
    """The cheapest few, those of the same lines once."""
    found: dict[frozenset[tuple[str, tuple[int, ...], int | None]], Reading] = {}
    for one in readings:
        key = frozenset((m.kind, m.lines, m.level) for m in one.maps) | {("float", (one.floating,), None)}
        found.setdefault(key, one)
        if len(found) == _BEAM:
            break
    return list(found.values())


def _extended(reading: Reading, steps: Sequence[AddressMap]) -> Iterator[Reading]:
    used = reading.used
    for one in steps:
        if not used & set(one.lines):
            yield Reading((*reading.maps, one), reading.floating)


@dataclass(frozen=True)
class _Judge:
    """Weighs readings on a sample: the bits of the maps and of what the data lines then cost."""

    image: Bytes
    seen: NDArray[np.bool_]
    reference: Bytes
    sample: NDArray[np.int64]

    def weighed(self, readings: Sequence[Reading]) -> list[Reading]:
        """The readings with their costs."""
        plain = [one for one in readings if not one.floating]
        found = [self._floating(one) for one in readings if one.floating]
        for start in range(0, len(plain), _AT_ONCE):
            some = plain[start : start + _AT_ONCE]
            read = np.array([self.reference[one.source(self.sample)] for one in some])
            wrong = mismatches(*counted_all(read, self.seen))
            costs, _ = cheapest(wrong, len(self.sample), len(self.reference))
            found += [replace(one, cost=float(cost) + one.bits) for one, cost in zip(some, costs, strict=True)]
        return found

    def promising(self, reading: Reading, steps: Sequence[AddressMap], bits: int) -> list[Reading]:
        """The reading with one more fault. Floating lines take long to weigh: of those only the few under which the
        bytes come nearest to the image."""
        further = list(_extended(reading, steps))
        if reading.floating:
            return self._nearest(reading, further, _FLOATING_KEPT)
        floating = [Reading(reading.maps, 1 << line) for line in sorted(set(range(bits)) - reading.used)]
        return [*further, *self._nearest(reading, floating, _FLOATING_TRIED)]

    def _nearest(self, before: Reading, readings: Sequence[Reading], most: int) -> list[Reading]:
        low, high = _either(self.reference, before, self.sample)
        lines = mismatches(*counted(np.where(low == high, low, self.image).astype(np.uint8), self.seen))
        table = table_of(cheapest(lines, len(self.sample), len(self.reference))[1])
        far = []
        for number, one in enumerate(readings):
            low, high = _either(self.reference, one, self.sample)
            nearer = np.minimum(np.bitwise_count(self.image ^ table[low]), np.bitwise_count(self.image ^ table[high]))
            plainly = np.minimum(np.bitwise_count(self.image ^ low), np.bitwise_count(self.image ^ high))
            far.append((min(int(nearer.sum()), int(plainly.sum())), number))
        return [readings[number] for _, number in sorted(far)[:most]]

    def _floating(self, reading: Reading) -> Reading:
        size, count = len(self.reference), len(self.sample)
        low, high = _either(self.reference, reading, self.sample)
        wrong = mismatches(*counted(_nearer_of(self.image, self.seen, low, high), self.seen))
        doubt = float(np.count_nonzero(low != high)) * size / count
        return replace(reading, cost=float(cheapest(wrong, count, size)[0]) + reading.bits + doubt)


def _either(reference: Bytes, reading: Reading, places: Index) -> tuple[Bytes, Bytes]:
    """The two bytes that a floating line can give at each place."""
    low = reference[reading.source(places & ~reading.floating)]
    return low, reference[reading.source(places | reading.floating)]


def _nearer_of(image: Bytes, seen: NDArray[np.bool_], low: Bytes, high: Bytes) -> Bytes:
    """Of two possible true bytes the one that is nearer to what was read, whatever the data lines show.

    What they show is learnt where the two are the same; where that is hardly anywhere, a line that never moves is
    taken to be stuck and every other to be right, and the choice is made once more with what follows from it.
    """
    same, size = low == high, len(image)
    if np.count_nonzero(same) >= _ENOUGH:
        lines = cheapest(mismatches(*counted(low[same], seen[:, same])), int(same.sum()), size)[1]
        return _nearer(image, low, high, table_of(lines))
    rare = np.minimum(seen.sum(axis=1), size - seen.sum(axis=1))
    lines = np.array([_STEADY_NUMBER[int(seen[n, 0])] if rare[n] == 0 else _OWN_NUMBER[n] for n in range(8)])
    nearer = _nearer(image, low, high, table_of(lines))
    lines = cheapest(mismatches(*counted(nearer, seen)), size, size)[1]
    return _nearer(image, low, high, table_of(lines))


def _nearer(image: Bytes, low: Bytes, high: Bytes, table: Bytes) -> Bytes:
    far_low, far_high = np.bitwise_count(image ^ table[low]), np.bitwise_count(image ^ table[high])
    return np.where(far_low <= far_high, low, high).astype(np.uint8)


def _in_full(
    image: Bytes, reference: Bytes, reading: Reading, looked_at: NDArray[np.int64], there: NDArray[np.bool_]
) -> Account | None:
    """The account of one reading over the whole image; None when it leaves too much wrong."""
    index = np.arange(len(image), dtype=np.int64)
    true = _true_bytes(image, reference, reading, index)
    shown = _shown(image, true, looked_at)
    predicted = predicted_bytes(true, shown)
    differ = image ^ predicted
    wrong_on = np.bitwise_count(differ[looked_at, None] & (1 << np.arange(8, dtype=np.uint8))).sum(axis=0)
    noisy = tuple(int(n) for n in np.flatnonzero(wrong_on > _NOISY * len(looked_at)))
    if len(noisy) > _MOST_NOISY:
        return None
    shown = tuple(one for one in shown if one.line not in noisy or is_right(one))
    silent = np.uint8(255 - sum(1 << n for n in noisy))
    wrong = np.flatnonzero((differ & silent).astype(bool) & there)
    blank = _stretch(image, wrong)
    cost = _BLANK_BITS if blank else 0.0
    if blank:
        wrong = wrong[(wrong < blank[0]) | (wrong > blank[1])]
    if len(wrong) > _MOST_LEFT * len(image):
        return None
    cost += reading.bits + sum(one.bits for one in shown) + len(wrong) * (math.log2(len(image)) + 8.0)
    cost += sum(_NOISY_BITS + float(entropy_bits(np.array(wrong_on[n]), len(image))) for n in noisy)
    if reading.floating:
        low, high = _either(reference, reading, index)
        cost += float(np.count_nonzero(low != high))
    predicted = (predicted & silent | image & ~silent).astype(np.uint8)
    return Account(reading, shown, noisy, blank, predicted, wrong, cost)


def _true_bytes(image: Bytes, reference: Bytes, reading: Reading, index: Index) -> Bytes:
    if not reading.floating:
        return reference[reading.source(index)]
    return _nearer_of(image, bits_of(image), *_either(reference, reading, index))


def _shown(image: Bytes, true: Bytes, looked_at: NDArray[np.int64]) -> tuple[LineShows, ...]:
    """What each data line shows, by aligned eighths where the image is long enough."""
    parts = PARTS if len(image) % PARTS == 0 and len(image) >= 64 * PARTS else 1
    edges = np.searchsorted(looked_at, np.arange(parts + 1) * len(image) // parts)
    totals, highs = [], []
    for start, end in itertools.pairwise(edges):
        places = looked_at[start:end]
        total, high = counted(true[places], bits_of(image[places]))
        totals.append(total)
        highs.append(high)
    return shows(np.array(totals), np.array(highs))


def _stretch(image: Bytes, wrong: NDArray[np.int64]) -> tuple[int, int] | None:
    """The one stretch of a constant byte that holds most of what is wrong."""
    if len(wrong) < _BLANK_RUN:
        return None
    starts, ends = _runs(image)
    longest = int(np.argmax(ends - starts))
    start, end = int(starts[longest]), int(ends[longest]) - 1
    inside = int(np.searchsorted(wrong, end + 1) - np.searchsorted(wrong, start))
    return (start, end) if end - start >= _BLANK_RUN - 1 and inside > len(wrong) // 2 else None
