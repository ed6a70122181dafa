"""Paints the parts without a position: groups of bodies as large as the room allows, with name and type or value."""

from dataclasses import dataclass, field

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen

from loyal_trace.app.presenters.tray import Tray, TrayGroup, TrayPart
from loyal_trace.language import tr
from loyal_trace.ui.glyphs import draw_glyph, hatch
from loyal_trace.ui.theme import THEME, plain_font

# Body and cell of each shape at scale 1 (pixel); the rest of a cell is the gap, or room for lines beside a round body.
_BODY = {"chip": (104, 42), "round": (38, 38), "disc": (40, 24), "small": (60, 34), "unknown": (92, 38)}
_CELL = {"chip": (124, 60), "round": (110, 48), "disc": (110, 36), "small": (72, 44), "unknown": (106, 50)}
_HEAD, _TOP, _PAD, _BETWEEN = 24.0, 40.0, 18.0, 26.0
_LARGEST, _SMALLEST, _STEP = 1.35, 0.3, 0.05
_OFFER = 118.0
_OFFER_FROM = 0.8


@dataclass
class TrayPlan:
    """Where everything of a tray is on the screen (pixel)."""

    tray: Tray
    area: QRectF
    scale: float = 1.0
    bodies: dict[str, QRectF] = field(default_factory=dict)
    parts: dict[str, TrayPart] = field(default_factory=dict)
    heads: list[tuple[QRectF, str, str]] = field(default_factory=list)
    marks: list[tuple[QRectF, str]] = field(default_factory=list)
    bottom: float = 0.0
    offer: QRectF | None = None


def plan_tray(tray: Tray, area: QRectF, with_offer: bool) -> TrayPlan:
    """The largest arrangement that fits into the area; the offer only where it leaves the parts large."""
    unclear = 22.0 if tray.unclear else 0.0
    steps = round((_LARGEST - _SMALLEST) / _STEP)
    plan = TrayPlan(tray, area)
    for number in range(steps + 1):
        scale = _LARGEST - number * _STEP
        plan = _arranged(tray, area, scale)
        kept = _OFFER if with_offer and scale >= _OFFER_FROM else 0.0
        if plan.bottom + unclear + kept + 8 <= area.bottom():
            if kept:
                plan.offer = QRectF(area.left() + 14, area.bottom() - _OFFER - 2, area.width() - 28, _OFFER - 10)
            return plan
    return plan


def _arranged(tray: Tray, area: QRectF, scale: float) -> TrayPlan:
    plan = TrayPlan(tray, area, scale)
    left, right = area.left() + _PAD, area.right() - _PAD
    x, y, tallest = left, area.top() + _TOP, 0.0
    for group in tray.groups:
        if group.columns:
            y += _grid(plan, group, left, y, right - left)
            continue
        width, height = _block(group, scale, right - left)
        if x > left and x + width > right:
            x, y, tallest = left, y + tallest, 0.0
        _flow(plan, group, x, y, min(width, right - x))
        x += width + _BETWEEN * scale
        tallest = max(tallest, height)
    plan.bottom = y + tallest
    return plan


def _cell(group: TrayGroup, scale: float) -> tuple[float, float]:
    """The cell that holds every shape of a group."""
    cells = [_CELL[part.shape] for part in group.parts]
    return max(w for w, _ in cells) * scale, max(h for _, h in cells) * scale


