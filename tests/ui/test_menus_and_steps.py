"""What the mouse and the dialogs do: files and folders chosen, steps and spares picked, reports written by hand."""

import pytest
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from loyal_trace.demo.images import program_image
from loyal_trace.ui.screenshots import SHOTS, take_all
from tests.helpers.builders import tiny_files


def plan_of(window):
    return window.desk.assessment().plan


def test_a_step_is_opened_by_arrow_click_or_by_its_part_on_the_map(window):
    window.stage(8)
    steps = plan_of(window).steps
    opened = []
    for _ in steps:
        opened.append(window.frame.entry.prompt.text())
        window.keys("Down")
    assert opened == [s.place[1] for s in steps] and window.frame.entry.prompt.text() == opened[0], "round and round"
    window.keys("Up")
    assert window.frame.entry.prompt.text() == opened[-1]
    window.click_row("all steps", 1)
    assert window.frame.entry.prompt.text() == opened[0] and window.desk.part == opened[0]


def test_the_spare_that_goes_in_is_the_one_chosen_by_its_number(window):
    window.desk.pick("tw-vid", "5D")
    window.stage(5)
    window.keys("A")
    window.stage(8)
    spares = [t for t in window.row_texts("spares") if "drawer" in t]
    assert len(spares) == 2 and "unknown until proven" in spares[0]
    window.keys("2", "Enter")
    fitted = next(e for e in reversed(window.on_disk()) if e.kind == "fitted")
    assert fitted.place == "5D" and fitted.origin in spares[1] and fitted.origin not in spares[0]
    window.keys("9")
    assert window.desk.job.last_action().kind == "step_done", "a ninth spare there is not"


def test_a_finished_step_cannot_be_finished_twice_and_undo_opens_it_again(window):
    window.stage(8)
    first = plan_of(window).steps[0]
    window.keys("Enter")
    assert next(s for s in plan_of(window).steps if s.id == first.id).done
    assert window.frame.entry.prompt.text() != first.place[1], "the next open step comes by itself"
    window.ctrl("z")
    assert not next(s for s in plan_of(window).steps if s.id == first.id).done


def test_files_are_chosen_by_dialog_as_well(window, tmp_path, monkeypatch):
    (tmp_path / "6F.bin").write_bytes(program_image("anything", 0x2000))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a, **k: ([str(tmp_path / "6F.bin")], ""))
    window.ctrl("o")
    last = window.on_disk()[-1]
    assert last.kind == "rom_read" and last.place == "6F" and last.file_name == "6F.bin"
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a, **k: ([], ""))
    window.ctrl("o")
    assert window.on_disk()[-1] == last, "a dialog left alone changes nothing"


@pytest.mark.parametrize(("title", "accepted"), [("", True), ("   ", True), ("A board", False)])
def test_a_job_without_a_title_is_not_opened(open_window, tmp_path, monkeypatch, title, accepted):
    ours = open_window(store=tmp_path / "store")
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: (title, accepted))
    ours.new_job()
    assert ours.store.jobs() == () and ours.shell.pages.currentWidget() is ours.shell.first


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
    assert ours.wiring.desk.job.boards["tiny"].name == "Tiny" and len(ours.store.jobs()) == 1


def test_the_report_is_written_under_a_typed_name_and_a_folder_that_is_a_file_is_said(window, tmp_path):
    window.stage(10)
    window.type("for the owner.html")
    written = window.desk.job.store.folder / "reports" / "for the owner.html"
    assert "Tidewrack" in written.read_text() and "written" in window.message
    window.type("for the owner.html/again.pdf")
    assert "for the owner.html" in window.message and "Traceback" not in window.message
    window.keys("G")
    assert window.on_disk()[-1].choice == "good enough"


def test_the_pictures_of_the_documents_can_be_taken_at_any_time(qapp, tmp_path):
    take_all(tmp_path, only=("suspects", "first-page"))
    assert {p.name for p in tmp_path.iterdir()} == {"suspects.png", "first-page.png"}
    assert all(p.read_bytes().startswith(b"\x89PNG") for p in tmp_path.iterdir()) and len(SHOTS) == 10


def test_the_finder_reaches_what_other_stages_do(window):
    words = [c.words for c in window.ours.commands()]
    assert words[0].startswith("Probe: ") and len(set(words)) == len(words), "what can be done here comes first"
    command = next(c for c in window.ours.commands() if c.words == "Plan: order of work")
    school = plan_of(window).order
    command.run()
    assert window.ours.wiring.current == 6 and plan_of(window).order != school


def test_an_answer_to_a_mark_changes_the_board_and_a_wrong_one_is_warned_of(window):
    window.stage(1)
    window.desk.pick("tw-cpu", "6C")
    assert window.desk.job.boards["tw-cpu"].has("C3") and not window.desk.job.boards["tw-cpu"].has("CR3")
    rows = window.row_texts("intake sheet")
    window.click_row("intake sheet", next(i for i, t in enumerate(rows) if "at 1G" in t))
    assert window.on_disk()[-1].choice == "a diode"
    told = " ".join(window.row_texts("intake sheet"))
    assert "the marks disagree: “etched beside J1” says C, “at 1G” says B" in told
    assert window.desk.job.boards["tw-cpu"].has("C3"), "while they disagree the definition counts"
    rows = window.row_texts("intake sheet")
    window.click_row("intake sheet", next(i for i, t in enumerate(rows) if "etched beside J1" in t))
    assert window.on_disk()[-1].choice == "worn away"
    board = window.desk.job.boards["tw-cpu"]
    assert board.revision == "B" and board.has("CR3") and not board.has("C3") and window.shell.panel.map.board is board
    window.ctrl("z")
    assert window.desk.job.boards["tw-cpu"].has("C3")
