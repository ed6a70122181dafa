"""What to do next about each kind of damage: one sentence or two, by the kind of its hypothesis."""

from loyal_trace.core.vocabulary.phrases import say, template

HALF_ADVICE = template(
    "In smaller types {line} is a programming or supply pin, in larger ones an address: check the level there."
)
NEXT = {
    "data-bridged": say(
        "Look for a solder bridge or bent pins between these pins, also at the reader; check continuity."
    ),
    "data-swapped": say("Check the wiring of adapter and reader. Exchange the lines back and verify."),
    "address-bridged": say(
        "Look for a solder bridge or bent pins between these pins; check continuity, then read again."
    ),
    "address-swapped": say("Check the wiring of the adapter. Restore the order and verify it by the checksums."),
    "byte-swapped": say("Exchange the bytes back, or choose the other byte order at the reader."),
    "lane-wrong": say("Join or split the byte lanes the other way round."),
    "bit-reversed": say("Check the wiring of the adapter: D0 to D7 are in reverse order."),
    "inverted": say("Look for an inverting buffer or an inverting reader; invert the image back and verify."),
    "part-blank": say(
        "Check the upper address pins and the chip select, then read again. If it stays, program that part again."
    ),
    "patched": say(
        "Compare it with patched versions: edits of several bytes together suggest a "
        "deliberate change. Find out which version it is."
    ),
    "address-stuck": say(
        "Usual cause: a pin bent under, or a worn socket contact. Straighten the pin, reseat the chip, read it again."
    ),
    "garbage": say(
        "Check supply, chip enable and the device type of the reader; read it three times and compare the reads."
    ),
    "pattern": say("Check output enable and the contacts of the reader, then read again."),
    "slow": say(
        "Read it again with a longer access time; check select, output enable and the supply at the pins of the chip."
    ),
    "bits-lost": say(
        "Check the seating and the supply of the reader, then read again. If it stays, erase and re-program it."
    ),
}
