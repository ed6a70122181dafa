"""The line and its strip: what is typed, and what Enter will make of it."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QInputMethodEvent, QKeyEvent, QKeySequence, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from loyal_trace.app.presenters.model import Target
from loyal_trace.app.presenters.strip import HEADS, Strip
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.language import shown, tr
from loyal_trace.ui.theme import THEME, font, px, wide_enough
from loyal_trace.ui.widgets.flow import FlowLayout
from loyal_trace.ui.widgets.meaning import wrapped

_SHORT = 30
_WIDE, _NARROW = 560, 300
_MOVES = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}


def _is_undo(event: QKeyEvent) -> bool:
    return event.matches(QKeySequence.StandardKey.Undo) or event.matches(QKeySequence.StandardKey.Redo)


class LineEdit(QLineEdit):
    """The one field that takes what is typed. Undo and redo are the window's; a letter alone runs no command."""

    moved = pyqtSignal(int)
    completed = pyqtSignal()
    cleared = pyqtSignal()
    pasted = pyqtSignal()
    pad_key = pyqtSignal(str)
    left_pad = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.pad_takes: Callable[[], bool] = lambda: False
        self.setFrame(False)
        self.setFont(font(15, mono=True))
        self.setAccessibleName(tr("line"))

    def event(self, event: QEvent | None) -> bool:
        """The field would claim Ctrl+Z for itself; the window decides whether it undoes typing or a record."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and _is_undo(event):
            event.ignore()
            return False
        tab = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and event.key() == Qt.Key.Key_Tab
        if tab and self.text():
            self.completed.emit()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        plain = not event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
        printable = bool(event.text()) and event.text().isprintable()
        if event.matches(QKeySequence.StandardKey.Paste) and self._holds_files():
            self.pasted.emit()
        elif _is_undo(event):
            event.ignore()
        elif plain and printable and self._pad_has_it():
            self.pad_key.emit(event.text())
        elif plain and event.key() in _MOVES:
            self.left_pad.emit()
            self.moved.emit(_MOVES[Qt.Key(event.key())])
        elif event.key() == Qt.Key.Key_Escape:
            self.cleared.emit()
        else:
            if not printable:
                self.left_pad.emit()
            super().keyPressEvent(event)

    def _pad_has_it(self) -> bool:
        return not self.text() and self.pad_takes()

    def inputMethodEvent(self, event: QInputMethodEvent | None) -> None:
        """Composed letters (dead keys, other scripts) go the same way as plain ones."""
        if event is not None and event.commitString() and self._pad_has_it():
            self.pad_key.emit(event.commitString())
            return
        super().inputMethodEvent(event)

    def _holds_files(self) -> bool:
        """Does the clipboard hold more than a line of text: a picture, files, or several lines?"""
        clipboard = QApplication.clipboard()
        held = clipboard.mimeData() if clipboard is not None else None
        several = held is not None and held.hasText() and "\n" in held.text().strip()
        return held is not None and (held.hasImage() or held.hasUrls() or several)


class LineFrame(QFrame):
    """What target of the line in large type, the field, and a word on its keys."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("entry")
        self.place, self.detail, self.keys = QLabel(), QLabel(), QLabel()
        self.place.setFont(font(22, bold=True, mono=True))
        self.detail.setFont(font(13))
        self.detail.setMaximumWidth(px(210))
        self.keys.setFont(font(11.5))
        for label in (self.place, self.detail, self.keys):
            label.setTextFormat(Qt.TextFormat.PlainText)
        self.edit = LineEdit()
        self.edit.textChanged.connect(lambda _: self._make_room())
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 2, 12, 2)
        layout.setSpacing(9)
        layout.addWidget(self.place)
        layout.addWidget(self.detail)
        layout.addWidget(self.edit, 1)
        layout.addWidget(self.keys)
        layout.setSizeConstraint(QHBoxLayout.SizeConstraint.SetNoConstraint)
        self.setFixedHeight(px(42))
        self.restyle()

    def _make_room(self) -> None:
        """The word on keys gives way to long lines and narrow windows."""
        self.keys.setVisible(len(self.edit.text()) < _SHORT and self.width() > _WIDE)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._make_room()

    def minimumSizeHint(self) -> QSize:
        return QSize(_NARROW, self.height())

    def restyle(self) -> None:
        """Colours that the style sheet cannot know."""
        self.place.setStyleSheet(f"color: {THEME.palette.blue};")
        for label in (self.detail, self.keys):
            label.setStyleSheet(f"color: {THEME.palette.soft};")

    def show_target(self, target: Target, keys: str, placeholder: str) -> None:
        """The place in large type, detail of the target, and the keys of the moment."""
        self.place.setText(target.place)
        metrics = self.detail.fontMetrics()
        self.detail.setText(metrics.elidedText(target.detail, Qt.TextElideMode.ElideRight, self.detail.maximumWidth()))
        self.detail.setToolTip(target.detail)
        self.detail.setVisible(bool(target.detail))
        self.keys.setText(keys)
        self.edit.setPlaceholderText(placeholder)
        self.edit.setAccessibleDescription(
            tr("{place} {detail}: {hint}", place=target.place, detail=target.detail, hint=target.hint)
        )


