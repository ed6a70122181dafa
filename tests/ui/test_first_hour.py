"""The first hour in the real window: Intake, Look and Rails of the school computer, by keys and the mouse."""

import pytest
from PyQt6.QtCore import QMimeData, QPoint, Qt, QTimer
from PyQt6.QtGui import QGuiApplication, QImage, QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialogButtonBox, QFileDialog, QInputDialog

from loyal_trace.core.assess.looking import leaks_on
from loyal_trace.demo.camera import photograph
from loyal_trace.formats.bench_profile import BENCH_FILE
from loyal_trace.ui.widgets.clock_view import ClockView
from loyal_trace.ui.widgets.column_dialog import ColumnDialog


@pytest.fixture
def school(window):
    """The demo window with the CS-8 open at Intake."""
    window.ours.show_jobs()
    window.open_job("Corvane")
    window.stage(1)
    return window


def sheet(window):
    return " | ".join(window.row_texts("intake sheet"))


def line(window, words):
    """Picks the intake line that begins with these words, by the arrow keys."""
    rows = window.rows("intake sheet")
    for _ in range(60):
        if window.ours.wiring.stages[0].current >= 0 and rows.rows[rows.current].words.startswith(words):
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
    school.keys("Y")
    assert "forgets time and settings meant? (time, forgets)" in sheet(
        school
    ) and "keys dead or doubled meant?" in sheet(school)
    line(school, "forgets time")
    school.keys("Enter")
    assert school.on_disk()[-1].text == "forgets time and settings" and "forgets time and settings present" in sheet(
        school
    )


def test_what_disagrees_is_shown_and_looking_again_settles_the_revision(school):
    assert "the marks disagree" in sheet(school)
    line(school, "J2: etched")
    school.keys("Enter")
    assert school.on_disk()[-1].choice == "CS-8/2" and "board revision 2" in sheet(school)
    assert "C35 (22u 16V), C36 (22u 16V): not fitted on this revision" in sheet(school)


def test_serial_value_and_labels_are_typed_and_the_estimate_shows_them(school):
    for text in ("serial 1042", "value 250", "label 3A CS8-0 A", "label 3B CS8-1 B"):
        school.type(text)
    told = sheet(school)
    assert "serial 1042" in told and "worth 250 to its owner" in told and "h more at the bench" in told
    assert "3A say A; 3B say B; read them and let the sums decide" in told


def test_the_first_power_up_is_decided_with_its_risk_as_the_reason(school):
    line(school, "first power")
    school.keys("Enter")
    entry = school.on_disk()[-1]
    assert (entry.what, entry.choice) == (
        "first power",
        "test as found",
    ) and "electrolytics of 40 years" in entry.reason
    school.keys("Enter")
    assert school.on_disk()[-1].choice == "renew capacitors first"
    assert school.desk.assessment().plan.order == "capacitors first" and "repair order capacitors first" in sheet(
        school
    )


def test_the_walk_finds_what_is_missing_with_one_key_a_part(school):
    school.keys("W", "P", "N", "P")
    assert [e.finding for e in school.on_disk()[-3:]] == ["present", "missing", "present"]
    missing = school.on_disk()[-2].place
    assert f"{missing} is missing" in school.row_texts("what is away")
    before = len(school.on_disk())
    school.keys("A")
    assert all(e.finding == "present" for e in school.on_disk()[before:]) and "0 parts" in school.why
    school.ctrl("z")
    assert "45 parts" in school.why, "taken back as one"
    school.type("M1 shelf box 3, foam")
    school.type("5A borrowed from the spare set")
    assert {"M1 lies at box 3, foam", "5A is a stand-in from the spare set, to go back"} <= set(
        school.row_texts("what is away")
    )
    school.stage(10)
    assert "Not as it should go home" in school.why and "M1 lies at box 3" in school.why


