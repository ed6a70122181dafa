"""Undoing what loses nothing, by search, with only the sums at hand: line orders, lanes, halves, headers, inversions.

The order of the data lines is searched through the linear CRC: the sum of any of the 40,320 orders, with any lines
inverted, is an XOR of 8 of 64 lane sums and some of 8 constants. Everything else is tried and hashed. What fits is
proved by every sum in the list.
"""

import zlib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache
from itertools import permutations

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.roms.address_orders import reordered, rotated
from loyal_trace.core.roms.crc_algebra import contributions
from loyal_trace.core.roms.digests import agrees
from loyal_trace.core.roms.hypotheses import address_lines
from loyal_trace.core.roms.maps import Bytes, address_maps, permuted
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of


@dataclass(frozen=True)
class Undone:
    """What was done to the image, its kind and lines, the content put right, and the sums that prove it."""

    kind: str
    words: str
    where: Mapping[str, object]
    data: bytes
    proof: str


def undo(data: bytes, digests: Mapping[str, str], size: int | None = None, thorough: bool = False) -> Undone | None:
    """The reversible change after which every sum is right; None when none known here is.

    `thorough` also tries exchanged and inverted data lines over every stretch of addresses (0.7 s for 64 KiB).
    """
    if not digests or not data:
        return None
    proof = joined(say(" and "), sorted(digests))
    for kind, words, where, corrected in _candidates(data, digests, size, thorough):
        if agrees(corrected, digests):
            return Undone(kind, words, where, corrected, proof)
    return None


Candidate = tuple[str, str, Mapping[str, object], bytes]


def _candidates(data: bytes, digests: Mapping[str, str], size: int | None, thorough: bool) -> Iterator[Candidate]:
    image = np.frombuffer(data, dtype=np.uint8)
    if size is None or size == len(data):
        yield from _data_lines(image, digests)
        yield from _address_lines(image, digests)
        if "crc32" in digests and thorough:
            yield from _swapped_in_a_range(image, digests["crc32"])
    yield from _cut(data, size)


def _data_lines(image: Bytes, digests: Mapping[str, str]) -> Iterator[Candidate]:
    """Any order and inversion of the data lines; without a CRC only the commonest."""
    orders = _orders_by_crc(image, digests["crc32"]) if "crc32" in digests else _common_orders()
    for order, inverted in orders:
        moved = [line for line in range(8) if order[line] != line]
        backwards = order == tuple(range(7, -1, -1))
        flipped = [line for line in range(8) if inverted >> line & 1]
        kind = "bit-reversed" if backwards else "data-swapped" if moved else "inverted"
        words = joined(
            ", ",
            (say("D{n} and D{order}", n=n, order=order[n]) for n in moved if n < order[n] and order[order[n]] == n),
        )
        told = (
            say("data lines exchanged: {words}", words=words)
            if words and not backwards
            else say("data lines in another order")
        )
        told = say("the bits of every byte are in reverse order") if backwards else told if moved else "inverted"
        more = (
            say(", lines {flipped} inverted", flipped=joined(", ", (f"D{n}" for n in flipped)))
            if flipped and len(flipped) < 8
            else ""
        )
        where = {"data": moved or flipped}
        yield kind, told + more, where, permuted(order, inverted)[image].tobytes()


def _common_orders() -> Iterator[tuple[tuple[int, ...], int]]:
    plain = tuple(range(8))
    yield plain, 255
    yield tuple(reversed(plain)), 0
    yield (4, 5, 6, 7, 0, 1, 2, 3), 0
    for a in range(8):
        yield plain, 1 << a
        for b in range(a + 1, 8):
            order = list(plain)
            order[a], order[b] = b, a
            yield tuple(order), 0


@lru_cache(maxsize=1)
def _all_orders() -> NDArray[np.int64]:
    return np.array(list(permutations(range(8))), dtype=np.int64)


def _orders_by_crc(image: Bytes, wanted: str) -> Iterator[tuple[tuple[int, ...], int]]:
    """Orders and inversions under which the CRC is right, found without building one of them."""
    zero = zlib.crc32(bytes(len(image)))
    lane = np.array(
        [[zlib.crc32((((image >> s) & 1) << d).astype(np.uint8).tobytes()) ^ zero for d in range(8)] for s in range(8)],
        dtype=np.uint32,
    )
    constant = [zlib.crc32(np.full(len(image), 1 << d, np.uint8).tobytes()) ^ zero for d in range(8)]
    flips = np.zeros(256, dtype=np.uint32)
    for bit in range(8):
        flips[(np.arange(256) >> bit & 1) == 1] ^= np.uint32(constant[bit])
    orders = _all_orders()
    sums = np.zeros(len(orders), dtype=np.uint32)
    for d in range(8):
        sums ^= lane[orders[:, d], d]
    target = np.uint32(int(wanted, 16) ^ zero)
    for inverted in range(256):
        for number in np.flatnonzero(sums == (target ^ flips[inverted])):
            order = tuple(int(n) for n in orders[number])
            if order != tuple(range(8)) or inverted:
                yield order, inverted


