"""The bottom bar and the drawer above it: the logbook, newest last, each line retractable."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QVBoxLayout,
    QWidget,
)

from loyal_trace.ui.theme import THEME, font

_ROWS_SHOWN = 400


class _List(QListWidget):
    retract_asked = pyqtSignal(str)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.currentItem() is not None:
            self.retract_asked.emit(str(self.currentItem().data(Qt.ItemDataRole.UserRole)))
            return
        super().keyPressEvent(event)


class LogbookDrawer(QWidget):
    """The list of entries, opened over the foot of the window."""

    retract_asked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.list = _List()
        self.list.setFont(font(12.5))
        self.list.setAccessibleName("logbook")
        self.list.retract_asked.connect(self.retract_asked)
        self.list.itemDoubleClicked.connect(lambda i: self.retract_asked.emit(str(i.data(Qt.ItemDataRole.UserRole))))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 6, 18, 0)
        layout.addWidget(self.list)
        self.setFixedHeight(250)
        self.hide()

    def show_lines(self, lines: list[tuple[str, str, bool]]) -> None:
        """(id, text, retracted) for each entry, oldest first."""
        self.list.clear()
        for entry_id, text, dead in lines[-_ROWS_SHOWN:]:
            item = QListWidgetItem(("retracted: " if dead else "") + text)
            item.setData(Qt.ItemDataRole.UserRole, entry_id)
            if dead:
                struck = font(12.5)
                struck.setStrikeOut(True)
                item.setFont(struck)
                item.setForeground(THEME.colour("soft"))
            self.list.addItem(item)
        self.list.setCurrentRow(self.list.count() - 1)
        self.list.scrollToBottom()


class LogbookBar(QFrame):
    """The last entry, what was just said, the progress of long work."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("bar")
        self.setFixedHeight(30)
        title = QLabel("Logbook")
        title.setFont(font(12.5, bold=True))
        self.last, self.keys = QLabel(), QLabel()
        self.last.setFont(font(12))
        self.last.setTextFormat(Qt.TextFormat.PlainText)
        self.last.setAccessibleName("last message")
        self.keys.setFont(font(11.5))
        self.progress = QProgressBar()
        self.progress.setFixedWidth(180)
        self.progress.setFixedHeight(12)
        self.progress.setTextVisible(False)
        self.progress.setAccessibleName("progress")
        self.progress.hide()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(18, 0, 18, 0)
        layout.setSpacing(14)
        layout.addWidget(title)
        layout.addWidget(self.last, 1)
        layout.addWidget(self.progress)
        layout.addWidget(self.keys)
        self.say("", False)

    def say(self, text: str, wrong: bool) -> None:
        """Shows a message; an error in the colour of one, with a word before it."""
        self.last.setText(("Not done: " if wrong else "") + text)
        self.last.setStyleSheet(f"color: {THEME.palette.bad if wrong else THEME.palette.soft};")
        self.last.setToolTip(text)
        self.keys.setText("F1 help · Ctrl+K find · Ctrl+L logbook · Ctrl+Z takes back")
        self.keys.setStyleSheet(f"color: {THEME.palette.soft};")

    def show_progress(self, label: str, done: int, total: int) -> None:
        """Progress of long work; an empty label hides it."""
        self.progress.setVisible(bool(label))
        if label:
            self.progress.setRange(0, total)
            self.progress.setValue(done)
            self.last.setText(f"{label} … Esc stops")
