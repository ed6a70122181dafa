"""The step in hand: action by action, timers, what went wrong, parts out and in, and coming back later."""

from datetime import timedelta

from PyQt6.QtSvg import QSvgRenderer

from loyal_trace.app.presenters.step_view import drawing_name
from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.resources import methods, read_bytes

CARD = "the step in hand"


def at_c1(window):
    window.type("kit: all electrolytics")
    window.stage(Stage.REPAIR)
    window.pick("tw-cpu", "C1")
    return window.figure(CARD)


def states(card):
    return [action.kind for action in card.view.actions]


def test_a_step_is_worked_action_by_action_and_is_done_at_the_end(window):
    card = at_c1(window)
    assert card.view.title == "Discharge C1" and card.view.part == "6800u 35V" and "tray F" in card.view.source
    assert card.view.safe.word == "charge not measured"
    window.type("C1 0.3V")
    window.alt("K")  # the danger of the mains is read and signed
    window.keys("Enter")
    assert card.view.safe.word == "discharged" and "0.3 V across C1" in card.view.safe.detail
    count = len(card.view.actions)
    for number in range(count - 1):
        window.alt("A")
        assert window.last.kind == "action_taken" and states(card)[number] == "done"
    assert card.view.title == "Measure C1" and card.view.polarity.part == "stripe at the right"
    window.alt("A")
    assert (
        window.last.kind == "step_done"
        and window.workspace.snapshot.parts.fitted[("tw-cpu", "C1")].number == "6800u 35V"
    )
    window.ctrl("z")
    window.pick("tw-cpu", "C1")
    assert card.view.title == "Measure C1", "undone as one"


def test_cautions_stand_at_the_action_that_can_hurt(window):
    at_c1(window)
    text = window.page.caution.label.text()
    assert "Reservoir capacitors" in text and "vents" in text, "all of them before the step is begun"
    for _ in range(len(window.figure(CARD).view.actions) - 3):
        window.alt("A")
    assert window.figure(CARD).view.title == "Fit C1"
    text = window.page.caution.label.text()
    assert "vents" in text and "Reservoir capacitors" not in text and "Also at this step" in text


def test_what_goes_wrong_is_kept_with_the_action_and_the_part(window):
    card = at_c1(window)
    window.alt("A")
    window.page.presenter.went_wrong("pad of pin 2 lifted")
    found = window.workspace.snapshot.seen.findings[("tw-cpu", "C1")][-1]
    assert found.finding is Finding.TRACK_DAMAGED and found.note == "pad of pin 2 lifted" and found.pin == 2
    assert card.view.title == "Clean pads C1" and "pad of pin 2 lifted" in window.why, "the pad is repaired first"
    window.press("Step done")
    window.pick("tw-cpu", "C1")
    assert card.view.actions[1].kind == "went wrong" and card.view.title == "Heat C1"
    window.alt("A")
    assert card.view.actions[1].kind == "done"


def test_a_click_on_the_track_goes_to_that_action(window):
    card = at_c1(window)
    card.picked.emit(4)
    assert states(card) == ["done"] * 4 + ["now", "open", "open"] and card.view.title == "Fit C1"


def test_a_timer_runs_on_and_is_shown_with_its_time_left(window):
    card = at_c1(window)
    window.page.presenter.start_timer("UV eraser 20 min")
    (timer,) = card.view.timers
    assert timer.what == "UV eraser" and 1190 < card._left(timer) <= 1200 and window.last.kind == "timer_started"
    start = card.view.now()
    object.__setattr__(card.view, "now", lambda: start + timedelta(minutes=21))
    card._tick()
    assert card._left(timer) < 0 and ("UV eraser", timer.since) in card._rung
    window.type("timer: soak 0 min")
    assert "cannot be" in window.message or window.last.kind == "timer_started"


def test_parts_out_and_in_are_counted_while_they_are_out(window):
    card = at_c1(window)
    window.type("C2 removed")
    window.type("C12 replaced with 10u 25V from tray A")
    window.pick("tw-cpu", "C1")
    assert (card.view.out, card.view.fitted, card.view.empty) == (2, 1, ("C2",))


def test_the_state_of_a_step_is_there_when_the_job_is_opened_again(window):
    card = at_c1(window)
    window.alt("A", "A")
    before = states(card)
    job = window.workspace.job
    window.ours.show_jobs()
    window.ours.open_job(job.id)
    window.stage(Stage.REPAIR)
    window.pick("tw-cpu", "C1")
    assert states(window.figure(CARD)) == before


def test_a_chip_shows_its_notch_and_a_place_without_position_says_so(window):
    window.stage(Stage.REPAIR)
    window.pick("tw-cpu", "6D")
    card = window.figure(CARD)
    assert card.view.part.startswith("turned-pin socket") and card.view.tiles[0].name == "iron"


def test_how_a_part_comes_off_is_drawn_with_the_other_ways_beside_it(window):
    card = at_c1(window)
    window.alt("A")
    assert card.view.title == "Heat C1" and card.view.drawing == "heat-both-leads" and "both joints" in card.view.method
    assert any("rock it along its pads" in way and "risk to pads" in way for way in card.view.others)
    window.shell.set_looks(True, 1.0)
    picture = card.grab().toImage()
    colours = {picture.pixelColor(x, y).name() for x in range(20, 200, 2) for y in range(110, 220, 2)}
    assert len(colours) > 6, "the drawing is there in the dark too"


def test_every_method_has_its_drawing():
    for method in (*methods().removal, *methods().fitting):
        drawing = QSvgRenderer(read_bytes(f"drawings/{drawing_name(method)}.svg"))
        assert drawing.isValid() and drawing.defaultSize().width() == 160
