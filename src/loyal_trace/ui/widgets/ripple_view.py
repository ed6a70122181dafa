"""Expected and measured ripple on a reservoir, as a scope would show them, with the level the regulator needs."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from loyal_trace.core.boards.supplies import Supply
from loyal_trace.core.power.formulas import Reservoir
from loyal_trace.core.vocabulary.units import format_quantity
from loyal_trace.ui.theme import THEME, font

_CYCLES = 3
_RISE = 0.18


class RippleView(QWidget):
    """Two saw-tooth lines over three mains cycles; hidden while there is nothing to compare."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(92)
        self.setAccessibleName("ripple on the reservoir")
        self._full: Reservoir | None = None
        self._supply: Supply | None = None
        self._measured: tuple[float, float, float] | None = None
        self.hide()

    def show_ripple(
        self,
        full: Reservoir | None,
        supply: Supply | None,
        mean: float | None,
        ripple: float | None,
        frequency: float | None,
    ) -> None:
        """The healthy reservoir and what was measured on this one (volt, volt peak to peak, hertz)."""
        self._full, self._supply = full, supply
        known = mean is not None and ripple is not None and full is not None
        self._measured = (mean, ripple, frequency or full.ripple_frequency) if known else None
        self.setVisible(self._measured is not None)
        if self._measured is not None:
            self.setAccessibleDescription(", ".join(self._words()))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._measured is None or self._full is None or self._supply is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(46, 20, self.width() - 60, self.height() - 28)
        mean, ripple, frequency = self._measured
        full = self._full
        top = 1.06 * max(full.peak_voltage, mean + ripple / 2)
        needed = self._supply.nominal + self._supply.dropout if self._supply.nominal > 0 else 0.0
        low = min(full.trough_voltage, mean - ripple / 2, needed or top)
        bottom = max(0.0, low - 0.25 * (top - low))
        painter.setPen(QPen(THEME.colour("line"), 1))
        painter.drawRect(box)

        def y(volts: float) -> float:
            return box.bottom() - (volts - bottom) / (top - bottom) * box.height()

        if needed:
            painter.setPen(QPen(THEME.colour("doubtful"), 1.3, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(box.left(), y(needed)), QPointF(box.right(), y(needed)))
        span = _CYCLES / self._supply.mains
        for pen, peak, trough, per_second in (
            (QPen(THEME.colour("good"), 1.6), full.peak_voltage, full.trough_voltage, full.ripple_frequency),
            (QPen(THEME.colour("copper"), 2.4), mean + ripple / 2, mean - ripple / 2, frequency),
        ):
            painter.setPen(pen)
            painter.setClipRect(box)
            painter.drawPolyline(self._saw(box, y(peak), y(trough), span * per_second))
        painter.setClipping(False)
        self._paint_words(painter, box, needed, (top, bottom))

    def _saw(self, box: QRectF, peak: float, trough: float, periods: float) -> QPolygonF:
        step = box.width() / periods
        points = []
        for number in range(int(periods) + 1):
            start = box.left() + number * step
            points += [QPointF(start, peak), QPointF(start + step * (1 - _RISE), trough)]
        return QPolygonF(points)

    def _words(self) -> tuple[str, str]:
        """What was expected and what was measured, with units."""
        _, ripple, frequency = self._measured
        expected = f"expected {format_quantity(self._full.ripple_voltage, 'V')} at {self._full.ripple_frequency:.0f} Hz"
        return expected, f"measured {format_quantity(ripple, 'V')} at {frequency:.0f} Hz"

    def _paint_words(self, painter: QPainter, box: QRectF, needed: float, ends: tuple[float, float]) -> None:
        painter.setFont(font(11))
        for words, colour, left in zip(self._words(), ("good", "copper"), (0, 170), strict=True):
            painter.setPen(THEME.colour(colour))
            painter.drawText(QPointF(box.left() + left, 13), words)
        if needed:
            painter.setPen(THEME.colour("doubtful"))
            painter.drawText(QPointF(box.left() + 340, 13), f"the regulator needs {format_quantity(needed, 'V')}")
        painter.setPen(THEME.colour("soft"))
        for volts, at in ((ends[0], box.top() + 9), (ends[1], box.bottom())):
            painter.drawText(QRectF(0, at - 9, 40, 14), Qt.AlignmentFlag.AlignRight, f"{volts:.1f} V")
