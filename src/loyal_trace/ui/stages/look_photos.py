"""The photo side of Look: which photo is shown, clicks that align it, and the map drawn over it."""

from collections.abc import Callable

from loyal_trace.core.assess.looking import alignment_of, photographed, shows
from loyal_trace.core.boards.alignment import outline_on_photo, reference_parts
from loyal_trace.core.boards.model import Part
from loyal_trace.core.job.entries import PhotoAligned, Photographed, PhotoOf, PhotoPoint
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.formats.photos import upright
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.widgets.photo_view import Crop, Outline, PhotoPicture, PhotoView

_LONGEST = 1600
_EXACT = 4
_FADES = (0.0, 0.35, 0.7, 1.0, None)
_AREA = (32.0, 38.0)


class PhotoBench:
    """Shows one photo of the board in view at a time and aligns it by four clicks."""

    def __init__(self, desk: Desk, changed: Callable[[], None]) -> None:
        self.desk, self.view, self._changed = desk, PhotoView(), changed
        self.view.clicked.connect(self._clicked)
        self._shown = ""
        self._clicks: list[PhotoPoint] | None = None
        self._fade = 0
        self._pair = False
        self._picture: PhotoPicture | None = None

    def photos(self) -> list[Photographed]:
        """The photos of the board in view, oldest first."""
        return [p for p in self.desk.job.snapshot.seen.photos.values() if p.board == self.desk.board]

    @property
    def open(self) -> bool:
        return self.view.picture is not None

    def next_photo(self) -> None:
        """The next photo; after the last one, none."""
        names = [p.attachment for p in self.photos()]
        if not names:
            self.desk.said.emit("no photo of this board yet: drop one on the window", True)
            return
        at = names.index(self._shown) + 1 if self._shown in names else 0
        self._shown, self._clicks = (names[at] if at < len(names) else ""), None
        self.refresh()

    def start_aligning(self) -> None:
        """Begins the four clicks; of a photo aligned by four, one more click that shows the error."""
        if not self._shown:
            self.next_photo()
        if self._shown:
            known = self.desk.job.snapshot.seen.alignments.get(self._shown)
            check = known is not None and self._clicks is None and len(known.points) == _EXACT
            self._clicks = list(known.points) if check else []
            self._changed()
            self.desk.said.emit(self.asking(), False)

    def fade(self) -> None:
        """The map over the photo: outlines, then faded in step by step, then the photo alone."""
        self._fade = (self._fade + 1) % len(_FADES)
        self.refresh()

    def compare(self) -> None:
        """The area around the picked part on the oldest and the newest aligned photo, side by side, or back."""
        self._pair = not self._pair
        if self._pair and len(self._showing()) < 2:
            self._pair = False
            self.desk.said.emit("two aligned photos that show this part are needed: one before, one after", True)
        self.refresh()

    def tie(self) -> None:
        """The photo shown belongs to the picked part."""
        if not self._shown or not self.desk.part:
            self.desk.said.emit("show a photo (I) and pick a part first", True)
            return
        self.desk.record(PhotoOf, board=self.desk.board, place=self.desk.part, attachment=self._shown)

    def _showing(self) -> list[Photographed]:
        """The aligned photos, oldest first, on which the picked part can be seen."""
        moment, place = self.desk.job.moment, self.desk.place
        if not self.desk.part:
            return []
        return [p for p in self.photos() if shows(moment, p.attachment, place)]

    def _crop(self, photo: Photographed, caption: str) -> Crop | None:
        found, picture = alignment_of(self.desk.job.moment, photo.attachment), self._load(photo)
        board = self.desk.definition
        if found is None or picture is None or board is None:
            return None
        part = board.part(self.desk.part)
        wide, high = _AREA
        around = ((-wide, -high), (wide, -high), (wide, high), (-wide, high))
        corners = tuple(found.on_photo(part.x + dx, part.y + dy) for dx, dy in around)
        return Crop(picture, corners, f"{caption}: {photo.time:%Y-%m-%d %H:%M}")

    def asking(self) -> str:
        """What the next click is for; empty when nothing is being aligned."""
        board = self.desk.definition
        if self._clicks is None or board is None:
            return ""
        wanted = self._wanted()
        part, number = wanted[len(self._clicks)], len(self._clicks) + 1
        counted = "to see how well it fits" if number > _EXACT else f"{number} of {min(len(wanted), _EXACT)}"
        return f"click the middle of {part.refdes} on the photo ({counted})"

    def _wanted(self) -> tuple[Part, ...]:
        """The parts to click: four near the corners, then the one nearest the middle as a check."""
        board = self.desk.definition
        corners = reference_parts(board)
        inner = [p for p in board.parts if p not in corners]
        middle = (board.width / 2, board.height / 2)
        nearest = sorted(inner, key=lambda p: (p.x - middle[0]) ** 2 + (p.y - middle[1]) ** 2)[:1]
        return (*corners, *nearest)

    def uncovered(self) -> list[str]:
        """Parts with polarity that no aligned photo shows."""
        board, moment = self.desk.definition, self.desk.job.moment
        marked = [p.refdes for p in board.parts if p.polarised] if board else []
        return [refdes for refdes in marked if not photographed(moment, PartRef(self.desk.board, refdes))]

    def words(self) -> str:
        """What is to be said of the photo shown."""
        found = alignment_of(self.desk.job.moment, self._shown) if self._shown else None
        if self.asking():
            return self.asking()
        if found is None:
            return "not aligned yet: A, then four clicks"
        if found.points <= _EXACT:
            return f"aligned by {count_of(found.points, 'point')}; one more (A) shows how well it fits"
        return f"aligned by {count_of(found.points, 'point')}, {found.residual:.1f} pixels off on average"

    def refresh(self) -> None:
        """Brings the view up to date with the board, the picked part and the logbook."""
        photo = next((p for p in self.photos() if p.attachment == self._shown), None)
        if photo is None:
            self._shown, self._clicks, self._picture = "", None, None
            self.view.show_photo(None)
            return
        if self._picture is None or self._picture.title != self._title(photo):
            self._picture = self._load(photo)
        showing = self._showing() if self._pair else []
        if len(showing) > 1:
            sides = (self._crop(showing[0], "before"), self._crop(showing[-1], "after"))
            self.view.show_pair(tuple(crop for crop in sides if crop is not None))
            return
        marks = tuple((p.u, p.v) for p in self._clicks or ())
        self.view.show_photo(self._picture, self._outlines(photo), marks, _FADES[self._fade] or 0.0, self._edge(photo))

    def _edge(self, photo: Photographed) -> tuple[tuple[float, float], ...]:
        """The corners of the board on the photo; none before it is aligned."""
        found, board = alignment_of(self.desk.job.moment, photo.attachment), self.desk.definition
        if found is None or board is None or self._clicks is not None:
            return ()
        corners = ((0.0, 0.0), (board.width, 0.0), (board.width, board.height), (0.0, board.height))
        return tuple(found.on_photo(x, y) for x, y in corners)

    def _title(self, photo: Photographed) -> str:
        return f"{photo.file_name} {photo.attachment[:8]}"

    def _load(self, photo: Photographed) -> PhotoPicture | None:
        try:
            pixels = upright(self.desk.job.store.attachment(photo.attachment), photo.file_name, _LONGEST)
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)
            return None
        shown = (pixels.width, pixels.height)
        return PhotoPicture(self._title(photo), photo.width, photo.height, *shown, pixels.rgb)

    def _outlines(self, photo: Photographed) -> tuple[Outline, ...]:
        found = alignment_of(self.desk.job.moment, photo.attachment)
        board = self.desk.definition
        if found is None or board is None or self._clicks is not None or _FADES[self._fade] is None:
            return ()
        return tuple(Outline(p.refdes, outline_on_photo(found, p), p.refdes == self.desk.part) for p in board.parts)

    def _clicked(self, u: float, v: float) -> None:
        if self._clicks is not None:
            self._add_click(u, v)
            return
        found = alignment_of(self.desk.job.moment, self._shown)
        board = self.desk.definition
        if found is not None and board is not None:
            x, y = found.on_board(u, v)
            nearest = min(board.parts, key=lambda p: (p.x - x) ** 2 + (p.y - y) ** 2)
            self.desk.pick(self.desk.board, nearest.refdes)

    def _add_click(self, u: float, v: float) -> None:
        wanted = self._wanted()
        part = wanted[len(self._clicks)]
        self._clicks.append(PhotoPoint(x=part.x, y=part.y, u=u, v=v))
        if len(self._clicks) < min(_EXACT, len(wanted)):
            self._changed()
            self.desk.said.emit(self.asking(), False)
            return
        points, self._clicks = tuple(self._clicks), None
        self.desk.record(PhotoAligned, board=self.desk.board, attachment=self._shown, points=points)
