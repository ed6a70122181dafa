"""The real window: keys typed, clicks made, text read back, the logbook looked at on disk."""

import weakref

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QTimer, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QLabel, QLineEdit, QMessageBox

from loyal_trace.app.cautions import caution_texts
from loyal_trace.core.assess.moment import Memo
from loyal_trace.core.line.grammar import examples
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.demo.images import reference_image
from loyal_trace.ui.theme import DARK, LIGHT
from loyal_trace.ui.widgets.finder import Finder
from loyal_trace.ui.widgets.first_page import TEACHING
from tests.helpers.builders import tiny_files


def test_the_demo_opens_where_work_left_off(window):
    assert window.wiring.current is Stage.PROBE and window.workspace.place == ("tw-vid", "5D")
    assert window.page.question.text() == "Can 5D do what its pins do?"
    assert "4 of 16 pins probed" in window.page.subtitle.text() and window.about == "VID 5D pin 5 D"
    assert window.shell.stations.title == "Tidewrack two-board set"
    assert window.edit.hasFocus()


def test_a_voltage_and_a_frequency_go_to_the_pin_shown_and_nonsense_is_a_note(window):
    window.type("1.4V")
    assert window.last.pins[0].state == "X" and window.last.pins[0].voltage == 1.4
    window.type("6MHz")
    assert window.last.pins[0].frequency == 6e6 and window.about == "VID 5D pin 7 CLK"
    window.type("banana")
    assert window.last.kind == "note" and window.last.text == "banana" and window.about == "VID 5D pin 7 CLK"


def test_a_click_on_the_map_picks_everywhere(window):
    window.click_part("5A")
    assert window.page.question.text() == "Can 5A do what its pins do?"
    window.stage(Stage.SUSPECTS)
    assert window.shell.panel.map.overlay.selected == "5A"
    window.ctrl("b")
    assert window.shell.panel.map.board.id == "tw-cpu"


def test_roms_show_the_verdict_its_picture_and_the_traced_line(window):
    window.ctrl("b")
    window.stage(Stage.ROMS)
    window.click_part("6C")
    assert "Address line A9" in window.why and "A9 (pin 24)" in window.next
    assert window.figure("picture of the image").isVisible()
    assert any("explains 4,042 wrong bytes, leaves 0" in text for text in window.row_texts("what explains it"))
    assert window.shell.panel.map.overlay.trace[0] == ("6C", 24) and ("6D", 24) in window.shell.panel.map.overlay.trace


def test_the_reader_reads_in_the_background_and_can_be_stopped(window):
    window.ctrl("b")
    window.stage(Stage.ROMS)
    window.click_part("6F")
    count = len(window.on_disk())
    window.press("Read the ROM")
    assert window.workspace.tasks.busy
    window.wait_idle()
    window.qtbot.waitUntil(lambda: len(window.on_disk()) == count + 1)
    assert window.last.place == "6F"
    window.press("Read three times")
    window.qtbot.waitUntil(lambda: window.shell.bar.progress.isVisible(), timeout=5000)
    window.keys("Esc")
    window.wait_idle()
    assert "Stopped" in window.message or len(window.on_disk()) == count + 4


def drop(window, *paths):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    flags = (Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    enter = QDragEnterEvent(window.shell.rect().center(), *flags)
    QApplication.sendEvent(window.shell, enter)
    assert enter.isAccepted()
    QApplication.sendEvent(window.shell, QDropEvent(QPointF(window.shell.rect().center()), *flags))


def test_files_dropped_anywhere_become_reads_of_their_slots(window, tmp_path):
    (tmp_path / "6b.bin").write_bytes(reference_image("tw-cpu", "6B", "A"))
    (tmp_path / "whatever.bin").write_bytes(reference_image("tw-cpu", "6D", "B"))
    drop(window, tmp_path / "6b.bin", tmp_path / "whatever.bin")
    assert [e.place for e in window.on_disk()[-2:]] == ["6B", "6D"]
    count = len(window.on_disk())
    (tmp_path / "odd.bin").write_bytes(b"unknown" * 99)
    drop(window, tmp_path / "odd.bin")
    assert "matches no ROM socket" in window.message and len(window.on_disk()) == count
    (tmp_path / "more.sfv").write_text("6b.bin 00000000\n")
    drop(window, tmp_path / "more.sfv")
    assert window.last.kind == "sums_known"


def test_a_name_that_two_boards_have_is_asked_and_the_socket_shown_is_the_answer(window, tmp_path, monkeypatch):
    odd = tmp_path / "6e.bin"
    odd.write_bytes(b"unknown!" * 77)
    count = len(window.on_disk())
    drop(window, odd)
    assert "TW-CPU 6E or TW-VID 6E" in window.message and "Import a read" in window.message
    assert len(window.on_disk()) == count
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(odd), ""))
    window.pick("tw-vid", "6E")
    window.stage(Stage.ROMS)
    window.press("Import a read")
    assert (window.last.kind, window.last.board, window.last.place) == ("rom_read", "tw-vid", "6E")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: ("", ""))
    window.press("Import a read")
    assert len(window.on_disk()) == count + 1, "a dialog that was closed records nothing"


