"""Every kind of damage, injected into code, text and pictures, is named; what can be put back is, and is proved."""

import hashlib
import zlib

import numpy as np
import pytest
from benchmarks.rom_corpus import CONTENTS, DAMAGES, EVERY, confusion, from_checksums, named_right, samples
from benchmarks.rom_pairs import SORTS
from hypothesis import given, settings
from hypothesis import strategies as st

from loyal_trace.core.roms.against import spread
from loyal_trace.core.roms.by_checksums import Expected
from loyal_trace.core.roms.candidates import Watch
from loyal_trace.core.roms.crc_algebra import backwards, contributions, syndromes
from loyal_trace.core.roms.forensics import examine
from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage
from loyal_trace.core.roms.maps import permuted
from loyal_trace.core.roms.restore import restore
from loyal_trace.core.roms.undo import undo
from loyal_trace.core.roms.verdicts import judge


def sums_of(data, *names):
    found = {
        "crc32": f"{zlib.crc32(data):08x}",
        "sha1": hashlib.sha1(data).hexdigest(),
        "md5": hashlib.md5(data).hexdigest(),
    }
    return {name: found[name] for name in names or ("crc32", "sha1")}


CODE = CONTENTS["code"](np.random.default_rng(11), 4096)


def test_the_corpus_is_named_nearly_without_fault():
    counts = confusion(5, (4096,))
    wrong = {pair: n for pair, n in counts.items() if pair[0].split()[0] != pair[1]}
    assert named_right(counts) >= 0.98 * sum(counts.values()), wrong


def test_with_only_the_sums_nine_in_ten_are_named_where_that_is_possible():
    counts = from_checksums(6, (2048, 4096))
    right = sum(n for (injected, named), n in counts.items() if injected == named)
    assert right >= 0.9 * sum(counts.values()), {pair: n for pair, n in counts.items() if pair[0] != pair[1]}


@pytest.mark.parametrize("kind", list(EVERY))
def test_each_kind_says_where_why_and_what_next(kind):
    for injected, damaged, true in samples(3, (4096,), (kind,)):
        top, *rest = examine(damaged, true)
        if injected != "data-bridged open line":  # where the neighbour is steady, an open line looks stuck
            assert top.kind == injected.split()[0]
        assert top.reason and top.next and top.evidence and top.site
        assert top.likelihood >= max((h.likelihood for h in rest), default=0) and 0 < top.likelihood <= 1


def test_a_line_that_is_stuck_in_part_of_the_chip_says_from_where_to_where():
    damaged = CODE.copy()
    damaged[2048:3072] |= 0x20
    top = examine(damaged.tobytes(), CODE.tobytes())[0]
    assert (top.kind, top.where["data"], top.where["from"], top.where["to"]) == ("data-stuck-1", [5], 2048, 3071)
    assert "0800 to 0BFF" in top.reason


def test_a_stuck_line_and_faded_cells_are_told_together():
    damaged = CODE & np.uint8(0xBF)
    damaged[[100, 900, 2222]] |= np.uint8(0x01)
    top = examine(damaged.tobytes(), CODE.tobytes())[0]
    left = int(np.count_nonzero(damaged != (CODE & np.uint8(0xBF))))
    assert (top.kind, top.where["data"], top.unexplained) == ("data-stuck-0", [6], left)
    assert "besides" in top.evidence and "faded to 1" in top.evidence


def test_any_order_of_the_lines_is_found_with_the_true_image():
    rng = np.random.default_rng(2)
    order = tuple(int(n) for n in rng.permutation(8))
    assert examine(permuted(order, 0x12)[CODE].tobytes(), CODE.tobytes())[0].kind == "data-swapped"
    lines = rng.permutation(12)
    index = np.arange(4096)
    moved = sum(((index >> n & 1) << int(other) for n, other in enumerate(lines)), np.zeros(4096, int))
    top = examine(CODE[moved].tobytes(), CODE.tobytes())[0]
    assert top.kind == "address-swapped" and top.unexplained == 0


