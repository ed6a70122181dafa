"""Photos: checked before they are kept whole, and turned upright as their EXIF says when they are shown."""

import io
import warnings
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.large_png import exif_in_png, shrunk_png
from loyal_trace.formats.rom_files import PHOTO_ENDINGS, read_file

if TYPE_CHECKING:
    from PIL import Image

_MOST_PIXELS = 120_000_000
# Only what a camera or a scanner makes: other decoders of the library are for other kinds of files.
_FORMATS = ("JPEG", "PNG", "WEBP", "TIFF", "BMP")
_ORIENTATION = 0x0112
_CHECKED = 64


@dataclass(frozen=True)
class Photo:
    """A photo file as it is (`data`) and its size in pixels when upright."""

    name: str
    data: bytes
    width: int
    height: int


@dataclass(frozen=True)
class Pixels:
    """An upright picture: rows of RGB bytes, three a pixel."""

    width: int
    height: int
    rgb: bytes


def is_photo_name(name: str) -> bool:
    """Could a file of that name be a photo?"""
    return name.lower().endswith(PHOTO_ENDINGS)


def read_photo(path: Path) -> Photo:
    """A photo file, decoded once to be sure that it is whole; UserFileError otherwise."""
    data = read_file(path)
    upright(data, str(path), _CHECKED)  # all of it is decoded, small
    return Photo(path.name, data, *_size_upright(data))


def _size_upright(data: bytes) -> tuple[int, int]:
    from PIL import Image

    with Image.open(io.BytesIO(data), formats=_FORMATS) as picture:
        width, height = picture.size
        sideways = _orientation(picture, data) in (5, 6, 7, 8)
    return (height, width) if sideways else (width, height)


def upright(data: bytes, place: str, longest: int = 0) -> Pixels:
    """The picture in a photo file, upright and, if asked, shrunk to `longest` pixels; UserFileError if damaged."""
    from PIL import Image, UnidentifiedImageError

    if not data:
        raise UserFileError(place, say("the file is empty"), say("copy the photo again"))
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(data), formats=_FORMATS) as picture:
                if picture.width * picture.height > _MOST_PIXELS:
                    raise UserFileError(
                        place,
                        say(
                            "has {width} × {height} pixels, more than the limit",
                            width=picture.width,
                            height=picture.height,
                        ),
                    )
                turned = _turned(picture, data, longest)
    except UnidentifiedImageError:
        raise UserFileError(place, say("is not a photo that can be read"), say("save it as JPEG or PNG")) from None
    except (Image.DecompressionBombWarning, Image.DecompressionBombError):
        raise UserFileError(place, say("has more pixels than the limit"), say("nothing was kept")) from None
    except (OSError, SyntaxError, ValueError, EOFError) as error:
        raise UserFileError(place, say("the photo is damaged ({error})", error=error), say("copy it again")) from None
    return Pixels(turned.width, turned.height, turned.tobytes())


def _turned(picture: "Image.Image", data: bytes, longest: int) -> "Image.Image":
    """The picture upright in RGB. Shrunk before anything else is done with it: each step would hold one more copy."""
    turn = _turn_of(_orientation(picture, data))
    shrinking = bool(longest) and max(picture.size) > longest
    if shrinking:
        picture.draft("RGB", (longest, longest))  # a JPEG is decoded small from the start
    strips = shrunk_png(data, longest) if shrinking else None
    if strips is not None:
        strips.thumbnail((longest, longest))
        return strips if turn is None else strips.transpose(turn)
    picture.load()
    factor = max(picture.size) // (2 * longest) if shrinking else 1
    # Palettes cannot be averaged; they are small enough to be turned into colours first.
    plain = picture if picture.mode not in ("P", "1", "PA") else picture.convert("RGB")
    small = (plain.reduce(factor) if factor > 1 else plain).convert("RGB")
    if shrinking:
        small.thumbnail((longest, longest))
    return small if turn is None else small.transpose(turn)


def _orientation(picture: "Image.Image", data: bytes) -> object:
    """The orientation that the EXIF of a picture gives; 1 (upright) where it gives none."""
    if picture.format != "PNG":
        return picture.getexif().get(_ORIENTATION, 1)
    from PIL import Image

    exif = Image.Exif()
    exif.load(exif_in_png(data))
    return exif.get(_ORIENTATION, 1)


def _turn_of(told: object) -> "Image.Transpose | None":
    """What makes the picture upright, by the orientation that its EXIF gives."""
    from PIL import Image

    turns = (
        *(None, None, Image.Transpose.FLIP_LEFT_RIGHT, Image.Transpose.ROTATE_180, Image.Transpose.FLIP_TOP_BOTTOM),
        *(Image.Transpose.TRANSPOSE, Image.Transpose.ROTATE_270, Image.Transpose.TRANSVERSE, Image.Transpose.ROTATE_90),
    )
    return turns[told] if isinstance(told, int) and 0 <= told < len(turns) else None
