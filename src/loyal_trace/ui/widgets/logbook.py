"""The bottom bar and the drawer above it: the logbook, newest last, each line retractable."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QProgressBar,
    QSizePolicy,
    QTableView,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from loyal_trace.language import shown, tr
from loyal_trace.ui.theme import THEME, font, px

if TYPE_CHECKING:  # nothing heavy before the first paint
    from loyal_trace.app.presenters.logbook import LogLine
    from loyal_trace.core.job.entries import Entry

_LINE = 22


class LogModel(QAbstractListModel):
    """The entries of a job as lines, each made when it comes into view: fifty thousand cost nothing until then."""

    def __init__(self) -> None:
        super().__init__()
        self._entries: Sequence[Entry] = ()
        self._count = 0
        self._line: Callable[[Entry], LogLine] | None = None

    def follow(self, entries: "Sequence[Entry]", line: "Callable[[Entry], LogLine]") -> None:
        """The same logbook has grown, or another one is in view; what was undone looks different."""
        grown = entries is self._entries and len(entries) >= self._count
        self._line = line
        if not grown:
            self.beginResetModel()
            self._entries, self._count = entries, len(entries)
            self.endResetModel()
            return
        if len(entries) > self._count:
            self.beginInsertRows(QModelIndex(), self._count, len(entries) - 1)
            self._count = len(entries)
            self.endInsertRows()
        if self._count:
            self.dataChanged.emit(self.index(0), self.index(self._count - 1))

    def forget(self) -> None:
        """The job was left: nothing here holds on to its entries."""
        self.beginResetModel()
        self._entries, self._count, self._line = (), 0, None
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return self._count

    def row_of(self, entry: str) -> int:
        """The row of an entry by its id; -1 when it is not in view."""
        found = (row for row in range(self._count - 1, -1, -1) if self._entries[row].id == entry)
        return next(found, -1)

    def line(self, row: int) -> "LogLine | None":
        """One line."""
        return self._line(self._entries[row]) if self._line is not None and 0 <= row < self._count else None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        found = self.line(index.row()) if index.isValid() else None
        if found is None:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return found.words
        if role == Qt.ItemDataRole.FontRole and found.dead:
            struck = font(12.5)
            struck.setStrikeOut(True)
            return struck
        if role == Qt.ItemDataRole.ForegroundRole and found.dead:
            return THEME.colour("soft")
        return found.id if role == Qt.ItemDataRole.UserRole else None


class LogView(QTableView):
    """The lines: Delete undoes the picked one, Ctrl+C copies it.

    A table of one column: it finds a line by its height, where a list view would lay all of them out for each new one.
    """

    retract_asked = pyqtSignal(str)
    menu_asked = pyqtSignal(str, str, QPoint)

    def __init__(self) -> None:
        super().__init__()
        self.setFont(font(12.5))
        self.setAccessibleName(tr("logbook"))
        self.setShowGrid(False)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setTabKeyNavigation(False)
        self.setWordWrap(False)
        rows, columns = self.verticalHeader(), self.horizontalHeader()
        if rows is not None and columns is not None:
            rows.hide()
            rows.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
            rows.setDefaultSectionSize(px(_LINE))
            columns.hide()
            columns.setStretchLastSection(True)
        self.doubleClicked.connect(self._retract)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self._ask_menu)

    def _ask_menu(self, at: QPoint) -> None:
        index = self.indexAt(at)
        if index.isValid():
            port = self.viewport()
            where = port.mapToGlobal(at) if port is not None else at
            self.menu_asked.emit(str(index.data(Qt.ItemDataRole.UserRole)), str(index.data()), where)

    def _retract(self, index: QModelIndex) -> None:
        if index.isValid():
            self.retract_asked.emit(str(index.data(Qt.ItemDataRole.UserRole)))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._retract(self.currentIndex())
        elif event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        elif event.text() and event.text().isprintable():
            event.ignore()  # typing goes to the line
        else:
            super().keyPressEvent(event)

    def copy(self) -> None:
        """The picked line into the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None and self.currentIndex().isValid():
            clipboard.setText(str(self.currentIndex().data()))


class LogbookDrawer(QWidget):
    """The list of entries, opened over the foot of the window."""

    retract_asked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.model, self.list = LogModel(), LogView()
        self.list.setModel(self.model)
        self.list.retract_asked.connect(self.retract_asked)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 6, 18, 0)
        layout.addWidget(self.list)
        self.setFixedHeight(px(220))
        self.hide()

    def show_entry(self, entry: str) -> None:
        """Selects the line of an entry."""
        row = self.model.row_of(entry)
        if row >= 0:
            self.list.setCurrentIndex(self.model.index(row))
            self.list.scrollTo(self.model.index(row))
            self.list.setFocus()

    def follow(self, entries: "Sequence[Entry]", line: "Callable[[Entry], LogLine]") -> None:
        """Shows a logbook, its newest line in view."""
        before = self.model.rowCount()
        self.model.follow(entries, line)
        if self.model.rowCount() != before:
            self.list.setCurrentIndex(self.model.index(self.model.rowCount() - 1))
            self.list.scrollToBottom()


class LogbookBar(QFrame):
    """The last entry, what was just said, the progress of long work; its title opens the logbook."""

    asked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("bar")
        self.setFixedHeight(px(28))
        title = QToolButton()
        title.setText(tr("Logbook"))
        title.setToolTip(tr("Open or close the logbook (Ctrl+L)"))
        title.setAutoRaise(True)
        title.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        title.setCursor(Qt.CursorShape.PointingHandCursor)
        title.setFont(font(12.5, bold=True))
        title.clicked.connect(self.asked)
        self.last, self.keys = QLabel(), QLabel(tr("F1 help · Ctrl+K find · Ctrl+L logbook · Ctrl+Z undo"))
        self.last.setFont(font(12))
        self.last.setTextFormat(Qt.TextFormat.PlainText)
        self.last.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.keys.setFont(font(11.5))
        self.progress = QProgressBar()
        self.progress.setFixedWidth(px(180))
        self.progress.setFixedHeight(px(12))
        self.progress.setTextVisible(False)
        self.progress.setAccessibleName(tr("progress"))
        self.progress.hide()
        layout = QHBoxLayout(self)
        layout.setSizeConstraint(QHBoxLayout.SizeConstraint.SetNoConstraint)
        layout.setContentsMargins(18, 0, 18, 0)
        layout.setSpacing(14)
        layout.addWidget(title)
        layout.addWidget(self.last, 1)
        layout.addWidget(self.progress)
        layout.addWidget(self.keys)
        self.say("", False)

    def minimumSizeHint(self) -> QSize:
        return QSize(px(200), self.height())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The word on keys gives way to messages in a narrow window."""
        super().resizeEvent(event)
        self.keys.setVisible(self.keys.sizeHint().width() * 2 < self.width())

    def say(self, text: str, wrong: bool) -> None:
        """Shows a message; an error in the colour of one, with a word before it."""
        text = shown(text)
        self.last.setText(tr("Not done: {text}", text=text) if wrong else text)
        self.last.setStyleSheet(f"color: {THEME.palette.bad if wrong else THEME.palette.soft};")
        self.last.setToolTip(text)
        self.keys.setStyleSheet(f"color: {THEME.palette.soft};")

    def show_progress(self, label: str, done: int, total: int) -> None:
        """Progress of long work; an empty label hides it."""
        self.progress.setVisible(bool(label))
        if label:
            self.progress.setRange(0, total)
            self.progress.setValue(done)
            self.last.setText(tr("{label} … Esc stops", label=label))
