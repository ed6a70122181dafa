"""The photos of Inspect: which one is shown, clicks that align it, the map over it, and before beside after."""

from dataclasses import dataclass

from loyal_trace.app.presenters.model import Action
from loyal_trace.app.presenters.photo_placing import PhotoPlacing
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.looking import alignment_of, photographed, shows
from loyal_trace.core.boards.alignment import outline_on_photo, reference_parts
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.placing import is_mirrored
from loyal_trace.core.job.entries import PhotoAligned, Photographed, PhotoOf, PhotoPoint
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.formats.photos import upright

_LONGEST = 1600
_EXACT = 4
_FADES = (0.0, 0.35, 0.7, 1.0, None)
# Half width and height (mm) of what is shown around a part: beside another photo, and in the width of a page.
_AREA, _STRETCH = (32.0, 38.0), (54.0, 15.0)
Corners = tuple[tuple[float, float], ...]


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
    corners: Corners
    picked: bool = False


@dataclass(frozen=True)
class Crop:
    """A stretch of a photo: the corners of the same area on it (pixel, clockwise), a caption, a part that is lit."""

    picture: PhotoPicture
    corners: Corners
    caption: str
    lit: Corners = ()


@dataclass(frozen=True)
class PhotoScene:
    """What the photo view paints: a photo with outlines and numbered marks, or one crop or two side by side.

    `fade` (0 to 1) is how far the map covers the photo inside `edge`, the corners of the board on it.
    """

    picture: PhotoPicture
    outlines: tuple[Outline, ...] = ()
    marks: Corners = ()
    fade: float = 0.0
    edge: Corners = ()
    pair: tuple[Crop, ...] = ()


