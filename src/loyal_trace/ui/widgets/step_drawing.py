"""The step in hand, readable from a metre: title, actions, which way round, settings, timers, parts out and in."""

from PyQt6.QtCore import QByteArray, QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QApplication

from loyal_trace.app.presenters.step_view import Polarity, Safe, StepView
from loyal_trace.core.assess.at_iron import Timer
from loyal_trace.core.vocabulary.units import format_duration
from loyal_trace.language import shown, tr
from loyal_trace.resources import read_text
from loyal_trace.ui.drawn import Drawn
from loyal_trace.ui.glyphs import draw_glyph
from loyal_trace.ui.theme import THEME, plain_font, px

_TITLE, _TRACK, _PANELS, _METHOD, _TILES, _COUNTS = 52.0, 48.0, 128.0, 40.0, 46.0, 58.0
# Which way round takes less height than a method with its words, and words of one line less than those of two.
_TURNED, _ONE_LINE = 112.0, 24.0
_GAP = 6.0
# How much wider than high the drawings of methods are.
_DRAWN_WIDE = 160 / 104
# The colours that the drawings of methods are made with, and what they are called in a theme.
_DRAWN_WITH = {
    "#22303C": "ink",
    "#56636F": "soft",
    "#A0541A": "copper",
    "#DDB08A": "copper_light",
    "#1F5C8B": "blue",
    "#FBF8F1": "panel",
    "#D5CAB8": "groove",
    "#B0342A": "bad",
}
_MIDDLE = Qt.AlignmentFlag.AlignVCenter


