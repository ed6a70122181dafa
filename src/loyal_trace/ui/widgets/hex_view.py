"""An image and its reference side by side in hexadecimal, differences marked."""

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent

from loyal_trace.app.presenters.rom_picture import HexView
from loyal_trace.language import tr
from loyal_trace.ui.drawn import Drawn
from loyal_trace.ui.theme import THEME, plain_font, px

_ROWS, _ACROSS, _LINE = 13, 8, 19


class HexPane(Drawn):
    """Paints some lines of an image around the place in hand; hidden while there is nothing to show."""

    picked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(px(26 + _ROWS * _LINE))
        self.setAccessibleName(tr("bytes as read and as expected"))
        self._view = HexView(b"", b"", 0, "")
        self.hide()

    def show_view(self, view: HexView | None) -> None:
        """Shows the bytes around the place in hand."""
        if view is not None:
            self._view = view
            self.setAccessibleDescription(view.words)
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = self.painter()
        painter.setFont(plain_font(12.5, bold=True))
        painter.setPen(THEME.colour("ink"))
        painter.drawText(QRectF(2, 0, self.across, 22), Qt.AlignmentFlag.AlignVCenter, self._view.words)
        first = max(0, self._view.offset // _ACROSS - _ROWS // 2) * _ACROSS
        for row in range(_ROWS):
            start = first + row * _ACROSS
            if start < len(self._view.image):
                self._paint_line(painter, start, 26 + row * _LINE)

    def _paint_line(self, painter: QPainter, start: int, top: float) -> None:
        painter.setFont(plain_font(12, mono=True))
        painter.setPen(THEME.colour("soft"))
        painter.drawText(QRectF(2, top, 70, _LINE), Qt.AlignmentFlag.AlignVCenter, f"{start:05X}")
        for side, (data, left) in enumerate(((self._view.image, 74.0), (self._view.reference, 378.0))):
            for column in range(min(_ACROSS, len(data) - start)):
                place = start + column
                differs = bool(self._view.reference) and self._view.image[place] != self._view.reference[place]
                box = QRectF(left + column * 34, top, 32, _LINE - 1)
                if place == self._view.offset and differs:
                    painter.fillRect(box, THEME.colour("selected"))
                colour = ("bad" if side == 0 else "good") if differs else "ink"
                painter.setPen(THEME.colour(colour))
                painter.setFont(plain_font(12, mono=True, bold=differs))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{data[place]:02X}")
