"""Photos at Inspect: dropped, aligned by clicks on the photo itself, then one with the map."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt

from loyal_trace.core.assess.looking import alignment_of
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.demo.camera import camera_matrix, photo_size, photograph
from loyal_trace.demo.workshop import demo_boards
from loyal_trace.ui.theme import THEME

VID = demo_boards()["tw-vid"]


def on_camera(x, y):
    u, v, w = camera_matrix(VID) @ np.array([x, y, 1.0])
    return u / w, v / w


@pytest.fixture
def look(window, tmp_path):
    """The video board at Look, with a fresh photo of it dropped on the window and opened."""
    (tmp_path / "video board.jpg").write_bytes(photograph(VID))
    window.workspace.pick("tw-vid", "5D")
    window.stage(Stage.INSPECT)
    window.shell.files_dropped.emit([tmp_path / "video board.jpg"])
    assert "video board.jpg: photo imported" in window.message
    window.press("Show the next photo")
    return window


def view(window):
    return window.figure("photo of the board")


def click(window, u, v):
    shown = view(window)
    window.qtbot.mouseClick(shown, Qt.MouseButton.LeftButton, pos=shown.on_screen(u, v).toPoint())


def asked_part(window):
    words = window.next.removeprefix("Click the middle of ").split()
    return VID.part(words[0])


def align(window, count):
    for _ in range(count):
        part = asked_part(window)
        click(window, *on_camera(part.x, part.y))


def test_four_clicks_make_photo_and_map_one(look):
    assert look.last.kind == "photographed" and "not aligned yet" in look.why
    look.press("Align the photo")
    assert "(1 of 4)" in look.next
    align(look, 4)
    entry = look.last
    assert entry.kind == "photo_aligned" and len(entry.points) == 4
    found = alignment_of(look.workspace.job.moment, entry.attachment)
    scale = view(look).frame()[0]
    for part in VID.parts:
        off = np.subtract(found.on_photo(part.x, part.y), on_camera(part.x, part.y))
        assert np.hypot(*off) < 3 / scale, "no further off than the screen's own pixels"


def test_a_fifth_click_shows_the_error_and_undo_takes_it_back(look):
    look.press("Align the photo")
    align(look, 4)
    assert "one more (Alt+A) shows the error of the fit" in look.why
    look.press("Align the photo")
    assert "to see the error of the fit" in look.next
    part = asked_part(look)
    click(look, *np.add(on_camera(part.x, part.y), (40, 0)))
    assert "pixels off on average" in look.why and len(look.last.points) == 5
    look.ctrl("z")
    assert "one more (Alt+A)" in look.why


def test_parts_are_picked_on_the_photo_and_the_map_can_be_taken_off_it(look):
    look.press("Align the photo")
    align(look, 4)
    click(look, *on_camera(VID.part("2F").x, VID.part("2F").y))
    assert look.workspace.part == "2F" and look.place == "VID 2F"
    assert "46 parts drawn over it" in view(look).accessibleDescription()
    for share in (35, 70, 100):
        look.press("Map over the photo")
        assert f"46 parts drawn over it, map faded in {share} %" in view(look).accessibleDescription()
    look.press("Map over the photo")
    assert "0 parts drawn over it" in view(look).accessibleDescription()
    look.pad("G")
    assert look.last.place == "2F" and look.workspace.part != "2F", "findings go on with the photo beside"


def test_polarity_that_no_aligned_photo_shows_is_listed_and_warned_of(look):
    assert "No aligned photo shows the polarity of C20, C21" in look.why
    step = next(s for s in look.workspace.assessment().plan.steps if s.place == ("tw-cpu", "C1"))
    assert not any("photograph" in c for c in step.before), "the demo's own photo shows it"
    look.press("Align the photo")
    align(look, 4)
    assert "No aligned photo" not in look.why
    for entry in [e for e in look.on_disk() if e.kind == "photo_aligned"]:
        look.workspace.retract(entry.id)
    step = next(s for s in look.workspace.assessment().plan.steps if s.place == ("tw-cpu", "C1"))
    assert "No aligned photo shows C1" in step.before[0]


def test_photos_come_one_after_the_other_and_then_none(look, tmp_path):
    (tmp_path / "again.jpg").write_bytes(photograph(VID, seed=9))
    look.shell.files_dropped.emit([tmp_path / "again.jpg"])
    assert view(look).picture.title.startswith("video board.jpg")
    look.press("Show the next photo")
    assert view(look).picture.title.startswith("again.jpg")
    look.press("Show the next photo")
    assert view(look).isHidden()
    look.workspace.pick("tw-cpu", "6C")
    look.press("Show the next photo")
    assert view(look).picture.title.startswith("tw-cpu from above"), "each board has its own"


def test_a_damaged_photo_is_refused_with_its_name_and_nothing_is_kept(look, tmp_path):
    before = look.on_disk()
    (tmp_path / "torn.jpg").write_bytes(photograph(VID)[:5000])
    look.shell.files_dropped.emit([tmp_path / "torn.jpg"])
    assert "torn.jpg" in look.message and look.message.startswith("Not done") and look.on_disk() == before


def test_the_camera_holds_the_whole_board_in_the_picture():
    width, height = photo_size(VID)
    for x in (0.0, VID.width):
        for y in (0.0, VID.height):
            u, v = on_camera(x, y)
            assert 0 < u < width and 0 < v < height


def test_the_step_at_the_iron_shows_its_place_on_the_aligned_photo(look):
    look.press("Align the photo")
    align(look, 4)
    look.type("5D.13 low")
    look.type("reflow: 5D")
    look.stage(Stage.REPAIR)
    look.pick("tw-vid", "5D")
    shown = look.figure("the place on the photo")
    assert shown.isVisible() and "video board.jpg" in shown.accessibleDescription()
    (crop,) = shown._pair
    part = VID.part("5D")
    centre = [sum(axis) / 4 for axis in zip(*crop.lit, strict=True)]
    assert np.hypot(*np.subtract(centre, on_camera(part.x, part.y))) < 12, "the part itself is lit"
    picture = shown.grab().toImage()
    copper = THEME.colour("copper").name()
    assert any(picture.pixelColor(x, picture.height() // 2 + 10).name() == copper for x in range(picture.width()))
    look.pick("tw-cpu", "C1")
    assert shown.accessibleDescription().startswith("C1 on"), "the photo of the other board"
