"""Images, digests and lists of known sums."""

import hashlib
import zlib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.roms.digests import canonical, checked_digest, digest, proof_bits
from loyal_trace.core.roms.forensics import examine
from loyal_trace.core.roms.hypotheses import Hypothesis, rank
from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage, base_name, without_read_number
from loyal_trace.core.vocabulary.errors import BoardDefects, Defect, RequestError, UserFileError
from loyal_trace.demo.images import palette_image, picture_image, program_image, reference_image, screen_content

DATA = program_image("sums", 0x400)


@given(st.binary(max_size=300))
def test_digests_are_those_of_the_standard_library(data):
    assert digest(data, "crc32") == f"{zlib.crc32(data):08x}"
    for algorithm in ("md5", "sha1", "sha256"):
        assert digest(data, algorithm) == hashlib.new(algorithm, data).hexdigest()


def test_an_unknown_algorithm_is_refused_with_those_known():
    with pytest.raises(RequestError, match="known: sum8, sum16, sum32, crc32"):
        digest(b"", "sha3")


def test_an_image_without_bytes_keeps_size_and_digests():
    image = RomImage("a", DATA)
    image.digest("sha1")
    light = image.without_bytes()
    assert light.data == b"" and light.size == 0x400 and light.digest("sha1") == image.digest("sha1")


@pytest.mark.parametrize(
    ("name", "base"),
    [("a.bin", "a.bin"), ("roms/A.BIN", "a.bin"), ("c:\\roms\\A.bin", "a.bin"), ("x/y/", "y"), ("", "")],
)
def test_the_name_without_folders(name, base):
    assert base_name(name) == base


@pytest.mark.parametrize(
    ("stem", "plain"),
    [
        ("6c-read2", "6c"),
        ("6c.2", "6c"),
        ("6c_3", "6c"),
        ("6c r4", "6c r4"),
        ("6c", "6c"),
        ("2764", "2764"),
        ("6c-r2", "6c"),
    ],
)
def test_read_numbers_fall_away_and_chip_numbers_stay(stem, plain):
    assert without_read_number(stem) == plain


def test_a_sum_accepts_only_what_agrees_in_everything():
    right = RomImage("a", DATA)
    entry = KnownChecksum("a", (("crc32", right.digest("crc32")), ("sha1", right.digest("sha1"))), 0x400)
    assert entry.accepts(right) and not entry.accepts(RomImage("a", DATA[:-1]))
    half = KnownChecksum("a", (("crc32", right.digest("crc32")), ("sha1", "0" * 40)))
    assert not half.accepts(right) and not KnownChecksum("a", ()).accepts(right)


def test_the_strongest_algorithm_finds_content_wherever_it_is_listed():
    image = RomImage("x", DATA)
    listed = [
        KnownChecksum("weak", (("crc32", image.digest("crc32")),)),
        KnownChecksum("strong", (("sha1", image.digest("sha1")),)),
    ]
    assert [e.name for e in ChecksumList(listed).matching(image)] == ["strong"]
    assert [e.name for e in ChecksumList(listed[:1]).matching(image)] == ["weak"]
    assert ChecksumList(listed).matching(RomImage("y", b"other")) == () and ChecksumList([]).algorithms == ()


def test_a_socket_takes_what_is_listed_for_it_and_not_for_others():
    entries = [
        KnownChecksum("6c.bin", (("crc32", "0" * 8),)),
        KnownChecksum("other.bin", (("crc32", "1" * 8),), place="6C"),
        KnownChecksum("6c.rom", (("crc32", "2" * 8),), place="5D"),
    ]
    assert [e.name for e in ChecksumList(entries).for_place("6C", "")] == ["6c.bin", "other.bin"]


@given(st.lists(st.integers(0, 5000), min_size=1, max_size=8))
def test_likelihoods_sum_to_one_and_the_lowest_score_leads(scores):
    ranked = rank([Hypothesis("k", "unknown", "r", "n", score=s) for s in scores])
    assert sum(h.likelihood for h in ranked) == pytest.approx(1) and ranked[0].score == min(scores)


