"""The clock tree drawn: every net under the one that feeds it, what it should run at, what was measured."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen

from loyal_trace.app.presenters.clock import ClockStop, ClockTreeView
from loyal_trace.core.vocabulary.phrases import joined, term
from loyal_trace.language import tr
from loyal_trace.ui.drawn import Drawn
from loyal_trace.ui.glyphs import draw_glyph
from loyal_trace.ui.theme import THEME, plain_font, px

_ROW, _STEP, _LEFT = 22, 18, 16
_KIND = {"good": "good", "bad": "bad", "follows": "doubtful"}


class ClockView(Drawn):
    """Rows with a copper line from each to what feeds it; a click picks one."""

    picked = pyqtSignal(int)
    own_lengths = True

    def __init__(self) -> None:
        super().__init__()
        self.stops: tuple[ClockStop, ...] = ()
        self.current = -1
        self.setAccessibleName(tr("clock tree"))

    def show_view(self, view: ClockTreeView | None) -> None:
        """Shows the nets in order, each after what feeds it."""
        found = view or ClockTreeView((), -1)
        self.stops, self.current = found.stops, found.current
        words = joined(
            "; ",
            (
                tr(
                    "{pin} {expected} {measured} {verdict}",
                    pin=s.pin,
                    expected=s.expected,
                    measured=s.measured,
                    verdict=term(s.verdict),
                )
                for s in self.stops
            ),
        )
        self.setAccessibleDescription(words)
        self.setFixedHeight(px(24 + _ROW * max(1, len(self.stops))))
        self.update()

    def top_of(self, index: int) -> int:
        """Upper edge of a row (pixel)."""
        return 24 + _ROW * index

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        index = int((self.at(event).y() - 24) // _ROW)
        if 0 <= index < len(self.stops):
            self.picked.emit(index)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = self.painter()
        painter.setFont(plain_font(12))
        painter.setPen(THEME.colour("soft"))
        for x, words in ((_LEFT + 14, tr("net")), (330, tr("pin")), (410, tr("should be")), (520, tr("measured"))):
            painter.drawText(QRectF(x, 0, 140, 22), Qt.AlignmentFlag.AlignVCenter, words)
        for index in range(len(self.stops)):
            self._paint_row(painter, index)

    def _paint_row(self, painter: QPainter, index: int) -> None:
        stop, top = self.stops[index], self.top_of(index)
        middle, x = top + _ROW / 2, _LEFT + stop.depth * _STEP
        if index == self.current:
            painter.fillRect(QRectF(0, top, self.across, _ROW), THEME.colour("selected"))
        feeder = next((i for i in range(index - 1, -1, -1) if self.stops[i].depth < stop.depth), None)
        if feeder is not None:
            painter.setPen(QPen(THEME.colour("copper_light"), 1.6))
            above = _LEFT + self.stops[feeder].depth * _STEP
            painter.drawLine(QPointF(above, self.top_of(feeder) + _ROW / 2 + 7), QPointF(above, middle))
            painter.drawLine(QPointF(above, middle), QPointF(x - 7, middle))
        draw_glyph(painter, _KIND.get(stop.verdict, "unknown"), x, middle, 13)
        painter.setPen(THEME.colour("ink"))
        painter.setFont(plain_font(12.5, bold=index == self.current, mono=True))
        painter.drawText(QRectF(x + 14, top, 310 - x, _ROW), Qt.AlignmentFlag.AlignVCenter, stop.net)
        painter.setFont(plain_font(13))
        painter.drawText(QRectF(330, top, 76, _ROW), Qt.AlignmentFlag.AlignVCenter, stop.pin)
        painter.drawText(QRectF(410, top, 106, _ROW), Qt.AlignmentFlag.AlignVCenter, stop.expected)
        painter.setPen(THEME.verdict_colour(_KIND[stop.verdict]) if stop.verdict in _KIND else THEME.colour("ink"))
        painter.drawText(QRectF(520, top, self.across - 524, _ROW), Qt.AlignmentFlag.AlignVCenter, stop.measured)