def test_joined_contents_and_a_header_of_any_length_are_taken_apart():
    others = {"3B": CONTENTS["text"](np.random.default_rng(1), 4096).tobytes()}
    top = examine(CODE.tobytes() + others["3B"], CODE.tobytes(), others=others)[0]
    assert top.kind == "joined" and top.where["pieces"] == ["this slot", "3B"]
    headed = examine(b"\x01" * 77 + CODE.tobytes() + b"\xff" * 9, CODE.tobytes())[0]
    assert headed.kind == "header" and headed.where["offset"] == 77 and "9 after them" in headed.reason


@given(st.integers(2, 400), st.data())
@settings(max_examples=40, deadline=None)
def test_the_crc_is_linear_and_the_algebra_agrees_with_zlib(size, data):
    one, other = data.draw(st.binary(min_size=size, max_size=size)), data.draw(st.binary(min_size=size, max_size=size))
    errors = np.frombuffer(one, np.uint8) ^ np.frombuffer(other, np.uint8)
    whole = int(np.bitwise_xor.reduce(contributions(errors)))
    assert whole == zlib.crc32(one) ^ zlib.crc32(other)
    step = int(syndromes(size)[size - 1, 3])
    assert int(backwards(step, size)[-2]) == int(syndromes(size)[0, 3])


@given(st.integers(16, 3000), st.data())
@settings(max_examples=40, deadline=None)
def test_one_or_two_wrong_bytes_anywhere_are_restored_and_proved(size, data):
    true = CODE.tobytes()[:size]
    places = data.draw(st.lists(st.integers(0, size - 1), min_size=1, max_size=2, unique=True))
    damaged = bytearray(true)
    for place in places:
        damaged[place] ^= data.draw(st.integers(1, 255))
    found = restore(bytes(damaged), sums_of(true))
    assert found.data == true and found.proof == "sha1" and [c.offset for c in found.changes] == sorted(places)
    assert all(damaged[c.offset] == c.read and true[c.offset] == c.meant for c in found.changes)


def test_what_is_not_provable_is_not_claimed():
    damaged = bytearray(CODE.tobytes())
    for place in (7, 800, 3000):
        damaged[place] ^= 0xA5
    assert restore(bytes(damaged), sums_of(CODE.tobytes())) is None, "three bytes are beyond it"
    assert restore(CODE.tobytes(), sums_of(CODE.tobytes())) is None and restore(b"", {"crc32": "0" * 8}) is None
    assert restore(bytes(damaged), {"sha1": "0" * 40}) is None, "without a CRC there is nothing to solve"
    two = bytearray(CODE.tobytes())
    two[5] ^= 1
    two[4000] ^= 0x80
    weak = restore(bytes(two), sums_of(CODE.tobytes(), "crc32"))
    assert weak is None or not weak.certain or weak.data == CODE.tobytes()
    assert restore(bytes(two), sums_of(CODE.tobytes()), Watch(lambda: True)) is None


@pytest.mark.parametrize(
    ("kind", "damage"),
    [
        ("data-swapped", lambda d: permuted((3, 1, 2, 0, 7, 5, 6, 4), 0x81)[d]),
        ("inverted", lambda d: d ^ np.uint8(255)),
        ("bit-reversed", lambda d: permuted(tuple(range(7, -1, -1)))[d]),
        ("byte-swapped", lambda d: d[np.arange(len(d)) ^ 1]),
        (
            "address-swapped",
            lambda d: d[
                (np.arange(len(d)) & ~0x810) | (np.arange(len(d)) >> 4 & 1) << 11 | (np.arange(len(d)) >> 11 & 1) << 4
            ],
        ),
        ("lane-wrong", lambda d: np.r_[d[0::2], d[1::2]]),
        ("doubled", lambda d: np.r_[d, d]),
        ("overdump", lambda d: np.r_[d, d[::-1]]),
    ],
)
@pytest.mark.parametrize("names", [("crc32", "sha1"), ("md5",)])
def test_what_loses_nothing_is_put_back_from_the_sums_alone(kind, damage, names):
    if kind == "data-swapped" and names == ("md5",):
        pytest.skip("any of ten million orders is only searched through a CRC")
    true = CODE.tobytes()
    found = undo(
        damage(CODE).astype(np.uint8).tobytes(),
        sums_of(true, *names),
        None if kind in ("doubled", "overdump") else len(true),
    )
    assert found is not None and found.data == true and found.kind == kind and all(n in found.proof for n in names)


