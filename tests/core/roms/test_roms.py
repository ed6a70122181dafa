"""Damage is put into images by hand and has to be named."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from loyal_trace.core.roms.by_checksums import Expected
from loyal_trace.core.roms.forensics import examine
from loyal_trace.core.roms.hypotheses import PinNames
from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage, prevailing_firmware, without_read_number
from loyal_trace.core.roms.restore import restore
from loyal_trace.core.roms.verdicts import judge
from loyal_trace.demo.images import picture_image, program_image

SIZE = 0x1000
CODE, TILES = program_image("test code", SIZE), picture_image("test tiles", SIZE)


def known(name, data, firmware="", place=""):
    image = RomImage(name, data)
    return KnownChecksum(
        name, (("crc32", image.digest("crc32")), ("sha1", image.digest("sha1"))), None, firmware, place
    )


def verdict(data, reference=CODE, with_truth=True, others=(), extra=(), firmware=""):
    own = (known("6c.bin", reference),)
    expected = Expected(own, firmware, len(reference), reference if with_truth else None)
    return judge(RomImage("6c.bin", bytes(data)), expected, ChecksumList([*own, *extra]), list(others))


def stuck_data(data, line, level):
    image = np.frombuffer(data, np.uint8)
    return (image | (1 << line) if level else image & ~np.uint8(1 << line)).astype(np.uint8).tobytes()


def stuck_address(data, line, level):
    index = np.arange(len(data))
    return np.frombuffer(data, np.uint8)[(index | 1 << line) if level else (index & ~(1 << line))].tobytes()


@given(st.sampled_from([CODE, TILES]), st.integers(0, 7), st.integers(0, 1), st.booleans())
@settings(max_examples=30)
def test_a_stuck_data_line_is_named_with_and_without_the_true_image(reference, line, level, with_truth):
    found = verdict(stuck_data(reference, line, level), reference, with_truth)
    assert found.verdict == "stuck-data" and found.hypotheses[0].where == {"data": [line], "level": level}


@given(st.sampled_from([CODE, TILES]), st.integers(0, 11), st.integers(0, 1), st.booleans())
@settings(max_examples=30)
def test_a_stuck_address_line_is_named_with_and_without_the_true_image(reference, line, level, with_truth):
    found = verdict(stuck_address(reference, line, level), reference, with_truth)
    assert found.verdict == "stuck-address" and found.hypotheses[0].where["address"] == [line]
    if with_truth:
        assert found.hypotheses[0].where["level"] == level


def test_a_stuck_line_is_still_named_when_cells_have_faded_as_well():
    data = bytearray(stuck_address(CODE, 9, 0))
    data[100] ^= 0x10
    assert verdict(data).hypotheses[0].where["address"] == [9]


@given(st.sets(st.integers(0, SIZE - 1), min_size=1, max_size=12), st.integers(1, 255))
@settings(max_examples=30)
def test_few_wrong_bytes_are_listed_with_what_they_should_be(places, error):
    data = bytearray(CODE)
    for place in places:
        data[place] ^= error
    found = verdict(data)
    assert found.verdict == "few-bytes"
    assert found.hypotheses[0].where["offsets"] == sorted(places)
    assert all(b["should_be"] == CODE[b["offset"]] for b in found.hypotheses[0].where["bytes"])


def test_faded_cells_may_be_programmed_over():
    data = bytearray(CODE)
    place = next(i for i in range(500, SIZE) if not data[i] & 1)
    data[place] |= 1
    found = verdict(data)
    assert found.hypotheses[0].kind == "bits-faded" and "programmed over" in found.next


@given(st.integers(0, SIZE - 1), st.integers(1, 255))
def test_one_wrong_byte_is_found_from_the_sums_alone(place, error):
    data = bytearray(CODE)
    data[place] ^= error
    found = verdict(data, with_truth=False)
    assert found.verdict == "few-bytes" and found.hypotheses[0].where["bytes"][0]["should_be"] == CODE[place]


def test_two_wrong_bytes_cannot_be_mended_from_a_single_byte_search():
    data = bytearray(CODE)
    data[5] ^= 1
    data[900] ^= 2
    digests = {"crc32": RomImage("", CODE).digest("crc32"), "sha1": RomImage("", CODE).digest("sha1")}
    assert restore(bytes(data), digests, most=1) is None
    assert verdict(data, with_truth=False).verdict == "unknown"


@pytest.mark.parametrize("value", [0x00, 0xFF, 0x5A])
def test_blank_images_are_blank(value):
    assert verdict(bytes([value]) * SIZE).verdict == "blank"
    assert verdict(bytes([value]) * SIZE, with_truth=False).verdict == "blank"


def test_content_of_another_slot_is_recognised():
    other = known("6d.bin", TILES, place="6D")
    found = verdict(TILES, extra=[other])
    assert found.verdict == "other-slot" and "6D" in found.reason


def test_another_revision_is_no_failure_of_the_chip():
    own = (known("6c", CODE, "A"), known("6c", TILES, "B"))
    found = judge(RomImage("6c", CODE), Expected(own, "B"), ChecksumList(own))
    assert found.verdict == "other-revision" and "The chip can be good" in found.next
    assert judge(RomImage("6c", TILES), Expected(own, "B"), ChecksumList(own)).verdict == "matches"


def test_reads_that_disagree_are_unstable_and_name_the_lines():
    shaky = bytearray(CODE)
    shaky[7] ^= 0x20
    found = verdict(shaky, others=[CODE])
    assert found.verdict == "unstable" and found.hypotheses[0].where["data"] == [5]
    assert verdict(CODE, others=[CODE, CODE]).verdict == "matches"
    assert verdict(CODE, others=[bytes(shaky)]).verdict == "unstable"


@pytest.mark.parametrize("data", [CODE + CODE, CODE + b"\xff" * SIZE, b"\xff" * SIZE + CODE])
def test_an_overdump_says_that_its_right_part_is_right(data):
    found = verdict(data)
    assert found.verdict == "wrong-size" and "match (read too far" in found.reason


@given(st.sampled_from([2, 4, 8]), st.data())
def test_a_right_part_tells_the_size_when_nobody_knows_it(count, data):
    start = data.draw(st.integers(0, count - 1))
    parts = [bytes(SIZE)] * count
    parts[start] = CODE
    found = judge(RomImage("6c.bin", b"".join(parts)), Expected((known("6c.bin", CODE),)), ChecksumList([]))
    assert found.verdict == "wrong-size" and f"from {start * SIZE:04X} on match (read too far" in found.reason


def test_half_an_image_is_of_the_wrong_size():
    assert verdict(CODE[: SIZE // 2]).verdict == "wrong-size"
    assert verdict(b"").verdict == "wrong-size"


def test_garbage_is_unknown_and_likelihoods_add_up():
    noise = np.random.default_rng(5).integers(0, 256, SIZE, dtype=np.uint8).tobytes()
    assert verdict(noise).verdict == "unknown" and verdict(noise, with_truth=False).verdict == "unknown"
    ranked = examine(stuck_data(CODE, 3, 0), CODE)
    assert sum(h.likelihood for h in ranked) == pytest.approx(1, abs=1e-3)


def test_advice_names_the_pin_of_the_line():
    names = PinNames({"A9": 24}.get)
    assert "A9 (pin 24)" in examine(stuck_address(CODE, 9, 0), CODE, names)[0].next


@given(st.binary(min_size=1, max_size=64))
@settings(max_examples=40)
def test_examining_any_bytes_never_fails(data):
    assert examine(data, None) and examine(data, bytes(len(data)))


def test_names_find_their_sums_whatever_ending_or_read_number():
    sums = ChecksumList([known("6c.bin", CODE), known("chip-2.bin", TILES)])
    for name in ("6C.BIN", "dumps/6c.hex", "6c-read2.bin", "6c_3.bin", "6c.2.bin"):
        assert [e.name for e in sums.for_name(name)] == ["6c.bin"], name
    assert [e.name for e in sums.for_name("chip-2.bin")] == ["chip-2.bin"]
    assert without_read_number("6c") == "6c" and sums.for_name("other.bin") == ()


def test_the_prevailing_firmware_is_the_one_most_images_need():
    a, b = known("x", CODE, "A"), known("x", CODE, "B")
    assert prevailing_firmware([(a, b), (b,), (b,), (a,)]) == "B" and prevailing_firmware([(a, b)]) == ""


def test_an_image_read_too_far_is_kept_from_where_the_reference_begins():
    foreign = bytes(range(7, 7 + 64)) * (len(CODE) // 64)
    found = judge(RomImage("6c", foreign + CODE), Expected((), "", len(CODE), CODE), ChecksumList([]))
    assert f"from {len(CODE):04X} on match" in found.reason and found.hypotheses[0].kind == "header"
