"""The ROM stage: bytes side by side, a bad chip restored from its sums, and what is kept of it."""

import numpy as np
import pytest

from loyal_trace.core.logbook.entries import RomRead
from loyal_trace.demo.images import true_image
from loyal_trace.ui.widgets.hex_view import HexView


@pytest.fixture
def roms(window):
    """The demo window at the ROM stage, at the EPROM with two faded bytes."""
    window.stage(4)
    window.desk.pick("tw-cpu", "6F")
    return window


def read_in(window, board, refdes, data):
    sha = window.desk.session.store.put_attachment(data.tobytes())
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
    assert roms.desk.session.store.attachment(entry.attachment) == true
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
    wanted = roms.desk.session.case().expected_signature(("tw-cpu", "6A"))
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
    assert roms.desk.session.case().expected_signature(("tw-cpu", "6A")) != wanted
    for wrong in ("crc 0x123456", "sig XYZ", "hello there"):
        count = len(roms.on_disk())
        roms.type(wrong)
        assert len(roms.on_disk()) == count and roms.message
        roms.edit.clear()
