"""Where the cause of a kind of damage sits, and the one check that tells two explanations apart."""

from loyal_trace.core.vocabulary.phrases import say

SITES = {
    "data-stuck-0": "pins",
    "data-stuck-1": "pins",
    "data-bridged": "pins",
    "address-stuck": "pins",
    "address-bridged": "pins",
    "data-swapped": "adapter",
    "address-swapped": "adapter",
    "bit-reversed": "adapter",
    "inverted": "adapter",
    "bits-faded": "cells",
    "bits-lost": "cells",
    "few-bytes": "cells",
    "part-blank": "cells",
    "blank": "select",
    "all-zero": "select",
    "pattern": "select",
    "garbage": "select",
    "half-read": "set-up",
    "doubled": "set-up",
    "overdump": "set-up",
    "shifted": "set-up",
    "lane-wrong": "set-up",
    "byte-swapped": "set-up",
    "header": "file",
    "text-mode": "file",
    "bytes-dropped": "file",
    "bytes-inserted": "file",
    "data-noisy": "pins",
    "address-noisy": "pins",
    "joined": "file",
    "patched": "content",
    "other-revision": "content",
    "other-slot": "content",
    "stored-twice": "content",
    "unstable": "contact",
    "matches": "",
}
WORDS = {
    "pins": say("pins, socket and reader contacts"),
    "adapter": say("wiring of the adapter or bus"),
    "cells": say("memory cells"),
    "select": say("chip select, output enable and supply"),
    "set-up": say("set-up of the reader"),
    "file": say("the file"),
    "content": say("what was programmed"),
    "contact": say("pins or socket contact"),
}
_SOCKET = say("Read it in another socket or reader: contact faults change, cells do not.")
_SELECT = say("Measure select and output enable at the pins of the chip while it is read.")
# A cell that lost charge conducts at 5 V, and no longer at 4.5 V: the word line follows the supply. So do the two
# supply limits at which EPROM data sheets have programming verified.
_LOWER = say(
    "Read it at a lower supply (4.5 to 4.75 V): faded cells read right again, programmed bytes stay as they are."
)
_CHECKS = {
    frozenset(("pins", "cells")): _SOCKET,
    frozenset(("pins", "adapter")): say("Check continuity from the pin of the chip to the reader's own connector."),
    frozenset(("pins", "set-up")): say(
        "Read a good chip of the type with the same settings: the same picture is set-up."
    ),
    frozenset(("pins", "content")): say(
        "Read it in another reader: a contact fault changes, programmed content does not."
    ),
    frozenset(("select", "cells")): _SELECT,
    frozenset(("select", "pins")): _SELECT,
    frozenset(("cells", "content")): _LOWER,
    frozenset(("cells", "set-up")): say("Choose the device again and read again: set-up damage changes, cells do not."),
    frozenset(("set-up", "content")): say(
        "Choose the device again and read again: set-up damage changes, content does not."
    ),
}
_FILE = say("Read the chip again: damage of the file is gone then, damage in the chip is not.")
_CONTACT = say("Clean the pins and read it three more times: contact faults change, everything else stays.")
_BOTH_PINS = say("Check the pins that both explanations name: continuity, and bridges to their neighbours.")


def site_of(kind: str) -> str:
    """Where the cause sits: pins, adapter, cells, select, set-up, file, content, contact; empty when unknown."""
    return SITES.get(kind, "")


def separating(one: str, other: str) -> str:
    """The check that tells two sites apart; empty when one of them is unknown or no check does."""
    if not one or not other:
        return ""
    if one == other:
        return _BOTH_PINS if one == "pins" else ""
    if "file" in (one, other):
        return _FILE
    if "contact" in (one, other):
        return _CONTACT
    return _CHECKS.get(
        frozenset((one, other)), say("Read it in another reader after choosing the device again, and compare.")
    )
