"""The anatomy that every stage shares: question, evidence, meaning with why and next, caution, entry line."""

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from loyal_trace.ui.theme import THEME, font


@dataclass(frozen=True)
class KeyHint:
    """A key shown at the entry line: what is pressed, what it does, and the action (None when only shown)."""

    key: str
    label: str
    action: Callable[[], None] | None = None


_NAMED_KEYS = {
    Qt.Key.Key_Up: "↑", Qt.Key.Key_Down: "↓", Qt.Key.Key_Return: "↵", Qt.Key.Key_Enter: "↵", Qt.Key.Key_Space: "␣",
    Qt.Key.Key_PageUp: "⇞", Qt.Key.Key_PageDown: "⇟",
}  # fmt: skip


class EntryEdit(QLineEdit):
    """The one field that takes readings. While it is empty, single keys are actions; a quotation mark begins a text."""

    key_action = pyqtSignal(str)
    pasted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.immediate: frozenset[str] = frozenset()
        self.setFrame(False)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        name = _NAMED_KEYS.get(Qt.Key(event.key()), event.text().upper())
        plain = not event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
        if event.matches(QKeySequence.StandardKey.Paste):
            held = QApplication.clipboard().mimeData()
            if held is not None and (held.hasImage() or held.hasUrls()):
                self.pasted.emit()
                return
        if (name in ("↑", "↓", "⇞", "⇟") and plain) or (plain and not self.text() and name in self.immediate):
            self.key_action.emit(name)
        else:
            super().keyPressEvent(event)


def without_quotes(text: str) -> str:
    """A text begun with a quotation mark is a text, whatever letter follows; the marks are not part of it."""
    stripped = text.strip()
    if stripped[:1] in ('"', "'"):
        return stripped.strip("\"'")
    return text


class EntryLine(QFrame):
    """The entry line at the foot of a stage: where the reading goes, the field, and the keys."""

    submitted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("entry")
        self.prompt = QLabel()
        self.prompt.setFont(font(15, bold=True))
        self.prompt.setTextFormat(Qt.TextFormat.PlainText)
        self.edit = EntryEdit()
        self.edit.setFont(font(14))
        self.edit.setAccessibleName("entry line")
        self.edit.returnPressed.connect(lambda: self.submitted.emit(without_quotes(self.edit.text())))
        self.edit.key_action.connect(self._act)
        self.keys = _KeyRow()
        top = QHBoxLayout()
        top.setContentsMargins(0, 0, 0, 0)
        top.addWidget(self.prompt)
        top.addWidget(self.edit, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 7, 12, 6)
        layout.setSpacing(3)
        layout.addLayout(top)
        layout.addWidget(self.keys)
        self._hints: tuple[KeyHint, ...] = ()
        self.restyle()

    def restyle(self) -> None:
        """Colours that the style sheet cannot know."""
        self.prompt.setStyleSheet(f"color: {THEME.palette.blue};")

    def set_target(self, prompt: str, placeholder: str) -> None:
        """What the next reading is for."""
        self.prompt.setText(prompt)
        self.prompt.setVisible(bool(prompt))
        self.edit.setPlaceholderText(placeholder)
        self.edit.setAccessibleDescription(f"{prompt}: {placeholder}")

    def set_hints(self, hints: tuple[KeyHint, ...]) -> None:
        """The keys of this stage; those with an action work while the field is empty."""
        self._hints = hints
        self.edit.immediate = frozenset(h.key for h in hints if h.action is not None)
        self.keys.set_hints(hints)

    def _act(self, name: str) -> None:
        for hint in self._hints:
            if hint.key == name and hint.action is not None:
                hint.action()
                return


