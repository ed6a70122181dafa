"""What bytes that differ from the reference show beside its lines: faded cells, patches, blanks, slow outputs."""

import math
from collections.abc import Iterator

import numpy as np

from loyal_trace.core.roms.advice import HALF_ADVICE, NEXT
from loyal_trace.core.roms.content import entropy_of
from loyal_trace.core.roms.hypotheses import (
    PRIOR_BITS,
    Hypothesis,
    PinNames,
    blank_image,
    few_bytes,
    repeated_pattern,
)
from loyal_trace.core.roms.maps import (
    Bytes,
)
from loyal_trace.core.roms.residual import PER_BYTE, elsewhere_words, residual_cost
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of

_ONE_WAY = 8
_CONSTANT = 0.98
# Programs and graphics stay below; noise and compressed content come near eight.
_GARBAGE_BITS = 7.0


def beside_the_lines(image: Bytes, reference: Bytes, names: PinNames) -> Iterator[Hypothesis]:
    """Blank, in part too, pattern, garbage, faded or lost bits, few bytes, edits that belong together, slow outputs."""
    blank = blank_image(image, names)
    if blank is not None:
        yield blank
        return
    few = few_bytes(image, reference)
    if few is not None:
        yield few
    yield from (many for many in _many_bits(image, reference) if few is None or many.kind != few.kind)
    for maker in (_pattern, _garbage, _patched, _slow):
        found = maker(image, reference)
        if found is not None:
            yield found
    part = _part_blank(image, reference, names)
    if part is not None:
        yield part


def _slow(image: Bytes, reference: Bytes) -> Hypothesis | None:
    """Bytes that are still those of the address before: outputs that follow too late."""
    places = np.flatnonzero(image != reference)
    places = places[places > 0]
    late = int(np.count_nonzero(image[places] == reference[places - 1]))
    # Repeats in the content lag by themselves: only many, and nearly all of the wrong ones, are a slow output.
    if late < 16 or late < 0.9 * len(places) or late > 0.7 * len(image):
        return None
    left = len(places) - late
    reason = say(
        "{bytes} still show the byte of the address before: select or output enable is too slow",
        bytes=count_of(late, "byte"),
    )
    cost = len(image) * _entropy(len(places) / len(image)) + left * (math.log2(len(image)) + PER_BYTE)
    return Hypothesis(
        "shifted",
        "unknown",
        reason,
        NEXT["slow"],
        evidence=say("{late:,} of {count:,} wrong bytes show the address before", late=late, count=len(places)),
        where={"offsets": [int(p) for p in places[:64]], "site": "select"},
        score=14.0 + cost,
        unexplained=left,
    )


def _many_bits(image: Bytes, reference: Bytes) -> Iterator[Hypothesis]:
    """Cells that all lost their charge one way, too many to list."""
    raised, dropped = image & ~reference, reference & ~image
    for kind, flips, other in (("bits-faded", raised, dropped), ("bits-lost", dropped, raised)):
        count = int(np.unpackbits(flips).sum())
        if count and not other.any():
            share = count / (8 * len(image))
            to = "1" if kind == "bits-faded" else "0"
            cost = 8 * len(image) * _entropy(share) if share < 0.5 else math.inf
            reason = say(
                "{bits} wrongly read 1, none the other way: suggests cells that faded with age"
                if to == "1"
                else "{bits} wrongly read 0, none the other way: suggests cells that were programmed or cannot be read",
                bits=count_of(count, "bit"),
            )
            advice = say(
                "Only 1→0 changes are needed, so it can be programmed over. Erasing "
                "first is safer: the other cells are as old."
            )
            places = np.flatnonzero(flips)[:64]
            yield Hypothesis(
                kind,
                "few-bytes",
                reason,
                advice if to == "1" else NEXT["bits-lost"],
                where={"offsets": [int(p) for p in places]},
                evidence=_cluster(flips),
                score=PRIOR_BITS["few-bytes"] + 3 + cost,
            )


def _entropy(share: float) -> float:
    return 0.0 if share in (0.0, 1.0) else -(share * math.log2(share) + (1 - share) * math.log2(1 - share))


