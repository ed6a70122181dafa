"""The line, the strip, the pad, undo and redo in the real window, by real keys and an injected clock."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from loyal_trace.cli.main import main
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.ui.widgets.buttons import KeyButton
from tests.helpers.lines import SENTENCES
from tests.ui.driver import ALT, Driver

RESERVED = set("FEGBVH")
SAMPLE = SENTENCES[:: len(SENTENCES) // 12]
TRAPS = [
    "Was dropped by the courier",
    "1 hour spent on this",
    "Fine after an hour",
    "bubble.pdf",
    "LM339",
    "washed",
    "corroded legs on pin 5",
    "cartridge slot cleaned",
    "sound works, buttons work",
    "Please ring before posting",
    "Legs look bent",
    "has a long crack",
    "Mostly clean",
    "Could be the fuse",
    "Found it in a barn",
]


def entries(window):
    return list(window.workspace.job.entries)


def type_at(window, text, milliseconds):
    """Real keys at a steady pace; the pad's clock goes on between them."""
    for letter in text:
        window.qtbot.keyClicks(window.focus(), letter)
        window.wait(milliseconds / 1000)


# the strip


def test_the_strip_says_what_enter_records_and_enter_records_just_that(window):
    window.qtbot.keyClicks(window.edit, "5d.13 low -- warm")
    assert window.strip == "Enter records: TW-VID 5D.13 low -- warm"
    before = len(window.on_disk())
    window.keys("Enter")
    entry = window.last
    assert len(window.on_disk()) == before + 1 and (entry.kind, entry.place, entry.note) == (
        "pins_probed",
        "5D",
        "warm",
    )
    assert window.edit.text() == "" and window.strip.startswith("For instance")


def test_a_line_of_two_readings_offers_them_and_the_arrow_keys_choose(window):
    window.qtbot.keyClicks(window.edit, "TW-VID C20 6,800u")
    assert window.strip.startswith("Which one?")
    choices = [b.text() for b in window.foot.strip.buttons]
    assert choices[0] == "TW-VID C20 measures 6.8u" and window.foot.strip.buttons[0].isChecked()
    wanted = choices.index("TW-VID C20 measures 6800u")
    before = len(window.on_disk())
    for _ in range(wanted):
        window.keys("Down")
    assert window.foot.strip.buttons[wanted].isChecked() and len(window.on_disk()) == before
    window.keys("Enter")
    assert window.last.value == pytest.approx(6.8e-3) and len(window.on_disk()) == before + 1


def test_a_reading_is_chosen_with_the_mouse_as_well(window):
    window.qtbot.keyClicks(window.edit, "TW-VID C20 6,800u")
    window.qtbot.mouseClick(window.foot.strip.buttons[1], Qt.MouseButton.LeftButton)
    assert window.foot.strip.buttons[1].isChecked() and window.edit.hasFocus()
    window.keys("Enter")
    assert window.last.kind in ("measured", "part_told")


def test_a_refused_line_stays_and_says_why(window):
    before = len(window.on_disk())
    window.type("5D.99 low")
    assert window.strip.startswith("Not recorded: 5D has no pin 99") and window.edit.text() == "5D.99 low"
    assert len(window.on_disk()) == before and "5D has no pin 99" in window.message


def test_words_left_over_make_a_note_that_says_so(window):
    window.qtbot.keyClicks(window.edit, "5D.13 low badly")
    assert (
        window.strip.startswith("Enter notes: on 5D: “5D.13 low badly”")
        and "“badly” was not understood" in window.strip
    )


def test_tab_completes_places_and_goes_through_several(window):
    window.qtbot.keyClicks(window.edit, "swap 5D and 5")
    window.keys("Tab")
    first = window.edit.text()
    window.keys("Tab")
    assert first.startswith("swap 5D and 5") and window.edit.text() != first and window.edit.hasFocus()
    window.clear()
    assert window.edit.text() == ""
    window.qtbot.keyClicks(window.edit, "C1 meas")
    window.keys("Tab")
    assert window.edit.text() == "C1 measures "


def test_a_new_part_said_in_the_line_is_picked_and_stands_in_large_type(bare):
    bare.qtbot.keyClicks(bare.edit, "U7 is 74LS00")
    assert bare.strip == "Enter records: U7 is 74LS00  (new part U7)"
    bare.keys("Enter")
    assert bare.place == "U7" and bare.shell.panel.map.board.has("U7")
    bare.stage(Stage.PROBE)
    bare.type("LPL")
    assert "Pin 3 (1Y) is low although pin 1 (1A) is low" in bare.why


