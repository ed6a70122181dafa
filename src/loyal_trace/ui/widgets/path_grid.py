"""Draws functions as rows and parts as columns; the column that only failing functions share stands out."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen

from loyal_trace.app.presenters.path_grid import FAILS, OPEN, WORKS, GridColumn, GridRow, PathGrid
from loyal_trace.language import tr
from loyal_trace.ui.drawn import Drawn
from loyal_trace.ui.glyphs import draw_glyph, hatch
from loyal_trace.ui.theme import THEME, plain_font, px

_HEAD, _ROW, _FOOT, _LEFT = 38, 25, 62, 172
_WIDEST = 62.0


class PathGridView(Drawn):
    """A click on a column picks its part; on the name of a function it puts a line about it into the line."""

    picked = pyqtSignal(int, int)

    def __init__(self) -> None:
        super().__init__()
        self.grid: PathGrid | None = None
        self.setAccessibleName(tr("functions and the parts that they need"))
        self.hide()

    def show_view(self, grid: PathGrid | None) -> None:
        """Shows a grid."""
        self.grid = grid
        if grid is not None:
            self.setFixedHeight(px(_HEAD + _ROW * len(grid.rows) + _FOOT))
            self.setAccessibleDescription(grid.words)
        self.update()

    def column_left(self, index: int) -> float:
        """Left edge of a column."""
        return _LEFT + index * self._pitch()

    def _pitch(self) -> float:
        count = len(self.grid.columns) if self.grid is not None else 1
        return min(_WIDEST, (self.across - _LEFT - 4) / max(1, count))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.grid is None:
            return
        at = self.at(event)
        column = int((at.x() - _LEFT) // self._pitch()) if at.x() >= _LEFT else -1
        row = int((at.y() - _HEAD) // _ROW) if at.y() >= _HEAD else -1
        if column < len(self.grid.columns):
            self.picked.emit(column, row if row < len(self.grid.rows) else -1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        grid = self.grid
        if grid is None:
            return
        painter = self.painter()
        pitch, bottom = self._pitch(), _HEAD + _ROW * len(grid.rows)
        if grid.marked >= 0:
            painter.setPen(QPen(THEME.colour("copper"), 2.2))
            painter.setBrush(THEME.colour("selected"))
            box = QRectF(self.column_left(grid.marked) + 1, 2, pitch - 2, bottom + 32)
            painter.drawRoundedRect(box, 6, 6)
        painter.setFont(plain_font(11))
        painter.setPen(THEME.colour("soft"))
        painter.drawText(QRectF(2, 0, _LEFT - 10, _HEAD), Qt.AlignmentFlag.AlignVCenter, tr("signal path →"))
        for index, column in enumerate(grid.columns):
            self._paint_head(painter, column, QRectF(self.column_left(index), 0, pitch, _HEAD))
        for index, row in enumerate(grid.rows):
            self._paint_row(painter, row, _HEAD + index * _ROW, pitch)
        self._paint_foot(painter, grid, bottom, pitch)

    def _paint_head(self, painter: QPainter, column: GridColumn, box: QRectF) -> None:
        stands_out = column.failing > 1 and not column.working
        painter.setPen(THEME.colour("bad" if stands_out else "ink"))
        painter.setFont(plain_font(12, bold=True, mono=True))
        painter.drawText(box.adjusted(0, 4, 0, -17), Qt.AlignmentFlag.AlignCenter, column.refdes)
        painter.setFont(plain_font(9.5, mono=True))
        painter.setPen(THEME.colour("soft"))
        metrics = QFontMetricsF(painter.font())
        number = metrics.elidedText(column.number, Qt.TextElideMode.ElideRight, box.width() - 2)
        painter.drawText(box.adjusted(0, 20, 0, -2), Qt.AlignmentFlag.AlignCenter, number)

    def _paint_row(self, painter: QPainter, row: GridRow, top: float, pitch: float) -> None:
        middle = top + _ROW / 2
        draw_glyph(painter, row.kind, 10, middle, 13)
        painter.setFont(plain_font(12.5, bold=True))
        painter.setPen(THEME.colour("ink"))
        metrics = QFontMetricsF(painter.font())
        painter.drawText(
            QRectF(22, top, 84, _ROW),
            Qt.AlignmentFlag.AlignVCenter,
            metrics.elidedText(row.name, Qt.TextElideMode.ElideRight, 82),
        )
        painter.setFont(plain_font(12))
        painter.setPen(THEME.verdict_colour(row.kind))
        painter.drawText(QRectF(108, top, _LEFT - 112, _ROW), Qt.AlignmentFlag.AlignVCenter, row.state)
        used = [index for index, cell in enumerate(row.cells) if cell]
        if not used:
            painter.setPen(THEME.colour("soft"))
            words = tr("its path is not entered; a click asks for it")
            painter.drawText(QRectF(_LEFT + 6, top, 400, _ROW), Qt.AlignmentFlag.AlignVCenter, words)
            return
        painter.setPen(QPen(THEME.verdict_colour(row.kind), 1.2))
        first, last = (self.column_left(index) + pitch / 2 for index in (used[0], used[-1]))
        painter.drawLine(QPointF(first, middle), QPointF(last, middle))
        for index in used:
            box = QRectF(0, 0, min(34.0, pitch - 6), _ROW - 9)
            box.moveCenter(QPointF(self.column_left(index) + pitch / 2, middle))
            _paint_cell(painter, row.cells[index], box)

    def _paint_foot(self, painter: QPainter, grid: PathGrid, bottom: float, pitch: float) -> None:
        painter.setPen(QPen(THEME.colour("groove"), 1.2))
        painter.drawLine(QPointF(0, bottom + 1), QPointF(self.across, bottom + 1))
        painter.setFont(plain_font(11))
        painter.setPen(THEME.colour("soft"))
        for number, words in enumerate((tr("on failing paths"), tr("on working paths"))):
            box = QRectF(2, bottom + 3 + 15 * number, _LEFT - 12, 15)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, words)
        for index, column in enumerate(grid.columns):
            stands_out = column.failing > 1 and not column.working
            painter.setFont(plain_font(11.5, bold=stands_out))
            painter.setPen(THEME.colour("bad" if stands_out else "ink"))
            for number, count in enumerate((column.failing, column.working)):
                box = QRectF(self.column_left(index), bottom + 3 + 15 * number, pitch, 15)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(count))
        self._paint_legend(painter, grid, bottom + 40)

    def _paint_legend(self, painter: QPainter, grid: PathGrid, top: float) -> None:
        legend = (
            (FAILS, tr("only on failing paths")),
            (OPEN, tr("also on a working path, or not tried")),
            (WORKS, tr("path works")),
        )
        x = 2.0
        painter.setFont(plain_font(11))
        for cell, words in legend:
            _paint_cell(painter, cell, QRectF(x, top + 3, 20, 12))
            painter.setPen(THEME.colour("soft"))
            wide = QFontMetricsF(painter.font()).horizontalAdvance(words)
            painter.drawText(QRectF(x + 26, top, wide + 4, 18), Qt.AlignmentFlag.AlignVCenter, words)
            x += wide + 44
        painter.drawText(QRectF(x, top, self.across - x, 18), Qt.AlignmentFlag.AlignVCenter, grid.left_out)


def _paint_cell(painter: QPainter, cell: str, box: QRectF) -> None:
    painter.setPen(QPen(THEME.colour("bad" if cell == FAILS else "good" if cell == WORKS else "ink"), 1.2))
    painter.setBrush(THEME.colour("good" if cell == WORKS else "card"))
    painter.drawRoundedRect(box, 3, 3)
    if cell == FAILS:
        painter.setBrush(hatch("bad"))
        painter.drawRoundedRect(box, 3, 3)
