"""The first hour in the real window: Intake, Inspect and Rails of the school computer, by keys and the mouse."""

import pytest
from PyQt6.QtCore import QMimeData, QPoint, Qt, QTimer
from PyQt6.QtGui import QGuiApplication, QImage, QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialogButtonBox, QFileDialog, QInputDialog

from loyal_trace.core.assess.looking import leaks_on
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.demo.camera import photograph
from loyal_trace.formats.bench_profile import BENCH_FILE
from loyal_trace.ui.widgets.column_dialog import ColumnDialog


@pytest.fixture
def school(window):
    """The demo window with the CS-8 open at Intake."""
    window.ours.show_jobs()
    window.open_job("Corvane")
    window.stage(Stage.INTAKE)
    return window


def sheet(window):
    return " | ".join(window.row_texts("intake sheet"))


def change(window, words):
    """Changes the intake line that begins with these words, by keys."""
    for _ in range(60):
        rows = window.rows("intake sheet")
        if rows.rows[rows.currentIndex().row()].words.startswith(words):
            window.alt("C")
            return
        window.keys("Down")
    raise AssertionError(words)


def drag(window, first, last):
    """Draws an area on the map from above one part to below another, with the button held."""
    shown = window.shell.panel.map
    a, b = (shown.rect_of(shown.board.part(r)).toRect() for r in (first, last))
    start, end = a.topLeft() - QPoint(6, 6), b.bottomRight() + QPoint(6, 6)
    window.qtbot.mousePress(shown, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(shown, (start + end) / 2)
    window.qtbot.mouseMove(shown, end)
    window.qtbot.mouseRelease(shown, Qt.MouseButton.LeftButton, pos=end)


# Intake


def test_the_complaint_suggests_symptoms_and_a_line_says_yes(school):
    assert "meant?" not in sheet(school)
    school.press("Suggest symptoms")
    assert "forgets time and settings possibly meant (time, forgets)" in sheet(school)
    assert "keys dead or doubled possibly meant" in sheet(school)
    change(school, "forgets time")
    assert school.last.text == "forgets time and settings" and "forgets time and settings present" in sheet(school)


def test_what_disagrees_is_shown_and_looking_again_settles_the_revision(school):
    assert "the marks disagree" in sheet(school)
    change(school, "J2: etched")
    assert school.last.choice == "CS-8/2" and "board revision 2" in sheet(school)
    assert "C35 (22u 16V), C36 (22u 16V): not fitted on this revision" in sheet(school)


def test_serial_value_and_labels_are_said_and_the_estimate_shows_them(school):
    for text in ("serial: 1042", "value: 250", "label 3A: CS8-0 A", "label 3B: CS8-1 B"):
        school.type(text)
    told = sheet(school)
    assert "serial 1042" in told and "worth 250 to its owner" in told and "h more at the bench" in told
    assert "3A say A; 3B say B; read them and compare the checksums" in told


def test_the_first_power_up_is_decided_with_its_risk_as_the_reason(school):
    change(school, "first power")
    entry = school.last
    assert (entry.what, entry.choice) == ("first power", "test as found")
    assert "electrolytics of 40 years" in entry.reason
    change(school, "first power")
    assert school.last.choice == "replace capacitors first"
    assert school.workspace.assessment().plan.order == "capacitors first"
    assert "repair order capacitors first" in sheet(school)


def test_the_walk_finds_what_is_missing_with_one_key_a_part(school):
    school.press("Walk for missing parts", "Next part")
    school.pad("P", "M", "P")
    assert [e.finding for e in school.on_disk()[-3:]] == ["present", "missing", "present"]
    missing = school.on_disk()[-2].place
    assert f"{missing} is missing" in school.row_texts("what is away")
    before = len(school.on_disk())
    school.press("Mark the rest present")
    assert all(e.finding == "present" for e in school.on_disk()[before:]) and "0 parts" in school.why
    school.ctrl("z")
    assert "45 parts" in school.why, "undone as one"
    here = school.workspace.part
    school.keys("F8")
    school.type("present")
    assert school.last.place == here and school.workspace.part != here, "the same without the pad"
    school.type("M1 shelf: box 3, foam")
    school.type("5A borrowed from the spare set")
    away = set(school.row_texts("what is away"))
    assert {"M1 is stored at box 3, foam", "5A is borrowed from the spare set and has to go back"} <= away
    school.stage(Stage.REPORT)
    assert "Not complete" in school.why and "M1 is stored at box 3" in school.why


def test_the_bench_is_told_once_and_the_next_job_knows_it(school):
    school.type("bench supplies: 9 V 0.2 A")
    assert "its chips take 560 mA, the bench supply delivers 0.2 A" in sheet(school)
    change(school, "analyser")
    assert "analyser not available" in sheet(school)
    assert "reset time, reset pulses of CS-8: this bench has no" in sheet(school)
    assert "0.2 A" in (school.workspace.job.store.folder / BENCH_FILE).read_text()
    school.ours.show_jobs()
    school.open_job("Hollin")
    school.stage(Stage.INTAKE)
    assert "+9 V 0.2 A" in sheet(school)


def answer_dialog(window, act):
    """Does something with the column dialog once it is open."""

    def later():
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, ColumnDialog)
        act(dialog)

    QTimer.singleShot(50, later)


