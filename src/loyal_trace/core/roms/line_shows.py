"""What each data line of an image shows, judged line by line: itself, a level, another line, two lines joined.

Every line is described by what it takes to write it down: the prior bits of what it shows and the entropy of the
places where that is wrong. So any number of lines can be faulty at once, each with its own fault, and a line that only
content keeps steady is never called stuck: being right costs nothing.
"""

from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.roms.maps import PARTS, Bytes, ranges

Counts = NDArray[np.int64]
Costs = NDArray[np.float64]
_LINES = 8
# Two lines that are joined cost this each: together less than two faults, alone more than a steady line.
_STEADY, _INVERTED, _OTHER, _OTHER_INVERTED, _JOINED = 8.0, 13.0, 12.0, 18.0, 9.0
RANGE_BITS = 9.0
_TINY = 1e-12


@dataclass(frozen=True)
class Source:
    """What a data line can show: `level`, another `line` (inverted or not), or two lines joined `low` or `high`."""

    kind: str
    lines: tuple[int, ...] = ()
    level: int = 0


@dataclass(frozen=True)
class LineShows:
    """What line `line` shows from part `start` to `end` (of `PARTS`), and how many bits are wrong all the same."""

    line: int
    source: Source
    start: int = 0
    end: int = 0
    wrong: int = 0

    @property
    def bits(self) -> float:
        """What it takes to say so: nothing where the line shows itself, more where it does so in a part only."""
        if is_right(self):
            return 0.0
        return _prior(self.line, self.source) + (0.0 if (self.start, self.end) == (0, PARTS) else RANGE_BITS)


def _sources() -> tuple[Source, ...]:
    steady = [Source("steady", (), level) for level in (0, 1)]
    shown = [Source(kind, (line,)) for kind in ("line", "inverted") for line in range(_LINES)]
    joined = [Source("joined", pair, level) for pair in combinations(range(_LINES), 2) for level in (0, 1)]
    return (*steady, *shown, *joined)


SOURCES = _sources()
_NUMBERS = {source: n for n, source in enumerate(SOURCES)}


def _truth(source: Source) -> NDArray[np.float64]:
    """The level shown for each of the 256 true bytes."""
    byte = np.arange(256)
    bits = [byte >> line & 1 for line in source.lines]
    if source.kind == "steady":
        return np.full(256, source.level, dtype=np.float64)
    if source.kind == "joined":
        return np.asarray(bits[0] | bits[1] if source.level else bits[0] & bits[1], dtype=np.float64)
    return np.asarray(bits[0] ^ (source.kind == "inverted"), dtype=np.float64)


def _prior(line: int, source: Source) -> float:
    if source.kind == "steady":
        return _STEADY
    if source.kind == "joined":
        return _JOINED if line in source.lines else np.inf
    own = line in source.lines
    if source.kind == "line":
        return 0.0 if own else _OTHER
    return _INVERTED if own else _OTHER_INVERTED


_TRUTHS: Costs = np.array([_truth(source) for source in SOURCES])
_PRIORS: Costs = np.array([[_prior(line, source) for source in SOURCES] for line in range(_LINES)])
_SIGNED, _FALSE = np.ascontiguousarray(2.0 * _TRUTHS.T - 1.0), np.ascontiguousarray(1.0 - _TRUTHS.T)
_FIELD = 17
_WEIGHTS = 2.0 ** (_FIELD * np.arange(3))
_SHIFTS = np.arange(_LINES, dtype=np.uint8)[:, None]


def bits_of(image: Bytes) -> NDArray[np.bool_]:
    """Shape (8, n): each data line over the bytes of an image."""
    return ((image[None, :] >> _SHIFTS) & 1).astype(bool)


def counted(predicted: Bytes, seen: NDArray[np.bool_]) -> tuple[Counts, Counts]:
    """How often each true byte occurs (256) and how often each line is high over it (8, 256)."""
    total, high = counted_all(predicted[None, :], seen)
    return total[0], high[0]


def counted_all(predicted: Bytes, seen: NDArray[np.bool_]) -> tuple[Counts, Counts]:
    """The same for many predictions (n, places) of one image: shapes (n, 256) and (n, 8, 256)."""
    many, places = predicted.shape
    if places >= 1 << _FIELD:
        totals = np.array([np.bincount(one, minlength=256) for one in predicted])
        high = np.array([[np.bincount(one[lane], minlength=256) for lane in seen] for one in predicted])
        return totals, high
    cells = (predicted.astype(np.int64) + (np.arange(many) << 8)[:, None]).ravel()
    totals = np.bincount(cells, minlength=256 * many).reshape(many, 256)
    # Three counters side by side in the 53 exact bits of a float: three passes instead of eight.
    fields = []
    for packed in np.einsum("gln,l->gn", _grouped(seen), _WEIGHTS):
        sums = np.bincount(cells, weights=np.tile(packed, many), minlength=256 * many).astype(np.int64)
        fields += [(sums >> _FIELD * place) & ((1 << _FIELD) - 1) for place in range(3)]
    return totals, np.array(fields[:_LINES]).reshape(_LINES, many, 256).transpose(1, 0, 2)


