"""Drawings that grow with the text size: they paint and answer in lengths at 100 %, whatever is on the screen."""

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QContextMenuEvent, QMouseEvent, QPainter, QWheelEvent
from PyQt6.QtWidgets import QWidget

from loyal_trace.ui.theme import THEME


class Drawn(QWidget):
    """A widget that paints itself; fonts in it are `plain_font`, which the painter enlarges with everything else."""

    @property
    def factor(self) -> float:
        """By how much everything is enlarged."""
        return THEME.scale

    @property
    def across(self) -> int:
        """Its width at 100 %."""
        return int(self.width() / self.factor)

    @property
    def down(self) -> int:
        """Its height at 100 %."""
        return int(self.height() / self.factor)

    def painter(self) -> QPainter:
        """A painter with smooth edges in lengths at 100 %."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.scale(self.factor, self.factor)
        return painter

    def at(self, event: QMouseEvent | QWheelEvent | QContextMenuEvent) -> QPointF:
        """Where the pointer is, at 100 %."""
        place = QPointF(event.pos()) if isinstance(event, QContextMenuEvent) else event.position()
        return place / self.factor
