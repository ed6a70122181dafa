"""Signals of a captured trace, a line a pin; an output that is not what the model gives is drawn both ways."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF

from loyal_trace.language import tr
from loyal_trace.ui.drawn import Drawn
from loyal_trace.ui.theme import THEME, plain_font, px

if TYPE_CHECKING:
    from loyal_trace.app.presenters.trace import WaveLane, WaveView

_LEFT, _TOP, _LANE, _HIGH, _BELOW, _MARK = 104, 26, 23, 13, 28, 330


class Waves(Drawn):
    """Paints the lanes; every change has the same width, so that fast and slow ones are seen alike."""

    picked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.view: WaveView | None = None
        self.setAccessibleName(tr("signals of the trace"))
        self.setFixedHeight(px(100))

    def show_view(self, view: "WaveView | None") -> None:
        """Shows an excerpt."""
        self.view = view
        if view is not None:
            self.setFixedHeight(px(_TOP + _LANE * len(view.lanes) + _BELOW))
        self.setAccessibleDescription(view.words if view is not None else "")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        view = self.view
        if view is None:
            return
        painter = self.painter()
        step = (self.across - _LEFT - 8) / max(1, view.count)
        bottom = _TOP + _LANE * len(view.lanes)
        if view.marked >= 0:
            self._paint_mark(painter, view, step, bottom)
        for row, lane in enumerate(view.lanes):
            self._paint_lane(painter, lane, _TOP + row * _LANE, step)
        painter.setFont(plain_font(11))
        painter.setPen(THEME.colour("soft"))
        foot, centre = QRectF(_LEFT, bottom + 4, self.across - _LEFT - 8, 18), Qt.AlignmentFlag.AlignVCenter
        painter.drawText(foot, Qt.AlignmentFlag.AlignLeft | centre, view.first)
        painter.drawText(foot, Qt.AlignmentFlag.AlignRight | centre, view.last)
        legend = tr("captured solid, model dashed, one step for each change")
        painter.drawText(foot, Qt.AlignmentFlag.AlignHCenter | centre, legend)

    def _paint_mark(self, painter: QPainter, view: "WaveView", step: float, bottom: float) -> None:
        x = _LEFT + view.marked * step
        mark = THEME.colour("copper_light")
        mark.setAlpha(120)
        painter.fillRect(QRectF(x, _TOP - 4, max(3.0, step), bottom - _TOP + 6), mark)
        painter.setFont(plain_font(11, bold=True))
        painter.setPen(THEME.verdict_colour("bad"))
        on_left = x < self.across / 2
        side = Qt.AlignmentFlag.AlignLeft if on_left else Qt.AlignmentFlag.AlignRight
        box = QRectF(x if on_left else x + step - _MARK, 2, _MARK, 18)
        painter.drawText(
            box, Qt.AlignmentFlag.AlignVCenter | side, tr("first difference longer than an edge: {t}", t=view.marked_at)
        )

    def _paint_lane(self, painter: QPainter, lane: "WaveLane", y: float, step: float) -> None:
        differs = bool(lane.expected) and lane.expected != lane.levels
        painter.setFont(plain_font(12, bold=differs))
        painter.setPen(THEME.verdict_colour("bad") if differs else THEME.colour("ink"))
        label = QRectF(0, y, _LEFT - 10, _LANE - 4)
        painter.drawText(label, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{lane.name}  {lane.pin}")
        painter.setPen(QPen(THEME.verdict_colour("bad") if differs else THEME.colour("ink"), 1.5))
        painter.drawPolyline(_line(lane.levels, y, step))
        if differs:
            painter.setPen(QPen(THEME.colour("blue"), 1.6, Qt.PenStyle.DashLine))
            painter.drawPolyline(_line(lane.expected, y - 2, step))


def _line(levels: str, y: float, step: float) -> QPolygonF:
    points = QPolygonF()
    for place, level in enumerate(levels):
        height = y + (3 if level == "1" else 3 + _HIGH)
        points.append(QPointF(_LEFT + place * step, height))
        points.append(QPointF(_LEFT + (place + 1) * step, height))
    return points