def _address_lines(image: Bytes, digests: Mapping[str, str]) -> Iterator[Candidate]:
    """Other orders of the bytes: with a CRC any order and inversion of three address lines and any rotation; without
    one, two lines exchanged or one inverted. Lanes joined or split the wrong way are an order of all lines."""
    bits = address_lines(image)
    by_crc = "crc32" in digests
    if by_crc:
        for kind, words, lines, corrected in reordered(image, digests["crc32"], bits):
            yield kind, words, {"address": list(lines)}, corrected
        for offset, corrected in rotated(image, digests["crc32"]):
            late = say("the contents begin {bytes} late and wrap round", bytes=count_of(offset, "byte"))
            yield "shifted", late, {"offset": offset}, corrected
    index = np.arange(len(image), dtype=np.int64)
    for one in address_maps(bits):
        few = by_crc and bits >= 3 and 0 < len(one.lines) <= 2  # tried already
        if one.kind in ("address-swapped", "byte-swapped", "lane-wrong") and not few:
            put_back = np.empty_like(image)
            put_back[one.source(index)] = image
            yield one.kind, one.words, {"address": list(one.lines)}, put_back.tobytes()


def _swapped_in_a_range(image: Bytes, wanted: str) -> Iterator[Candidate]:
    """Two data lines exchanged, or one inverted, over any stretch of addresses: prefix sums that differ by the
    difference of the CRCs mark both ends."""
    delta = np.uint32(zlib.crc32(image.tobytes()) ^ int(wanted, 16))
    for a in range(8):
        for b in range(a + 1, 8):
            differ = ((image >> a ^ image >> b) & 1).astype(np.uint8)
            errors = (differ << a | differ << b).astype(np.uint8)
            yield from _stretches(
                image, errors, delta, "data-swapped", say("D{a} and D{b} are exchanged", a=a, b=b), [a, b]
            )
        errors = np.full(len(image), 1 << a, dtype=np.uint8)
        yield from _stretches(image, errors, delta, "inverted", say("D{a} is inverted", a=a), [a])


def _stretches(
    image: Bytes, errors: Bytes, delta: np.uint32, kind: str, words: str, lines: list[int], most: int = 64
) -> Iterator[Candidate]:
    prefix = np.r_[np.uint32(0), np.bitwise_xor.accumulate(contributions(errors))]
    order = np.argsort(prefix, kind="stable")
    place = np.searchsorted(prefix[order], prefix ^ delta)
    place = np.minimum(place, len(prefix) - 1)
    ends = np.flatnonzero(prefix[order][place] == prefix ^ delta)
    for end in ends[:most]:
        start, stop = sorted((int(order[place[end]]), int(end)))
        if stop > start:
            corrected = image.copy()
            corrected[start:stop] ^= errors[start:stop]
            where = {"data": lines, "from": start, "to": stop - 1}
            yield (
                kind,
                say("{words} from {start:04X} to {stop:04X}", words=words, start=start, stop=stop - 1),
                where,
                corrected.tobytes(),
            )


def _cut(data: bytes, size: int | None) -> Iterator[Candidate]:
    """Another size: a header cut off, the content once of several times, one lane of several, or the other half."""
    wanted = [size] if size else [len(data) // n for n in (2, 4, 8) if len(data) % n == 0 and len(data) >= 4 * n]
    for right in (w for w in wanted if w and w < len(data)):
        for start in dict.fromkeys([*range(0, len(data) - right + 1, right), len(data) - right]):
            piece = data[start : start + right]
            again = len(data) % right == 0 and data == piece * (len(data) // right)
            kind = "doubled" if again else "overdump" if start == 0 else "header"
            words = (
                say("the contents are in it several times")
                if again
                else say("the contents are {right:,} bytes from {start:04X} on", right=right, start=start)
            )
            yield kind, words, {"from": start, "to": start + right - 1}, piece
        count = len(data) // right
        for number in range(count if len(data) == count * right and count in (2, 4) else 0):
            yield (
                "lane-wrong",
                say("byte lane {number} of {count}", number=number, count=count),
                {"lane": number},
                data[number::count],
            )
    for corrected in (data.replace(b"\r\n", b"\n"), data.replace(b"\n", b"\r\n")):
        if corrected != data and (size is None or len(corrected) == size):
            yield "text-mode", say("line ends were changed, as in a text transfer"), {}, corrected