@pytest.mark.parametrize(("start", "stop"), [(0, 4096), (1, 4095), (1000, 1017)])
def test_lines_exchanged_over_any_stretch_are_found_by_prefix_sums(start, stop):
    differ = ((CODE >> 2 ^ CODE >> 6) & 1).astype(np.uint8)
    damaged = CODE.copy()
    damaged[start:stop] ^= (differ << 2 | differ << 6)[start:stop]
    found = undo(damaged.tobytes(), sums_of(CODE.tobytes()), len(CODE), thorough=True)
    assert found.data == CODE.tobytes() and found.kind == "data-swapped" and found.where["data"] == [2, 6]


@pytest.mark.parametrize("kind", ["byte-swapped", "bit-reversed", "inverted", "lane-wrong"])
def test_the_verdict_without_a_true_image_names_what_was_undone(kind):
    damaged = DAMAGES[kind](np.random.default_rng(1), CODE)
    known = KnownChecksum("u1", tuple(sums_of(CODE.tobytes()).items()), len(CODE))
    found = judge(RomImage("u1", damaged.tobytes()), Expected((known,)), ChecksumList([known]))
    assert found.hypotheses[0].kind == kind and "with that reversed every checksum matches" in found.reason


def test_no_good_image_is_ever_called_wrong():
    rng = np.random.default_rng(9)
    for number in range(60):
        true = CONTENTS[("code", "text", "picture")[number % 3]](rng, 2048).tobytes()
        known = KnownChecksum("u1", tuple(sums_of(true).items()), 2048)
        assert (
            judge(RomImage("u1", true), Expected((known,), reference=true), ChecksumList([known])).verdict == "matches"
        )


@pytest.mark.parametrize(
    ("damage", "kind", "where"),
    [
        (lambda d: permuted((0, 1, 2, 2, 4, 5, 6, 7))[d], "data-bridged", {"data": [2, 3]}),
        (
            lambda d: d[np.arange(4096) & ~0x220 | (np.arange(4096) >> 5 & np.arange(4096) >> 9 & 1) * 0x220],
            "address-bridged",
            {"address": [5, 9]},
        ),
        (lambda d: np.resize(np.array([1, 2, 3, 4], np.uint8), 4096), "pattern", {"period": 4}),
        (
            lambda d: np.r_[d[:1024], np.full(1024, 255, np.uint8), d[2048:]],
            "part-blank",
            {"from": 1024, "to": 2047, "value": 255},
        ),
        (
            lambda d: np.r_[d[:2048], d[2048:] | 8],
            "data-stuck-1",
            {"data": [3], "level": 1, "from": 2048, "to": 4095},
        ),
    ],
)
def test_an_image_shows_its_own_damage_with_nothing_to_hold_it_against(damage, kind, where):
    code = np.tile(CODE[:512], 8) ^ np.repeat(np.arange(8, dtype=np.uint8) * 37, 512)  # no fill at the end
    top = examine(damage(code).astype(np.uint8).tobytes(), None)[0]
    assert (top.kind, top.where) == (kind, where) and top.next


def test_good_content_shows_no_damage_of_its_own():
    for name, make in SORTS.items():
        for seed in range(8):
            top = examine(make(np.random.default_rng(seed), 4096).tobytes(), None)[0]
            if name == "mirrored":  # one address line without effect: what it can be is said, both ways
                assert "or it holds contents of half the size twice" in top.reason
            else:
                assert top.kind == "unknown", (name, seed, top.reason)


def test_what_looks_random_is_not_called_a_fault():
    top = examine(np.random.default_rng(0).integers(0, 256, 4096, dtype=np.uint8).tobytes(), None)[0]
    assert top.kind == "unknown" and "Two reads that agree are contents" in top.evidence


@pytest.mark.parametrize("lines", [(2, 5, 9), (0, 4, 11)])
@pytest.mark.parametrize("inverted", [(), (1,)])
def test_any_order_of_three_address_lines_is_put_back_from_the_sums(lines, inverted):
    index = np.arange(4096)
    source = index & ~sum(1 << line for line in lines)
    for n in range(3):
        source |= ((index >> lines[(n + 1) % 3] & 1) ^ (n in inverted)) << lines[n]
    found = undo(CODE[source].tobytes(), sums_of(CODE.tobytes()), len(CODE))
    assert found.data == CODE.tobytes() and found.where["address"] == sorted(lines)


