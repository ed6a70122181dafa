"""A large PNG shrunk without ever holding it whole: unpacked as a stream and decoded in strips, each shrunk at once.

The library decodes a PNG only whole, at four bytes a pixel. Its rows are filtered against the row above, so a strip is
a PNG of its own once the last row of the strip before stands on top of it, unfiltered (ISO/IEC 15948, 9.2).
"""

import io
import struct
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from loyal_trace.core.vocabulary.phrases import say

if TYPE_CHECKING:
    from PIL import Image

_SIGNATURE = b"\x89PNG\r\n\x1a\n"
_HEAD = struct.Struct(">IIBBBBB")
# Bytes a pixel by colour type, at eight bits a sample: grey, colours, palette, grey and colours with transparency.
_SAMPLES = {0: 1, 2: 3, 3: 1, 4: 2, 6: 4}
_PIECE, _ROWS, _FROM_PIXELS = 1 << 18, 256, 4_000_000


@dataclass(frozen=True)
class _Header:
    width: int
    height: int
    depth: int
    colours: int
    interlaced: int

    @property
    def row(self) -> int:
        """Bytes of a row, its filter's number not counted."""
        return self.width * _SAMPLES[self.colours]


def shrunk_png(data: bytes, longest: int) -> "Image.Image | None":
    """The picture in RGB, its longer side between `longest` and twice that; None for a file that is decoded whole.

    Whole are small ones, and what is rare: interlaced, other than eight bits a sample. OSError for a damaged file.
    """
    header = _header(data)
    if header is None or header.depth != 8 or header.interlaced or header.colours not in _SAMPLES:
        return None
    factor = max(header.width, header.height) // (2 * longest)
    if factor < 2 or header.width * header.height < _FROM_PIXELS:
        return None
    return _shrunk(data, header, factor)


def exif_in_png(data: bytes) -> bytes:
    """The EXIF block of a PNG; empty where it has none. The library would unpack the whole picture to look for it."""
    return next((body for name, body in _chunks(data) if name == b"eXIf"), b"")


def _header(data: bytes) -> _Header | None:
    if not data.startswith(_SIGNATURE) or data[12:16] != b"IHDR" or len(data) < 33:
        return None
    width, height, depth, colours, _, _, interlaced = _HEAD.unpack_from(data, 16)
    return _Header(width, height, depth, colours, interlaced) if width and height else None


def _shrunk(data: bytes, header: _Header, factor: int) -> "Image.Image":
    from PIL import Image

    out = Image.new("RGB", (-(-header.width // factor), -(-header.height // factor)))
    rows = factor * max(1, _ROWS // factor)
    colours = b"".join(_chunk(name, body) for name, body in _chunks(data) if name in (b"PLTE", b"tRNS"))
    above, top = bytes(header.row), 0
    for strip in _strips(data, header, rows):
        count = len(strip) // (header.row + 1)
        picture = _decoded(header, colours, above, strip, count)
        above = picture.crop((0, count, header.width, count + 1)).tobytes()
        body = picture.crop((0, 1, header.width, count + 1))
        plain = body.convert("RGB") if body.mode == "P" else body
        out.paste(plain.reduce(factor).convert("RGB"), (0, top // factor))
        top += count
    if top != header.height:
        raise OSError(say("it is cut short"))
    return out


def _decoded(header: _Header, colours: bytes, above: bytes, strip: bytes, count: int) -> "Image.Image":
    """Some rows, with the one above them as their first."""
    from PIL import Image

    head = _HEAD.pack(header.width, count + 1, header.depth, header.colours, 0, 0, 0)
    packed = zlib.compress(b"\0" + above + strip, 0)
    parts = (_chunk(b"IHDR", head), colours, _chunk(b"IDAT", packed), _chunk(b"IEND", b""))
    picture = Image.open(io.BytesIO(_SIGNATURE + b"".join(parts)), formats=("PNG",))
    picture.load()
    return picture


def _strips(data: bytes, header: _Header, rows: int) -> Iterator[bytes]:
    """The filtered rows of the picture, so many at a time; the rest last."""
    unpacking, held = zlib.decompressobj(), bytearray()
    whole, left = rows * (header.row + 1), header.height * (header.row + 1)
    for name, body in _chunks(data):
        if name != b"IDAT":
            continue
        while body and left > 0:
            try:
                piece = unpacking.decompress(body, min(_PIECE, left))
            except zlib.error as error:
                raise OSError(str(error)) from None
            held += piece
            left -= len(piece)
            body = unpacking.unconsumed_tail
            while len(held) >= whole:
                yield bytes(held[:whole])
                del held[:whole]
            if not piece and not body:
                break
    if len(held) >= header.row + 1:
        yield bytes(held[: len(held) // (header.row + 1) * (header.row + 1)])


def _chunks(data: bytes) -> Iterator[tuple[bytes, bytes]]:
    """(name, content) of every chunk up to the end; OSError for one whose checksum is wrong, or that is cut short."""
    at = len(_SIGNATURE)
    while at + 12 <= len(data):
        (size,) = struct.unpack_from(">I", data, at)
        name, body = data[at + 4 : at + 8], data[at + 8 : at + 8 + size]
        told = data[at + 8 + size : at + 12 + size]
        if len(told) < 4 or zlib.crc32(name + body) != int.from_bytes(told):
            raise OSError(
                say("a part of it, {name}, is not what its checksum says", name=name.decode("ascii", "replace"))
            )
        yield name, body
        if name == b"IEND":
            return
        at += 12 + size
    raise OSError(say("it is cut short"))


def _chunk(name: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))
