"""The workshop's drawer in a window: every item with its state, changed cell by cell and kept at once."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from loyal_trace.app.drawer import item_from_words, load_drawer, save_drawer
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.drawer import DrawerFile, parse_drawer
from loyal_trace.formats.rom_files import read_file
from loyal_trace.language import shown, tr
from loyal_trace.ui.theme import px

_COLUMNS = {
    "number": say("What"),
    "count": say("Count"),
    "place": say("Where"),
    "state": say("State"),
    "keeper": say("For whom"),
    "value": say("Value"),
    "voltage": say("Rating"),
    "donor": say("Still on"),
}
_STATES = {
    "untested": say("untested"),
    "good": say("good"),
    "bad": say("bad"),
    "reserved": say("reserved"),
    "borrowed": say("borrowed"),
}
_NARROWEST, _AIR = 78, 22
_SAME = {"unknown": "untested", "proven": "good", "tested": "good", "": "untested", "lent": "borrowed"}


class DrawerModel(QAbstractTableModel):
    """The rows of the drawer's file. A change that cannot be is refused with its reason, and nothing is written."""

    def __init__(self, drawer: DrawerFile, keep: Callable[[DrawerFile], None], refuse: Callable[[str], None]) -> None:
        super().__init__()
        self.drawer, self._keep, self._refuse = drawer, keep, refuse
        self.columns = list(_COLUMNS)

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.drawer.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.columns)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return shown(_COLUMNS[self.columns[section]])
        return None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid() or role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return None
        name = self.columns[index.column()]
        text = str(self.drawer.rows[index.row()].get(name, "") or "")
        if name == "state":
            state = _SAME.get(text.lower(), text.lower())
            return shown(_STATES.get(state, state)) if role == Qt.ItemDataRole.DisplayRole else state
        return text

    def setData(self, index: QModelIndex, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if not index.isValid() or role != Qt.ItemDataRole.EditRole:
            return False
        name = self.columns[index.column()]
        return self.change(lambda: self.drawer.changed(index.row(), **{name: str(value).strip()}))

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        return super().flags(index) | Qt.ItemFlag.ItemIsEditable

    def change(self, make: Callable[[], DrawerFile]) -> bool:
        """Makes a change and keeps it; what is wrong with it is told."""
        try:
            changed = make()
            self._keep(changed)
        except LoyalTraceError as error:
            self._refuse(str(error))
            return False
        self.beginResetModel()
        self.drawer = changed
        self.endResetModel()
        self._refuse("")
        return True


class StateDelegate(QStyledItemDelegate):
    """The states to choose from."""

    def createEditor(self, parent: QWidget | None, option: QStyleOptionViewItem, index: QModelIndex) -> QWidget:
        box = QComboBox(parent)
        for name, words in _STATES.items():
            box.addItem(shown(words), name)
        return box

    def setEditorData(self, editor: QWidget | None, index: QModelIndex) -> None:
        if isinstance(editor, QComboBox):
            editor.setCurrentIndex(max(0, editor.findData(index.data(Qt.ItemDataRole.EditRole))))

    def setModelData(self, editor: QWidget | None, model: Any, index: QModelIndex) -> None:
        if isinstance(editor, QComboBox):
            model.setData(index, editor.currentData())


class DrawerDialog(QDialog):
    """A table, a line to add with, and a list to import; everything is kept as it is changed."""

    def __init__(self, folder: Path, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Drawer"))
        self.resize(px(860), px(520))
        self._folder = folder
        self.said = QLabel()
        self.said.setWordWrap(True)
        self.said.setTextFormat(Qt.TextFormat.PlainText)
        self.model = DrawerModel(load_drawer(folder), lambda drawer: save_drawer(folder, drawer), self._tell)
        self.table = QTableView()
        self.table.setModel(self.model)
        self.table.setAccessibleName(tr("items of the drawer"))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setItemDelegateForColumn(list(_COLUMNS).index("state"), StateDelegate(self.table))
        header = self.table.horizontalHeader()
        if header is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
            header.setStretchLastSection(True)
            header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for column in range(self.model.columnCount()):
            self.table.resizeColumnToContents(column)
            self.table.setColumnWidth(column, max(px(_NARROWEST), self.table.columnWidth(column) + px(_AIR)))
        self.words = QLineEdit()
        self.words.setAccessibleName(tr("an item to add"))
        self.words.setPlaceholderText(tr("such as 3x 74LS166 in tray 3, good"))
        self.words.returnPressed.connect(self.add)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 16, 18, 14)
        layout.addWidget(self.table, 1)
        layout.addWidget(self.said)
        row = QHBoxLayout()
        row.addWidget(self.words, 1)
        for text, act in (
            (tr("Add the item"), self.add),
            (tr("Remove the item"), self.remove),
            (tr("Import a list…"), self.choose_list),
            (tr("Close"), self.accept),
        ):
            button = QPushButton(text)
            button.setAutoDefault(False)
            button.clicked.connect(act)
            row.addWidget(button)
        layout.addLayout(row)
        if not self.model.rowCount():
            self._tell(tr("The drawer is empty. Type an item below, or import a list."))

    def _tell(self, text: str) -> None:
        self.said.setText(shown(text))

    def add(self) -> None:
        """Adds what is typed."""
        text = self.words.text().strip()
        if text and self.model.change(lambda: self.model.drawer.added(item_from_words(text))):
            self.words.clear()

    def remove(self) -> None:
        """Removes the picked item."""
        row = self.table.currentIndex().row()
        if row >= 0:
            self.model.change(lambda: self.model.drawer.without(row))

    def choose_list(self) -> None:
        """Asks for a list and imports it."""
        name, _ = QFileDialog.getOpenFileName(self, tr("Import a list"), "", tr("Lists (*.csv *.tsv *.txt)"))
        if name:
            self.import_list(Path(name))

    def import_list(self, path: Path) -> None:
        """Adds the items of a list; the same item is counted together."""

        def with_items() -> DrawerFile:
            drawer = self.model.drawer
            for item in parse_drawer(read_file(path), path.name):
                drawer = drawer.added(item)
            return drawer

        self.model.change(with_items)
