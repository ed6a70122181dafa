"""The picture of a ROM image against its reference, as values: what differs, and the explanation drawn on it."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.assess.roms import SlotAssessment
from loyal_trace.core.roms.hypotheses import Hypothesis
from loyal_trace.core.vocabulary.phrases import joined, say, say_count

_MOST_LINES = 3
_CLOSEST = 16


@dataclass(frozen=True, eq=False)
class Strip:
    """What the picture shows. `wrong` has one row a data line and one column an address (0 or 1), or is None.

    `address_lines` are drawn as bars where they are high, `lanes` are marked, `span` is the range in question.
    """

    title: str
    aside: str
    image: NDArray[np.uint8]
    wrong: NDArray[np.uint8] | None
    address_lines: tuple[int, ...] = ()
    lanes: tuple[int, ...] = ()
    span: tuple[int, int] | None = None


@dataclass(frozen=True, eq=False)
class RomView:
    """A strip and the part of it in view: the first address and how many."""

    strip: Strip
    first: int
    count: int

    @property
    def whole(self) -> bool:
        return self.count == len(self.strip.image)

    @property
    def words(self) -> str:
        """The picture in words, for who does not see it."""
        part = (
            ""
            if self.whole
            else say(", {first:04X} to {first2:04X} in view", first=self.first, first2=self.first + self.count - 1)
        )
        aside = say(" ({aside})", aside=self.strip.aside) if self.strip.aside else ""
        return say("{title}{part}{aside}", title=self.strip.title, part=part, aside=aside)


@dataclass(frozen=True)
class HexView:
    """An image beside its reference (empty when there is none of its size), the place in view, and what is there."""

    image: bytes
    reference: bytes
    offset: int
    words: str


class ImageWalk:
    """Where one looks in an image: the part of the picture in view, and the difference or byte in hand."""

    def __init__(self) -> None:
        self._image, self._truth = b"", b""
        self._wrong: NDArray[np.int64] = np.zeros(0, dtype=np.int64)
        self._current = 0
        self._pointed: int | None = None
        self.first, self.count = 0, 0

    def follow(self, image: bytes, reference: bytes | None) -> None:
        """Another image is in hand: all of it in view, at its first difference. The same again changes nothing."""
        usable = reference if reference is not None and len(reference) == len(image) else b""
        if (image, usable) == (self._image, self._truth):
            return
        if len(image) != len(self._image):
            self.first, self.count = 0, len(image)
        self._image, self._truth = image, usable
        pair = (np.frombuffer(image, np.uint8), np.frombuffer(usable or image, np.uint8))
        self._wrong = np.flatnonzero(pair[0] != pair[1])
        self._current, self._pointed = 0, None

    @property
    def offset(self) -> int:
        """The place in hand: where a click led, else the current difference, else the beginning."""
        if self._pointed is not None:
            return self._pointed
        return int(self._wrong[self._current]) if len(self._wrong) else 0

    def go_to(self, place: int) -> None:
        """To a place, and from there on to the next difference."""
        self._pointed = max(0, min(place, len(self._image) - 1))
        if len(self._wrong):
            self._current = int(np.searchsorted(self._wrong, place)) % len(self._wrong)
            if self._wrong[self._current] == place:
                self._pointed = None

    def move(self, step: int) -> None:
        """To the next difference, or back; the picture shows it."""
        if len(self._wrong):
            from_pointed = self._pointed is not None and step > 0  # a click stands before the difference to come
            self._current = (self._current + (0 if from_pointed else step)) % len(self._wrong)
            self._pointed = None
            if not self.first <= self.offset < self.first + self.count:
                self.zoom(1.0, self.offset)

    def zoom(self, factor: float, centre: int) -> None:
        """`factor` times as many addresses around a place; never fewer than sixteen, never more than all."""
        size = len(self._image)
        self.count = max(min(_CLOSEST, size), min(size, round(self.count * factor)))
        self.first = max(0, min(size - self.count, centre - self.count // 2))

    def show_all(self) -> None:
        """The whole image in view."""
        self.first, self.count = 0, len(self._image)

    def words(self) -> str:
        """Which difference is in hand, and what it is."""
        if not self._truth:
            return say("no reference image available: the bytes as read")
        if not len(self._wrong):
            return say("no byte differs")
        read, meant = self._image[self.offset], self._truth[self.offset]
        if self._pointed is not None:
            return say("{offset:04X} is {read:02X}, as expected", offset=self.offset, read=read)
        flips = joined(", ", (f"D{n}" for n in range(8) if (read ^ meant) >> n & 1))
        at = say(
            "{current:,} of {count:,}: {offset:04X}",
            current=self._current + 1,
            count=len(self._wrong),
            offset=self.offset,
        )
        return say("{at} is {read:02X}, should be {meant:02X} ({flips})", at=at, read=read, meant=meant, flips=flips)

    def hex_view(self) -> HexView:
        """The bytes around the place in hand."""
        return HexView(self._image, self._truth, self.offset, self.words())


def strip_of(slot: SlotAssessment, chosen: Hypothesis | None = None) -> Strip | None:
    """The picture of one slot with one explanation drawn on it (the likeliest by itself); None when it was not read."""
    if slot.image is None or not slot.image:
        return None
    image = np.frombuffer(slot.image, dtype=np.uint8)
    wrong = None
    title = say("{refdes}, contents as read (no reference image available)", refdes=slot.slot.refdes)
    if slot.reference is not None and len(slot.reference) == len(slot.image):
        differing = image ^ np.frombuffer(slot.reference, dtype=np.uint8)
        wrong = np.stack([(differing >> lane) & 1 for lane in range(8)])
        count = int(np.count_nonzero(differing))
        title = say(
            "{refdes} against the reference image: {count:,} of {count2:,} bytes differ",
            refdes=slot.slot.refdes,
            count=count,
            count2=len(image),
        )
    plain = Strip(title, "", image, wrong)
    best = slot.verdict.hypotheses[0] if slot.verdict and not slot.verdict.good else None
    shown = chosen or best
    return explained(plain, shown) if shown is not None else plain


def flicker_strip(slot: SlotAssessment, moved: NDArray[np.uint8]) -> Strip:
    """The bits that change between reads, shape (8, size), as a picture."""
    count = int(np.count_nonzero(moved.any(axis=0)))
    lanes = tuple(lane for lane in range(8) if moved[lane].any())
    aside = say("on {lanes}", lanes=joined(", ", (f"D{n}" for n in lanes))) if lanes else say("all reads are equal")
    title = say_count(
        count,
        "{refdes}: {count:,} byte changes between its reads",
        "{refdes}: {count:,} bytes change between its reads",
        refdes=slot.slot.refdes,
    )
    image = np.frombuffer(slot.image or b"", dtype=np.uint8)
    return Strip(title, aside, image, moved, (), lanes if len(lanes) < 8 else ())


def explained(strip: Strip, found: Hypothesis) -> Strip:
    """The picture with an explanation drawn on it."""
    address, lanes = found.lines("address"), found.lines("data")
    first, last = found.where.get("from"), found.where.get("to")
    size = len(strip.image)
    span = (first, last) if isinstance(first, int) and isinstance(last, int) and 0 <= first <= last < size else None
    shown = address[:_MOST_LINES] if len(address) <= 2 * _MOST_LINES else ()
    told = (
        [say("brown bars mark addresses with {shown} = 1", shown=joined(", ", (f"A{n}" for n in shown)))]
        if shown
        else []
    )
    told += [say("marked: {lanes}", lanes=joined(", ", (f"D{n}" for n in lanes)))] if 0 < len(lanes) < 8 else []
    told += [say("frame: {span:04X} to {span2:04X}", span=span[0], span2=span[1])] if span else []
    return replace(strip, aside=joined("; ", told), address_lines=shown, lanes=lanes, span=span)
