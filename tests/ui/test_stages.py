"""Each stage a little deeper: what is typed there becomes the right entry, and the page says the right thing."""

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from loyal_trace.core.assess.looking import leaks_on
from loyal_trace.core.assess.plan import REPAIR_ORDERS
from loyal_trace.core.job.entries import Decided
from loyal_trace.core.vocabulary.stages import Stage


def test_plan_takes_typed_capacitance_and_esr_and_goes_on(window):
    window.stage(Stage.PLAN)
    window.press("Next capacitor")
    first = window.workspace.part
    window.type("8u2 1.4")
    stored = window.on_disk()[-2:]
    assert [(e.place, e.quantity) for e in stored] == [(first, "capacitance"), (first, "esr")]
    assert stored[0].value == pytest.approx(8.2e-6) and stored[1].value == pytest.approx(1.4)
    assert window.workspace.part != first
    window.type("a lot")
    assert window.last.kind == "note", "what is no reading is a note, and the strip had said so"


def test_plan_shows_parts_steps_and_the_repair_order(window):
    window.stage(Stage.PLAN)
    assert any("tray F" in t for t in window.row_texts("steps"))
    assert any("in the drawer" in t for t in window.row_texts("parts list"))
    for order in ("likely first", "capacitors first", "soonest found", "least invasive"):
        window.alt("O")
        assert (
            window.workspace.assessment().plan.order == order
            and REPAIR_ORDERS[order][:30] in window.page.subtitle.text()
        )
    window.click_row("steps", 0)
    assert window.workspace.part == window.workspace.assessment().plan.steps[0].place.refdes


def test_a_finished_step_books_minutes_and_leaves_a_trail(window):
    window.stage(Stage.REPAIR)
    window.press("Next step")
    step = window.workspace.assessment().plan.steps[0]
    assert window.workspace.place == step.place
    window.press("Step done")
    kinds = [(e.kind, getattr(e, "place", "")) for e in window.on_disk()[-2:]]
    assert kinds == [("fitted", step.place.refdes), ("step_done", "")]
    assert "3 min recorded" in window.page.subtitle.text() and "1 of" in window.page.subtitle.text()


def test_an_action_said_in_the_line_finishes_its_step_as_the_button_would(window):
    window.pick("tw-vid", "5D")
    window.type("5D.13 low")
    window.stage(Stage.PROBE)
    window.press("Probe all pins")
    window.stage(Stage.REPAIR)
    assert "Step done" in window.buttons()
    window.type("5D replaced with 74LS166 from drawer 7 -- pin 13 was dull")
    assert [e.kind for e in window.on_disk()[-3:]] == ["removed", "fitted", "step_done"]
    assert next(s for s in window.workspace.assessment().plan.steps if s.place == ("tw-vid", "5D")).done
    window.ctrl("z")
    assert not next(s for s in window.workspace.assessment().plan.steps if s.place == ("tw-vid", "5D")).done


def test_a_step_skipped_needs_its_reason(window, monkeypatch):
    window.stage(Stage.REPAIR)
    window.press("Next step")
    count = len(window.workspace.assessment().plan.steps)
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("owner keeps it", True))
    window.alt("S")
    plan = window.workspace.assessment().plan
    assert window.last.skipped and window.last.note == "owner keeps it"
    assert len(plan.steps) == count and plan.steps[0].skipped


def test_repair_shows_the_caution_of_the_step_in_hand(window):
    window.pick("tw-cpu", "C1")
    window.stage(Stage.REPAIR)
    assert "Reservoir capacitors stay charged" in window.page.caution.label.text() and window.page.caution.isVisible()
    window.pick("tw-cpu", "6C")
    assert "Static" in window.page.caution.label.text()


def test_verify_takes_codes_reasons_notes_and_decisions(window, monkeypatch):
    window.stage(Stage.VERIFY)
    window.press("Failed start with code")
    assert window.edit.text() == "start failed code "
    window.qtbot.keyClicks(window.edit, "ROM 3")
    window.keys("Enter")
    assert window.last.code == "ROM 3" and not window.last.clean
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("no cold room", True))
    window.press("Not testable")
    assert window.last.kind == "not_testable" and window.last.reason == "no cold room"
    window.type("check: soak test ok -- seven passes, hiss on the last")
    assert window.last.kind == "test_result" and window.last.note.startswith("seven passes")
    window.type("good enough: sound stays thin")
    assert window.last.what == "good enough" and window.last.reason == "sound stays thin"
    assert "It still fails" in window.next
    for words in ("Fine after an hour", "sound works, buttons work"):
        window.type(words)
        assert window.last.kind == "note" and window.last.text == words


