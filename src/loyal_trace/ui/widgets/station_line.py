"""The station line: ten stages as pads on a copper track, filled as evidence comes in."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from loyal_trace.core.vocabulary.stages import STAGE_TITLES as STAGE_NAMES
from loyal_trace.ui.theme import THEME, font

_LEFT, _RIGHT, _TRACK = 330, 68, 27


class StationLine(QWidget):
    """Shows title and stages; a click on a pad asks for its stage."""

    stage_asked = pyqtSignal(int)
    jobs_asked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(62)
        self.setAccessibleName("stages of the work")
        self.title, self.subtitle = "Loyal Trace", ""
        self.current = -1
        self._stations: list[tuple[float, str]] = [(0.0, "")] * len(STAGE_NAMES)

    def set_job(self, title: str, subtitle: str) -> None:
        if (title, subtitle) != (self.title, self.subtitle):
            self.title, self.subtitle = title, subtitle
            self.update()

    def set_stations(self, stations: list[tuple[float, str]]) -> None:
        """(filled 0 to 1, count) for each of the ten stages."""
        if stations == self._stations:
            return
        self._stations = stations
        words = ", ".join(f"{n} {c}" for n, (_, c) in zip(STAGE_NAMES, stations, strict=True) if c)
        self.setAccessibleDescription(words)
        self.update()

    def set_current(self, stage: int) -> None:
        self.current = stage
        self.update()

    def pad_at(self, stage: int) -> QPointF:
        step = (self.width() - _LEFT - _RIGHT) / (len(STAGE_NAMES) - 1)
        return QPointF(_LEFT + stage * step, _TRACK)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if event.position().x() < _LEFT - 50:
            self.jobs_asked.emit()
            return
        for stage in range(len(STAGE_NAMES)):
            if abs(event.position().x() - self.pad_at(stage).x()) < 40:
                self.stage_asked.emit(stage)
                return

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), THEME.colour("panel"))
        painter.fillRect(0, self.height() - 2, self.width(), 2, THEME.colour("groove"))
        painter.setPen(THEME.colour("ink"))
        painter.setFont(font(16, bold=True))
        painter.drawText(QRectF(18, 10, _LEFT - 50, 24), Qt.AlignmentFlag.AlignVCenter, self.title)
        painter.setPen(THEME.colour("soft"))
        painter.setFont(font(12))
        painter.drawText(QRectF(18, 34, _LEFT - 50, 20), Qt.AlignmentFlag.AlignVCenter, self.subtitle)
        self._paint_track(painter)
        for stage in range(len(STAGE_NAMES)):
            self._paint_pad(painter, stage)

    def _paint_track(self, painter: QPainter) -> None:
        for stage in range(len(STAGE_NAMES) - 1):
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
        painter.setFont(font(11))
        painter.setPen(THEME.colour("copper"))
        painter.drawText(QPointF(centre.x() + radius + 4, 18), count)
        painter.setFont(font(12.5, bold=current))
        painter.setPen(THEME.colour("ink" if current else "soft"))
        painter.drawText(QRectF(centre.x() - 50, 43, 100, 18), Qt.AlignmentFlag.AlignCenter, STAGE_NAMES[stage])