def test_a_job_begins_from_a_parts_list_whose_columns_are_chosen_in_a_preview(window, tmp_path, monkeypatch):
    file = tmp_path / "my board.csv"
    file.write_bytes("Platz;Aufdruck;Wert\nU1;74LS00;\nC1;Elko;47µ\n".encode("cp1252"))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(file), ""))
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("From a list", True))
    seen = []

    def choose(dialog):
        ok = dialog.buttons.button(QDialogButtonBox.StandardButton.Ok)
        dialog.choices[0].setCurrentText("–")
        seen.append((ok.isEnabled(), dialog.message.text(), dialog.preview.item(2, 1).text()))
        for column, words in enumerate(("place", "part", "value")):
            dialog.choices[column].setCurrentText(words)
        seen.append((ok.isEnabled(), dialog.message.text(), dialog.encoding.currentText()))
        ok.click()

    answer_dialog(window, choose)
    window.ours.show_jobs()
    window.qtbot.mouseClick(window.shell.first.parts, Qt.MouseButton.LeftButton)
    assert seen == [
        (False, "choose the column of the place, and of the part or value", "74LS00"),
        (True, "2 lines", "by itself"),
    ]
    board = window.workspace.job.boards["my-board"]
    assert board.part("C1").value == pytest.approx(47e-6) and window.shell.panel.map.board is board


def test_a_second_board_joins_the_open_job(school, tmp_path, monkeypatch):
    file = tmp_path / "sub board.csv"
    file.write_text("ref,part\nU1,74LS00\nU2,74LS04\n")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(file), ""))
    answer_dialog(school, lambda d: d.buttons.button(QDialogButtonBox.StandardButton.Ok).click())
    next(c for c in school.ours.commands() if c.words == "Add a board from a parts list").run()
    assert "sub board" in school.message and list(school.workspace.job.boards) == ["cs-8", "sub-board"]
    next(c for c in school.ours.commands() if c.words == "Next board").run()
    school.stage(Stage.INTAKE)
    school.type("sub board serial: X7")
    assert "sub board" in sheet(school) and "serial X7" in sheet(school) and school.last.board == "sub-board"


# Inspect


def test_one_line_sets_a_finding_for_a_whole_area_and_one_undo_takes_it_back(school):
    school.stage(Stage.INSPECT)
    drag(school, "5A", "5D")
    assert set(school.workspace.area) == {"5A", "5B", "5C", "5D"} and school.place == "4 parts"
    assert not school.foot.pad.isVisible(), "several entries at once are never on the pad"
    school.type("corroded")
    places = {e.place for e in school.on_disk()[-4:]}
    assert places == {"5A", "5B", "5C", "5D"} and school.workspace.area == ()
    assert "4 of 48 parts inspected" in school.page.subtitle.text()
    school.ctrl("z")
    assert "0 of 48 parts inspected" in school.page.subtitle.text()


def test_what_a_leak_reached_is_gone_through_vias_too(school):
    school.stage(Stage.INSPECT)
    school.pick("cs-8", "C32")
    school.pad("K")
    assert "C32 leaks" in school.why
    school.pick("cs-8", "C32")
    school.press("Next part to inspect")
    first = school.workspace.part
    assert first.startswith("V") and school.place == first, "a via is nearest"
    school.pad("G")
    assert school.last.place == first and school.workspace.part != first
    opened = [p.refdes for leak in leaks_on(school.workspace.job.moment, "cs-8") for p in leak.open]
    assert first not in opened and "C31" in opened


def test_forty_parts_are_walked_with_one_key_each(school):
    school.stage(Stage.INSPECT)
    school.press("Next part")
    school.pad(*(("G", "C", "H", "U") * 10))
    assert "40 of 48 parts inspected" in school.page.subtitle.text(), "forty keys, three seconds each"
    words = {e.finding for e in school.on_disk()[-40:]}
    assert words == {"looks good", "corroded", "heat-sink compound missing", "bulged"}


