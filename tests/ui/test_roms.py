"""The ROM stage: bytes side by side, a bad chip restored from its sums, and what is kept of it."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QDialogButtonBox

from loyal_trace.core.assess.roms import expected_signature, shown_signature
from loyal_trace.core.job.entries import RomRead
from loyal_trace.core.roms.signature import Register
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.demo.hollin import HOLLIN_JOB
from loyal_trace.demo.images import true_image
from loyal_trace.formats.rom_files import decode_image
from loyal_trace.ui.widgets.column_dialog import ColumnDialog
from loyal_trace.ui.widgets.hex_view import HexView
from loyal_trace.ui.widgets.rom_picture import RomPicture
from loyal_trace.ui.widgets.rows import RowList


@pytest.fixture
def roms(window):
    """The demo window at the ROM stage, at the EPROM with two faded bytes."""
    window.stage(4)
    window.desk.pick("tw-cpu", "6F")
    return window


def read_in(window, board, refdes, data):
    sha = window.desk.job.store.put_attachment(data.tobytes())
    window.desk.record(RomRead, board=board, place=refdes, attachment=sha, size=len(data))


def test_the_bytes_stand_side_by_side_and_a_key_walks_the_differences(roms):
    view = roms.frame.findChild(HexView)
    assert view.isHidden()
    roms.keys("B")
    assert view.isVisible() and view.accessibleDescription() == "1 of 2: 0B78 is DA, should be D2 (D3)"
    roms.keys("N")
    assert view.accessibleDescription() == "2 of 2: 162F is 7F, should be 77 (D3)"
    roms.keys("V", "V")
    assert view.accessibleDescription().startswith("2 of 2")
    roms.keys("B")
    assert view.isHidden() and "programme over it" in roms.frame.meaning.aside.text()


def test_two_wrong_bytes_are_restored_from_the_sums_and_kept_beside_the_read(roms):
    true = true_image("tw-cpu", "6F", "B")
    before = [e for e in roms.on_disk() if e.kind == "rom_read" and e.place == "6F"]
    roms.keys("P")
    roms.wait_idle()
    roms.qtbot.waitUntil(lambda: roms.on_disk()[-1].kind == "image_known", timeout=20_000)
    entry = roms.on_disk()[-1]
    assert "0B78 from DA to D2" in entry.proof and "proved by sha1" in entry.proof and entry.firmware == "B"
    assert roms.desk.job.store.attachment(entry.attachment) == true
    assert [e for e in roms.on_disk() if e.kind == "rom_read" and e.place == "6F"] == before, "the read itself stays"


def test_what_cannot_be_restored_says_so_and_the_window_stays_awake(roms):
    damaged = np.frombuffer(true_image("tw-cpu", "6C", "B"), np.uint8).copy()
    damaged[[5, 500, 5000]] ^= 0x5A
    roms.desk.pick("tw-cpu", "6C")
    read_in(roms, "tw-cpu", "6C", damaged)
    count = len(roms.on_disk())
    roms.keys("P")
    assert roms.desk.busy, "it works in the background"
    roms.wait_idle()
    roms.qtbot.waitUntil(lambda: "not restored" in roms.message, timeout=20_000)
    assert len(roms.on_disk()) == count


def test_lines_exchanged_by_an_adapter_are_named_and_undone(roms):
    true = np.frombuffer(true_image("tw-cpu", "6B", "B"), np.uint8)
    turned = (true & 0x7E) | (true >> 7) | ((true & 1) << 7)
    roms.desk.pick("tw-cpu", "6B")
    read_in(roms, "tw-cpu", "6B", turned.astype(np.uint8))
    assert "D0 and D7 are exchanged" in roms.why and "the chip is whole" in roms.next


def test_a_signature_from_the_tester_is_held_against_the_expected_one_and_triaged(roms):
    roms.desk.pick("tw-cpu", "6A")
    assert "in circuit: sig " in roms.edit.placeholderText()
    wanted = expected_signature(roms.desk.job.moment, PartRef("tw-cpu", "6A"))
    roms.type(f"sig {wanted:04X}")
    assert roms.on_disk()[-1].value == wanted and "right" in roms.why
    roms.desk.pick("tw-cpu", "6D")
    roms.type("sig 0001")
    assert "right out of circuit" in roms.why and "Look at the legs of 6D" in roms.next
    roms.desk.pick("tw-cpu", "6C")
    roms.type("sig 0002")
    assert "wrong out of circuit too: the chip" in roms.why
    roms.type("sig none")
    assert "the bus was never released" in roms.why
    roms.type("crc CRC16-ARC")
    assert expected_signature(roms.desk.job.moment, PartRef("tw-cpu", "6A")) != wanted
    for wrong in ("crc 0x123456", "sig XYZ", "hello there"):
        count = len(roms.on_disk())
        roms.type(wrong)
        assert len(roms.on_disk()) == count and roms.message
        roms.edit.clear()


def page(roms):
    return roms.frame.findChildren(RowList)[
        [w.accessibleName() for w in roms.frame.findChildren(RowList)].index("page")
    ]


def texts(roms):
    return [row.words for row in page(roms).rows]


def test_the_set_stands_as_a_table_and_an_unknown_dump_is_held_against_the_store(roms):
    roms.desk.pick("tw-cpu", "6C")
    roms.keys("M")
    assert any(line.startswith("3 6D TW-3 27C64 6000–7FFF 8 bit differs: A | B B") for line in texts(roms))
    roms.keys("I")
    roms.wait_idle()
    roms.qtbot.waitUntil(lambda: roms.on_disk()[-1].kind == "note")
    assert "6C identified: 6C of TW-CPU rev C, firmware B" in roms.on_disk()[-1].text
    assert any("line patterns agree" in line for line in texts(roms))
    roms.keys("M")
    assert not page(roms).isVisible()


def test_the_reads_of_a_chip_stand_beside_each_other_and_what_flickers_is_drawn(roms):
    first = np.frombuffer(true_image("tw-cpu", "6B", "B"), np.uint8).copy()
    roms.desk.pick("tw-cpu", "6B")
    roms.keys("D")
    assert "alike" in texts(roms)[-1] or "one read tells nothing" in texts(roms)[-1]
    for place in (100, 900, 1700):
        turned = first.copy()
        turned[place] ^= 0x04
        read_in(roms, "tw-cpu", "6B", turned)
    picture = roms.frame.findChild(RomPicture)
    assert "3 bits differ" in texts(roms)[-1] and "3 bytes change" in picture.accessibleDescription()
    assert picture.strip.lanes == (2,) and "has the right sums" in " ".join(texts(roms))


def test_the_repair_page_says_how_the_chip_is_written_and_what_could_take_its_place(roms):
    roms.desk.pick("tw-cpu", "6F")
    roms.keys("U")
    shown = " ".join(texts(roms))
    assert "6F: 27C64, EPROM" in shown and "programme over it" in shown and "28C64" in shown
    assert roms.frame.caution.isHidden(), "programming over needs no lamp"
    roms.keys("P")
    roms.wait_idle()
    roms.qtbot.waitUntil(lambda: "The true image was restored" in " ".join(texts(roms)))
    roms.desk.pick("tw-cpu", "6C")
    assert "The cells are not to blame: see to the pins" in " ".join(texts(roms))
    roms.desk.pick("tw-cpu", "6A")
    lost = np.frombuffer(true_image("tw-cpu", "6A", "B"), np.uint8).copy()
    lost[[100, 2000, 4003]] = 0
    for entry in [e for e in roms.on_disk() if e.kind == "rom_read" and e.place == "6A"]:
        roms.desk.retract(entry.id)
    read_in(roms, "tw-cpu", "6A", lost)
    roms.type("lamp 12m")
    roms.type("clock 20MHz")
    assert roms.on_disk()[-1].choice == "20MHz" and "too slow" in " ".join(texts(roms))
    assert "Under this lamp 21 minutes" in " ".join(texts(roms)) and "harms eyes" in roms.frame.caution.label.text()


def test_an_explanation_is_picked_by_number_and_drawn(roms):
    picture = roms.frame.findChild(RomPicture)
    roms.desk.pick("tw-cpu", "6C")
    assert picture.strip.address_lines == (9,) and "A9 = 1" in picture.strip.aside
    stuck = np.frombuffer(true_image("tw-cpu", "6B", "B"), np.uint8).copy()
    stuck[0x800:0x1000] |= 0x20
    roms.desk.pick("tw-cpu", "6B")
    read_in(roms, "tw-cpu", "6B", stuck)
    likeliest = roms.why
    assert (
        picture.strip.lanes == (5,)
        and picture.strip.span == (0x800, 0xFFF)
        and "frame: 0800 to 0FFF" in picture.strip.aside
    )
    roms.keys("2")
    assert roms.why != likeliest and picture.strip.span is None
    roms.keys("1")
    assert roms.why == likeliest


def test_the_picture_zooms_to_single_bytes_and_a_click_shows_them(roms):
    roms.desk.pick("tw-cpu", "6F")
    picture, view = roms.frame.findChild(RomPicture), roms.frame.findChild(HexView)
    roms.keys("B", "+", "+", "+")
    assert picture.count == 0x400 and picture.first <= view.offset < picture.first + picture.count
    roms.keys("N")
    assert picture.first <= 0x162F < picture.first + picture.count, "the next difference is brought into view"
    for _ in range(12):
        roms.keys("+")
    assert picture.count == 16
    roms.keys("B")
    assert picture.count == 0x2000
    roms.qtbot.mouseClick(picture, Qt.MouseButton.LeftButton, pos=QPoint(picture.width() // 2, 80))
    assert view.isVisible() and abs(view.offset - 0x1000) < 0x100 and "as it should be" in view.accessibleDescription()
    roms.keys("N")
    assert view.offset == 0x162F, "the next difference after the place clicked"


def test_sums_symbols_and_labels_are_typed(roms, tmp_path):
    roms.desk.pick("tw-cpu", "6A")
    roms.type("sum sum16 1F2E crc32 7C9E1A20")
    entry = roms.on_disk()[-1]
    assert entry.source == "typed" and entry.lines[0].digests == {"sum16": "1f2e", "crc32": "7c9e1a20"}
    roms.desk.retract_last()
    roms.type("symbols GHJKLMNPQRSTVWXZ")
    wanted = expected_signature(roms.desk.job.moment, PartRef("tw-cpu", "6A"))
    shown = shown_signature(roms.desk.job.moment, wanted)
    assert set(shown) <= set("GHJKLMNPQRSTVWXZ") and shown in roms.edit.placeholderText()
    roms.type(f"sig {shown}")
    assert roms.on_disk()[-1].value == wanted
    roms.type(f"labels {tmp_path / 'set.svg'}")
    assert b"6A" in (tmp_path / "set.svg").read_bytes()
    roms.type(f"save {tmp_path / '6a big.bin'} 27C256")
    assert (tmp_path / "6a big.bin").read_bytes() == true_image("tw-cpu", "6A", "B") * 4 and "4 times" in roms.message
    roms.type(f"save {tmp_path / '6a.hex'}")
    assert decode_image("6a.hex", (tmp_path / "6a.hex").read_bytes(), "").data == true_image("tw-cpu", "6A", "B")
    for wrong in (f"save {tmp_path / 'x.bin'} 2716", "symbols ABC", "sum nonsense", "lamp -3", "labels x.txt"):
        count = len(roms.on_disk())
        roms.type(wrong)
        assert len(roms.on_disk()) == count and roms.message, wrong
        roms.edit.clear()


def test_the_register_of_a_tester_is_learnt_from_the_signatures_taken(roms):
    theirs = Register(16, 0x3D65, 0, 0xFFFF, True, False)
    for slot in ("6A", "6B", "6D"):
        roms.desk.pick("tw-cpu", slot)
        roms.type(f"sig {theirs.of(true_image('tw-cpu', slot, 'B')):04X}")
        if slot != "6D":
            roms.keys("M", "G")
            roms.wait_idle()
            roms.qtbot.waitUntil(lambda: "are needed" in roms.message)
            roms.keys("M")
    roms.keys("M", "G")
    roms.wait_idle()
    roms.qtbot.waitUntil(lambda: roms.on_disk()[-1].kind == "decided", timeout=20_000)
    assert "3 of 3 pairs" in roms.on_disk()[-1].reason
    moment = roms.desk.job.moment
    assert expected_signature(moment, PartRef("tw-cpu", "6E")) == theirs.of(true_image("tw-cpu", "6E", "B"))


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
    entry = roms.on_disk()[-1]
    assert seen == [("choose the column of the file name or the slot, and of a checksum", "6A")]
    assert entry.source == "from-a-friend.csv" and entry.lines[0].place == "6A"
    assert entry.lines[0].digests == {"crc32": "3ac47bf3"}
    monkeypatch.setattr(ColumnDialog, "exec", lambda dialog: ColumnDialog.DialogCode.Rejected)
    count = len(roms.on_disk())
    roms.shell.files_dropped.emit([table])
    assert len(roms.on_disk()) == count and "map a column" in roms.message


def test_a_board_without_rom_sockets_answers_every_key(roms):
    roms.ours.open_job(HOLLIN_JOB)
    roms.stage(4)
    for key in ("A", "R", "T", "B", "M", "I", "M", "D", "P", "U", "1", "N", "W"):
        roms.keys(key)
        assert not roms.desk.busy, key
    roms.keys("A")
    assert "no ROM sockets" in roms.message
