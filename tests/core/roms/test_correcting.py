"""From bad reads and sums to the true content, and how it gets back into the chip."""

import zlib

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from loyal_trace.core.roms.by_checksums import Expected
from loyal_trace.core.roms.candidates import Watch, changed
from loyal_trace.core.roms.consensus import consensus
from loyal_trace.core.roms.correcting import correct, searched
from loyal_trace.core.roms.digests import digest
from loyal_trace.core.roms.field import ORDER, X, logarithms, multiply, power
from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage
from loyal_trace.core.roms.programming import erase_minutes, programming
from loyal_trace.core.roms.restore import restore
from loyal_trace.core.roms.restore_bits import three_bits
from loyal_trace.core.roms.sets import revision_mix
from loyal_trace.core.roms.verdicts import judge
from loyal_trace.core.vocabulary.errors import RequestError
from tests.core.roms.test_rom_corpus import CODE, sums_of

TRUE = CODE.tobytes()
OWN = (
    KnownChecksum("u1", tuple(sums_of(b"another").items()), len(TRUE), "A"),
    KnownChecksum("u1", tuple(sums_of(TRUE).items()), len(TRUE), "B"),
)


def spoilt(*changes):
    out = bytearray(TRUE)
    for offset, flips in changes:
        out[offset] ^= flips
    return bytes(out)


@pytest.mark.parametrize(
    ("reads", "words"),
    [
        ([spoilt((7, 1), (90, 4), (400, 2)), spoilt((8, 1)), spoilt((9, 1))], "majority of 3 reads"),
        ([bytes(b ^ 0xFF for b in TRUE)], "inverted"),
        ([spoilt((5, 0x10))], "0005 from"),
        ([spoilt((1, 1), (2, 2), (3, 4)), spoilt((5, 0x10), (77, 1))], "in which the reads differ, solved"),
    ],
)
def test_the_surest_way_to_the_true_content_is_taken_and_its_firmware_named(reads, words):
    found = correct(reads, OWN)
    assert found.data == TRUE and found.firmware == "B" and words in found.proof


def test_what_nothing_restores_is_left_and_a_stop_is_heeded():
    three = spoilt((1, 0x55), (1000, 0xAA), (3000, 0x33))
    assert correct([three], OWN) is None and correct([three], ()) is None
    assert correct([spoilt((5, 1), (77, 1))], OWN, Watch(lambda: True)) is None


@given(st.binary(min_size=1, max_size=40), st.data())
def test_programming_over_is_only_offered_when_no_bit_has_to_rise(image, data):
    reference = data.draw(st.binary(min_size=len(image), max_size=len(image)))
    rises = any(t & ~i for i, t in zip(image, reference, strict=True))
    assert programming(image, reference).how == ("nothing" if image == reference else "erase" if rises else "over")


def test_another_size_needs_another_device_and_the_lamp_its_time():
    assert programming(b"\xff\xff", b"\x00").how == "erase"
    assert erase_minutes(0.012) == pytest.approx(20.83, rel=1e-3), "15 W·s/cm² under 12 mW/cm²"
    with pytest.raises(RequestError):
        erase_minutes(0.0)


def test_a_set_of_one_revision_is_not_called_mixed():
    a, b = KnownChecksum("x", (), firmware="A"), KnownChecksum("x", (), firmware="B")
    assert not revision_mix({"6A": (a, b), "6B": (a,), "6C": ()}).mixed
    assert "every slot that differs between revisions has firmware A" in revision_mix({"6B": (a,)}).words
    mixed = revision_mix({"6A": (a, b), "6B": (a,), "6C": (b,), "6D": (b,)})
    assert mixed.mixed and mixed.by_firmware == {"A": ("6B",), "B": ("6C", "6D")}
    assert revision_mix({}).words == "no slot that differs between revisions was read"


def test_votes_and_restorations_do_not_change_what_they_are_given():
    read = spoilt((5, 1))
    kept = bytes(read)
    correct([read, read, read], OWN)
    assert read == kept and np.array_equal(CODE, np.frombuffer(TRUE, np.uint8))


def stuck(line, level, start, length):
    out = bytearray(TRUE)
    for place in range(start, start + length):
        out[place] = out[place] | 1 << line if level else out[place] & ~(1 << line)
    return bytes(out)


@pytest.mark.parametrize(("line", "level", "length"), [(3, 1, 20), (6, 0, 32), (0, 1, 40), (5, 0, 44)])
def test_a_line_stuck_over_a_stretch_is_solved_and_told(line, level, length):
    found = correct([stuck(line, level, 700, length)], OWN)
    assert found.data == TRUE and f"D{line} was stuck {'high' if level else 'low'}" in found.words
    first, last = found.changes[0]["offset"], found.changes[-1]["offset"]
    assert f"between {first:04X} and {last:04X}" in found.words and last - first > length / 2
    assert all(700 <= change["offset"] < 700 + length for change in found.changes) and found.proved_by == "sha1"


@given(st.lists(st.integers(0, len(TRUE) - 1), min_size=3, max_size=3, unique=True), st.data())
@settings(max_examples=4, deadline=None)
def test_one_wrong_bit_in_each_of_three_bytes_is_found(places, data):
    flips = [(place, 1 << data.draw(st.integers(0, 7))) for place in places]
    found = restore(spoilt(*flips), sums_of(TRUE), deep=True)
    assert found.data == TRUE and sorted((c.offset, c.read ^ c.meant) for c in found.changes) == sorted(flips)