def test_rails_want_the_caution_read_before_a_reading(window):
    window.stage(Stage.RAILS)
    window.pick("tw-cpu", "F1")
    count = len(window.on_disk())
    window.qtbot.keyClicks(window.edit, "0.08")
    assert window.strip.startswith("First: read the caution first")
    window.keys("Enter")
    assert "read the caution first" in window.message and len(window.on_disk()) == count
    window.press("Sign the caution")
    assert window.edit.text() == "0.08", "what was typed is not lost"
    window.keys("Enter")
    assert window.last.value == pytest.approx(0.08) and window.last.place == "F1"
    assert caution_texts()[Caution.MAINS].text in window.page.caution.label.text()
    window.press("Change limits")
    assert window.workspace.snapshot.decision("supply limits") == "strict"
    assert any("strict" in text for text in window.row_texts("supply limits and blocks"))


def test_suspects_open_to_their_reasons_and_jump_to_the_next_thing(window):
    window.stage(Stage.SUSPECTS)
    texts = window.row_texts("suspects")
    assert "6C" in texts[0] and "98 %" in texts[0]
    window.click_row("suspects", 0)
    reasons = window.row_texts("reasons")
    assert any("against" in text and "A9" in text for text in reasons)
    assert len(window.row_texts("next three measurements")) == 4
    thing = window.workspace.assessment().next[0]
    window.alt("D")
    assert window.wiring.current == thing.stage and window.workspace.place == thing.place


def test_inspect_walks_with_one_key_a_part_and_intake_changes_a_symptom(window):
    window.stage(Stage.INSPECT)
    first = window.workspace.part
    window.pad("G", "C")
    stored = window.on_disk()[-2:]
    assert [e.finding for e in stored] == ["looks good", "corroded"] and stored[0].place == first
    assert stored[1].place != first
    window.stage(Stage.INTAKE)
    window.alt("C")
    assert window.last.kind == "symptom" and window.last.present
    window.type("came in a wet box")
    assert window.last.text == "came in a wet box"


def test_the_finder_lists_every_action_and_runs_one(window):
    finder = Finder(window.ours.commands(), window.shell)
    window.qtbot.addWidget(finder)
    everything = finder.list.count()
    assert everything > 20
    window.qtbot.keyClicks(finder.edit, "verify ctrl+9")
    window.qtbot.keyClick(finder.edit, Qt.Key.Key_Return)
    finder.chosen.run()
    assert window.wiring.current is Stage.VERIFY and finder.list.count() < everything


def test_help_lists_what_can_be_said_and_a_click_puts_it_into_the_line(window):
    seen = []

    def pick():
        finder = QApplication.activeModalWidget()
        shown = [finder.list.item(n).text() for n in range(finder.list.count())]
        seen.append((finder.windowTitle(), finder.about.text(), shown))
        box = finder.list.visualItemRect(finder.list.item(0))
        window.qtbot.mouseClick(finder.list.viewport(), Qt.MouseButton.LeftButton, pos=box.center())

    for stage in Stage:
        window.stage(stage)
        before = len(window.on_disk())
        QTimer.singleShot(0, pick)
        window.qtbot.keyClick(window.focus(), Qt.Key.Key_F1)
        title, about, shown = seen[-1]
        assert title.startswith(stage.title) and len(about) > 60 and len(shown) > 100
        assert window.edit.text() == shown[0] and len(window.on_disk()) == before
        window.qtbot.waitUntil(window.edit.hasFocus)
        window.clear()
    assert all(any(example == line for _, _, shown in seen for line in shown) for _, example in examples())


def test_why_opens_with_everything_behind_the_verdict(window, monkeypatch):
    said = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: said.append((box.windowTitle(), box.text())))
    for stage in Stage:
        window.stage(stage)
        window.qtbot.keyClick(window.focus(), Qt.Key.Key_F2)
    assert [title for title, _ in said] == ["Why"] * 10 and all(text for _, text in said)


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
    for stage in Stage:
        window.stage(stage)
        for edit in window.shell.findChildren(QLineEdit):
            assert edit.accessibleName(), edit
    assert window.shell.panel.map.accessibleDescription().startswith("TW-VID rev B")


@pytest.mark.parametrize("size", [(1280, 800), (1024, 700)])
def test_nothing_is_cut_off_at_small_sizes(window, size):
    window.shell.resize(*size)
    for stage in Stage:
        window.stage(stage)
        for pad in (False, True):
            if window.foot.buttons.pad.isVisible() and window.wiring.pad.on != pad:
                window.keys("F8")
            QApplication.processEvents()
            assert (window.shell.width(), window.shell.height()) == size, (stage, pad)
            for label in window.page.findChildren(QLabel):
                if label.isVisible() and label.wordWrap() and label.text():
                    assert label.heightForWidth(label.width()) <= label.height() + 2, (stage, label.text())
            row = window.foot.buttons
            assert all(row.rect().contains(b.geometry()) for b in row.buttons), stage


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
    assert ours.wiring.workspace.job.title == "A small board" and ours.shell.panel.map.board.id == "tiny"
    ours.shell.stage_asked.emit(3)
    assert "Read U2" in ours.wiring.page.meaning.next.text()
    ours.wiring.foot.buttons.buttons[0].click()
    assert "No ROM reader is connected" in ours.shell.bar.last.text()
    ours.show_jobs()
    assert ours.shell.first.jobs.count() == 1


