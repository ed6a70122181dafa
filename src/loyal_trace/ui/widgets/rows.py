"""A list of rows painted alike: glyph, name, columns, an optional bar; one row is picked. Used by most stages."""

from dataclasses import dataclass

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from loyal_trace.ui.glyphs import draw_bar, draw_glyph
from loyal_trace.ui.theme import THEME, font


@dataclass(frozen=True)
class Cell:
    """One column of a row: text at a left edge (pixel), as wide as `width`; kind colours it like a verdict."""

    left: float
    width: float
    text: str
    kind: str = ""
    bold: bool = False
    mono: bool = False


@dataclass(frozen=True)
class Row:
    """A row: its glyph, its cells, a bar (left, width, share, colour name), heading rows have no glyph and no pick."""

    glyph: str
    cells: tuple[Cell, ...]
    bar: tuple[float, float, float, str] | None = None
    heading: str = ""
    height: int = 27

    @property
    def words(self) -> str:
        return self.heading or " ".join(cell.text for cell in self.cells)


class RowList(QWidget):
    """Rows one under another; a click picks a row."""

    picked = pyqtSignal(int)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.rows: tuple[Row, ...] = ()
        self.current = -1

    def set_rows(self, rows: tuple[Row, ...], current: int) -> None:
        """Shows rows; `current` is the picked one (−1 for none)."""
        if (rows, current) == (self.rows, self.current):
            return
        self.rows, self.current = rows, current
        self.setAccessibleDescription("; ".join(row.words for row in rows))
        self.setFixedHeight(max(1, sum(row.height for row in rows)))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(600, max(1, sum(row.height for row in self.rows)))

    def top_of(self, index: int) -> int:
        """Upper edge of a row (pixel)."""
        return sum(row.height for row in self.rows[:index])

    def mousePressEvent(self, event: QMouseEvent) -> None:
        y = event.position().y()
        for index, row in enumerate(self.rows):
            if self.top_of(index) <= y < self.top_of(index) + row.height and not row.heading:
                self.picked.emit(index)
                return

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        top = 0
        for index, row in enumerate(self.rows):
            self._paint_row(painter, row, top, index == self.current)
            top += row.height

    def _paint_row(self, painter: QPainter, row: Row, top: int, current: bool) -> None:
        if row.heading:
            painter.setFont(font(13, bold=True))
            painter.setPen(THEME.colour("ink"))
            painter.drawText(QRectF(2, top, self.width(), row.height), Qt.AlignmentFlag.AlignVCenter, row.heading)
            return
        if current:
            painter.fillRect(QRectF(0, top, self.width(), row.height), THEME.colour("selected"))
            painter.fillRect(QRectF(0, top, 4, row.height), THEME.colour("copper"))
        if row.glyph:
            draw_glyph(painter, row.glyph, 18, top + min(row.height, 27) / 2, 14)
        if row.bar:
            left, width, share, colour = row.bar
            draw_bar(painter, QRectF(left, top + min(row.height, 27) / 2 - 6, width, 12), share, colour)
        for cell in row.cells:
            self._paint_cell(painter, cell, top, row.height)

    def _paint_cell(self, painter: QPainter, cell: Cell, top: int, height: int) -> None:
        painter.setFont(font(13, bold=cell.bold, mono=cell.mono))
        painter.setPen(QPen(THEME.verdict_colour(cell.kind) if cell.kind else THEME.colour("ink")))
        width = cell.width if cell.width > 0 else self.width() - cell.left - 6
        box = QRectF(cell.left, top, width, height)
        if height > 30:
            flags = Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
            painter.drawText(box.adjusted(0, 5, 0, 0), flags, cell.text)
            return
        text = QFontMetricsF(painter.font()).elidedText(cell.text, Qt.TextElideMode.ElideRight, width)
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, text)
