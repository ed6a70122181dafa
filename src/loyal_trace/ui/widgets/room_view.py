"""A place drawn to scale from above and from the side, and beside it what could go in, as cards."""

import math

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen

from loyal_trace.app.presenters.kit import Card, Neighbour, RoomView
from loyal_trace.language import shown, tr
from loyal_trace.ui.drawn import Drawn
from loyal_trace.ui.glyphs import draw_glyph
from loyal_trace.ui.theme import THEME, plain_font, px

_HEIGHT, _HEAD, _SHARE = 186.0, 24.0, 0.5
_SIDE = 118.0
# Parts further away than this share of the largest size are not drawn; of the others at least so many mm are seen.
_NEAR_BY, _SEEN = 1.2, 6.0


class RoomDrawing(Drawn):
    """The room on the left, the candidates on the right; a click or Enter plans a candidate."""

    picked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.view: RoomView | None = None
        self._row = 0
        self.setFixedHeight(px(_HEIGHT))
        self.setAccessibleName(tr("room and candidates"))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def show_view(self, view: RoomView | None) -> None:
        """Shows a place."""
        self.view = view
        if view is not None:
            self._row = max(0, view.chosen)
            told = [f"{shown(card.number)}: {shown(card.verdict)}, {shown(card.reason)}" for card in view.cards]
            self.setAccessibleDescription("; ".join([shown(view.about), *told]))
        self.update()

    def _card_box(self, index: int) -> QRectF:
        left = self.across * _SHARE + 14
        # Fewer cards are taller, so that their reasons have two lines.
        high = (_HEIGHT - _HEAD - 4) / max(2.5, len(self.view.cards) if self.view is not None else 3)
        return QRectF(left, _HEAD + index * high, self.across - left - 4, high - 5)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.view is None:
            return
        place = self.at(event)
        for index in range(len(self.view.cards)):
            if self._card_box(index).contains(place):
                self.picked.emit(index)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.view is None or not self.view.cards:
            return
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self._row = (self._row + (1 if event.key() == Qt.Key.Key_Down else -1)) % len(self.view.cards)
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.picked.emit(self._row)
        else:
            event.ignore()

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        view = self.view
        if view is None:
            return
        painter = self.painter()
        painter.setFont(plain_font(13, bold=True))
        painter.setPen(THEME.colour("ink"))
        split = self.across * _SHARE
        title = tr("Room at {name}, drawn to scale", name=view.name)
        painter.drawText(QRectF(2, 2, split, 18), Qt.AlignmentFlag.AlignVCenter, title)
        heading = QRectF(split + 14, 2, self.across - split - 18, 18)
        painter.drawText(heading, Qt.AlignmentFlag.AlignVCenter, tr("Candidates for {name}", name=view.name))
        painter.setFont(plain_font(11.5))
        painter.setPen(THEME.colour("soft"))
        painter.drawText(heading, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, shown(view.about))
        frame = QRectF(1, _HEAD, split - 2, _HEIGHT - _HEAD - 6)
        painter.setPen(QPen(THEME.colour("line"), 1))
        painter.setBrush(THEME.colour("card"))
        painter.drawRoundedRect(frame, 6, 6)
        self._paint_above(painter, view, QRectF(frame.left(), frame.top(), frame.width() - _SIDE, frame.height()))
        side = QRectF(frame.right() - _SIDE, frame.top(), _SIDE, frame.height())
        self._paint_side(painter, view, side)
        for index, card in enumerate(view.cards):
            self._paint_card(painter, card, self._card_box(index), index == view.chosen, index == self._row)
        if not view.cards:
            painter.setPen(THEME.colour("soft"))
            box = self._card_box(0).adjusted(0, 0, 0, 40)
            words = tr("Nothing in the drawer comes near. Add to it in the line, such as drawer: 3x 100u 25V in tray 3")
            painter.drawText(box, Qt.TextFlag.TextWordWrap, words)

    def _paint_above(self, painter: QPainter, view: RoomView, box: QRectF) -> None:
        painter.setFont(plain_font(10.5))
        painter.setPen(THEME.colour("soft"))
        painter.drawText(box.adjusted(8, 0, 0, -4), Qt.AlignmentFlag.AlignBottom, tr("from above"))
        sizes = [size for size in (view.room, view.old, view.new) if size]
        if not sizes:
            words = tr("no size is known: measure the place, and type for example {name} room 12 mm", name=view.name)
            painter.drawText(box.adjusted(12, 12, -12, -24), Qt.TextFlag.TextWordWrap, words)
            return
        near = [one for one in view.neighbours if max(0.0, one.gap) <= _NEAR_BY * max(sizes)]
        wide = max([max(sizes) / 2 + 2, *(abs(n.dx) - n.width / 2 + _SEEN for n in near)])
        high = max([max(sizes) / 2 + 2, *(abs(n.dy) - n.height / 2 + _SEEN for n in near)])
        scale = min((box.width() / 2 - 8) / wide, (box.height() / 2 - 14) / high)
        middle = box.center() - QPointF(0, 5)
        painter.save()
        painter.setClipRect(box.adjusted(2, 2, -2, -18))
        for neighbour in near:
            edge = (view.new or view.old or view.room or 0.0) / 2 * scale
            self._paint_neighbour(painter, neighbour, middle, scale, edge)
        self._paint_rings(painter, view, middle, scale)
        painter.restore()
        self._paint_key(painter, view, box)

    def _paint_rings(self, painter: QPainter, view: RoomView, middle: QPointF, scale: float) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if view.new:
            painter.setBrush(THEME.colour("selected"))
            painter.setPen(QPen(THEME.colour("copper"), 2.2))
            painter.drawEllipse(middle, view.new / 2 * scale, view.new / 2 * scale)
            painter.setBrush(Qt.BrushStyle.NoBrush)
        if view.room:
            painter.setPen(QPen(THEME.colour("ink"), 1.2))
            painter.drawEllipse(middle, view.room / 2 * scale, view.room / 2 * scale)
        if view.old:
            painter.setPen(QPen(THEME.colour("soft"), 1.2, Qt.PenStyle.DashLine))
            painter.drawEllipse(middle, view.old / 2 * scale, view.old / 2 * scale)
        painter.setPen(THEME.colour("ink"))
        painter.setFont(plain_font(13, bold=True))
        box = QRectF(middle.x() - 60, middle.y() - 10, 120, 20)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, view.name.split()[-1])

    def _paint_neighbour(self, painter: QPainter, one: Neighbour, middle: QPointF, scale: float, edge: float) -> None:
        at = QPointF(middle.x() + one.dx * scale, middle.y() + one.dy * scale)
        wide, high = one.width * scale, one.height * scale
        body = QRectF(at.x() - wide / 2, at.y() - high / 2, wide, high)
        painter.setPen(QPen(THEME.colour("line"), 1.2))
        painter.setBrush(THEME.colour("panel"))
        painter.drawRoundedRect(body, 2, 2)
        x = min(max(middle.x(), body.left()), body.right())
        toward = QPointF(x, min(max(middle.y(), body.top()), body.bottom()))
        painter.setFont(plain_font(10.5, bold=True))
        painter.setPen(THEME.colour("ink"))
        self._paint_name(painter, one, body, toward)
        painter.setPen(QPen(THEME.colour("blue"), 1.1))
        away = toward - middle
        far = max(1.0, math.hypot(away.x(), away.y()))
        end = middle + away * (min(edge, far) / far)
        painter.drawLine(toward, end)
        words = tr("{gap:.1f}", gap=max(0.0, one.gap))
        at = (toward + end) / 2
        wide = QFontMetricsF(painter.font()).horizontalAdvance(words) + 6
        label = QRectF(at.x() - wide / 2, at.y() - 8, wide, 16)
        painter.fillRect(label, THEME.colour("card"))
        painter.setPen(THEME.colour("blue"))
        painter.drawText(label, Qt.AlignmentFlag.AlignCenter, words)

    def _paint_name(self, painter: QPainter, one: Neighbour, body: QRectF, toward: QPointF) -> None:
        """The name stands in the body, near the edge that looks at the place, as the rest may be out of the frame."""
        words = [one.name, *([tr("runs hot")] if one.hot else [])]
        high = 13.0 * len(words)
        above, below = toward.y() <= body.top() + 1, toward.y() >= body.bottom() - 1
        top = body.top() + 2 if above else body.bottom() - high - 2 if below else body.center().y() - high / 2
        for number, text in enumerate(words):
            line = QRectF(body.left() - 20, top + 13 * number, body.width() + 40, 13)
            painter.drawText(line, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_key(self, painter: QPainter, view: RoomView, box: QRectF) -> None:
        """What the circles are, with their sizes, in the lower right corner."""
        told = [
            (tr("new {mm:g} mm", mm=view.new), "copper") if view.new else None,
            (tr("room {mm:g} mm", mm=view.room), "ink") if view.room else None,
            (tr("old {mm:g} mm", mm=view.old), "soft") if view.old else None,
        ]
        painter.setFont(plain_font(10.5, bold=True))
        shown_here = [one for one in told if one is not None]
        y = box.bottom() - 6.0 - 14 * len(shown_here)
        for words, colour in shown_here:
            painter.setPen(THEME.colour(colour))
            line = QRectF(box.right() - 96, y, 90, 14)
            painter.drawText(line, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)
            y += 14

    def _paint_side(self, painter: QPainter, view: RoomView, box: QRectF) -> None:
        painter.setPen(QPen(THEME.colour("groove"), 1))
        painter.drawLine(QPointF(box.left(), box.top() + 8), QPointF(box.left(), box.bottom() - 8))
        painter.setFont(plain_font(10.5))
        painter.setPen(THEME.colour("soft"))
        painter.drawText(box.adjusted(8, 0, 0, -4), Qt.AlignmentFlag.AlignBottom, tr("from the side"))
        heights = [h for h in (view.height, view.limit) if h]
        ground = box.bottom() - 22
        painter.setPen(QPen(THEME.colour("ink"), 2))
        painter.drawLine(QPointF(box.left() + 10, ground), QPointF(box.right() - 8, ground))
        if not heights:
            painter.setPen(THEME.colour("soft"))
            painter.drawText(box.adjusted(12, 12, -6, -30), Qt.TextFlag.TextWordWrap, tr("no height is known"))
            return
        scale = (ground - box.top() - 22) / max(heights)
        if view.height:
            wide = min(46.0, (view.new or 10.0) * scale)
            body = QRectF(box.left() + 18, ground - view.height * scale, max(14.0, wide), view.height * scale)
            painter.setPen(QPen(THEME.colour("copper"), 2))
            painter.setBrush(THEME.colour("selected"))
            painter.drawRoundedRect(body, 2, 2)
            painter.setPen(THEME.colour("ink"))
            painter.setFont(plain_font(11, bold=True))
            text = QRectF(body.left() - 12, body.center().y() - 8, body.width() + 24, 16)
            painter.drawText(text, Qt.AlignmentFlag.AlignCenter, tr("{mm:g}", mm=view.height))
        if view.limit:
            y = ground - view.limit * scale
            painter.setPen(QPen(THEME.colour("doubtful"), 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(box.left() + 10, y), QPointF(box.right() - 8, y))
            painter.setPen(THEME.colour("doubtful"))
            painter.setFont(plain_font(10.5, bold=True))
            words = tr("limit {mm:g} mm", mm=view.limit)
            painter.drawText(QRectF(box.left() + 8, y - 17, _SIDE - 14, 15), Qt.AlignmentFlag.AlignRight, words)

    def _paint_card(self, painter: QPainter, card: Card, box: QRectF, chosen: bool, focused: bool) -> None:
        painter.setBrush(THEME.colour("selected" if chosen else "card"))
        painter.setPen(QPen(THEME.colour("copper" if chosen else "line"), 1.8 if chosen else 1.0))
        painter.drawRoundedRect(box, 5, 5)
        if focused and self.hasFocus():
            painter.setPen(QPen(THEME.colour("blue"), 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box.adjusted(2, 2, -2, -2), 4, 4)
        draw_glyph(painter, card.glyph, box.left() + 17, box.top() + 15, 14)
        painter.setFont(plain_font(12, bold=True))
        verdict = shown(card.verdict)
        room = QFontMetricsF(painter.font()).horizontalAdvance(verdict) + 14
        painter.setPen(THEME.verdict_colour(card.glyph))
        line = QRectF(box.left() + 34, box.top() + 5, box.width() - 42, 20)
        painter.drawText(line, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, verdict)
        painter.setPen(THEME.colour("ink"))
        name = shown(card.number)
        metrics = QFontMetricsF(painter.font())
        name = metrics.elidedText(name, Qt.TextElideMode.ElideRight, line.width() - room)
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, name)
        after = line.adjusted(metrics.horizontalAdvance(name) + 10, 0, -room, 0)
        painter.setFont(plain_font(11.5))
        painter.setPen(THEME.colour("soft"))
        where = QFontMetricsF(painter.font()).elidedText(shown(card.where), Qt.TextElideMode.ElideRight, after.width())
        painter.drawText(after, Qt.AlignmentFlag.AlignVCenter, where)
        painter.setPen(THEME.colour("ink"))
        below = QRectF(box.left() + 34, box.top() + 25, box.width() - 42, box.height() - 27)
        metrics = QFontMetricsF(painter.font())
        if below.height() >= 2 * metrics.height():
            painter.drawText(below, Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap, shown(card.reason))
            return
        reason = metrics.elidedText(shown(card.reason), Qt.TextElideMode.ElideRight, below.width())
        painter.drawText(below, Qt.AlignmentFlag.AlignTop, reason)
