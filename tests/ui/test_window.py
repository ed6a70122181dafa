"""The real window: keys typed, clicks made, text read back, the logbook looked at on disk."""

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QApplication, QInputDialog, QLabel, QLineEdit, QMessageBox, QWidget

from loyal_trace.core.power.guard import CAUTIONS, MAINS
from loyal_trace.demo.images import true_image
from loyal_trace.ui.theme import DARK, LIGHT
from loyal_trace.ui.widgets.finder import Finder
from loyal_trace.ui.widgets.first_page import TEACHING
from tests.helpers.builders import tiny_files
from tests.ui.driver import Driver


def test_the_demo_opens_where_work_left_off(window):
    assert window.ours.wiring.current == 4 and window.desk.place == ("tw-vid", "5D")
    assert window.frame.question.text() == "Can 5D do what its pins do?"
    assert "4 of 16 pins probed" in window.frame.subtitle.text()
    assert window.shell.stations.title == "Tidewrack two-board set"
    assert window.edit.hasFocus()


def test_pins_typed_one_key_each_are_judged_at_once_and_stored(window):
    before = len(window.on_disk())
    window.keys("P", "L", "P", "L", "H", "P", "P", "P")
    assert window.frame.entry.prompt.text() == "5D.13 QH"
    window.keys("L")
    assert "Pin 13 (QH) may be low" in window.why, "without SHLD and H nothing can be said against it"
    window.keys("P", "P")
    assert "Pin 13 (QH) is low although" in window.why and "it can only be pulsing" in window.why
    stored = window.on_disk()
    assert len(stored) == before + 11 and [p.state for p in stored[-3].pins] == ["L"] and stored[-3].pins[0].pin == 13
    assert window.frame.entry.prompt.text() == "5D.16 VCC"


def test_a_voltage_a_frequency_and_nonsense_in_the_entry_line(window):
    window.type("1.4V")
    assert window.on_disk()[-1].pins[0].state == "X" and window.on_disk()[-1].pins[0].voltage == 1.4
    window.type("6MHz")
    assert window.on_disk()[-1].pins[0].frequency == 6e6
    count = len(window.on_disk())
    window.type("banana")
    assert "is not a pin state" in window.message and len(window.on_disk()) == count
    assert window.edit.text() == "banana", "what was typed is not lost"


def test_undo_takes_back_and_the_drawer_shows_and_retracts(window):
    window.keys("P")
    probed = window.on_disk()[-1]
    window.ctrl("z")
    assert (
        window.on_disk()[-1].target == probed.id and 5 not in window.desk.job.snapshot.readings.pins[("tw-vid", "5D")]
    )
    window.ctrl("l")
    assert window.shell.drawer.isVisible()
    texts = [window.shell.drawer.list.item(i).text() for i in range(window.shell.drawer.list.count())]
    assert any(t.startswith("retracted: ") and "5D.5 pulsing" in t for t in texts)
    window.desk.changed.emit()
    window.shell.drawer.list.setCurrentRow(len(texts) - 3)
    window.qtbot.keyClick(window.shell.drawer.list, Qt.Key.Key_Delete)
    assert len(window.desk.job.retracted) == 2


def test_a_click_on_the_map_picks_everywhere(window):
    window.click_part("5A")
    assert window.frame.question.text() == "Can 5A do what its pins do?"
    window.stage(6)
    assert window.shell.panel.map.overlay.selected == "5A"
    window.ctrl("b")
    assert window.shell.panel.map.board.id == "tw-cpu"


def test_roms_show_the_verdict_its_picture_and_the_traced_line(window):
    window.ctrl("b")
    window.stage(4)
    window.click_part("6C")
    assert "address line A9" in window.why and "A9 (pin 24)" in window.next
    picture = window.frame.evidence.findChild(QWidget, "", Qt.FindChildOption.FindDirectChildrenOnly)
    assert picture is not None
    assert any("explains 4,042 wrong bytes, leaves 0" in text for text in window.row_texts("what explains it"))
    assert window.shell.panel.map.overlay.trace[0] == ("6C", 24) and ("6D", 24) in window.shell.panel.map.overlay.trace


def test_the_reader_reads_in_the_background_and_can_be_stopped(window):
    window.ctrl("b")
    window.stage(4)
    window.click_part("6F")
    count = len(window.on_disk())
    window.keys("R")
    assert window.desk.busy
    window.wait_idle()
    assert len(window.on_disk()) == count + 1 and window.on_disk()[-1].place == "6F"
    window.keys("T")
    window.qtbot.waitUntil(lambda: window.shell.bar.progress.isVisible(), timeout=5000)
    window.desk.stop()
    window.wait_idle()
    assert "stopped" in window.message or len(window.on_disk()) == count + 4


