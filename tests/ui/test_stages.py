"""Each stage a little deeper: what is typed there becomes the right entry, and the page says the right thing."""

import pytest
from PyQt6.QtCore import Qt

from loyal_trace.core.assess.looking import leaks_on
from loyal_trace.core.assess.plan import REPAIR_ORDERS
from loyal_trace.core.job.entries import Decided


def test_plan_takes_typed_capacitance_and_esr_and_goes_on(window):
    window.stage(7)
    first = window.frame.entry.prompt.text()
    window.type("8u2 1.4")
    stored = window.on_disk()[-2:]
    assert [(e.place, e.quantity) for e in stored] == [(first, "capacitance"), (first, "esr")]
    assert stored[0].value == pytest.approx(8.2e-6) and stored[1].value == pytest.approx(1.4)
    assert window.frame.entry.prompt.text() != first
    window.type("a lot")
    assert "is not a number" in window.message and window.edit.text() == "a lot"


def test_plan_shows_parts_steps_and_the_order_by_its_school(window):
    window.stage(7)
    assert any("tray F" in t for t in window.row_texts("steps")) and any(
        "in the drawer" in t for t in window.row_texts("parts list")
    )
    for school in ("likely first", "capacitors first", "least invasive"):
        window.keys("O")
        assert (
            window.desk.assessment().plan.order == school and REPAIR_ORDERS[school][:30] in window.frame.subtitle.text()
        )
    window.click_row("steps", 0)
    assert window.desk.part == window.desk.assessment().plan.steps[0].place[1]


def test_work_books_minutes_and_leaves_a_trail(window):
    window.stage(8)
    step = window.desk.assessment().plan.steps[0]
    window.type('"leg was folded under"')
    kinds = [(e.kind, getattr(e, "place", "")) for e in window.on_disk()[-2:]]
    assert kinds == [("fitted", step.place[1]), ("step_done", "")]
    assert window.on_disk()[-1].note == "leg was folded under" and "3 min booked" in window.frame.subtitle.text()
    assert "1 of" in window.frame.subtitle.text()


def test_work_skips_only_with_a_reason_typed(window):
    window.stage(8)
    count = len(window.desk.assessment().plan.steps)
    window.keys("X")
    assert window.edit.text() == "skip: "
    window.type("owner keeps it")
    assert window.on_disk()[-1].skipped and window.on_disk()[-1].note == "owner keeps it"
    plan = window.desk.assessment().plan
    assert len(plan.steps) == count and plan.steps[0].skipped


def test_work_shows_the_caution_of_the_step_in_hand(window):
    window.desk.pick("tw-cpu", "C1")
    window.stage(8)
    assert "Reservoir capacitors hold charge" in window.frame.caution.label.text() and window.frame.caution.isVisible()
    window.desk.pick("tw-cpu", "6C")
    window.ours.wiring.stages[7]._step_id = ""
    window.stage(8)
    assert "static" in window.frame.caution.label.text()


def test_prove_takes_codes_reasons_notes_and_decisions(window):
    window.stage(9)
    window.keys("S")
    window.type("ROM 3")
    assert window.on_disk()[-1].code == "ROM 3" and not window.on_disk()[-1].clean
    window.keys("C", "F")
    assert [e.clean for e in window.on_disk()[-2:]] == [True, False]
    window.keys("U")
    window.type("no cold room")
    assert window.on_disk()[-1].kind == "not_testable" and window.on_disk()[-1].reason == "no cold room"
    window.type("'seven passes, hiss on the last")
    assert window.on_disk()[-1].kind == "test_result" and window.on_disk()[-1].note.startswith("seven passes")
    window.type("'good enough: sound stays thin")
    assert window.on_disk()[-1].what == "good enough" and window.on_disk()[-1].reason == "sound stays thin"
    assert "It still fails" in window.next


def test_prove_marks_a_symptom_gone_when_its_line_passes(window):
    window.stage(9)
    names = [i.name for i in window.desk.assessment().proof.items]
    for _ in range(names.index("symptom gone: sound faint")):
        window.keys("Down")
    window.keys("Y")
    assert window.on_disk()[-1].kind == "symptom" and not window.on_disk()[-1].present


def test_look_says_what_a_leaking_capacitor_can_reach(window):
    window.ctrl("b")
    window.stage(2)
    window.click_part("C1")
    window.keys("K")
    assert "C1 leaks: electrolyte reaches" in window.why and "Inspect" in window.next
    near = [p.refdes for p in window.desk.definition.neighbours("C1", 35)]
    assert near and near[0] in window.why
    window.type('"green at the edge')
    assert window.on_disk()[-1].note == "green at the edge"


