"""Photos: kept whole, shown upright, refused with a sentence when they cannot be read."""

import io

import pytest
from PIL import Image

from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.formats.photos import is_photo_name, read_photo, upright
from loyal_trace.formats.rom_files import image_paths


def jpeg(width=40, height=24, orientation=1, kind="JPEG"):
    """A picture, red on its left half and blue on its right, with an EXIF orientation."""
    picture = Image.new("RGB", (width, height), (200, 20, 20))
    picture.paste((20, 20, 200), (width // 2, 0, width, height))
    exif = Image.Exif()
    exif[0x0112] = orientation
    stream = io.BytesIO()
    picture.save(stream, kind, exif=exif)
    return stream.getvalue()


def colour(pixels, x, y):
    at = 3 * (y * pixels.width + x)
    return "red" if pixels.rgb[at] > 128 else "blue"


@pytest.mark.parametrize(
    ("orientation", "size", "left_top", "right_bottom"),
    [
        (1, (40, 24), "red", "blue"),
        (3, (40, 24), "blue", "red"),
        (6, (24, 40), "red", "blue"),
        (8, (24, 40), "blue", "red"),
    ],
)
def test_exif_turns_the_photo_upright_and_the_bytes_stay_whole(tmp_path, orientation, size, left_top, right_bottom):
    (tmp_path / "x.JPG").write_bytes(jpeg(orientation=orientation))
    photo = read_photo(tmp_path / "x.JPG")
    assert (photo.width, photo.height) == size and photo.data == jpeg(orientation=orientation)
    pixels = upright(photo.data, "x")
    assert colour(pixels, 2, 2) == left_top and colour(pixels, size[0] - 3, size[1] - 3) == right_bottom


def test_a_large_photo_is_shrunk_for_the_screen_only():
    pixels = upright(jpeg(800, 600, kind="PNG"), "x", longest=200)
    assert (pixels.width, pixels.height) == (200, 150) and len(pixels.rgb) == 200 * 150 * 3


@pytest.mark.parametrize(
    ("data", "words"), [(b"", "empty"), (b"not a photo at all", "is not a photo"), (jpeg()[:150], "damaged|no photo")]
)
def test_what_is_no_photo_is_refused(tmp_path, data, words):
    (tmp_path / "x.png").write_bytes(data)
    with pytest.raises(UserFileError, match=words):
        read_photo(tmp_path / "x.png")


def test_a_picture_of_too_many_pixels_is_refused_before_it_is_unpacked(tmp_path):
    bomb = io.BytesIO()
    Image.new("1", (20_000, 20_000)).save(bomb, "PNG")
    with pytest.raises(UserFileError, match="more"):
        upright(bomb.getvalue(), "bomb.png")


def test_photos_in_a_folder_are_no_roms(tmp_path):
    for name in ("6c.bin", "front.jpeg", "back.TIFF"):
        (tmp_path / name).write_bytes(b"x")
    assert [p.name for p in image_paths(tmp_path)] == ["6c.bin"] and is_photo_name("back.TIFF")