def test_verify_marks_a_symptom_gone_when_its_line_passes(window):
    window.stage(Stage.VERIFY)
    window.click_row_of("checklist", "symptom gone: sound faint")
    window.press("Mark passed")
    assert window.last.kind == "symptom" and not window.last.present


def test_inspect_says_what_a_leaking_capacitor_can_reach(window):
    window.ctrl("b")
    window.stage(Stage.INSPECT)
    window.click_part("C1")
    window.type("leaking -- green at the edge")
    assert window.last.place == "C1" and window.last.note == "green at the edge"
    assert "C1 leaks: electrolyte reaches" in window.why and "Inspect" in window.next
    near = [p.refdes for p in window.workspace.definition.neighbours("C1", 35)]
    assert near and near[0] in window.why


def test_what_a_leak_reaches_is_hatched_until_it_was_inspected_and_cleaned(window):
    window.workspace.record(Decided, what="leak reach", choice="50 mm")
    window.ctrl("b")
    window.stage(Stage.INSPECT)
    window.click_part("C1")
    window.pad("K")
    reached = [r.refdes for r in leaks_on(window.workspace.job.moment, "tw-cpu")[0].open]
    marks = window.shell.panel.map.overlay.marks
    assert reached and all(marks[r] == ("doubtful", "inspect: C1 leaks", True) for r in reached)
    window.click_part(reached[0])
    window.pad("R")
    assert f"Clean {reached[0]}, then enter cleaned" in window.next and "Inspect " in window.next
    window.click_part(reached[0])
    window.pad("L")
    assert "Clean" not in window.next and not window.shell.panel.map.overlay.marks[reached[0]][2]
    for refdes in reached[1:]:
        window.click_part(refdes)
        window.pad("G")
    assert "leaks" not in window.why


def test_inspect_moves_with_arrows_and_space_without_writing(window):
    window.stage(Stage.INSPECT)
    count, here = len(window.on_disk()), window.workspace.part
    window.keys("Down")
    window.pad("Space")
    window.keys("Up", "Up")
    assert window.workspace.part == here and len(window.on_disk()) == count


def test_intake_changes_decisions_and_abilities(window):
    window.stage(Stage.INTAKE)
    window.click_row_of("intake sheet", "first power")
    assert window.last.kind != "decided" or window.last.what != "first power", "a first click only picks the line"
    window.click_row_of("intake sheet", "first power")
    assert window.workspace.snapshot.decision("first power") == "replace capacitors first"
    window.click_row_of("intake sheet", "speaker")
    window.press("Change the selected line")
    assert "speaker" in window.workspace.snapshot.decision("bench lacks")
    assert dict(window.workspace.assessment().proof.not_tested)["sound"] == "this bench has no speaker"
    window.press("Change the selected line")
    assert "speaker" not in window.workspace.snapshot.decision("bench lacks")


def test_rails_record_an_open_line_and_name_the_boundary(window):
    window.ctrl("b")
    window.stage(Stage.RAILS)
    window.click_part("C1")
    assert window.place.startswith("C1") and "BR1 before it is good" in window.why
    window.press("Sign the caution")
    window.keys("Down")
    here = window.place
    window.press("Enter OL")
    assert window.last.place == here and window.last.overload
    window.click_part("C1")
    window.press("Read the meter")
    assert window.last.source == "meter"
    window.type("banana")
    assert window.last.kind == "note"
    window.click_part("C1")
    window.qtbot.keyClicks(window.edit, "-5 A")
    assert not window.strip.startswith("Enter records")


def test_probe_walks_pins_and_chips_by_key_and_click(window):
    window.keys("Down", "Down", "Up")
    assert window.about == "VID 5D pin 6 INH"
    view = window.figure("chip from above")
    at = QPoint(view.width() - 120, round(view.pin_y(13)))
    window.qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=at)
    assert window.about == "VID 5D pin 13 QH"
    window.press("Next chip")
    assert window.workspace.part != "5D" and window.place == f"VID {window.workspace.part}"
    window.press("Read the probe")
    assert window.last.source == "probe" and window.last.place == window.workspace.part
    window.type("5D.13 4k3ohm")
    assert window.last.quantity == "resistance" and window.last.value == pytest.approx(4300)


