"""The commands of a stage as real buttons, each with its key on a cap."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QKeySequence, QPainter, QPaintEvent, QPen, QShortcut
from PyQt6.QtWidgets import QPushButton, QWidget

from loyal_trace.app.presenters.model import Action
from loyal_trace.language import tr
from loyal_trace.ui.theme import THEME, font, px
from loyal_trace.ui.widgets.flow import FlowLayout

_HEIGHT = 26
_CAP, _WORDS = 10, 12


class KeyButton(QPushButton):
    """A button with a key cap before its words; the key works wherever the focus is."""

    own_lengths = True

    def __init__(self, key: str, label: str, tip: str = "", main: bool = False) -> None:
        super().__init__(label)
        self.key, self.main = key, main
        # A shortcut of its own: the one of QPushButton clicks a tenth of a second late.
        self._shortcut = QShortcut(QKeySequence(key), self)
        self._shortcut.activated.connect(self.click)
        self.setAccessibleName(label)
        self.setToolTip(tr("{tip} ({key})", tip=tip or label, key=key))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFixedSize(self.sizeHint())

    def _widths(self) -> tuple[float, float]:
        """Width of the cap and of the words (pixels)."""
        cap = QFontMetricsF(font(_CAP, bold=True, mono=True)).horizontalAdvance(self.key) + 8
        return cap, QFontMetricsF(font(_WORDS, bold=self.main)).horizontalAdvance(self.text())

    def sizeHint(self) -> QSize:
        cap, words = self._widths()
        return QSize(round(4 + cap + 5 + words + 8), px(_HEIGHT))

    def restyle(self) -> None:
        """Another text size: as wide as its words again."""
        self.setFixedSize(self.sizeHint())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        active = self.hasFocus() or self.underMouse()
        down = self.isDown() or self.isChecked()
        edge = THEME.colour("blue" if active or self.main else "line")
        painter.setPen(QPen(edge, 2 if self.hasFocus() else 1.2))
        painter.setBrush(THEME.colour("selected" if down else "card"))
        painter.drawRoundedRect(QRectF(1, 1, self.width() - 2, self.height() - 2), 5, 5)
        cap, words = self._widths()
        painter.setPen(QPen(THEME.colour("soft"), 1))
        painter.setBrush(THEME.colour("panel"))
        painter.drawRoundedRect(QRectF(4, 4, cap, self.height() - 8), 3, 3)
        painter.setPen(THEME.colour("ink"))
        painter.setFont(font(_CAP, bold=True, mono=True))
        painter.drawText(QRectF(4, 4, cap, self.height() - 8), Qt.AlignmentFlag.AlignCenter, self.key)
        painter.setPen(THEME.colour("blue" if self.main else "ink"))
        painter.setFont(font(_WORDS, bold=self.main))
        box = QRectF(4 + cap + 5, 0, words + 6, self.height())
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, self.text())


class ButtonRow(QWidget):
    """The buttons of the stage in view, on as many lines as they need; and the switch of the pad."""

    asked = pyqtSignal(object)
    pad_switched = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("commands of this stage"))
        self.pad = KeyButton("F8", tr("Pad"), tr("One key for each entry, without Enter: on or off for this stage"))
        self.pad.setCheckable(True)
        self.pad.clicked.connect(self.pad_switched)
        self._shown: list[tuple[str, str, str, bool]] = []
        self._actions: tuple[Action, ...] = ()
        self.buttons: list[KeyButton] = []
        self._flow = FlowLayout(self)
        self._flow.addWidget(self.pad)

    def show_actions(self, actions: Sequence[Action], has_pad: bool, pad_on: bool) -> None:
        """The actions of a page; only what looks different is made again."""
        self._actions = tuple(actions)
        shown = [(a.key, a.label, a.tip, a.main) for a in actions]
        if shown != self._shown:
            self._shown = shown
            self._make_again()
        self.pad.setVisible(has_pad)
        self.pad.setChecked(pad_on)

    def _make_again(self) -> None:
        self._flow.removeWidget(self.pad)
        for button in self.buttons:
            self._flow.removeWidget(button)
            button.hide()
            button.deleteLater()
        self.buttons = []
        for number, (key, label, tip, main) in enumerate(self._shown):
            button = KeyButton(f"Alt+{key}", label, tip, main)
            button.clicked.connect(self._asker(number))
            self.buttons.append(button)
            self._flow.addWidget(button)
            button.show()  # at once: its key counts from now on
        self._flow.addWidget(self.pad)
        self.updateGeometry()

    def _asker(self, number: int) -> Callable[[], None]:
        return lambda: self.asked.emit(self._actions[number])

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._flow.heightForWidth(width)