def test_the_teardown_goes_back_in_order_and_a_piece_passed_over_is_an_error(school):
    school.stage(Stage.INSPECT)
    school.press("Show the teardown", "Enter what comes off")
    assert school.edit.text() == "off: "
    school.qtbot.keyClicks(school.edit, "4 M3x8 screws, bottom shield")
    school.keys("Enter")
    for text in ("off: shield, bottom", "off: ribbon, J2, red stripe left"):
        school.type(text)
    school.type("off: plug, J1")
    assert "orientation" in school.strip and len([e for e in school.on_disk() if e.kind == "taken_apart"]) == 3
    school.clear()
    assert school.row_texts("teardown and reassembly")[1].startswith("cable ribbon, J2, red stripe left")
    school.keys("Down")
    school.press("Refit the step")
    assert "1 left over of ribbon" in school.why
    school.press("Refit the step")
    school.type("back on: 3 of M3x8 screws")
    assert school.why.startswith("1 step of the teardown")
    school.type("back on: M3x8 screws")
    assert school.why == "Everything recorded as taken off is recorded as refitted."
    school.press("Inspect the parts")
    assert school.page.question.text().startswith("What can be seen")


def test_a_photo_is_pasted_and_one_that_syncs_into_a_watched_folder_comes_by_itself(school, tmp_path):
    school.stage(Stage.INSPECT)
    held = QMimeData()
    image = QImage(64, 48, QImage.Format.Format_RGB888)
    image.fill(Qt.GlobalColor.darkGreen)
    held.setImageData(image)
    QGuiApplication.clipboard().setMimeData(held)
    school.qtbot.keySequence(school.edit, QKeySequence.StandardKey.Paste)
    entry = school.last
    assert (
        entry.kind == "photographed"
        and (entry.width, entry.height) == (64, 48)
        and entry.file_name.startswith("pasted")
    )
    QGuiApplication.clipboard().setText("plain words")
    school.qtbot.keySequence(school.edit, QKeySequence.StandardKey.Paste)
    assert school.edit.text() == "plain words"
    school.clear()
    watch = school.wiring.watch
    watch.begin(tmp_path)
    (tmp_path / "phone.jpg").write_bytes(photograph(school.workspace.job.boards["cs-8"]))
    watch.look()
    watch.look()
    assert school.last.file_name == "phone.jpg"
    watch.stop()


