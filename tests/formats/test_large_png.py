"""Large PNGs shrunk strip by strip come out as when decoded whole, and damage is noticed wherever it is."""

import io
import random

import numpy as np
import pytest
from PIL import Image
from PIL.PngImagePlugin import PngImageFile

from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.formats import large_png
from loyal_trace.formats.large_png import shrunk_png
from loyal_trace.formats.photos import upright


@pytest.fixture(autouse=True)
def small_is_large(monkeypatch):
    monkeypatch.setattr(large_png, "_FROM_PIXELS", 1000)
    monkeypatch.setattr(large_png, "_ROWS", 16)


def picture(mode, size=(301, 203), seed=1):
    """Bands and noise, so that the encoder uses every filter."""
    rng = np.random.default_rng(seed)
    rows = (np.add.outer(np.arange(size[1]), np.arange(size[0]) * 2)[..., None] + [0, 60, 120]) % 256
    rows[40:90] = rng.integers(0, 256, rows[40:90].shape)
    return Image.fromarray(rows.astype(np.uint8)).convert(mode)


def png(image, **more):
    out = io.BytesIO()
    image.save(out, "PNG", **more)
    return out.getvalue()


@pytest.mark.parametrize("mode", ["RGB", "RGBA", "L", "LA", "P"])
@pytest.mark.parametrize("longest", [20, 50])
def test_strips_give_what_the_whole_picture_gives(mode, longest):
    image = picture(mode)
    found = shrunk_png(png(image), longest)
    factor = 301 // (2 * longest)
    plain = image.convert("RGB") if mode == "P" else image
    assert found.tobytes() == plain.reduce(factor).convert("RGB").tobytes()


@pytest.mark.parametrize("image", [picture("1"), picture("RGB", (20, 20))], ids=["one bit", "small"])
def test_what_is_rare_or_small_is_left_to_the_library(image):
    assert shrunk_png(png(image), 5) is None and upright(png(image), "x", 10).width == 10


def test_a_picture_on_its_side_is_turned_without_unpacking_it_whole(monkeypatch):
    exif = Image.Exif()
    exif[0x0112] = 6
    data = png(picture("RGB"), exif=exif)
    decoded = []
    once = PngImageFile.load_prepare
    monkeypatch.setattr(PngImageFile, "load_prepare", lambda self: decoded.append(self.size) or once(self))
    found = upright(data, "x", 50)
    assert (found.width, found.height) == (34, 50) and (301, 203) not in decoded


def test_a_file_cut_short_or_changed_anywhere_is_damaged_or_as_it_was():
    data, rng = png(picture("RGB")), random.Random(3)
    whole = upright(data, "x", 30).rgb
    for _ in range(60):
        at = rng.randrange(40, len(data) - 12)
        with pytest.raises(UserFileError):
            upright(data[:at], "x", 30)
        changed = bytearray(data)
        changed[at] ^= 1 << rng.randrange(8)
        try:
            assert upright(bytes(changed), "x", 30).rgb == whole
        except UserFileError as error:
            assert "damaged" in str(error) or "not a photo" in str(error)
