"""A photo of the board, with the parts of the map drawn over it once it is aligned; a click tells its pixel."""

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from loyal_trace.ui.theme import THEME, font

_ROOM_FOR_CLOSE_UP = 220


@dataclass(frozen=True)
class PhotoPicture:
    """An upright photo as RGB rows (perhaps shrunk), its full size in pixels, and its title."""

    title: str
    width: int
    height: int
    shown_width: int
    shown_height: int
    rgb: bytes


@dataclass(frozen=True)
class Outline:
    """A part on the photo: its corners (pixel of the full photo) and whether it is the picked one."""

    refdes: str
    corners: tuple[tuple[float, float], ...]
    picked: bool = False


class PhotoView(QWidget):
    """Paints a photo as large as it fits."""

    clicked = pyqtSignal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(400)
        self.setAccessibleName("photo of the board")
        self.picture: PhotoPicture | None = None
        self._image = QImage()
        self._outlines: tuple[Outline, ...] = ()
        self._marks: tuple[tuple[float, float], ...] = ()
        self.hide()

    def show_photo(
        self,
        picture: PhotoPicture | None,
        outlines: tuple[Outline, ...] = (),
        marks: tuple[tuple[float, float], ...] = (),
    ) -> None:
        """Shows a photo with outlines of parts and numbered marks (full-size pixels); None hides it."""
        if picture is not self.picture and picture is not None:
            stride = 3 * picture.shown_width
            kind = QImage.Format.Format_RGB888
            self._image = QImage(picture.rgb, picture.shown_width, picture.shown_height, stride, kind).copy()
        self.picture, self._outlines, self._marks = picture, outlines, marks
        self.setVisible(picture is not None)
        if picture is not None:
            self.setAccessibleDescription(f"{picture.title}, {len(outlines)} parts drawn over it")
        self.update()

    def frame(self) -> tuple[float, float, float]:
        """(screen pixels a photo pixel, left, top) of the photo in the widget."""
        scale = min(self.width() / self.picture.width, self.height() / self.picture.height)
        beside = self.width() - scale * self.picture.width
        left = 0.0 if beside > _ROOM_FOR_CLOSE_UP else beside / 2
        return scale, left, (self.height() - scale * self.picture.height) / 2

    def on_screen(self, u: float, v: float) -> QPointF:
        """Where a pixel of the photo is in the widget."""
        scale, left, top = self.frame()
        return QPointF(left + u * scale, top + v * scale)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.picture is not None:
            scale, left, top = self.frame()
            u, v = (event.position().x() - left) / scale, (event.position().y() - top) / scale
            if 0 <= u < self.picture.width and 0 <= v < self.picture.height:
                self.clicked.emit(u, v)

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.picture is None:
            return
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        scale, left, top = self.frame()
        place = QRectF(left, top, scale * self.picture.width, scale * self.picture.height)
        painter.drawImage(place, self._image)
        painter.setPen(QPen(THEME.colour("line"), 1))
        painter.drawRect(place)
        painter.setClipRect(place)
        for outline in self._outlines:
            self._paint_outline(painter, outline)
        self._paint_close_up(painter, place)
        painter.setClipRect(place)
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
        if outline.picked:
            box = shape.boundingRect()
            painter.setFont(font(12, bold=True))
            label = QRectF(box.center().x() - 26, box.top() - 19, 52, 17)
            painter.fillRect(label, THEME.colour("card"))
            painter.drawText(label, Qt.AlignmentFlag.AlignCenter, outline.refdes)
