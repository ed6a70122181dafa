"""A picture of a ROM image against what is expected: address along, bit lanes across, differences marked."""

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from loyal_trace.core.case import SlotAssessment
from loyal_trace.ui.theme import THEME, font

_LEFT, _TOP, _LANE = 36, 44, 13


@dataclass(frozen=True)
class Strip:
    """What the picture shows. `wrong` has one row a data line and one column an address (0 or 1), or is None."""

    title: str
    aside: str
    image: np.ndarray
    wrong: np.ndarray | None
    address_line: int | None
    lanes: tuple[int, ...]


def strip_of(slot: SlotAssessment) -> Strip | None:
    """The picture of one slot; None when it was not read."""
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
    where = slot.verdict.hypotheses[0].where if slot.verdict else {}
    address, data = where.get("address"), where.get("data")
    line = int(address[0]) if isinstance(address, list) and len(address) == 1 else None
    lanes = tuple(int(n) for n in data) if isinstance(data, list) else ()
    aside = f"copper bars: addresses where A{line} = 1" if line is not None else ""
    return Strip(title, aside, image, wrong, line, lanes)


class RomPicture(QWidget):
    """Paints a Strip; columns gather as many addresses as fit one pixel."""

    def __init__(self) -> None:
        super().__init__()
        self.strip: Strip | None = None
        self.setFixedHeight(_TOP + 8 * _LANE + 22)
        self.setAccessibleName("picture of the image")

    def show_strip(self, strip: Strip | None) -> None:
        self.strip = strip
        self.setAccessibleDescription(strip.title if strip else "")
        self.update()

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
        painter.drawImage(_LEFT, _TOP, self._lanes(width))
        self._paint_frame(painter, width)

    def _lanes(self, width: int) -> QImage:
        """The lanes as pixels: wrong bits in the colour of a difference; else the share of ones as grey."""
        strip = self.strip
        size = strip.image.size
        edges = np.linspace(0, size, width + 1).astype(int)
        starts = np.minimum(edges[:-1], size - 1)
        pixels = np.zeros((8 * _LANE, width), dtype=np.uint32)
        ink = _argb(THEME.colour("bad" if strip.wrong is not None else "soft"))
        for lane in range(8):
            rows = slice((7 - lane) * _LANE + 2, (8 - lane) * _LANE - 2)
            if strip.wrong is not None:
                hit = np.maximum.reduceat(strip.wrong[lane], starts) > 0
                pixels[rows, hit] = ink
            else:
                share = np.add.reduceat((strip.image >> lane & 1).astype(np.int64), starts) / np.maximum(
                    np.diff(edges), 1
                )
                alpha = np.clip(share * 200, 0, 200).astype(np.uint32)
                pixels[rows, :] = (alpha << 24) | (ink & 0xFFFFFF)
        self._kept = pixels
        return QImage(pixels.data, width, 8 * _LANE, width * 4, QImage.Format.Format_ARGB32).copy()

    def _paint_frame(self, painter: QPainter, width: int) -> None:
        strip = self.strip
        size = strip.image.size
        painter.setFont(font(10, mono=True))
        for lane in range(8):
            top = _TOP + (7 - lane) * _LANE
            marked = lane in strip.lanes
            painter.setPen(THEME.colour("bad" if marked else "soft"))
            painter.drawText(QRectF(0, top, _LEFT - 6, _LANE), Qt.AlignmentFlag.AlignRight, f"D{lane}")
            painter.setPen(THEME.colour("groove"))
            painter.drawLine(_LEFT, top, _LEFT + width, top)
        painter.setPen(THEME.colour("line"))
        painter.drawRect(QRectF(_LEFT, _TOP, width, 8 * _LANE))
        painter.setPen(THEME.colour("soft"))
        for quarter in range(5):
            address = size * quarter // 4
            x = _LEFT + width * quarter / 4
            box = QRectF(min(x - 30, self.width() - 50), _TOP + 8 * _LANE + 3, 60, 14)
            painter.drawText(box, Qt.AlignmentFlag.AlignHCenter, f"{address:04X}")
        if strip.address_line is not None:
            block = 1 << strip.address_line
            for start in range(block, size, 2 * block):
                if width * block / size >= 2:
                    x = _LEFT + width * start / size
                    painter.fillRect(QRectF(x, _TOP - 6, width * block / size, 3), THEME.colour("copper"))


def _argb(colour: QColor) -> int:
    return int(colour.rgba()) & 0xFFFFFFFF
