"""The board map: drawn from the definition like a fine technical drawing, the findings of the stage laid over it."""

from itertools import pairwise

from PyQt6.QtCore import QEvent, QLineF, QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QFontMetricsF,
    QHelpEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
)
from PyQt6.QtWidgets import QToolTip, QWidget

from loyal_trace.app.presenters.model import Overlay
from loyal_trace.app.presenters.tray import Tray
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.outline import body_size, pin_places
from loyal_trace.language import tr
from loyal_trace.ui.glyphs import draw_glyph, hatch
from loyal_trace.ui.theme import THEME, plain_font
from loyal_trace.ui.widgets.part_tray import TrayPlan, paint_tray, paint_tray_part, pin_on_tray, plan_tray

_CLICK = 8


class BoardMap(QWidget):
    """One board, seen from the component side. A click picks a part."""

    picked = pyqtSignal(str)
    area_drawn = pyqtSignal(tuple)
    keeps_lengths = True
    menu_asked = pyqtSignal(str, QPoint)

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(380, 300)
        self.setAccessibleName(tr("board map"))
        self.board: BoardDefinition | None = None
        self.overlay = Overlay({})
        self._still: tuple[object, QPixmap] | None = None
        self._still_board: BoardDefinition | None = None
        self._drag: tuple[QPointF, QPointF] | None = None
        self._tray: Tray | None = None
        self._planned: tuple[object, TrayPlan] | None = None

    def show_board(self, board: BoardDefinition | None, overlay: Overlay, tray: Tray | None = None) -> None:
        """Draws another board or another overlay; `tray` holds the parts without a position."""
        if board is self.board and overlay == self.overlay and tray == self._tray:
            return
        self.board, self.overlay, self._tray = board, overlay, tray
        self.setAccessibleDescription(
            tr("{title}, {selected} picked", title=board.title, selected=overlay.selected) if board else tr("no board")
        )
        self.update()

    @property
    def plan(self) -> TrayPlan | None:
        """Where the parts without a position are: below the drawn board, or alone where no part has a position."""
        if self._tray is None or self.board is None:
            return None
        key = (self.width(), self.height())
        if self._planned is None or self._planned[0] != key or self._planned[1].tray != self._tray:
            top = self._plan_height() + 16.0
            area = QRectF(10, top, self.width() - 16, self.height() - top - 6)
            self._planned = (key, plan_tray(self._tray, area, self._is_bare()))
        return self._planned[1]

    def _is_bare(self) -> bool:
        """Does no part of the board have a position?"""
        return self._tray is not None and self.board is not None and not any(p.placed for p in self.board.parts)

    def _plan_height(self) -> float:
        """The height (pixel) kept for the drawn board: all of it unless parts without a position stand below."""
        if self._tray is None or self.board is None:
            return self.height()
        placed = sum(part.placed for part in self.board.parts)
        if not placed:
            return 0.0
        return self.height() * (0.72 if placed * 5 > 4 * len(self.board.parts) else 0.56)

    def _in_tray(self, refdes: str) -> TrayPlan | None:
        plan = self.plan
        return plan if plan is not None and refdes in plan.bodies else None

    def _frame(self) -> tuple[float, float, float]:
        """(scale px/mm, left, top) that fits the board with its row and column marks."""
        if self.board is None:
            return 1.0, 0.0, 0.0
        room_x, room_y = self.width() - 40, self._plan_height() - 30
        scale = min(room_x / self.board.width, room_y / self.board.height)
        return scale, 30 + (room_x - scale * self.board.width) / 2, 24

    def rect_of(self, part: Part) -> QRectF:
        """Where a part is on the screen (pixels)."""
        tray = self._in_tray(part.refdes)
        if tray is not None:
            return tray.bodies[part.refdes]
        scale, left, top = self._frame()
        width, height = body_size(part)
        return QRectF(
            left + (part.x - width / 2) * scale, top + (part.y - height / 2) * scale, width * scale, height * scale
        )

    def part_at(self, x: float, y: float) -> str:
        """The refdes under a point, or an empty text; small parts win over large ones."""
        if self.board is None:
            return ""
        hits = [
            p for p in (*self.board.parts, *self.board.vias) if self.rect_of(p).adjusted(-4, -4, 4, 4).contains(x, y)
        ]
        return min(hits, key=lambda p: body_size(p)[0] * body_size(p)[1]).refdes if hits else ""

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self._drag = (event.position(), event.position())
        refdes = self.part_at(event.position().x(), event.position().y())
        if refdes:
            self.picked.emit(refdes)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """The part under the pointer is picked, and its menu asked for."""
        refdes = self.part_at(event.pos().x(), event.pos().y()) if event is not None else ""
        if event is not None and refdes:
            self.picked.emit(refdes)
            self.menu_asked.emit(refdes, event.globalPos())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._drag is not None and self.board is not None:
            self._drag = (self._drag[0], event.position())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """An area drawn with the button held: the parts whose middle is in it."""
        if event is None:
            return
        drawn, self._drag = self._drawn(), None
        self.update()
        if drawn is not None and self.board is not None:
            inside = tuple(p.refdes for p in self.board.parts if drawn.contains(self.rect_of(p).center()))
            self.area_drawn.emit(inside)

    def _drawn(self) -> QRectF | None:
        """The area being drawn (pixels); None while it is no more than a click."""
        if self._drag is None:
            return None
        area = QRectF(*self._drag).normalized()
        return area if max(area.width(), area.height()) > _CLICK else None

    def event(self, event: QEvent | None) -> bool:
        if (
            event is not None
            and event.type() == QEvent.Type.ToolTip
            and isinstance(event, QHelpEvent)
            and self.board is not None
        ):
            refdes = self.part_at(event.pos().x(), event.pos().y())
            if refdes:
                part = self.board.part(refdes)
                word = self.overlay.marks.get(refdes, ("", "", False))[1]
                lines = [tr("{refdes}  {part_number}", refdes=refdes, part_number=part.number), part.role, word]
                QToolTip.showText(event.globalPos(), "\n".join(line for line in lines if line), self)
                return True
        return super().event(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.board is None:
            painter.fillRect(self.rect(), THEME.colour("paper"))
            painter.setPen(THEME.colour("soft"))
            painter.setFont(plain_font(14))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, tr("no board yet"))
            return
        still = self._still_picture(self.board)
        painter.drawPixmap(0, 0, still)
        self._paint_trace(painter, self.board)
        ratio = still.devicePixelRatio()
        for body in self._over_the_trace(self.board):
            painter.drawPixmap(body, still, QRectF(body.topLeft() * ratio, body.size() * ratio))
        for refdes in self._changed_by_overlay(self.board):
            self._paint_part(painter, self.board.part(refdes))
        self._paint_trace_ends(painter, self.board)
        for part in self.board.parts:
            self._paint_mark(painter, part)
        self._paint_vias(painter, self.board)
        self._paint_area(painter, self.board)

    def _paint_vias(self, painter: QPainter, board: BoardDefinition) -> None:
        """Vias as small rings; those that something is known of carry its glyph, the picked one a ring of copper."""
        for via in board.vias:
            at = self.rect_of(via).center()
            painter.setPen(QPen(THEME.colour("soft"), 1.2))
            painter.setBrush(THEME.colour("panel"))
            painter.drawEllipse(at, 3.2, 3.2)
            mark = self.overlay.marks.get(via.refdes)
            if mark:
                draw_glyph(painter, mark[0], at.x() + 6, at.y() - 5, 10)
            if via.refdes == self.overlay.selected:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(THEME.colour("copper"), 2.4))
                painter.drawEllipse(at, 9, 9)
                painter.setFont(plain_font(11, bold=True, mono=True))
                painter.drawText(QRectF(at.x() - 20, at.y() + 10, 40, 13), Qt.AlignmentFlag.AlignCenter, via.refdes)

    def _paint_area(self, painter: QPainter, board: BoardDefinition) -> None:
        """The area being drawn, and the parts of the one drawn before."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(THEME.colour("blue"), 1.6, Qt.PenStyle.DashLine))
        drawn = self._drawn()
        if drawn is not None:
            painter.drawRect(drawn)
        for refdes in self.overlay.area:
            if board.has(refdes):
                painter.drawRoundedRect(self.rect_of(board.part(refdes)).adjusted(-4, -4, 4, 4), 4, 4)

    def _still_picture(self, board: BoardDefinition) -> QPixmap:
        """Board and parts without any overlay, painted once for a size and a palette."""
        key = (board.id, self.width(), self.height(), self.devicePixelRatioF(), THEME.dark)
        if self._still is None or self._still[0] != key or self._still_board is not board:
            ratio = self.devicePixelRatioF()
            picture = QPixmap(round(self.width() * ratio), round(self.height() * ratio))
            picture.setDevicePixelRatio(ratio)
            picture.fill(THEME.colour("paper"))
            painter = QPainter(picture)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            shown, self.overlay = self.overlay, Overlay({})
            tray = self.plan
            if not self._is_bare():
                self._paint_outline(painter, board)
            for part in board.parts:
                if tray is None or part.refdes not in tray.bodies:
                    self._paint_part(painter, part)
            if tray is not None:
                paint_tray(painter, tray)
            self.overlay = shown
            painter.end()
            self._still, self._still_board = (key, picture), board
        return self._still[1]

    def _over_the_trace(self, board: BoardDefinition) -> list[QRectF]:
        """The bodies (whole pixels) that the traced line runs under: copied back over it from the still picture."""
        runs = [
            QRectF(a, b).normalized().adjusted(-2, -2, 2, 2) for line in self._runs(board) for a, b in pairwise(line)
        ]
        bodies = [self.rect_of(part) for part in board.parts] if runs else []
        return [QRectF(body.toAlignedRect()) for body in bodies if any(map(body.intersects, runs))]

    def _changed_by_overlay(self, board: BoardDefinition) -> list[str]:
        """Parts that look different under the overlay: hatched ones and the picked one."""
        hatched = [r for r, mark in self.overlay.marks.items() if mark[2] and board.has(r)]
        picked = [self.overlay.selected] if board.has(self.overlay.selected) else []
        return list(dict.fromkeys(hatched + picked))

    def _paint_outline(self, painter: QPainter, board: BoardDefinition) -> None:
        scale, left, top = self._frame()
        painter.setPen(QPen(THEME.colour("ink"), 1.6))
        painter.setBrush(THEME.colour("panel"))
        painter.drawRoundedRect(QRectF(left, top, board.width * scale, board.height * scale), 9, 9)
        painter.setPen(QPen(THEME.colour("soft"), 1))
        for x in (7, board.width - 7):
            for y in (7, board.height - 7):
                painter.drawEllipse(QPointF(left + x * scale, top + y * scale), 5.5, 5.5)
        painter.setFont(plain_font(11, mono=True))
        painter.setPen(THEME.colour("soft"))
        for name, x in self._marks(board, board.columns, 0):
            painter.drawText(QRectF(left + x * scale - 12, top - 21, 24, 16), Qt.AlignmentFlag.AlignCenter, name)
        for name, y in self._marks(board, board.rows, 1):
            painter.drawText(QRectF(left - 24, top + y * scale - 8, 18, 16), Qt.AlignmentFlag.AlignCenter, name)

    def _marks(self, board: BoardDefinition, names: tuple[str, ...], axis: int) -> list[tuple[str, float]]:
        """Grid marks at the mean place of the parts whose refdes carries them, else evenly spread."""
        found = []
        for index, name in enumerate(names):
            at = [(p.x, p.y)[axis] for p in board.parts if p.is_chip and name == p.refdes[1 - axis : 2 - axis]]
            length = board.height if axis else board.width
            found.append((name, sum(at) / len(at) if at else (index + 0.5) * length / len(names)))
        return found

    def _paint_part(self, painter: QPainter, part: Part) -> None:
        tray = self._in_tray(part.refdes)
        if tray is not None:
            paint_tray_part(painter, tray, part.refdes, self.overlay.marks.get(part.refdes))
        else:
            self._paint_placed(painter, part)
        if part.refdes == self.overlay.selected:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(THEME.colour("copper"), 2.6))
            painter.drawRoundedRect(self.rect_of(part).adjusted(-6, -6, 6, 6), 6, 6)

    def _paint_placed(self, painter: QPainter, part: Part) -> None:
        rect = self.rect_of(part)
        mark = self.overlay.marks.get(part.refdes)
        painter.setPen(QPen(THEME.colour("ink"), 1.1))
        self._paint_pins(painter, part)
        painter.setBrush(THEME.colour("card"))
        round_body = part.kind == "capacitor" and part.polarised
        draw = painter.drawEllipse if round_body else lambda r: painter.drawRoundedRect(r, 2.5, 2.5)
        draw(rect)
        if mark and mark[2]:
            painter.setBrush(hatch(mark[0]))
            draw(rect)
        if part.package.startswith("DIP-"):
            x, y = self._pin_on_screen(part, 1)
            x = rect.left() + 4.5 if x < rect.center().x() else rect.right() - 4.5
            y = rect.top() + 4.5 if y < rect.center().y() else rect.bottom() - 4.5
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(THEME.colour("ink"))
            painter.drawEllipse(QPointF(x, y), 1.7, 1.7)
        self._paint_label(painter, part, rect, bool(mark and mark[2]))

    def _paint_pins(self, painter: QPainter, part: Part) -> None:
        scale, left, top = self._frame()
        rect = self.rect_of(part)
        upright = part.rotation % 180
        lines = []
        for x, y in pin_places(part).values():
            px, py = left + x * scale, top + y * scale
            if upright:
                edge, out = (rect.left(), -3) if px < rect.center().x() else (rect.right(), 3)
                lines.append(QLineF(edge, py, edge + out, py))
            else:
                edge, out = (rect.top(), -3) if py < rect.center().y() else (rect.bottom(), 3)
                lines.append(QLineF(px, edge, px, edge + out))
        if lines:
            painter.drawLines(*lines)

    def _paint_label(self, painter: QPainter, part: Part, rect: QRectF, hatched: bool) -> None:
        needed = QFontMetricsF(plain_font(11, bold=True, mono=True)).horizontalAdvance(part.refdes)
        small = rect.width() < max(24, needed + 3) or rect.height() < 12
        painter.setFont(plain_font(8.5 if small else 11, bold=not small, mono=True))
        lines = [part.refdes]
        if part.is_chip and rect.height() > 14:
            lines.append(part.short_number)
        metrics = QFontMetricsF(painter.font())
        if small and rect.height() < 12 and metrics.horizontalAdvance(part.refdes) > rect.width() - 2:
            painter.setPen(THEME.colour("soft"))
            box = QRectF(rect.center().x() - 20, rect.bottom() + 0.5, 40, 10)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, part.refdes)
            return
        height = 12.0 if len(lines) == 1 else 21.0
        if hatched:
            width = max(metrics.horizontalAdvance(line) for line in lines) + 6
            back = QRectF(rect.center().x() - width / 2, rect.center().y() - height / 2, width, height)
            painter.fillRect(back, THEME.colour("card"))
        painter.setPen(THEME.colour("ink"))
        first = QRectF(rect.center().x() - 40, rect.center().y() - height / 2, 80, 12)
        painter.drawText(first, Qt.AlignmentFlag.AlignCenter, lines[0])
        if len(lines) > 1:
            painter.setFont(plain_font(8.5, mono=True))
            painter.setPen(THEME.colour("soft"))
            second = QRectF(rect.center().x() - 40, rect.center().y() + 0.5, 80, 10)
            painter.drawText(second, Qt.AlignmentFlag.AlignCenter, lines[1])

    def _paint_mark(self, painter: QPainter, part: Part) -> None:
        mark = self.overlay.marks.get(part.refdes)
        if mark:
            rect = self.rect_of(part)
            if mark[0] == "unknown" and rect.width() < 24:
                return
            round_body = part.kind == "capacitor" and part.polarised
            shift = 0.15 * rect.width() if round_body else 0.0
            draw_glyph(painter, mark[0], rect.right() - shift, rect.top() + shift, 13)

    def _pin_on_screen(self, part: Part, pin: int) -> tuple[float, float]:
        tray = self._in_tray(part.refdes)
        if tray is not None:
            at = pin_on_tray(tray, part.refdes, pin)
            return at.x(), at.y()
        scale, left, top = self._frame()
        x, y = pin_places(part).get(pin, (part.x, part.y))
        return left + x * scale, top + y * scale

    def _paint_trace(self, painter: QPainter, board: BoardDefinition) -> None:
        """A copper line from the first pin to each of the others, square-cornered, with a label."""
        painter.setPen(QPen(THEME.colour("copper"), 2.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for line in self._runs(board):
            painter.drawPolyline(QPolygonF(line))

    def _runs(self, board: BoardDefinition) -> list[list[QPointF]]:
        """The corners of the line from the first traced pin to each of the others."""
        pins = self._traced(board)
        if len(pins) < 2:
            return []
        x0, y0 = self._pin_on_screen(*pins[0])
        lines = []
        for part, pin in pins[1:]:
            x1, y1 = self._pin_on_screen(part, pin)
            middle = (y0 + y1) / 2
            lines.append([QPointF(x0, y0), QPointF(x0, middle), QPointF(x1, middle), QPointF(x1, y1)])
        return lines

    def _traced(self, board: BoardDefinition) -> list[tuple[Part, int]]:
        return [(board.part(r), n) for r, n in self.overlay.trace if board.has(r)]

    def _paint_trace_ends(self, painter: QPainter, board: BoardDefinition) -> None:
        """Dots on the pins over the parts, and the name of the line at the top of the board."""
        pins = self._traced(board)
        if len(pins) < 2:
            return
        _, left, top = self._frame()
        painter.setBrush(THEME.colour("copper"))
        painter.setPen(Qt.PenStyle.NoPen)
        for part, pin in pins:
            x, y = self._pin_on_screen(part, pin)
            painter.drawEllipse(QPointF(x, y), 3.2, 3.2)
        painter.setFont(plain_font(11, bold=True))
        metrics = QFontMetricsF(painter.font())
        label = metrics.elidedText(self.overlay.trace_label, Qt.TextElideMode.ElideRight, self.width() - 110)
        width = metrics.horizontalAdvance(label) + 10
        if self._is_bare():
            left, top = 10.0, self.height() - 30.0
        box = QRectF(left + 24, top + 6, width, 14)
        painter.fillRect(box, THEME.colour("panel"))
        painter.setPen(THEME.colour("copper"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, label)
