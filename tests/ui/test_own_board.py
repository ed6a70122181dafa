"""A board of one's own in the real window: the map without positions, facts to enter, the grid of functions."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QInputDialog

from loyal_trace.app.importers import import_files
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.outline import pin_places
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.demo.camera import camera_matrix, photograph

LIST = "Ref,Part,Value\nU1,74LS138,\nU2,4066,\nU3,LM324,\nU4,4066,\nC1,,100u 16V\nJ2,plug,\nZ1,HYB-3,\n"


@pytest.fixture
def own(window, tmp_path):
    """A job without any board, and a list of seven parts dropped into it."""
    from loyal_trace.app.job import open_new_job

    path = tmp_path / "parts.csv"
    path.write_text(LIST)
    job = open_new_job(window.ours.store, "Own", [], environment=window.ours.environment())
    window.ours.open_job(job)
    import_files(window.workspace.job, [path])
    window.workspace.changed.emit()
    window.workspace.pick("own", "")
    return window


def test_every_part_is_large_enough_to_read_and_a_click_picks_it(own):
    shown = own.shell.panel.map
    plan = shown.plan
    assert set(plan.bodies) == {"U1", "U2", "U3", "U4", "C1", "J2", "Z1"}
    rects = list(plan.bodies.values())
    assert all(rect.height() >= 24 and shown.rect().contains(rect.toAlignedRect()) for rect in rects)
    assert not any(a.intersects(b) for n, a in enumerate(rects) for b in rects[:n])
    own.qtbot.mouseClick(shown, Qt.MouseButton.LeftButton, pos=plan.bodies["U3"].center().toPoint())
    assert own.workspace.part == "U3"


def test_an_example_is_put_into_the_line_by_a_click_and_enter_records_it(own):
    own.stage(Stage.SUSPECTS)
    rows = own.rows("worth entering next")
    assert rows.rows[1].words.startswith("1 fails: gun")
    before = len(own.on_disk())
    own.qtbot.mouseClick(
        rows.viewport(), Qt.MouseButton.LeftButton, pos=rows.visualRect(rows.model().index(1, 0)).center()
    )
    assert own.edit.text() == "fails: gun" and len(own.on_disk()) == before, "nothing is recorded yet"
    own.keys("Enter")
    assert own.last.kind == "function" and "path gun:" in own.row_texts("worth entering next")[1]


def test_the_grid_shows_the_shared_part_and_answers_to_clicks(own):
    own.stage(Stage.SUSPECTS)
    for text in ("path bell: U1 U2 J2", "path speech: U1 U4 J2", "fails: bell", "works: speech", "fails: horn"):
        own.type(text)
    view = own.figure("grid of functions")
    grid = view.grid
    columns = [column.refdes for column in grid.columns]
    assert columns[grid.marked] == "U2", "the likeliest part is marked"
    middle = view.column_left(columns.index("U4")) + 10
    own.qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(int(middle), 10))
    assert own.workspace.part == "U4"
    row = [row.name for row in grid.rows].index("horn")
    own.qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(40, 38 + 25 * row + 12))
    assert own.edit.text() == "path horn: "


def test_sources_that_disagree_are_shown_at_intake_and_an_answer_settles_it(own, tmp_path):
    path = tmp_path / "second.csv"
    path.write_text("Ref,Part\nU3,LM339\n")
    import_files(own.workspace.job, [path])
    own.workspace.changed.emit()
    own.stage(Stage.INTAKE)
    told = " | ".join(own.row_texts("intake sheet"))
    assert "U3, type: LM324 counts (parts.csv), but LM339 (second.csv)" in told and "Types 6 of 7" in told
    rows = own.rows("intake sheet")
    index = next(i for i, row in enumerate(rows.rows) if row.words.startswith("U3, type"))
    own.wiring.presenter.row_picked("intake sheet", index)
    own.wiring.presenter.row_picked("intake sheet", index)
    assert own.edit.text() == "U3 is LM339"
    own.keys("Enter")
    assert own.workspace.job.boards["own"].part("U3").number == "LM339"
    assert "but" not in " | ".join(own.row_texts("intake sheet"))


# The board as it really is, which the photo is taken of; the job knows its parts list alone.
REAL = BoardDefinition(
    "real",
    "Real",
    width=160,
    height=120,
    parts=(
        Part("U1", "74LS138", "DIP-16", x=40, y=30),
        Part("U2", "4066", "DIP-14", x=110, y=80, rotation=90),
        Part("C1", "100u", kind="capacitor", polarised=True, x=130, y=30),
        Part("J2", "plug", kind="connector", x=60, y=100),
    ),
)


def on_photo(x, y):
    u, v, w = camera_matrix(REAL) @ np.array([x, y, 1.0])
    return u / w, v / w


def click(window, x, y):
    """A click on the photo where a place (mm) of the real board is seen."""
    view = window.figure("photo of the board")
    window.qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=view.on_screen(*on_photo(x, y)).toPoint())


def click_corners_of(window, refdes):
    """Pin 1 and the pin in the opposite corner; the two edges of a round part."""
    part = REAL.part(refdes)
    pins = pin_places(part)
    ends = [pins[1], pins[len(pins) // 2 + 1]] if pins else [(part.x - 6, part.y), (part.x + 6, part.y)]
    for x, y in ends:
        click(window, x, y)


@pytest.fixture
def photographed(own, tmp_path):
    """The list's board at Inspect with a photo of the real one shown."""
    path = tmp_path / "front.jpg"
    path.write_bytes(photograph(REAL))
    own.stage(Stage.INSPECT)
    own.shell.files_dropped.emit([path])
    own.press("Show the next photo")
    return own