class PhotoBench:
    """One photo of the board in view at a time, aligned by four clicks."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self._shown = ""
        self._clicks: list[PhotoPoint] | None = None
        self._fade = 0
        self._pair = False
        self._picture: PhotoPicture | None = None
        self.placing = PhotoPlacing(workspace, self._photo)

    def photos(self) -> list[Photographed]:
        """The photos of the board in view, oldest first."""
        return [p for p in self.workspace.snapshot.seen.photos.values() if p.board == self.workspace.board]

    def _photo(self) -> Photographed | None:
        """The photo shown; None when it is not of the board in view any more."""
        found = next((p for p in self.photos() if p.attachment == self._shown), None)
        if found is None:
            self._shown, self._clicks, self._picture = "", None, None
        return found

    @property
    def open(self) -> bool:
        return self._photo() is not None

    def actions(self) -> tuple[Action, ...]:
        """What can be done with photos now."""
        if not self.photos():
            return ()
        following = Action(
            "I",
            say("Show the next photo"),
            self.next_photo,
            say("The photos of this board one after the other, then the map"),
        )
        if not self.open:
            return (following,)
        align = Action(
            "A",
            say("Align the photo"),
            self.start_aligning,
            say("Four clicks on parts; a fifth shows the error of the fit"),
        )
        board = self.workspace.definition
        by_parts = board is not None and len([p for p in board.parts if p.placed]) > 1
        return (
            following,
            *self.placing.actions(),
            *((align,) if by_parts else ()),
            Action(
                "M", say("Map over the photo"), self.fade, say("Outlines, then the map faded in, then the photo alone")
            ),
            Action(
                "C",
                say("Compare before, after"),
                self.compare,
                say("The same area on the oldest and on the newest photo"),
            ),
            Action("T", say("Link the photo to the part"), self.tie, say("This photo shows the picked part")),
        )

    def next_photo(self) -> None:
        """The next photo; after the last one, none."""
        names = [p.attachment for p in self.photos()]
        if not names:
            self.workspace.say(say("There is no photo of this board yet. Drop one on the window."), True)
            return
        at = names.index(self._shown) + 1 if self._shown in names else 0
        self._shown, self._clicks = (names[at] if at < len(names) else ""), None
        self.placing.stop()
        self.workspace.show()

    def start_aligning(self) -> None:
        """Begins the four clicks; of a photo aligned by four, one more click that shows the error."""
        self.placing.stop()
        if self.open:
            known = self.workspace.snapshot.seen.alignments.get(self._shown)
            check = known is not None and self._clicks is None and len(known.points) == _EXACT
            self._clicks = list(known.points) if known is not None and check else []
            self.workspace.show()
            self.workspace.say(self.asking())

    def fade(self) -> None:
        """The map over the photo: outlines, then faded in step by step, then the photo alone."""
        self._fade = (self._fade + 1) % len(_FADES)
        self.workspace.show()

    def compare(self) -> None:
        """The area around the picked part on the oldest and the newest aligned photo, side by side, or back."""
        self._pair = not self._pair
        if self._pair and len(self._showing()) < 2:
            self._pair = False
            self.workspace.say(say("Two aligned photos that show this part are needed: one before, one after."), True)
        self.workspace.show()

    def tie(self) -> None:
        """The photo shown belongs to the picked part."""
        if not self._shown or self.workspace.picked_part is None:
            self.workspace.say(say("Show a photo (Alt+I) and pick a part first."), True)
            return
        self.workspace.record(PhotoOf, board=self.workspace.board, place=self.workspace.part, attachment=self._shown)

    def _showing(self) -> list[Photographed]:
        """The aligned photos, oldest first, on which the picked part can be seen."""
        place = self.workspace.picked_part
        return _photos_of(self.workspace, place) if place is not None else []

    def _crop(self, photo: Photographed, caption: str) -> Crop | None:
        picture = self._load(photo)
        told = say("{caption}: {time:%Y-%m-%d %H:%M}", caption=caption, time=photo.time)
        return _around(self.workspace, self.workspace.place, photo, picture, _AREA, told) if picture else None

    def asking(self) -> str:
        """What the next click is for; empty when nothing is being aligned or placed."""
        if self.placing.mode:
            return self.placing.asking()
        if self._clicks is None or self.workspace.definition is None:
            return ""
        wanted = _wanted(self.workspace.definition)
        part, number = wanted[len(self._clicks)], len(self._clicks) + 1
        counted = (
            say("to see the error of the fit")
            if number > _EXACT
            else say("{number} of {count}", number=number, count=min(len(wanted), _EXACT))
        )
        return say("click the middle of {refdes} on the photo ({counted})", refdes=part.refdes, counted=counted)

    def uncovered(self) -> list[str]:
        """Parts with polarity that no aligned photo shows."""
        board = self.workspace.definition
        marked = [p.refdes for p in board.parts if p.polarised] if board else []
        return [
            refdes
            for refdes in marked
            if not photographed(self.workspace.moment, PartRef(self.workspace.board, refdes))
        ]

    def words(self) -> str:
        """What is to be said of the photo shown."""
        found = alignment_of(self.workspace.moment, self._shown) if self._shown else None
        if self.asking():
            return self.asking()
        if found is None:
            return self._not_aligned()
        if found.points <= _EXACT:
            return say(
                "aligned by {points}; one more (Alt+A) shows the error of the fit",
                points=count_of(found.points, "point"),
            )
        if is_mirrored(found):
            return say(
                "shows the solder side, mirrored; aligned by {points}, {residual:.1f} pixels off on average",
                points=count_of(found.points, "point"),
                residual=found.residual,
            )
        return say(
            "aligned by {points}, {residual:.1f} pixels off on average",
            points=count_of(found.points, "point"),
            residual=found.residual,
        )

    def _not_aligned(self) -> str:
        """How a photo is laid over the map: by its parts where those are placed, else by a length that is known."""
        board = self.workspace.definition
        if board is not None and any(p.placed for p in board.parts):
            return say("not aligned yet: Alt+A, then four clicks")
        return say("has no scale yet: give one known length (Alt+K), then click the parts (Alt+P)")

    def scene(self) -> PhotoScene | None:
        """What is to be painted; None while no photo is shown."""
        photo = self._photo()
        if photo is None:
            return None
        if self._picture is None or self._picture.title != _title(photo):
            self._picture = self._load(photo)
        if self._picture is None:
            return None
        showing = self._showing() if self._pair else []
        if len(showing) > 1:
            sides = (self._crop(showing[0], "before"), self._crop(showing[-1], "after"))
            return PhotoScene(self._picture, pair=tuple(crop for crop in sides if crop is not None))
        clicks = self.placing.clicks if self.placing.mode else [(p.u, p.v) for p in self._clicks or ()]
        marks = tuple(clicks)
        fade = _FADES[self._fade] or 0.0
        return PhotoScene(self._picture, self._outlines(photo), marks, fade, self._edge(photo))

    def _edge(self, photo: Photographed) -> Corners:
        """The corners of the board on the photo; none before it is aligned."""
        found, board = alignment_of(self.workspace.moment, photo.attachment), self.workspace.definition
        if found is None or board is None or self._clicks is not None:
            return ()
        corners = ((0.0, 0.0), (board.width, 0.0), (board.width, board.height), (0.0, board.height))
        return tuple(found.on_photo(x, y) for x, y in corners)

    def _load(self, photo: Photographed) -> PhotoPicture | None:
        return _loaded(self.workspace, photo)

    def _outlines(self, photo: Photographed) -> tuple[Outline, ...]:
        found, board = alignment_of(self.workspace.moment, photo.attachment), self.workspace.definition
        if found is None or board is None or self._clicks is not None or _FADES[self._fade] is None:
            return ()
        return tuple(
            Outline(p.refdes, outline_on_photo(found, p), p.refdes == self.workspace.part)
            for p in board.parts
            if p.placed
        )

    def clicked(self, u: float, v: float) -> None:
        """A click at a pixel of the full photo: a point of the alignment, or the part there."""
        board = self.workspace.definition
        if board is None:
            return
        if self.placing.mode:
            self.placing.clicked(u, v)
            return
        if self._clicks is not None:
            self._add_click(board, u, v)
            return
        found = alignment_of(self.workspace.moment, self._shown)
        if found is not None:
            x, y = found.on_board(u, v)
            placed = [p for p in board.parts if p.placed]
            nearest = min(placed, key=lambda p: (p.x - x) ** 2 + (p.y - y) ** 2, default=None)
            if nearest is not None:
                self.workspace.pick(self.workspace.board, nearest.refdes)

    def _add_click(self, board: BoardDefinition, u: float, v: float) -> None:
        wanted, clicks = _wanted(board), self._clicks or []
        part = wanted[len(clicks)]
        self._clicks = [*clicks, PhotoPoint(x=part.x, y=part.y, u=u, v=v)]
        if len(self._clicks) < min(_EXACT, len(wanted)):
            self.workspace.show()
            self.workspace.say(self.asking())
            return
        points, self._clicks = tuple(self._clicks), None
        self.workspace.record(PhotoAligned, board=self.workspace.board, attachment=self._shown, points=points)


class PlaceOnPhoto:
    """The place of a step on the newest aligned photo that shows it, kept as long as that is the same photo."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self._kept: tuple[str, PhotoPicture | None] = ("", None)

    def scene(self, place: PartRef) -> PhotoScene | None:
        """The stretch of the photo around a place, the part lit; None where no aligned photo shows it."""
        showing = _photos_of(self.workspace, place) if self.workspace.moment.has(place) else []
        if not showing:
            return None
        photo = showing[-1]
        if self._kept[0] != photo.attachment:
            self._kept = (photo.attachment, _loaded(self.workspace, photo))
        picture = self._kept[1]
        if picture is None:
            return None
        told = say(
            "{place} on {name}, {time:%Y-%m-%d %H:%M}", place=place.refdes, name=photo.file_name, time=photo.time
        )
        crop = _around(self.workspace, place, photo, picture, _STRETCH, told)
        return PhotoScene(picture, pair=(crop,)) if crop is not None else None


