"""Putting right content back into a chip: over what is there, or after erasing; how long that takes under the lamp."""

from dataclasses import dataclass

import numpy as np

from loyal_trace.core.power.formulas import positive
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.units import count_of

ERASE_DOSE = 15.0

CHANGED = {
    "mask": say("a mask ROM cannot be changed: replace it with a programmed substitute"),
    "fuse": say("a bipolar PROM can be programmed once: program a blank one, or use a substitute"),
    "otp": say("a part without a window cannot be erased: replace it"),
    "eprom": say("an EPROM is programmed from 1 to 0; setting any bit to 1 needs erasing under the lamp"),
    "eeprom": say("an EEPROM is rewritten byte by byte in the programmer"),
    "flash": say("a flash is erased and rewritten in the programmer, no lamp needed"),
}


@dataclass(frozen=True)
class Programming:
    """How the true image gets into the chip: `nothing`, `over`, `erase`, `rewrite` or `replace`, with the sentence."""

    how: str
    words: str


def programming(image: bytes, reference: bytes, technology: str = "eprom") -> Programming:
    """What the technology of a memory allows: cells of an EPROM only go from 1 to 0, fuses of a bipolar PROM only burn
    once (their blank level differs by type), masks never change, EEPROM and flash are rewritten at will."""
    if image == reference:
        return Programming("nothing", say("the contents match"))
    if technology in ("mask", "fuse"):
        return Programming("replace", CHANGED[technology])
    if len(image) != len(reference):
        return Programming("erase", say("another size: use a device of the right size"))
    here, there = np.frombuffer(image, np.uint8), np.frombuffer(reference, np.uint8)
    rising = int(np.unpackbits(there & ~here).sum())
    falling = int(np.unpackbits(here & ~there).sum())
    if technology in ("eeprom", "flash"):
        bits = count_of(rising + falling, "bit")
        return Programming("rewrite", say("{bits} differ: re-program it (no lamp needed), then verify", bits=bits))
    if rising and technology == "otp":
        return Programming(
            "replace",
            say("{bits} must change from 0 to 1: {changed}", bits=count_of(rising, "bit"), changed=CHANGED["otp"]),
        )
    if rising:
        words = say(
            "{bits} must change from 0 to 1: erase it first, then program and verify twice",
            bits=count_of(rising, "bit"),
        )
        return Programming("erase", words)
    return Programming(
        "over",
        say(
            "{bits} must change from 1 to 0, so it can be programmed over. Erasing first is safer: the other "
            "cells are as old",
            bits=count_of(falling, "bit"),
        ),
    )


def erase_minutes(irradiance: float, dose: float = ERASE_DOSE) -> float:
    """Minutes under a lamp of some irradiance (W/cm² at 253.7 nm) for a dose (W·s/cm²; data sheets ask for 15)."""
    positive(irradiance=irradiance, dose=dose)
    return dose / irradiance / 60
