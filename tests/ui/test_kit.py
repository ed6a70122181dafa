"""The capacitor kit in the window: groups, candidates, repair orders, the order list, by keys and by clicks."""

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QFileDialog

from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.ui.drawer_dialog import DrawerDialog


def open_kit(window):
    window.stage(Stage.PLAN)
    window.type("kit: all electrolytics")
    window.alt("I")


def click(window, name, x, y):
    figure = window.figure(name)
    place = QPoint(int(x * figure.factor), int(y * figure.factor))
    window.qtbot.mouseClick(figure, Qt.MouseButton.LeftButton, pos=place)


def test_the_kit_shows_groups_and_counts_and_goes_back(window):
    open_kit(window)
    assert (
        window.page.question.text() == "Capacitor kit"
        and "7 parts on 2 boards, 5 groups" in window.page.subtitle.text()
    )
    rows = window.row_texts("groups of the kit")
    assert len(rows) == 5 and "6800 µF 25 V" in rows[0] and "buy 3" in next(r for r in rows if "47 µF" in r)
    assert window.workspace.place == ("tw-cpu", "C1") and window.figure("room and candidates").view.name == "CPU C1"
    window.click_row_of("groups of the kit", "47 µF")
    assert window.workspace.part == "C3"
    window.click_row_of("groups of the kit", "47 µF")
    assert window.workspace.place == ("tw-vid", "C20"), "the next place of the group"
    window.keys("Esc")
    assert window.page.question.text() == "What to replace, and when?"


def test_the_drawn_room_is_that_of_the_board(window):
    open_kit(window)
    view = window.figure("room and candidates").view
    assert (view.room, view.old, view.new, view.limit) == (25, 22, 25, 45)
    board = window.workspace.job.boards["tw-cpu"]
    for one in view.neighbours:
        other = board.part(one.name)
        assert (one.dx, one.dy) == (other.x - board.part("C1").x, other.y - board.part("C1").y) and one.gap > 0
    assert any(one.hot for one in view.neighbours)


def test_a_candidate_is_planned_by_click_and_by_key_and_undone(window):
    open_kit(window)
    window.type("drawer: 2x 6800u 25V in tray G, good")
    assert len(window.figure("room and candidates").view.cards) == 2
    before = window.workspace.assessment().plan
    chosen = window.figure("room and candidates").view.chosen
    box = window.figure("room and candidates")._card_box(1 - chosen)
    click(window, "room and candidates", box.center().x(), box.center().y())
    assert window.last.kind == "planned" and window.figure("room and candidates").view.chosen == 1 - chosen
    window.ctrl("z")
    assert window.workspace.assessment().plan == before
    window.alt("R")
    assert window.last.kind == "planned" and window.last.place == "C1"


def test_a_repair_order_is_chosen_on_its_timeline(window):
    open_kit(window)
    chart = window.figure("repair orders")
    assert [order.name for order in chart.view.orders] == [
        "One part, one test",
        "One group, one test",
        "All off, then all on",
    ]
    click(window, "repair orders", 40, 42 + 23 * 1.5)
    assert [order.chosen for order in chart.view.orders] == [False, True, False]
    assert window.workspace.assessment().plan.order == "soonest found" and window.last.what == "step order"
    chart.setFocus()
    window.keys("Up", "Enter")
    assert chart.view.orders[0].chosen
    window.ctrl("z")
    assert chart.view.orders[1].chosen, "one click or key is undone as one"


def test_the_order_list_is_written(window, tmp_path, monkeypatch):
    open_kit(window)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "order.csv"), ""))
    window.press("Write the order list")
    lines = (tmp_path / "order.csv").read_text().splitlines()
    assert lines[0] == "what,count,spares,for" and len(lines) == 3 and ",3,1," in lines[2]
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "none" / "order.csv"), ""))
    window.press("Write the order list")
    assert "could not be written" in window.message


def test_what_is_replaced_is_changed_by_a_key(window):
    window.stage(Stage.PLAN)
    window.alt("I")
    counts = []
    for _ in range(4):
        window.alt("W")
        counts.append((window.last.choice, len(window.workspace.assessment().plan.steps)))
    assert [choice for choice, _ in counts] == ["electrolytics", "tantalums", "capacitors", "what is bad"]
    assert counts[2][1] > counts[0][1] > counts[3][1]
    QApplication.processEvents()


def test_the_drawer_is_edited_in_its_window_and_the_plan_sees_it(window, monkeypatch, tmp_path):
    seen = []

    def at_the_drawer(dialog):
        seen.append(dialog.model.rowCount())
        window.qtbot.keyClicks(dialog.words, "4x 47u 25V 6x11 in tray Q, good")
        window.qtbot.keyClick(dialog.words, Qt.Key.Key_Return)
        row = dialog.model.rowCount() - 1
        count = dialog.model.index(row, dialog.model.columns.index("count"))
        assert dialog.model.data(count) == "4" and dialog.model.setData(count, "5")
        assert not dialog.model.setData(count, "-1") and "not a number of parts" in dialog.said.text()
        assert dialog.model.data(dialog.model.index(row, dialog.model.columns.index("count"))) == "5"
        state = dialog.model.index(0, dialog.model.columns.index("state"))
        assert dialog.model.setData(state, "bad") and dialog.model.data(dialog.model.index(0, state.column())) == "bad"
        (tmp_path / "list.csv").write_text("number,count,place\n74LS00,2,tray 9\n")
        dialog.import_list(tmp_path / "list.csv")
        dialog.table.setCurrentIndex(dialog.model.index(1, 0))
        dialog.remove()
        seen.append(dialog.model.rowCount())
        return 0

    open_kit(window)
    assert "buy 3" in next(r for r in window.row_texts("groups of the kit") if "47 µF" in r)
    monkeypatch.setattr(DrawerDialog, "exec", at_the_drawer)
    window.ours.drawer()
    assert seen[1] == seen[0] + 1, "two came, one went"
    assert "47u 25V 6x11, tray Q" in next(r for r in window.row_texts("groups of the kit") if "47 µF" in r)
    text = (window.workspace.job.store.folder / "drawer.csv").read_text()
    assert "47u 25V 6x11,capacitor,5" in text and "74LS166,chip,1,,,,,,,drawer 3,bad" in text