def _block(group: TrayGroup, scale: float, room: float) -> tuple[float, float]:
    """(width, height) of a group with its head, in as few rows as the room allows."""
    width, height = _cell(group, scale)
    across = max(1, int(room // width))
    rows = -(-len(group.parts) // across)
    head = QFontMetricsF(plain_font(12, bold=True)).horizontalAdvance(f"{group.title}  {group.count}") + 30
    return min(room, max(head, min(across, len(group.parts)) * width)), _HEAD + rows * height


def _flow(plan: TrayPlan, group: TrayGroup, x: float, y: float, width: float) -> None:
    across_cell, down_cell = _cell(group, plan.scale)
    plan.heads.append((QRectF(x, y, width, 16), group.title, group.count))
    across = max(1, int((width + 1) // across_cell))
    for number, part in enumerate(group.parts):
        body_x, body_y = x + number % across * across_cell, y + _HEAD + number // across * down_cell
        wide, tall = _BODY[part.shape]
        body = QRectF(body_x, body_y, wide * plan.scale, tall * plan.scale)
        body.moveTop(body_y + (down_cell - 10 * plan.scale - body.height()) / 2)
        plan.bodies[part.refdes], plan.parts[part.refdes] = body, part


def _grid(plan: TrayPlan, group: TrayGroup, x: float, y: float, width: float) -> float:
    """Parts at the rows and columns of their names; returns the height used."""
    margin = 26.0
    across = (width - margin) / len(group.columns)
    down = _CELL["chip"][1] * plan.scale * 0.95
    wide, tall = min(_BODY["chip"][0] * plan.scale, across - 8), _BODY["chip"][1] * plan.scale
    for index, name in enumerate(group.columns):
        plan.marks.append((QRectF(x + margin + index * across, y - 6, across, 16), name))
    for index, name in enumerate(group.rows):
        plan.marks.append((QRectF(x - 4, y + 14 + index * down, margin, tall), name))
    for part in group.parts:
        column, row = group.columns.index(part.column), group.rows.index(part.row)
        body = QRectF(0, 0, wide, tall)
        body.moveCenter(QPointF(x + margin + (column + 0.5) * across, y + 14 + row * down + tall / 2))
        plan.bodies[part.refdes], plan.parts[part.refdes] = body, part
    return 14 + len(group.rows) * down + 12


def pin_on_tray(plan: TrayPlan, refdes: str, pin: int) -> QPointF:
    """Where a pin is drawn: along the edges of the body, pin 1 at the lower left; the middle where no pins are."""
    body, pins = plan.bodies[refdes], plan.parts[refdes].pins
    if not 1 <= pin <= pins:
        return body.center()
    half = pins // 2
    along = pin - 1 if pin <= half else pins - pin
    return QPointF(body.left() + (along + 0.5) * body.width() / half, body.bottom() if pin <= half else body.top())


# painting


def paint_tray(painter: QPainter, plan: TrayPlan) -> None:
    """The frame, its title, heads of the groups, every body without findings, what is unclear and what is offered."""
    area, tray = plan.area, plan.tray
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(THEME.colour("line"), 1.4, Qt.PenStyle.DashLine))
    painter.drawRoundedRect(area, 10, 10)
    _paint_title(painter, tray, area)
    for rect, title, count in plan.heads:
        _paint_head(painter, rect, title, count)
    painter.setFont(plain_font(11, mono=True))
    painter.setPen(THEME.colour("soft"))
    for rect, name in plan.marks:
        painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, name)
    for refdes in plan.bodies:
        paint_tray_part(painter, plan, refdes, None)
    if tray.unclear:
        painter.setFont(plain_font(11.5))
        painter.setPen(THEME.colour("doubtful"))
        box = QRectF(area.left() + _PAD, plan.bottom + 2, area.width() - 2 * _PAD, 18)
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, _elided(painter, tray.unclear, box.width()))
    if plan.offer is not None:
        _paint_offer(painter, tray, plan.offer)


def _elided(painter: QPainter, words: str, width: float) -> str:
    return QFontMetricsF(painter.font()).elidedText(words, Qt.TextElideMode.ElideRight, width)


def _paint_title(painter: QPainter, tray: Tray, area: QRectF) -> None:
    painter.setFont(plain_font(12, bold=True))
    width = QFontMetricsF(painter.font()).horizontalAdvance(tray.title) + 42
    pill = QRectF(area.left() + 14, area.top() - 11, width, 22)
    painter.setBrush(THEME.colour("card"))
    painter.setPen(QPen(THEME.colour("doubtful"), 1.3))
    painter.drawRoundedRect(pill, 11, 11)
    draw_glyph(painter, "doubtful", pill.left() + 14, pill.center().y(), 13)
    painter.setPen(THEME.colour("doubtful"))
    painter.drawText(pill.adjusted(26, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, tray.title)
    painter.setFont(plain_font(11.5))
    painter.setPen(THEME.colour("soft"))
    room = QRectF(pill.right() + 10, area.top() + 4, area.right() - pill.right() - 24, 16)
    painter.drawText(
        room, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, _elided(painter, tray.how, room.width())
    )


def _paint_head(painter: QPainter, rect: QRectF, title: str, count: str) -> None:
    painter.setFont(plain_font(12, bold=True, mono=True))
    painter.setPen(THEME.colour("ink"))
    painter.drawText(rect, Qt.AlignmentFlag.AlignVCenter, title)
    x = rect.left() + QFontMetricsF(painter.font()).horizontalAdvance(title) + 8
    painter.setFont(plain_font(11.5))
    painter.setPen(THEME.colour("soft"))
    painter.drawText(QRectF(x, rect.top(), rect.width(), 16), Qt.AlignmentFlag.AlignVCenter, count)
    x += QFontMetricsF(painter.font()).horizontalAdvance(count) + 8
    painter.setPen(QPen(THEME.colour("groove"), 1.2))
    if x < rect.right() - 6:
        painter.drawLine(QPointF(x, rect.center().y()), QPointF(rect.right() - 6, rect.center().y()))


def paint_tray_part(painter: QPainter, plan: TrayPlan, refdes: str, mark: tuple[str, str, bool] | None) -> None:
    """One body with its name and lines; hatched when the finding says so."""
    part, body = plan.parts[refdes], plan.bodies[refdes]
    painter.setPen(QPen(THEME.colour("ink"), 1.2))
    if part.shape == "unknown":
        painter.setPen(QPen(THEME.colour("doubtful"), 1.4, Qt.PenStyle.DashLine))
    painter.setBrush(THEME.colour("card"))
    _draw_body(painter, part, body)
    if mark and mark[2]:
        painter.setBrush(hatch(mark[0]))
        _draw_body(painter, part, body)
    painter.setPen(QPen(THEME.colour("ink"), 1.1))
    if part.pins and part.shape == "chip":
        ticks = []
        for pin in range(1, part.pins + 1):
            at = pin_on_tray(plan, refdes, pin)
            ticks.append(QLineF(at, at + QPointF(0, 3 if at.y() > body.center().y() else -3)))
        painter.drawLines(*ticks)
        painter.setBrush(THEME.colour("ink"))
        painter.drawEllipse(QPointF(body.left() + 5, body.bottom() - 5), 1.6, 1.6)
    _paint_words(painter, part, body, plan.scale, bool(mark and mark[2]))


def _draw_body(painter: QPainter, part: TrayPart, body: QRectF) -> None:
    if part.shape == "round":
        painter.drawEllipse(body)
    else:
        painter.drawRoundedRect(body, 11 if part.shape == "disc" else 3, 11 if part.shape == "disc" else 3)


def _paint_words(painter: QPainter, part: TrayPart, body: QRectF, scale: float, hatched: bool) -> None:
    """The name in the body; a type under it, values beside a capacitor."""
    name_size, line_size = max(7.0, min(13.5, 13 * scale)), max(7.0, min(11.5, 11 * scale))
    beside = part.shape in ("round", "disc")
    inside = () if beside else part.lines[:1]
    height = name_size * 1.25 + (line_size * 1.25 if inside else 0)
    painter.setFont(plain_font(name_size, bold=True, mono=True))
    if hatched:
        width = QFontMetricsF(painter.font()).horizontalAdvance(part.refdes) + 8
        back = QRectF(0, 0, max(width, 34 * scale), height)
        back.moveCenter(body.center())
        painter.fillRect(back, THEME.colour("card"))
    painter.setPen(THEME.colour("ink"))
    top = QRectF(body.left(), body.center().y() - height / 2, body.width(), name_size * 1.25)
    painter.drawText(top, Qt.AlignmentFlag.AlignCenter, part.refdes)
    painter.setFont(plain_font(line_size, mono=not beside))
    painter.setPen(THEME.colour("soft"))
    for line in inside:
        under = QRectF(body.left() + 2, top.bottom(), body.width() - 4, line_size * 1.25)
        painter.drawText(under, Qt.AlignmentFlag.AlignCenter, _elided(painter, line, under.width()))
    for number, line in enumerate(part.lines if beside else ()):
        down = body.center().y() + (number - len(part.lines) / 2) * line_size * 1.3
        right = QRectF(body.right() + 6, down, 68 * scale, line_size * 1.3)
        painter.setPen(THEME.colour("ink" if number == 0 else "soft"))
        painter.drawText(right, Qt.AlignmentFlag.AlignVCenter, _elided(painter, line, right.width()))


def _paint_offer(painter: QPainter, tray: Tray, box: QRectF) -> None:
    """What positions would add, and how to say them."""
    painter.setPen(QPen(THEME.colour("groove"), 1.2))
    painter.setBrush(THEME.colour("card"))
    painter.drawRoundedRect(box, 7, 7)
    inside = box.adjusted(12, 8, -12, -8)
    painter.setPen(THEME.colour("ink"))
    painter.setFont(plain_font(12, bold=True))
    painter.drawText(QRectF(inside.left(), inside.top(), inside.width(), 16), 0, tr("What positions would add"))
    painter.setFont(plain_font(11.5))
    painter.setPen(THEME.colour("soft"))
    wrap = Qt.TextFlag.TextWordWrap
    painter.drawText(QRectF(inside.left(), inside.top() + 19, inside.width(), 32), wrap, tray.offer)
    y = inside.top() + 56
    for label, example in tray.examples:
        painter.setFont(plain_font(11.5, bold=True))
        painter.setPen(THEME.colour("ink"))
        painter.drawText(QRectF(inside.left(), y, 130, 18), Qt.AlignmentFlag.AlignVCenter, label)
        words = example or tr("drop a picture anywhere in this window")
        painter.setFont(plain_font(11.5, mono=bool(example)))
        painter.setPen(THEME.colour("blue"))
        room = QRectF(inside.left() + 134, y, inside.width() - 134, 18)
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, _elided(painter, words, room.width()))
        y += 19