def test_the_bench_is_told_once_and_the_next_job_knows_it(school):
    school.type("supplies 9 V 0.2 A")
    assert "its chips take 560 mA, the bench supply stops at 0.2 A" in sheet(school)
    line(school, "analyser")
    school.keys("Enter")
    assert "analyser this bench has none" in sheet(
        school
    ) and "reset time, reset pulses of CS-8: this bench has no" in sheet(school)
    assert "0.2 A" in (school.desk.job.store.folder / BENCH_FILE).read_text()
    school.ours.show_jobs()
    school.open_job("Hollin")
    school.stage(1)
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
        dialog._choices[0].setCurrentText("–")
        seen.append((ok.isEnabled(), dialog.message.text(), dialog.preview.item(2, 1).text()))
        for column, words in enumerate(("place", "part", "value")):
            dialog._choices[column].setCurrentText(words)
        seen.append((ok.isEnabled(), dialog.message.text(), dialog.encoding.currentText()))
        ok.click()

    answer_dialog(window, choose)
    window.ours.show_jobs()
    window.qtbot.mouseClick(window.shell.first.parts, Qt.MouseButton.LeftButton)
    assert seen == [
        (False, "choose the column of the place, and of the part or value", "74LS00"),
        (True, "2 lines", "by itself"),
    ]
    board = window.desk.job.boards["my-board"]
    assert board.part("C1").value == pytest.approx(47e-6) and window.shell.panel.map.board is board


def test_a_second_board_joins_the_open_job(school, tmp_path, monkeypatch):
    file = tmp_path / "sub board.csv"
    file.write_text("ref,part\nU1,74LS00\nU2,74LS04\n")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(file), ""))
    answer_dialog(school, lambda d: d.buttons.button(QDialogButtonBox.StandardButton.Ok).click())
    next(c for c in school.ours.commands() if c.words == "add a board to this job, from a parts list").run()
    assert "sub board" in school.message and list(school.desk.job.boards) == ["cs-8", "sub-board"]
    next(c for c in school.ours.commands() if c.words == "next board").run()
    school.type("serial X7")
    assert "sub board" in sheet(school) and "serial X7" in sheet(school) and school.on_disk()[-1].board == "sub-board"


# Look


def test_one_key_sets_a_finding_for_a_whole_area_and_one_undo_takes_it_back(school):
    school.stage(2)
    drag(school, "5A", "5D")
    assert set(school.desk.area) == {"5A", "5B", "5C", "5D"} and school.frame.entry.prompt.text() == "4 parts"
    school.keys("C")
    places = {e.place for e in school.on_disk()[-4:]}
    assert (
        places == {"5A", "5B", "5C", "5D"}
        and school.desk.area == ()
        and "4 of 48 parts seen" in school.frame.subtitle.text()
    )
    school.ctrl("z")
    assert "0 of 48 parts seen" in school.frame.subtitle.text()


def test_what_a_leak_reached_is_gone_through_with_one_key_vias_too(school):
    school.stage(2)
    school.desk.pick("cs-8", "C32")
    school.keys("K")
    assert "C32 leaks" in school.why
    school.desk.pick("cs-8", "C32")
    school.keys("Z")
    first = school.desk.part
    assert first.startswith("V") and school.frame.entry.prompt.text() == first, "a via is nearest"
    school.keys("G")
    assert school.on_disk()[-1].place == first and school.desk.part != first
    opened = [p.refdes for leak in leaks_on(school.desk.job.moment, "cs-8") for p in leak.open]
    assert first not in opened and "C31" in opened


def test_forty_parts_are_walked_in_fewer_keys_than_two_minutes_allow(school):
    school.stage(2)
    for key in ("G", "C", "H", "U") * 10:
        school.keys(key)
    assert "40 of 48 parts seen" in school.frame.subtitle.text(), "forty keys, three seconds each"
    words = {e.finding for e in school.on_disk()[-40:]}
    assert words == {"looks good", "corroded", "heat-sink compound missing", "bulged"}


