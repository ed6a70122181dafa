"""The widgets on their own: what they paint, what a click or key on them means."""

from itertools import pairwise

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter

from loyal_trace.app.presenters.chain import ChainPicture, ChainStop
from loyal_trace.app.presenters.chip_picture import ChipPicture, PinView
from loyal_trace.app.presenters.logbook import LogLine
from loyal_trace.app.presenters.model import Cell, Meaning, Overlay, Row, Rows
from loyal_trace.app.presenters.rom_picture import RomView, strip_of
from loyal_trace.app.presenters.verify import curve_of
from loyal_trace.core.assess.roms import SlotAssessment
from loyal_trace.core.boards.model import RomSlot
from loyal_trace.core.proving.starts import StartTally
from loyal_trace.core.roms.by_checksums import Expected
from loyal_trace.core.roms.images import ChecksumList, RomImage
from loyal_trace.core.roms.verdicts import judge
from loyal_trace.demo.images import program_image
from loyal_trace.ui.glyphs import draw_bar, draw_glyph
from loyal_trace.ui.theme import THEME, apply_style, load_fonts
from loyal_trace.ui.widgets.board_map import BoardMap
from loyal_trace.ui.widgets.chain_view import ChainView
from loyal_trace.ui.widgets.chip_view import ChipView
from loyal_trace.ui.widgets.finder import Command, Finder
from loyal_trace.ui.widgets.first_page import FirstPage
from loyal_trace.ui.widgets.logbook import LogbookBar, LogbookDrawer
from loyal_trace.ui.widgets.meaning import MeaningBox
from loyal_trace.ui.widgets.rom_picture import RomPicture
from loyal_trace.ui.widgets.rows import RowList
from loyal_trace.ui.widgets.start_curve import StartCurve
from loyal_trace.ui.widgets.station_line import STAGE_TITLES, StationLine
from tests.helpers.builders import small_board


@pytest.fixture(autouse=True)
def style(qapp):
    load_fonts()
    THEME.set_dark(False)
    apply_style(qapp)


def shown(qtbot, widget, width=640, height=480):
    qtbot.addWidget(widget)
    widget.resize(width, height)
    widget.show()
    qtbot.waitExposed(widget)
    return widget


