"""What it means and why, the one next thing to do, and the caution where the work can hurt."""

from html import escape

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout

from loyal_trace.app.presenters.model import Meaning
from loyal_trace.language import tr
from loyal_trace.ui.theme import THEME, font, px, wide_enough


def wrapped(bold: bool = False, soft: bool = False) -> QLabel:
    """A label of plain text in as many lines as it needs."""
    label = QLabel()
    label.setWordWrap(True)
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    label.setFont(font(12.5 if soft else 13, bold=bold))
    label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
    return label


class MeaningBox(QFrame):
    """Why and next, with a verdict-coloured edge."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("card")
        self.kind = "unknown"
        self._steady = False
        self._said: Meaning | None = None
        self.why, self.next, self.aside = wrapped(), wrapped(bold=True), wrapped(soft=True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 8, 14, 8)
        layout.setSpacing(4)
        for label in (self.why, self.next):
            label.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        self._heads: list[QLabel] = []
        layout.addLayout(self._row(tr("Why"), self.why))
        layout.addWidget(self.aside)
        layout.addLayout(self._row(tr("Next"), self.next))
        self.aside.setContentsMargins(self._heads[0].width() + 6, 0, 0, 0)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        self.restyle()

    def _row(self, title: str, label: QLabel) -> QHBoxLayout:
        row = QHBoxLayout()
        head = QLabel(title)
        head.setFont(font(13, bold=True))
        head.setFixedWidth(wide_enough(40, head, (tr("Why"), tr("Next"))))
        head.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._heads.append(head)
        row.addWidget(head)
        row.addWidget(label, 1)
        return row

    def keep_steady(self) -> None:
        """Keeps room for two lines and an aside, so that nothing jumps while someone enters reading after reading."""
        self._steady = True
        self.why.setMinimumHeight(px(38))
        self.aside.setMinimumHeight(px(18))

    def restyle(self) -> None:
        """Colours that the style sheet cannot know."""
        for head in self._heads:
            head.setStyleSheet(f"color: {THEME.palette.copper};")
        self.aside.setStyleSheet(f"color: {THEME.palette.soft};")

    def say(self, meaning: Meaning) -> None:
        """Sets the two sentences; the verdict colours the edge."""
        if meaning == self._said:
            return
        self._said, self.kind = meaning, meaning.kind
        self.why.setText(meaning.why)
        self.next.setText(meaning.next)
        self.aside.setText(meaning.aside)
        # A name that changes is read out: this is how a verdict reaches someone who does not see it.
        self.why.setAccessibleName(tr("Why: {why}", why=meaning.why))
        self.next.setAccessibleName(tr("Next: {next}", next=meaning.next))
        self.aside.setVisible(bool(meaning.aside) or self._steady)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        edge = THEME.verdict_colour(self.kind) if self.kind != "unknown" else THEME.colour("copper")
        painter.fillRect(0, 0, 5, self.height(), edge)


class CautionBox(QFrame):
    """A caution where the work can hurt; hidden where it cannot."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("caution")
        self._said = ""
        self.label = wrapped()
        self.label.setTextFormat(Qt.TextFormat.RichText)
        self.label.setFont(font(12.5))
        layout = QHBoxLayout(self)
        layout.setContentsMargins(44, 6, 12, 6)
        layout.addWidget(self.label)
        self.hide()

    def say(self, text: str) -> None:
        """Shows a caution, or hides the box when there is none."""
        if text == self._said:
            return
        self._said = text
        self.restyle()
        self.label.setAccessibleName(text)
        self.setVisible(bool(text))

    def restyle(self) -> None:
        """The word before each hazard in bold; what can kill in the colour of bad."""
        words = escape(self._said, quote=False).replace("\n", "<br>")
        danger, caution = (tr(head, hazard="").strip() for head in ("DANGER: {hazard}", "CAUTION: {hazard}"))
        words = words.replace(danger, f"<b style='color:{THEME.palette.bad}'>{danger}</b>")
        self.label.setText(words.replace(caution, f"<b>{caution}</b>"))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(THEME.colour("copper"))
        painter.setFont(font(24, bold=True))
        painter.drawText(QRectF(8, 0, 30, self.height()), Qt.AlignmentFlag.AlignCenter, "⚠")
