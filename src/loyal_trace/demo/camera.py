"""A simulated camera: a photo of a board as it would lie on the bench, drawn from its definition, seen at a slant."""

import io
from collections.abc import Collection
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.outline import body_size, pin_places

if TYPE_CHECKING:
    from PIL import Image, ImageDraw

_PER_MM = 6
_LONG, _SHORT = 1600, 1200
_BODY = {"chip": (34, 34, 38), "capacitor": (52, 66, 96), "connector": (196, 178, 120), "regulator": (40, 40, 44)}
_STAIN = (104, 112, 66)
_SOLDER, _TRACK = (58, 112, 74), (86, 140, 96)
_BOARD, _BENCH, _TIN, _PRINT = (44, 96, 62), (120, 104, 88), (186, 188, 192), (226, 228, 220)


def photo_size(board: BoardDefinition) -> tuple[int, int]:
    """Width and height (pixel): the camera is held as the board lies."""
    return (_LONG, _SHORT) if board.width >= board.height else (_SHORT, _LONG)


def camera_matrix(board: BoardDefinition, slant: float = 2e-4) -> NDArray[np.float64]:
    """How the camera carries board millimetres to photo pixels: a little turned, and nearer at one side."""
    wide, high = photo_size(board)
    scale = 0.88 * min(wide / board.width, high / board.height)
    turn = 0.06
    c, s = scale * np.cos(turn), scale * np.sin(turn)
    left = (wide - scale * board.width) / 2
    return np.array([[c, -s, left + 60], [s, c, 70.0], [slant, slant / 3, 1.0]])


def photograph(
    board: BoardDefinition, seed: int = 3, leaking: Collection[str] = (), solder_side: bool = False
) -> bytes:
    """The JPEG of a board, with a grain from the seed and a stain around every leaking part; or of its solder side."""
    from PIL import Image

    size = photo_size(board)
    flat = _solder_side(board) if solder_side else _drawn(board, leaking)
    to_flat = np.diag([_PER_MM, _PER_MM, 1.0]) @ np.linalg.inv(camera_matrix(board))
    to_flat = to_flat / to_flat[2, 2]
    seen = flat.transform(
        size, Image.Transform.PERSPECTIVE, to_flat.ravel()[:8].tolist(), Image.Resampling.BILINEAR, fillcolor=_BENCH
    )
    grain = np.random.default_rng(seed).normal(0, 4, (size[1], size[0], 1))
    pixels = np.clip(np.asarray(seen, dtype=np.float64) + grain, 0, 255).astype(np.uint8)
    stream = io.BytesIO()
    Image.fromarray(pixels).save(stream, "JPEG", quality=88)
    return stream.getvalue()


def _drawn(board: BoardDefinition, leaking: Collection[str]) -> "Image.Image":
    """The board seen straight from above, as a Pillow image."""
    from PIL import Image, ImageDraw

    picture = Image.new("RGB", (round(board.width * _PER_MM), round(board.height * _PER_MM)), _BOARD)
    draw = ImageDraw.Draw(picture)
    for part in board.parts:
        if part.refdes in leaking:
            for size, shade in ((19, 0), (13, 14), (9, 26)):
                tint = (_STAIN[0] + shade, _STAIN[1] + shade, _STAIN[2] + shade // 2)
                draw.ellipse(_box(part.x + 1.5, part.y + 3, size, size * 1.25), fill=tint)
    for part in board.parts:
        for x, y in pin_places(part).values():
            draw.ellipse(_box(x, y, 1.6, 1.6), fill=_TIN)
    for part in board.parts:
        _draw_part(draw, part)
    return picture


def _solder_side(board: BoardDefinition) -> "Image.Image":
    """The other side, mirrored: joints and a few tracks between them."""
    from PIL import Image, ImageDraw, ImageOps

    picture = Image.new("RGB", (round(board.width * _PER_MM), round(board.height * _PER_MM)), _SOLDER)
    draw = ImageDraw.Draw(picture)
    joints = [place for part in board.parts for place in (pin_places(part) or {1: (part.x, part.y)}).values()]
    for (x1, y1), (x2, y2) in zip(joints[::3], joints[7::3], strict=False):
        draw.line([(x1 * _PER_MM, y1 * _PER_MM), (x2 * _PER_MM, y1 * _PER_MM)], fill=_TRACK, width=4)
        draw.line([(x2 * _PER_MM, y1 * _PER_MM), (x2 * _PER_MM, y2 * _PER_MM)], fill=_TRACK, width=4)
    for x, y in joints:
        draw.ellipse(_box(x, y, 2.0, 2.0), fill=_TIN)
    return ImageOps.mirror(picture)


def _box(x: float, y: float, width: float, height: float) -> tuple[float, float, float, float]:
    centre_x, centre_y, half_x, half_y = (_PER_MM * value for value in (x, y, width / 2, height / 2))
    return centre_x - half_x, centre_y - half_y, centre_x + half_x, centre_y + half_y


def _draw_part(draw: "ImageDraw.ImageDraw", part: Part) -> None:
    width, height = body_size(part)
    box, colour = _box(part.x, part.y, width, height), _BODY.get(part.kind, (150, 120, 70))
    if part.kind == "capacitor" and part.polarised:
        draw.ellipse(box, fill=colour, outline=_PRINT, width=2)
        draw.line([(box[0] + 6, box[1] + 18), (box[0] + 6, box[3] - 18)], fill=_PRINT, width=5)
    else:
        draw.rounded_rectangle(box, 6, fill=colour)
    if part.is_chip:
        draw.ellipse((box[0] + 6, box[1] + 6, box[0] + 14, box[1] + 14), fill=(70, 70, 76))
    draw.text(((box[0] + box[2]) / 2, (box[1] + box[3]) / 2), part.number[:12], fill=_PRINT, anchor="mm", font_size=20)
    draw.text((box[0], box[1] - 22), part.refdes, fill=_PRINT, font_size=18)