def _photos_of(workspace: Workspace, place: PartRef) -> list[Photographed]:
    """The aligned photos, oldest first, on which a part can be seen."""
    photos = (p for p in workspace.snapshot.seen.photos.values() if p.board == place.board)
    return [p for p in photos if shows(workspace.moment, p.attachment, place)]


def _loaded(workspace: Workspace, photo: Photographed) -> PhotoPicture | None:
    try:
        pixels = upright(workspace.job.store.attachment(photo.attachment), photo.file_name, _LONGEST)
    except LoyalTraceError as error:
        workspace.say(str(error), True)
        return None
    return PhotoPicture(_title(photo), photo.width, photo.height, pixels.width, pixels.height, pixels.rgb)


def _around(
    workspace: Workspace,
    place: PartRef,
    photo: Photographed,
    picture: PhotoPicture,
    area: tuple[float, float],
    caption: str,
) -> Crop | None:
    """The area (half width and height, mm) around a part on an aligned photo, the part lit."""
    found = alignment_of(workspace.moment, photo.attachment)
    if found is None:
        return None
    part, (wide, high) = workspace.moment.part(place), area
    around = ((-wide, -high), (wide, -high), (wide, high), (-wide, high))
    corners = tuple(found.on_photo(part.x + dx, part.y + dy) for dx, dy in around)
    return Crop(picture, corners, caption, outline_on_photo(found, part))


def _title(photo: Photographed) -> str:
    return say("{file_name} {attachment}", file_name=photo.file_name, attachment=photo.attachment[:8])


def _wanted(board: BoardDefinition) -> tuple[Part, ...]:
    """The parts to click: four near the corners, then the one nearest the middle as a check."""
    corners = reference_parts(board)
    inner = [p for p in board.parts if p.placed and p not in corners]
    middle = (board.width / 2, board.height / 2)
    nearest = sorted(inner, key=lambda p: (p.x - middle[0]) ** 2 + (p.y - middle[1]) ** 2)[:1]
    return (*corners, *nearest)