class _KeyRow(QWidget):
    """Key caps with their words."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(24)
        self._hints: tuple[KeyHint, ...] = ()

    def set_hints(self, hints: tuple[KeyHint, ...]) -> None:
        shown = tuple(h for h in hints if h.label)
        if [(h.key, h.label) for h in shown] == [(h.key, h.label) for h in self._hints]:
            return
        self._hints = shown
        self.setAccessibleDescription(", ".join(f"{h.key} {h.label}" for h in hints))
        self.update()

    def _gap(self, painter: QPainter) -> float:
        """Room between keys: as much as there is, so that all of them fit."""
        painter.setFont(font(12))
        words = sum(painter.fontMetrics().horizontalAdvance(h.label) for h in self._hints)
        painter.setFont(font(11, bold=True, mono=True))
        caps = sum(max(19, painter.fontMetrics().horizontalAdvance(h.key) + 10) for h in self._hints)
        return min(18.0, max(7.0, (self.width() - words - caps) / max(1, len(self._hints))))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), THEME.colour("card"))
        x, gap = 0.0, self._gap(painter)
        for hint in self._hints:
            painter.setFont(font(11, bold=True, mono=True))
            width = max(19.0, painter.fontMetrics().horizontalAdvance(hint.key) + 10.0)
            painter.setPen(THEME.colour("line"))
            painter.setBrush(THEME.colour("panel"))
            painter.drawRoundedRect(QRectF(x, 2, width, 19), 3, 3)
            painter.setPen(THEME.colour("ink"))
            painter.drawText(QRectF(x, 2, width, 19), Qt.AlignmentFlag.AlignCenter, hint.key)
            painter.setFont(font(12))
            painter.setPen(THEME.colour("soft"))
            words = painter.fontMetrics().horizontalAdvance(hint.label)
            painter.drawText(QRectF(x + width + 5, 2, words + 4, 19), Qt.AlignmentFlag.AlignVCenter, hint.label)
            x += width + words + gap


class MeaningBox(QFrame):
    """What it means and why, and the one next thing to do, with a verdict-coloured edge."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("card")
        self.kind = "unknown"
        self._steady = False
        self._said: tuple[str, str, str, str] | None = None
        self.why, self.next, self.aside = _wrapped(), _wrapped(bold=True), _wrapped(soft=True)
        self.why.setAccessibleName("why")
        self.next.setAccessibleName("next")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 8, 14, 8)
        layout.setSpacing(4)
        self.why.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        self._heads: list[QLabel] = []
        for title, label in (("Why", self.why), ("Next", self.next)):
            row = QHBoxLayout()
            head = QLabel(title)
            head.setFont(font(13, bold=True))
            head.setFixedWidth(40)
            head.setAlignment(Qt.AlignmentFlag.AlignTop)
            self._heads.append(head)
            row.addWidget(head)
            row.addWidget(label, 1)
            layout.addLayout(row)
            if title == "Why":
                layout.addWidget(self.aside)
        self.aside.setContentsMargins(46, 0, 0, 0)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        self.restyle()

    def keep_steady(self) -> None:
        """Keeps room for two lines and an aside, so that nothing jumps while someone types reading after reading."""
        self._steady = True
        self.why.setMinimumHeight(38)
        self.aside.setMinimumHeight(18)

    def restyle(self) -> None:
        for head in self._heads:
            head.setStyleSheet(f"color: {THEME.palette.copper};")
        self.aside.setStyleSheet(f"color: {THEME.palette.soft};")

    def say(self, why: str, next_text: str, kind: str = "unknown", aside: str = "") -> None:
        """Sets the two sentences; `kind` colours the edge."""
        if (why, next_text, kind, aside) == self._said:
            return
        self._said = (why, next_text, kind, aside)
        self.kind = kind
        self.why.setText(why)
        self.next.setText(next_text)
        self.aside.setText(aside)
        self.aside.setVisible(bool(aside) or self._steady)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        edge = THEME.verdict_colour(self.kind) if self.kind != "unknown" else THEME.colour("copper")
        painter.fillRect(0, 0, 5, self.height(), edge)


class CautionBox(QFrame):
    """A caution where the work can hurt."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("caution")
        self.label = _wrapped()
        self.label.setFont(font(12.5))
        self.label.setAccessibleName("caution")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(44, 6, 12, 6)
        layout.addWidget(self.label)
        self.hide()

    def say(self, text: str) -> None:
        """Shows a caution, or hides the box when there is none."""
        if text == self.label.text():
            return
        self.label.setText(text)
        self.setVisible(bool(text))

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(THEME.colour("copper"))
        painter.setFont(font(24, bold=True))
        painter.drawText(QRectF(8, 0, 30, self.height()), Qt.AlignmentFlag.AlignCenter, "⚠")


def _wrapped(bold: bool = False, soft: bool = False) -> QLabel:
    label = QLabel()
    label.setWordWrap(True)
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setFont(font(12.5 if soft else 13, bold=bold))
    label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
    return label


def column(*widgets: QWidget, spacing: int = 8) -> QWidget:
    """Widgets one under another, kept at the top: the evidence of most stages."""
    holder = QWidget()
    layout = QVBoxLayout(holder)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(spacing)
    for widget in widgets:
        layout.addWidget(widget)
    layout.addStretch(1)
    return holder


class StageFrame(QWidget):
    """One stage page. Stages fill it; they do not inherit from it."""

    def __init__(self, evidence: QWidget) -> None:
        super().__init__()
        self.question, self.subtitle = QLabel(), QLabel()
        self.question.setFont(font(18, bold=True))
        self.question.setAccessibleName("question of this stage")
        self.subtitle.setFont(font(12.5))
        self.subtitle.setTextFormat(Qt.TextFormat.PlainText)
        self.evidence = evidence
        self.meaning, self.caution, self.entry = MeaningBox(), CautionBox(), EntryLine()
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(evidence)
        self.scroll = scroll
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 14, 22, 12)
        layout.setSpacing(8)
        for widget in (self.question, self.subtitle):
            layout.addWidget(widget)
        layout.addWidget(scroll, 1)
        for widget in (self.meaning, self.caution, self.entry):
            layout.addWidget(widget)
        self.restyle()

    def restyle(self) -> None:
        self.subtitle.setStyleSheet(f"color: {THEME.palette.soft};")
        self.meaning.restyle()
        self.entry.restyle()

    def head(self, question: str, subtitle: str) -> None:
        """The question the stage answers, and the line under it."""
        self.question.setText(question)
        self.subtitle.setText(subtitle)