@pytest.mark.parametrize("by", [1, 777, 4095])
def test_a_rotation_by_any_number_of_bytes_is_put_back_from_the_sums(by):
    found = undo(np.roll(CODE, by).tobytes(), sums_of(CODE.tobytes()), len(CODE))
    assert found.data == CODE.tobytes() and (found.kind, found.where["offset"]) == ("shifted", by)


@pytest.mark.parametrize("size", [2048, 1024])
def test_exactly_half_or_a_quarter_of_the_size_is_said_to_be_that(size):
    known = KnownChecksum("u1", tuple(sums_of(CODE.tobytes()).items()), len(CODE))
    found = judge(RomImage("u1", CODE.tobytes()[64 : 64 + size]), Expected((known,)), ChecksumList([known]))
    assert found.hypotheses[0].kind == "half-read" and "one of several byte lanes" in found.next


def test_what_cannot_be_told_apart_is_said_with_the_check_that_could():
    steady = CODE & np.uint8(0x7F)  # D7 never changes: D6 tied to it looks like D6 stuck
    tied = steady & np.uint8(0xBF)
    top, other, *_ = examine(tied.tobytes(), steady.tobytes())
    assert {top.kind, other.kind} == {"data-stuck-0", "data-bridged"}
    assert "The image alone cannot tell it from" in top.next and top.site == other.site == "pins"


def test_a_line_that_is_always_low_explains_nothing_by_being_stuck_low():
    text = CONTENTS["text"](np.random.default_rng(2), 4096)
    faded = text.copy()
    faded[[5, 900]] |= np.uint8(0x08)
    assert examine(faded.tobytes(), text.tobytes())[0].kind in ("bits-faded", "few-bytes")
    assert all(h.where.get("data") != [7] for h in examine(faded.tobytes(), text.tobytes()))


def test_the_sample_of_a_large_image_favours_no_address_line():
    for size in (1 << 15, 1 << 18, 1 << 19):
        sample = spread(size)
        high = [float(np.mean(sample >> line & 1)) for line in range(size.bit_length() - 1)]
        assert all(0.4 < share < 0.6 for share in high)
        for a in range(size.bit_length() - 1):
            for b in range(a):
                alike = float(np.mean((sample >> a & 1) == (sample >> b & 1)))
                assert 0.35 < alike < 0.65, (size, a, b, "two lines that always agree would hide a fault between them")


def test_an_image_that_is_no_power_of_two_has_no_aligned_block_that_was_not_read():
    program = np.concatenate([CODE[:2048], np.full(1024, 0xFF, np.uint8)])
    assert all(found.kind != "part-blank" for found in examine(program.tobytes(), None))
    found = examine(np.concatenate([program, CODE[3072:]]).tobytes(), None)
    assert any(one.kind == "part-blank" and "0800 to 0BFF" in one.reason for one in found)


@pytest.mark.parametrize(("step", "name"), [(1, "row"), (32, "column")])
@pytest.mark.parametrize(("together", "told"), [(25, True), (24, False)])
def test_faded_cells_are_said_to_share_a_row_or_column_when_more_than_six_in_ten_do(step, name, together, told):
    """1,024 bytes are 32 rows of 32: of 40 faded cells some share the row or column, the others none."""
    whole = (CODE[:1024] & 0x7F).astype(np.uint8)
    faded = [96 * (step == 1) + 3 * (step != 1) + step * n for n in range(together)]
    apart = [n for n in range(0, 1024, 33) if n not in faded] + [n for n in range(16, 1024, 65) if n not in faded]
    damaged = whole.copy()
    damaged[faded + apart[: 40 - together]] |= 0x80
    damaged[faded[::2]] |= 0x40  # more than one line, or it would be the line
    damaged[apart[:10]] |= 0x20
    top = examine(damaged.tobytes(), whole.tobytes())[0]
    assert top.kind == "bits-faded" and (f"most in one {name} of cells" in top.evidence) == told, top.evidence