class StepDrawing(Drawn):
    """A click on an action of the track picks it: it is the next to be finished."""

    picked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.view: StepView | None = None
        self._rung: set[tuple[str, object]] = set()
        self.setAccessibleName(tr("the step in hand"))
        self._clock = QTimer(self)
        self._clock.setInterval(1000)
        self._clock.timeout.connect(self._tick)

    def show_view(self, view: StepView | None) -> None:
        """Shows a step; the clock runs while a timer does."""
        self.view = view
        if view is None:
            self._clock.stop()
            return
        self.setFixedHeight(px(self._height(view)))
        track = ", ".join(shown(action.words) for action in view.actions)
        self.setAccessibleDescription(f"{shown(view.title)}, {shown(view.part)} {shown(view.source)}; {track}")
        # What ended before it came into view is over: it is shown, and nobody is called for it.
        self._rung |= {(t.what, t.since) for t in view.timers if self._left(t) <= 0}
        self._clock.start() if any(self._left(t) > 0 for t in view.timers) else self._clock.stop()
        self.update()

    def _height(self, view: StepView) -> float:
        panels = _TURNED + _GAP if view.polarity is not None else _PANELS + _GAP if view.drawing else 0.0
        method = self._words_height(view) if self._method_below(view) else 0.0
        return _TITLE + _TRACK + panels + method + _TILES + _GAP + (_COUNTS + _GAP if self._counts(view) else 0.0)

    @staticmethod
    def _counts(view: StepView) -> bool:
        return bool(view.out or view.timers)

    @staticmethod
    def _method_below(view: StepView) -> bool:
        """Do the words of the method stand by themselves, not beside their drawing?"""
        return bool(view.unknown or (view.method and (not view.drawing or view.polarity is not None)))

    def _words_height(self, view: StepView) -> float:
        wide = QFontMetricsF(plain_font(13)).horizontalAdvance(shown(view.unknown or view.method))
        return _ONE_LINE if wide <= self.across - 8 else _METHOD

    def _left(self, timer: Timer) -> float:
        view = self.view
        return timer.left(view.now()) if view is not None else 0.0

    def _tick(self) -> None:
        """A second has gone; what has ended calls once, quietly."""
        view = self.view
        for timer in view.timers if view is not None else ():
            name = (timer.what, timer.since)
            if self._left(timer) <= 0 and name not in self._rung:
                self._rung.add(name)
                QApplication.beep()
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Words that no longer stand in one line ask for a second one."""
        super().resizeEvent(event)
        if self.view is not None:
            self.setFixedHeight(px(self._height(self.view)))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.view is None or not self.view.actions:
            return
        place = self.at(event)
        if _TITLE <= place.y() <= _TITLE + _TRACK:
            step = self.across / len(self.view.actions)
            self.picked.emit(min(len(self.view.actions) - 1, int(place.x() / step)))

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        view = self.view
        if view is None:
            return
        painter = self.painter()
        self._paint_title(painter, view)
        self._paint_track(painter, view)
        y = _TITLE + _TRACK
        if view.polarity is not None:
            self._paint_polarity(painter, view.polarity, y)
            y += _TURNED + _GAP
        elif view.drawing:
            self._paint_method(painter, view, y)
            y += _PANELS + _GAP
        if self._method_below(view):
            painter.setFont(plain_font(13))
            painter.setPen(THEME.colour("ink"))
            high = self._words_height(view)
            box = QRectF(2, y, self.across - 6, high - 2)
            painter.drawText(box, Qt.TextFlag.TextWordWrap | _MIDDLE, shown(view.unknown or view.method))
            y += high
        self._paint_tiles(painter, view, y)
        if self._counts(view):
            self._paint_counts(painter, view, y + _TILES + _GAP)

    def _paint_title(self, painter: QPainter, view: StepView) -> None:
        painter.setPen(THEME.colour("ink"))
        painter.setFont(plain_font(33, bold=True))
        title = shown(view.title)
        wide = QFontMetricsF(painter.font()).horizontalAdvance(title)
        painter.drawText(QRectF(0, 0, self.across, 50), _MIDDLE, title)
        x, right = wide + 24, self.across - (214 if view.safe is not None else 4)
        painter.setFont(plain_font(19, bold=True, mono=True))
        name = QFontMetricsF(painter.font()).elidedText(shown(view.part), Qt.TextElideMode.ElideRight, right - x)
        painter.drawText(QRectF(x, 2, right - x, 26), _MIDDLE, name)
        painter.setFont(plain_font(13))
        painter.setPen(THEME.colour("soft"))
        painter.drawText(QRectF(x, 27, right - x, 20), _MIDDLE, shown(view.source))
        if view.safe is not None:
            self._paint_safe(painter, view.safe)

    def _paint_safe(self, painter: QPainter, safe: Safe) -> None:
        glyph, word, detail = safe.glyph, safe.word, safe.detail
        box = QRectF(self.across - 208, 3, 204, 44)
        painter.setPen(QPen(THEME.verdict_colour(glyph), 1.3))
        painter.setBrush(THEME.colour("card"))
        painter.drawRoundedRect(box, 5, 5)
        draw_glyph(painter, glyph, box.left() + 18, box.center().y(), 18)
        painter.setFont(plain_font(13, bold=True))
        painter.setPen(THEME.verdict_colour(glyph))
        painter.drawText(QRectF(box.left() + 36, box.top() + 3, 166, 19), _MIDDLE, shown(word))
        painter.setFont(plain_font(10.5))
        painter.setPen(THEME.colour("ink"))
        text = QFontMetricsF(painter.font()).elidedText(shown(detail), Qt.TextElideMode.ElideRight, 164)
        painter.drawText(QRectF(box.left() + 36, box.top() + 22, 166, 18), _MIDDLE, text)

    def _paint_track(self, painter: QPainter, view: StepView) -> None:
        if not view.actions:
            return
        step = self.across / len(view.actions)
        y = _TITLE + 12
        centres = [QPointF(step * (n + 0.5), y) for n in range(len(view.actions))]
        painter.setPen(QPen(THEME.colour("copper_light"), 4))
        painter.drawLine(centres[0], centres[-1])
        for centre, action in zip(centres, view.actions, strict=True):
            now = action.kind in ("now", "went wrong")
            painter.setPen(QPen(THEME.colour("copper"), 3))
            painter.setBrush(THEME.colour("selected" if now else "card"))
            painter.drawEllipse(centre, 9, 9)
            if action.kind == "done":
                draw_glyph(painter, "good", centre.x(), centre.y(), 15)
            elif action.kind == "went wrong":
                draw_glyph(painter, "bad", centre.x(), centre.y(), 15)
            elif now:
                painter.setBrush(THEME.colour("copper"))
                painter.drawEllipse(centre, 3.4, 3.4)
            elif action.kind == "skipped":
                painter.drawLine(centre - QPointF(5, 0), centre + QPointF(5, 0))
            painter.setFont(plain_font(12.5, bold=now))
            painter.setPen(THEME.colour("ink" if now else "soft"))
            box = QRectF(centre.x() - step / 2, y + 12, step, 18)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, shown(action.name).capitalize())

    def _paint_polarity(self, painter: QPainter, way: Polarity, top: float) -> None:
        frame = QRectF(1, top, self.across - 4, _TURNED)
        painter.setPen(QPen(THEME.colour("line"), 1))
        painter.setBrush(THEME.colour("card"))
        painter.drawRoundedRect(frame, 6, 6)
        panels = [(tr("Part, from above"), way.part), (tr("Board, from above"), way.board)]
        if way.turned:
            panels.append((tr("Board turned over"), way.turned))
        wide = frame.width() / len(panels)
        for number, (title, words) in enumerate(panels):
            box = QRectF(frame.left() + number * wide, top, wide, _TURNED)
            painter.setFont(plain_font(12, bold=True))
            painter.setPen(THEME.colour("ink"))
            painter.drawText(box.adjusted(0, 3, 0, 0), Qt.AlignmentFlag.AlignHCenter, title)
            middle = box.center() + QPointF(0, -1)
            if way.chip:
                self._paint_package(painter, middle, way.angle, number == 1)
            else:
                angle = way.angle if number < 2 else ((180 - way.angle) % 360 if way.angle in (0, 180) else way.angle)
                self._paint_can(painter, middle, angle, number)
            painter.setFont(plain_font(13, bold=True))
            painter.setPen(THEME.colour("copper"))
            below = box.adjusted(0, 0, 0, -4)
            painter.drawText(below, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom, shown(words))

    def _paint_method(self, painter: QPainter, view: StepView, top: float) -> None:
        """The drawing of how it is done, the words beside it, and other ways in smaller ones."""
        frame = QRectF(1, top, self.across - 4, _PANELS)
        painter.setPen(QPen(THEME.colour("line"), 1))
        painter.setBrush(THEME.colour("card"))
        painter.drawRoundedRect(frame, 6, 6)
        picture = QRectF(frame.left() + 6, top + 5, (_PANELS - 10) * _DRAWN_WIDE, _PANELS - 10)
        QSvgRenderer(_in_theme(read_text(f"drawings/{view.drawing}.svg"))).render(painter, picture)
        text = QRectF(picture.right() + 12, top + 8, frame.right() - picture.right() - 22, _PANELS - 16)
        painter.setFont(plain_font(13))
        painter.setPen(THEME.colour("ink"))
        words = Qt.TextFlag.TextWordWrap
        how = shown(view.unknown or view.method)
        used = QFontMetricsF(painter.font()).boundingRect(text, words, how)
        painter.drawText(text, words, how)
        if view.others:
            painter.setFont(plain_font(11.5))
            painter.setPen(THEME.colour("soft"))
            others = tr("Other ways. {ways}.", ways="; ".join(shown(way) for way in view.others))
            painter.drawText(text.adjusted(0, used.height() + 8, 0, 0), words, others)

    def _paint_can(self, painter: QPainter, middle: QPointF, angle: int, panel: int) -> None:
        """A round can or its two holes; plus at the angle, clockwise from the left."""
        radius = 34.0
        painter.save()
        painter.translate(middle)
        painter.rotate(angle)
        painter.setPen(QPen(THEME.colour("ink"), 2, Qt.PenStyle.SolidLine if panel == 0 else Qt.PenStyle.DotLine))
        painter.setBrush(THEME.colour("selected" if panel == 0 else "panel"))
        painter.drawEllipse(QPointF(0, 0), radius, radius)
        if panel == 0:
            stripe = QPainterPath()
            stripe.addEllipse(QPointF(0, 0), radius - 1, radius - 1)
            cut = QPainterPath()
            cut.addRect(QRectF(radius * 0.58, -radius, radius, 2 * radius))
            painter.fillPath(stripe.intersected(cut), THEME.colour("ink"))
        for side in (-16.0, 16.0):
            square = side < 0 and panel > 0
            painter.setPen(QPen(THEME.colour("copper"), 2))
            painter.setBrush(THEME.colour("card"))
            box = QRectF(side - 6, -6, 12, 12)
            painter.drawRect(box) if square else painter.drawEllipse(box)
        painter.restore()
        painter.setPen(THEME.colour("ink"))
        painter.setFont(plain_font(17, bold=True))
        turn = {0: (-1, 0), 90: (0, -1), 180: (1, 0), 270: (0, 1)}[angle]
        for sign, text in ((1, "+"), (-1, "−")):
            reach = 30.0 if panel else 28.0
            at = middle + QPointF(sign * turn[0] * (reach - 14) + (0 if turn[0] else 22), sign * turn[1] * reach)
            at += QPointF(0, -19) if turn[0] else QPointF(0, 0)
            painter.drawText(QRectF(at.x() - 12, at.y() - 12, 24, 24), Qt.AlignmentFlag.AlignCenter, text)

    def _paint_package(self, painter: QPainter, middle: QPointF, angle: int, on_board: bool) -> None:
        """A DIP from above, its notch at the angle, clockwise from the left."""
        painter.save()
        painter.translate(middle)
        painter.rotate(angle)
        painter.setPen(QPen(THEME.colour("ink"), 2, Qt.PenStyle.DotLine if on_board else Qt.PenStyle.SolidLine))
        painter.setBrush(THEME.colour("panel" if on_board else "selected"))
        body = QRectF(-52, -17, 104, 34)
        painter.drawRoundedRect(body, 3, 3)
        painter.drawArc(QRectF(-60, -8, 16, 16), -90 * 16, 180 * 16)
        painter.setPen(QPen(THEME.colour("copper"), 2))
        for pin in range(7):
            x = -44 + pin * 14.6
            painter.drawLine(QPointF(x, -17), QPointF(x, -25))
            painter.drawLine(QPointF(x, 17), QPointF(x, 25))
        painter.setBrush(THEME.colour("copper"))
        painter.drawEllipse(QPointF(-44, 10), 2.6, 2.6)
        painter.restore()

    def _paint_tiles(self, painter: QPainter, view: StepView, top: float) -> None:
        count = max(1, len(view.tiles))
        wide = (self.across - 4 - 8 * (count - 1)) / max(count, 3)
        for number, tile in enumerate(view.tiles):
            box = QRectF(1 + number * (wide + 8), top, wide, _TILES)
            painter.setPen(QPen(THEME.colour("line"), 1))
            painter.setBrush(THEME.colour("card"))
            painter.drawRoundedRect(box, 5, 5)
            painter.setFont(plain_font(11.5))
            painter.setPen(THEME.colour("soft"))
            painter.drawText(box.adjusted(10, 4, -6, 0), Qt.AlignmentFlag.AlignLeft, shown(tile.name))
            painter.drawText(box.adjusted(6, 4, -8, 0), Qt.AlignmentFlag.AlignRight, shown(tile.note))
            painter.setPen(THEME.colour("ink"))
            painter.setFont(plain_font(16, bold=True))
            value = shown(tile.value)
            if QFontMetricsF(painter.font()).horizontalAdvance(value) > box.width() - 16:
                painter.setFont(plain_font(12, bold=True))
            painter.drawText(box.adjusted(10, 18, -4, -2), _MIDDLE, value)

    def _paint_counts(self, painter: QPainter, view: StepView, top: float) -> None:
        half = (self.across - 12) / 2
        left, right = QRectF(1, top, half, _COUNTS), QRectF(half + 9, top, half, _COUNTS)
        painter.setPen(QPen(THEME.colour("line"), 1))
        painter.setBrush(THEME.colour("card"))
        for box in (left, right):
            painter.drawRoundedRect(box, 5, 5)
        self._paint_timers(painter, view, left)
        self._paint_tally(painter, view, right)

    def _paint_timers(self, painter: QPainter, view: StepView, box: QRectF) -> None:
        painter.setFont(plain_font(11.5, bold=True))
        painter.setPen(THEME.colour("ink"))
        painter.drawText(box.adjusted(10, 3, 0, 0), Qt.AlignmentFlag.AlignLeft, tr("Running"))
        if not view.timers:
            painter.setFont(plain_font(12))
            painter.setPen(THEME.colour("soft"))
            painter.drawText(box.adjusted(10, 18, -6, -4), _MIDDLE, tr("no timer"))
            return
        timer = view.timers[0]
        left = self._left(timer)
        painter.setFont(plain_font(20, bold=True, mono=True))
        painter.setPen(THEME.colour("ink" if left > 0 else "doubtful"))
        words = _clock_words(left) if left > 0 else tr("over")
        painter.drawText(QRectF(box.left() + 10, box.top() + 17, 110, 28), _MIDDLE, words)
        painter.setFont(plain_font(12))
        name = tr("{what} of {time}", what=shown(timer.what), time=format_duration(timer.seconds))
        more = tr("and {count} more", count=len(view.timers) - 1) if len(view.timers) > 1 else ""
        text = QRectF(box.left() + 122, box.top() + 16, box.width() - 130, 18)
        name = QFontMetricsF(painter.font()).elidedText(name, Qt.TextElideMode.ElideRight, text.width())
        painter.drawText(text, _MIDDLE, name)
        painter.setPen(THEME.colour("soft"))
        painter.drawText(text.translated(0, 16), _MIDDLE, more)
        bar = QRectF(box.left() + 10, box.bottom() - 9, box.width() - 20, 5)
        painter.fillRect(bar, THEME.colour("groove"))
        share = min(1.0, max(0.0, 1 - left / timer.seconds))
        painter.fillRect(QRectF(bar.left(), bar.top(), bar.width() * share, bar.height()), THEME.colour("copper"))

    def _paint_tally(self, painter: QPainter, view: StepView, box: QRectF) -> None:
        painter.setFont(plain_font(11.5, bold=True))
        painter.setPen(THEME.colour("ink"))
        painter.drawText(box.adjusted(10, 3, 0, 0), Qt.AlignmentFlag.AlignLeft, tr("Parts out = parts in"))
        missing = len(view.empty)
        names = " ".join(view.empty[:4])
        state = tr("{count} to fit: {names}", count=missing, names=names) if missing else tr("all in")
        painter.setPen(THEME.colour("doubtful" if missing else "good"))
        painter.drawText(box.adjusted(6, 3, -10, 0), Qt.AlignmentFlag.AlignRight, state)
        most = max(view.out, 1)
        step = min(17.0, (box.width() - 96) / most)
        for row, (name, count) in enumerate(((tr("out"), view.out), (tr("in"), view.fitted))):
            y = box.top() + 21 + row * 17
            painter.setFont(plain_font(12))
            painter.setPen(THEME.colour("ink"))
            painter.drawText(QRectF(box.left() + 10, y - 2, 34, 17), _MIDDLE, name)
            painter.setFont(plain_font(14, bold=True, mono=True))
            painter.drawText(QRectF(box.left() + 44, y - 2, 34, 17), _MIDDLE, str(count))
            for number in range(view.out):
                square = QRectF(box.left() + 82 + number * step, y, max(3.0, step - 3), 12)
                painter.setPen(QPen(THEME.colour("line"), 1))
                painter.setBrush(THEME.colour(("copper_light", "ink")[row]) if number < count else THEME.colour("card"))
                painter.drawRoundedRect(square, 2, 2)


def _in_theme(drawing: str) -> QByteArray:
    """A drawing in the colours of the theme in use."""
    for colour, name in _DRAWN_WITH.items() if THEME.dark else ():
        drawing = drawing.replace(colour, THEME.colour(name).name())
    return QByteArray(drawing.encode())


def _clock_words(seconds: float) -> str:
    """Time left as a clock shows it: 11:20, or 23 h 40."""
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes}:{rest:02d}" if minutes < 100 else tr("{h} h {m:02d}", h=minutes // 60, m=minutes % 60)
