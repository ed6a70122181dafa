"""Internal evidence only: what an image shows of its own damage when there is nothing to hold it against.

Constant or identical bit lanes, blocks that repeat, a short pattern, noise, a stretch that was never programmed.
"""

import math
from collections.abc import Iterator
from dataclasses import replace
from itertools import combinations

import numpy as np

from loyal_trace.core.roms.advice import NEXT
from loyal_trace.core.roms.content import entropy_of
from loyal_trace.core.roms.hypotheses import (
    PRIOR_BITS,
    Hypothesis,
    PinNames,
    address_lines,
    blank_image,
    rank,
    repeated_pattern,
    stuck_address,
    stuck_data,
    unknown,
)
from loyal_trace.core.roms.lanes import (
    data_bits,
    kept_steady_by_text,
    lanes_of,
    steady_lines,
    tied_pairs,
    without_effect,
)
from loyal_trace.core.roms.maps import Bytes
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.units import count_of

_NOISE_BITS = 7.6
# A half of fewer bytes, or a line that is rarely high or low, may be steady by chance.
_LEAST_HALVED, _LIVELY = 1024, 0.06


def from_inside(image: Bytes, names: PinNames) -> tuple[Hypothesis, ...]:
    """Ranked explanations from the structure of an image alone."""
    if not len(image):
        return rank([unknown(image, say("the image is empty"))])
    blank = blank_image(image, names)
    if blank:
        return rank([blank])
    nothing = unknown(image, looks_random(image) or say("no line is constant and no block repeats"))
    found = [*_lanes(image, names), *_blocks(image, names), *_whole(image)]
    if not found:
        return rank([nothing])
    return tuple(h for h in rank([nothing, *found]) if h.likelihood > 1e-6)


def _lanes(image: Bytes, names: PinNames) -> Iterator[Hypothesis]:
    """Lanes that never change, and pairs of lanes that are always alike."""
    lanes = lanes_of(image)
    for line, level in steady_lines(lanes).items():
        evidence = say("D{line} is {level} in all {count:,} bytes", line=line, level=level, count=len(image))
        yield stuck_data(line, level, names, evidence, _steady_lane_cost(image, line))
    for a, b in tied_pairs(lanes):
        evidence = say("D{a} and D{b} are equal in all {count:,} bytes", a=a, b=b, count=len(image))
        reason = say("D{a} and D{b} are always equal: bridged, or one is open and follows the other", a=a, b=b)
        pins = say("{line}, {line2}", line=names.line(f"D{a}"), line2=names.line(f"D{b}"))
        yield Hypothesis(
            "data-bridged",
            "unknown",
            reason,
            say("{next} ({pins})", next=NEXT["data-bridged"], pins=pins),
            where={"data": [a, b]},
            evidence=evidence,
            score=12.0,
        )


def _steady_lane_cost(image: Bytes, line: int) -> float:
    return 6.0 * len(image) if kept_steady_by_text(image, line) else 0.0


def _blocks(image: Bytes, names: PinNames) -> Iterator[Hypothesis]:
    """Blocks that come out twice: one address line without effect, or two that act as one."""
    bits = address_lines(image)
    dead = []
    for line in range(bits):
        if without_effect(image, line) and not _repeats_below(image, line):
            dead.append(line)
            evidence = say("every byte equals the one {line:,} further on", line=1 << line)
            found = stuck_address(line, say("open or stuck"), names, evidence, 0.0)
            if line < bits - 1:
                yield found
            else:
                yield from _halves_alike(found, line)
    for a, b in combinations([line for line in range(bits) if line not in dead], 2) if not dead else ():
        shaped = image.reshape(-1, 2, 1 << (b - a - 1), 2, 1 << a)
        if not np.array_equal(shaped[:, 0, :, 1], shaped[:, 1, :, 0]):
            continue
        low = np.array_equal(shaped[:, 0, :, 1], shaped[:, 0, :, 0])
        if low or np.array_equal(shaped[:, 0, :, 1], shaped[:, 1, :, 1]):
            reason = say(
                "A{a} and A{b} are bridged, low wins" if low else "A{a} and A{b} are bridged, high wins", a=a, b=b
            )
            pins = say("{line}, {line2}", line=names.line(f"A{a}"), line2=names.line(f"A{b}"))
            yield Hypothesis(
                "address-bridged",
                "unknown",
                reason,
                say("{next} ({pins})", next=NEXT["address-bridged"], pins=pins),
                where={"address": [a, b]},
                evidence=say("the same bytes wherever the two lines differ"),
                score=14.0,
            )


# How much rarer than an open line contents are that were stored twice, in bits: 1 in 5.
_STORED_TWICE = 2.0


