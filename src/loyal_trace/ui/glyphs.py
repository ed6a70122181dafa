"""Verdict glyphs: a tick in a disc, a cross in a square, a question mark in a triangle, an open ring."""

import itertools

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF

from loyal_trace.ui.theme import THEME, font


def draw_glyph(painter: QPainter, kind: str, x: float, y: float, size: float = 14) -> None:
    """Draws the glyph of a verdict centred at (x, y); the shape carries the meaning before the colour does."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    colour, half = THEME.verdict_colour(kind), size / 2
    white = THEME.colour("card")
    if kind == "good":
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawEllipse(QPointF(x, y), half, half)
        _lines(painter, white, size, [(-0.25, 0.02), (-0.06, 0.22), (0.26, -0.2)], x, y)
    elif kind == "bad":
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawRoundedRect(QRectF(x - half * 0.92, y - half * 0.92, size * 0.92, size * 0.92), 1.5, 1.5)
        _lines(painter, white, size, [(-0.2, -0.2), (0.2, 0.2)], x, y)
        _lines(painter, white, size, [(0.2, -0.2), (-0.2, 0.2)], x, y)
    elif kind == "doubtful":
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        top, base = y - half * 1.05, y + half * 0.85
        painter.drawPolygon(
            QPolygonF([QPointF(x, top), QPointF(x + half * 1.15, base), QPointF(x - half * 1.15, base)])
        )
        painter.setPen(white)
        painter.setFont(font(size * 0.68, bold=True))
        painter.drawText(QRectF(x - half, y - half * 0.62, size, size * 0.8), Qt.AlignmentFlag.AlignCenter, "?")
    else:
        painter.setPen(QPen(THEME.colour("soft"), 1.4))
        painter.setBrush(THEME.colour("panel"))
        painter.drawEllipse(QPointF(x, y), half * 0.8, half * 0.8)
    painter.restore()


def _lines(
    painter: QPainter, colour: QColor, size: float, points: list[tuple[float, float]], x: float, y: float
) -> None:
    pen = QPen(colour, max(1.4, size * 0.13))
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    painter.setPen(pen)
    placed = [QPointF(x + dx * size, y + dy * size) for dx, dy in points]
    for start, end in itertools.pairwise(placed):
        painter.drawLine(start, end)


def hatch(kind: str) -> QBrush:
    """The hatching of a suspect part."""
    colour = THEME.verdict_colour(kind)
    colour.setAlpha(150)
    return QBrush(colour, Qt.BrushStyle.FDiagPattern)


def draw_bar(painter: QPainter, rect: QRectF, share: float, colour: str = "copper") -> None:
    """A measure drawn as a filled groove, share 0 to 1."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(THEME.colour("groove"))
    painter.drawRoundedRect(rect, 2, 2)
    filled = QRectF(rect)
    filled.setWidth(max(1.0, rect.width() * min(1.0, max(0.0, share))))
    painter.setBrush(THEME.colour(colour))
    painter.drawRoundedRect(filled, 2, 2)
