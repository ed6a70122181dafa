"""Boards and parts as a tree of words: what the drawn map shows, for the keyboard and for whoever reads the screen."""

from collections.abc import Sequence

from PyQt6.QtCore import QModelIndex, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QStandardItem, QStandardItemModel
from PyQt6.QtWidgets import QAbstractItemView, QTreeView

from loyal_trace.language import tr
from loyal_trace.ui.theme import font

_PLACE = Qt.ItemDataRole.UserRole


class Outline(QTreeView):
    """Every board with its parts; each part says its type and its state in words. Picking one picks it everywhere."""

    picked = pyqtSignal(str, str)
    menu_asked = pyqtSignal(str, QPoint)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("boards and parts"))
        self.setFont(font(13))
        self.setHeaderHidden(True)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setUniformRowHeights(True)
        self._model = QStandardItemModel(self)
        self.setModel(self._model)
        self._known: Sequence[tuple[str, str, Sequence[tuple[str, str]]]] = ()
        self._places: dict[tuple[str, str], QStandardItem] = {}
        self._showing = False
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self._ask_menu)

    def show_boards(
        self, boards: Sequence[tuple[str, str, Sequence[tuple[str, str]]]], picked: tuple[str, str]
    ) -> None:
        """(id, title, (refdes, words) of each part) of every board; the words of parts change in place."""
        self._showing = True
        shape = [(board, title, [refdes for refdes, _ in parts]) for board, title, parts in boards]
        if shape != [(b, t, [refdes for refdes, _ in parts]) for b, t, parts in self._known]:
            self._make(boards)
        for board, _, parts in boards:
            for refdes, words in parts:
                item = self._places[board, refdes]
                if item.text() != words:
                    item.setText(words)
        self._known = boards
        here = self._places.get(picked)
        self.setCurrentIndex(here.index() if here is not None else QModelIndex())
        self._showing = False

    def _make(self, boards: Sequence[tuple[str, str, Sequence[tuple[str, str]]]]) -> None:
        self._model.clear()
        self._places = {}
        for board, title, parts in boards:
            root = QStandardItem(title)
            root.setData((board, ""), _PLACE)
            for refdes, words in parts:
                item = QStandardItem(words)
                item.setData((board, refdes), _PLACE)
                root.appendRow(item)
                self._places[board, refdes] = item
            self._model.appendRow(root)
        self.expandAll()

    def currentChanged(self, current: QModelIndex, previous: QModelIndex) -> None:
        super().currentChanged(current, previous)
        place = current.data(_PLACE) if current.isValid() else None
        if place and not self._showing:
            self.picked.emit(*place)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.text() and event.text().isprintable() and event.text() != " ":
            event.ignore()  # typing goes to the line
        else:
            super().keyPressEvent(event)

    def _ask_menu(self, at: QPoint) -> None:
        place = self.indexAt(at).data(_PLACE)
        port = self.viewport()
        if place and place[1]:
            self.menu_asked.emit(place[1], port.mapToGlobal(at) if port is not None else at)
