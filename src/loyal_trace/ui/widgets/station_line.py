"""The station line: ten stages as pads on a copper track, filled as evidence comes in."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QAbstractButton, QWidget

from loyal_trace.core.vocabulary.phrases import joined
from loyal_trace.core.vocabulary.stages import STAGE_TITLES
from loyal_trace.language import shown, tr
from loyal_trace.ui.drawn import Drawn
from loyal_trace.ui.theme import THEME, plain_font, px

_LEFT, _RIGHT, _TRACK = 330, 68, 27
_NEEDED = 1000


class _Pad(QAbstractButton):
    """A stage as a button for the keyboard and the screen reader; the line below it is drawn."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.hasFocus():
            painter = QPainter(self)
            painter.setPen(QPen(THEME.colour("blue"), 2))
            painter.drawRoundedRect(self.rect().adjusted(1, 1, -2, -2), 5, 5)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.click()
        elif event is not None:
            event.ignore()  # typing goes to the line


class StationLine(Drawn):
    """Shows title and stages; a click on a pad asks for its stage."""

    stage_asked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(px(62))
        self.setAccessibleName(tr("stages of the work"))
        self.title, self.subtitle = "Loyal Trace", ""
        self.current = -1
        self._stations: list[tuple[float, str]] = [(0.0, "")] * len(STAGE_TITLES)
        self._names = [shown(title) for title in STAGE_TITLES]
        self._pads = [_Pad(self) for _ in STAGE_TITLES]
        for stage, pad in enumerate(self._pads):
            pad.setAccessibleName(self._names[stage])
            pad.clicked.connect(lambda _, stage=stage: self.stage_asked.emit(stage))

    def set_job(self, title: str, subtitle: str) -> None:
        if (title, subtitle) != (self.title, self.subtitle):
            self.title, self.subtitle = title, subtitle
            self.update()

    def set_stations(self, stations: list[tuple[float, str]]) -> None:
        """(filled 0 to 1, count) for each of the ten stages."""
        if stations == self._stations:
            return
        self._stations = stations
        words = joined(", ", (f"{n} {c}" for n, (_, c) in zip(self._names, stations, strict=True) if c))
        self.setAccessibleDescription(words)
        for name, (_, count), pad in zip(self._names, stations, self._pads, strict=True):
            pad.setAccessibleName(f"{name} {count}".strip())
        self.update()

    def set_current(self, stage: int) -> None:
        self.current = stage
        self.update()

    @property
    def factor(self) -> float:
        """As large as the text, as far as ten stages fit side by side."""
        return min(THEME.scale, self.width() / _NEEDED)

    def pad_at(self, stage: int) -> QPointF:
        step = (self.across - _LEFT - _RIGHT) / (len(STAGE_TITLES) - 1)
        return QPointF(_LEFT + stage * step, _TRACK)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        for stage, pad in enumerate(self._pads):
            at, wide = self.pad_at(stage) * self.factor, 76 * self.factor
            pad.setGeometry(round(at.x() - wide / 2), 0, round(wide), self.height() - 2)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        for stage in range(len(STAGE_TITLES)):
            if abs(self.at(event).x() - self.pad_at(stage).x()) < 40:
                self.stage_asked.emit(stage)
                return

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = self.painter()
        painter.fillRect(QRectF(0, 0, self.across, self.down), THEME.colour("panel"))
        painter.fillRect(0, self.down - 2, self.across, 2, THEME.colour("groove"))
        painter.setPen(THEME.colour("ink"))
        painter.setFont(plain_font(16, bold=True))
        painter.drawText(QRectF(18, 10, _LEFT - 50, 24), Qt.AlignmentFlag.AlignVCenter, self.title)
        painter.setPen(THEME.colour("soft"))
        painter.setFont(plain_font(12))
        painter.drawText(QRectF(18, 34, _LEFT - 50, 20), Qt.AlignmentFlag.AlignVCenter, self.subtitle)
        self._paint_track(painter)
        for stage in range(len(STAGE_TITLES)):
            self._paint_pad(painter, stage)

    def _paint_track(self, painter: QPainter) -> None:
        for stage in range(len(STAGE_TITLES) - 1):
            passed = self._stations[stage][0] >= 1 or stage < self.current
            painter.setPen(QPen(THEME.colour("copper" if passed else "copper_light"), 5 if passed else 3))
            painter.drawLine(self.pad_at(stage), self.pad_at(stage + 1))

    def _paint_pad(self, painter: QPainter, stage: int) -> None:
        filled, count = self._stations[stage]
        centre, current = self.pad_at(stage), stage == self.current
        copper = THEME.colour("copper" if filled > 0 or current else "copper_light")
        radius = 13 if current else 9.5
        painter.setBrush(THEME.colour("panel"))
        painter.setPen(QPen(copper, 3))
        painter.drawEllipse(centre, radius, radius)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(copper)
        inner = QRectF(centre.x() - 6.5, centre.y() - 6.5, 13, 13)
        if filled >= 1:
            painter.drawEllipse(centre, 6.5, 6.5)
            painter.setPen(QPen(THEME.colour("panel"), 1.8))
            for start, end in (((-3, 0.3), (-0.8, 2.6)), ((-0.8, 2.6), (3.2, -2.4))):
                painter.drawLine(centre + QPointF(*start), centre + QPointF(*end))
        elif filled > 0:
            painter.drawPie(inner, 90 * 16, -round(360 * filled) * 16)
        painter.setFont(plain_font(11))
        painter.setPen(THEME.colour("copper"))
        painter.drawText(QPointF(centre.x() + radius + 4, 18), count)
        painter.setFont(plain_font(12.5, bold=current))
        painter.setPen(THEME.colour("ink" if current else "soft"))
        painter.drawText(QRectF(centre.x() - 50, 43, 100, 18), Qt.AlignmentFlag.AlignCenter, self._names[stage])