@pytest.mark.parametrize("line", ["swap 5A and 5B: moves", "4A replaced", "2F removed", "5F.2 lifted: gone"])
def test_actions_are_said_at_every_stage_whatever_is_picked(window, line):
    window.workspace.pick("tw-vid", "RN1")
    for stage in Stage:
        window.stage(stage)
        before = len(window.on_disk())
        window.qtbot.keyClicks(window.edit, f"TW-VID {line}" if stage is not Stage.INTAKE else f"now: TW-VID {line}")
        if stage is Stage.INTAKE and "replaced" not in line:
            window.clear()
            window.qtbot.keyClicks(window.edit, f"TW-VID {line}")
        window.keys("Enter")
        assert len(window.on_disk()) > before and window.workspace.part == "RN1", stage
        window.ctrl("z")


def test_a_part_that_a_stage_cannot_act_on_stays_picked_and_the_stage_says_why(window):
    window.stage(Stage.PROBE)
    window.click_part("C20")
    assert window.place == "VID C20" and "C20 is a capacitor" in window.why and "Alt+N" in window.next
    before = len(window.on_disk())
    window.type("L")
    assert window.last.kind == "note" and window.last.text == "L" and len(window.on_disk()) == before + 1
    for stage in (Stage.REPAIR, Stage.RAILS, Stage.ROMS, Stage.PLAN):
        window.stage(stage)
        assert window.workspace.part == "C20" and "C20" in window.place, stage
    window.stage(Stage.REPAIR)
    assert "no step for C20" in window.why and "Step done" not in window.buttons()


# the pad


def test_pad_keys_light_at_once_and_count_after_a_quarter_of_a_second(window):
    window.keys("F8")
    assert window.foot.pad.isVisible() and window.foot.pad.detail.text() == "pin 5 D"
    before = len(window.on_disk())
    window.keys("p")
    assert window.foot.pad.buttons["P"].lit and len(window.on_disk()) == before
    window.wait(0.2)
    assert len(window.on_disk()) == before
    window.wait(0.06)
    assert len(window.on_disk()) == before + 1 and window.last.pins[0].state == "P"
    assert not window.foot.pad.buttons["P"].lit and window.foot.pad.detail.text() == "pin 6 INH"


def test_pins_pressed_one_key_each_are_judged_at_once_and_stored(window):
    before = len(window.on_disk())
    window.pad("P", "L", "P", "L", "H", "P", "P", "P")
    assert window.foot.pad.detail.text() == "pin 13 QH"
    window.pad("L")
    assert "Pin 13 (QH) is low although" in window.why, "SHLD is known from its net"
    window.pad("P", "P")
    assert "Pin 13 (QH) is low although" in window.why and "in step it would be pulsing" in window.why
    stored = window.on_disk()
    assert len(stored) == before + 11 and [p.state for p in stored[-3].pins] == ["L"] and stored[-3].pins[0].pin == 13
    assert window.about == "VID 5D pin 16 VCC"


def test_a_second_key_in_time_opens_the_line_and_records_nothing(window):
    window.keys("F8")
    before = len(window.on_disk())
    type_at(window, "Lost", 100)
    window.wait(1)
    assert window.edit.text() == "Lost" and len(window.on_disk()) == before
    window.clear()
    window.keys("q")
    assert window.edit.text() == "q", "a key without a cap opens the line"


def test_caps_are_clicked_space_skips_esc_forgets_and_enter_opens_the_line(window):
    window.keys("F8")
    before = len(window.on_disk())
    window.pad("Space")
    assert window.foot.pad.detail.text() == "pin 6 INH" and len(window.on_disk()) == before
    window.keys("h", "Esc")
    window.wait(1)
    assert len(window.on_disk()) == before
    window.qtbot.mouseClick(window.foot.pad.buttons["H"], Qt.MouseButton.LeftButton)
    assert len(window.on_disk()) == before + 1 and window.last.pins[0].state == "H"
    window.keys("Enter", "l")
    assert window.edit.text() == "l" and len(window.on_disk()) == before + 1
    window.keys("Esc", "l")
    window.wait(1)
    assert len(window.on_disk()) == before + 2


def test_a_lit_key_counts_for_the_part_that_was_shown_when_another_is_picked(window):
    window.keys("F8", "l")
    window.click_part("5A")
    assert window.last.place == "5D" and window.workspace.part == "5A"
    window.keys("h")
    window.stage(Stage.SUSPECTS)
    assert window.last.place == "5A" and window.last.pins[0].state == "H"


