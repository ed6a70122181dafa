"""The table of ROM sockets, files that hold several contents, sites of causes, sorts of content."""

from dataclasses import replace

import numpy as np
import pytest
from benchmarks.rom_corpus import CONTENTS
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.boards.model import BoardDefinition, RomSlot, SelfTestCode
from loyal_trace.core.roms.by_checksums import Expected
from loyal_trace.core.roms.content import likeness
from loyal_trace.core.roms.correcting import correct
from loyal_trace.core.roms.digests import digest
from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage
from loyal_trace.core.roms.pieces import assembled, pieces_in, wholes_of
from loyal_trace.core.roms.sites import SITES, WORDS, separating
from loyal_trace.core.roms.slots import expected_complaint, find_slot, slot_table
from loyal_trace.core.roms.verdicts import judge
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.demo.images import program_image
from tests.core.roms.test_rom_corpus import sums_of

SAME, OLD, NEW = (("crc32", "0" * 8),), (("crc32", "1" * 8),), (("crc32", "2" * 8),)
BOARD = BoardDefinition(
    "w",
    "Wide",
    "",
    "",
    rom_slots=(
        RomSlot("5B", "27C64", 0x2000, 1, "W-1", 0x4000, (("A", OLD), ("B", NEW)), 1, 2),
        RomSlot("5A", "27C64", 0x2000, 0, "W-0", 0x4000, (("A", SAME), ("B", SAME)), 0, 2),
        RomSlot("7", "27C32", 0x1000, 3, "W-3", 0x8000),
    ),
)
IMAGES = {name: program_image(name, 0x400) for name in ("6A", "6B", "6C", "6D")}
KNOWN = ChecksumList(
    [KnownChecksum(name, tuple(sums_of(data).items()), 0x400, "", name) for name, data in IMAGES.items()]
)


@pytest.mark.parametrize(
    ("said", "refdes"),
    [("ROM 3", "7"), ("3", "7"), ("w-1", "5B"), ("7", "7"), ("0x4002", "5A"), ("0x7FFF", "5B"), ("rom 0", "5A")],
)
def test_a_number_a_label_a_place_or_an_address_names_one_slot(said, refdes):
    assert find_slot(BOARD, said).refdes == refdes


@pytest.mark.parametrize("said", ["9", "0x9000", "", "0xZZ"])
def test_what_names_no_slot_is_refused(said):
    with pytest.raises(RequestError, match="has no ROM"):
        find_slot(BOARD, said)


def test_the_table_says_addresses_lanes_and_what_the_revisions_change():
    lines = slot_table(BOARD)
    assert [line.slot.refdes for line in lines] == ["5A", "5B", "7"], "by start-up number"
    assert lines[0].addresses == "4000–7FFF" and lines[0].lane == "even bytes" and lines[0].changes == "same in A, B"
    assert lines[1].lane == "odd bytes" and lines[1].changes == "differs: A | B" and lines[2].changes == ""


def test_a_test_that_knows_one_firmware_must_complain_of_another_where_they_differ():
    code = SelfTestCode("ROM 1", "sum", ("5B",), "A")
    assert "knows only firmware A" in expected_complaint(code, BOARD.slot("5B"), "B")
    assert not expected_complaint(code, BOARD.slot("5B"), "A") and not expected_complaint(code, BOARD.slot("5A"), "B")
    assert not expected_complaint(replace(code, firmware=""), BOARD.slot("5B"), "B")


@pytest.mark.parametrize("lanes", [False, True])
def test_a_file_with_several_contents_is_taken_apart_by_sums(lanes):
    data = assembled([IMAGES["6C"], IMAGES["6A"]], lanes)
    found = pieces_in(data, KNOWN)
    assert found.names == ("6C", "6A") and found.lanes == lanes
    verdict = judge(RomImage("6a", data), Expected(KNOWN.for_place("6A", "")), KNOWN)
    assert verdict.hypotheses[0].kind == "joined" and "6C, 6A" in verdict.reason


def test_known_contents_in_a_file_of_the_right_size_are_named_and_a_damaged_piece_is_not():
    whole = [KnownChecksum("whole", (("crc32", "00000000"),), 0x800)]
    data = IMAGES["6C"] + IMAGES["6A"]
    found = judge(RomImage("whole", data), Expected(tuple(whole)), KNOWN)
    assert found.verdict == "other-slot" and "6C, 6A" in found.reason
    damaged = data[:0x700] + bytes([data[0x700] ^ 1]) + data[0x701:] + IMAGES["6B"] + IMAGES["6D"]
    larger = judge(RomImage("whole", damaged), Expected((KnownChecksum("whole", (), 0x1000),)), KNOWN)
    assert larger.hypotheses[0].kind != "joined"


@pytest.mark.parametrize(("fault", "told"), [
    (lambda image: image, "these are the contents of 6B"),
    (lambda image: image & 0xDF, "these are the contents of 6B; besides, data line D5 reads low"),
    (lambda image: image[np.arange(1024) & ~0x20], "these are the contents of 6B; besides, address line A5 is stuck low"),
])  # fmt: skip
def test_contents_of_another_slot_are_known_although_a_line_of_them_reads_wrong(fault, told):
    others = {name: CONTENTS["code"](np.random.default_rng(n), 1024) for n, name in enumerate(("6A", "6B", "6C"))}
    held = {name: image.tobytes() for name, image in others.items()}
    expected = Expected(
        (KnownChecksum("6a", (("crc32", "00000000"),), 1024),), reference=held["6A"], others=lambda: held
    )
    found = judge(RomImage("6a", fault(others["6B"]).astype(np.uint8).tobytes()), expected, ChecksumList(()))
    assert found.verdict == "other-slot" and found.reason.startswith(told)
    foreign = CONTENTS["code"](np.random.default_rng(9), 1024).astype(np.uint8).tobytes()
    assert judge(RomImage("6a", foreign), expected, ChecksumList(())).verdict == "unknown"


