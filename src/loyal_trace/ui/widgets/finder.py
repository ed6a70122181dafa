"""The command finder: type a few letters of anything the program can do."""

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QModelIndex, Qt
from PyQt6.QtGui import QKeyEvent, QPainter
from PyQt6.QtWidgets import (
    QDialog,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from loyal_trace.language import tr
from loyal_trace.ui.theme import THEME, font, px


@dataclass(frozen=True)
class Command:
    """Something the program can do: its words, its key, and the doing."""

    words: str
    key: str
    run: Callable[[], object]


class _WithKey(QStyledItemDelegate):
    """Draws the key of a command at the right of its line."""

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        super().paint(painter, option, index)
        if painter is None:
            return
        painter.setPen(THEME.colour("soft"))
        painter.setFont(font(12, mono=True))
        place = option.rect.adjusted(0, 0, -12, 0)
        key = index.data(Qt.ItemDataRole.UserRole).key
        painter.drawText(place, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, key)


class Finder(QDialog):
    """Filters commands by every word typed; Enter or a click takes the picked one."""

    def __init__(self, commands: list[Command], parent: QWidget, title: str = "", about: str = "") -> None:
        super().__init__(parent)
        self.setWindowTitle(title or tr("Find a command"))
        self.setMinimumSize(px(680), px(460))
        self._commands = commands
        self.chosen: Command | None = None
        self.about = QLabel(about)
        self.about.setWordWrap(True)
        self.about.setFont(font(13))
        self.about.setVisible(bool(about))
        self.about.setAccessibleName(tr("about"))
        self.edit, self.list = QLineEdit(), QListWidget()
        self.edit.setPlaceholderText(tr("type a few letters of the command"))
        self.edit.setFont(font(15))
        self.edit.setAccessibleName(tr("command finder"))
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setAccessibleName(tr("commands"))
        self.list.setItemDelegate(_WithKey(self.list))
        self.edit.textChanged.connect(self._filter)
        self.edit.returnPressed.connect(self._accept)
        self.list.itemClicked.connect(lambda _: self._accept())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 16)
        layout.setSpacing(10)
        for widget in (self.about, self.edit, self.list):
            layout.addWidget(widget)
        self._filter("")
        self.edit.setFocus()

    def _filter(self, text: str) -> None:
        wanted = text.lower().split()
        self.list.clear()
        for command in self._commands:
            if all(word in tr("{command} {key}", command=command.words, key=command.key).lower() for word in wanted):
                item = QListWidgetItem(command.words)
                item.setToolTip(command.key)
                item.setData(Qt.ItemDataRole.UserRole, command)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            count = max(1, self.list.count())
            self.list.setCurrentRow((self.list.currentRow() + step) % count)
            return
        super().keyPressEvent(event)

    def _accept(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.chosen = item.data(Qt.ItemDataRole.UserRole)
            self.accept()
