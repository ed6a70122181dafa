"""A picture of a ROM image against what is expected: address along, bit lanes across, differences marked.

The explanation in view is drawn on it: the lines it accuses, the addresses they act at, the range it is about. It zooms
down to single bytes, by wheel, by keys, or around a difference.
"""

from dataclasses import dataclass, replace

import numpy as np
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from loyal_trace.core.assess.roms import SlotAssessment
from loyal_trace.core.roms.hypotheses import Hypothesis
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.ui.theme import THEME, font

_LEFT, _TOP, _LANE = 36, 44, 13
_CLOSEST = 16
_MOST_LINES = 3


@dataclass(frozen=True)
class Strip:
    """What the picture shows. `wrong` has one row a data line and one column an address (0 or 1), or is None.

    `address_lines` are drawn as bars where they are high, `lanes` are marked, `span` is the range in question.
    """

    title: str
    aside: str
    image: np.ndarray
    wrong: np.ndarray | None
    address_lines: tuple[int, ...] = ()
    lanes: tuple[int, ...] = ()
    span: tuple[int, int] | None = None


def strip_of(slot: SlotAssessment, chosen: Hypothesis | None = None) -> Strip | None:
    """The picture of one slot with one explanation drawn on it (the likeliest by itself); None when it was not read."""
    if slot.image is None or not slot.image:
        return None
    image = np.frombuffer(slot.image, dtype=np.uint8)
    wrong = None
    title = f"{slot.slot.refdes}, content as read (no true image at hand)"
    if slot.truth is not None and len(slot.truth) == len(slot.image):
        differing = image ^ np.frombuffer(slot.truth, dtype=np.uint8)
        wrong = np.stack([(differing >> lane) & 1 for lane in range(8)])
        count = int(np.count_nonzero(differing))
        title = f"{slot.slot.refdes} against the true image: {count:,} of {len(image):,} bytes differ"
    plain = Strip(title, "", image, wrong)
    best = slot.verdict.hypotheses[0] if slot.verdict and not slot.verdict.good else None
    shown = chosen or best
    return explained(plain, shown) if shown is not None else plain


def flicker_strip(slot: SlotAssessment, moved: np.ndarray) -> Strip:
    """The bits that change between reads, shape (8, size), as a picture."""
    count = int(np.count_nonzero(moved.any(axis=0)))
    lanes = tuple(lane for lane in range(8) if moved[lane].any())
    aside = f"on {', '.join(f'D{n}' for n in lanes)}" if lanes else "every read is alike"
    title = f"{slot.slot.refdes}: {count_of(count, 'byte')} {'changes' if count == 1 else 'change'} between its reads"
    image = np.frombuffer(slot.image or b"", dtype=np.uint8)
    return Strip(title, aside, image, moved, (), lanes if len(lanes) < 8 else ())


def explained(strip: Strip, found: Hypothesis) -> Strip:
    """The picture with an explanation drawn on it."""
    address, lanes = found.lines("address"), found.lines("data")
    first, last = found.where.get("from"), found.where.get("to")
    size = len(strip.image)
    span = (first, last) if isinstance(first, int) and isinstance(last, int) and 0 <= first <= last < size else None
    shown = address[:_MOST_LINES] if len(address) <= 2 * _MOST_LINES else ()
    told = [f"copper bars: addresses where {', '.join(f'A{n}' for n in shown)} = 1"] if shown else []
    told += [f"marked: {', '.join(f'D{n}' for n in lanes)}"] if 0 < len(lanes) < 8 else []
    told += [f"frame: {span[0]:04X} to {span[1]:04X}"] if span else []
    return replace(strip, aside="; ".join(told), address_lines=shown, lanes=lanes, span=span)


