"""From bad reads and sums to the true content, and how it gets back into the chip."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.errors import RequestError
from loyal_trace.core.roms.images import KnownSum
from loyal_trace.core.roms.mending import mend
from loyal_trace.core.roms.programming import erase_minutes, programming
from loyal_trace.core.roms.sets import revision_mix
from tests.core.test_rom_corpus import CODE, sums_of

TRUE = CODE.tobytes()
OWN = (
    KnownSum("u1", tuple(sums_of(b"another").items()), len(TRUE), "A"),
    KnownSum("u1", tuple(sums_of(TRUE).items()), len(TRUE), "B"),
)


def spoilt(*changes):
    out = bytearray(TRUE)
    for offset, flips in changes:
        out[offset] ^= flips
    return bytes(out)


def never():
    return False


@pytest.mark.parametrize(
    ("reads", "words"),
    [
        ([spoilt((7, 1), (90, 4), (400, 2)), spoilt((8, 1)), spoilt((9, 1))], "majority of 3 reads"),
        ([bytes(b ^ 0xFF for b in TRUE)], "inverted"), ([spoilt((5, 0x10))], "0005 from"),
        ([spoilt((1, 1), (2, 2), (3, 4)), spoilt((5, 0x10), (77, 1))], "004D from"),
    ],
)  # fmt: skip
def test_the_surest_way_to_the_true_content_is_taken_and_its_firmware_named(reads, words):
    found = mend(reads, OWN, never)
    assert found.data == TRUE and found.firmware == "B" and words in found.proof


def test_what_nothing_restores_is_left_and_a_stop_is_heeded():
    three = spoilt((1, 0x55), (1000, 0xAA), (3000, 0x33))
    assert mend([three], OWN, never) is None and mend([three], (), never) is None
    assert mend([spoilt((5, 1), (77, 1))], OWN, lambda: True) is None


@given(st.binary(min_size=1, max_size=40), st.data())
def test_programming_over_is_only_offered_when_no_bit_has_to_rise(image, data):
    truth = data.draw(st.binary(min_size=len(image), max_size=len(image)))
    rises = any(t & ~i for i, t in zip(image, truth, strict=True))
    assert programming(image, truth).how == ("nothing" if image == truth else "erase" if rises else "over")


def test_another_size_needs_another_device_and_the_lamp_its_time():
    assert programming(b"\xff\xff", b"\x00").how == "erase"
    assert erase_minutes(0.012) == pytest.approx(20.83, rel=1e-3), "15 W·s/cm² under 12 mW/cm²"
    with pytest.raises(RequestError):
        erase_minutes(0.0)


def test_a_set_of_one_revision_is_not_called_mixed():
    a, b = KnownSum("x", (), firmware="A"), KnownSum("x", (), firmware="B")
    assert not revision_mix({"6A": (a, b), "6B": (a,), "6C": ()}).mixed
    assert "every slot that tells is of firmware A" in revision_mix({"6B": (a,)}).words
    mixed = revision_mix({"6A": (a, b), "6B": (a,), "6C": (b,), "6D": (b,)})
    assert mixed.mixed and mixed.by_firmware == {"A": ("6B",), "B": ("6C", "6D")}
    assert revision_mix({}).words == "no slot tells the firmware"


def test_votes_and_restorations_do_not_change_what_they_are_given():
    read = spoilt((5, 1))
    kept = bytes(read)
    mend([read, read, read], OWN, never)
    assert read == kept and np.array_equal(CODE, np.frombuffer(TRUE, np.uint8))