def test_a_step_that_is_dragged_keeps_its_new_place_and_undo_takes_it_back(window):
    window.stage(Stage.PLAN)
    before = [step.id for step in window.workspace.assessment().plan.steps]
    drag(window, 0, 3)
    after = [step.id for step in window.workspace.assessment().plan.steps]
    assert after != before and after.index(before[0]) == 2 and "later than it could" in window.message
    drag(window, 0, len(after))
    assert window.workspace.assessment().plan.steps[-1].id == after[0]
    window.ctrl("Z")
    window.ctrl("Z")
    assert [step.id for step in window.workspace.assessment().plan.steps] == before


def drag(window, row, to):
    """Carries a row of the plan with the pointer to stand before another."""
    rows = window.rows("steps")
    port = rows.viewport()
    start = QPoint(80, rows.top_of(row) + 8)
    end = QPoint(80, rows.top_of(to) + 4 if to < len(rows.rows) else rows.height() - 3)
    window.qtbot.mousePress(port, Qt.MouseButton.LeftButton, pos=start)
    window.qtbot.mouseMove(port, end)
    window.qtbot.mouseRelease(port, Qt.MouseButton.LeftButton, pos=end)


def test_usual_service_is_clicked_in_and_left_out_with_a_reason(window):
    window.stage(Stage.PLAN)
    window.pick("tw-cpu", "J1")
    window.click_row_of("usual service and improvements", "Replace J1")
    assert window.last.kind == "extra_ticked" and window.last.choice == "in"
    assert ("tw-cpu/J1/service") in [step.id for step in window.workspace.assessment().plan.steps]
    window.click_row_of("usual service and improvements", "Replace J1")
    assert window.edit.text() == "service out: CPU J1 -- ", "the reason is typed behind it"
    window.keys("its contacts are new", "Enter")
    assert window.last.choice == "out" and window.last.note == "its contacts are new"
    assert "tw-cpu/J1/service" not in [step.id for step in window.workspace.assessment().plan.steps]


def test_offers_are_read_and_the_other_jobs_join_the_order(window, monkeypatch, tmp_path):
    listed = tmp_path / "offers.csv"
    listed.write_text(
        "shop,number,price,minimum,shipping,days,trust\nQuay,47u 25V,0.35,1,4.5,3,0.95\nQuay,4164,2,1,4.5,3,1\n"
    )
    open_kit(window)
    assert "Read a shop's list" in window.row_texts("orders to shops")[1]
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(listed), ""))
    window.alt("S")
    rows = window.row_texts("orders to shops")
    assert (
        "this job" in rows[0] and "Quay" in rows[1] and "no shop has it" in rows[-2] and "one of each bag" in rows[-1]
    )
    assert not any("4164" in row for row in rows), "that is for another job"
    window.press("Order for all jobs")
    window.wait_idle()
    rows = window.row_texts("orders to shops")
    assert "3 jobs" in rows[0] and any("4164 for Corvane" in row for row in rows)
    written = tmp_path / "order.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(written), ""))
    window.press("Write the order list")
    assert "Quay,4164,1,2.00,3,4164 for Corvane" in written.read_text()
    window.press("Order for this job")
    assert "this job" in window.row_texts("orders to shops")[0]


def test_stand_ins_found_by_their_pins_come_in_the_background(window):
    window.stage(Stage.PLAN)
    window.pick("tw-cpu", "3F")
    at_once = window.row_texts("what can stand in")
    window.qtbot.waitUntil(lambda: all(f.done() for f in window.workspace._stand_ins.values()), timeout=20_000)
    window.qtbot.wait(20)
    found = {one.number for one in window.workspace.stand_ins("74LS00", None).found}
    assert at_once and "74LS132" in found, "Schmitt inputs on the same pins, which no look at the families tells"


def test_a_bought_kit_is_checked_against_the_places(window, monkeypatch, tmp_path):
    listed = tmp_path / "kit.txt"
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(listed), ""))
    open_kit(window)
    listed.write_text("# from the shop\n1x 6800u 25V 22x40 pitch 10 105C\n2x 33u 16V\n")
    window.press("Check a bought kit")
    assert "missing" in window.message and "2 × 33u 16V left over" in window.message
    listed.write_text("3x nonsense\n")
    window.press("Check a bought kit")
    assert "kit.txt" in window.message or "missing" in window.message


def test_diagnostics_first_are_chosen_with_a_click_and_left_with_another(window):
    window.stage(Stage.PLAN)
    orders = window.figure("repair orders").view.orders
    assert orders[-1].name == "Diagnostics first"
    window.figure("repair orders").picked.emit(len(orders) - 1)
    steps = window.workspace.assessment().plan.steps
    assert steps[0].kind == "diagnose" and window.figure("repair orders").view.orders[-1].chosen
    window.figure("repair orders").picked.emit(0)
    assert all(step.kind != "diagnose" for step in window.workspace.assessment().plan.steps)
    assert window.figure("repair orders").view.orders[0].chosen
