"""Placing parts on a photo: a known length, the corners of the board, then two clicks a part. Clicks are pixels."""

from collections.abc import Callable, Iterable

from loyal_trace.app.presenters.model import Action, Question
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.looking import alignment_of
from loyal_trace.core.boards.alignment import Alignment, Point
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.placing import (
    PlacedPart,
    Tie,
    cornered,
    laid_over,
    placed,
    row_length,
    scaled,
    size_from,
)
from loyal_trace.core.job.entries import Entry, OutlineTold, PartTold, PhotoAligned, Photographed, PhotoPoint
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import natural_key
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.units import count_of, parse_quantity

LENGTH, CORNERS, PART = "length", "corners", "part"
_CLICKS = {LENGTH: 2, CORNERS: 4, PART: 2}
_GOOD_FIT = 1.5
_CORNER_WORDS = (say("upper left"), say("upper right"), say("lower right"), say("lower left"))


class PhotoPlacing:
    """What the clicks on the photo in view are for, and what they come to."""

    def __init__(self, workspace: Workspace, photo: Callable[[], Photographed | None]) -> None:
        self.workspace, self._photo = workspace, photo
        self.mode, self.clicks = "", list[Point]()
        self._length = 0.0

    @property
    def board(self) -> BoardDefinition | None:
        return self.workspace.definition

    def loose(self) -> list[str]:
        """The parts without a position, in their order."""
        board = self.board
        found = [p.refdes for p in board.parts if not p.placed] if board is not None else []
        return sorted(found, key=natural_key)

    def _alignment(self) -> Alignment | None:
        photo = self._photo()
        return alignment_of(self.workspace.moment, photo.attachment) if photo is not None else None

    def _placed_elsewhere(self) -> bool:
        """Do parts stand where another photo or file puts them? Then this photo is aligned by them."""
        return self._alignment() is None and any(p.placed for p in (self.board.parts if self.board else ()))

    def actions(self) -> tuple[Action, ...]:
        """The steps that make sense for the photo in view; none on a board whose file places every part."""
        photo, board = self._photo(), self.board
        if photo is None or board is None or not (self.loose() or self._placed_here(photo)):
            return ()
        place = Action(
            "P",
            say("Place parts"),
            self.start_part,
            say("Two clicks a part: pin 1 and the opposite corner"),
            main=self._alignment() is not None,
        )
        corners = Action(
            "O", say("Click the corners"), self.start_corners, say("Four clicks give the outline and straighten it")
        )
        words = say("Distance of the two points in mm; pins of one row are 2.54 mm apart")
        question = Question(words, self._suggested())
        length = Action(
            "K",
            say("Give a known length"),
            self.start_length,
            say("Two clicks on points whose distance you know set the scale"),
            asks=question,
            main=self._alignment() is None,
        )
        if self._placed_elsewhere():
            return (corners,)
        return (length, corners, place) if self._alignment() is not None else (length, corners)

    def _suggested(self) -> str:
        """The length of a row of pins of the picked part, if it is a DIP."""
        picked = self.workspace.picked_part
        found = row_length(self.workspace.moment.part(picked)) if picked is not None else None
        return f"{found:.2f}" if found else "100"

    def _placed_here(self, photo: Photographed) -> list[PartTold]:
        """The newest position of each part that this photo gave."""
        found = []
        for place, told in self.workspace.snapshot.facts.parts.items():
            here = [t for t in told if t.x is not None and t.origin == "photo" and t.source == photo.file_name]
            if here and place.board == photo.board:
                found.append(here[-1])
        return found

    # what the next click is for

    def start_length(self, text: str) -> None:
        """Two clicks on points that are so many millimetres apart."""
        length = parse_quantity(text.lower().replace("mm", "").strip())
        if length <= 0:
            raise RequestError(say("a length is more than 0 mm"))
        self._length = length
        self._begin(LENGTH)

    def start_corners(self) -> None:
        """Four clicks on the corners of the board."""
        if self._alignment() is None and not self._size():
            self.workspace.say(
                say("Enter the size of the board, such as board 168 x 122 mm, or give a known length first."), True
            )
            return
        self._begin(CORNERS)

    def start_part(self) -> None:
        """Two clicks on the picked part, else on the next one without a position."""
        loose = self.loose()
        picked = self.workspace.picked_part
        if loose and (picked is None or picked.refdes not in loose):
            self.workspace.pick(self.workspace.board, loose[0])
        self._begin(PART)

    def _begin(self, mode: str) -> None:
        self.mode, self.clicks = mode, []
        self.workspace.show()
        self.workspace.say(self.asking())

    def stop(self) -> bool:
        """Ends it; False when nothing was under way."""
        going, self.mode, self.clicks = bool(self.mode), "", []
        return going

    def asking(self) -> str:
        """What to click next; empty when nothing is being placed."""
        number = len(self.clicks)
        if self.mode == LENGTH:
            return say("click point {number} of 2, {length:g} mm apart", number=number + 1, length=self._length)
        if self.mode == CORNERS:
            return say("click the {corner} corner of the board", corner=_CORNER_WORDS[min(number, 3)])
        if self.mode != PART:
            return ""
        part = self._part()
        if number >= _CLICKS[PART]:
            return say("enter what it is, such as {example}", example="U7 is 74LS166")
        name = part.refdes if part is not None else say("the part")
        round_body = part is not None and part.kind == "capacitor"
        first, second = (
            (say("one edge"), say("the opposite edge")) if round_body else (say("pin 1"), say("the opposite corner"))
        )
        left = say(" ({parts} to place)", parts=count_of(len(self.loose()), "part")) if self.loose() else ""
        return say("click {what} of {name}{left}", what=second if number else first, name=name, left=left)

    def _part(self) -> Part | None:
        picked = self.workspace.picked_part
        return self.workspace.moment.part(picked) if picked is not None else None

    # clicks

    def clicked(self, u: float, v: float) -> None:
        """One more click; the last one of a step records it."""
        if len(self.clicks) >= _CLICKS[self.mode]:
            self.clicks = []
        self.clicks.append((u, v))
        if len(self.clicks) == _CLICKS[self.mode]:
            with self.workspace.together():
                self.workspace.attempt(self._finish)
        self.workspace.show()
        if self.asking():
            self.workspace.say(self.asking())

    def _finish(self) -> list[str]:
        act = {LENGTH: self._scale, CORNERS: self._corners, PART: self._place}[self.mode]
        mode = self.mode
        try:
            done = act()
        except RequestError:
            self.clicks = []
            raise
        if mode != PART:
            self.stop()
        return [done] if done else []

    def _scale(self) -> str:
        photo, board = self._shown(), self.workspace.board
        first, second = self.clicks
        ties = scaled(first, second, self._length)
        mm = ties[0].x / first[0] if first[0] else ties[1].x / second[0]
        size = (photo.width * mm, photo.height * mm)
        outline = self._outline(board, photo, size)
        self._record([*self._moved(ties), outline, self._aligned(photo, ties)])
        return say("{name}: {scale:.1f} pixels a millimetre", name=photo.file_name, scale=1 / mm)

    def _corners(self) -> str:
        photo, board = self._shown(), self.workspace.board
        found = self._alignment()
        size = self._size() or (size_from(found, self.clicks) if found is not None else None)
        if size is None:
            raise RequestError(say("the size of the board is not known"))
        ties = cornered(self.clicks, size)
        outline = [] if self._size() else [self._outline(board, photo, size)]
        self._record([*self._moved(ties), *outline, self._aligned(photo, ties)])
        return say("board {width:g} × {height:g} mm on {name}", width=size[0], height=size[1], name=photo.file_name)

    def _place(self) -> str:
        found, part = self._alignment(), self._part()
        if found is None:
            raise RequestError(say("this photo has no scale yet; give a known length first"))
        if part is None:
            return ""  # the clicks wait for its name
        here = placed(part, *(found.on_board(u, v) for u, v in self.clicks))
        self._record([self._told(self.workspace.board, part.refdes, here)])
        self.clicks = []
        words = say("{refdes} placed", refdes=part.refdes)
        if here.misfit is not None:
            fits = say("fits {package} to {misfit:.1f} mm", package=part.package, misfit=here.misfit)
            odd = say("{misfit:.1f} mm off {package}; check the type", package=part.package, misfit=here.misfit)
            words = say("{words}, {fit}", words=words, fit=fits if here.misfit <= _GOOD_FIT else odd)
        self._go_on(part.refdes)
        return words

    def _go_on(self, after: str) -> None:
        """To the next part without a position; the end when there is none."""
        loose = self.loose()
        later = [refdes for refdes in loose if natural_key(refdes) > natural_key(after)]
        if loose:
            self.workspace.pick(self.workspace.board, (later or loose)[0])
        else:
            self.stop()

    def recorded(self, entries: Iterable[Entry]) -> None:
        """A part was named after its two clicks: it is placed there."""
        if self.mode != PART or len(self.clicks) < _CLICKS[PART]:
            return
        named = next((e for e in entries if isinstance(e, PartTold)), None)
        if named is not None:
            self.workspace.pick(named.board, named.place)
            self.workspace.attempt(self._finish)

    # what is recorded

    def _shown(self) -> Photographed:
        photo = self._photo()
        if photo is None:
            raise RequestError(say("no photo is shown"))
        return photo

    def _size(self) -> Point | None:
        """The size of the board, where a person, a netlist or a file said it."""
        board = self.board
        if board is None:
            return None
        told = self.workspace.snapshot.facts.outlines.get(board.id, ())
        sure = any(one.origin != "photo" for one in told) or any(len(t.points) == 4 for t in self._aligned_here())
        filed = board.id in self.workspace.job.defined and any(p.placed for p in board.parts)
        return (board.width, board.height) if sure or filed else None

    def _aligned_here(self) -> list[PhotoAligned]:
        seen = self.workspace.snapshot.seen
        return [a for sha, a in seen.alignments.items() if a.board == self.workspace.board]

    def _record(self, entries: list[Entry]) -> None:
        self.workspace.job.record_all(entries)
        self.workspace.changed.emit()

    def _outline(self, board: str, photo: Photographed, size: Point) -> OutlineTold:
        told = {"width": round(size[0], 1), "height": round(size[1], 1), "origin": "photo", "source": photo.file_name}
        return self.workspace.job.make(OutlineTold, board=board, **told)

    def _aligned(self, photo: Photographed, ties: Iterable[Tie]) -> PhotoAligned:
        points = tuple(PhotoPoint(x=t.x, y=t.y, u=t.u, v=t.v) for t in ties)
        return self.workspace.job.make(PhotoAligned, board=photo.board, attachment=photo.attachment, points=points)

    def _told(self, board: str, refdes: str, here: PlacedPart) -> PartTold:
        return self.workspace.job.make(
            PartTold,
            board=board,
            place=refdes,
            x=round(here.x, 2),
            y=round(here.y, 2),
            rotation=here.rotation,
            diameter=here.diameter,
            origin="photo",
            source=self._shown().file_name,
        )

    def _moved(self, ties: Iterable[Tie]) -> list[Entry]:
        """Parts that this photo placed before, as a new scale or outline has them: the clicks stay where they were."""
        photo, old = self._shown(), self._alignment()
        if old is None:
            return []
        new = laid_over(tuple(ties))
        again: list[Entry] = []
        for told in self._placed_here(photo):
            x, y = new.on_board(*old.on_photo(told.x or 0.0, told.y or 0.0))
            here = PlacedPart(x, y, told.rotation or 0, diameter=told.diameter)
            again.append(self._told(told.board, told.place, here))
        return again
