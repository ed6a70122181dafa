"""The supply chain drawn from source to far end, with the reading and the limits at each point."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF

from loyal_trace.app.presenters.chain import ChainPicture, ChainStop
from loyal_trace.core.vocabulary.phrases import joined, term
from loyal_trace.language import tr
from loyal_trace.ui.drawn import Drawn
from loyal_trace.ui.glyphs import draw_glyph
from loyal_trace.ui.theme import THEME, plain_font, px

_NARROW = 76


class ChainView(Drawn):
    """Stops along a copper line; a click picks one."""

    picked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.stops: tuple[ChainStop, ...] = ()
        self.current = -1
        self.feeds = ""
        self.setFixedHeight(px(182))
        self.setAccessibleName(tr("supply chain"))

    def show_view(self, picture: ChainPicture | None) -> None:
        """Stops in order, the one in hand, and in words what the far end feeds."""
        found = picture or ChainPicture((), -1)
        self.stops, self.current, self.feeds = found.stops, found.current, found.feeds
        words = joined(
            "; ",
            (
                tr(
                    "{point} {quantity} {reading} {kind}",
                    point=s.point,
                    quantity=term(s.quantity),
                    reading=s.reading,
                    kind=term(s.kind),
                )
                for s in self.stops
            ),
        )
        self.setAccessibleDescription(words)
        self.update()

    def x_of(self, index: int) -> float:
        step = (self.across - 20) / max(1, len(self.stops))
        return 10 + (index + 0.5) * step

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self.stops:
            nearest = min(range(len(self.stops)), key=lambda i: abs(self.x_of(i) - self.at(event).x()))
            self.picked.emit(nearest)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = self.painter()
        if not self.stops:
            painter.setFont(plain_font(13))
            painter.drawText(
                QRectF(0, 0, self.across, self.down),
                Qt.AlignmentFlag.AlignCenter,
                tr("this board describes no supply chain"),
            )
            return
        self._paint_line(painter)
        for index, stop in enumerate(self.stops):
            self._paint_stop(painter, index, stop)

    def _paint_line(self, painter: QPainter) -> None:
        """The copper line: straight along the trunk, an elbow of its own to every branch, and what the end feeds."""
        trunk = [index for index, stop in enumerate(self.stops) if not stop.branch] or [0]
        end = self.x_of(trunk[-1])
        painter.setPen(QPen(THEME.colour("copper"), 4))
        painter.drawLine(QPointF(self.x_of(0), 62), QPointF(end, 62))
        painter.setPen(QPen(THEME.colour("copper"), 2.6))
        branches = list(dict.fromkeys(stop.branch for stop in self.stops if stop.branch))
        for number, branch in enumerate(branches):
            xs = [self.x_of(index) for index, stop in enumerate(self.stops) if stop.branch == branch]
            low = 50.0 - 4 * number if number else 62.0
            painter.drawPolyline(
                QPolygonF([QPointF(end, 62), QPointF(end, low), QPointF(xs[0], low), QPointF(xs[0], 62)])
            )
            painter.drawLine(QPointF(xs[0], 62), QPointF(xs[-1], 62))
        if self.feeds:
            painter.setFont(plain_font(11.5))
            painter.setPen(THEME.colour("soft"))
            box = QRectF(10, 161, self.across - 20, 18)
            text = painter.fontMetrics().elidedText(self.feeds, Qt.TextElideMode.ElideRight, int(box.width()))
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)

    def _paint_stop(self, painter: QPainter, index: int, stop: ChainStop) -> None:
        x = self.x_of(index)
        width = (self.across - 20) / len(self.stops)
        centre = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter
        if index == self.current or stop.boundary:
            painter.setPen(QPen(THEME.colour("copper"), 2.2 if index == self.current else 1.2))
            painter.setBrush(THEME.colour("selected") if index == self.current else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(x - width / 2 + 3, 4, width - 6, 136), 6, 6)
            if index == self.current:
                painter.setPen(QPen(THEME.colour("copper"), 4))
                painter.drawLine(QPointF(x - width / 2 + 3, 62), QPointF(x + width / 2 - 3, 62))
        painter.setPen(QPen(THEME.colour("copper"), 3))
        painter.setBrush(THEME.colour("panel"))
        painter.drawEllipse(QPointF(x, 62), 14, 14)
        draw_glyph(painter, stop.kind, x, 62, 14)
        painter.setPen(THEME.colour("ink"))
        painter.setFont(plain_font(12, bold=True))
        painter.drawText(QRectF(x - width / 2, 12, width, 18), centre, stop.point)
        painter.setFont(plain_font(11))
        painter.setPen(THEME.colour("soft"))
        narrow = width < _NARROW
        metrics = painter.fontMetrics()
        fits = metrics.horizontalAdvance(stop.quantity) < width - 4
        quantity = metrics.elidedText(
            stop.quantity if fits else stop.short, Qt.TextElideMode.ElideRight, int(width - 4)
        )
        painter.drawText(QRectF(x - width / 2, 28, width, 16), centre, quantity)
        painter.setFont(plain_font(11.5 if narrow else 14, bold=True))
        painter.setPen(THEME.verdict_colour(stop.kind) if stop.kind in ("bad", "doubtful") else THEME.colour("ink"))
        painter.drawText(QRectF(x - width / 2, 82, width, 20), centre, stop.reading)
        painter.setFont(plain_font(10.5))
        painter.setPen(THEME.colour("soft"))
        wrapped = centre | Qt.TextFlag.TextWordWrap
        painter.drawText(QRectF(x - width / 2 + 5, 102, width - 10, 38), wrapped, stop.expected)
        if stop.boundary:
            painter.setFont(plain_font(11, bold=True))
            painter.setPen(THEME.colour("copper"))
            after_good = any(before.kind == "good" for before in self.stops[:index])
            words = tr("first bad after good") if after_good else tr("first bad")
            painter.drawText(QRectF(x - 80, 142, 160, 18), centre, words)
