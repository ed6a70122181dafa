"""Parts placed from a photo: one known length sets the scale, four corners the outline, two clicks each part.

A DIP is clicked at pin 1 and at the pin in the opposite corner: the middle between them is its middle, and the
direction says how it is turned. Pin pitch 2.54 mm, row spacings as in `outline`.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from loyal_trace.core.boards.alignment import Alignment, Point, align
from loyal_trace.core.boards.model import Part
from loyal_trace.core.boards.outline import pin_count, pin_places
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say

PITCH = 2.54
_LEAST_PIXELS = 20.0
_LONGEST_BOARD = 2000.0


@dataclass(frozen=True)
class Tie:
    """A point of the board (mm) and of the photo (pixel)."""

    x: float
    y: float
    u: float
    v: float


@dataclass(frozen=True)
class PlacedPart:
    """Where a part is: its middle (mm), its turn (degrees), how far the clicks are from its package (mm, if known)."""

    x: float
    y: float
    rotation: int
    misfit: float | None = None
    diameter: float | None = None


def row_length(part: Part) -> float | None:
    """The distance (mm) from pin 1 of a DIP to the last pin of the same row; None for other parts."""
    pins = pin_count(part) if part.package.startswith("DIP-") else 0
    return (pins // 2 - 1) * PITCH if pins >= 6 else None


def scaled(first: Point, second: Point, length: float) -> tuple[Tie, Tie]:
    """The board laid over a photo seen straight from above, from two points (pixel) that are `length` mm apart.

    RequestError for points that are too close to measure by.
    """
    apart = math.dist(first, second)
    if apart < _LEAST_PIXELS or length <= 0:
        raise RequestError(say("these points are too close together; choose them further apart"))
    mm = length / apart
    return Tie(first[0] * mm, first[1] * mm, *first), Tie(second[0] * mm, second[1] * mm, *second)


def cornered(corners: Sequence[Point], size: Point) -> tuple[Tie, ...]:
    """The board laid over a photo by its four corners (pixel, clockwise from the upper left), its size in mm known."""
    width, height = size
    board = ((0.0, 0.0), (width, 0.0), (width, height), (0.0, height))
    return tuple(Tie(x, y, u, v) for (x, y), (u, v) in zip(board, corners, strict=True))


def size_from(alignment: Alignment, corners: Sequence[Point]) -> Point:
    """(width, height) in mm of a board whose corners were clicked on a photo that has a scale: means of both sides."""
    a, b, c, d = (alignment.on_board(u, v) for u, v in corners)
    width, height = (math.dist(a, b) + math.dist(d, c)) / 2, (math.dist(a, d) + math.dist(b, c)) / 2
    if not all(5 < side < _LONGEST_BOARD for side in (width, height)):
        raise RequestError(say("these corners make no board; click them clockwise from the upper left"))
    return round(width, 1), round(height, 1)


def placed(part: Part, first: Point, opposite: Point) -> PlacedPart:
    """A part from two points of the board (mm): pin 1 and the opposite corner; for a round one, two opposite edges.

    RequestError when both are the same.
    """
    apart = math.dist(first, opposite)
    if apart < 0.5:
        raise RequestError(say("the two clicks are at the same point"))
    x, y = (first[0] + opposite[0]) / 2, (first[1] + opposite[1]) / 2
    if part.kind == "capacitor":
        return PlacedPart(x, y, 0, diameter=round(apart, 1) if part.polarised else None)
    pins = pin_places(_at_origin(part))
    if len(pins) < 4:
        return PlacedPart(x, y, _quarter(first, opposite))
    (x1, y1), (x2, y2) = pins[1], pins[len(pins) // 2 + 1]
    wanted = math.atan2(y2 - y1, x2 - x1)
    seen = math.atan2(opposite[1] - first[1], opposite[0] - first[0])
    turned = round((seen - wanted) / (math.pi / 2)) % 4 * 90
    return PlacedPart(x, y, turned, misfit=abs(apart - math.dist(pins[1], pins[len(pins) // 2 + 1])))


def _at_origin(part: Part) -> Part:
    return Part(part.refdes, part.number, part.package)


def _quarter(first: Point, opposite: Point) -> int:
    """How a part of unknown package lies: its longer side tells; not turned, pin 1 is at the lower left."""
    dx, dy = opposite[0] - first[0], opposite[1] - first[1]
    if abs(dx) >= abs(dy):
        return 0 if dx > 0 else 180
    return 90 if dy > 0 else 270


def laid_over(ties: Sequence[Tie]) -> Alignment:
    """The alignment of some ties; RequestError when they fix nothing."""
    return align([(t.x, t.y) for t in ties], [(t.u, t.v) for t in ties])


def is_mirrored(alignment: Alignment) -> bool:
    """Does the photo show the board from its solder side?"""
    a, b, c = (alignment.on_photo(*point) for point in ((0.0, 0.0), (10.0, 0.0), (0.0, 10.0)))
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]) < 0
