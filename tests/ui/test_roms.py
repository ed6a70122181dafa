"""The ROM stage: bytes side by side, a bad chip restored from its sums, and what is kept of it."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QDialogButtonBox, QFileDialog

from loyal_trace.core.assess.roms import expected_signature, shown_signature
from loyal_trace.core.job.entries import RomRead
from loyal_trace.core.roms.signature import Register
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.demo.hollin import HOLLIN_JOB
from loyal_trace.demo.images import reference_image
from loyal_trace.formats.rom_files import decode_image
from loyal_trace.ui.widgets.column_dialog import ColumnDialog


@pytest.fixture
def roms(window):
    """The demo window at the ROM stage, at the EPROM with two faded bytes."""
    window.stage(Stage.ROMS)
    window.workspace.pick("tw-cpu", "6F")
    return window


def read_in(window, board, refdes, data):
    sha = window.workspace.job.store.put_attachment(data.tobytes())
    window.workspace.record(RomRead, board=board, place=refdes, attachment=sha, size=len(data))


def test_the_bytes_stand_side_by_side_and_a_key_walks_the_differences(roms):
    view = roms.figure("bytes as read and as expected")
    assert view.isHidden()
    roms.press("Show bytes")
    assert view.isVisible() and view.accessibleDescription() == "1 of 2: 0B78 is DA, should be D2 (D3)"
    roms.press("Next difference")
    assert view.accessibleDescription() == "2 of 2: 162F is 7F, should be 77 (D3)"
    roms.press("Previous difference", "Previous difference")
    assert view.accessibleDescription().startswith("2 of 2")
    roms.press("Show the sockets")
    assert view.isHidden() and "programmed over" in roms.next


def test_two_wrong_bytes_are_restored_from_the_sums_and_kept_beside_the_read(roms):
    true = reference_image("tw-cpu", "6F", "B")
    before = [e for e in roms.on_disk() if e.kind == "rom_read" and e.place == "6F"]
    roms.press("Plan repair", "Restore the contents")
    roms.wait_idle()
    roms.qtbot.waitUntil(lambda: roms.last.kind == "image_known", timeout=20_000)
    entry = roms.last
    assert "0B78 from DA to D2" in entry.proof and "proved by sha1" in entry.proof and entry.firmware == "B"
    assert roms.workspace.job.store.attachment(entry.attachment) == true
    assert [e for e in roms.on_disk() if e.kind == "rom_read" and e.place == "6F"] == before, "the read itself stays"


def test_what_cannot_be_restored_says_so_and_the_window_stays_awake(roms):
    damaged = np.frombuffer(reference_image("tw-cpu", "6C", "B"), np.uint8).copy()
    damaged[[5, 500, 5000]] ^= 0x5A
    roms.workspace.pick("tw-cpu", "6C")
    read_in(roms, "tw-cpu", "6C", damaged)
    count = len(roms.on_disk())
    roms.press("Plan repair", "Restore the contents")
    assert roms.workspace.tasks.busy, "it works in the background"
    roms.wait_idle()
    roms.qtbot.waitUntil(lambda: "not restored" in roms.message, timeout=20_000)
    assert len(roms.on_disk()) == count


def test_lines_exchanged_by_an_adapter_are_named_and_undone(roms):
    true = np.frombuffer(reference_image("tw-cpu", "6B", "B"), np.uint8)
    turned = (true & 0x7E) | (true >> 7) | ((true & 1) << 7)
    roms.workspace.pick("tw-cpu", "6B")
    read_in(roms, "tw-cpu", "6B", turned.astype(np.uint8))
    assert "D0 and D7 are exchanged" in roms.why and "Check the wiring of adapter" in roms.next


def test_a_signature_from_the_tester_is_held_against_the_expected_one_and_triaged(roms):
    roms.workspace.pick("tw-cpu", "6A")
    assert "in circuit the right signature is " in roms.hint
    wanted = expected_signature(roms.workspace.job.moment, PartRef("tw-cpu", "6A"))
    roms.type(f"sig {wanted:04X}")
    assert roms.last.value == wanted and "Contents match" in roms.why
    roms.workspace.pick("tw-cpu", "6D")
    roms.type("sig 0001")
    assert "right out of circuit" in roms.why and "Inspect the pins of 6D" in roms.next
    roms.workspace.pick("tw-cpu", "6C")
    roms.type("sig 0002")
    assert "wrong out of circuit too, which indicates the chip" in roms.why
    roms.type("sig none")
    assert "did not release the bus" in roms.why
    roms.type("register: CRC16-ARC")
    assert expected_signature(roms.workspace.job.moment, PartRef("tw-cpu", "6A")) != wanted
    count = len(roms.on_disk())
    for wrong in ("register: 0x123456", "sig XYZ", "6A sig 12345"):
        roms.type(wrong)
        assert not any(e.kind in ("signature", "decided") for e in roms.on_disk()[count:]), wrong
        roms.clear()


def page(roms):
    return roms.rows("page")


def texts(roms):
    return roms.row_texts("page")


def test_the_set_stands_as_a_table_and_an_unknown_dump_is_held_against_the_store(roms):
    roms.workspace.pick("tw-cpu", "6C")
    roms.press("Show the set")
    assert any(line.startswith("3 6D TW-3 27C64 6000–7FFF 8 bit differs: A | B B") for line in texts(roms))
    roms.press("Identify the ROM")
    roms.wait_idle()
    roms.qtbot.waitUntil(lambda: roms.last.kind == "note")
    assert "identified: 6C of TW-CPU rev C, firmware B" in roms.last.text and roms.last.place == "6C"
    assert any("line patterns agree" in line for line in texts(roms))
    roms.press("Show the sockets")
    assert not page(roms).isVisible()


def test_the_reads_of_a_chip_stand_beside_each_other_and_what_flickers_is_drawn(roms):
    first = np.frombuffer(reference_image("tw-cpu", "6B", "B"), np.uint8).copy()
    roms.workspace.pick("tw-cpu", "6B")
    roms.press("Compare reads")
    assert "reads are equal" in texts(roms)[-1] or "One read cannot show" in texts(roms)[-1]
    for place in (100, 900, 1700):
        turned = first.copy()
        turned[place] ^= 0x04
        read_in(roms, "tw-cpu", "6B", turned)
    picture = roms.figure("picture of the image")
    assert "3 bits differ" in texts(roms)[-1] and "3 bytes change" in picture.accessibleDescription()
    assert picture.strip.lanes == (2,) and "checksums match" in " ".join(texts(roms))


def test_the_repair_page_says_how_the_chip_is_written_and_what_could_take_its_place(roms):
    roms.workspace.pick("tw-cpu", "6F")
    roms.press("Plan repair")
    shown = " ".join(texts(roms))
    assert "6F: 27C64, EPROM" in shown and "programmed over" in shown and "28C64" in shown
    assert "as old as those" in roms.page.caution.label.text() and "lamp" not in roms.page.caution.label.text()
    roms.press("Restore the contents")
    roms.wait_idle()
    roms.qtbot.waitUntil(lambda: "The reference image was restored" in " ".join(texts(roms)))
    roms.workspace.pick("tw-cpu", "6C")
    assert "The fault is not in the cells: repair the pins" in " ".join(texts(roms))
    roms.workspace.pick("tw-cpu", "6A")
    lost = np.frombuffer(reference_image("tw-cpu", "6A", "B"), np.uint8).copy()
    lost[[100, 2000, 4003]] = 0
    for entry in [e for e in roms.on_disk() if e.kind == "rom_read" and e.place == "6A"]:
        roms.workspace.retract(entry.id)
    read_in(roms, "tw-cpu", "6A", lost)
    roms.type("lamp: 12m")
    roms.type("clock: 20MHz")
    assert roms.last.choice == "20MHz" and "too slow" in " ".join(texts(roms))
    assert "With this lamp, 21 minutes" in " ".join(texts(roms)) and "damages eyes" in roms.page.caution.label.text()


def test_an_explanation_is_picked_from_the_list_and_drawn(roms):
    picture = roms.figure("picture of the image")
    roms.workspace.pick("tw-cpu", "6C")
    assert picture.strip.address_lines == (9,) and "A9 = 1" in picture.strip.aside
    stuck = np.frombuffer(reference_image("tw-cpu", "6B", "B"), np.uint8).copy()
    stuck[0x800:0x1000] |= 0x20
    roms.workspace.pick("tw-cpu", "6B")
    read_in(roms, "tw-cpu", "6B", stuck)
    likeliest = roms.why
    assert (
        picture.strip.lanes == (5,)
        and picture.strip.span == (0x800, 0xFFF)
        and "frame: 0800 to 0FFF" in picture.strip.aside
    )
    roms.click_row("what explains it", 2)
    assert roms.why != likeliest and picture.strip.span is None
    roms.click_row("what explains it", 1)
    assert roms.why == likeliest


def test_the_picture_zooms_to_single_bytes_and_a_click_shows_them(roms):
    roms.workspace.pick("tw-cpu", "6F")
    picture, view = roms.figure("picture of the image"), roms.figure("bytes as read and as expected")
    walk = roms.wiring.presenter.walk
    roms.press("Show bytes", "Zoom in", "Zoom in", "Zoom in")
    assert picture.count == 0x400 and picture.first <= walk.offset < picture.first + picture.count
    roms.press("Next difference")
    assert picture.first <= 0x162F < picture.first + picture.count, "the next difference is brought into view"
    for _ in range(12):
        roms.press("Zoom in")
    assert picture.count == 16
    roms.press("Show the sockets")
    assert picture.count == 0x2000
    roms.qtbot.mouseClick(picture, Qt.MouseButton.LeftButton, pos=QPoint(picture.width() // 2, 80))
    assert view.isVisible() and abs(walk.offset - 0x1000) < 0x100 and "as expected" in view.accessibleDescription()
    roms.press("Next difference")
    assert walk.offset == 0x162F, "the next difference after the place clicked"


def test_checksums_and_symbols_are_typed_and_files_are_written(roms, tmp_path, monkeypatch):
    roms.workspace.pick("tw-cpu", "6A")
    roms.type("sum sum16 1F2E crc32 7C9E1A20")
    entry = roms.last
    assert entry.source == "typed" and entry.lines[0].digests == {"sum16": "1f2e", "crc32": "7c9e1a20"}
    roms.workspace.undo()
    roms.type("symbols: GHJKLMNPQRSTVWXZ")
    wanted = expected_signature(roms.workspace.job.moment, PartRef("tw-cpu", "6A"))
    shown = shown_signature(roms.workspace.job.moment, wanted)
    assert set(shown) <= set("GHJKLMNPQRSTVWXZ") and shown in roms.hint
    roms.type(f"sig {shown}")
    assert roms.last.value == wanted
    roms.press("Plan repair")

    def save(label, name):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / name), ""))
        roms.press(label)

    save("Print the labels", "set.svg")
    assert b"6A" in (tmp_path / "set.svg").read_bytes()
    save("Write the image", "6a.hex")
    assert decode_image("6a.hex", (tmp_path / "6a.hex").read_bytes(), "").data == reference_image("tw-cpu", "6A", "B")
    roms.click_row_of("page", "27C256")
    save("Write the image", "6a big.bin")
    assert (tmp_path / "6a big.bin").read_bytes() == reference_image(
        "tw-cpu", "6A", "B"
    ) * 4 and "4 times" in roms.message
    for wrong in ("symbols: ABC", "sum crc32 12", "lamp: -3"):
        count = len(roms.on_disk())
        roms.type(wrong)
        assert len(roms.on_disk()) == count and roms.strip.startswith("Not recorded"), wrong
        roms.clear()


def test_the_register_of_a_tester_is_learnt_from_the_signatures_taken(roms):
    theirs = Register(16, 0x3D65, 0, 0xFFFF, True, False)
    for slot in ("6A", "6B", "6D"):
        roms.workspace.pick("tw-cpu", slot)
        roms.type(f"sig {theirs.of(reference_image('tw-cpu', slot, 'B')):04X}")
        if slot != "6D":
            roms.press("Show the set", "Learn the register")
            roms.wait_idle()
            roms.qtbot.waitUntil(lambda: "are needed" in roms.message)
            roms.press("Show the sockets")
    roms.press("Show the set", "Learn the register")
    roms.wait_idle()
    roms.qtbot.waitUntil(lambda: roms.last.kind == "decided", timeout=20_000)
    assert "3 of 3 pairs" in roms.last.reason
    moment = roms.workspace.job.moment
    assert expected_signature(moment, PartRef("tw-cpu", "6E")) == theirs.of(reference_image("tw-cpu", "6E", "B"))


def test_a_table_of_sums_with_titles_of_its_own_is_explained_over_a_preview(roms, tmp_path, monkeypatch):
    table = tmp_path / "from-a-friend.csv"
    table.write_text("Chip;Prüfsumme\n6A;3AC47BF3\n6B;6BA0828C\n", encoding="utf-8")
    seen = []

    def choose(dialog):
        seen.append((dialog.message.text(), dialog.preview.item(2, 0).text()))
        for column, words in enumerate(("slot", "CRC-32")):
            dialog.preview.cellWidget(0, column).setCurrentText(words)
        assert dialog.buttons.button(QDialogButtonBox.StandardButton.Ok).isEnabled()
        return ColumnDialog.DialogCode.Accepted

    monkeypatch.setattr(ColumnDialog, "exec", choose)
    roms.shell.files_dropped.emit([table])
    entry = roms.last
    assert seen == [("choose the column of the file name or the slot, and of a checksum", "6A")]
    assert entry.source == "from-a-friend.csv" and entry.lines[0].place == "6A"
    assert entry.lines[0].digests == {"crc32": "3ac47bf3"}
    monkeypatch.setattr(ColumnDialog, "exec", lambda dialog: ColumnDialog.DialogCode.Rejected)
    count = len(roms.on_disk())
    roms.shell.files_dropped.emit([table])
    assert len(roms.on_disk()) == count and "map a column" in roms.message


def test_a_board_without_rom_sockets_says_what_can_be_done(roms):
    roms.ours.open_job(HOLLIN_JOB)
    roms.stage(Stage.ROMS)
    assert "ROM socket" in roms.why and "Read all ROMs" in roms.buttons()
    for label in roms.buttons():
        roms.press(label)
        assert not roms.workspace.tasks.busy, label
        if "Show the sockets" in roms.buttons() and label != "Show the sockets":
            roms.press("Show the sockets")
    roms.press("Read all ROMs")
    assert "no ROM sockets" in roms.message
