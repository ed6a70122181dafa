"""What users of desktop programs expect: menus and keys, menus under the pointer, questions, looks, restart."""

import json
import os
import subprocess
import sys

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QContextMenuEvent, QKeySequence, QPixmap, QTextDocument
from PyQt6.QtPrintSupport import QPrintPreviewDialog
from PyQt6.QtWidgets import QApplication, QFileDialog, QMenu, QMessageBox

from loyal_trace.app.preferences import Preferences, load_preferences, remember, save_preferences
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.formats.archive import read_archive
from loyal_trace.ui import crash, job_commands
from loyal_trace.ui.one_window import OneWindow, hand_over
from loyal_trace.ui.settings_dialog import SettingsDialog
from loyal_trace.ui.theme import DARK, LIGHT, THEME
from loyal_trace.ui.widgets.finder import Finder
from loyal_trace.ui.widgets.rows import RowList

KEYS = [
    "Ctrl+N",
    "Ctrl+O",
    "Ctrl+S",
    "Ctrl+P",
    "Ctrl+Q",
    "Ctrl+W",
    "Ctrl+F",
    "Ctrl+Z",
    "Ctrl+Shift+Z",
    "Ctrl+C",
    "Ctrl+,",
    "F1",
    "F2",
    "F5",
    "F11",
    "Ctrl++",
    "Ctrl+-",
    "Ctrl+Shift+0",
    "Ctrl+K",
    "Ctrl+L",
    "Ctrl+J",
    "Ctrl+D",
    "Ctrl+1",
    "Ctrl+0",
]


pytestmark = pytest.mark.usefixtures("usual_looks")


def menu_actions(window):
    """Every entry of the menu bar by its menu and words."""
    found = {}
    for top in window.shell.menuBar().actions():
        for action in top.menu().actions():
            found[top.text().replace("&", ""), action.text()] = action
    return found


def trigger(window, menu, words):
    menu_actions(window)[menu, words].trigger()


def clip():
    return QApplication.clipboard().text()


def test_the_usual_keys_are_there_once_each(window):
    keys = [a.shortcut().toString() for a in menu_actions(window).values() if not a.shortcut().isEmpty()]
    assert set(KEYS) <= set(keys) and len(keys) == len(set(keys))
    assert QKeySequence("Ctrl+Shift+0").toString() in keys, "Ctrl+0 is the tenth stage"


def test_ctrl_s_exports_the_job_as_an_archive_that_can_be_read(window, tmp_path, monkeypatch):
    target = tmp_path / "out"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(target), ""))
    trigger(window, "File", "Export the job…")
    archive = read_archive(target.with_suffix(".ltjob"))
    assert archive.job_id == window.workspace.job.id and "exported" in window.message
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: ("", ""))
    trigger(window, "File", "Export the job…")


def test_the_report_is_printed_from_the_same_words_that_are_shown(window):
    text = job_commands.report_document(window.wiring).toPlainText()
    assert window.workspace.job.title in text and "Not tested" in text


def test_ctrl_p_prints_the_labels_at_roms_in_their_true_size_and_the_report_elsewhere(window, monkeypatch, tmp_path):
    titles, painted = [], []

    def paint(dialog):
        titles.append(dialog.windowTitle())
        paper = QPixmap(1000, 400)
        paper.fill()
        painted.append(paper)
        if titles[-1].endswith("report"):
            dialog.printer().setOutputFileName(str(tmp_path / "printed.pdf"))
            dialog.paintRequested.emit(dialog.printer())
        return 0

    monkeypatch.setattr(QPrintPreviewDialog, "exec", paint)
    window.stage(Stage.ROMS)
    trigger(window, "File", "Print the report or the labels…")
    job_commands.draw_sheet(job_commands.label_sheet(window.wiring), painted[0])
    image = painted[0].toImage()
    inked = [x for x in range(1000) if any(image.pixelColor(x, y).lightness() < 128 for y in range(0, 400, 3))]
    per_mm = painted[0].logicalDpiX() / 25.4
    assert abs(inked[0] / per_mm - 12.0) < 0.5, "the first label begins 12 mm from the edge"
    assert 100 * per_mm < inked[-1] <= 185 * per_mm, "six labels across"
    window.stage(Stage.RAILS)
    monkeypatch.setattr(job_commands, "report_document", lambda wiring: QTextDocument("the report"))
    trigger(window, "File", "Print the report or the labels…")
    assert titles == ["Print the labels", "Print the report"]
    assert (tmp_path / "printed.pdf").read_bytes().startswith(b"%PDF")