def test_a_photo_belongs_to_a_part_and_before_stands_beside_after(school):
    school.stage(Stage.INSPECT)
    school.press("Show the next photo")
    view = school.figure("photo of the board")

    def align():
        school.press("Align the photo")
        for _ in range(4):
            part = school.workspace.job.boards["cs-8"].part(school.next.removeprefix("Click the middle of ").split()[0])
            from loyal_trace.demo.camera import camera_matrix

            u, v, w = camera_matrix(school.workspace.job.boards["cs-8"]) @ [part.x, part.y, 1.0]
            school.qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=view.on_screen(u / w, v / w).toPoint())

    align()
    school.workspace.pick("cs-8", "C32")
    school.press("Compare before, after")
    assert "Two aligned photos" in school.message
    school.press("Link the photo to the part")
    assert school.last.kind == "photo_of" and school.last.place == "C32"
    school.workspace.take_photo(photograph(school.workspace.job.boards["cs-8"], seed=5), "after.jpg")
    school.press("Show the next photo")
    align()
    school.workspace.pick("cs-8", "C32")
    school.press("Compare before, after")
    said = view.accessibleDescription()
    assert (
        said.startswith("before: ") and "after: after.jpg" in said.replace("after: 2", "after: 2")
    ) or "after.jpg" in said
    image = view.grab().toImage()
    stained = image.pixelColor(image.width() // 4, image.height() // 2 + 60)
    clean = image.pixelColor(3 * image.width() // 4 + 6, image.height() // 2 + 60)
    assert stained.red() > clean.red() + 15, "the stain is on the left, where it was before, and gone on the right"
    school.press("Compare before, after")
    assert "parts drawn over it" in view.accessibleDescription()


# Rails


def until(window, place):
    """Walks the chain with the arrow keys until a point stands in large type."""
    for _ in range(40):
        if window.place == place:
            return
        window.keys("Down")
    raise AssertionError(place)


def test_power_waits_for_what_is_not_measured_and_going_on_anyway_is_recorded(school):
    school.stage(Stage.RAILS)
    assert school.place == "F1", "power off first"
    until(school, "REG1.3")
    count = len(school.on_disk())
    school.type("5.01")
    assert (
        "Unplug the board and measure with the power off: F1 resistance" in school.message
        and len(school.on_disk()) == count
    )
    assert school.edit.text() == "5.01" and school.strip.startswith("First: Unplug the board")
    school.press("Go on anyway")
    entry = school.last
    assert entry.what == "power on cs-8" and "F1 resistance" in entry.reason
    school.keys("Enter")
    assert school.last.place == "REG1.3" and school.last.value == pytest.approx(5.01)


def test_the_cells_path_has_its_own_caution_which_is_read_first(school):
    school.stage(Stage.RAILS)
    school.press("Next supply", "Next supply")
    assert school.place == "BT1" and "primary lithium cell" in school.page.caution.label.text()
    school.press("Read the meter")
    assert "read the caution first" in school.message
    school.press("Sign the caution", "Read the meter")
    assert school.last.place == "BT1" and "BT1 is flat" in school.why


def test_the_clock_tree_is_walked_with_the_counter_and_a_wrong_stage_is_named(school):
    school.stage(Stage.RAILS)
    school.press("Check the clock")
    tree = school.figure("clock tree")
    school.qtbot.waitUntil(lambda: len(tree.stops) == 16, timeout=20_000)
    assert school.place == "Y1.1" and "4E.8 1.953 kHz" in tree.accessibleDescription()
    for _ in range(4):
        school.press("Read the counter")
    assert school.last.quantity == "frequency" and "as predicted" in school.why
    school.type("1MHz")
    assert "4D.13" in school.why and "4C.4 is right" in school.why and school.probability("cs-8", "4D") > 0.3
    assert any("Y1 sees 20.5 pF" in text for text in school.row_texts("crystal and cells"))


def test_a_short_is_located_with_typed_readings(school):
    school.stage(Stage.RAILS)
    school.press("Find a short")
    school.type("1.8")
    assert school.last.quantity == "resistance to ground" and "Or lift" in school.next
    school.type("5F, 5G lifted: 430 ohm")
    assert school.last.parts == ("5F", "5G")
    school.type("5F lifted: 425 ohm")
    assert "short goes when 5F is lifted" in school.why and school.next == "Replace 5F, then measure again."
    school.type("C51.1 track 32m")
    assert school.last.quantity == "track resistance" and school.last.value == pytest.approx(0.032)
    school.type("J2 lifted: 12 ohm")
    assert "not on one rail" in school.strip


def test_a_good_board_is_measured_first_and_this_one_held_against_it(school):
    school.stage(Stage.RAILS)
    school.press("Use a good board", "Next point")
    until(school, "5H.8")
    school.type("400")
    assert school.last.source == "good board" and school.last.place == "5H.8"
    school.press("Measure this board")
    until(school, "5H.8")
    school.type("180")
    stops = school.figure("supply chain").stops
    assert any("280 Ω to 520 Ω" in stop.expected for stop in stops if stop.point == "5H.8")


def test_a_supply_is_described_in_three_lines_on_a_job_without_any_board(bare):
    bare.stage(Stage.RAILS)
    assert "Describe one in three lines (Alt+D)" in bare.next
    bare.press("Describe a supply", "Enter the line from")
    assert bare.edit.text() == "supply +5: from "
    bare.qtbot.keyClicks(bare.edit, "J1 9 V AC 1.2 A")
    bare.keys("Enter")
    bare.type("supply +5: through F1 2A, BR1, C1 4700u")
    bare.type("supply +5: to REG1 5 V")
    assert "names no far end" in bare.strip
    bare.clear()
    bare.type("supply +5: to REG1 5 V, 1A.14")
    assert "0 of 13 points" in bare.page.subtitle.text()
    bare.press("Sign the caution", "Next point")
    assert bare.place == "F1"
    bare.type("0.1")
    assert bare.last.place == "F1" and bare.shell.panel.map.board.has("BR1")


# Plan


def test_a_plans_assumption_is_checked_pair_by_pair(school):
    school.stage(Stage.PLAN)
    school.press("Check continuity")
    school.type("assume spare pads: 4A.3=4B.3, 4A.5!4B.6")
    assert school.place == "4A.3 = 4B.3" and "2 pairs" in school.why
    school.press("Mark connected")
    assert "1 pair" in school.why
    school.type("0.3 ohm")
    assert "spare pads does not hold: 4A.5 and 4B.6" in school.why and school.last.quantity == "continuity"
    school.keys("Down")
    school.press("Mark not connected")
    school.ctrl("z")
    school.pick("cs-8", "4C")
    school.press("Pairs of the part")
    assert "footprint of 4C: open" in school.row_texts("pairs to check")


def test_what_works_and_what_fails_stands_at_suspects_and_a_click_offers_what_to_say(bare):
    bare.stage(Stage.SUSPECTS)
    assert "path gun: U3 U7 J4" in bare.next
    for line in ("U1 is 74LS00", "U2 is 74LS244", "U3 is type HYB-3", "fails: gun"):
        bare.type(line)
    assert "path gun: U3 U7 J4" in bare.next, "the path of what fails is asked for"
    for line in ("path gun: U1 U2", "path bell: U1 U3", "works: bell"):
        bare.type(line)
    assert bare.figure("grid of functions").grid.words == "gun fails: U1 → U2; bell works: U1 → U3"
    assert bare.row_texts("suspects")[0].startswith("U2")
    bare.clear()
    bare.wiring.presenter.figure_picked("grid of functions", -1, 1)
    assert bare.edit.text() == "fails: bell"