def test_a_known_length_the_corners_and_two_clicks_a_part_make_real_distances(photographed, monkeypatch):
    own = photographed
    own.workspace.pick("own", "U1")
    assert "no scale yet" in own.why and "Place parts" not in own.buttons()
    asked = []
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: asked.append((a[1:], k)) or ("17.78", True))
    own.press("Give a known length")
    assert asked and "17.78" in str(asked), "the row of pins of the picked DIP-16 is offered"
    pins = pin_places(REAL.part("U1"))
    click(own, *pins[1])
    click(own, *pins[8])
    own.press("Click the corners")
    for corner in ((0, 0), (160, 0), (160, 120), (0, 120)):
        click(own, *corner)
    board = own.workspace.definition
    assert (board.width, board.height) == (pytest.approx(160, rel=0.15), pytest.approx(120, rel=0.15))
    own.press("Place parts")
    for refdes in ("U1", "U2"):
        own.workspace.pick("own", refdes)
        click_corners_of(own, refdes)
    found = {p.refdes: p for p in own.workspace.definition.parts if p.placed}
    assert set(found) == {"U1", "U2"} and found["U2"].rotation == 90 and found["U1"].rotation == 0
    scale = own.workspace.definition.width / 160
    assert (found["U2"].x, found["U2"].y) == (pytest.approx(110 * scale, abs=2), pytest.approx(80 * scale, abs=2))
    assert own.shell.panel.map.plan.tray.title == "5 parts not placed"
    own.ctrl("z")
    assert not own.workspace.definition.part("U2").placed, "one placing is one step"


def test_with_the_size_said_the_corners_alone_are_enough_and_a_name_may_follow_the_clicks(photographed):
    own = photographed
    own.type("board 160 x 120 mm")
    own.press("Click the corners")
    for corner in ((0, 0), (160, 0), (160, 120), (0, 120)):
        click(own, *corner)
    own.workspace.pick("own", "C1")
    own.press("Place parts")
    view = own.figure("photo of the board")
    view.zoom_at(QPointF(view.on_screen(*on_photo(130, 30))), 3.0)
    click_corners_of(own, "C1")
    part = own.workspace.definition.part("C1")
    assert (part.x, part.y, part.diameter) == pytest.approx((130, 30, 12), abs=0.6), "zoomed in, to half a millimetre"
    own.workspace.pick("own", "")
    view.zoom_at(QPointF(0, 0), 0.01)
    click_corners_of(own, "U2")
    assert "enter what it is" in own.next.lower()
    own.type("U9 is 4066")
    part = own.workspace.definition.part("U9")
    assert part.placed and (part.x, part.y) == pytest.approx((110, 80), abs=1.0)
    told = own.workspace.snapshot.facts.parts["own", "U9"][-1]
    assert (told.origin, told.source) == ("photo", "front.jpg")


@pytest.fixture
def columns(monkeypatch):
    """The preview over the columns of a list is answered with OK; what it showed is kept."""
    from loyal_trace.ui.widgets.column_dialog import ColumnDialog

    seen = []

    def answer(dialog):
        seen.append((dialog.columns, [dialog.preview.item(1, c).text() for c in range(dialog.preview.columnCount())]))
        return dialog.answer

    monkeypatch.setattr(ColumnDialog, "answer", ColumnDialog.DialogCode.Accepted, raising=False)
    monkeypatch.setattr(ColumnDialog, "exec", answer)
    return seen


