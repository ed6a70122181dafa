"""A picture of a ROM image against what is expected: address along, data lines across, differences marked.

The explanation in view is drawn on it: the lines that it is about, the addresses they act at, its range.
"""

import numpy as np
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QWheelEvent

from loyal_trace.app.presenters.rom_picture import RomView, Strip
from loyal_trace.language import tr
from loyal_trace.ui.drawn import Drawn
from loyal_trace.ui.theme import THEME, plain_font, px

_LEFT, _TOP, _LANE = 36, 40, 11
_NOTHING = Strip("", "", np.zeros(0, np.uint8), None)


class RomPicture(Drawn):
    """Paints the part of a strip in view; columns gather as many addresses as fit one pixel."""

    picked = pyqtSignal(int)
    zoomed = pyqtSignal(int, float)

    def __init__(self) -> None:
        super().__init__()
        self.strip = _NOTHING
        self.first, self.count = 0, 0
        self.setFixedHeight(px(_TOP + 8 * _LANE + 22))
        self.setAccessibleName(tr("picture of the image"))

    def show_view(self, view: RomView | None) -> None:
        """Shows the part of a strip that is in view."""
        self.strip = view.strip if view is not None else _NOTHING
        self.first, self.count = (view.first, view.count) if view is not None else (0, 0)
        self.setAccessibleDescription(view.words if view is not None else "")
        self.update()

    def _address_at(self, x: float) -> int:
        width = max(1, self.across - _LEFT - 6)
        return self.first + int(max(0.0, min(0.999, (x - _LEFT) / width)) * self.count)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        factor = 0.5 if event.angleDelta().y() > 0 else 2.0
        self.zoomed.emit(self._address_at(self.at(event).x()), factor)
        event.accept()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self.strip is not _NOTHING:
            self.picked.emit(self._address_at(self.at(event).x()))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.strip is _NOTHING:
            return
        painter = self.painter()
        strip = self.strip
        painter.setPen(THEME.colour("ink"))
        painter.setFont(plain_font(13, bold=True))
        painter.drawText(QRectF(2, 0, self.across, 20), Qt.AlignmentFlag.AlignVCenter, strip.title)
        painter.setFont(plain_font(11))
        painter.setPen(THEME.colour("copper"))
        painter.drawText(QRectF(_LEFT, 20, self.across - _LEFT - 4, 14), Qt.AlignmentFlag.AlignRight, strip.aside)
        width = self.across - _LEFT - 6
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
        return QImage(pixels.tobytes(), width, 8 * _LANE, width * 4, QImage.Format.Format_ARGB32).copy()

    def _paint_frame(self, painter: QPainter, width: int) -> None:
        strip = self.strip
        painter.setFont(plain_font(10, mono=True))
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
            box = QRectF(min(x - 30, self.across - 50), _TOP + 8 * _LANE + 3, 60, 14)
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