def test_four_images_of_a_large_device_are_all_named_and_a_doubled_one_is_not_called_assembled():
    four = b"".join(IMAGES[name] for name in ("6D", "6C", "6B", "6A"))
    assert pieces_in(four, KNOWN).names == ("6D", "6C", "6B", "6A")
    with_blank = IMAGES["6A"] + IMAGES["6B"] + b"\xff" * 0x800
    assert pieces_in(with_blank, KNOWN).words.endswith("6A, 6B, unknown, unknown")
    assert pieces_in(IMAGES["6A"] * 2, KNOWN) is None and pieces_in(IMAGES["6A"][:-1], KNOWN) is None


@given(st.permutations(range(4)), st.booleans())
def test_files_that_make_up_a_content_are_found_in_any_order(order, lanes):
    whole = program_image("whole", 0x1000)
    array = np.frombuffer(whole, np.uint8)
    parts = [array[n::4].tobytes() if lanes else whole[n * 0x400 : (n + 1) * 0x400] for n in range(4)]
    entry = KnownChecksum("big", tuple(sums_of(whole).items()), 0x1000)
    (found,) = wholes_of([parts[n] for n in order], ChecksumList([entry]), {"big"})
    assert found.data == whole and [order[n] for n in found.order] == [0, 1, 2, 3] and found.lanes == lanes


def test_a_damaged_content_of_another_slot_is_named_with_what_is_wrong_in_it():
    data = bytearray(IMAGES["6B"])
    data[7] ^= 0x11
    expected = Expected(KNOWN.for_place("6A", ""), "", 0x400, IMAGES["6A"], others=lambda: IMAGES)
    found = judge(RomImage("6a", bytes(data)), expected, KNOWN)
    assert found.verdict == "other-slot" and "6B, except 1 byte" in found.reason


def test_records_with_gaps_are_not_blamed_on_the_chip():
    true = bytearray(IMAGES["6A"])
    true[0x100:0x180] = bytes(0x80)
    own = (KnownChecksum("6A", tuple(sums_of(bytes(true)).items()), 0x400),)
    with_gap = bytes(true[:0x100]) + b"\xff" * 0x80 + bytes(true[0x180:])
    found = judge(RomImage("6A", with_gap, gaps=((0x100, 0x17F),)), Expected(own), ChecksumList(own))
    assert found.hypotheses[0].kind == "part-blank" and found.hypotheses[0].site == "file"
    assert "filled with 00 every checksum matches" in found.reason and "0100 to 017F" in found.reason


def test_every_site_has_words_and_any_two_are_told_apart():
    assert {site for site in SITES.values() if site} == set(WORDS)
    for one in WORDS:
        assert all(separating(one, other).endswith(".") for other in WORDS if other != one)
        assert separating(one, "") == ""


def test_bytes_are_told_by_their_sort_and_by_the_board_they_resemble():
    rng = np.random.default_rng(4)
    made = {name: make(rng, 4096) for name, make in CONTENTS.items()}
    others = {name: make(np.random.default_rng(9), 4096).tobytes() for name, make in CONTENTS.items()}
    assert likeness(made["text"], {}).sort == "text" and likeness(made["picture"], {}).sort == "a picture"
    assert likeness(made["text"], others).nearest[0][0] == "text"
    assert likeness(made["picture"], others).nearest[0][0] == "picture"
    noise = rng.integers(0, 256, 4096, dtype=np.uint8)
    assert likeness(noise, {}).sort == "noise" and "bits a byte" in likeness(noise, others).words


def test_sums_of_a_few_bits_claim_no_cut_no_order_and_no_repair():
    image = IMAGES["6A"]
    weak = KnownChecksum("6A", (("sum8", digest(image, "sum8")),), 0x400, "", "6A")
    right = judge(RomImage("6A", image), Expected((weak,), "", 0x400), ChecksumList([weak]))
    assert right.good and "a weak proof" in right.reason
    for wrong in (image + image, bytes(b ^ 0xFF for b in image), image[::-1]):
        found = judge(RomImage("6A", wrong), Expected((weak,), "", 0x400), ChecksumList([weak]))
        assert "exactly right" not in found.reason and "every sum" not in found.reason
    assert correct([bytes(b ^ 0xFF for b in image)], [weak]) is None


def test_slots_are_ordered_by_number_then_address_then_lane_and_those_without_come_last():
    slots = [
        RomSlot("a", "", 16, None, "", None),
        RomSlot("b", "", 16, None, "", 0x2000),
        RomSlot("c", "", 16, None, "", 0x1000, (), 1, 2),
        RomSlot("d", "", 16, None, "", 0x1000, (), 0, 2),
        RomSlot("e", "", 16, 7, "", 0x0),
        RomSlot("f", "", 16, 0, "", 0x9000),
    ]
    table = slot_table(replace(BOARD, rom_slots=tuple(slots)))
    assert "".join(line.slot.refdes for line in table) == "fedcba"
    assert [line.number for line in table] == ["0", "7", "", "", "", ""]


@pytest.mark.parametrize("line", [b"AHOY\n", b"\r", b"~~~~~~=\n", b"ready ...\r\n"])
def test_lines_of_text_are_text_however_short_and_of_whatever_characters(line):
    assert likeness(np.frombuffer(line * 400, np.uint8), {}).sort == "text"
