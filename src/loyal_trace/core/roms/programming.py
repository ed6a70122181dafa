"""Putting right content back into a chip: over what is there, or after erasing; how long that takes under the lamp."""

from dataclasses import dataclass

import numpy as np

from loyal_trace.core.power.formulas import positive
from loyal_trace.core.units import count_of

ERASE_DOSE = 15.0
UV_CAUTION = "254 nm harms eyes and skin: lid closed, window covered afterwards."


@dataclass(frozen=True)
class Programming:
    """How the true image gets into the chip: `nothing`, `over` or `erase`, with the sentence."""

    how: str
    words: str


def programming(image: bytes, truth: bytes) -> Programming:
    """An EPROM cell only goes from 1 to 0 by programming: any bit that must rise wants the eraser first."""
    if image == truth:
        return Programming("nothing", "the content is right")
    if len(image) != len(truth):
        return Programming("erase", "another size: take a device of the right size")
    here, there = np.frombuffer(image, np.uint8), np.frombuffer(truth, np.uint8)
    rising = int(np.unpackbits(there & ~here).sum())
    falling = int(np.unpackbits(here & ~there).sum())
    if rising:
        words = f"{count_of(rising, 'bit')} must go from 0 to 1: erase first, then programme and verify twice"
        return Programming("erase", words)
    return Programming("over", f"{count_of(falling, 'bit')} must go from 1 to 0: programme over it, then verify twice")


def erase_minutes(irradiance: float, dose: float = ERASE_DOSE) -> float:
    """Minutes under a lamp of some irradiance (W/cm² at 253.7 nm) for a dose (W·s/cm²; data sheets ask for 15)."""
    positive(irradiance=irradiance, dose=dose)
    return dose / irradiance / 60