def test_the_picture_of_a_stuck_pin_is_shown_beside_the_healthy_one(window):
    window.workspace.pick("tw-vid", "6G")
    window.wiring.presenter.go_to(19)
    window.press("Show the screen")
    assert window.why.startswith("Only blue is wrong") and window.figure("screen").isVisible()
    assert not window.figure("chip from above").isVisible()
    low = window.figure("screen").view.faulty
    window.press("Other level")
    assert window.why.startswith("Only blue is wrong") and (window.figure("screen").view.faulty != low).any()
    window.press("Next pin")
    assert window.about.endswith("pin 20 VCC") and window.figure("chip from above").isVisible()
    window.keys("Esc")
    assert window.figure("chip from above").isVisible()


def test_signatures_typed_in_free_run_are_held_against_the_simulated_board(window):
    window.type("signature window: 64 clocks")
    window.type("free run: on")
    while window.workspace.tasks.busy:
        window.qtbot.wait(20)
    window.workspace.pick("tw-cpu", "3A")
    picture = window.figure("chip from above").picture
    expected = picture.pins[17].good
    assert expected.startswith("healthy ") and "signature" in window.next
    window.type(f"3A.18 sig {expected.split()[-1]}")
    assert window.figure("chip from above").picture.pins[17].words.endswith("matches")
    window.type("3A.18 sig 1234")
    assert "≠" in window.figure("chip from above").picture.pins[17].words
    assert any(
        row.startswith(("1 signature", "2 signature", "3 signature")) for row in window.row_texts("worth probing next")
    )


def test_a_trace_is_read_shown_and_compared_again_with_other_channels(window, monkeypatch, tmp_path):
    path = tmp_path / "gate.csv"
    rows = [f"{n * 1e-7:.7f},{n >> 2 & 1},{n >> 3 & 1},{n >> 4 & 1},{int(n < 200)}" for n in range(400)]
    path.write_text("\n".join(["time,1A,1B,1C,1Y", *rows]) + "\n")
    monkeypatch.setattr("loyal_trace.ui.line_control.QFileDialog.getOpenFileName", lambda *args: (str(path), ""))
    window.workspace.pick("tw-vid", "4G")
    window.press("Read a trace")
    while window.workspace.tasks.busy:
        window.qtbot.wait(20)
    assert window.last.kind == "trace" and "the model gives" in window.why
    assert window.figure("signals of the trace").isVisible()
    asked = "loyal_trace.ui.line_control.QInputDialog.getText"
    monkeypatch.setattr(asked, lambda *args, text="", **more: (text.replace("13=1C", "13=1A"), True))
    window.press("Change the channels")
    while window.workspace.tasks.busy:
        window.qtbot.wait(20)
    assert dict(window.last.channels)[13] == "1A"
    window.keys("Esc")
    assert window.figure("chip from above").isVisible()
    window.press("Show the trace")
    assert not window.figure("chip from above").isVisible()


def test_suspects_are_walked_with_arrows_and_take_a_note(window):
    window.stage(Stage.SUSPECTS)
    window.click_row("suspects", 0)
    first = window.workspace.place
    window.keys("Down")
    assert window.workspace.place != first
    window.keys("Up")
    assert window.workspace.place == first
    window.type("owner remembers a drop")
    assert window.last.text == "owner remembers a drop"


def test_a_report_is_written_under_a_name_of_its_own_and_refused_under_others(window, monkeypatch, tmp_path):
    window.stage(Stage.REPORT)
    assert "Tidewrack two-board set" in window.figure("report preview").toPlainText()
    for name, told in (("for-the-pier.html", "written"), ("for-the-pier.docx", "written as .pdf or .html")):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, name=name, **k: (str(tmp_path / name), ""))
        window.press("Save under a name")
        assert told in window.message
    assert (tmp_path / "for-the-pier.html").read_text().startswith("<!doctype")
    window.press("Accept as good enough")
    window.qtbot.keyClicks(window.edit, "the lid stays scratched")
    window.keys("Enter")
    assert "the lid stays scratched" in window.figure("report preview").toPlainText()
    window.type("bubble.pdf")
    assert window.last.kind == "note" and not window.workspace.snapshot.paper.handed_back


def test_roms_walk_over_both_boards(window):
    window.stage(Stage.ROMS)
    seen = []
    for _ in range(10):
        window.press("Next socket")
        seen.append(window.workspace.place)
    assert len(set(seen)) == 10 and {b for b, _ in seen} == {"tw-cpu", "tw-vid"}
    window.pick("tw-cpu", "6F")
    assert "bits turned to 1" in window.wiring.presenter.why_in_full()
