"""Lists of rows: a Qt model over the rows of a page, a view with keyboard and clipboard, a delegate that paints."""

from typing import Any

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QObject, QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QFontMetricsF,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QFrame,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from loyal_trace.app.presenters.model import NO_ROWS, Cell, Row, Rows
from loyal_trace.language import shown
from loyal_trace.ui.glyphs import draw_bar, draw_glyph
from loyal_trace.ui.theme import THEME, plain_font, px

ROW_ROLE = Qt.ItemDataRole.UserRole
_PICKABLE = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
# Rows higher than this wrap their words.
WRAPS_FROM = 30


class RowModel(QAbstractListModel):
    """The rows of one list; a row's words are its text for whoever reads the screen."""

    def __init__(self, view: QObject) -> None:
        """Belongs to its view, so that neither is there without the other."""
        super().__init__(view)
        self.rows: tuple[Row, ...] = ()

    def show(self, rows: tuple[Row, ...]) -> None:
        """Other rows. As many as before are changed in place, so that the view keeps where it is."""
        if len(rows) == len(self.rows):
            self.rows = rows
            if rows:
                self.dataChanged.emit(self.index(0), self.index(len(rows) - 1))
            return
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.rows)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        row = self.rows[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return row.words
        return row if role == ROW_ROLE else None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        if not index.isValid() or self.rows[index.row()].heading:
            return Qt.ItemFlag.NoItemFlags
        return _PICKABLE


class RowDelegate(QStyledItemDelegate):
    """Paints a row: glyph, bar, cells; the picked one on copper, ringed in ink blue while the list has the focus."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        shown_in = self.parent()
        row: Row = index.data(ROW_ROLE)
        return QSize(px(100), shown_in.height_of(row) if isinstance(shown_in, RowList) else px(row.height))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        row: Row = index.data(ROW_ROLE)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.translate(QPointF(option.rect.topLeft()))
        painter.scale(THEME.scale, THEME.scale)
        box = QRectF(0, 0, option.rect.width() / THEME.scale, option.rect.height() / THEME.scale)
        if row.heading:
            painter.setFont(plain_font(13, bold=True))
            painter.setPen(THEME.colour("ink"))
            painter.drawText(box.adjusted(2, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, row.heading)
        else:
            self._paint_ground(painter, option, box)
            self._paint_row(painter, row, box)
        painter.restore()

    def _paint_ground(self, painter: QPainter, option: QStyleOptionViewItem, box: QRectF) -> None:
        if not option.state & QStyle.StateFlag.State_Selected:
            return
        painter.fillRect(box, THEME.colour("selected"))
        painter.fillRect(QRectF(box.left(), box.top(), 4, box.height()), THEME.colour("copper"))
        if option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(THEME.colour("blue"), 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(0.6, 0.6, -0.6, -0.6))

    def _paint_row(self, painter: QPainter, row: Row, box: QRectF) -> None:
        middle = box.top() + min(row.height, 27) / 2
        if row.glyph:
            draw_glyph(painter, row.glyph, box.left() + 18, middle, 14)
        if row.bar:
            left, width, share, colour = row.bar
            draw_bar(painter, QRectF(box.left() + left, middle - 6, width, 12), share, colour)
        for cell in row.cells:
            self._paint_cell(painter, cell, box)

    def _paint_cell(self, painter: QPainter, cell: Cell, box: QRectF) -> None:
        painter.setFont(plain_font(13, bold=cell.bold, mono=cell.mono))
        painter.setPen(QPen(THEME.verdict_colour(cell.kind) if cell.kind else THEME.colour("ink")))
        width = cell.width if cell.width > 0 else box.width() - cell.left - 6
        place = QRectF(box.left() + cell.left, box.top(), width, box.height())
        if box.height() > WRAPS_FROM and cell.width == 0:
            flags = Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
            painter.drawText(place.adjusted(0, 5, 0, 0), flags, cell.text)
            return
        text = QFontMetricsF(painter.font()).elidedText(cell.text, Qt.TextElideMode.ElideRight, width)
        if box.height() > WRAPS_FROM:  # beside wrapped words: on their first line
            first = QRectF(place.left(), place.top() + 2, place.width(), 24)
            if cell.kind == "typed":
                _paint_key(painter, first, text)
            painter.drawText(first, Qt.AlignmentFlag.AlignVCenter, text)
            return
        if cell.kind == "typed":
            _paint_key(painter, place, text)
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, text)


def _paint_key(painter: QPainter, place: QRectF, text: str) -> None:
    """A frame round what a click puts into the line."""
    painter.setPen(QPen(THEME.colour("blue"), 1.1))
    painter.setBrush(THEME.colour("card"))
    wide = QFontMetricsF(painter.font()).horizontalAdvance(text)
    painter.drawRoundedRect(QRectF(place.left() - 6, place.center().y() - 10.5, wide + 12, 21), 4, 4)


def _wrapped_height(cell: Cell, wide: float) -> float:
    """How high (pixel at 100 %) the wrapped words of a cell are in a list of that width."""
    room = QRectF(0, 0, max(wide - cell.left - 6, 40), 10_000)
    metrics = QFontMetricsF(plain_font(13, bold=cell.bold, mono=cell.mono))
    return metrics.boundingRect(room, Qt.TextFlag.TextWordWrap, cell.text).height() + 10


class RowList(QListView):
    """A list as tall as its rows. Passing over a row picks it; where rows act, they wait for a click or Enter."""

    picked = pyqtSignal(int)
    moved = pyqtSignal(int, int)
    menu_asked = pyqtSignal(str, QPoint)
    own_lengths = True

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(shown(name))
        self.setObjectName("rows")
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setItemDelegate(RowDelegate(self))
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._rows = NO_ROWS
        self._showing = False
        self._dragged = self._drop = -1
        self._model = RowModel(self)
        self.setModel(self._model)
        self.clicked.connect(self._clicked)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """The row under the pointer is picked, where picking does not act, and its menu asked for."""
        index = self.indexAt(event.pos()) if event is not None else QModelIndex()
        if event is not None and index.flags() & Qt.ItemFlag.ItemIsEnabled:
            if not self._rows.acts:
                self.picked.emit(index.row())
            self.menu_asked.emit(self.rows[index.row()].words, event.globalPos())

    def _clicked(self, index: QModelIndex) -> None:
        if index.flags() & Qt.ItemFlag.ItemIsEnabled:
            self.picked.emit(index.row())

    @property
    def rows(self) -> tuple[Row, ...]:
        return self._rows.rows

    def show_rows(self, rows: Rows) -> bool:
        """Shows rows; True when another one is picked than before."""
        if rows == self._rows:
            return False
        moved = rows.current != self._rows.current
        if rows.rows != self._rows.rows:
            self._model.show(rows.rows)
            self._fit(rows)
            self.scheduleDelayedItemsLayout()
        self._rows = rows
        self._showing = True
        self.setCurrentIndex(self._model.index(rows.current) if rows.current >= 0 else QModelIndex())
        if rows.current < 0:
            self.clearSelection()
        self._showing = False
        return moved

    def height_of(self, row: Row) -> int:
        """As high as the row says; higher where its wrapped words, in another language or a narrow list, need it."""
        if row.height <= WRAPS_FROM or row.heading:
            return px(row.height)
        wide = self.width() / THEME.scale
        needed = max((_wrapped_height(cell, wide) for cell in row.cells if not cell.width), default=0.0)
        return px(max(row.height, needed))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Another width wraps otherwise."""
        super().resizeEvent(event)
        if any(row.height > WRAPS_FROM for row in self.rows):
            self._fit(self._rows)

    def _fit(self, rows: Rows) -> None:
        self.setFixedHeight(max(1, sum(self.height_of(row) for row in rows.rows)))

    def restyle(self) -> None:
        """Another text size: as tall as its rows again."""
        self._fit(self._rows)
        self.scheduleDelayedItemsLayout()

    def top_of(self, index: int) -> int:
        """Upper edge of a row (pixel)."""
        return sum(self.height_of(row) for row in self.rows[:index])

    # rows that are dragged: the pointer carries one, a line shows before which it would stand

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        super().mousePressEvent(event)
        if event is not None and self._rows.movable and event.button() == Qt.MouseButton.LeftButton:
            self._dragged = self.indexAt(event.pos()).row()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._dragged < 0:
            super().mouseMoveEvent(event)
            return
        drop = self._row_before(event.pos().y())
        # Before itself or before the next one it would stay where it is.
        drop = -1 if drop in (self._dragged, self._dragged + 1) else drop
        if drop != self._drop:
            self._drop = drop
            self._redraw()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        dragged, drop = self._dragged, self._drop
        self._dragged = self._drop = -1
        super().mouseReleaseEvent(event)
        if dragged >= 0 and drop >= 0:
            self.moved.emit(dragged, drop)
        self._redraw()

    def _redraw(self) -> None:
        port = self.viewport()
        if port is not None:
            port.update()

    def _row_before(self, y: int) -> int:
        """The row above whose middle the pointer is; the number of rows below the last."""
        middles = (self.top_of(n) + self.height_of(row) / 2 for n, row in enumerate(self.rows))
        return next((n for n, middle in enumerate(middles) if y < middle), len(self.rows))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        port = self.viewport()
        if self._drop >= 0 and port is not None:
            painter = QPainter(port)
            painter.setPen(QPen(THEME.colour("blue"), 2.5))
            y = min(self.top_of(self._drop), self.height() - 2)
            painter.drawLine(QPointF(2, y), QPointF(port.width() - 2, y))
            painter.end()

    def currentChanged(self, current: QModelIndex, previous: QModelIndex) -> None:
        super().currentChanged(current, previous)
        by_keyboard = self.hasFocus() and not QApplication.mouseButtons()
        if not self._showing and current.isValid() and by_keyboard and not self._rows.acts:
            self.picked.emit(current.row())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            if self.currentIndex().isValid():
                self.picked.emit(self.currentIndex().row())
        elif event.text() and event.text().isprintable():
            event.ignore()  # typing goes to the line
        else:
            super().keyPressEvent(event)

    def copy(self) -> None:
        """The picked row as text into the clipboard; all rows when none is picked."""
        picked = self.currentIndex()
        words = [self.rows[picked.row()].words] if picked.isValid() else [row.words for row in self.rows]
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText("\n".join(words))