def drop(window, *paths):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    flags = (Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    enter = QDragEnterEvent(window.shell.rect().center(), *flags)
    QApplication.sendEvent(window.shell, enter)
    assert enter.isAccepted()
    QApplication.sendEvent(window.shell, QDropEvent(QPointF(window.shell.rect().center()), *flags))


def test_files_dropped_anywhere_become_reads_of_their_slots(window, tmp_path):
    (tmp_path / "6b.bin").write_bytes(true_image("tw-cpu", "6B", "A"))
    (tmp_path / "whatever.bin").write_bytes(true_image("tw-cpu", "6D", "B"))
    drop(window, tmp_path / "6b.bin", tmp_path / "whatever.bin")
    assert [e.place for e in window.on_disk()[-2:]] == ["6B", "6D"]
    count = len(window.on_disk())
    (tmp_path / "odd.bin").write_bytes(b"unknown" * 99)
    drop(window, tmp_path / "odd.bin")
    assert "matches no ROM socket" in window.message and len(window.on_disk()) == count
    (tmp_path / "more.sfv").write_text("6b.bin 00000000\n")
    drop(window, tmp_path / "more.sfv")
    assert window.on_disk()[-1].kind == "sums_known"


def test_rails_want_the_caution_read_before_a_reading(window):
    window.stage(3)
    count = len(window.on_disk())
    window.type("4.86")
    assert "read the caution first" in window.message and len(window.on_disk()) == count
    window.keys("K")
    window.edit.clear()
    window.type("4.86")
    assert window.on_disk()[-1].value == pytest.approx(4.86) and window.on_disk()[-1].place == "J3.30"
    assert "Mains" in window.frame.caution.label.text() and CAUTIONS[MAINS] in window.frame.caution.label.text()
    window.keys("S")
    assert window.desk.job.snapshot.decision("supply limits") == "strict"
    assert any("strict bad" in text for text in window.row_texts("schools and blocks"))


def test_suspects_open_to_their_reasons_and_jump_to_the_next_thing(window):
    window.stage(6)
    texts = window.row_texts("suspects")
    assert "6C" in texts[0] and "98 %" in texts[0]
    window.click_row("suspects", 0)
    reasons = window.row_texts("reasons")
    assert any("against" in text and "A9" in text for text in reasons)
    assert len(window.row_texts("next three things")) == 4
    thing = window.desk.assessment().next[0]
    window.keys("1")
    assert window.ours.wiring.current == thing.stage and window.desk.place == thing.place


def test_look_walks_with_one_key_a_part_and_intake_toggles_a_symptom(window):
    window.stage(2)
    first = window.frame.entry.prompt.text()
    window.keys("G", "C")
    stored = window.on_disk()[-2:]
    assert [e.finding for e in stored] == ["looks good", "corroded"] and stored[0].place == first
    assert stored[1].place != first
    window.stage(1)
    window.keys("Enter")
    assert window.on_disk()[-1].kind == "symptom" and window.on_disk()[-1].present
    window.type("came in a wet box")
    assert window.on_disk()[-1].text == "came in a wet box"


def test_the_finder_lists_every_action_and_runs_one(window):
    finder = Finder(window.ours.commands(), window.shell)
    window.qtbot.addWidget(finder)
    everything = finder.list.count()
    assert everything > 20
    window.qtbot.keyClicks(finder.edit, "hand back")
    window.qtbot.keyClick(finder.edit, Qt.Key.Key_Return)
    finder.chosen.run()
    assert window.ours.wiring.current == 9 and finder.list.count() < everything


def test_help_and_why_open_for_every_stage(window, monkeypatch):
    said = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: said.append((box.windowTitle(), box.text())))
    for number in range(1, 11):
        window.stage(number)
        window.ours.wiring.help()
        window.ours.wiring.say_why()
    titles = [title for title, _ in said]
    assert titles[0] == "Intake" and titles.count("Why") == 10 and all(len(text) > 40 for _, text in said[::2])


def test_dark_and_light_change_every_widget(window):
    window.ctrl("d")
    assert DARK.paper in QApplication.instance().styleSheet()
    window.ctrl("d")
    assert LIGHT.paper in QApplication.instance().styleSheet()


def luminance(colour):
    channels = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in channels]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


@pytest.mark.parametrize("palette", [LIGHT, DARK])
@pytest.mark.parametrize("ink", ["ink", "soft", "copper", "blue", "good", "bad", "doubtful"])
@pytest.mark.parametrize("ground", ["paper", "panel", "card", "selected"])
def test_text_stands_out_from_its_ground(palette, ink, ground):
    """WCAG 2 contrast of at least 4.5 : 1."""
    light, dark = sorted((luminance(getattr(palette, ink)), luminance(getattr(palette, ground))), reverse=True)
    assert (light + 0.05) / (dark + 0.05) >= 4.5


def test_everything_that_takes_input_has_an_accessible_name(window):
    for number in range(1, 11):
        window.stage(number)
        for edit in window.shell.findChildren(QLineEdit):
            assert edit.accessibleName(), edit
    assert window.shell.panel.map.accessibleDescription().startswith("TW-VID rev B")


def test_nothing_is_cut_off_at_the_smallest_size(window):
    window.shell.resize(1280, 800)
    for number in range(1, 11):
        window.stage(number)
        QApplication.processEvents()
        assert window.shell.width() == 1280 and window.shell.height() == 800
        for label in window.frame.findChildren(QLabel):
            if label.isVisible() and label.wordWrap() and label.text():
                assert label.heightForWidth(label.width()) <= label.height() + 2, (number, label.text())


