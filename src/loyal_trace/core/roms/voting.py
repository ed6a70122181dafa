"""Several reads of one chip: a vote on every bit, how sure it is, what flickers and whether it follows a line."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of

_WANTED = 0.999
_FOLLOWS = 0.8


@dataclass(frozen=True)
class Vote:
    """The majority of the reads, what flickers, and how many more reads settle it.

    `confidence` (0 to 1) is the probability that random misreads left every bit of the majority as the chip gives it;
    1 where nothing flickers. What every read shares (a stuck line, a faded cell) no vote can see.
    `bits` are (offset, bit, reads that say 1); `source` is `stable`, `pin or socket`, or `cells`.
    """

    data: bytes
    reads: int
    confidence: float
    bits: tuple[tuple[int, int, int], ...]
    lanes: tuple[int, ...]
    source: str
    why: str
    more_reads: int


def moving_bits(reads: Sequence[bytes]) -> NDArray[np.uint8]:
    """The bits of each byte that are not the same in every read; the reads are of one size."""
    stack = np.array([np.frombuffer(read, np.uint8) for read in reads])
    return np.asarray(np.bitwise_or.reduce(stack ^ stack[0]), dtype=np.uint8)


def vote(reads: Sequence[bytes]) -> Vote:
    """The majority of each bit over reads of one size; RequestError for fewer than two, or for different sizes."""
    if len(reads) < 2:
        raise RequestError(say("a vote needs two reads or more of one chip"))
    if len({len(read) for read in reads}) > 1 or not reads[0]:
        raise RequestError(say("reads of different sizes cannot be of one chip; choose the device again at the reader"))
    bits = np.unpackbits(np.array([np.frombuffer(r, np.uint8) for r in reads]), axis=1, bitorder="little")
    ones = bits.sum(axis=0, dtype=np.int64)
    count = len(reads)
    consensus = np.packbits((2 * ones > count).astype(np.uint8), bitorder="little")
    flickering = np.flatnonzero((ones > 0) & (ones < count))
    ties = int(np.count_nonzero(2 * ones == count))
    wrong = sum(_doubt(int(ones[place]), count) for place in flickering)
    listed = tuple((int(p) // 8, int(p) % 8, int(ones[p])) for p in flickering[:4096])
    lanes = tuple(sorted({int(p) % 8 for p in flickering}))
    source, why = _source(flickering, len(reads[0]), lanes)
    told = say("{bits} differ over {count} reads", bits=count_of(len(flickering), "bit"), count=count) + (
        say(", {ties} of them evenly", ties=ties) if ties else ""
    )
    why = (
        say("{told}: {why}", told=told, why=why)
        if len(flickering)
        else say("{count} reads are equal; only checksums tell whether they are right", count=count)
    )
    return Vote(
        consensus.tobytes(), count, math.exp(-wrong), listed, lanes, source, why, _more(wrong, len(flickering), count)
    )


def _doubt(ones: int, count: int) -> float:
    """How likely the majority of one bit is wrong, its rate estimated with half a read added each way."""
    minority = min(ones, count - ones)
    share = (minority + 0.5) / (count + 1)
    if 2 * minority == count:
        return 0.5
    lead = count - 2 * minority
    return float((share / (1 - share)) ** lead)


def _more(wrong: float, flickering: int, count: int) -> int:
    """Reads until every flickering bit is settled, if they go on as they did."""
    if not flickering or math.exp(-wrong) >= _WANTED:
        return 0
    each = max(wrong / flickering, 1e-12)
    factor = math.log((1 - _WANTED) / flickering) / math.log(min(each, 0.7))
    return max(1, math.ceil(count * (factor - 1)))


def _source(flickering: np.ndarray, size: int, lanes: tuple[int, ...]) -> tuple[str, str]:
    """Does what flickers follow a data line or an address line (leg, socket), or is it scattered (cells)?"""
    if not len(flickering):
        return "stable", ""
    if len(lanes) <= 2 and len(flickering) > 8:
        names = joined(say(" and "), (f"D{n}" for n in lanes))
        return say("pin or socket"), say(
            "all on {names}: a pin, the socket or a contact of the reader, not the cells", names=names
        )
    places = np.unique(flickering // 8)
    for line in range(size.bit_length() - 1 if len(places) > 8 else 0):
        high = float(np.mean(places >> line & 1))
        if high > 1 - (1 - _FOLLOWS) / 2 or high < (1 - _FOLLOWS) / 2:
            side = say("high") if high > 0.5 else say("low")
            return (
                say("pin or socket"),
                say(
                    "nearly all where A{line} is {side}: that pin or its contact, or an address line near it",
                    line=line,
                    side=side,
                ),
            )
    return (
        "cells",
        say(
            "scattered over the array, which suggests faded cells: read it at a lower supply (4.5 "
            "to 4.75 V) to win them back, as a higher one makes more of them fail"
        ),
    )
