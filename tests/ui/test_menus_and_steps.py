"""What the mouse and the dialogs do: files and folders chosen, steps and spares picked, reports written by hand."""

import pytest
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.demo.images import program_image
from loyal_trace.ui.screenshots import STAGES, take_all
from tests.helpers.builders import tiny_files


def plan_of(window):
    return window.workspace.assessment().plan


def test_a_step_is_opened_by_arrow_click_or_by_its_part_on_the_map(window):
    window.stage(Stage.REPAIR)
    steps = plan_of(window).steps
    opened = []
    for _ in steps:
        window.keys("Down")
        opened.append(window.figure("the step in hand").view.title)
    assert sorted(title.split()[-1] for title in opened) == sorted(s.place.refdes for s in steps)
    window.keys("Down")
    assert window.figure("the step in hand").view.title == opened[0], "round and round"
    window.keys("Up")
    assert window.figure("the step in hand").view.title == opened[-1]
    window.click_row("all steps", 1)
    assert window.workspace.place == steps[0].place


def test_the_spare_that_goes_in_is_the_one_chosen(window):
    window.pick("tw-vid", "5D")
    window.stage(Stage.PROBE)
    window.press("Probe all pins")
    window.stage(Stage.REPAIR)
    spares = [t for t in window.row_texts("spares") if "drawer" in t]
    assert len(spares) == 2 and "unknown until proven" in spares[0]
    window.click_row("spares", 2)
    window.press("Step done")
    fitted = next(e for e in reversed(window.on_disk()) if e.kind == "fitted")
    assert fitted.place == "5D" and fitted.origin in spares[1] and fitted.origin not in spares[0]


def test_a_finished_step_cannot_be_finished_twice_and_undo_opens_it_again(window):
    window.stage(Stage.REPAIR)
    window.press("Next step")
    first = plan_of(window).steps[0]
    window.press("Step done")
    assert next(s for s in plan_of(window).steps if s.id == first.id).done
    assert window.workspace.place != first.place, "the next open step comes by itself"
    window.ctrl("z")
    assert not next(s for s in plan_of(window).steps if s.id == first.id).done


def test_every_menu_has_what_users_expect_and_board_has_the_commands_of_the_stage(window):
    menus = {a.text().replace("&", ""): a.menu() for a in window.shell.menuBar().actions()}
    assert list(menus) == ["File", "Edit", "Go", "Board", "View", "Help"]
    assert [a.text() for a in menus["Edit"].actions()][:2] == ["Undo", "Redo"]
    menus["Board"].aboutToShow.emit()
    shown = [a.text() for a in menus["Board"].actions()]
    assert "Probe: Probe all pins\tAlt+A" in shown
    window.stage(Stage.ROMS)
    window.pick("tw-cpu", "6C")
    menus["Board"].aboutToShow.emit()
    shown = [a.text() for a in menus["Board"].actions()]
    assert not any(text.startswith("Probe") for text in shown) and "ROMs: Read the ROM\tAlt+R" in shown


def test_files_are_chosen_by_dialog_as_well(window, tmp_path, monkeypatch):
    (tmp_path / "6F.bin").write_bytes(program_image("anything", 0x2000))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a, **k: ([str(tmp_path / "6F.bin")], ""))
    window.ctrl("o")
    last = window.last
    assert last.kind == "rom_read" and last.place == "6F" and last.file_name == "6F.bin"
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a, **k: ([], ""))
    window.ctrl("o")
    assert window.last == last, "a dialog left alone changes nothing"


@pytest.mark.parametrize(("title", "accepted"), [("", True), ("   ", True), ("A board", False)])
def test_a_job_without_a_title_is_not_opened(open_window, tmp_path, monkeypatch, title, accepted):
    ours = open_window(store=tmp_path / "store")
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: (title, accepted))
    ours.new_job()
    assert ours.store.jobs() == () and ours.shell.pages.currentWidget() is ours.shell.welcome


def test_a_board_folder_is_chosen_by_dialog_and_a_broken_one_says_what_is_wrong(open_window, tmp_path, monkeypatch):
    for folder, files in (("good", tiny_files()), ("broken", tiny_files(nets="net,pins\nA,U99.1\n"))):
        (tmp_path / folder).mkdir()
        for name, data in files.items():
            (tmp_path / folder / name).write_bytes(data)
    ours = open_window(store=tmp_path / "store")
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("From a folder", True))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(tmp_path / "broken"))
    ours.new_from_board()
    assert "U99" in ours.shell.first.state.text() and ours.store.jobs() == ()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(tmp_path / "good"))
    ours.new_from_board()
    assert ours.wiring.workspace.job.boards["tiny"].name == "Tiny" and len(ours.store.jobs()) == 1


def test_the_pictures_of_the_documents_can_be_taken_at_any_time(qapp, tmp_path):
    take_all(tmp_path, only=("own-board", "first-page"))
    assert {p.name for p in tmp_path.iterdir()} == {"own-board.png", "first-page.png"}
    assert all(p.read_bytes().startswith(b"\x89PNG") for p in tmp_path.iterdir()) and len(STAGES) == 10


def test_the_finder_reaches_what_other_stages_do(window):
    words = [c.words for c in window.ours.commands()]
    assert words[0].startswith("Probe: "), "what can be done here comes first"
    command = next(c for c in window.ours.commands() if c.words == "Plan: Change the repair order")
    order = plan_of(window).order
    command.run()
    assert window.wiring.current is Stage.PLAN and plan_of(window).order != order
    said = next(c for c in window.ours.commands() if c.words == "5D.13 4.87V")
    said.run()
    assert window.edit.text() == "5D.13 4.87V"


def test_an_answer_to_a_mark_changes_the_board_and_a_wrong_one_is_warned_of(window):
    window.stage(Stage.INTAKE)
    window.workspace.pick("tw-cpu", "6C")
    assert window.workspace.job.boards["tw-cpu"].has("C3") and not window.workspace.job.boards["tw-cpu"].has("CR3")
    window.click_row_of("intake sheet", "at 1G")
    window.press("Change the selected line")
    assert window.last.choice == "a diode"
    told = " ".join(window.row_texts("intake sheet"))
    assert "the marks disagree: “etched beside J1” says C, “at 1G” says B" in told
    assert window.workspace.job.boards["tw-cpu"].has("C3"), "while they disagree the definition counts"
    window.click_row_of("intake sheet", "etched beside J1 ")
    window.press("Change the selected line")
    assert window.last.choice == "worn away"
    board = window.workspace.job.boards["tw-cpu"]
    assert board.revision == "B" and board.has("CR3") and not board.has("C3") and window.shell.panel.map.board is board
    window.ctrl("z")
    assert window.workspace.job.boards["tw-cpu"].has("C3")