def test_the_pad_is_remembered_for_each_stage_and_for_the_next_window(window, open_window):
    window.keys("F8")
    window.stage(Stage.VERIFY)
    assert not window.foot.pad.isVisible()
    window.stage(Stage.PROBE)
    assert window.foot.pad.isVisible() and window.foot.buttons.pad.isChecked()
    folder = window.workspace.job.store.folder
    window.shell.close()
    again = open_window(demo=True, store=folder)
    assert again.wiring.current is Stage.PROBE and again.wiring.foot.pad.isVisible()


def test_verify_and_intake_have_their_own_keys(window):
    window.stage(Stage.VERIFY)
    window.pad("C", "F")
    assert [e.clean for e in window.on_disk()[-2:]] == [True, False]
    assert window.on_disk()[-2].off_seconds > 1e5 > 60 > window.last.off_seconds, "the time since the last start"
    window.stage(Stage.INTAKE)
    assert not window.foot.buttons.pad.isVisible()
    window.press("Walk for missing parts")
    first = window.workspace.part
    window.pad("M")
    assert window.last.finding == "missing" and window.last.place == first and window.workspace.part != first


@pytest.mark.parametrize("pad", [False, True], ids=["pad off", "pad on"])
@pytest.mark.parametrize("pace", [60, 180])
def test_an_ordinary_sentence_is_one_note_at_every_stage(window, pace, pad):
    for number, stage in enumerate(Stage):
        window.workspace.pick("tw-vid", "5D")
        window.stage(stage)
        if window.foot.buttons.pad.isVisible() and window.wiring.pad.on != pad:
            window.keys("F8")
        for text in (TRAPS[number % len(TRAPS)], TRAPS[(number + 7) % len(TRAPS)], SAMPLE[number % len(SAMPLE)]):
            before = len(entries(window))
            type_at(window, text, pace)
            window.keys("Enter")
            new = entries(window)[before:]
            assert [e.kind for e in new] == ["note"] and new[0].text == text, (stage, text)


@pytest.mark.parametrize("text", [*TRAPS, *SAMPLE])
def test_typed_slowly_only_leading_pad_letters_can_be_recorded_each_announced(window, text):
    window.keys("F8")
    caps, before = set("LHPXZ"), len(entries(window))
    leading = 0
    while leading < len(text) and text[leading].upper() in caps:
        leading += 1
    type_at(window, text[:leading], 400)
    assert len(entries(window)) == before + leading
    if leading:
        assert "5D" in window.foot.pad.last.toolTip()
    type_at(window, text[leading:], 400)
    window.keys("Enter")
    new = entries(window)[before:]
    assert [e.kind for e in new] == ["pins_probed"] * leading + ["note"] and new[-1].text == text[leading:].strip()


# undo and redo


def focus_places(window):
    """Everything in the window that can have the keyboard at Probe."""
    window.ctrl("l")
    yield window.edit
    yield from window.foot.buttons.buttons
    yield window.foot.buttons.pad
    yield from (rows for rows in window.page.lists.values() if rows.isVisible())
    yield window.shell.drawer.list


def test_undo_and_redo_work_wherever_the_focus_is(window):
    for widget in focus_places(window):
        window.edit.setFocus()
        window.type("5D.13 low")
        recorded = window.on_disk()[-1]
        widget.setFocus()
        assert QApplication.focusWidget() is widget
        window.ctrl("z")
        assert window.last.kind == "retracted" and window.last.target == recorded.id, widget.accessibleName()
        widget.setFocus()
        window.ctrl("z", shift=True)
        assert window.last.kind == "pins_probed" and window.last.id != recorded.id, widget.accessibleName()
        window.edit.setFocus()
        window.ctrl("z")


def test_with_text_in_the_line_undo_is_about_the_typing(window):
    before = len(window.on_disk())
    window.type("5D.13 low")
    window.qtbot.keyClicks(window.edit, "half a sen")
    window.ctrl("z")
    assert len(window.on_disk()) == before + 1 and window.edit.text() != "half a sen"
    while window.edit.text():
        window.ctrl("z")
    window.ctrl("z", shift=True)
    assert window.edit.text(), "typing that was undone comes back"
    window.clear()
    window.ctrl("z")
    assert window.last.kind == "retracted"


def test_what_one_line_recorded_is_undone_and_redone_as_one(window):
    live = window.workspace.snapshot.count
    window.type("TW-VID 5A-5F corroded")
    parts = window.workspace.snapshot.count - live
    assert parts == 4
    window.ctrl("z")
    assert window.workspace.snapshot.count == live + 1, "the retraction itself"
    window.ctrl("z", shift=True)
    assert window.workspace.snapshot.count == live + 1 + parts