def test_a_second_window_on_the_same_store_may_look_but_not_write(window, open_window):
    second = open_window(demo=True, store=window.workspace.job.store.folder)
    second.wiring.foot.edit.setText("5D.5 low")
    second.wiring.control.enter()
    assert "read-only" in second.shell.bar.last.text() and second.wiring.foot.edit.text() == "5D.5 low"


def test_a_job_without_a_board_works_at_every_stage(bare, monkeypatch):
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("", False))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: ("", ""))
    for stage in Stage:
        bare.stage(stage)
        bare.keys("Down", "Up", "Enter")
        for label in bare.buttons():
            if stage is not Stage.REPORT and label in bare.buttons():
                bare.press(label)
        bare.wait_idle()
        bare.clear()
        assert bare.page.question.text() and bare.why, stage


def test_anybodys_own_files_are_checked_from_a_list_of_sums_alone(bare, tmp_path):
    import hashlib

    images = {name: reference_image("tw-cpu", name, "B") for name in ("6A", "6B")}
    lines = [f"{hashlib.sha1(data).hexdigest()}  {name.lower()}.bin\n" for name, data in images.items()]
    (tmp_path / "mine.sha1").write_text("".join(lines))
    (tmp_path / "dumps").mkdir()
    (tmp_path / "dumps" / "6a.bin").write_bytes(images["6A"])
    (tmp_path / "dumps" / "6b.bin").write_bytes(bytes(b & 0xDF for b in images["6B"]))
    drop(bare, tmp_path / "mine.sha1")
    drop(bare, tmp_path / "dumps")
    bare.stage(Stage.ROMS)
    assert "Data line D5 reads low" in bare.why
    texts = bare.row_texts("ROM slots")
    assert "6A" in texts[0] and "matches" in texts[0] and "differs" in texts[1]
    assert bare.shell.panel.map.board.name == "Own board"
    bare.ctrl("z")
    assert "differs" not in " ".join(bare.row_texts("ROM slots"))


def test_a_swap_is_typed_at_suspects_and_weighs(window):
    window.stage(Stage.SUSPECTS)
    before = window.probability("tw-cpu", "6C")
    window.click_row("suspects", 0)
    window.type("swap 6C with spare 2: stays")
    assert window.last.kind == "swapped" and window.last.result == "stays"
    assert window.probability("tw-cpu", "6C") < before


def test_closing_the_job_leads_to_the_job_list_and_back(window):
    window.qtbot.mouseClick(window.shell.stations, Qt.MouseButton.LeftButton, pos=QPoint(60, 20))
    assert window.wiring is not None, "the title of the job closes nothing"
    window.ctrl("w")
    assert window.shell.pages.currentWidget() is window.shell.welcome and window.shell.first.jobs.count() == 4
    window.open_job("Tidewrack")
    assert window.shell.pages.currentWidget() is window.shell.desk_page
    assert window.page.question.text() == "Can 5D do what its pins do?"


def test_a_long_job_is_let_go_when_another_is_opened(window, monkeypatch):
    monkeypatch.setattr("loyal_trace.ui.main._LONG_JOB", 0)
    monkeypatch.setattr("loyal_trace.app.job.Memo", Memo)  # the one that all tests share holds on to every job
    left = []
    window.ctrl("l")
    for job in window.workspace.job.store.jobs()[:3]:
        left.append(weakref.ref(window.workspace.job))
        window.ours.open_job(job.id)
        window.stage(Stage.PROBE)
        window.qtbot.wait(10)
        assert left[-1]() is None, job.title


def test_a_job_that_cannot_be_opened_is_named_on_the_list_of_jobs(window):
    window.ours.open_job("lost")
    assert window.shell.pages.currentWidget() is window.shell.welcome and window.wiring is None
    assert "lost" in window.shell.first.state.text() and window.shell.first.jobs.count() == 4


def test_chips_said_at_intake_are_a_board_of_their_own(bare):
    bare.stage(Stage.INTAKE)
    for line in ("5C is 74LS138", "5D is 74ls166", "5D smells after a minute"):
        bare.type(line)
    assert [e.kind for e in bare.on_disk()[-3:]] == ["part_told", "part_told", "note"] and bare.edit.text() == ""
    assert bare.last.place == "5D"
    bare.stage(Stage.PROBE)
    bare.click_part("5C")
    assert bare.page.question.text() == "Can 5C do what its pins do?"
    bare.ctrl("z")
    bare.ctrl("z")
    assert not bare.workspace.job.boards["own"].has("5D")
    bare.ctrl("z", shift=True)
    assert bare.workspace.job.boards["own"].has("5D")