def test_ctrl_f_finds_a_part_by_its_type_and_an_entry_by_its_words(window, monkeypatch):
    chosen = []

    def pick(finder):
        finder.field.setText(chosen[-1]) if hasattr(finder, "field") else None
        wanted = [c for c in finder._commands if all(w in c.words.lower() for w in chosen[-1].lower().split())]
        finder.chosen = wanted[0]
        return True

    monkeypatch.setattr(Finder, "exec", pick)
    chosen.append("TW-VID 3D 74LS374")
    trigger(window, "Edit", "Find in the job…")
    assert window.workspace.place == ("tw-vid", "3D")
    chosen.append("job opened")
    trigger(window, "Edit", "Find in the job…")
    assert window.shell.drawer.isVisible() and "job opened" in str(window.shell.drawer.list.currentIndex().data())
    window.keys("Esc")
    assert not window.shell.drawer.isVisible(), "Esc leaves what was opened last"


def test_ctrl_c_copies_rows_where_a_list_has_the_keyboard_and_else_the_verdict(window):
    window.pick("tw-cpu", "6C")
    window.stage(Stage.ROMS)
    window.edit.setFocus()
    trigger(window, "Edit", "Copy")
    assert clip().splitlines()[0] == "Do the ROMs match?" and window.why in clip() and window.next in clip()
    rows = window.rows("ROM slots")
    rows.setFocus()
    trigger(window, "Edit", "Copy")
    assert clip() == rows.rows[rows.currentIndex().row()].words
    trigger(window, "Edit", "Copy the picture of this page")
    assert QApplication.clipboard().pixmap().width() == window.page.width()


def menu_of(monkeypatch, do):
    """The menu that an action brings up, not shown."""
    shown = []
    monkeypatch.setattr(job_commands, "popup", lambda menu, at: shown.append(menu))
    do()
    assert len(shown) == 1 and isinstance(shown[0], QMenu)
    return {a.text().partition("\t")[0]: a for a in shown[0].actions() if a.text()}


def right_click(widget, x, y):
    at = QPoint(round(x), round(y))
    event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, widget.mapToGlobal(at))
    QApplication.sendEvent(widget, event)


def test_a_part_of_the_map_has_a_menu_of_stages_and_lines(window, monkeypatch):
    window.pick("tw-vid", "1A")
    board_map = window.shell.panel.map
    at = board_map.rect_of(window.workspace.definition.part("5D")).center()
    menu = menu_of(monkeypatch, lambda: right_click(board_map, at.x(), at.y()))
    assert window.workspace.place == ("tw-vid", "5D") and {"Probe: 5D", "Inspect: 5D", "Copy “5D”"} <= set(menu)
    menu["Enter “5D removed”"].trigger()
    assert window.edit.text() == "5D removed"
    menu["Probe: 5D"].trigger()
    assert window.wiring.current is Stage.PROBE
    window.clear()
    chip = window.figure("chip from above")
    menu = menu_of(monkeypatch, lambda: right_click(chip, chip.width() / 2 - 90, chip.pin_y(4)))
    assert "Read the probe" in menu and window.wiring.presenter.pin == 4


def test_slots_and_log_lines_have_menus_too(window, monkeypatch):
    window.stage(Stage.ROMS)
    rows = window.rows("ROM slots")
    box = rows.visualRect(rows.model().index(3))
    menu = menu_of(monkeypatch, lambda: right_click(rows.viewport(), box.center().x(), box.center().y()))
    assert "Read the ROM" in menu
    menu["Copy the text"].trigger()
    assert clip() == rows.rows[3].words
    window.ctrl("l")
    log = window.shell.drawer.list
    menu = menu_of(
        monkeypatch, lambda: log.customContextMenuRequested.emit(log.visualRect(log.currentIndex()).center())
    )
    count = len(window.on_disk())
    menu["Undo this entry"].trigger()
    assert len(window.on_disk()) == count + 1 and window.last.kind == "retracted"


def test_the_hand_over_asks_first_and_says_what_it_does(window, asked):
    window.stage(Stage.REPORT)
    asked.answer_no()
    count = len(window.on_disk())
    window.press("Hand the job back")
    (question, consequence) = asked.questions[-1]
    assert question == "Hand the job back?" and "not tested" in consequence and "Ctrl+Z undoes it" in consequence
    assert len(window.on_disk()) == count


