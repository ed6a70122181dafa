"""Internal evidence only: what an image shows of its own damage when there is nothing to hold it against.

Constant or identical bit lanes, blocks that repeat, a short pattern, noise, a stretch that was never programmed.
"""

import math
from collections.abc import Iterator
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
    stuck_address,
    stuck_data,
    unknown,
)
from loyal_trace.core.roms.lanes import kept_steady_by_text, lanes_of, steady_lines, tied_pairs, without_effect
from loyal_trace.core.roms.maps import Bytes
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.units import count_of

_NOISE_BITS = 7.6
_BLANK_SHARE = 0.1


def from_inside(image: Bytes, names: PinNames) -> tuple[Hypothesis, ...]:
    """Ranked explanations from the structure of an image alone."""
    if not len(image):
        return rank([unknown(image, say("the image is empty"))])
    blank = blank_image(image, names)
    if blank:
        return rank([blank])
    nothing = unknown(image, say("no line is constant and no block repeats"))
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
            yield stuck_address(
                line,
                say("open or stuck"),
                names,
                say("every byte equals the one {line:,} further on", line=1 << line),
                0.0,
            )
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


def _repeats_below(image: Bytes, line: int) -> bool:
    """A constant or short-period image repeats at every distance: that is no line fault."""
    period = image[: 1 << min(line, 3)]
    return bool(np.array_equal(np.resize(period, len(image)), image))


def _whole(image: Bytes) -> Iterator[Hypothesis]:
    """A pattern over and over, noise, or a stretch of FF in the middle of content."""
    for period in (2, 4, 8, 16, 32):
        if len(image) >= 4 * period and np.array_equal(image[period:], image[:-period]):
            shown = image[: min(period, 4)].tobytes().hex(" ").upper()
            reason = say(
                "the same {period} bytes ({shown} …) repeat throughout, as if the chip never drove its outputs",
                period=period,
                shown=shown,
            )
            yield Hypothesis(
                "pattern",
                "blank",
                reason,
                NEXT["pattern"],
                where={"period": period},
                evidence=say("repeats every {period} bytes", period=period),
                score=-4.0,
            )
            return
    shares = np.bincount(image, minlength=256) / len(image)
    bits = entropy_of(shares)
    if bits > min(_NOISE_BITS, math.log2(len(image)) - 3.2) and shares.max() < 0.02:
        reason = say("the contents look like noise: not like a program, a text or a picture")
        yield Hypothesis(
            "garbage",
            "unknown",
            reason,
            NEXT["garbage"],
            evidence=say("{bits:.1f} bits a byte", bits=bits),
            score=PRIOR_BITS["unknown"] - 2 + 5.0 * len(image),
        )
    start, end = _longest_run(image, 0xFF)
    if end - start >= _BLANK_SHARE * len(image) and end < len(image) - 1:
        reason = say(
            "{start:04X} to {end:04X} reads FF throughout, with content before and behind it", start=start, end=end
        )
        where: dict[str, object] = {"from": start, "to": end, "value": 255}
        yield Hypothesis(
            "part-blank",
            "unknown",
            reason,
            NEXT["part-blank"],
            where=where,
            evidence=say("{bytes} of FF in a row", bytes=count_of(end - start + 1, "byte")),
            score=PRIOR_BITS["unknown"] - 3 + 5.0 * len(image),
        )


def _longest_run(image: Bytes, value: int) -> tuple[int, int]:
    """First and last place of the longest run of a value; (0, -1) when there is none."""
    edges = np.flatnonzero(np.diff(np.r_[0, (image == value).astype(np.int8), 0]))
    starts, ends = edges[0::2], edges[1::2]
    if not len(starts):
        return 0, -1
    longest = int(np.argmax(ends - starts))
    return int(starts[longest]), int(ends[longest]) - 1
