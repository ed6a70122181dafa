"""A set of ROMs without references: a line fault in several chips is the reader, in one alone the chip."""

import numpy as np
import pytest

from loyal_trace.core.roms.across import LineFault, across
from loyal_trace.core.roms.forensics import examine
from loyal_trace.core.roms.lanes import data_bits

RNG = np.random.default_rng(11)


def _image(size: int = 4096, bits: int = 8) -> np.ndarray:
    return RNG.integers(0, 1 << bits, size, dtype=np.uint8)


def _by_name(found):
    return {one.fault: one.shown_by for one in found}


@pytest.mark.parametrize(
    ("damage", "fault"),
    [
        (lambda image: image | 0x08, LineFault("steady", (3,), 1)),
        (lambda image: image & 0xFB | (image & 0x02) << 1, LineFault("tied", (1, 2))),
        (lambda image: image[np.arange(len(image)) & ~0x80], LineFault("idle", (7,))),
    ],
)
def test_a_line_fault_in_several_chips_is_the_reader_and_in_one_the_chip(damage, fault):
    good = _image()
    several = across({"U5": damage(_image()).tobytes(), "U6": good.tobytes(), "U8": damage(_image()).tobytes()})
    assert _by_name(several) == {fault: ("U5", "U8")}
    assert "the reader or its adapter rather than 2 chips" in several[0].words
    alone = across({"U5": damage(_image()).tobytes(), "U6": good.tobytes()})
    assert _by_name(alone) == {fault: ("U5",)}
    assert "in U5 alone, not in U6" in alone[0].words


def test_content_that_a_proved_chip_has_too_is_no_fault_and_blank_chips_say_nothing():
    narrow = _image(bits=7)
    assert not across({"U5": narrow.tobytes()}, {"U6": _image(bits=7).tobytes()})
    assert across({"U5": narrow.tobytes()}, {"U6": _image().tobytes()})
    assert not across({"U5": b"\xff" * 4096, "U6": _image().tobytes()})
    assert not across({"U5": narrow.tobytes()}) and not across({"U5": b"", "U6": b""})


def test_text_keeps_its_upper_bits_and_a_four_bit_prom_has_four():
    text = np.frombuffer(b"THE QUICK BROWN FOX 0123456789 jumps; " * 100, np.uint8)
    assert not across({"U5": text.tobytes(), "U6": _image().tobytes()})
    low, high = _image(256, 4), _image(256, 4) | 0xF0
    assert (data_bits(low), data_bits(high), data_bits(_image(256)), data_bits(_image(32, 4))) == (4, 4, 8, 8)
    assert not across({"U30": low.tobytes(), "U31": high.tobytes()})
    assert _by_name(across({"U30": (low & 0xFE).tobytes(), "U31": high.tobytes()})) == {
        LineFault("steady", (0,), 0): ("U30",)
    }
    assert examine(high.tobytes(), None)[0].kind == "unknown"
    assert examine((high & 0xFD).tobytes(), None)[0].kind == "data-stuck-0"


def test_an_output_that_repeats_while_the_others_do_not_is_named_and_accuses_nobody():
    steps = (np.arange(4096) >> 3 & 1).astype(np.uint8) << 5
    tied = (_image() & 0xDF) | steps
    found = across({"U30": tied.tobytes(), "U31": _image().tobytes()})
    assert _by_name(found) == {LineFault("periodic", (5,), 16): ("U30",)}
    assert found[0].words.startswith("D5 repeats every 16 bytes in U30: the content of a table, or bridged")
    whole = np.tile(_image(64), 64)
    assert {one.fault.kind for one in across({"U30": whole.tobytes(), "U31": _image().tobytes()})} == {"idle"}
