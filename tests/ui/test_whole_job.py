"""The three demo jobs walked in the real window: by keyboard alone, by mouse alone, and through the command line."""

import shutil
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QInputDialog

from loyal_trace.core.assess.paths import paths_of, states_now
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import typed_quantity
from loyal_trace.demo.workshop import demo_bench
from loyal_trace.store.store import Store
from tests.helpers.jobs import outcome
from tests.ui.driver import ALT
from tests.walks.runner import CommandLine, Walker


class Keyboard:
    """Only keys: Ctrl for stages, Alt for buttons."""

    def __init__(self, window):
        self.window = window

    def stage(self, stage):
        self.window.stage(stage)

    def press(self, label):
        button = next(b for b in self.window.foot.buttons.buttons if b.text() == label)
        key = getattr(Qt.Key, f"Key_{button.key.removeprefix('Alt+')}")
        self.window.qtbot.keyClick(self.window.focus(), key, ALT)

    def cap(self, key):
        self.window.pad(key)


class Mouse:
    """Only clicks: pads of the station line, buttons."""

    def __init__(self, window):
        self.window = window

    def stage(self, stage):
        line = self.window.shell.stations
        self.window.qtbot.mouseClick(line, Qt.MouseButton.LeftButton, pos=line.pad_at(stage).toPoint())

    def press(self, label):
        self.window.press(label)

    def cap(self, key):
        buttons = self.window.foot.buttons
        self.window.qtbot.mouseClick(buttons.pad, Qt.MouseButton.LeftButton)
        self.window.qtbot.mouseClick(self.window.foot.pad.buttons[key], Qt.MouseButton.LeftButton)


HANDS = pytest.mark.parametrize("hands", [Keyboard, Mouse])
WALKS = Path(__file__).parents[1] / "walks"


@pytest.fixture(scope="module")
def by_command_line(demo_template, tmp_path_factory):
    """What each demo job comes to when the same work is entered with `loyal-trace job enter`; walked once a job."""
    known = {}

    def walked(name, capsys):
        if name not in known:
            folder = tmp_path_factory.mktemp(name)
            shutil.copytree(demo_template, folder / "store")
            with Store(folder / "store", read_only=True) as store:
                walker = Walker(CommandLine(store, capsys), store, folder)
                walker.walk((WALKS / f"{name}.txt").read_text(encoding="utf-8"))
                known[name] = outcome(walker.hands.job)
        return known[name]

    return walked


@HANDS
def test_tidewrack_from_the_missing_plane_to_the_printed_report(window, hands, by_command_line, capsys):
    hand = hands(window)
    # Probe: every pin of 5D from the probe, then the line to ground.
    hand.press("Probe all pins")
    assert "Pin 13 (QH) is low" in window.why and "in step" in window.why
    hand.press("Measure to ground")
    assert window.last.place == "5D.13" and window.last.quantity == "resistance"
    assert window.probability("tw-vid", "5D") > 0.5, "its twins, probed the same way, do what is usual"

    # Suspects: the next thing is a capacitor; a button leads there; the meter measures and goes on by itself.
    hand.stage(Stage.SUSPECTS)
    hand.press("Go to the measurement")
    assert window.wiring.current is Stage.PLAN
    for _ in range(7):
        hand.press("Measure the capacitor")
    assert window.workspace.assessment().capacitors[("tw-cpu", "C12")].verdict == "bad"
    assert window.workspace.assessment().capacitors[("tw-cpu", "C13")].verdict == "good"

    # Repair: step after step; the first spare of 5D turns out bad and the second is taken.
    hand.stage(Stage.REPAIR)
    for _ in range(12):
        if not any(not s.done for s in window.workspace.assessment().plan.steps):
            break
        if "Step done" not in window.buttons():
            hand.press("Next step")
        hand.press("Step done")
        _look_again(window, hand)
    done = [e for e in window.on_disk() if e.kind == "fitted"]
    assert [e.origin for e in done if e.place == "5D"] == ["drawer 3", "drawer 7"], "the bad spare was found out"
    assert {"6C", "6F", "6D", "C1", "C12", "5D"} <= {e.place for e in done}
    assert all(slot.word == "matches" for slot in window.workspace.assessment().roms.values())

    # Verify: starts from the bench until the target is shown, then the checklist.
    hand.stage(Stage.VERIFY)
    for _ in range(59):
        hand.press("Start on the bench")
    assert window.workspace.assessment().proof.starts.still_needed == 0 and "at most 5 % of starts fail" in window.why
    for item in window.workspace.assessment().proof.items:
        window.keys("Down") if item.status == "not testable" else hand.press("Mark passed")
    assert all(i.status in ("passed", "not testable") for i in window.workspace.assessment().proof.items)
    assert outcome(window.workspace.job) == by_command_line("tidewrack", capsys)

    # Report: both files on disk.
    hand.stage(Stage.REPORT)
    for label in ("Write PDF", "Write HTML", "Hand the job back"):
        hand.press(label)
    folder = window.workspace.job.store.folder / "reports"
    assert (folder / "gp-0147.pdf").read_bytes().startswith(b"%PDF")
    page = (folder / "gp-0147.html").read_text()
    assert "drawer 7" in page and "switch inputs: this bench has no harness" in page
    assert "100n" not in page.split("Advice")[0] and window.last.kind == "handed_back"


