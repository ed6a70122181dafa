"""The pad: the part in large type and a cap for every key, drawn so that nobody overlooks that keys record."""

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from loyal_trace.app.presenters.model import Cap, Target
from loyal_trace.language import tr
from loyal_trace.ui.theme import THEME, font, px

_LARGE = 7
_COLUMNS = 6
BLANK = "␣"
_TALL, _LOW = 48, 24
_LEFT = 186


class CapButton(QPushButton):
    """One key of the pad: lights while it waits to be saved."""

    def __init__(self, cap: Cap, large: bool) -> None:
        super().__init__(cap.label)
        self.cap, self.large, self.lit = cap, large, False
        self.setAccessibleName(tr("{key}: {label}", key=cap.key.strip() or "Space", label=cap.label))
        self.setToolTip(tr("{label} ({key})", label=cap.label, key="Space" if cap.key == " " else cap.key))
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setFixedHeight(px(_TALL if large else _LOW))
        self.setMinimumWidth(px(20))

    def sizeHint(self) -> QSize:
        return QSize(px(60), px(_TALL if self.large else _LOW))

    def minimumSizeHint(self) -> QSize:
        return QSize(px(20), px(_TALL if self.large else _LOW))

    def light(self, lit: bool) -> None:
        """Lights the cap, or not."""
        if lit != self.lit:
            self.lit = lit
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(THEME.colour("copper"), 1.6 if self.large else 1.1))
        painter.setBrush(THEME.colour("copper" if self.lit else "selected" if self.isDown() else "card"))
        painter.drawRoundedRect(QRectF(1, 1, self.width() - 2, self.height() - 2), 5, 5)
        painter.setPen(THEME.colour("card" if self.lit else "ink"))
        key = BLANK if self.cap.key == " " else self.cap.key
        box = QRectF(0, 0, self.width(), self.height())
        if self.large:
            painter.setFont(font(21, bold=True, mono=True))
            painter.drawText(box.adjusted(0, 2, 0, -px(17)), Qt.AlignmentFlag.AlignCenter, key)
            painter.setFont(font(12))
            painter.drawText(box.adjusted(0, px(27), 0, -2), Qt.AlignmentFlag.AlignCenter, self._label(painter, 4))
            return
        painter.setFont(font(13, bold=True, mono=True))
        painter.drawText(box.adjusted(7, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, key)
        painter.setFont(font(11.5))
        painter.drawText(box.adjusted(px(22), 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, self._label(painter, 26))

    def _label(self, painter: QPainter, used: int) -> str:
        """The words as far as there is room."""
        room = self.width() - used
        return painter.fontMetrics().elidedText(self.cap.label, Qt.TextElideMode.ElideRight, room)


class PadPanel(QFrame):
    """The pad of the stage in view."""

    clicked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("pad")
        self.setAccessibleName(tr("pad"))
        self.place, self.detail, self.state, self.last = QLabel(), QLabel(), QLabel(tr("keys record")), QLabel()
        self.place.setFont(font(28, bold=True, mono=True))
        self.detail.setFont(font(15, bold=True))
        self.state.setFont(font(12, bold=True))
        self.last.setFont(font(11.5))
        for label in (self.place, self.detail, self.last):
            label.setTextFormat(Qt.TextFormat.PlainText)
        holder = QWidget()
        holder.setFixedWidth(px(_LEFT))
        holder.setObjectName("clear")
        left = QVBoxLayout(holder)
        left.setContentsMargins(0, 0, 0, 0)
        left.setSpacing(0)
        for label in (self.place, self.detail, self.state, self.last):
            left.addWidget(label)
        self._grid = QGridLayout()
        self._grid.setSpacing(6)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 5, 12, 5)
        layout.setSpacing(14)
        layout.addWidget(holder)
        layout.addLayout(self._grid, 1)
        self._caps: tuple[Cap, ...] = ()
        self.buttons: dict[str, CapButton] = {}
        self.hide()
        self.restyle()

    def restyle(self) -> None:
        """Colours that the style sheet cannot know."""
        self.detail.setStyleSheet(f"color: {THEME.palette.blue};")
        self.state.setStyleSheet(f"color: {THEME.palette.copper};")
        self.last.setStyleSheet(f"color: {THEME.palette.soft};")

    def show_caps(self, caps: tuple[Cap, ...], target: Target, last: str) -> None:
        """The caps, the part that they are about, and what was recorded last."""
        if caps != self._caps:
            self._caps = caps
            self._make_again()
        self.place.setText(target.place)
        self.detail.setText(self._short(self.detail, target.detail))
        self.last.setText(
            self._short(self.last, tr("last: {last} · Ctrl+Z undoes", last=last) if last else tr("Ctrl+Z undoes"))
        )
        self.last.setToolTip(last)

    def _short(self, label: QLabel, words: str) -> str:
        return label.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, _LEFT)

    def _make_again(self) -> None:
        for button in self.buttons.values():
            self._grid.removeWidget(button)
            button.hide()
            button.deleteLater()
        self.buttons = {}
        large = len(self._caps) <= _LARGE
        columns = len(self._caps) if large else _COLUMNS
        for number, cap in enumerate(self._caps):
            button = CapButton(cap, large)
            button.clicked.connect(lambda _, key=cap.key: self.clicked.emit(key))
            self._grid.addWidget(button, number // columns, number % columns)
            self.buttons[cap.key] = button

    def light(self, key: str) -> None:
        """Lights one cap; none for an empty key."""
        for name, button in self.buttons.items():
            button.light(name == key)
