"""What an explanation leaves: the bytes that are still wrong, what they cost, and how they are told."""

import math

import numpy as np

from loyal_trace.core.roms.maps import (
    Bytes,
)
from loyal_trace.core.vocabulary.phrases import say, say_count
from loyal_trace.core.vocabulary.units import count_of

# Scores are description lengths in bits: what it takes to write down the fault and everything it leaves unexplained.
PER_BYTE = 8.0


def residual_cost(image: Bytes, predicted: Bytes) -> tuple[int, float, str]:
    """What a prediction leaves: how many bytes are wrong, the bits to write them down, and in words.

    A byte with a single wrong bit is cheaper than one that is wrong altogether.
    """
    places = np.flatnonzero(image != predicted)
    if not len(places):
        return 0, 0.0, say("every byte is explained")
    here, there = image[places], predicted[places]
    flips = np.unpackbits((here ^ there)[:, None], axis=1).sum(axis=1)
    raised, dropped = int(np.unpackbits(here & ~there).sum()), int(np.unpackbits(there & ~here).sum())
    each = math.log2(max(len(image), 2))
    cost = len(places) * each + 3.0 * int((flips == 1).sum()) + PER_BYTE * int((flips > 1).sum())
    what = say("bits faded to 1") if not dropped else say("bits lost to 0") if not raised else say("bits differ")
    return (
        len(places),
        cost,
        say(
            "besides, {raised:,} {what} in {bytes}",
            raised=raised + dropped,
            what=what,
            bytes=count_of(len(places), "byte"),
        ),
    )


def elsewhere_words(left: int) -> str:
    """What is true of all other bytes of the image."""
    return (
        say_count(left, "{count:,} other byte differs", "{count:,} other bytes differ")
        if left
        else say("every other byte matches")
    )