class StripBar(QFrame):
    """Says what Enter will record; where a line is unclear, offers its readings as buttons."""

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.strip = Strip()
        self._hint = ""
        self.head, self.text = QLabel(), wrapped()
        self.head.setFont(font(12.5, bold=True))
        heads = (*HEADS.values(), say("First"), say("For instance"))
        self.head.setFixedWidth(wide_enough(104, self.head, (shown(head) for head in heads)))
        self.head.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.choices = QWidget()
        self.choices.setObjectName("clear")
        self._flow = FlowLayout(self.choices)
        self.buttons: list[QPushButton] = []
        right = QVBoxLayout()
        right.setSpacing(5)
        right.addWidget(self.text)
        right.addWidget(self.choices)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(18, 5, 12, 5)
        layout.addWidget(self.head)
        layout.addLayout(right, 1)
        self.choices.hide()
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.choices.setSizePolicy(policy)
        self.setMinimumHeight(px(30))

    def show_strip(self, strip: Strip, hint: str) -> None:
        """A strip, or the hint while nothing is typed."""
        again = strip.choices != self.strip.choices
        self.strip = strip
        self.head.setText(strip.head or tr("For instance"))
        self.text.setWordWrap(bool(strip.head))
        self._hint = hint
        self.text.setText(strip.text if strip.head else self._short_hint())
        self.text.setToolTip("" if strip.head else hint)
        self.text.setAccessibleName(tr("{head}: {strip}", head=strip.head, strip=strip.text) if strip.head else hint)
        colour = THEME.verdict_colour(strip.kind).name() if strip.head else THEME.palette.soft
        self.head.setStyleSheet(f"color: {colour};")
        self.text.setStyleSheet(f"color: {THEME.palette.ink if strip.head else THEME.palette.soft};")
        if again:
            self._make_choices()
        for number, button in enumerate(self.buttons):
            button.setChecked(number == strip.chosen)
        self.choices.setVisible(bool(strip.choices))
        self.update()

    def _short_hint(self) -> str:
        """The hint on one line, so that nothing jumps."""
        room = max(120, self.width() - self.head.width() - 50)
        return self.text.fontMetrics().elidedText(self._hint, Qt.TextElideMode.ElideRight, room)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if not self.strip.head:
            self.text.setText(self._short_hint())

    def _make_choices(self) -> None:
        for button in self.buttons:
            self._flow.removeWidget(button)
            button.hide()
            button.deleteLater()
        self.buttons = []
        for number, words in enumerate(self.strip.choices):
            button = QPushButton(words)
            button.setObjectName("choice")
            button.setCheckable(True)
            button.setFont(font(13))
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # the arrow keys choose from the line
            button.clicked.connect(lambda _, number=number: self.chosen.emit(number))
            self.buttons.append(button)
            self._flow.addWidget(button)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        edge = THEME.verdict_colour(self.strip.kind) if self.strip.head else THEME.colour("line")
        painter.fillRect(0, 0, 5, self.height(), edge)