def _cluster(flips: Bytes) -> str:
    """Are the bits scattered, or do they sit in rows or columns of the cell array?"""
    places = np.flatnonzero(flips)
    width = 1 << max(3, (len(flips).bit_length() - 1) // 2)
    rows, columns = np.bincount(places // width), np.bincount(places % width)
    lanes = [n for n in range(8) if (flips >> n & 1).any()]
    told = (
        say("on {lanes}", lanes=joined(", ", (f"D{n}" for n in lanes))) if len(lanes) < 8 else say("on all data lines")
    )
    if len(places) > 8 and rows.max() > 0.6 * len(places):
        return say("{told}, most in one row of cells around {argmax:04X}", told=told, argmax=int(rows.argmax()) * width)
    if len(places) > 8 and columns.max() > 0.6 * len(places):
        return say("{told}, most in one column of cells", told=told)
    return say("{told}, scattered over the array", told=told)


def _half_line(start: int, end: int, size: int) -> int | None:
    """The address line whose high or low half a stretch is, None when it is no such half."""
    if size & (size - 1) or end - start + 1 < size // 4:
        return None
    line = (end - start + 1).bit_length() - 1
    whole = end - start + 1 == 1 << line and start % (1 << line) == 0
    return line if whole and line < size.bit_length() - 1 else None


def _part_blank(image: Bytes, reference: Bytes, names: PinNames) -> Hypothesis | None:
    """One stretch reads FF (or 00) where content should be, the rest is right."""
    places = np.flatnonzero(image != reference)
    if len(places) < 8:
        return None
    start, end = int(places[0]), int(places[-1])
    value = int(image[start])
    if value not in (0, 255):
        return None
    predicted = reference.copy()
    predicted[start : end + 1] = value
    left, cost, _ = residual_cost(image, predicted)
    if np.count_nonzero(image[start : end + 1] == value) < _CONSTANT * (end - start + 1):
        return None
    word = say("{value:02X}", value=value)
    line = _half_line(start, end, len(image))
    side = (
        say("; that is where A{line} is high" if start >> line & 1 else "; that is where A{line} is low", line=line)
        if line is not None
        else ""
    )
    advice = (
        NEXT["part-blank"]
        if line is None
        else say("{first} {then}", first=say(HALF_ADVICE, line=names.line(f"A{line}")), then=NEXT["part-blank"])
    )
    return Hypothesis(
        "part-blank",
        "unknown",
        say(
            "{start:04X} to {end:04X} reads {word} throughout; {elsewhere}{side}",
            start=start,
            end=end,
            word=word,
            elsewhere=elsewhere_words(left),
            side=side,
        ),
        advice,
        where={"from": start, "to": end, "value": value},
        evidence=say(
            "{bytes} of {word} where the reference image has other bytes",
            bytes=count_of(end - start + 1, "byte"),
            word=word,
        ),
        score=6.0 + 2 * math.log2(len(image)) + cost,
        unexplained=left,
    )


def _pattern(image: Bytes, reference: Bytes) -> Hypothesis | None:
    """A short pattern over and over, which the true image is not."""
    return repeated_pattern(image, 64, lambda period: 20.0 + 8.0 * period)


def _garbage(image: Bytes, reference: Bytes) -> Hypothesis | None:
    """As good as random, and no more like the true image than chance."""
    bits = entropy_of(np.bincount(image, minlength=256) / len(image))
    alike = float(np.count_nonzero(image == reference)) / len(image)
    # A short image cannot reach eight bits a byte, however random.
    if bits < min(_GARBAGE_BITS, math.log2(len(image)) - 2) or alike > 0.05:
        return None
    return Hypothesis(
        "garbage",
        "unknown",
        say("the contents look like noise: they resemble neither the reference image nor a program"),
        NEXT["garbage"],
        evidence=say(
            "{bits:.1f} bits a byte, {alike:.1f} % of the bytes agree by chance", bits=bits, alike=100 * alike
        ),
        score=PRIOR_BITS["unknown"] - 4 + 5.0 * len(image) - 4.0,
    )


def _both_ways(image: Bytes, reference: Bytes) -> tuple[tuple[Bytes, Bytes], tuple[Bytes, Bytes]]:
    return (image, reference), (reference, image)


def _patched(image: Bytes, reference: Bytes) -> Hypothesis | None:
    """A few edits, each of several bytes together: somebody changed it, no fault does that."""
    places = np.flatnonzero(image != reference)
    if len(places) < 3 or len(places) > 0.1 * len(image):
        return None
    gaps = np.flatnonzero(np.diff(places) > 8)
    starts, ends = places[np.r_[0, gaps + 1]], places[np.r_[gaps, len(places) - 1]]
    # Accidents are scattered single bytes; edits are few and each several bytes long.
    if len(starts) > 12 or len(places) < 2.5 * len(starts):
        return None
    # Whoever writes other bytes turns bits both ways; cells that fade turn them one way.
    raised, dropped = (int(np.bitwise_count(a[places] & ~b[places]).sum()) for a, b in _both_ways(image, reference))
    if min(raised, dropped) == 0 and raised + dropped >= _ONE_WAY:
        return None
    lengths = ends - starts + 1
    cost = float((lengths * 7.0 + 2 * math.log2(len(image))).sum())
    first = zip(starts[:3], ends[:3], strict=True)
    shown = joined(", ", (say("{s:04X}", s=s) + (say(" to {e:04X}", e=e) if e > s else "") for s, e in first))
    more = " …" if len(starts) > 3 else ""
    edits = [[int(s), int(e)] for s, e in zip(starts, ends, strict=True)]
    told = say(
        "{bytes} in {stretchs}",
        bytes=count_of(len(places), "byte"),
        stretchs=count_of(len(starts), "stretch", "stretches"),
    )
    reason = say(
        "{edits} of several bytes each ({shown}{more})", edits=count_of(len(starts), "edit"), shown=shown, more=more
    )
    return Hypothesis(
        "patched",
        "few-bytes",
        reason,
        NEXT["patched"],
        evidence=say("{told}; every other byte matches the reference image", told=told),
        where={"edits": edits, "offsets": [int(p) for p in places[:64]]},
        score=PRIOR_BITS["few-bytes"] + 5 + cost,
    )