def pixels(widget):
    """What a widget paints, as an array of 0xRRGGBB."""
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    raw = np.frombuffer(image.constBits().asstring(image.sizeInBytes()), dtype=np.uint32)
    return raw.reshape(image.height(), image.bytesPerLine() // 4)[:, : image.width()] & 0xFFFFFF


def has_colour(widget, name):
    return bool((pixels(widget) == int(THEME.colour(name).rgb() & 0xFFFFFF)).any())


def drawn(draw):
    image = QImage(24, 24, QImage.Format.Format_RGB32)
    image.fill(QColor("white"))
    painter = QPainter(image)
    draw(painter)
    painter.end()
    return np.frombuffer(image.constBits().asstring(image.sizeInBytes()), dtype=np.uint32).reshape(24, 24) & 0xFFFFFF


def test_verdict_glyphs_differ_by_shape_not_only_by_colour():
    shapes = [
        drawn(lambda p, k=kind: draw_glyph(p, k, 12, 12, 18)) != 0xFFFFFF
        for kind in ("good", "bad", "doubtful", "unknown")
    ]
    for n, first in enumerate(shapes):
        assert first.sum() > 20
        for second in shapes[n + 1 :]:
            assert (first != second).sum() > 15


@pytest.mark.parametrize(("share", "low", "high"), [(0.0, 0, 2), (0.5, 9, 12), (1.0, 19, 20), (7.0, 19, 20)])
def test_a_bar_is_as_long_as_its_share(share, low, high):
    ink = int(THEME.colour("ink").rgb() & 0xFFFFFF)
    row = drawn(lambda p: draw_bar(p, QRectF(2, 6, 20, 12), share, "ink"))[12]
    assert low <= (row == ink).sum() <= high


def test_the_map_finds_the_part_under_a_point_and_marks_it(qtbot):
    board_map, board = shown(qtbot, BoardMap()), small_board(width=100, height=80)
    board_map.show_board(board, Overlay({"U1": ("bad", "impossible", True)}, "U1"))
    picked = []
    board_map.picked.connect(picked.append)
    for refdes in ("U1", "U2", "C1"):
        centre = board_map.rect_of(board.part(refdes)).center().toPoint()
        assert board_map.part_at(centre.x(), centre.y()) == refdes
        qtbot.mouseClick(board_map, Qt.MouseButton.LeftButton, pos=centre)
    assert picked == ["U1", "U2", "C1"] and board_map.part_at(1, 1) == ""
    assert has_colour(board_map, "bad") and "U1 picked" in board_map.accessibleDescription()
    board_map.show_board(board, Overlay({}))
    assert not has_colour(board_map, "bad")


def test_a_traced_line_runs_from_the_first_pin_to_the_others(qtbot):
    board_map, board = shown(qtbot, BoardMap()), small_board(width=100, height=80)
    board_map.show_board(board, Overlay({}))
    before = (pixels(board_map) == int(THEME.colour("copper").rgb() & 0xFFFFFF)).sum()
    board_map.show_board(board, Overlay({}, "", (("U1", 3), ("U2", 1)), "A: U1.3 to U2.1"))
    assert (pixels(board_map) == int(THEME.colour("copper").rgb() & 0xFFFFFF)).sum() > before + 50
    board_map.show_board(None, Overlay({}))
    assert board_map.accessibleDescription() == "no board" and board_map.part_at(50, 50) == ""


def chip(current=1, verdict="impossible"):
    pins = [
        PinView(n, f"P{n}", "L" if n == 3 else "?", "low", verdict if n == 3 else "", "high" if n == 3 else "")
        for n in range(1, 15)
    ]
    return ChipPicture("U1", "74LS00", tuple(pins), current)


def test_a_click_on_a_pin_of_the_chip_picks_it(qtbot):
    view = shown(qtbot, ChipView(), 690, 320)
    view.show_view(chip())
    view.resize(690, 280)
    picked = []
    view.picked.connect(picked.append)
    for pin in (1, 7, 8, 14):
        x = 120 if pin <= 7 else 560
        qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(x, round(view.pin_y(pin))))
    assert picked == [1, 7, 8, 14]
    assert has_colour(view, "bad") and "3 P3 low impossible" in view.accessibleDescription()
    view.show_view(chip(verdict="possible"))
    assert not has_colour(view, "bad")