def test_closing_with_typed_text_asks_and_no_keeps_the_window(window, asked):
    window.qtbot.keyClicks(window.edit, "5D replac")
    asked.answer_no()
    assert not window.shell.close() and window.shell.isVisible() and "5D replac" in asked.questions[-1][1]
    trigger(window, "File", "Close the job")
    assert window.wiring is not None
    window.clear()
    trigger(window, "File", "Close the job")
    assert window.ours.wiring is None and window.shell.pages.currentWidget() is window.shell.welcome


def test_a_second_report_does_not_overwrite_the_first(window):
    window.stage(Stage.REPORT)
    for _ in range(2):
        window.press("Write PDF")
    folder = window.workspace.job.store.folder / "reports"
    assert {f.name for f in folder.iterdir()} == {"gp-0147.pdf", "gp-0147-2.pdf"}


def test_esc_leaves_a_further_page_before_the_drawer(window):
    window.stage(Stage.ROMS)
    window.pick("tw-cpu", "6C")
    window.press("Show bytes")
    window.qtbot.keyClicks(window.edit, "abc")
    window.keys("Esc")
    assert window.edit.text() == "" and "Show the sockets" in window.buttons(), "text first"
    window.keys("Esc")
    assert "Show bytes" in window.buttons()


def test_text_size_and_colours_are_remembered_and_applied(window):
    wide = window.page.question.font().pixelSize()
    low = window.shell.stations.height()
    for _ in range(3):
        trigger(window, "View", "Larger text")
    assert window.page.question.font().pixelSize() == round(wide * 1.3) and window.shell.stations.height() > low
    window.stage(Stage.PLAN)
    assert window.page.question.font().pixelSize() == round(wide * 1.3), "pages made later are as large"
    trigger(window, "View", "Dark or light")
    folder = window.workspace.job.store.folder
    known = load_preferences(folder)
    assert (known.text_size, known.colours, THEME.palette) == (130, "dark", DARK)
    trigger(window, "View", "Usual text size")
    assert window.page.question.font().pixelSize() == wide and window.shell.stations.height() == low
    for _ in range(20):
        trigger(window, "View", "Smaller text")
    assert load_preferences(folder).text_size == 80


def test_settings_keep_name_colours_and_size(qtbot, window, monkeypatch):
    def fill(dialog):
        dialog.name.setText("  A. Tern ")
        dialog.colours.setCurrentIndex(1)
        dialog.text_size.setValue(120)
        return True

    monkeypatch.setattr(SettingsDialog, "exec", fill)
    trigger(window, "Edit", "Settings…")
    folder = window.workspace.job.store.folder
    known = load_preferences(folder)
    assert (known.name, known.colours, known.text_size) == ("A. Tern", "light", 120) and THEME.palette is LIGHT
    window.type("note of the evening")
    assert window.last.author == "A. Tern", "the name of the person signs"


def test_preferences_round_trip_and_a_damaged_file_is_none(tmp_path):
    told = Preferences({Stage.PROBE: True}, "A. Tern", "j1", "roms", "00ff", 150, "dark")
    save_preferences(tmp_path, told)
    assert load_preferences(tmp_path) == told and remember(tmp_path, name="B").text_size == 150
    (tmp_path / "window.toml").write_text('text_size = "huge"\ncolours = "pink"\nname = 3\n', encoding="utf-8")
    assert load_preferences(tmp_path) == Preferences()


def test_the_last_job_and_stage_come_back_after_a_restart(open_window, tmp_path, bare):
    job = bare.workspace.job.id
    bare.stage(Stage.SUSPECTS)
    bare.shell.resize(1100, 760)
    bare.shell.close()
    again = open_window(store=tmp_path / "store")
    assert again.wiring.workspace.job.id == job and again.wiring.current is Stage.SUSPECTS
    recent = [m for m in again.shell.menuBar().actions()[0].menu().actions() if m.menu() is not None]
    recent[0].menu().aboutToShow.emit()
    assert [a.text() for a in recent[0].menu().actions()] == ["Loose chips"]


def test_a_second_start_hands_its_files_over_and_ends(qtbot, tmp_path):
    came = []
    assert not hand_over(tmp_path, ()), "nobody is there"
    first = OneWindow(tmp_path, came.append)
    code = (
        "import sys; from pathlib import Path; from PyQt6.QtCore import QCoreApplication; a = QCoreApplication([]);"
        "from loyal_trace.ui.one_window import hand_over; sys.exit(0 if hand_over(Path(sys.argv[1]), (Path(sys.argv[2]),)) else 3)"
    )
    second = subprocess.Popen([sys.executable, "-c", code, str(tmp_path), str(tmp_path / "x.ltjob")], env=os.environ)
    qtbot.waitUntil(lambda: bool(came), timeout=20_000)
    assert second.wait(20) == 0 and [f.name for f in came[0]] == ["x.ltjob"]
    first.close()
    assert not hand_over(tmp_path, ())


