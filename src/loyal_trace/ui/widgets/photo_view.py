"""A photo of the board, with the parts of the map drawn over it once it is aligned; a click tells its pixel."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QTransform, QWheelEvent
from PyQt6.QtWidgets import QWidget

from loyal_trace.app.presenters.photos import Corners, Crop, Outline, PhotoPicture, PhotoScene
from loyal_trace.core.vocabulary.phrases import joined
from loyal_trace.language import tr
from loyal_trace.ui.theme import THEME, font, px

_ROOM_FOR_CLOSE_UP = 220
_NAMES_FROM = 0.4
_MOST_ZOOM = 8.0
_NOTHING = PhotoPicture("", 1, 1, 1, 1, b"")


def _image_of(picture: PhotoPicture) -> QImage:
    stride, kind = 3 * picture.shown_width, QImage.Format.Format_RGB888
    return QImage(picture.rgb, picture.shown_width, picture.shown_height, stride, kind).copy()


class PhotoView(QWidget):
    """Paints a photo as large as it fits."""

    picked = pyqtSignal(float, float)

    def __init__(self, height: int = 400) -> None:
        super().__init__()
        self.setFixedHeight(px(height))
        self.setAccessibleName(tr("photo of the board"))
        self.picture = _NOTHING
        self._image = QImage()
        self._outlines: tuple[Outline, ...] = ()
        self._marks: Corners = ()
        self._fade = 0.0
        self._edge: Corners = ()
        self._pair: tuple[Crop, ...] = ()
        self._zoom, self._shift = 1.0, QPointF()
        self._drag: QPointF | None = None
        self.hide()

    def show_view(self, scene: PhotoScene | None) -> None:
        """Shows a photo with outlines of parts and numbered marks, or the same area on two; None hides it."""
        if scene is None:
            self.picture, self._pair = _NOTHING, ()
            return
        self._pair = scene.pair
        if scene.pair:
            words = joined(
                "; ", (tr("{caption}: {title}", caption=crop.caption, title=crop.picture.title) for crop in scene.pair)
            )
            self.picture, self._image = scene.pair[0].picture, QImage()
        else:
            if scene.picture is not self.picture or self._image.isNull():
                self._image = _image_of(scene.picture)
                self._zoom, self._shift = 1.0, QPointF()
            self.picture, self._outlines, self._marks = scene.picture, scene.outlines, scene.marks
            faded = (tr(", map faded in {fade:.0f} %", fade=100 * scene.fade)) if scene.fade else ""
            words = tr(
                "{title}, {count} parts drawn over it{faded}",
                title=scene.picture.title,
                count=len(scene.outlines),
                faded=faded,
            )
        self._fade, self._edge = scene.fade, scene.edge
        self.setAccessibleDescription(words)
        self.update()

    def _paint_pair(self, painter: QPainter) -> None:
        count = len(self._pair)
        width = (self.width() - 12 * (count - 1)) / count
        for number, crop in enumerate(self._pair):
            room = QRectF(number * (width + 12), 22, width, self.height() - 22)
            painter.setFont(font(12.5, bold=True))
            painter.setPen(THEME.colour("ink"))
            painter.drawText(QRectF(room.left(), 0, width, 20), Qt.AlignmentFlag.AlignVCenter, crop.caption)
            image = _image_of(crop.picture)
            ratio = image.width() / crop.picture.width
            source = QPolygonF([QPointF(u * ratio, v * ratio) for u, v in crop.corners])
            target = QPolygonF([room.topLeft(), room.topRight(), room.bottomRight(), room.bottomLeft()])
            straight = QTransform()
            painter.save()
            painter.setClipRect(room)
            painter.fillRect(room, THEME.colour("groove"))
            if QTransform.quadToQuad(source, target, straight):
                painter.setTransform(straight, True)
                painter.drawImage(QPointF(0, 0), image)
                painter.resetTransform()
                self._paint_lit(painter, straight.map(QPolygonF([QPointF(u * ratio, v * ratio) for u, v in crop.lit])))
            painter.restore()
            painter.setPen(QPen(THEME.colour("line"), 1))
            painter.drawRect(room)

    def _paint_lit(self, painter: QPainter, body: QPolygonF) -> None:
        """The part that it is about: a ring that stands out from any photo."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in (("card", 6.0), ("copper", 3.0)):
            painter.setPen(QPen(THEME.colour(colour), width))
            painter.drawPolygon(body)

    def frame(self) -> tuple[float, float, float]:
        """(screen pixels a photo pixel, left, top) of the photo in the widget."""
        scale = min(self.width() / self.picture.width, self.height() / self.picture.height)
        beside = self.width() - scale * self.picture.width
        left = 0.0 if beside > _ROOM_FOR_CLOSE_UP else beside / 2
        top = (self.height() - scale * self.picture.height) / 2
        return scale * self._zoom, left + self._shift.x(), top + self._shift.y()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Ctrl and the wheel: nearer or further, the point under the pointer staying where it is."""
        if event is None or not event.modifiers() & Qt.KeyboardModifier.ControlModifier or self._pair:
            super().wheelEvent(event)
            return
        self.zoom_at(event.position(), 1.25 if event.angleDelta().y() > 0 else 0.8)
        event.accept()

    def zoom_at(self, at: QPointF, factor: float) -> None:
        """Enlarges the photo about a point of the widget; never smaller than it fits."""
        scale, left, top = self.frame()
        u, v = (at.x() - left) / scale, (at.y() - top) / scale
        self._zoom = min(_MOST_ZOOM, max(1.0, self._zoom * factor))
        if self._zoom == 1.0:
            self._shift = QPointF()
        else:
            scale, left, top = self.frame()
            self._shift += at - QPointF(left + u * scale, top + v * scale)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """The middle or right button held drags an enlarged photo."""
        if event is not None and self._drag is not None and self._zoom > 1.0:
            self._shift += event.position() - self._drag
            self._drag = event.position()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag = None

    def on_screen(self, u: float, v: float) -> QPointF:
        """Where a pixel of the photo is in the widget."""
        scale, left, top = self.frame()
        return QPointF(left + u * scale, top + v * scale)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if event.button() != Qt.MouseButton.LeftButton:
            self._drag = event.position()
            return
        if self.picture is not _NOTHING and not self._pair:
            scale, left, top = self.frame()
            u, v = (event.position().x() - left) / scale, (event.position().y() - top) / scale
            if 0 <= u < self.picture.width and 0 <= v < self.picture.height:
                self.picked.emit(u, v)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.picture is _NOTHING:
            return
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        if self._pair:
            self._paint_pair(painter)
            return
        scale, left, top = self.frame()
        place = QRectF(left, top, scale * self.picture.width, scale * self.picture.height)
        seen = place if self._zoom == 1.0 else QRectF(self.rect())
        painter.setClipRect(seen)
        painter.drawImage(place, self._image)
        painter.setPen(QPen(THEME.colour("line"), 1))
        painter.drawRect(seen.adjusted(0.5, 0.5, -0.5, -0.5))
        if self._fade and self._edge:
            sheet = THEME.colour("paper")
            sheet.setAlphaF(0.92 * self._fade)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(sheet)
            painter.drawPolygon(QPolygonF([self.on_screen(u, v) for u, v in self._edge]))
        for outline in self._outlines:
            self._paint_outline(painter, outline)
        if self._zoom == 1.0:
            self._paint_close_up(painter, place)
        painter.setClipRect(seen)
        painter.setFont(font(12, bold=True))
        for number, (u, v) in enumerate(self._marks, start=1):
            at = self.on_screen(u, v)
            painter.setPen(QPen(THEME.colour("card"), 4))
            painter.drawEllipse(at, 7, 7)
            painter.setPen(QPen(THEME.colour("copper"), 2))
            painter.drawEllipse(at, 7, 7)
            painter.drawText(at + QPointF(10, 4), str(number))

    def _paint_close_up(self, painter: QPainter, place: QRectF) -> None:
        """The picked part and what is around it, enlarged, where there is room beside the photo."""
        picked = next((o for o in self._outlines if o.picked), None)
        room = QRectF(place.right() + 14, place.top(), self.width() - place.right() - 14, place.height())
        if picked is None or room.width() < _ROOM_FOR_CLOSE_UP - 20:
            return
        body = QPolygonF([QPointF(u, v) for u, v in picked.corners]).boundingRect()
        enlarged = min(room.width(), room.height()) / (2.2 * max(body.width(), body.height()))
        shown = QRectF(0, 0, room.width() / enlarged, room.height() / enlarged)
        shown.moveCenter(body.center())
        ratio = self._image.width() / self.picture.width
        source = QRectF(shown.topLeft() * ratio, shown.size() * ratio)
        painter.setClipRect(room)
        painter.fillRect(room, THEME.colour("groove"))
        painter.drawImage(room, self._image, source)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(THEME.colour("copper"), 2.4))
        painter.drawPolygon(
            QPolygonF([room.topLeft() + (QPointF(u, v) - shown.topLeft()) * enlarged for u, v in picked.corners])
        )

    def _paint_outline(self, painter: QPainter, outline: Outline) -> None:
        shape = QPolygonF([self.on_screen(u, v) for u, v in outline.corners])
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(THEME.colour("card"), 3.4 if outline.picked else 2.2))
        painter.drawPolygon(shape)
        painter.setPen(QPen(THEME.colour("copper"), 2.4 if outline.picked else 1.2))
        painter.drawPolygon(shape)
        if not outline.picked and self._fade > _NAMES_FROM:
            painter.setFont(font(9))
            painter.setPen(THEME.colour("ink"))
            painter.drawText(
                shape.boundingRect().adjusted(-12, -4, 12, 4), Qt.AlignmentFlag.AlignCenter, outline.refdes
            )
        if outline.picked:
            box = shape.boundingRect()
            painter.setFont(font(12, bold=True))
            label = QRectF(box.center().x() - 26, box.top() - 19, 52, 17)
            painter.fillRect(label, THEME.colour("card"))
            painter.drawText(label, Qt.AlignmentFlag.AlignCenter, outline.refdes)
