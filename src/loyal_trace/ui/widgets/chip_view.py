"""The chip drawn from above: pins with names, what was read, what was expected, and the verdict at each output."""

from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QFont, QFontMetricsF, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen

from loyal_trace.app.presenters.chip_picture import ChipPicture, PinView
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.language import tr
from loyal_trace.ui.drawn import Drawn
from loyal_trace.ui.glyphs import draw_glyph
from loyal_trace.ui.theme import THEME, plain_font, px

_BODY = 210
_MARGIN, _LOWEST, _TALLEST = 24, 19, 36
_ANYTHING = say("low, high or pulsing")
_NOTHING = ChipPicture("", "", (), 0)


def _name_font() -> QFont:
    return plain_font(12, bold=True, mono=True)


class ChipView(Drawn):
    """Paints a ChipPicture; a click on a pin picks it."""

    picked = pyqtSignal(int)
    menu_asked = pyqtSignal(str, QPoint)
    grows = True

    def __init__(self) -> None:
        super().__init__()
        self.picture = _NOTHING
        self.setAccessibleName(tr("chip from above"))

    def show_view(self, picture: ChipPicture | None) -> None:
        """Shows a chip; None while no chip with known pins is picked."""
        self.picture = picture or _NOTHING
        if picture is not None:
            rows = len(picture.pins) // 2
            self.setMinimumHeight(px(_MARGIN + rows * _LOWEST))
            self.setMaximumHeight(px(_MARGIN + rows * _TALLEST))
            words = joined(
                ", ",
                (
                    tr(
                        "{p_number} {p} {p2} {verdict}",
                        p_number=p.number,
                        p=p.name,
                        p2=p.words,
                        verdict=term(p.verdict),
                    ).strip()
                    for p in picture.pins
                ),
            )
            self.setAccessibleDescription(
                tr("{refdes} {type_name}: {words}", refdes=picture.refdes, type_name=picture.type_name, words=words)
            )
        self.update()

    def _pitch(self) -> float:
        """From pin to pin (pixels): as much as there is room for."""
        rows = max(1, len(self.picture.pins) // 2)
        return (self.down - _MARGIN) / rows

    def pin_y(self, number: int) -> float:
        rows = len(self.picture.pins) // 2
        row = number - 1 if number <= rows else 2 * rows - number
        return 12 + (row + 0.5) * self._pitch()

    def pin_at(self, x: float, y: float) -> int:
        """The pin at a point; 0 for none."""
        left = x < self.across / 2
        rows = len(self.picture.pins) // 2
        beside = (pin.number for pin in self.picture.pins if (pin.number <= rows) == left)
        return next((number for number in beside if abs(y - self.pin_y(number)) < self._pitch() / 2), 0)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """The pin under the pointer is picked, and its menu asked for."""
        pin = self.pin_at(self.at(event).x(), self.at(event).y()) if event is not None else 0
        if event is not None and pin:
            self.picked.emit(pin)
            self.menu_asked.emit(f"{self.picture.refdes}.{pin}", event.globalPos())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        pin = self.pin_at(self.at(event).x(), self.at(event).y()) if event is not None else 0
        if pin and event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.picked.emit(pin)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.picture is _NOTHING:
            return
        painter = self.painter()
        left = (self.across - _BODY) / 2
        body = QRectF(left, 4, _BODY, self.down - 8)
        painter.setPen(QPen(THEME.colour("ink"), 1.8))
        painter.setBrush(THEME.colour("card"))
        painter.drawRoundedRect(body, 7, 7)
        painter.setBrush(THEME.colour("paper"))
        painter.drawChord(QRectF(body.center().x() - 13, body.top() - 13, 26, 26), 180 * 16, 180 * 16)
        self._paint_title(painter, body)
        for pin in self.picture.pins:
            self._paint_pin(painter, pin, body)

    def _paint_title(self, painter: QPainter, body: QRectF) -> None:
        painter.setPen(THEME.colour("ink"))
        painter.setFont(plain_font(24, bold=True, mono=True))
        centre = body.center().y()
        painter.drawText(QRectF(body.left(), centre - 34, _BODY, 30), Qt.AlignmentFlag.AlignCenter, self.picture.refdes)
        painter.setPen(THEME.colour("soft"))
        painter.setFont(plain_font(13, mono=True))
        painter.drawText(
            QRectF(body.left(), centre - 4, _BODY, 20), Qt.AlignmentFlag.AlignCenter, self.picture.type_name
        )
        painter.setFont(plain_font(11))
        painter.drawText(QRectF(body.left(), centre + 16, _BODY, 18), Qt.AlignmentFlag.AlignCenter, tr("from above"))

    def _paint_pin(self, painter: QPainter, pin: PinView, body: QRectF) -> None:
        rows = len(self.picture.pins) // 2
        on_left = pin.number <= rows
        y = self.pin_y(pin.number)
        kind = {"impossible": "bad", "unusual": "doubtful", "possible": "good"}.get(pin.verdict, "")
        edge = body.left() if on_left else body.right()
        square = QRectF(edge - 15 if on_left else edge, y - 6, 15, 12)
        painter.setPen(QPen(THEME.colour("soft"), 1))
        painter.setBrush(THEME.verdict_colour(kind) if kind in ("bad", "doubtful") else THEME.colour("groove"))
        painter.drawRect(square)
        self._paint_name(painter, pin, body, on_left, y, kind)
        if pin.number == self.picture.current:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(THEME.colour("copper"), 2.4))
            inside = 42 + self._name_width(pin)
            box = QRectF(edge - 20 if on_left else edge - inside, y - 11, inside + 20, 22)
            painter.drawRoundedRect(box, 4, 4)
        self._paint_reading(painter, pin, edge, on_left, y, kind)

    def _name_width(self, pin: PinView) -> float:
        return QFontMetricsF(_name_font()).horizontalAdvance(pin.name.lstrip("/"))

    def _paint_name(self, painter: QPainter, pin: PinView, body: QRectF, on_left: bool, y: float, kind: str) -> None:
        painter.setFont(plain_font(12, mono=True))
        painter.setPen(THEME.verdict_colour(kind) if kind == "bad" else THEME.colour("ink"))
        number = QRectF(body.left() + 6, y - 9, 22, 18) if on_left else QRectF(body.right() - 28, y - 9, 22, 18)
        painter.drawText(number, Qt.AlignmentFlag.AlignCenter, str(pin.number))
        painter.setFont(_name_font())
        name, width = pin.name.lstrip("/"), self._name_width(pin)
        x = body.left() + 34 if on_left else body.right() - 34 - width
        painter.drawText(QRectF(x, y - 9, width + 2, 18), Qt.AlignmentFlag.AlignVCenter, name)
        if pin.name.startswith("/"):
            painter.drawLine(QPointF(x, y - 7.5), QPointF(x + width, y - 7.5))

    def _paint_reading(self, painter: QPainter, pin: PinView, edge: float, on_left: bool, y: float, kind: str) -> None:
        painter.setFont(plain_font(12.5, bold=kind == "bad"))
        painter.setPen(THEME.verdict_colour(kind) if kind == "bad" else THEME.colour("soft"))
        words = pin.words if pin.state != "?" else pin.good
        if pin.state == "?":
            painter.setFont(plain_font(11))
        box = QRectF(edge - 114, y - 9, 92, 18) if on_left else QRectF(edge + 22, y - 9, 92, 18)
        if pin.state == "?":  # nothing else stands beside it
            box = box.adjusted(-60 if on_left else 0, 0, 0 if on_left else 60, 0)
        side = Qt.AlignmentFlag.AlignRight if on_left else Qt.AlignmentFlag.AlignLeft
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | side, words)
        if pin.expected and pin.expected != _ANYTHING and self._pitch() >= 29:
            painter.setFont(plain_font(10))
            painter.setPen(THEME.colour("soft"))
            below = box.adjusted(-30 if on_left else 0, 14, 0 if on_left else 30, 12)
            painter.drawText(below, Qt.AlignmentFlag.AlignVCenter | side, tr("can: {expected}", expected=pin.expected))
        wave_x = edge - 154 if on_left else edge + 118
        self._paint_wave(painter, pin.state, wave_x, y, kind)
        if pin.verdict in ("impossible", "unusual", "possible"):
            glyph_x = edge - 170 if on_left else edge + 166
            draw_glyph(painter, kind, glyph_x, y, 13)
            painter.setFont(plain_font(11, bold=pin.verdict == "impossible"))
            painter.setPen(THEME.verdict_colour(kind))
            text = QRectF(glyph_x - 76, y - 9, 64, 18) if on_left else QRectF(glyph_x + 11, y - 9, 70, 18)
            painter.drawText(text, Qt.AlignmentFlag.AlignVCenter | side, pin.verdict)

    def _paint_wave(self, painter: QPainter, state: str, x: float, y: float, kind: str) -> None:
        """A small sign of the reading: a line low or high, a square wave, a dashed line for no level."""
        if state == "?":
            return
        painter.setPen(QPen(THEME.verdict_colour(kind) if kind == "bad" else THEME.colour("ink"), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if state == "P":
            path = QPainterPath(QPointF(x, y + 4))
            for n in range(3):
                at = x + n * 11
                for dx, dy in ((4, 4), (4, -5), (9, -5), (9, 4)):
                    path.lineTo(at + dx, y + dy)
            painter.drawPath(path)
            return
        level = {"L": 4, "H": -5}.get(state, 0)
        if state in "XZ":
            painter.setPen(QPen(THEME.colour("doubtful"), 1.6, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(x, y + level), QPointF(x + 32, y + level))
