"""Photos: checked before they are kept whole, and turned upright as their EXIF says when they are shown."""

import io
import warnings
from dataclasses import dataclass
from pathlib import Path

from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.rom_files import PHOTO_ENDINGS, read_file

_MOST_PIXELS = 120_000_000


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
    pixels = upright(data, str(path))
    return Photo(path.name, data, pixels.width, pixels.height)


def upright(data: bytes, place: str, longest: int = 0) -> Pixels:
    """The picture in a photo file, upright and, if asked, shrunk to `longest` pixels; UserFileError if damaged."""
    from PIL import Image, ImageOps, UnidentifiedImageError

    if not data:
        raise UserFileError(place, say("the file is empty"), say("copy the photo again"))
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(data)) as picture:
                if picture.width * picture.height > _MOST_PIXELS:
                    raise UserFileError(
                        place,
                        say(
                            "has {width} × {height} pixels, more than the limit",
                            width=picture.width,
                            height=picture.height,
                        ),
                    )
                turned = ImageOps.exif_transpose(picture).convert("RGB")
    except UnidentifiedImageError:
        raise UserFileError(place, say("is not a photo that can be read"), say("save it as JPEG or PNG")) from None
    except (Image.DecompressionBombWarning, Image.DecompressionBombError):
        raise UserFileError(place, say("has more pixels than the limit"), say("nothing was kept")) from None
    except (OSError, SyntaxError, ValueError, EOFError) as error:
        raise UserFileError(place, say("the photo is damaged ({error})", error=error), say("copy it again")) from None
    if longest and max(turned.size) > longest:
        turned.thumbnail((longest, longest))
    return Pixels(turned.width, turned.height, turned.tobytes())