def _grouped(seen: NDArray[np.bool_]) -> NDArray[np.float64]:
    """The eight lines and one of noughts, by threes."""
    return np.concatenate([seen, np.zeros((1, seen.shape[1]), dtype=bool)]).reshape(3, 3, -1).astype(np.float64)


def mismatches(total: Counts, high: Counts) -> Counts:
    """Shape (…, 8, sources): how many bits are wrong if a line shows a source."""
    # right = high · truth + (total − high) · (1 − truth), with one product of the large matrices
    right = high.astype(np.float64) @ _SIGNED + (total.astype(np.float64) @ _FALSE)[..., None, :]
    return np.asarray(np.rint(total.sum(axis=-1)[..., None, None] - right), dtype=np.int64)


def entropy_bits(wrong: NDArray[np.number], count: float) -> Costs:
    """Bits to say which of `count` places are wrong, for every number of wrong ones; from one half on, one a place."""
    share = np.clip(wrong / max(count, 1), _TINY, 0.5)  # beyond, the opposite would be the source
    each = -(share * np.log2(share) + (1 - share) * np.log2(1 - share))
    return np.asarray(np.where(np.asarray(wrong) > 0, each * count, 0.0), dtype=np.float64)


def cheapest(wrong: Counts, count: int, size: int) -> tuple[Costs, NDArray[np.int64]]:
    """What all eight lines cost at best in an image of `size` bytes, of which `count` were looked at (bits), and the
    number of the source of each line; `wrong` of shape (…, 8, sources)."""
    cost = entropy_bits(wrong * (size / max(count, 1)), size) + _PRIORS
    return np.asarray(cost.min(axis=-1).sum(axis=-1)), cost.argmin(axis=-1)


def table_of(numbers: NDArray[np.int64]) -> Bytes:
    """The byte read for each true byte, where line n shows the source of the n-th number."""
    levels = _TRUTHS[numbers].astype(np.uint8)
    return np.asarray(np.bitwise_or.reduce(levels << _SHIFTS, axis=0), dtype=np.uint8)


def shows(total: Counts, high: Counts) -> tuple[LineShows, ...]:
    """What each line shows, from counts by parts (shapes (parts, 256) and (parts, 8, 256)).

    A line may show one thing everywhere, or in one aligned range another: then it occurs twice.
    """
    parts = len(total)
    wrong, count = mismatches(total, high), total.sum(axis=1)
    whole, best = wrong.sum(axis=0), cheapest(wrong.sum(axis=0), int(count.sum()), int(count.sum()))[1]
    found: list[LineShows] = []
    for line in range(_LINES):
        everywhere = LineShows(line, SOURCES[best[line]], 0, PARTS, int(whole[line, best[line]]))
        least = float(entropy_bits(whole[line, best[line]], count.sum()) + _PRIORS[line, best[line]])
        chosen = [everywhere]
        for start, end in ranges(parts) if everywhere.wrong and parts == PARTS else ():
            if end - start == parts:
                continue
            within, inside = wrong[start:end, line].sum(axis=0), count[start:end].sum()
            outside = whole[line] - within
            a = entropy_bits(within, inside) + _PRIORS[line]
            b = entropy_bits(outside, count.sum() - inside) + _PRIORS[line]
            one, two = int(a.argmin()), int(b.argmin())
            cost = float(a[one] + b[two]) + RANGE_BITS
            if one != two and cost < least:
                least = cost
                chosen = [
                    LineShows(line, SOURCES[two], 0, PARTS, int(outside[two])),
                    LineShows(line, SOURCES[one], start, end, int(within[one])),
                ]
        found += chosen
    return tuple(found)


def is_right(shown: LineShows) -> bool:
    """Does the line show itself?"""
    return shown.source == Source("line", (shown.line,))


def predicted_bytes(true: Bytes, shown: tuple[LineShows, ...]) -> Bytes:
    """The bytes read where the lines show what they do, from the bytes at the addresses that were read."""
    out, size = np.zeros_like(true), len(true)
    for one in shown:
        table = (_TRUTHS[_NUMBERS[one.source]].astype(np.uint8) << one.line).astype(np.uint8)
        first, last = one.start * size // PARTS, one.end * size // PARTS
        out[first:last] &= np.uint8(255 - (1 << one.line))
        out[first:last] |= table[true[first:last]]
    return out
