"""An image and the true one side by side in hexadecimal, differences marked; goes from one difference to the next."""

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from loyal_trace.ui.theme import THEME, font

_ROWS, _ACROSS, _LINE = 13, 8, 19


class HexView(QWidget):
    """Paints some lines of an image around the difference in view; hidden while there is nothing to show."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(26 + _ROWS * _LINE)
        self.setAccessibleName("bytes as read and as expected")
        self._image, self._truth = b"", b""
        self._wrong = np.zeros(0, dtype=np.int64)
        self.current = 0
        self._pointed: int | None = None
        self.hide()

    def show_bytes(self, image: bytes, truth: bytes | None) -> None:
        """Shows an image beside the true one, if that is at hand and of its size; begins at the first difference."""
        if (image, truth or b"") == (self._image, self._truth):
            return
        self._image, self._truth = image, truth if truth is not None and len(truth) == len(image) else b""
        pair = (np.frombuffer(image, np.uint8), np.frombuffer(self._truth or image, np.uint8))
        self._wrong = np.flatnonzero(pair[0] != pair[1])
        self.current, self._pointed = 0, None
        self._say()

    @property
    def offset(self) -> int:
        """The place in view: where a click led, else the current difference, else the beginning."""
        if self._pointed is not None:
            return self._pointed
        return int(self._wrong[self.current]) if len(self._wrong) else 0

    def go_to(self, place: int) -> None:
        """Shows a place, and goes on from there to the next difference."""
        self._pointed = max(0, min(place, len(self._image) - 1))
        if len(self._wrong):
            self.current = int(np.searchsorted(self._wrong, place)) % len(self._wrong)
            if self._wrong[self.current] == place:
                self._pointed = None
        self._say()

    def move(self, step: int) -> None:
        """To the next difference, or back."""
        if len(self._wrong):
            from_pointed = self._pointed is not None and step > 0  # a click stands before the difference to come
            self.current = (self.current + (0 if from_pointed else step)) % len(self._wrong)
            self._pointed = None
            self._say()

    def words(self) -> str:
        """Which difference is in view, and what it is."""
        if not self._truth:
            return "no true image at hand: the bytes as read"
        if not len(self._wrong):
            return "no byte differs"
        if self._pointed is not None:
            return f"{self.offset:04X} is {self._image[self.offset]:02X}, as it should be"
        is_, should = self._image[self.offset], self._truth[self.offset]
        flips = ", ".join(f"D{n}" for n in range(8) if (is_ ^ should) >> n & 1)
        at = f"{self.current + 1:,} of {len(self._wrong):,}: {self.offset:04X}"
        return f"{at} is {is_:02X}, should be {should:02X} ({flips})"

    def _say(self) -> None:
        self.setAccessibleDescription(self.words())
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(font(12.5, bold=True))
        painter.setPen(THEME.colour("ink"))
        painter.drawText(QRectF(2, 0, self.width(), 22), Qt.AlignmentFlag.AlignVCenter, self.words())
        first = max(0, self.offset // _ACROSS - _ROWS // 2) * _ACROSS
        for row in range(_ROWS):
            start = first + row * _ACROSS
            if start < len(self._image):
                self._paint_line(painter, start, 26 + row * _LINE)

    def _paint_line(self, painter: QPainter, start: int, top: float) -> None:
        painter.setFont(font(12, mono=True))
        painter.setPen(THEME.colour("soft"))
        painter.drawText(QRectF(2, top, 70, _LINE), Qt.AlignmentFlag.AlignVCenter, f"{start:05X}")
        for side, (data, left) in enumerate(((self._image, 74.0), (self._truth, 378.0))):
            for column in range(min(_ACROSS, len(data) - start)):
                place = start + column
                differs = bool(self._truth) and self._image[place] != self._truth[place]
                box = QRectF(left + column * 34, top, 32, _LINE - 1)
                if place == self.offset and differs:
                    painter.fillRect(box, THEME.colour("selected"))
                colour = ("bad" if side == 0 else "good") if differs else "ink"
                painter.setPen(THEME.colour(colour))
                painter.setFont(font(12, mono=True, bold=differs))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{data[place]:02X}")
