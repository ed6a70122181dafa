"""Two small screens side by side: the picture of the healthy board, and the one with a fault."""

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPaintEvent, QPen

from loyal_trace.language import tr
from loyal_trace.ui.drawn import Drawn
from loyal_trace.ui.theme import THEME, plain_font, px

if TYPE_CHECKING:
    from loyal_trace.app.presenters.screen import ScreenView

_TOP, _GAP, _RIM, _HIGHEST = 26, 22, 7, 330


class ScreenPair(Drawn):
    """Paints the pictures as large as the page is wide; the pixels stay square."""

    picked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.view: ScreenView | None = None
        self.setFixedHeight(px(_TOP + _HIGHEST + 2 * _RIM + 6))
        self.setAccessibleName(tr("picture healthy and faulty"))

    def show_view(self, view: "ScreenView | None") -> None:
        """Shows two pictures."""
        self.view = view
        self.setAccessibleDescription(view.words if view is not None else "")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.view is None:
            return
        painter = self.painter()
        width = (self.across - _GAP) / 2
        for place, (title, pixels) in enumerate(
            zip(self.view.titles, (self.view.healthy, self.view.faulty), strict=True)
        ):
            self._paint_one(painter, place * (width + _GAP), width, title, pixels)

    def _paint_one(self, painter: QPainter, left: float, width: float, title: str, pixels: "np.ndarray") -> None:
        painter.setPen(THEME.colour("ink"))
        painter.setFont(plain_font(13, bold=True))
        painter.drawText(QRectF(left + 2, 0, width, 20), Qt.AlignmentFlag.AlignVCenter, title)
        lines, across = pixels.shape[:2]
        scale = min((width - 2 * _RIM) / across, _HIGHEST / lines)
        box = QRectF(left, _TOP, across * scale + 2 * _RIM, lines * scale + 2 * _RIM)
        painter.setPen(QPen(THEME.colour("soft"), 1))
        painter.setBrush(THEME.colour("groove"))
        painter.drawRoundedRect(box, 8, 8)
        whole = np.ascontiguousarray(pixels)
        image = QImage(whole.tobytes(), across, lines, 3 * across, QImage.Format.Format_RGB888)
        painter.drawImage(box.adjusted(_RIM, _RIM, -_RIM, -_RIM), image)
