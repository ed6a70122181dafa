"""Damage to an image's size or place: halves, doubles, headers, overdumps, shifts, text mode, joined sets."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.roms.alignment import aligned
from loyal_trace.core.roms.line_shows import bits_of, cheapest, counted, entropy_bits, mismatches
from loyal_trace.core.roms.offsets import likely_offsets
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of

_ANCHOR = 24
_CLOSE = 0.02
_LEAST_VALUES = 4  # an end that holds fewer different bytes fits in too many places
_SCREENED, _RESEMBLES = 2048, 0.9
# Of many offsets one is chosen, so that more is asked of it.
_RESEMBLES_MOVED, _ENOUGH_VALUES = 0.8, 8
_ROTATE = say("Rotate it back by that many bytes.")
_AGAIN = say("Compare the size with that at the reader: the read or the transfer lost the rest. Do it again.")


@dataclass(frozen=True)
class Shape:
    """One way in which an image holds the true content at another place: kind, words, advice, where, bits it costs.

    `read` are the bytes of the image in their right places, `meant` those of the reference that belong there; `there`
    says which of them the file holds at all, None for every one. `alike` is no where only a fault of the address lines
    could make it this shape.
    """

    kind: str
    words: str
    advice: str
    read: bytes
    meant: bytes
    where: Mapping[str, object] = field(default_factory=dict)
    bits: float = 6.0
    there: NDArray[np.bool_] | None = None
    alike: bool = True

    @property
    def wrong(self) -> int:
        """How many bytes still differ."""
        return differing(self.read, self.meant)


def differing(a: bytes, b: bytes) -> int:
    """How many bytes of two pieces of one length differ."""
    if a == b:
        return 0
    return int(np.count_nonzero(np.frombuffer(a, np.uint8) != np.frombuffer(b, np.uint8)))


def resembling(read: bytes, meant: bytes) -> float:
    """How much less it takes to write a piece down once the other is known: 0 the same, 1 nothing in common.

    Judged line by line on a sample, so that lines which are stuck, exchanged or inverted do not hide the likeness.
    """
    if len(read) != len(meant) or not read:
        return 1.0
    if read == meant:
        return 0.0
    places = np.linspace(0, len(read) - 1, min(_SCREENED, len(read))).astype(np.int64)
    seen, true = bits_of(np.frombuffer(read, np.uint8)[places]), np.frombuffer(meant, np.uint8)[places]
    known, _ = cheapest(mismatches(*counted(true, seen)), len(places), len(places))
    rare = np.minimum(seen.sum(axis=1), len(places) - seen.sum(axis=1))
    alone = float(entropy_bits(rare, len(places)).sum())
    if alone < len(places) / 2:  # content with so little in it cannot tell: only sameness counts
        return 2.0 * differing(read, meant) / len(read)
    return float(known) / alone


def _near(a: bytes, b: bytes) -> bool:
    """Are two pieces the same but for some bytes?"""
    return len(a) == len(b) > 0 and differing(a, b) <= max(2, _CLOSE * len(a))


def _alike(a: bytes, b: bytes) -> bool:
    """Are two pieces the same but for some bytes, or some faults of their lines?"""
    return _near(a, b) or resembling(a, b) < _RESEMBLES


def shapes(data: bytes, reference: bytes, others: Mapping[str, bytes] | None = None) -> Iterator[Shape]:
    """Every shape in which `data` holds `truth` (or the images of other slots, by name)."""
    found = [*_halves(data, reference), *_ends(data, reference), *_longer(data, reference), *_shifted(data, reference)]
    text = list(_text(data, reference))
    found += text
    if not any(shape.read == shape.meant for shape in text):
        found += _slipped(data, reference)
    found += _joined(data, reference, others or {})
    yield from found
    if not any(shape.alike for shape in found):
        yield from _moved(data, reference)


def _halves(data: bytes, reference: bytes) -> Iterator[Shape]:
    """A window of half or a quarter of the size, upper or lower; or one lane of a wider image."""
    for count in (2, 4):
        size = len(reference) // count
        for number in range(count if size and len(data) == size else 0):
            window, lane = reference[number * size : (number + 1) * size], reference[number::count]
            if _alike(data, window):
                where = {"from": number * size, "to": (number + 1) * size - 1}
                words = say(
                    "only {start:04X} to {end:04X} was read, a half of the chip"
                    if count == 2
                    else "only {start:04X} to {end:04X} was read, a quarter of the chip",
                    start=number * size,
                    end=(number + 1) * size - 1,
                )
                advice = say(
                    "The reader was set to a smaller device: choose the right one, and check the upper address pin."
                )
                yield Shape("half-read", words, advice, data, window, where, 5.0)
            if _alike(data, lane):
                words = say("byte lane {number} of {count} alone", number=number, count=count)
                advice = say("Interleave it with the other byte lanes.")
                yield Shape("lane-wrong", words, advice, data, lane, {"lane": number}, 6.0)


def _ends(data: bytes, reference: bytes) -> Iterator[Shape]:
    """The beginning alone, or the end alone; those of which a smaller device is the cause are told by `_halves`."""
    size, missing = len(data), len(reference) - len(data)
    if missing <= 0 or len(set(data)) < _LEAST_VALUES:
        return
    ends = ((0, _ends_before(size, len(reference))), (missing, _begins(missing)))
    found = [(start, words) for start, words in ends if _alike(data, reference[start : start + size])]
    if found and len(reference) in (2 * size, 4 * size):
        return
    for start, words in found or ends[:1]:
        # Laid where they belong, so that a fault of the address lines can be told; nothing else makes them unlike.
        read, there = _over(reference, start, data)
        where = {"from": start, "to": start + size - 1}
        yield Shape("half-read", words, _AGAIN, read, reference, where, 7.0, there, alike=bool(found))


def _longer(data: bytes, reference: bytes) -> Iterator[Shape]:
    """Read too far: the content again, or something else behind it; wrapped in a header; woven with another lane."""
    size, extra = len(reference), len(data) - len(reference)
    if extra <= 0:
        return
    if extra % size == 0:
        yield from _several_times(data, reference)
    if _alike(data[:size], reference):
        words = say(
            "the expected contents up to {size:04X}, then {extra_bytes}",
            size=size - 1,
            extra_bytes=count_of(extra, "extra byte"),
        )
        advice = say("Keep the first {size:,} bytes; the reader read past the end.", size=size)
        yield Shape("overdump", words, advice, data[:size], reference, {"from": size, "to": len(data) - 1}, 6.0)
    place = data.find(reference[:_ANCHOR])
    for offset in {place, extra} - {-1, 0}:
        piece = data[offset : offset + size]
        if _alike(piece, reference):
            tail = len(data) - offset - size
            behind = say(" and {tail:,} after them", tail=tail) if tail else ""
            words = say(
                "{bytes} before the contents{behind}: a file header", bytes=count_of(offset, "byte"), behind=behind
            )
            advice = say("Cut off the first {offset:,} bytes.", offset=offset)
            yield Shape("header", words, advice, piece, reference, {"offset": offset}, 8.0)


def _several_times(data: bytes, reference: bytes) -> Iterator[Shape]:
    size = len(reference)
    pieces = [data[n : n + size] for n in range(0, len(data), size)]
    if (len(set(pieces)) == 1 and _alike(pieces[0], reference)) or all(_near(piece, reference) for piece in pieces):
        words = say("the contents are in it {count} times", count=len(pieces))
        advice = say("Keep the first {size:,} bytes; the reader was set to a larger device.", size=size)
        # Where every copy is the same, one of them shows all that is wrong.
        alike = len(set(pieces)) == 1
        read, meant = (pieces[0], reference) if alike else (data, reference * len(pieces))
        yield Shape("doubled", words, advice, read, meant, {"times": len(pieces)}, 3.0)
    for count in (2, 4):
        for number in range(count if len(data) == count * size else 0):
            lane = data[number::count]
            if _alike(lane, reference):
                words = say(
                    "byte lane {number} of {count} has the expected contents: it was read as one wide image",
                    number=number,
                    count=count,
                )
                yield Shape("lane-wrong", words, say("Split the byte lanes."), lane, reference, {"lane": number}, 5.0)


def _shifted(data: bytes, reference: bytes) -> Iterator[Shape]:
    """The same size, but moved by some bytes, turned round or filled up at one end."""
    if len(data) != len(reference) or len(data) < 4 * _ANCHOR:
        return
    for start in _distinct(reference):
        by = data.find(reference[start : start + _ANCHOR]) - start
        if by + start < 0 or by == 0:
            continue
        side = _side(by)
        turned = data[by:] + data[:by]
        if _near(turned, reference):
            words = say("the contents begin {side} and wrap round", side=side)
            yield Shape("shifted", words, _ROTATE, turned, reference, {"offset": by}, 7.0)
            return
        kept = (data[by:], reference[:-by]) if by > 0 else (data[:by], reference[-by:])
        if _near(*kept):
            words = say(
                "the contents begin {side}, and their end is lost"
                if by > 0
                else "the contents begin {side}, and their beginning is lost",
                side=side,
            )
            advice = say("Check count and offset at the reader, then read it again.")
            yield Shape("shifted", words, advice, *kept, {"offset": by}, 7.0 + 2.0 * abs(by))
            return


def _side(by: int) -> str:
    return say("{bytes} late" if by > 0 else "{bytes} early", bytes=count_of(abs(by), "byte"))


def _moved(data: bytes, reference: bytes) -> Iterator[Shape]:
    """The contents at another place of the file, in part perhaps, although lines of them read wrong."""
    if len(set(reference)) < _ENOUGH_VALUES:
        return
    places = likely_offsets(np.frombuffer(data, np.uint8), np.frombuffer(reference, np.uint8))
    if len(data) == len(reference) and 0 in places:
        return
    for by in places:
        if len(data) == len(reference):
            turned = data[by:] + data[:by]
            words = say("the contents begin {side} and wrap round", side=_side(by))
            everywhere = np.ones(len(data), dtype=bool)
            alike = resembling(turned, reference) < _RESEMBLES_MOVED
            yield Shape("shifted", words, _ROTATE, turned, reference, {"offset": by}, 7.0, everywhere, alike)
        yield from _laid_at(by, data, reference)


def _laid_at(by: int, data: bytes, reference: bytes) -> Iterator[Shape]:
    """The file laid over the reference, its byte `by` over the first; nothing where less than a quarter is there."""
    size = len(reference)
    start, end = max(0, -by), min(size, len(data) - by)
    before, after = max(0, by), len(data) - by - end
    if end - start < size // 4 or (start, end, before, after) == (0, size, 0, 0):
        return
    piece = data[start + by : end + by]
    read, there = _over(reference, start, piece)
    told = [
        say("{bytes} before the contents", bytes=count_of(before, "byte")) if before else "",
        _begins(start) if start else "",
        _ends_before(end, size) if end < size else "",
        say("{bytes} after the contents", bytes=count_of(after, "byte")) if after else "",
    ]
    whole = end - start == size
    kind = "header" if before else "overdump" if whole else "half-read"
    where: dict[str, object] = {"offset": by} if before else {"from": start, "to": end - 1}
    advice = say("Keep the {size:,} bytes from {place:04X} on.", size=size, place=before) if whole else _AGAIN
    bits = 8.0 + 7.0 * (not whole)
    alike = resembling(piece, reference[start:end]) < _RESEMBLES_MOVED
    words = joined("; ", (part for part in told if part))
    yield Shape(kind, words, advice, read, reference, where, bits, there, alike)


def _over(reference: bytes, start: int, piece: bytes) -> tuple[bytes, NDArray[np.bool_]]:
    """The reference with a piece laid over it, and where that lies."""
    end = start + len(piece)
    there = np.zeros(len(reference), dtype=bool)
    there[start:end] = True
    return reference[:start] + piece + reference[end:], there


def _begins(start: int) -> str:
    lost = count_of(start, "byte")
    return say("the contents begin at {place:04X}, {bytes} missing before it", place=start, bytes=lost)


def _ends_before(end: int, size: int) -> str:
    lost = count_of(size - end, "byte")
    return say("the contents end before {place:04X}, {bytes} missing", place=end, bytes=lost)


def _distinct(reference: bytes) -> Iterator[int]:
    """Starts of pieces that occur once, so that finding them elsewhere means something."""
    step = max(1, len(reference) // 12)
    for start in range(0, len(reference) - _ANCHOR, step):
        piece = reference[start : start + _ANCHOR]
        if len(set(piece)) > 6 and reference.count(piece) == 1:
            yield start


def _text(data: bytes, reference: bytes) -> Iterator[Shape]:
    """What a transfer as text does: line ends, an end-of-file mark, seven bits, another character set, lost zeros."""
    advice = say(
        "Transfer it again in binary mode, and compare sizes or checksums on both sides. The chip can be good."
    )
    for words, changed in _as_text(reference):
        if changed == reference or not _near(data, changed):
            continue
        # Of the same size, the change must explain most of what differs.
        if len(data) != len(reference) or 3 * differing(data, changed) < differing(data, reference):
            yield Shape("text-mode", words, advice, data, changed, {}, 4.0)


def _as_text(reference: bytes) -> Iterator[tuple[str, bytes]]:
    latin = reference.decode("latin-1")
    yield say("a carriage return was added to every line feed"), reference.replace(b"\n", b"\r\n")
    yield say("carriage returns before line feeds were removed"), reference.replace(b"\r\n", b"\n")
    yield say("carriage returns were changed to line feeds"), reference.replace(b"\r", b"\n")
    yield say("line feeds were changed to carriage returns"), reference.replace(b"\n", b"\r")
    yield say("every carriage return was removed"), reference.replace(b"\r", b"")
    yield say("everything from the first 1A on is missing"), reference.partition(b"\x1a")[0]
    yield say("every byte 00 was removed"), reference.replace(b"\0", b"")
    yield say("everything from the first 00 on is missing"), reference.partition(b"\0")[0]
    yield say("bytes from 80 on were written as two bytes (UTF-8)"), latin.encode("utf-8")
    replaced = reference.decode("utf-8", "replace")
    yield say("bytes from 80 on were replaced by EF BF BD (UTF-8)"), replaced.encode("utf-8")
    yield say("bytes from 80 on were replaced by question marks"), latin.encode("ascii", "replace")
    yield say("bytes from 80 on were removed"), latin.encode("ascii", "ignore")


def _slipped(data: bytes, reference: bytes) -> Iterator[Shape]:
    """Bytes lost or added somewhere inside."""
    found = aligned(np.frombuffer(data, np.uint8), np.frombuffer(reference, np.uint8))
    if found is None or all(slip.place == 0 for slip in found.slips):
        return
    lost, added = sum(-s.count for s in found.slips if s.count < 0), sum(s.count for s in found.slips if s.count > 0)
    where: dict[str, object] = {"slips": [[slip.place, slip.count] for slip in found.slips], "site": "file"}
    places = joined(", ", (say("{place:04X}", place=slip.place) for slip in found.slips[:3]))
    places += " …" if len(found.slips) > 3 else ""
    told = [
        say("{bytes} lost", bytes=count_of(lost, "byte")) if lost else "",
        say("{bytes} added", bytes=count_of(added, "byte")) if added else "",
    ]
    words = say("{told} at {places}", told=joined(say(" and "), (part for part in told if part)), places=places)
    advice = say("Bytes that are lost or added suggest the transfer, not the chip: transfer or read it again.")
    kind = "bytes-dropped" if lost >= added else "bytes-inserted"
    read, meant = found.image, np.frombuffer(reference, np.uint8)
    if _alike(read[found.there].tobytes(), meant[found.there].tobytes()):
        true = np.where(found.there, meant, read).astype(np.uint8).tobytes()
        yield Shape(kind, words, advice, read.tobytes(), true, where, 12.0 + 20.0 * len(found.slips), found.there)


def _joined(data: bytes, reference: bytes, others: Mapping[str, bytes]) -> Iterator[Shape]:
    """A file that holds several slots' content one after the other."""
    size = len(reference)
    if len(data) <= size or len(data) % size:
        return
    named = {reference: say("this slot"), **{content: name for name, content in others.items() if len(content) == size}}
    pieces = [named.get(data[n : n + size], "") for n in range(0, len(data), size)]
    if "this slot" in pieces and sum(bool(p) for p in pieces) > 1 and len(set(pieces) - {""}) > 1:
        words = say("several contents joined: {pieces}", pieces=joined(", ", (p or say("unknown") for p in pieces)))
        yield Shape("joined", words, say("Split the file."), reference, reference, {"pieces": pieces}, 2.0)
