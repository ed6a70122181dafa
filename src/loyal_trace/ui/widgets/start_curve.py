"""The bound on the failure rate against the number of clean starts: where the job stands, and where it should be."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF

from loyal_trace.app.presenters.verify import CurveView
from loyal_trace.core.proving.starts import StartTally
from loyal_trace.core.vocabulary.units import format_percent
from loyal_trace.language import tr
from loyal_trace.ui.drawn import Drawn
from loyal_trace.ui.glyphs import draw_glyph
from loyal_trace.ui.theme import THEME, plain_font, px


class StartCurve(Drawn):
    """A curve from no starts to the number needed, with the starts so far as a row of glyphs."""

    picked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.view = CurveView(StartTally(0, 0, 0, 0), (), ())
        self.setFixedHeight(px(190))
        self.setAccessibleName(tr("start statistics"))

    @property
    def tally(self) -> StartTally:
        return self.view.tally

    def show_view(self, view: CurveView | None) -> None:
        """The curve, the tally, and the starts since the last change in order."""
        if view is not None:
            self.view = view
        words = tr(
            "{clean} clean, {failed} failed, bound {upper}",
            clean=self.tally.clean,
            failed=self.tally.failed,
            upper=format_percent(self.tally.upper),
        )
        self.setAccessibleDescription(words)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = self.painter()
        plot = QRectF(46, 22, self.across - 66, 100)
        most = max(1, len(self.view.bounds))
        painter.setPen(QPen(THEME.colour("line"), 1))
        painter.drawRect(plot)
        self._paint_axes(painter, plot, most)
        points = QPolygonF()
        for n, share in enumerate(self.view.bounds, start=1):
            points.append(QPointF(plot.left() + plot.width() * n / most, plot.bottom() - plot.height() * share))
        painter.setPen(QPen(THEME.colour("copper"), 2.4))
        painter.drawPolyline(points)
        target_y = plot.bottom() - plot.height() * self.tally.target
        painter.setPen(QPen(THEME.colour("good"), 1.4, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(plot.left(), target_y), QPointF(plot.right(), target_y))
        x = plot.left() + plot.width() * self.tally.clean / most
        y = plot.bottom() - plot.height() * self.tally.upper
        painter.setPen(QPen(THEME.colour("ink"), 2))
        painter.setBrush(THEME.colour("card"))
        painter.drawEllipse(QPointF(x, y), 6, 6)
        painter.setFont(plain_font(12, bold=True))
        painter.setPen(THEME.colour("ink"))
        if not self.tally.clean:
            self._paint_results(painter)
            return
        label = tr("at most {upper} of starts fail (95 % confidence)", upper=format_percent(self.tally.upper))
        painter.drawText(QRectF(min(x + 10, plot.right() - 240), max(y - 22, plot.top() + 2), 240, 18), 0, label)
        self._paint_results(painter)

    def _paint_axes(self, painter: QPainter, plot: QRectF, most: int) -> None:
        painter.setFont(plain_font(10.5))
        painter.setPen(THEME.colour("soft"))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for share in (0.0, 0.5, 1.0):
            y = plot.bottom() - plot.height() * share
            painter.drawText(QRectF(0, y - 8, 40, 16), right, tr("{share:.0f} %", share=100 * share))
        for n in (0, most // 2, most):
            x = plot.left() + plot.width() * n / most
            box = QRectF(min(x - 40, self.across - 82), plot.bottom() + 2, 80, 14)
            painter.drawText(box, Qt.AlignmentFlag.AlignHCenter, tr("{n} clean", n=n))
        painter.drawText(
            QRectF(46, 2, 400, 16), 0, tr("upper bound of the failure rate by clean starts, and the 5 % wanted")
        )

    def _paint_results(self, painter: QPainter) -> None:
        shown = self.view.results[-34:]
        painter.setFont(plain_font(11))
        painter.setPen(THEME.colour("soft"))
        painter.drawText(QRectF(0, 150, 44, 18), Qt.AlignmentFlag.AlignVCenter, tr("starts"))
        for index, clean in enumerate(shown):
            draw_glyph(painter, "good" if clean else "bad", 56 + index * 18, 159, 13)