def test_short_words_for_lists():
    assert examine(bytes(b | 8 for b in DATA), DATA)[0].short == "D3 stuck high"
    halves = DATA[:0x200] * 2
    assert examine(halves, DATA)[0].short == "A9 stuck low" and examine(halves, None)[0].short == "A9 open or stuck"
    assert examine(b"\xff" * 64, None)[0].short == "blank"


def test_two_lines_stuck_at_once_are_still_called_stuck_lines():
    found = examine(DATA[:0x100] * 4, DATA)
    assert found[0].verdict == "stuck-address" and found[0].where["address"] == [8, 9]
    assert found[0].reason == "stuck: A8 low, A9 low" and found[0].likelihood > 0.99


def test_demo_contents_are_the_same_on_every_machine():
    assert (
        hashlib.sha1(reference_image("tw-cpu", "6C", "B")).hexdigest()[:8]
        == hashlib.sha1(program_image("tidewrack 6C B", 0x2000)).hexdigest()[:8]
    )
    assert zlib.crc32(program_image("fixed", 0x400)) == zlib.crc32(program_image("fixed", 0x400))
    assert (
        reference_image("tw-cpu", "6A", "A")
        == reference_image("tw-cpu", "6A", "B")
        != reference_image("tw-cpu", "6B", "A")
    )
    assert (
        len(palette_image()) == 32
        and len(screen_content(True)) == 0x800
        and screen_content(True) != screen_content(False)
    )
    assert picture_image("x", 0x400)[:8] == bytes(8), "the first tile is empty"


def test_errors_are_one_sentence_with_place_and_remedy():
    assert str(UserFileError("a.bin", "is empty", "read it again")) == "a.bin: is empty; read it again"
    assert str(UserFileError("a.bin", "is empty")) == "a.bin: is empty"
    several = BoardDefects(
        "tiny", (Defect("parts.csv", 3, "bad", "mend it"), Defect("board.toml", 0, "gone", "add it"))
    )
    assert (
        "2 defects" in str(several)
        and "parts.csv:3" in str(several)
        and str(several.defects[1]).startswith("board.toml: gone")
    )


@given(st.binary(min_size=1, max_size=300))
def test_plain_sums_add_all_bytes_and_keep_their_width(data):
    assert digest(data, "sum8") == f"{sum(data) % 256:02x}" and digest(data, "sum16") == f"{sum(data) % 65536:04x}"
    assert digest(data, "sum32") == f"{sum(data):08x}"


@pytest.mark.parametrize(
    ("written", "name", "check"),
    [
        ("CRC-16/ARC", "crc16-arc", "bb3d"),  # check values of the public catalogue, over 123456789
        ("crc16_ibm-3740", "crc16-ibm-3740", "29b1"),
        ("CRC16 poly=1021 init=ffff", "crc16 poly=1021 init=ffff", "29b1"),
        ("crc-8/smbus", "crc8-smbus", "f4"),
        ("CRC-32", "crc32", "cbf43926"),
    ],
)
def test_any_parametric_crc_goes_by_its_name_or_its_parameters(written, name, check):
    assert canonical(written) == name and digest(b"123456789", name) == check


@pytest.mark.parametrize("written", ["crc16", "crc16 poly=0", "crc16 poly=12345", "crc99 poly=1", "crc16-nowhere", ""])
def test_what_is_no_algorithm_is_none(written):
    assert canonical(written) is None


def test_a_weak_sum_accepts_its_own_image_but_proves_nothing_elsewhere():
    image = RomImage("x", DATA)
    weak = KnownChecksum("x", (("sum16", digest(DATA, "sum16")),))
    assert weak.accepts(image) and weak.weak and ChecksumList([weak]).matching(image) == ()
    assert proof_bits(["sum16", "crc16-arc"]) == 32 and checked_digest("0x1F", "sum16") == "001f"