def _look_again(window, hand):
    """After a step: read or probe what was changed, as the step says."""
    last = next(e for e in reversed(window.workspace.job.entries) if e.kind == "fitted")
    window.pick(last.board, last.place)
    if window.workspace.place in window.workspace.assessment().roms:
        hand.stage(Stage.ROMS)
        hand.press("Read three times")
        window.wait_idle()
        window.qtbot.waitUntil(lambda: sum(e.kind == "rom_read" for e in window.workspace.job.entries[-3:]) == 3)
    elif last.place == "5D":
        hand.stage(Stage.PROBE)
        hand.press("Probe all pins")
    hand.stage(Stage.REPAIR)


@HANDS
def test_hollin_from_the_meter_to_the_new_bridge(window, hands, by_command_line, capsys):
    window.ours.show_jobs()
    window.open_job("Hollin")
    hand = hands(window)
    hand.stage(Stage.RAILS)
    hand.press("Sign the caution")
    hand.press("Next point")
    for _ in range(6):
        hand.press("Read the meter")
    assert window.probability("hl-main", "BR1") > 0.5 and window.place == "BR1.4", "what is wrong stays in view"
    hand.stage(Stage.REPAIR)
    _do_step(window, hand, "BR1")
    fitted = [e.place for e in window.on_disk() if e.kind == "fitted"]
    assert fitted == ["BR1"] and window.probability("hl-main", "BR1") < 0.2
    assert outcome(window.workspace.job) == by_command_line("hollin", capsys)


@HANDS
def test_corvane_from_the_meter_to_the_first_clean_start(window, hands, by_command_line, capsys):
    window.ours.show_jobs()
    window.open_job("Corvane")
    hand = hands(window)
    hand.stage(Stage.PLAN)
    hand.press("Next capacitor")
    for _ in range(9):
        if "Measure the capacitor" in window.buttons():
            hand.press("Measure the capacitor")
    measured = {e.place for e in window.on_disk() if e.kind == "measured" and e.quantity == "esr"}
    assert {"C1", "C2", "C12", "C31", "C32", "C33", "C34", "C37"} <= measured
    hand.stage(Stage.REPAIR)
    _do_step(window, hand, "M1")
    assert window.on_disk()[-2].kind == "removed" and window.on_disk()[-2].shelf
    _do_step(window, hand, "M1")
    assert window.on_disk()[-2].kind == "fitted"
    hand.stage(Stage.VERIFY)
    hand.cap("C")
    assert outcome(window.workspace.job) == by_command_line("corvane", capsys)


@HANDS
def test_gullcry_known_from_a_list_alone_is_planned_worked_and_handed_back(window, hands, by_command_line, capsys):
    window.ours.show_jobs()
    window.open_job("Gullcry")
    hand = hands(window)
    hand.stage(Stage.PLAN)
    assert next(step.place.refdes for step in window.workspace.assessment().plan.steps if not step.done) == "U7"
    hand.stage(Stage.REPAIR)
    window.pick("own", "U7")
    window.type("U7 replaced with 4066 from spare 2")
    _try_functions(window)
    window.type("path thunder: U2 U3 U6 U7 C7 U11 U12 J2")
    hand.stage(Stage.PLAN)
    window.pick("own", "C7")
    window.type(
        f"C7 measures {_on_meter(window, 'capacitance', 'F')} esr {_on_meter(window, 'esr', 'Ω')} out of circuit"
    )
    assert window.workspace.assessment().suspects[0].place.refdes == "C7"
    hand.stage(Stage.REPAIR)
    window.type("C7 replaced with 47u 25V from tray F")
    _try_functions(window)
    window.type(f"C7 measures {_on_meter(window, 'capacitance', 'F')} out of circuit")
    window.type("symptom gone: no bell, foghorn or thunder")
    hand.stage(Stage.VERIFY)
    assert all(item.status in ("passed", "not testable") for item in window.workspace.assessment().proof.items)
    assert outcome(window.workspace.job) == by_command_line("gullcry", capsys)
    hand.stage(Stage.REPORT)
    for label in ("Write PDF", "Hand the job back"):
        hand.press(label)
    assert window.last.kind == "handed_back"


def _on_meter(window, quantity, unit):
    """What the meter shows at C7, in letters that simulated keys have."""
    shown = window.workspace.instruments.meter.measure("own", "C7", quantity)
    return typed_quantity(shown, unit).replace("Ω", " ohm").replace("µ", "u")


def _try_functions(window):
    """Plays every function of the board and types what it does."""
    moment = window.workspace.moment
    for name in {**paths_of(moment, "own"), **states_now(moment, "own")}:
        window.type(f"{window.workspace.instruments.ear.try_function('own', name)}: {name}")


def _do_step(window, hand, refdes):
    """The step of one part: gone to by the button, then done."""
    for _ in range(30):
        if window.workspace.part == refdes and "Step done" in window.buttons():
            hand.press("Step done")
            return
        hand.press("Next step")
    raise AssertionError(refdes)


def test_a_step_is_skipped_only_with_a_reason(window, monkeypatch):
    window.stage(Stage.REPAIR)
    window.press("Next step")
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("", True))
    before = len(window.on_disk())
    window.press("Skip the step")
    assert len(window.on_disk()) == before
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("owner keeps it", True))
    window.press("Skip the step")
    assert window.last.skipped and window.last.note == "owner keeps it"


def test_the_demo_never_shows_what_only_the_bench_knows(window):
    """The hidden faults are nowhere in the job: not in its entries, not in its boards."""
    words = " ".join(entry.model_dump_json() for entry in window.workspace.job.entries)
    assert "pin-open" not in words and "worn-socket" not in words
    assert demo_bench().faults and not hasattr(window.workspace.job, "faults")