def test_the_drawer_shows_what_was_undone_and_undoes_by_key(window):
    window.type("5D.13 low")
    window.type("5D.9 high")
    window.ctrl("l")
    drawer = window.shell.drawer
    assert drawer.isVisible() and drawer.list.currentIndex().data().endswith("5D.9 high")
    target = drawer.model.index(drawer.model.rowCount() - 2)
    drawer.list.setCurrentIndex(target)
    drawer.list.setFocus()
    window.keys("Delete")
    assert window.last.kind == "retracted" and target.data().startswith("undone: ") and "5D.13 low" in target.data()


# buttons


def test_no_letter_alone_runs_a_command_and_every_command_is_a_button_with_its_key(window):
    for stage in Stage:
        window.stage(stage)
        shown = window.foot.buttons.buttons
        letters = [button.key.removeprefix("Alt+") for button in shown]
        assert len(set(letters)) == len(letters) and not set(letters) & RESERVED, stage
        for button in shown:
            assert isinstance(button, KeyButton) and button.accessibleName() and button.toolTip().endswith(")")
            assert button.isEnabled() and button.text() in button.accessibleName()
        before = len(entries(window))
        for letter in "abcdefghijklmnopqrstuvwxyz":
            window.qtbot.keyClicks(window.edit, letter)
        assert window.edit.text() == "abcdefghijklmnopqrstuvwxyz" and len(entries(window)) == before
        window.clear()


def test_alt_and_a_letter_presses_a_button_and_the_mouse_does_the_same(window):
    window.alt("r")
    assert window.last.source == "probe" and window.last.pins[0].pin == 5
    window.press("Read the probe")
    assert window.last.pins[0].pin == 6
    button = window.foot.buttons.buttons[0]
    button.setFocus()
    window.qtbot.keyClick(button, Qt.Key.Key_R, ALT)
    assert window.last.pins[0].pin == 7


def test_letters_pressed_on_a_list_or_a_button_go_into_the_line(window):
    window.stage(Stage.SUSPECTS)
    rows = window.rows("suspects")
    rows.setFocus()
    window.keys("g")
    assert window.edit.text() == "g" and window.edit.hasFocus()
    window.foot.buttons.buttons[0].setFocus()
    window.keys("o")
    assert window.edit.text() == "go"


def test_lists_are_walked_copied_and_acted_on_by_keyboard(window):
    window.stage(Stage.SUSPECTS)
    rows = window.rows("suspects")
    window.click_row("suspects", 0)
    first = window.workspace.place
    rows.setFocus()
    window.keys("Down")
    assert window.workspace.place != first and rows.hasFocus()
    window.ctrl("c")
    assert QApplication.clipboard().text() == window.row_texts("suspects")[1]
    things = window.rows("next three measurements")
    things.setFocus()
    things.setCurrentIndex(things.model().index(1))
    assert window.wiring.current is Stage.SUSPECTS, "passing over a thing does not do it"
    thing = window.workspace.assessment().next[0]
    window.keys("Enter")
    assert window.wiring.current is thing.stage and window.workspace.place == thing.place
    headings = things.model().flags(things.model().index(0))
    assert not headings & Qt.ItemFlag.ItemIsSelectable


# beside the command line


def test_an_open_window_refuses_the_second_writer_in_a_sentence(window, capsys):
    folder = window.workspace.job.store.folder
    before = len(window.on_disk())
    assert (
        main(["job", "enter", window.workspace.job.id, "5A removed", "--board", "TW-VID", "--store", str(folder)]) == 2
    )
    error = capsys.readouterr().err
    assert error.count("\n") == 1 and "Traceback" not in error and len(window.on_disk()) == before
    assert main(["job", "proof", window.workspace.job.id, "--store", str(folder), "--json"]) == 0


def test_a_window_opened_later_shows_what_the_command_line_recorded(qtbot, tmp_path, demo_template, open_window):
    import shutil

    shutil.copytree(demo_template, tmp_path / "store")
    where = ["--store", str(tmp_path / "store")]
    assert main(["job", "enter", "Tidewrack two-board set", "TW-VID 5A corroded", *where]) == 0
    window = Driver(qtbot, open_window(demo=True, store=tmp_path / "store"))
    assert window.wiring.current is Stage.INSPECT and window.workspace.place == ("tw-vid", "5A")
    assert "5A corroded" in window.message