def test_the_teardown_goes_back_in_order_and_a_piece_passed_over_is_an_error(school):
    school.stage(2)
    school.keys("D")
    for text in ("4 M3x8 screws, bottom shield", "shield, bottom", "ribbon, J2, red stripe left"):
        school.type(text)
    school.type("plug, J1")
    assert "which way round" in school.message and len([e for e in school.on_disk() if e.kind == "taken_apart"]) == 3
    school.edit.clear()
    assert school.row_texts("teardown and reassembly")[1].startswith("cable ribbon, J2, red stripe left")
    school.keys("Down", "Enter")
    assert "1 left over of ribbon" in school.why
    school.keys("Enter")
    school.type("3")
    assert school.why.startswith("1 step of the teardown")
    school.type("1")
    assert school.why == "Everything that came off is back in place."
    school.keys("D")
    assert school.frame.question.text().startswith("What can be seen")


def test_a_photo_is_pasted_and_one_that_syncs_into_a_watched_folder_comes_by_itself(school, tmp_path):
    school.stage(2)
    held = QMimeData()
    image = QImage(64, 48, QImage.Format.Format_RGB888)
    image.fill(Qt.GlobalColor.darkGreen)
    held.setImageData(image)
    QGuiApplication.clipboard().setMimeData(held)
    school.qtbot.keySequence(school.edit, QKeySequence.StandardKey.Paste)
    entry = school.on_disk()[-1]
    assert (
        entry.kind == "photographed"
        and (entry.width, entry.height) == (64, 48)
        and entry.file_name.startswith("pasted")
    )
    QGuiApplication.clipboard().setText("plain words")
    school.qtbot.keySequence(school.edit, QKeySequence.StandardKey.Paste)
    assert school.edit.text() == "plain words"
    school.edit.clear()
    watch = school.ours.wiring.watch
    watch.begin(tmp_path)
    (tmp_path / "phone.jpg").write_bytes(photograph(school.desk.job.boards["cs-8"]))
    watch.look()
    watch.look()
    assert school.on_disk()[-1].file_name == "phone.jpg"
    watch.stop()