def test_an_unexpected_error_is_said_with_what_is_safe_and_without_private_words(monkeypatch, tmp_path):
    try:
        raise KeyError("owner: Private Person, /home/someone/store")
    except KeyError as error:
        told = (type(error), error, error.__traceback__)
    box = crash.error_box(*told)
    assert "Nothing that was recorded is lost" in box.informativeText() and "KeyError" in box.text()
    assert "test_desktop.py" in box.detailedText() and "Private" not in box.detailedText()
    assert "/" not in box.detailedText().split("Linux")[0] and any("diagnostics" in b.text() for b in box.buttons())
    target = tmp_path / "d.txt"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(target), ""))
    monkeypatch.setattr(QMessageBox, "exec", lambda box: 0)
    monkeypatch.setattr(QMessageBox, "clickedButton", lambda box: box.buttons()[0])
    monkeypatch.setattr(sys, "__excepthook__", lambda *a: None)
    crash.report_error(*told)
    assert not target.exists() or "Loyal Trace" in target.read_text(encoding="utf-8")


def test_the_tree_of_boards_says_every_part_in_words_and_keeps_step_with_the_map(window):
    trigger(window, "View", "Boards and parts as a list")
    tree = window.shell.panel.outline
    model = tree.model()
    boards = [model.item(n) for n in range(model.rowCount())]
    assert [b.text() for b in boards] == [b.title for b in window.workspace.job.boards.values()]
    window.stage(Stage.ROMS)
    words = [boards[0].child(n).text() for n in range(boards[0].rowCount())]
    assert len(words) == len(window.workspace.job.boards["tw-cpu"].parts)
    assert any(w.startswith("6C 27C64: ") and "nothing known" not in w for w in words)
    window.pick("tw-vid", "5D")
    assert tree.currentIndex().data().startswith("5D 74LS166")
    tree.setCurrentIndex(boards[0].child(3).index())
    assert window.workspace.place == tuple(boards[0].child(3).data(Qt.ItemDataRole.UserRole))


def test_reading_again_takes_the_drawer_from_disk(window):
    folder = window.workspace.job.store.folder
    (folder / "drawer.csv").write_text("number,count\n74LS999,4\n", encoding="utf-8")
    trigger(window, "View", "Read again from disk")
    assert [i.number for i in window.workspace.moment.drawer] == ["74LS999"] and "Read again" in window.message
    (folder / "drawer.csv").write_text("count\n4\n", encoding="utf-8")
    trigger(window, "View", "Read again from disk")
    assert "Not done" in window.message or "number" in window.message


def lightness(colour):
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [p / 12.92 if p <= 0.03928 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(one, other):
    """WCAG 2.1: (L1 + 0.05) / (L2 + 0.05), the lighter above."""
    low, high = sorted((lightness(one), lightness(other)))
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("palette", [LIGHT, DARK], ids=["light", "dark"])
def test_every_text_and_every_border_stands_out_from_every_ground(palette):
    grounds = ("paper", "panel", "card")
    texts = ("ink", "soft", "copper", "blue", "good", "bad", "doubtful")
    for ground in (*grounds, "selected", "caution"):
        for text in texts:
            assert contrast(getattr(palette, text), getattr(palette, ground)) >= 4.5, (text, ground)
    for ground in grounds:
        for border in ("line", "copper_light", "copper", "blue"):
            assert contrast(getattr(palette, border), getattr(palette, ground)) >= 3, (border, ground)
    assert contrast(palette.card, palette.blue) >= 4.5 and contrast(palette.card, palette.copper) >= 4.5


@pytest.mark.parametrize("dark", [False, True])
def test_a_placeholder_is_as_strong_as_soft_text(window, dark):
    window.shell.set_dark(dark)
    colour = QApplication.palette().placeholderText().color()
    assert colour.name().lower() == THEME.palette.soft.lower() and colour.alpha() == 255


def test_the_document_of_a_row_list_is_a_list(qtbot):
    rows = RowList("slots")
    qtbot.addWidget(rows)
    assert json.dumps(rows.accessibleName()) == '"slots"'
