"""Damage to an image's size or place: halves, doubles, headers, overdumps, shifts, text mode, joined sets."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

import numpy as np

from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of

_ANCHOR = 24
_CLOSE = 0.02


@dataclass(frozen=True)
class Shape:
    """One way in which an image holds the true content at another place: kind, words, advice, where, bits it costs."""

    kind: str
    words: str
    advice: str
    where: Mapping[str, object] = field(default_factory=dict)
    bits: float = 6.0
    wrong: int = 0


def _wrong(a: bytes, b: bytes) -> int:
    """How many bytes of two pieces of one length differ."""
    if a == b:
        return 0
    return int(np.count_nonzero(np.frombuffer(a, np.uint8) != np.frombuffer(b, np.uint8)))


def _near(a: bytes, b: bytes) -> int | None:
    """The number of wrong bytes when two pieces are nearly the same; None when they are not."""
    if len(a) != len(b) or not a:
        return None
    wrong = _wrong(a, b)
    return wrong if wrong <= max(2, _CLOSE * len(a)) else None


def shapes(data: bytes, reference: bytes, others: Mapping[str, bytes] | None = None) -> Iterator[Shape]:
    """Every shape in which `data` holds `truth` (or the images of other slots, by name)."""
    yield from _halves(data, reference)
    yield from _longer(data, reference)
    yield from _shifted(data, reference)
    yield from _text(data, reference)
    yield from _joined(data, reference, others or {})


def _halves(data: bytes, reference: bytes) -> Iterator[Shape]:
    """A window of half or a quarter of the size, upper or lower; or one lane of a wider image."""
    for count in (2, 4):
        size = len(reference) // count
        if size and len(data) == size:
            for number in range(count):
                wrong = _near(data, reference[number * size : (number + 1) * size])
                if wrong is not None:
                    place = say("{number:04X} to {number2:04X}", number=number * size, number2=(number + 1) * size - 1)
                    words = say(
                        "only {place} was read, a half of the chip"
                        if count == 2
                        else "only {place} was read, a quarter of the chip",
                        place=place,
                    )
                    advice = say(
                        "The reader was set to a smaller device: choose the right one, and check the upper address pin."
                    )
                    where = {"from": number * size, "to": (number + 1) * size - 1}
                    yield Shape("half-read", words, advice, where, 5.0, wrong)
                lane = reference[number::count]
                wrong = _near(data, lane)
                if wrong is not None:
                    words = say("byte lane {number} of {count} alone", number=number, count=count)
                    yield Shape(
                        "lane-wrong",
                        words,
                        say("Interleave it with the other byte lanes."),
                        {"lane": number},
                        6.0,
                        wrong,
                    )


def _longer(data: bytes, reference: bytes) -> Iterator[Shape]:
    """Read too far: the content again, or something else behind it; wrapped in a header; woven with another lane."""
    size, extra = len(reference), len(data) - len(reference)
    if extra <= 0:
        return
    if extra % size == 0:
        pieces = [data[n : n + size] for n in range(0, len(data), size)]
        wrong = [_near(piece, reference) for piece in pieces]
        if all(w is not None for w in wrong):
            words = say("the contents are in it {count} times", count=len(pieces))
            advice = say("Keep the first {size:,} bytes; the reader was set to a larger device.", size=size)
            yield Shape("doubled", words, advice, {"times": len(pieces)}, 3.0, sum(w or 0 for w in wrong))
        for count in (2, 4):
            for number in range(count if len(data) == count * size else 0):
                near = _near(data[number::count], reference)
                if near is not None:
                    words = say(
                        "byte lane {number} of {count} has the expected contents: it was read as one wide image",
                        number=number,
                        count=count,
                    )
                    yield Shape("lane-wrong", words, say("Split the byte lanes."), {"lane": number}, 5.0, near)
    at_start = _near(data[:size], reference)
    if at_start is not None:
        words = say(
            "the expected contents up to {size:04X}, then {extra_bytes}",
            size=size - 1,
            extra_bytes=count_of(extra, "extra byte"),
        )
        advice = say("Keep the first {size:,} bytes; the reader read past the end.", size=size)
        yield Shape("overdump", words, advice, {"from": size, "to": len(data) - 1}, 6.0, at_start)
    place = data.find(reference[:_ANCHOR])
    for offset in {place, extra} - {-1, 0}:
        wrong_here = _near(data[offset : offset + size], reference)
        if wrong_here is not None:
            tail = len(data) - offset - size
            behind = say(" and {tail:,} after them", tail=tail) if tail else ""
            words = say(
                "{bytes} before the contents{behind}: a file header", bytes=count_of(offset, "byte"), behind=behind
            )
            yield Shape(
                "header",
                words,
                say("Cut off the first {offset:,} bytes.", offset=offset),
                {"offset": offset},
                8.0,
                wrong_here,
            )


def _shifted(data: bytes, reference: bytes) -> Iterator[Shape]:
    """The same size, but moved by some bytes, turned round or filled up at one end."""
    if len(data) != len(reference) or len(data) < 4 * _ANCHOR:
        return
    array = np.frombuffer(data, np.uint8)
    true = np.frombuffer(reference, np.uint8)
    for start in _distinct(reference):
        place = data.find(reference[start : start + _ANCHOR])
        by = place - start
        if place < 0 or by == 0:
            continue
        side = say("{bytes} late" if by > 0 else "{bytes} early", bytes=count_of(abs(by), "byte"))
        turned = int(np.count_nonzero(np.roll(true, by) != array))
        if turned <= max(2, _CLOSE * len(data)):
            yield Shape(
                "shifted",
                say("the contents begin {side} and wrap round", side=side),
                say("Rotate it back by that many bytes."),
                {"offset": by},
                7.0,
                turned,
            )
            return
        kept = (array[by:], true[:-by]) if by > 0 else (array[:by], true[-by:])
        moved = int(np.count_nonzero(kept[0] != kept[1]))
        if moved <= max(2, _CLOSE * len(kept[0])):
            words = say(
                "the contents begin {side}, and their end is lost"
                if by > 0
                else "the contents begin {side}, and their beginning is lost",
                side=side,
            )
            advice = say("Check count and offset at the reader, then read it again.")
            yield Shape("shifted", words, advice, {"offset": by}, 7.0 + 2.0 * abs(by), moved)
            return


def _distinct(reference: bytes) -> Iterator[int]:
    """Starts of pieces that occur once, so that finding them elsewhere means something."""
    step = max(1, len(reference) // 12)
    for start in range(0, len(reference) - _ANCHOR, step):
        piece = reference[start : start + _ANCHOR]
        if len(set(piece)) > 6 and reference.count(piece) == 1:
            yield start


def _text(data: bytes, reference: bytes) -> Iterator[Shape]:
    """Line ends changed as a text transfer does, or the end taken for an end-of-file mark."""
    advice = say("Transfer it again in binary mode.")
    for name, changed in (
        (say("a carriage return was added to every line feed"), reference.replace(b"\n", b"\r\n")),
        (say("carriage returns before line feeds were removed"), reference.replace(b"\r\n", b"\n")),
        (say("carriage returns were changed to line feeds"), reference.replace(b"\r", b"\n")),
        (say("line feeds were changed to carriage returns"), reference.replace(b"\n", b"\r")),
        (say("everything from the first 1A on is missing"), reference.partition(b"\x1a")[0]),
    ):
        if changed != reference and data == changed:
            yield Shape("text-mode", name, advice, {}, 4.0)


def _joined(data: bytes, reference: bytes, others: Mapping[str, bytes]) -> Iterator[Shape]:
    """A file that holds several slots' content one after the other."""
    size = len(reference)
    if len(data) <= size or len(data) % size:
        return
    named = {reference: say("this slot"), **{content: name for name, content in others.items() if len(content) == size}}
    pieces = [named.get(data[n : n + size], "") for n in range(0, len(data), size)]
    if "this slot" in pieces and sum(bool(p) for p in pieces) > 1 and len(set(pieces) - {""}) > 1:
        words = say("several contents joined: {pieces}", pieces=joined(", ", (p or say("unknown") for p in pieces)))
        yield Shape("joined", words, say("Split the file."), {"pieces": pieces}, 2.0)
