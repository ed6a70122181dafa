"""Repair orders side by side: each a timeline of replacing, testing and waiting, with its figures."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF

from loyal_trace.app.presenters.kit import BlockView, OrdersView, OrderView
from loyal_trace.language import shown, tr
from loyal_trace.ui.drawn import Drawn
from loyal_trace.ui.theme import THEME, plain_font, px

_TOP, _ROW, _NAME, _FIGURES = 42.0, 23.0, 146.0, (70.0, 66.0, 88.0, 62.0)
_WAIT = 13.0


class OrdersChart(Drawn):
    """A row for each order; a click or Enter chooses it."""

    picked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.view: OrdersView | None = None
        self._row = 0
        self.setAccessibleName(tr("repair orders"))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip(tr("Click a repair order to work by it"))

    def show_view(self, view: OrdersView | None) -> None:
        """Shows the orders."""
        self.view = view
        if view is not None:
            self.setFixedHeight(px(_TOP + _ROW * len(view.orders) + 22))
            words = ((shown(order.name), *map(shown, order.figures)) for order in view.orders)
            self.setAccessibleDescription("; ".join(", ".join(some) for some in words))
            self._row = next((n for n, order in enumerate(view.orders) if order.chosen), 0)
        self.update()

    def row_at(self, y: float) -> int:
        """The order at a height (at 100 %); −1 for none."""
        row = int((y - _TOP) // _ROW)
        return row if self.view is not None and y >= _TOP and row < len(self.view.orders) else -1

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and (row := self.row_at(self.at(event).y())) >= 0:
            self.picked.emit(row)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.view is None:
            return
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self._row = (self._row + step) % len(self.view.orders)
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.picked.emit(self._row)
        else:
            event.ignore()

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.view is None:
            return
        painter = self.painter()
        scale = self._scale()
        self._paint_head(painter, scale)
        for row, order in enumerate(self.view.orders):
            self._paint_order(painter, order, _TOP + row * _ROW, scale, self.hasFocus() and row == self._row)
        self._paint_legend(painter, _TOP + _ROW * len(self.view.orders) + 11)

    def _scale(self) -> float:
        """Length of a minute: the longest timeline, its waits included, fills the room that figures leave."""
        view = self.view
        assert view is not None
        waits = max((sum(b.kind == "wait" for b in order.blocks) for order in view.orders), default=0)
        room = self.across - _NAME - sum(_FIGURES) - 16 - waits * _WAIT
        return max(0.2, room / max(view.longest, 1.0))

    def _columns(self) -> list[float]:
        right = self.across - 6.0
        edges = []
        for width in reversed(_FIGURES):
            edges.append(right)
            right -= width
        return edges[::-1]

    def _paint_head(self, painter: QPainter, scale: float) -> None:
        view = self.view
        assert view is not None
        painter.setFont(plain_font(13, bold=True))
        painter.setPen(THEME.colour("ink"))
        painter.drawText(QRectF(2, 4, _NAME, 18), Qt.AlignmentFlag.AlignVCenter, tr("Repair orders"))
        painter.setFont(plain_font(11))
        painter.setPen(THEME.colour("soft"))
        step = next((s for s in (5, 10, 15, 30, 60, 120, 240, 480) if s * scale >= 58), 960)
        minute = 0
        while minute <= view.longest:
            x = _NAME + minute * scale
            painter.drawText(QRectF(x - 4, 22, 70, 16), Qt.AlignmentFlag.AlignVCenter, tr("{m} min", m=minute))
            painter.drawLine(QPointF(x, _TOP - 6), QPointF(x, _TOP - 2))
            minute += step
        titles = (tr("bench"), tr("found by"), tr("culprit known"), tr("mix-up"))
        for title, edge in zip(titles, self._columns(), strict=True):
            box = QRectF(edge - 92, 22, 92, 16)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, title)

    def _paint_order(self, painter: QPainter, order: OrderView, top: float, scale: float, focused: bool) -> None:
        box = QRectF(0, top, self.across, _ROW)
        if order.chosen:
            painter.fillRect(box, THEME.colour("selected"))
            painter.fillRect(QRectF(0, top, 4, _ROW), THEME.colour("copper"))
        if focused:
            painter.setPen(QPen(THEME.colour("blue"), 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(0.6, 0.6, -0.6, -0.6))
        painter.setPen(THEME.colour("ink"))
        painter.setFont(plain_font(12.5, bold=order.chosen))
        name = QFontMetricsF(painter.font()).elidedText(shown(order.name), Qt.TextElideMode.ElideRight, _NAME - 16)
        painter.drawText(QRectF(10, top, _NAME - 12, _ROW), Qt.AlignmentFlag.AlignVCenter, name)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for text, edge in zip(order.figures, self._columns(), strict=True):
            painter.drawText(QRectF(edge - 90, top, 90, _ROW), right, shown(text))
        self._paint_blocks(painter, order, top, scale)

    def _paint_blocks(self, painter: QPainter, order: OrderView, top: float, scale: float) -> None:
        x, minutes, mark = _NAME, 0.0, 0.0
        for block in order.blocks:
            wide = _WAIT if block.kind == "wait" else block.minutes * scale
            if block.kind != "wait" and minutes < order.found_at <= minutes + block.minutes:
                mark = x + (order.found_at - minutes) * scale
            self._paint_block(painter, block, QRectF(x, top + 4, wide, _ROW - 9))
            x, minutes = x + wide, minutes + block.minutes
        if mark:
            painter.setPen(QPen(THEME.colour("bad"), 1.6))
            painter.setBrush(THEME.colour("bad"))
            painter.drawLine(QPointF(mark, top + 3), QPointF(mark, top + _ROW - 3))
            tip = [QPointF(mark - 4.5, top + 1), QPointF(mark + 4.5, top + 1), QPointF(mark, top + 7)]
            painter.drawPolygon(QPolygonF(tip))

    def _paint_block(self, painter: QPainter, block: BlockView, box: QRectF) -> None:
        if block.kind == "wait":
            painter.setPen(QPen(THEME.colour("soft"), 1.4))
            for shift in (3.5, 7.5):
                start = QPointF(box.left() + shift, box.bottom())
                painter.drawLine(start, QPointF(box.left() + shift + 3, box.top()))
            return
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(THEME.colour("blue" if block.kind == "test" else "copper_light"))
        painter.drawRoundedRect(box.adjusted(0.5, 0, -0.5, 0), 2, 2)
        if block.kind == "test" or not block.label:
            return
        painter.setFont(plain_font(10.5, bold=True))
        label = shown(block.label)
        if QFontMetricsF(painter.font()).horizontalAdvance(label) + 4 <= box.width():
            painter.setPen(THEME.colour("card"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, label)

    def _paint_legend(self, painter: QPainter, y: float) -> None:
        view = self.view
        assert view is not None
        painter.setFont(plain_font(11))
        x = _NAME
        for kind, words in (("copper_light", tr("replace")), ("blue", tr("test"))):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(THEME.colour(kind))
            painter.drawRoundedRect(QRectF(x, y - 4, 14, 8), 2, 2)
            painter.setPen(THEME.colour("soft"))
            painter.drawText(QRectF(x + 19, y - 8, 90, 16), Qt.AlignmentFlag.AlignVCenter, words)
            x += 30 + QFontMetricsF(painter.font()).horizontalAdvance(words)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(THEME.colour("bad"))
        painter.drawPolygon(QPolygonF([QPointF(x, y - 4), QPointF(x + 9, y - 4), QPointF(x + 4.5, y + 4)]))
        painter.setPen(THEME.colour("soft"))
        painter.drawText(QRectF(x + 15, y - 8, 460, 16), Qt.AlignmentFlag.AlignVCenter, shown(view.legend))