def _halves_alike(found: Hypothesis, line: int) -> Iterator[Hypothesis]:
    """The uppermost line: contents of half the size, stored twice, look the same, and the image does not tell."""
    reason = say(
        "both halves are the same: address line A{line} is open or stuck, or it holds contents of half the size twice",
        line=line,
    )
    yield replace(found, reason=reason)
    yield Hypothesis(
        "stored-twice",
        "unknown",
        say("contents of half the size, stored twice: nothing has to be wrong with the chip"),
        say("Look up whether the set has contents of half the size, and compare one half with them."),
        where={"halves": 2},
        evidence=found.evidence,
        score=found.score + _STORED_TWICE,
    )


def _repeats_below(image: Bytes, line: int) -> bool:
    """A constant or short-period image repeats at every distance: that is no line fault."""
    period = image[: 1 << min(line, 3)]
    return bool(np.array_equal(np.resize(period, len(image)), image))


def _whole(image: Bytes) -> Iterator[Hypothesis]:
    """A pattern over and over, noise, or a stretch of FF in the middle of content."""
    pattern = repeated_pattern(image, 32, lambda period: -4.0)
    if pattern is not None:
        yield pattern
        return
    yield from _aligned_blank(image)
    yield from _steady_in_a_half(image)


def looks_random(image: Bytes) -> str:
    """Content as even as noise, in words; empty when it is not: an image alone cannot tell it from compressed data."""
    if not len(image):
        return ""
    shares = np.bincount(image, minlength=256) / len(image)
    bits = entropy_of(shares)
    if bits <= min(_NOISE_BITS, math.log2(len(image)) - 3.2) or shares.max() >= 0.02:
        return ""
    return say(
        "{bits:.1f} bits a byte: compressed or enciphered contents look like this, and so do outputs that float. Two "
        "reads that agree are contents",
        bits=bits,
    )


def _aligned_blank(image: Bytes) -> Iterator[Hypothesis]:
    """FF over exactly a half, quarter or eighth, with content right up to its edges: unused space seldom ends so."""
    start, end = _longest_run(image, 0xFF)
    length, size = end - start + 1, len(image)
    aligned = length > 0 and not length & (length - 1) and start % length == 0
    # From the first byte on it may be space that was left free for something else.
    if address_lines(image) == 0 or start == 0 or not size / 8 <= length <= size / 2 or not aligned:
        return
    line = length.bit_length() - 1
    level = say("high") if start >> line & 1 else say("low")
    reason = say(
        "{start:04X} to {end:04X} reads FF throughout, exactly one block where A{line} is {level}: unused, or not read",
        start=start,
        end=end,
        line=line,
        level=level,
    )
    where: dict[str, object] = {"from": start, "to": end, "value": 255}
    evidence = say("{bytes} of FF between aligned addresses", bytes=count_of(length, "byte"))
    score = PRIOR_BITS["unknown"] - 3 + 5.0 * size
    yield Hypothesis("part-blank", "unknown", reason, NEXT["part-blank"], where=where, evidence=evidence, score=score)


def _steady_in_a_half(image: Bytes) -> Iterator[Hypothesis]:
    """One line that never moves over one half, while every other does, and that moves over the other half."""
    if not address_lines(image) or len(image) < _LEAST_HALVED or data_bits(image) != 8:
        return
    half = len(image) // 2
    ones = np.array([np.unpackbits(part[:, None], axis=1, bitorder="little").mean(axis=0) for part in _halved(image)])
    for which in (0, 1):
        here, there, part = ones[which], ones[1 - which], _halved(image)[which]
        steady = np.flatnonzero((here == 0) | (here == 1))
        lively = np.count_nonzero((here > _LIVELY) & (here < 1 - _LIVELY))
        if len(steady) != 1 or lively < 7 or kept_steady_by_text(part, int(steady[0])):
            continue
        line = int(steady[0])
        if not _LIVELY < there[line] < 1 - _LIVELY:
            continue
        level, start = int(here[line]), which * half
        word = say("high") if level else say("low")
        reason = say(
            "data line D{line} reads {word} from {start:04X} to {end:04X} and moves everywhere else: a fault inside "
            "the chip, or of an address line",
            line=line,
            word=word,
            start=start,
            end=start + half - 1,
        )
        where: dict[str, object] = {"data": [line], "level": level, "from": start, "to": start + half - 1}
        advice = say(
            "Read it in another reader and compare: a fault of contacts changes, one inside the chip does not."
        )
        evidence = say("every other data line moves in both halves")
        yield Hypothesis(
            f"data-stuck-{level}", "stuck-data", reason, advice, where=where, evidence=evidence, score=15.0
        )


def _halved(image: Bytes) -> tuple[Bytes, Bytes]:
    return image[: len(image) // 2], image[len(image) // 2 :]


def _longest_run(image: Bytes, value: int) -> tuple[int, int]:
    """First and last place of the longest run of a value; (0, -1) when there is none."""
    edges = np.flatnonzero(np.diff(np.r_[0, (image == value).astype(np.int8), 0]))
    starts, ends = edges[0::2], edges[1::2]
    if not len(starts):
        return 0, -1
    longest = int(np.argmax(ends - starts))
    return int(starts[longest]), int(ends[longest]) - 1