@pytest.mark.parametrize("pins", [14, 16, 20, 24, 28, 40])
def test_every_package_fits_and_keeps_its_pins_apart(qtbot, pins):
    view = shown(qtbot, ChipView(), 690, 500)
    view.show_view(ChipPicture("U1", "x", tuple(PinView(n, "A", "P", "pulsing") for n in range(1, pins + 1)), 1))
    ys = [view.pin_y(n) for n in range(1, pins // 2 + 1)]
    assert view.minimumHeight() <= 430 and min(b - a for a, b in pairwise(ys)) >= 18
    assert view.pin_y(1) == view.pin_y(pins)


def test_rows_pick_by_click_and_headings_do_not(qtbot):
    rows = shown(qtbot, RowList("things"), 500, 200)
    listed = (
        Row("", heading="Title"),
        Row("good", (Cell(30, 90, "first"),)),
        Row("bad", (Cell(30, 90, "second"),), (130.0, 90.0, 0.5, "ink")),
    )
    rows.show_rows(Rows(listed, 1))
    picked = []
    rows.picked.connect(picked.append)
    for index in range(3):
        at = rows.visualRect(rows.model().index(index)).center()
        qtbot.mouseClick(rows.viewport(), Qt.MouseButton.LeftButton, pos=at)
    assert picked == [1, 2] and rows.height() == sum(row.height for row in listed)
    assert [rows.model().index(n).data() for n in range(3)] == ["Title", "first", "second"]
    assert has_colour(rows, "selected") and has_colour(rows, "ink")
    rows.show_rows(Rows(listed, -1))
    assert not rows.currentIndex().isValid() and not has_colour(rows, "selected")


def test_the_chain_picks_the_nearest_point_and_marks_the_boundary(qtbot):
    chain = shown(qtbot, ChainView(), 600, 180)
    stops = tuple(
        ChainStop(f"P{n}", "voltage", "5.00 V", "4.75 to 5.25 V", kind, n == 2)
        for n, kind in enumerate(("good", "good", "bad", "unknown"))
    )
    chain.show_view(ChainPicture(stops, 0))
    picked = []
    chain.picked.connect(picked.append)
    for index in range(4):
        qtbot.mouseClick(chain, Qt.MouseButton.LeftButton, pos=QPoint(round(chain.x_of(index)) + 5, 60))
    assert picked == [0, 1, 2, 3] and has_colour(chain, "bad")
    assert "P2 voltage 5.00 V bad" in chain.accessibleDescription()
    chain.show_view(None)
    qtbot.mouseClick(chain, Qt.MouseButton.LeftButton, pos=QPoint(50, 60))
    assert len(picked) == 4


def test_a_click_on_a_pad_asks_for_its_stage(qtbot):
    line = shown(qtbot, StationLine(), 1280, 66)
    asked = []
    line.stage_asked.connect(asked.append)
    for stage in range(len(STAGE_TITLES)):
        qtbot.mouseClick(line, Qt.MouseButton.LeftButton, pos=line.pad_at(stage).toPoint())
    qtbot.mouseClick(line, Qt.MouseButton.LeftButton, pos=QPoint(30, 20))
    assert asked == list(range(10)), "the title leads nowhere"
    line.set_stations([(1.0, "6/6"), *[(0.0, "")] * 9])
    assert line.accessibleDescription() == "Intake 6/6"


def slot_with(image, reference):
    slot = RomSlot("6C", "2716", len(image))
    verdict = judge(RomImage("6C", image), Expected((), size=len(image), reference=reference), ChecksumList(()))
    return SlotAssessment("b", slot, 1, verdict, image, reference)


def test_the_rom_picture_marks_wrong_bits_where_they_are(qtbot):
    reference = program_image("picture", 0x800)
    image = bytes(b | 0x20 if n < 0x400 else b for n, b in enumerate(reference))
    picture = shown(qtbot, RomPicture(), 640, 190)
    strip = strip_of(slot_with(image, reference))
    assert (
        strip.wrong.shape == (8, 0x800)
        and strip.wrong[5, :0x400].any()
        and not strip.wrong[5, 0x400:].any()
        and not strip.wrong[4].any()
    )
    picture.show_view(RomView(strip, 0, len(strip.image)))
    red = pixels(picture) == int(THEME.colour("bad").rgb() & 0xFFFFFF)
    left, right = red[:, 40:330].sum(), red[:, 345:].sum()
    assert left > 500 and right == 0 and "bytes differ" in picture.accessibleDescription()


def test_without_a_true_image_the_content_itself_is_drawn(qtbot):
    picture = shown(qtbot, RomPicture(), 640, 190)
    strip = strip_of(slot_with(program_image("alone", 0x800), None))
    assert strip.wrong is None and "no reference image" in strip.title
    picture.show_view(RomView(strip, 0, len(strip.image)))
    assert len(np.unique(pixels(picture))) > 20
    assert strip_of(SlotAssessment("b", RomSlot("6C", "2716", 8), 0, None)) is None


def test_the_meaning_box_has_the_colour_of_its_verdict(qtbot):
    box = shown(qtbot, MeaningBox(), 600, 100)
    box.say(Meaning("because", "do it", "bad", "aside"))
    assert has_colour(box, "bad") and box.why.text() == "because" and box.aside.isVisible()
    box.say(Meaning("because", "do it", "good"))
    assert has_colour(box, "good") and not box.aside.isVisible()


def test_the_curve_falls_to_the_target_and_shows_each_start(qtbot):
    curve = shown(qtbot, StartCurve(), 640, 190)
    curve.show_view(curve_of(StartTally(20, 0, 0, 3), (True,) * 20))
    assert "20 clean, 0 failed, bound 14 %" in curve.accessibleDescription() and has_colour(curve, "good")
    curve.show_view(curve_of(StartTally(0, 3, 0, 0), (False,) * 3))
    assert has_colour(curve, "bad")


def test_the_drawer_strikes_what_was_undone_and_asks_by_key(qtbot):
    drawer = shown(qtbot, LogbookDrawer(), 700, 250)
    lines = {"a": LogLine("a", "first", False), "b": LogLine("b", "second", True), "c": LogLine("c", "third", False)}
    entries = list(lines)
    drawer.follow(entries, lines.__getitem__)
    asked = []
    drawer.retract_asked.connect(asked.append)
    font = Qt.ItemDataRole.FontRole
    assert drawer.model.index(1).data(font).strikeOut() and drawer.model.index(0).data(font) is None
    qtbot.keyClick(drawer.list, Qt.Key.Key_Delete)
    drawer.list.setCurrentIndex(drawer.model.index(0))
    qtbot.keyClick(drawer.list, Qt.Key.Key_Delete)
    assert asked == ["c", "a"]
    entries.append("d")
    lines["d"] = LogLine("d", "fourth", False)
    drawer.follow(entries, lines.__getitem__)
    assert drawer.list.currentIndex().data() == "fourth", "the newest is in view"


def test_the_bar_says_errors_in_words_and_shows_progress(qtbot):
    bar = shown(qtbot, LogbookBar(), 1000, 30)
    bar.say("the disk is full", True)
    assert bar.last.text() == "Not done: the disk is full"
    bar.show_progress("reading 6C", 512, 2048)
    assert bar.progress.isVisible() and bar.progress.value() == 512 and "Esc stops" in bar.last.text()
    bar.show_progress("", 0, 0)
    assert not bar.progress.isVisible()


def test_the_finder_filters_by_every_word_and_wraps_around(qtbot):
    from PyQt6.QtWidgets import QWidget

    parent = shown(qtbot, QWidget())
    ran = []
    commands = [
        Command(f"{verb} the {noun}", "", lambda v=verb, n=noun: ran.append((v, n)))
        for verb in ("read", "probe")
        for noun in ("rom", "chip")
    ]
    finder = Finder(commands, parent)
    qtbot.keyClicks(finder.edit, "chip pro")
    assert finder.list.count() == 1
    qtbot.keyClick(finder.edit, Qt.Key.Key_Return)
    finder.chosen.run()
    assert ran == [("probe", "chip")]
    finder = Finder(commands, parent)
    qtbot.keyClick(finder, Qt.Key.Key_Up)
    assert finder.list.currentRow() == 3
    qtbot.keyClicks(finder.edit, "zzz")
    qtbot.keyClick(finder.edit, Qt.Key.Key_Return)
    assert finder.chosen is None


def test_the_first_page_opens_the_job_that_is_clicked(qtbot):
    page = shown(qtbot, FirstPage(), 1000, 700)
    page.show_jobs([("j1", "One"), ("j2", "Two")])
    opened = []
    page.job_asked.connect(opened.append)
    rect = page.jobs.visualItemRect(page.jobs.item(1))
    qtbot.mouseClick(page.jobs.viewport(), Qt.MouseButton.LeftButton, pos=rect.center())
    assert opened == ["j2"]
    page.show_jobs([])
    assert not page.jobs.isVisible()