class RomPicture(QWidget):
    """Paints a Strip, or the part of it in view; columns gather as many addresses as fit one pixel."""

    pointed = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.strip: Strip | None = None
        self.first, self.count = 0, 0
        self.setFixedHeight(_TOP + 8 * _LANE + 22)
        self.setAccessibleName("picture of the image")

    def show_strip(self, strip: Strip | None) -> None:
        """Shows a strip; the part in view stays while the image keeps its size."""
        size = len(strip.image) if strip is not None else 0
        if self.strip is None or size != len(self.strip.image):
            self.first, self.count = 0, size
        self.strip = strip
        self._say()

    def zoom(self, factor: float, centre: int | None = None) -> None:
        """Shows `factor` times as many addresses around a place; never fewer than sixteen, never more than all."""
        if self.strip is None:
            return
        size = len(self.strip.image)
        middle = self.first + self.count // 2 if centre is None else centre
        self.count = max(min(_CLOSEST, size), min(size, round(self.count * factor)))
        self.first = max(0, min(size - self.count, middle - self.count // 2))
        self._say()

    def show_all(self) -> None:
        """Back to the whole image."""
        self.first, self.count = 0, len(self.strip.image) if self.strip is not None else 0
        self._say()

    def reveal(self, place: int) -> None:
        """Moves the part in view so that a place is in it."""
        if self.strip is not None and not self.first <= place < self.first + self.count:
            self.zoom(1.0, place)

    @property
    def whole(self) -> bool:
        return self.strip is None or self.count == len(self.strip.image)

    def _say(self) -> None:
        title = self.strip.title if self.strip else ""
        part = "" if self.whole else f", {self.first:04X} to {self.first + self.count - 1:04X} in view"
        aside = f" ({self.strip.aside})" if self.strip is not None and self.strip.aside else ""
        self.setAccessibleDescription(title + part + aside)
        self.update()

    def _address_at(self, x: float) -> int:
        width = max(1, self.width() - _LEFT - 6)
        return self.first + int(max(0.0, min(0.999, (x - _LEFT) / width)) * self.count)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.zoom(0.5 if event.angleDelta().y() > 0 else 2.0, self._address_at(event.position().x()))
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.strip is not None:
            self.pointed.emit(self._address_at(event.position().x()))

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.strip is None:
            return
        painter = QPainter(self)
        strip = self.strip
        painter.setPen(THEME.colour("ink"))
        painter.setFont(font(13, bold=True))
        painter.drawText(QRectF(2, 0, self.width(), 20), Qt.AlignmentFlag.AlignVCenter, strip.title)
        painter.setFont(font(11))
        painter.setPen(THEME.colour("copper"))
        painter.drawText(QRectF(_LEFT, 20, self.width() - _LEFT - 4, 14), Qt.AlignmentFlag.AlignRight, strip.aside)
        width = self.width() - _LEFT - 6
        painter.fillRect(QRectF(_LEFT, _TOP, width, 8 * _LANE), THEME.colour("card"))
        self._paint_marks(painter, width)
        painter.drawImage(_LEFT, _TOP, self._lanes(width))
        self._paint_frame(painter, width)

    def _paint_marks(self, painter: QPainter, width: int) -> None:
        """The accused lanes behind the picture, over the range in question."""
        strip = self.strip
        first, last = strip.span or (0, len(strip.image) - 1)
        left, right = self._x(first, width), self._x(last + 1, width)
        for lane in strip.lanes if len(strip.lanes) < 8 else ():
            top = _TOP + (7 - lane) * _LANE
            painter.fillRect(QRectF(left, top, max(2.0, right - left), _LANE), THEME.colour("selected"))

    def _x(self, address: int, width: int) -> float:
        share = (address - self.first) / max(self.count, 1)
        return _LEFT + width * max(0.0, min(1.0, share))

    def _lanes(self, width: int) -> QImage:
        """The lanes as pixels: wrong bits in the colour of a difference; else the share of ones as grey."""
        strip = self.strip
        last = self.first + self.count
        edges = np.linspace(0, self.count, width + 1).astype(int)
        starts = np.minimum(edges[:-1], self.count - 1)
        pixels = np.zeros((8 * _LANE, width), dtype=np.uint32)
        ink = _argb(THEME.colour("bad" if strip.wrong is not None else "soft"))
        for lane in range(8):
            rows = slice((7 - lane) * _LANE + 2, (8 - lane) * _LANE - 2)
            if strip.wrong is not None:
                hit = np.maximum.reduceat(strip.wrong[lane][self.first : last], starts) > 0
                pixels[rows, hit] = ink
            else:
                ones = (strip.image[self.first : last] >> lane & 1).astype(np.int64)
                share = np.add.reduceat(ones, starts) / np.maximum(np.diff(edges), 1)
                alpha = np.clip(share * 200, 0, 200).astype(np.uint32)
                pixels[rows, :] = (alpha << 24) | (ink & 0xFFFFFF)
        self._kept = pixels
        return QImage(pixels.data, width, 8 * _LANE, width * 4, QImage.Format.Format_ARGB32).copy()

    def _paint_frame(self, painter: QPainter, width: int) -> None:
        strip = self.strip
        painter.setFont(font(10, mono=True))
        for lane in range(8):
            top = _TOP + (7 - lane) * _LANE
            painter.setPen(THEME.colour("bad" if lane in strip.lanes else "soft"))
            painter.drawText(QRectF(0, top, _LEFT - 6, _LANE), Qt.AlignmentFlag.AlignRight, f"D{lane}")
            painter.setPen(THEME.colour("groove"))
            painter.drawLine(_LEFT, top, _LEFT + width, top)
        painter.setPen(THEME.colour("line"))
        painter.drawRect(QRectF(_LEFT, _TOP, width, 8 * _LANE))
        painter.setPen(THEME.colour("soft"))
        for quarter in range(5):
            address = self.first + self.count * quarter // 4
            x = _LEFT + width * quarter / 4
            box = QRectF(min(x - 30, self.width() - 50), _TOP + 8 * _LANE + 3, 60, 14)
            painter.drawText(box, Qt.AlignmentFlag.AlignHCenter, f"{address:04X}")
        for number, line in enumerate(strip.address_lines):
            self._paint_bars(painter, width, line, _TOP - 6 - 4 * number)
        self._paint_span(painter, width)

    def _paint_bars(self, painter: QPainter, width: int, line: int, top: int) -> None:
        """Bars where an address line is high, as long as they are wide enough to see."""
        block = 1 << line
        if width * block / self.count < 2:
            return
        for start in range(self.first // (2 * block) * 2 * block + block, self.first + self.count, 2 * block):
            left, right = self._x(start, width), self._x(start + block, width)
            if right > left:
                painter.fillRect(QRectF(left, top, right - left, 3), THEME.colour("copper"))

    def _paint_span(self, painter: QPainter, width: int) -> None:
        if self.strip.span is None:
            return
        left, right = self._x(self.strip.span[0], width), self._x(self.strip.span[1] + 1, width)
        painter.setPen(THEME.colour("copper"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(left, _TOP - 2, max(2.0, right - left), 8 * _LANE + 4))


def _argb(colour: QColor) -> int:
    return int(colour.rgba()) & 0xFFFFFFFF