def test_a_list_copied_from_a_page_is_shown_with_its_columns_and_imported(own, columns):
    QGuiApplication.clipboard().setText("U8   74LS244   buffer\nU9   74LS74\nC7   47u 16V\n")
    own.edit.setFocus()
    own.qtbot.keyClick(own.edit, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert columns == [({"refdes": 0, "part": 1}, ["U8", "74LS244", "buffer"])]
    board = own.workspace.job.boards["own"]
    assert board.part("U9").number == "74LS74" and board.part("C7").voltage == 16
    own.ctrl("z")
    assert not own.workspace.job.boards["own"].has("U8")
    QGuiApplication.clipboard().setText("the owner says\nit hums")
    own.qtbot.keyClick(own.edit, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert own.edit.text() == "the owner says it hums" and len(columns) == 1


def test_a_dropped_list_or_netlist_is_shown_before_it_is_imported_and_can_be_given_up(own, columns, asked, tmp_path):
    parts, pins = tmp_path / "more.csv", tmp_path / "pins.csv"
    parts.write_text("Ref,Part\nU8,74LS244\n")
    pins.write_text("net,part,pin\nD0,U1,9\nD0,U2,11\nX,U9,1\n")
    asked.answer_no()
    own.shell.files_dropped.emit([pins])
    assert "1 net, 2 pins" in asked.questions[-1][1] and "Not used: 1 net with only one pin" in asked.questions[-1][1]
    assert not own.workspace.job.boards["own"].nets
    asked.answer = True
    own.shell.files_dropped.emit([parts, pins])
    board = own.workspace.job.boards["own"]
    assert board.has("U8") and board.net_of("U1", 9) == "D0" and len(columns) == 1


def test_the_report_page_saves_the_board_for_the_next_job(own):
    own.stage(Stage.REPORT)
    own.press("Save the board")
    assert "board saved in own" in own.message
    saved = own.ours.store.folder / "boards" / "own"
    assert "U2,4066" in (saved / "parts.csv").read_text() and own.ours._saved_boards() == str(saved.parent)


def test_a_newcomers_board_is_in_within_fifteen_minutes_counted_in_clicks_and_keys(
    window, tmp_path, columns, monkeypatch
):
    """List, photo, two ROMs, one path: as docs/first-board.md says, at a second a click and three keys a second."""
    own, count = window, {"clicks": 0, "keys": 0}
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Own sound board", True))
    press, put, real_click = own.press, own.type, click

    def pressed(*labels):
        count["clicks"] += len(labels)
        press(*labels)

    def typed(text):
        count["keys"] += len(text) + 1
        put(text)

    files = {"parts.csv": LIST.encode(), "front.jpg": photograph(REAL), "U5.bin": bytes(8192), "U6.bin": bytes(8192)}
    for name, data in files.items():
        (tmp_path / name).write_bytes(data)
    own.ours.new_job()
    own.shell.files_dropped.emit([tmp_path / "parts.csv"])
    own.shell.files_dropped.emit([tmp_path / "front.jpg"])
    count["clicks"] += 4  # the title, two drops, OK on the preview
    count["keys"] += len("Own sound board")
    own.stage(Stage.INSPECT)
    typed("board 160 x 120 mm")
    pressed("Show the next photo", "Click the corners")
    for corner in ((0, 0), (160, 0), (160, 120), (0, 120)):
        real_click(own, *corner)
    own.workspace.pick("own", "C1")
    pressed("Place parts")
    for refdes in ("C1", "J2", "U1", "U2"):
        own.workspace.pick("own", refdes)
        click_corners_of(own, refdes)
    count["clicks"] += 4 + 4 + 8
    typed("U5 is ROM 1, 27C64, 0000-1FFF")
    typed("U6 is ROM 2, 27C64, 2000-3FFF")
    own.shell.files_dropped.emit([tmp_path / "U5.bin", tmp_path / "U6.bin"])
    count["clicks"] += 1
    typed("path bell: U5 U1 U2 J2")
    typed("fails: bell")
    board = own.workspace.job.boards["own"]
    assert {p.refdes for p in board.parts if p.placed} == {"C1", "J2", "U1", "U2"}
    assert {s.refdes for s in board.rom_slots} == {"U5", "U6"} and len(own.workspace.snapshot.roms.reads) == 2
    assert any(s.place.refdes == "U1" for s in own.workspace.assessment().suspects)
    assert count["clicks"] + count["keys"] / 3 < 15 * 60 / 5, (
        f"the rest of the time is for looking at the board: {count}"
    )
