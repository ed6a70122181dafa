"""Damage as a map from the true image: byte tables (data lines) and source indices (address lines), counted fast.

Whatever happens on the data lines sends each true byte to one byte: a table of 256. With the joint histogram of (true
byte, byte read) every table is scored without touching the image again. Whatever happens on the address lines reads
another address: a source index, tried on a sample first and on the whole image only when the sample speaks for it.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import cache
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.vocabulary.phrases import joined, say

Bytes = NDArray[np.uint8]
Index = NDArray[np.int64]
IDENTITY: Bytes = np.arange(256, dtype=np.uint8)
PARTS = 8
_INVERTED = {
    0: ("byte-swapped", say("the bytes of every pair are exchanged")),
    1: ("byte-swapped", say("the words of every four bytes are exchanged")),
}
_IN_ORDER = tuple(range(8))


@dataclass(frozen=True)
class DataMap:
    """One thing that can happen on the data lines: its kind, the lines, in words, and the table of 256."""

    kind: str
    lines: tuple[int, ...]
    words: str
    table: Bytes = field(compare=False)
    bits: float = 4.0
    level: int | None = None
    inverted: tuple[int, ...] = ()


@dataclass(frozen=True)
class AddressMap:
    """One thing that can happen on the address lines: kind, lines, in words, and where each address reads from."""

    kind: str
    lines: tuple[int, ...]
    words: str
    source: Callable[[Index], Index] = field(compare=False)
    bits: float = 5.0
    level: int | None = None


def spread_over(places: Index, most: int) -> Index:
    """About `most` of the places, one in each equal piece, at offsets that favour no line (golden-ratio walk)."""
    step = max(1, len(places) // most)
    starts = np.arange(0, len(places) - step + 1, step, dtype=np.int64)
    return np.asarray(places[starts + (np.arange(len(starts)) * 0x9E3779B1 >> 13) % step], dtype=np.int64)


def _bit(table: Bytes, line: int) -> Bytes:
    return ((table >> line) & 1).astype(np.uint8)


def _with(table: Bytes, line: int, values: Bytes) -> Bytes:
    cleared = (table & ~np.uint8(1 << line)).astype(np.uint8)
    return (cleared | (values << line)).astype(np.uint8)


def permuted(order: tuple[int, ...], inverted: int = 0) -> Bytes:
    """The table under which line n shows what belongs on line `order[n]`, then the lines of the mask inverted."""
    table = np.zeros(256, dtype=np.uint8)
    for line, source in enumerate(order):
        table |= (_bit(IDENTITY, source) << line).astype(np.uint8)
    return (table ^ np.uint8(inverted)).astype(np.uint8)


@cache
def data_maps() -> tuple[DataMap, ...]:
    """Every single fault of the data lines: stuck, bridged, following a neighbour, swapped, reversed, inverted."""
    return tuple(_data_faults())


def _data_faults() -> Iterator[DataMap]:
    for line in range(8):
        for level in (0, 1):
            word = say("high") if level else say("low")
            table = _with(IDENTITY, line, np.full(256, level, dtype=np.uint8))
            yield DataMap(
                f"data-stuck-{level}",
                (line,),
                say("D{line} reads {word}", line=line, word=word),
                table,
                4.0,
                level,
            )
    for a, b in combinations(range(8), 2):
        one, other = _bit(IDENTITY, a), _bit(IDENTITY, b)
        for name, both in (("low", one & other), ("high", one | other)):
            table = _with(_with(IDENTITY, a, both), b, both)
            yield DataMap(
                "data-bridged", (a, b), say("D{a} and D{b} are bridged, {name} wins", a=a, b=b, name=name), table, 12.0
            )
        order = list(range(8))
        order[a], order[b] = b, a
        yield DataMap(
            "data-swapped", (a, b), say("D{a} and D{b} are exchanged", a=a, b=b), permuted(tuple(order)), 11.0
        )
    for line in range(8):
        for near in (line - 1, line + 1):
            if 0 <= near < 8:
                words = say("D{line} is open and follows D{near}", line=line, near=near)
                yield DataMap("data-bridged", (line, near), words, _with(IDENTITY, line, _bit(IDENTITY, near)), 13.0)
        yield DataMap("inverted", (line,), say("D{line} is inverted", line=line), permuted(_IN_ORDER, 1 << line), 13.0)
    backwards = permuted(tuple(reversed(_IN_ORDER)))
    yield DataMap("bit-reversed", _IN_ORDER, say("the bits of every byte are in reverse order"), backwards, 9.0)
    yield DataMap("inverted", _IN_ORDER, say("every bit is inverted"), permuted(_IN_ORDER, 255), 9.0)


def found_permutation(joint: NDArray[np.int64]) -> DataMap | None:
    """Any order and inversion of the data lines, read off the joint histogram: which line shows which."""
    total = int(joint.sum())
    read = np.array([joint[:, _bit(IDENTITY, line) == 1].sum(axis=1) for line in range(8)])
    order, inverted = [], 0
    for line, agree in enumerate(_agreements(joint, read).tolist()):
        best = max(range(8), key=lambda s: max(agree[s], total - agree[s]))
        order.append(best)
        inverted |= (agree[best] * 2 < total) << line
    if sorted(order) != list(range(8)) or (order == list(range(8)) and not inverted):
        return None
    moved = tuple(line for line in range(8) if order[line] != line)
    words = joined(", ", (say("D{line} shows D{order}", line=line, order=order[line]) for line in moved)) or say(
        "lines are inverted"
    )
    words += say(", inverted where {inverted:02X}", inverted=inverted) if inverted and moved else ""
    kind = "data-swapped" if moved else "inverted"
    lines = moved or tuple(line for line in range(8) if inverted >> line & 1)
    also = tuple(line for line in range(8) if inverted >> line & 1) if moved else ()
    return DataMap(kind, lines, words, permuted(tuple(order), inverted), 24.0, inverted=also)


def _agreements(joint: NDArray[np.int64], high: NDArray[np.int64]) -> NDArray[np.int64]:
    """How often each line, high `high[line, t]` times over each true byte t, agrees with each true line: (8, 8)."""
    ones = np.array([_bit(IDENTITY, source) for source in range(8)], dtype=np.int64)
    return np.asarray(high @ ones.T + (joint.sum(axis=1) - high) @ (1 - ones).T, dtype=np.int64)


def address_maps(bits: int) -> Iterator[AddressMap]:
    """Every single fault of `bits` address lines: stuck, bridged, swapped, inverted; byte and word order."""
    for line in range(bits):
        mask = 1 << line
        for level in (0, 1):
            words = say("A{line} is stuck high" if level else "A{line} is stuck low", line=line)
            yield AddressMap("address-stuck", (line,), words, _forced(mask, level), 9.0, level)
        kind, words = _INVERTED.get(
            line,
            (
                "address-swapped",
                say("A{line} is inverted: neighbouring blocks of {size:,} bytes are exchanged", line=line, size=mask),
            ),
        )
        yield AddressMap(kind, (line,), words, _inverted(mask), 10.0 if line < 2 else 12.0)
    if bits > 2:
        yield AddressMap("byte-swapped", (0, 1), say("every four bytes are in reverse order"), _inverted(3), 10.0)
    if bits > 1:
        yield AddressMap(
            "address-swapped",
            tuple(range(bits)),
            say("addresses are in reverse order"),
            _inverted((1 << bits) - 1),
            12.0,
        )
    for a, b in combinations(range(bits), 2):
        yield AddressMap(
            "address-swapped", (a, b), say("A{a} and A{b} are exchanged", a=a, b=b), _exchanged(a, b), 12.0
        )
        for name, wins in (("low", True), ("high", False)):
            words = say("A{a} and A{b} are bridged, {name} wins", a=a, b=b, name=name)
            yield AddressMap("address-bridged", (a, b), words, _tied(a, b, wins), 14.0)
    yield from _lanes(bits)


def _forced(mask: int, level: int) -> Callable[[Index], Index]:
    return (lambda i: i | mask) if level else (lambda i: i & ~mask)


def _inverted(mask: int) -> Callable[[Index], Index]:
    return lambda i: i ^ mask


def _exchanged(a: int, b: int) -> Callable[[Index], Index]:
    return lambda i: (i & ~((1 << a) | (1 << b))) | ((i >> a & 1) << b) | ((i >> b & 1) << a)


def _tied(a: int, b: int, low_wins: bool) -> Callable[[Index], Index]:
    def source(i: Index) -> Index:
        one, other = i >> a & 1, i >> b & 1
        both = (one & other) if low_wins else (one | other)
        return (i & ~((1 << a) | (1 << b))) | (both << a) | (both << b)

    return source


def _lanes(bits: int) -> Iterator[AddressMap]:
    """Halves shuffled into lanes, or lanes laid one after the other: a rotation of the address lines."""
    if bits < 3:
        return
    top, mask = bits - 1, (1 << bits) - 1
    words = say("the two halves are interleaved, as byte lanes of a wider bus")
    yield AddressMap("lane-wrong", (), words, lambda i: (i >> 1) | ((i & 1) << top), 12.0)
    words = say("the bytes of two byte lanes follow one another as halves")
    yield AddressMap("lane-wrong", (), words, lambda i: ((i << 1) & mask) | (i >> top), 12.0)


def dead_lines(image: Bytes, bits: int, most: int = 4) -> tuple[int, ...]:
    """Address lines that make no difference to what is read: the content is the same with them high and low."""
    found = []
    for line in range(bits):
        half = image.reshape(-1, 2, 1 << line)
        if np.array_equal(half[:, 0], half[:, 1]):
            found.append(line)
    return tuple(found) if len(found) <= most else ()


def dead_line_maps(lines: tuple[int, ...]) -> Iterator[AddressMap]:
    """Several lines stuck at once, at each combination of levels."""
    mask = sum(1 << line for line in lines)
    for levels in range(1 << len(lines) if len(lines) > 1 else 0):
        held = sum((levels >> n & 1) << line for n, line in enumerate(lines))
        words = joined(
            ", ",
            (say("A{line} high" if levels >> n & 1 else "A{line} low", line=line) for n, line in enumerate(lines)),
        )

        def source(i: Index, held: int = held) -> Index:
            return (i & ~mask) | held

        yield AddressMap("address-stuck", lines, say("stuck: {words}", words=words), source, 9.0 + 5.0 * len(lines))


def found_address_order(image: Bytes, reference: Bytes, bits: int) -> AddressMap | None:
    """Any order of the address lines: a line moves the same bytes whatever its place, so histograms name it.

    For every line the histogram of bytes read with it high is compared with those of the true image; None unless each
    line of the image matches one of the truth's, and not all in place.
    """
    index = np.arange(len(image))
    ours = [np.bincount(image[(index >> n & 1) == 1], minlength=256) for n in range(bits)]
    theirs = [np.bincount(reference[(index >> n & 1) == 1], minlength=256) for n in range(bits)]
    far = np.array([[np.abs(a - b).sum() for b in theirs] for a in ours])
    order = [int(row.argmin()) for row in far]
    if sorted(order) != list(range(bits)) or order == list(range(bits)):
        return None

    def source(i: Index) -> Index:
        out = np.zeros_like(i)
        for line, other in enumerate(order):
            out |= (i >> line & 1) << other
        return out

    moved = tuple(n for n in range(bits) if order[n] != n)
    words = joined(", ", (say("A{n} is connected in place of A{order}", n=n, order=order[n]) for n in moved[:4])) + (
        " …" if len(moved) > 4 else ""
    )
    return AddressMap("address-swapped", moved, words, source, 12.0 + 4.0 * len(moved))


def joint_histograms(image: Bytes, reference: Bytes) -> NDArray[np.int64]:
    """Counts of (true byte, byte read) in each eighth of the image: shape (8, 256, 256); one part for tiny images."""
    parts = PARTS if len(image) % PARTS == 0 and len(image) >= 64 * PARTS else 1
    pairs = reference.astype(np.int64) << 8 | image
    found = [np.bincount(block, minlength=65536).reshape(256, 256) for block in pairs.reshape(parts, -1)]
    return np.array(found, dtype=np.int64)


def ranges(parts: int) -> Iterator[tuple[int, int]]:
    """Aligned runs of parts that an address line can pick out: all, halves, quarters, eighths."""
    size = parts
    while size >= 1:
        for start in range(0, parts, size):
            yield start, start + size
        size //= 2