def test_with_no_data_the_first_page_teaches_and_opens_a_board_folder(open_window, tmp_path, monkeypatch):
    board = tmp_path / "tiny"
    board.mkdir()
    for name, data in tiny_files().items():
        (board / name).write_bytes(data)
    ours = open_window(store=tmp_path / "store")
    shown = [label.text() for label in ours.shell.first.findChildren(QLabel)]
    assert all(any(line in text for text in shown) for line in TEACHING)
    assert not ours.shell.first.jobs.isVisible() and ours.shell.first.demo.isVisible()
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("A small board", True))
    ours.new_job((board,))
    assert ours.wiring.desk.job.title == "A small board" and ours.shell.panel.map.board.id == "tiny"
    ours.shell.stage_asked.emit(3)
    assert "Read U2" in ours.shell.stages.currentWidget().meaning.next.text()
    ours.shell.stages.currentWidget().entry.edit.key_action.emit("R")
    assert "no ROM reader is connected" in ours.shell.bar.last.text()
    ours.show_jobs()
    assert ours.shell.first.jobs.count() == 1


def test_a_second_window_on_the_same_store_may_look_but_not_write(window, open_window):
    second = open_window(demo=True, store=window.desk.job.store.folder)
    second.wiring.stages[4].frame.entry.edit.key_action.emit("P")
    assert "read-only" in second.shell.bar.last.text()


@pytest.fixture
def bare(qtbot, open_window, tmp_path, monkeypatch):
    """A window on an empty store with one new job that has no board at all."""
    ours = open_window(store=tmp_path / "store")
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Loose chips", True))
    ours.new_job()
    return Driver(qtbot, ours)


def test_a_job_without_a_board_works_at_every_stage(bare):
    for number in range(1, 11):
        bare.stage(number)
        bare.keys("Down", "Up", "Enter")
        for hint in bare.frame.entry._hints:
            if hint.key not in ("P", "M", "B") or number != 10:
                bare.edit.key_action.emit(hint.key)
        bare.edit.clear()
        assert bare.frame.question.text() and bare.why


def test_anybodys_own_files_are_checked_from_a_list_of_sums_alone(bare, tmp_path):
    import hashlib

    images = {name: true_image("tw-cpu", name, "B") for name in ("6A", "6B")}
    lines = [f"{hashlib.sha1(data).hexdigest()}  {name.lower()}.bin\n" for name, data in images.items()]
    (tmp_path / "mine.sha1").write_text("".join(lines))
    (tmp_path / "dumps").mkdir()
    (tmp_path / "dumps" / "6a.bin").write_bytes(images["6A"])
    (tmp_path / "dumps" / "6b.bin").write_bytes(bytes(b & 0xDF for b in images["6B"]))
    drop(bare, tmp_path / "mine.sha1")
    drop(bare, tmp_path / "dumps")
    bare.stage(4)
    assert "data line D5 reads low" in bare.why
    texts = bare.row_texts("ROM slots")
    assert "6A" in texts[0] and "matches" in texts[0] and "differs" in texts[1]
    assert bare.shell.panel.map.board.name == "Own board"
    bare.ctrl("z")
    assert "differs" not in " ".join(bare.row_texts("ROM slots"))


def test_a_swap_is_typed_at_suspects_and_weighs(window):
    window.stage(6)
    before = window.belief("tw-cpu", "6C")
    window.click_row("suspects", 0)
    window.type("swap box 2: stays")
    assert window.on_disk()[-1].kind == "swapped" and window.on_disk()[-1].result == "stays"
    assert window.belief("tw-cpu", "6C") < before


def test_a_click_on_the_title_leads_to_the_job_list_and_back(window):
    window.qtbot.mouseClick(window.shell.stations, Qt.MouseButton.LeftButton, pos=QPoint(60, 20))
    assert window.shell.pages.currentWidget() is window.shell.first and window.shell.first.jobs.count() == 3
    window.open_job("Tidewrack")
    assert window.shell.pages.currentWidget() is window.shell.desk_page
    assert window.frame.question.text() == "Can 5D do what its pins do?"


def test_chips_typed_at_intake_are_a_board_of_their_own(bare):
    bare.stage(1)
    for line in ("5C 74LS138", "5D 74ls166", "5D gets hot after a minute"):
        bare.type(line)
    assert [e.kind for e in bare.on_disk()[-3:]] == ["part_told", "part_told", "note"] and bare.edit.text() == ""
    bare.stage(5)
    bare.click_part("5C")
    assert bare.frame.question.text() == "Can 5C do what its pins do?"
    bare.ctrl("z")
    bare.ctrl("z")
    assert not bare.desk.job.boards["own"].has("5D")


def test_one_chip_is_probed_on_its_own_from_its_number(bare):
    bare.stage(5)
    bare.type("74ls00")
    assert bare.frame.question.text() == "Can U1 do what its pins do?"
    bare.keys("L", "P", "L")
    assert "Pin 3 (1Y) is low although pin 1 (1A) is low" in bare.why