def test_a_photo_belongs_to_a_part_and_before_stands_beside_after(school):
    school.stage(2)
    school.keys("I")
    view = school.ours.wiring.stages[1].photos.view

    def align():
        school.keys("A")
        for _ in range(4):
            part = school.desk.job.boards["cs-8"].part(school.next.removeprefix("Click the middle of ").split()[0])
            from loyal_trace.demo.camera import camera_matrix

            u, v, w = camera_matrix(school.desk.job.boards["cs-8"]) @ [part.x, part.y, 1.0]
            school.qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=view.on_screen(u / w, v / w).toPoint())

    align()
    school.desk.pick("cs-8", "C32")
    school.keys("E")
    assert "two aligned photos" in school.message
    school.keys("X")
    assert school.on_disk()[-1].kind == "photo_of" and school.on_disk()[-1].place == "C32"
    school.desk.take_photo(photograph(school.desk.job.boards["cs-8"], seed=5), "after.jpg")
    school.keys("I")
    align()
    school.desk.pick("cs-8", "C32")
    school.keys("E")
    said = view.accessibleDescription()
    assert (
        said.startswith("before: ") and "after: after.jpg" in said.replace("after: 2", "after: 2")
    ) or "after.jpg" in said
    image = view.grab().toImage()
    stained = image.pixelColor(image.width() // 4, image.height() // 2 + 60)
    clean = image.pixelColor(3 * image.width() // 4 + 6, image.height() // 2 + 60)
    assert stained.red() > clean.red() + 15, "the stain is on the left, where it was before, and gone on the right"
    school.keys("E")
    assert "parts drawn over it" in view.accessibleDescription()


# Rails


def test_power_waits_for_what_is_not_measured_and_going_on_anyway_is_recorded(school):
    school.stage(3)
    assert school.frame.entry.prompt.text() == "F1", "power off first"
    while school.frame.entry.prompt.text() != "REG1.3":
        school.keys("Down")
    count = len(school.on_disk())
    school.type("5.01")
    assert "not measured before power: F1 resistance" in school.message and len(school.on_disk()) == count
    school.edit.clear()
    school.keys("Y")
    entry = school.on_disk()[-1]
    assert entry.what == "power on cs-8 +5 V" and "F1 resistance" in entry.reason
    school.keys("M")
    assert school.on_disk()[-1].place == "REG1.3"


def test_the_cells_path_has_its_own_caution_which_is_read_first(school):
    school.stage(3)
    school.keys("N", "N")
    assert school.frame.entry.prompt.text() == "BT1" and "Lithium cell" in school.frame.caution.label.text()
    school.keys("M")
    assert "read the caution first" in school.message
    school.keys("K", "M")
    assert school.on_disk()[-1].place == "BT1" and "BT1 is flat" in school.why


def test_the_clock_tree_is_walked_with_the_counter_and_a_wrong_stage_is_named(school):
    school.stage(3)
    school.keys("C")
    tree = school.frame.findChild(ClockView)
    school.qtbot.waitUntil(lambda: len(tree.stops) == 16, timeout=20_000)
    assert school.frame.entry.prompt.text() == "Y1.1" and "4E.8 1.953 kHz" in tree.accessibleDescription()
    school.keys("M", "M", "M", "M")
    assert school.on_disk()[-1].quantity == "frequency" and "as predicted" in school.why
    school.type("1M")
    assert "4D.13" in school.why and "4C.4 is right" in school.why and school.belief("cs-8", "4D") > 0.3
    assert any("Y1 sees 20.5 pF" in text for text in school.row_texts("crystal and cells"))


def test_a_short_is_hunted_with_typed_readings(school):
    school.stage(3)
    school.keys("H")
    school.type("1.8")
    assert school.on_disk()[-1].quantity == "resistance to ground" and "Or lift" in school.next
    school.type("5F 5G 430")
    assert school.on_disk()[-1].parts == ("5F", "5G")
    school.type("5F 425")
    assert "short goes when 5F is lifted" in school.why and school.next == "Renew 5F, then measure again."
    school.type("@C51 32m")
    assert school.on_disk()[-1].quantity == "track resistance" and school.on_disk()[-1].value == pytest.approx(0.032)
    school.type("J9 12")
    assert "J9 is not on VCC" in school.message


def test_a_good_board_is_measured_first_and_this_one_held_against_it(school):
    school.stage(3)
    school.keys("B", "Down")
    school.type("400")
    assert school.on_disk()[-1].source == "good board"
    school.keys("B")
    while school.frame.entry.prompt.text() != "5H.8":
        school.keys("Down")
    school.type("180")
    assert "280 Ω to 520 Ω" in school.frame.findChild(type(school.ours.wiring.stages[2].chain)).stops[2].expected


def test_a_supply_is_described_in_three_lines_on_a_job_without_any_board(window, monkeypatch):
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("An unknown board", True))
    window.ours.show_jobs()
    window.ours.new_job()
    window.stage(3)
    assert "D describes one in three lines" in window.edit.placeholderText()
    window.keys("D")
    for text in ("from J1 9 V AC 1.2 A", "through F1 2A, BR1, C1 4700u", "to REG1 5 V"):
        window.type(text)
    assert "names no far end" in window.message
    window.edit.clear()
    window.type("to REG1 5 V, 1A.14")
    assert window.frame.entry.prompt.text() == "F1" and "0 of 13 points" in window.frame.subtitle.text()
    window.keys("K")
    window.type("0.1")
    assert window.on_disk()[-1].place == "F1" and window.shell.panel.map.board.has("BR1")


# Plan


def test_a_plans_assumption_is_rung_out_pair_by_pair(school):
    school.stage(7)
    school.keys("C")
    school.type("spare pads: 4A.3=4B.3, 4A.5!4B.6")
    assert school.frame.entry.prompt.text() == "4A.3 = 4B.3" and "2 pairs to ring out" in school.why
    school.keys("R")
    assert "1 pairs to ring out" in school.why
    school.type("0.3")
    assert (
        "spare pads does not hold: 4A.5 and 4B.6 ring" in school.why and school.on_disk()[-1].quantity == "continuity"
    )
    school.keys("Down", "N")
    school.ctrl("z")
    school.desk.pick("cs-8", "4C")
    school.keys("G")
    assert "footprint of 4C: open" in school.row_texts("pairs to ring out")