def test_what_a_leak_reaches_is_hatched_until_it_was_inspected_and_cleaned(window):
    window.desk.record(Decided, what="leak reach", choice="50 mm")
    window.ctrl("b")
    window.stage(2)
    window.click_part("C1")
    window.keys("K")
    reached = [r.refdes for r in leaks_on(window.desk.job.moment, "tw-cpu")[0].open]
    marks = window.shell.panel.map.overlay.marks
    assert reached and all(marks[r] == ("doubtful", "inspect: C1 leaks", True) for r in reached)
    window.click_part(reached[0])
    window.keys("R")
    assert f"Clean {reached[0]}, then L" in window.next and "Inspect " in window.next
    window.click_part(reached[0])
    window.keys("L")
    assert "Clean" not in window.next and not window.shell.panel.map.overlay.marks[reached[0]][2]
    for refdes in reached[1:]:
        window.click_part(refdes)
        window.keys("G")
    assert "leaks" not in window.why


def test_look_moves_with_arrows_and_space_without_writing(window):
    window.stage(2)
    count, here = len(window.on_disk()), window.frame.entry.prompt.text()
    window.keys("Down", "Space", "Up", "Up")
    assert window.frame.entry.prompt.text() == here and len(window.on_disk()) == count


def test_intake_cycles_decisions_and_abilities(window):
    window.stage(1)
    texts = window.row_texts("intake sheet")
    row = next(i for i, t in enumerate(texts) if t.startswith("first power"))
    window.click_row("intake sheet", row)
    assert window.desk.job.snapshot.decision("first power") == "renew capacitors first"
    row = next(i for i, t in enumerate(texts) if t.startswith("speaker"))
    window.click_row("intake sheet", row)
    assert "speaker" in window.desk.job.snapshot.decision("bench lacks")
    assert dict(window.desk.assessment().proof.not_tested)["sound"] == "this bench has no speaker"
    window.click_row("intake sheet", row)
    assert "speaker" not in window.desk.job.snapshot.decision("bench lacks")


def test_rails_record_an_open_line_and_name_the_boundary(window):
    window.ctrl("b")
    window.stage(3)
    assert "C1" in window.frame.entry.prompt.text() and "BR1 before it is good" in window.why
    window.keys("K")
    window.keys("Down")
    here = window.frame.entry.prompt.text()
    window.keys("O")
    assert window.on_disk()[-1].place == here and window.on_disk()[-1].overload
    window.keys("M")
    assert window.on_disk()[-1].source == "meter"
    window.type("banana")
    assert "is not a number" in window.message
    window.type("5 A")
    assert "is in A" in window.message


def test_probe_walks_pins_and_chips_by_key_and_click(window):
    window.keys("Down", "Down", "Up")
    assert window.frame.entry.prompt.text() == "5D.6 INH"
    view = window.ours.wiring.stages[4].chip_view
    window.qtbot.mouseClick(
        view, Qt.MouseButton.LeftButton, pos=view.rect().center().__class__(view.width() - 120, round(view._pin_y(13)))
    )
    assert window.frame.entry.prompt.text() == "5D.13 QH"
    window.keys("N")
    assert window.desk.part != "5D" and window.frame.entry.prompt.text().startswith(window.desk.part)
    window.keys("R")
    assert window.on_disk()[-1].source == "probe" and window.on_disk()[-1].place == window.desk.part
    window.type("4k3ohm")
    assert window.on_disk()[-1].quantity == "resistance" and window.on_disk()[-1].value == pytest.approx(4300)


def test_suspects_walk_with_arrows_and_take_a_note(window):
    window.stage(6)
    window.click_row("suspects", 0)
    first = window.desk.place
    window.keys("Down")
    assert window.desk.place != first
    window.keys("Up")
    assert window.desk.place == first
    window.type("owner remembers a drop")
    assert window.on_disk()[-1].text == "owner remembers a drop"


def test_hand_back_writes_under_a_name_of_its_own_and_refuses_others(window):
    window.stage(10)
    assert "Tidewrack two-board set" in window.ours.wiring.stages[9].preview.toPlainText()
    window.type("for-the-pier.html")
    assert (window.desk.job.store.folder / "reports" / "for-the-pier.html").read_text().startswith("<!doctype")
    window.type("for-the-pier.docx")
    assert "written as .pdf or .html" in window.message
    window.keys("G")
    assert "good enough" in window.ours.wiring.stages[9].preview.toPlainText().lower()


def test_roms_walk_over_both_boards_and_say_more_on_w(window):
    window.stage(4)
    seen = []
    for _ in range(10):
        seen.append(window.desk.place)
        window.keys("Down")
    assert len(set(seen) - {("tw-vid", "5D")}) >= 9 and {b for b, _ in seen} == {"tw-cpu", "tw-vid"}
    window.desk.pick("tw-cpu", "6F")
    window.keys("W")
    assert "bits turned to 1" in window.frame.meaning.aside.text()
    window.type("nothing")
    assert "dropped as a file" in window.message
