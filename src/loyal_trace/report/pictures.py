"""The photographs of a job as the report shows them: upright and small, one at a time."""

import io
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

from loyal_trace.core.job.entries import Photographed
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.formats.photos import upright

_LONGEST, _QUALITY, _WORKERS = 900, 75, 2


@dataclass(frozen=True)
class Picture:
    """A photograph: what stands below it, its size in pixels, and the bytes of a JPEG."""

    title: str
    width: int
    height: int
    jpeg: bytes


def pictures_of(photos: Sequence[Photographed], read: Callable[[str], bytes]) -> Iterator[Picture]:
    """Every photograph that can be read, two at a time; `read` gives the bytes of an attachment."""
    with ThreadPoolExecutor(_WORKERS) as pool:  # decoding lets another thread run
        for found in pool.map(lambda photo: _picture(photo, read), photos):
            if found is not None:
                yield found


def _picture(photo: Photographed, read: Callable[[str], bytes]) -> Picture | None:
    from PIL import Image

    try:
        pixels = upright(read(photo.attachment), photo.file_name, _LONGEST)
    except LoyalTraceError:
        return None  # named when the job was opened, and by `store check`
    target = io.BytesIO()
    size = (pixels.width, pixels.height)
    Image.frombytes("RGB", size, pixels.rgb).save(target, "JPEG", quality=_QUALITY)
    return Picture(photo.note or photo.file_name, *size, target.getvalue())
