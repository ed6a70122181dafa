"""Expected and measured ripple on a reservoir, as a scope would show them, with the level the regulator needs."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF

from loyal_trace.app.presenters.chain import RipplePicture
from loyal_trace.core.vocabulary.phrases import joined
from loyal_trace.language import tr
from loyal_trace.ui.drawn import Drawn
from loyal_trace.ui.theme import THEME, plain_font, px

_RISE = 0.18


class RippleView(Drawn):
    """Two saw-tooth lines over three mains cycles; hidden while there is nothing to compare."""

    picked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(px(92))
        self.setAccessibleName(tr("ripple on the reservoir"))
        self._picture: RipplePicture | None = None
        self.hide()

    def show_view(self, picture: RipplePicture | None) -> None:
        """What a healthy reservoir shows, and what was measured on this one."""
        self._picture = picture
        self.setAccessibleDescription(joined(", ", picture.words) if picture is not None else "")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        picture = self._picture
        if picture is None:
            return
        painter = self.painter()
        box = QRectF(46, 20, self.across - 60, self.down - 28)
        painter.setPen(QPen(THEME.colour("line"), 1))
        painter.drawRect(box)
        low, high = picture.span

        def y(volts: float) -> float:
            return box.bottom() - (volts - low) / (high - low) * box.height()

        if picture.needed:
            painter.setPen(QPen(THEME.colour("doubtful"), 1.3, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(box.left(), y(picture.needed)), QPointF(box.right(), y(picture.needed)))
        painter.setClipRect(box)
        for wave, colour, width in ((picture.expected, "good", 1.6), (picture.measured, "copper", 2.4)):
            painter.setPen(QPen(THEME.colour(colour), width))
            painter.drawPolyline(_saw(box, y(wave.peak), y(wave.trough), wave.periods))
        painter.setClipping(False)
        self._paint_words(painter, box, picture)

    def _paint_words(self, painter: QPainter, box: QRectF, picture: RipplePicture) -> None:
        painter.setFont(plain_font(11))
        for words, colour, left in zip(picture.words, ("good", "copper", "doubtful"), (0, 170, 340), strict=False):
            painter.setPen(THEME.colour(colour))
            painter.drawText(QPointF(box.left() + left, 13), words)
        painter.setPen(THEME.colour("soft"))
        low, high = picture.span
        for volts, at in ((high, box.top() + 9), (low, box.bottom())):
            painter.drawText(QRectF(0, at - 9, 40, 14), Qt.AlignmentFlag.AlignRight, tr("{volts:.1f} V", volts=volts))


def _saw(box: QRectF, peak: float, trough: float, periods: float) -> QPolygonF:
    """A saw-tooth over the width of a box."""
    step = box.width() / periods
    points = []
    for number in range(int(periods) + 1):
        start = box.left() + number * step
        points += [QPointF(start, peak), QPointF(start + step * (1 - _RISE), trough)]
    return QPolygonF(points)
