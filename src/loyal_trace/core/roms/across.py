"""A set of ROMs without references: which output or address line shows the same fault in several chips, and in which.

A line that is steady, tied to another or without effect in one chip alone is that chip's; in several chips that were
read the same way it is more likely what they share, the reader and its adapter. Four-bit PROMs have four outputs: their
upper half is no data.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from loyal_trace.core.roms.hypotheses import address_lines, blank_image
from loyal_trace.core.roms.lanes import Lane, kept_steady_by_text, lanes_of, steady_lines, tied_pairs, without_effect
from loyal_trace.core.roms.maps import Bytes
from loyal_trace.core.vocabulary.phrases import joined, say

_FEWEST = 2
READ_GOOD = say("Read a good chip of the type with the same settings")


@dataclass(frozen=True)
class LineFault:
    """What an image shows of a line: `steady` at a level, `tied` to another, `idle` (an address line) or `periodic`.

    `level` is that of a steady line; the period of a periodic one, in bytes.
    """

    kind: str
    lines: tuple[int, ...]
    level: int = 0

    @property
    def words(self) -> str:
        """`D3 is 1 throughout`, `D1 and D2 are always equal`, `A7 has no effect`."""
        if self.kind == "steady":
            return say("D{line} is {level} throughout", line=self.lines[0], level=self.level)
        if self.kind == "tied":
            return say("D{a} and D{b} are always equal", a=self.lines[0], b=self.lines[1])
        if self.kind == "periodic":
            return say("D{line} repeats every {period} bytes", line=self.lines[0], period=self.level)
        return say("A{line} has no effect", line=self.lines[0])


@dataclass(frozen=True)
class Shared:
    """A line fault with the images of the set that show it, and those that do not, by name."""

    fault: LineFault
    shown_by: tuple[str, ...]
    not_by: tuple[str, ...]

    @property
    def words(self) -> str:
        """The finding and whom it points at, in a sentence or two."""
        told, names = self.fault.words, joined(", ", self.shown_by)
        if self.fault.kind == "periodic":
            return say(
                "{told} in {names}: the content of a table, or bridged to an address line.",
                told=told,
                names=names,
            )
        if len(self.shown_by) == 1:
            return say(
                "{told} in {names} alone, not in {others}: its own pin, socket or output, or a line that its content "
                "does not use.",
                told=told,
                names=names,
                others=joined(", ", self.not_by),
            )
        return say(
            "{told} in {names}: read the same way, the reader or its adapter rather than {count} chips. {read_good}.",
            told=told,
            names=names,
            count=len(self.shown_by),
            read_good=READ_GOOD,
        )


def across(images: Mapping[str, bytes], right: Mapping[str, bytes] | None = None) -> tuple[Shared, ...]:
    """The line faults of a set of images by name, those of several chips first.

    `right` are images proved by their checksums: a trait that one of them has too is content, not a fault. Blank
    images show every line steady and say nothing. One image alone is judged by itself, not here.
    """
    arrays = {name: np.frombuffer(data, np.uint8) for name, data in images.items() if data}
    shown = {name: _faults(image) for name, image in arrays.items() if blank_image(image) is None}
    proved = {name: np.frombuffer(data, np.uint8) for name, data in (right or {}).items() if data}
    natural = {fault for image in proved.values() for fault in _faults(image)}
    if len(shown) + len(proved) < _FEWEST:
        return ()
    found = []
    for fault in sorted({f for faults in shown.values() for f in faults} - natural, key=lambda f: (f.kind, f.lines)):
        by = tuple(name for name, faults in shown.items() if fault in faults)
        rest = tuple(name for name in (*shown, *proved) if name not in by)
        found.append(Shared(fault, by, rest))
    return tuple(sorted(found, key=lambda one: -len(one.shown_by)))


def _faults(image: Bytes) -> frozenset[LineFault]:
    lanes = lanes_of(image)
    steady = steady_lines(lanes)
    found = {
        LineFault("steady", (line,), level) for line, level in steady.items() if not kept_steady_by_text(image, line)
    }
    found |= {LineFault("tied", pair) for pair in tied_pairs(lanes)}
    found |= {LineFault("idle", (line,)) for line in range(address_lines(image)) if without_effect(image, line)}
    periods = {line: _period(lane) for line, lane in enumerate(lanes) if line not in steady}
    # What the whole image repeats is an address line without effect, said already.
    whole = max(periods.values(), default=0)
    return frozenset(found | {LineFault("periodic", (line,), n) for line, n in periods.items() if 0 < n < whole})


def _period(lane: Lane) -> int:
    """The shortest power of two, up to a quarter of its length, after which a line repeats; its length when none."""
    for power in range(1, max(len(lane).bit_length() - 2, 1)):
        period = 1 << power
        if np.array_equal(lane[period:], lane[:-period]):
            return period
    return len(lane)