def test_every_triple_of_bits_found_explains_the_difference():
    bad = spoilt((3, 1), (900, 8), (2000, 128))[:2048]
    delta = zlib.crc32(bad) ^ zlib.crc32(TRUE[:2048])
    batches = list(three_bits(bad, delta))
    rows = np.concatenate([batch.places for batch in batches])
    assert [3, 900, 2000] in rows.tolist()
    for batch in batches:
        for row in range(0, len(batch), 37):
            assert zlib.crc32(changed(bad, batch.changes(row, bad))) == zlib.crc32(TRUE[:2048])


@given(st.integers(0, ORDER - 1), st.integers(0, ORDER - 1))
@settings(max_examples=20)
def test_logarithms_undo_powers_and_turn_products_into_sums(a, b):
    words = np.array([power(X, a), power(X, b)], dtype=np.uint32)
    assert logarithms(words).tolist() == [a, b]
    assert logarithms(multiply(words[:1], words[1:])).tolist() == [(a + b) % ORDER]


@pytest.mark.parametrize("count", [2, 3, 5])
def test_bad_reads_of_one_chip_give_what_none_of_them_holds(count):
    rng = np.random.default_rng(count)
    reads = [
        spoilt(*((int(p), 1 << int(rng.integers(8))) for p in rng.choice(len(TRUE), 8, replace=False)))
        for _ in range(count)
    ]
    found = consensus(reads, sums_of(TRUE))
    assert found is not None and found.data == TRUE and found.proof in ("sha1", "crc32 and sha1")
    assert consensus(reads[:1], sums_of(TRUE)) is None
    assert consensus(reads, {**sums_of(b"other"), "crc32": sums_of(TRUE)["crc32"]}) is None, "the hash decides"


def test_two_dying_twins_with_many_faded_cells_need_no_more_than_each_other():
    rng, cells = np.random.default_rng(5), np.unpackbits(CODE)
    twins = []
    for _ in range(2):
        faded = cells.copy()
        faded[rng.choice(len(cells), 900, replace=False)] = 1
        twins.append(np.packbits(faded).tobytes())
    both = np.frombuffer(twins[0], np.uint8) & np.frombuffer(twins[1], np.uint8)
    lost = int(np.unpackbits(both ^ CODE).sum())
    found = consensus(twins, sums_of(TRUE))
    assert (found is None) == bool(lost), "what faded in both is beyond them; else the lower of each bit is right"


def test_several_contents_with_one_weak_sum_are_counted_and_not_chosen():
    bad = spoilt((5, 0x10), (77, 1))
    found = correct([bad], [KnownChecksum("u1", (("crc32", sums_of(TRUE)["crc32"]),), len(TRUE))])
    assert not found.certain and found.solutions > 1
    more = {"crc32": sums_of(TRUE)["crc32"], "sum16": digest(TRUE, "sum16"), "crc16-arc": digest(TRUE, "crc16-arc")}
    proved = correct([bad], [KnownChecksum("u1", tuple(more.items()), len(TRUE))])
    assert proved.certain and proved.data == TRUE, "a second and a third sum turn every other content away"


def test_without_a_crc_a_single_wrong_bit_is_still_found():
    assert restore(spoilt((77, 4)), {"sha1": sums_of(TRUE)["sha1"]}).data == TRUE
    assert restore(spoilt((77, 4)), {"sum16": digest(TRUE, "sum16")}) is None, "sixteen bits prove nothing"


def test_a_verdict_from_sums_alone_points_at_restoring_where_that_could_help():
    bad = spoilt((1, 0x55), (1000, 0xAA))
    strong, crc_only = OWN[1], KnownChecksum("u1", OWN[1].digests[:1], len(TRUE))
    assert (
        "Restore the contents can find" in judge(RomImage("u1", bad), Expected((strong,)), ChecksumList([strong])).next
    )
    assert "restoring" not in judge(RomImage("u1", bad), Expected((crc_only,)), ChecksumList([crc_only])).next


def test_what_was_searched_and_what_not_is_said_for_the_size_and_the_sums():
    entry = KnownChecksum("u1", tuple(sums_of(CODE.tobytes()).items()))
    told = searched(4096, entry)
    assert "two wrong bytes" in told and "up to 45 addresses" in told and "Not searched: three or more" in told
    stretches, pairs = "stretches and three bits (above 128 KiB)", "two wrong bytes (above 512 KiB)"
    for size, too_large in (
        (1 << 17, []),
        (1 << 19, [stretches]),
        (1 << 23, [pairs, stretches]),
        (1 << 24, ["one wrong byte (above 8,192 KiB)", pairs, stretches]),
    ):
        told = searched(size, entry)
        assert (f"Too large here: {', '.join(too_large)}. " in told) == bool(too_large), told
        assert ("Searched: one wrong byte, lines exchanged" in told) == (size <= 1 << 23)
        assert ("two wrong bytes" in told.partition("Too large")[0]) == (size <= 1 << 19 or "Too large" not in told)
    assert "needs a CRC-32" in searched(4096, KnownChecksum("u1", tuple(sums_of(CODE.tobytes(), "md5").items())))


@pytest.mark.parametrize("faded", [True, False])
def test_one_wrong_bit_is_found_by_a_hash_alone_whichever_way_it_changed(faded):
    at, bit = next((n, b) for n in range(9, len(TRUE)) for b in range(8) if bool(TRUE[n] >> b & 1) is not faded)
    damaged = bytearray(TRUE)
    damaged[at] ^= 1 << bit
    found = restore(bytes(damaged), {"sha1": sums_of(TRUE)["sha1"]})
    assert found is not None and found.data == TRUE and [change.offset for change in found.changes] == [at]
