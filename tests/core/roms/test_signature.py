"""A tester's signature, learning its register, votes over reads, and telling what an unknown image is."""

import random

import anycrc
import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from loyal_trace.core.roms.identify import KnownImages, Match, likely_sources
from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage
from loyal_trace.core.roms.lane_keys import every_phase, lane_keys
from loyal_trace.core.roms.signature import (
    Register,
    gcd,
    learn,
    multiply,
    read_signature,
    register_from,
    remainder,
)
from loyal_trace.core.roms.voting import vote
from loyal_trace.core.vocabulary.errors import RequestError
from tests.core.roms.test_rom_corpus import CODE, CONTENTS, EVERY

CATALOGUE = [n for n in anycrc.models if anycrc.models[n].width == 16]


def pairs_of(register, sizes, seed=1):
    rng = random.Random(seed)
    images = [rng.randbytes(size) for size in sizes]
    return [(image, register.of(image)) for image in images]


def test_the_default_is_a_published_crc_and_its_check_value_is_right():
    assert Register().of(b"123456789") == 0x29B1 and Register().shown(0x29B1) == "29B1"
    assert Register(16, 0x8005, 0, 0, True, True).of(b"123456789") == 0xBB3D


@pytest.mark.parametrize("name", CATALOGUE[::3])
def test_every_sixteen_bit_register_of_the_catalogue_is_learnt_from_three_pairs(name):
    model = anycrc.models[name]
    register = Register(model.width, model.poly, model.init, model.xorout, model.refin, model.refout)
    found = learn(pairs_of(register, (256, 256, 256)))
    fresh = random.Random(9).randbytes(256)
    assert found.register.of(fresh) == register.of(fresh) and found.check == "3 of 3 pairs"
    assert (found.register.poly, found.register.refin, found.register.refout) == (model.poly, model.refin, model.refout)
    assert any("other start value" in line for line in found.equivalents), "one length fixes only their combination"


@given(
    st.integers(0, 0xFFFF),
    st.integers(0, 0xFFFF),
    st.booleans(),
    st.booleans(),
    st.sampled_from([0x1021, 0x8005, 0xA097]),
)
@settings(max_examples=12, deadline=None)
def test_mixed_lengths_fix_start_value_and_final_xor_too(init, xorout, refin, refout, poly):
    register = Register(16, poly, init, xorout, refin, refout)
    found = learn(pairs_of(register, (64, 64, 64, 128, 200))).register
    for size in (1, 50, 333):
        data = random.Random(size).randbytes(size)
        assert found.of(data) == register.of(data)


def test_all_lengths_different_need_four_pairs():
    register = Register(16, 0x1021, 0x1D0F, 0)
    assert learn(pairs_of(register, (64, 100, 132, 200))).register.poly == 0x1021


def test_too_little_or_wrong_pairs_are_said():
    register = Register()
    with pytest.raises(RequestError, match="1 pair is not enough"):
        learn(pairs_of(register, (64,)))
    with pytest.raises(RequestError, match="one more pair of the same length would settle it"):
        learn(pairs_of(register, (512, 512)))
    with pytest.raises(RequestError, match="wider than 16"):
        learn([(b"a", 1 << 16), (b"b", 0)])
    odd = pairs_of(register, (128,) * 5)
    odd[3] = (odd[3][0], odd[3][1] ^ 0x40)
    found = learn(odd)
    assert found.odd == 3 and found.register.poly == 0x1021 and found.check == "4 of 5 pairs"


def test_a_testers_own_symbols_are_read_and_shown():
    symbols = "0123456789ACFHPU"
    assert read_signature("7A5U", symbols) == 0x7A5F and Register().shown(0x7A5F, symbols) == "7A5U"
    with pytest.raises(RequestError, match="not one of the symbols"):
        read_signature("7B", symbols)
    with pytest.raises(RequestError, match="sixteen different"):
        Register().shown(1, "0123")


@given(st.integers(1, 2**40), st.integers(1, 2**20), st.integers(1, 2**20))
def test_polynomial_arithmetic_holds_together(a, b, c):
    assert remainder(multiply(a, b), b) == 0 and remainder(gcd(multiply(a, c), multiply(b, c)), c) == 0


def reads_with(flips, count=5):
    """Reads of CODE in which each (offset, bit) of `flips` is wrong in the given reads."""
    found = [bytearray(CODE.tobytes()) for _ in range(count)]
    for (offset, bit), which in flips.items():
        for number in which:
            found[number][offset] ^= 1 << bit
    return [bytes(read) for read in found]


def test_the_vote_is_right_sure_when_it_can_be_and_says_what_flickers():
    same = vote(reads_with({}))
    assert same.data == CODE.tobytes() and same.source == "stable" and same.more_reads == 0 and same.confidence == 1
    few = vote(reads_with({(10, 3): [0], (999, 1): [2]}, 9))
    assert few.data == CODE.tobytes() and few.confidence > 0.99 and {b[:2] for b in few.bits} == {(10, 3), (999, 1)}
    unsure = vote(reads_with({(10, 3): [0, 1]}, 4))
    assert unsure.confidence < 0.9 and unsure.more_reads >= 1 and "evenly" in unsure.why


def test_flicker_that_follows_a_line_is_told_from_tired_cells():
    rng = random.Random(2)
    lane = vote(reads_with({(rng.randrange(4096), 6): [rng.randrange(5)] for _ in range(60)}))
    assert lane.source == "pin or socket" and "D6" in lane.why and lane.lanes == (6,)
    line = vote(reads_with({(rng.randrange(4096) | 1 << 9, rng.randrange(8)): [rng.randrange(5)] for _ in range(60)}))
    assert line.source == "pin or socket" and "A9 is high" in line.why
    cells = vote(reads_with({(rng.randrange(4096), rng.randrange(8)): [rng.randrange(5)] for _ in range(60)}))
    assert cells.source == "cells"
    for bad in ([b"one"], [b"one", b"longer"], [b"", b""]):
        with pytest.raises(RequestError):
            vote(bad)


def known():
    texts = CONTENTS["text"](np.random.default_rng(3), 4096).tobytes()
    listed = [
        KnownChecksum(name, (("sha1", RomImage("", data).digest("sha1")),), None, "A", "")
        for name, data in (("code", CODE.tobytes()), ("text", texts))
    ]
    found = KnownImages([ChecksumList(listed, "list")])
    found.add_image("code.bin", "folder", CODE.tobytes())
    found.add_image("text.bin", "folder", texts)
    return found


@pytest.mark.parametrize(
    ("change", "name", "fraction"),
    [
        (lambda d: d, "code", 1.0),
        (lambda d: d + d, "code", 1.0),
        (lambda d: d[:2048], "code.bin", 1.0),
        (lambda d: np.frombuffer(d, np.uint8).reshape(-1, 2)[:, ::-1].tobytes(), "code", 1.0),
        (lambda d: d + bytes(4096), "code", 0.5),
        (lambda d: d[:100] + bytes(1) + d[101:], "code.bin", 0.9),
    ],
)
def test_a_dump_is_identified_also_cut_doubled_turned_or_damaged(change, name, fraction):
    best = known().identify(change(CODE.tobytes()))[0]
    assert best.name.startswith(name.removesuffix(".bin")) and best.fraction >= fraction - 0.01
    assert known().identify(np.random.default_rng(2).integers(0, 256, 4096, dtype=np.uint8).tobytes()) == ()


LOST = ("blank", "all-zero", "garbage", "pattern", "text-mode")


@pytest.mark.parametrize("damage", [name for name in EVERY if name not in LOST])
def test_damage_of_any_kind_leaves_an_image_recognisable(damage):
    found, rng = KnownImages(), np.random.default_rng(12)
    images = [CONTENTS[name](rng, 8192) for name in ("code", "code", "picture", "text", "code", "picture")]
    for number, image in enumerate(images):
        found.add_image(f"u{number}", "board", image.tobytes())
    for number in (0, 2):
        best = found.identify(EVERY[damage](np.random.default_rng(1), images[number]).tobytes())[0]
        assert best.name == f"u{number}" and 0.05 <= best.fraction <= 1


def test_several_dumps_name_the_board_they_come_from():
    at = lambda source, fraction: Match("u", source, "", "", fraction)  # noqa: E731
    results = [(at("one", 1.0), at("two", 0.5)), (at("two", 0.7),), (at("one", 0.4), at("two", 0.1)), ()]
    assert likely_sources(results) == (("one", 2, 0.7), ("two", 1, 0.7)) and likely_sources([()]) == ()


@given(st.permutations(range(8)), st.integers(0, 255))
def test_keys_of_lines_do_not_mind_their_order_or_inversion(order, inverted):
    bits = np.unpackbits(CODE[:, None], axis=1, bitorder="little")
    turned = np.packbits(bits[:, list(order)], axis=1, bitorder="little").ravel() ^ np.uint8(inverted)
    assert np.array_equal(np.sort(lane_keys(turned), axis=1), np.sort(lane_keys(CODE), axis=1))


@pytest.mark.parametrize("line", range(8))
def test_the_key_of_a_line_is_the_same_whatever_the_other_lines_show(line):
    others = np.random.default_rng(line).integers(0, 256, len(CODE), dtype=np.uint8)
    mask = np.uint8(1 << line)
    assert np.array_equal(lane_keys(CODE & mask | others & ~mask)[:, line], lane_keys(CODE)[:, line])


def test_blocks_begin_at_every_address_up_to_the_last_whole_one():
    found = every_phase(CODE[: 256 + 3])
    assert np.array_equal(found, np.concatenate([lane_keys(CODE[n : n + 256]).ravel() for n in range(4)]))


def shifted_through(data, poly, init, refin):
    """A feedback register of 16 bits, bit by bit: the plain way to say what it does."""
    state = init
    for byte in data:
        for place in range(8) if refin else range(7, -1, -1):
            newest = byte >> place & 1
            for stage in range(
                16
            ):  # stage n, counted from the newest bit, is tapped where x^(15 − n) is in the polynomial
                newest ^= (state >> stage & 1) & (poly >> 15 - stage & 1)
            state = (state << 1 | newest) & 0xFFFF
    return state


@given(st.integers(0, 0x7FFF), st.integers(0, 0xFFFF), st.booleans(), st.binary(min_size=1, max_size=40))
@settings(max_examples=40)
def test_a_feedback_register_is_the_quotient_of_the_same_division(half, init, refin, data):
    poly = 2 * half + 1
    assert Register(16, poly, init, 0, refin, False, True).of(data) == shifted_through(data, poly, init, refin)


@pytest.mark.parametrize("turned", [(False, False), (True, False), (False, True), (True, True)])
def test_a_feedback_register_is_learnt_too(turned):
    rng = np.random.default_rng(21)
    images = [rng.integers(0, 256, 512, dtype=np.uint8).tobytes() for _ in range(3)]
    theirs = Register(16, 0x8291, 0x1234, 0, *turned, True)
    found = learn([(image, theirs.of(image)) for image in images])
    assert (found.register.poly, found.register.style, found.check) == (0x8291, "feedback", "3 of 3 pairs")
    other = rng.integers(0, 256, 512, dtype=np.uint8).tobytes()
    assert found.register.of(other) == theirs.of(other), "an image of that length it has not seen"


@pytest.mark.parametrize("text", ["0x1FFFF", "0x10000 0", "0x1021 0x10000", "-1", "0x1021 0 0 0", "1021x", "SOMETHING"])
def test_what_is_no_register_of_sixteen_bits_is_refused(text):
    with pytest.raises(RequestError, match="not a register"):
        register_from(text)


def test_a_register_is_named_or_spelt_out_and_the_widest_values_are_taken():
    assert register_from("0xFFFF 0xFFFF 0xFFFF refin").poly == 0xFFFF and register_from("") == Register()
    spelt = register_from("0x1021 0x1D0F 0 refout feedback")
    assert (spelt.init, spelt.xorout, spelt.refin, spelt.refout, spelt.style) == (0x1D0F, 0, False, True, "feedback")
    assert register_from("CRC16-ARC").poly == 0x8005
    assert register_from("0x1021").shown(0x00AF) == "00AF" and read_signature("00af") == 0xAF


@pytest.mark.parametrize(("width", "poly"), [(24, 0x864CFB), (32, 0x04C11DB7)])
@pytest.mark.parametrize("sizes", [(256, 512, 1024, 2048), (256, 256, 512, 300), (96, 100, 164, 255, 301)])
def test_wide_registers_are_learnt_from_mixed_lengths_too(width, poly, sizes):
    register = Register(width, poly, 0xB704CE, 0, True, True)
    found = learn(pairs_of(register, sizes), width)
    assert found.register.poly == poly and found.settled and "another register" not in found.check


def test_of_equivalent_settings_the_one_with_a_usual_final_xor_is_told_first():
    found = learn(pairs_of(Register(16, 0x3D65, 0xBDE5, 0xFFFF), (64, 65, 66, 67)))
    assert (found.register.init, found.register.xorout) == (0xBDE5, 0xFFFF) and found.settled
    assert found.equivalents and "with xorout 0x14dc" in found.equivalents[0]


@st.composite
def registers(draw):
    width = draw(st.sampled_from([16, 24, 32]))
    value = st.integers(0, (1 << width) - 1)
    xorout = draw(st.sampled_from([0, (1 << width) - 1]) | value)
    return Register(width, draw(value) | 1, draw(value), xorout, draw(st.booleans()), draw(st.booleans()))


@given(registers(), st.integers(20, 90), st.sampled_from([1, 8, 16, 24]), st.permutations(range(5)), st.integers(0, 99))
@example(Register(24, 0x5ED34F, 0, 0), 136, 8, [0, 1, 2, 3, 4], 8)  # it shares a factor with what the lengths bring
@settings(max_examples=25, deadline=None)
def test_whatever_the_register_and_the_lengths_five_pairs_find_it_and_what_is_settled_is_right(
    register, shortest, apart, lengths, seed
):
    sizes = [shortest + apart * n for n in lengths]
    found = learn(pairs_of(register, sizes, seed), register.width)
    assert found.explained == 5 and found.odd is None
    for data, value in pairs_of(register, sizes, seed + 100) if found.settled else []:
        assert found.register.of(data) == value, "an image it has not seen"


@pytest.mark.parametrize(
    ("width", "sizes", "more"),
    [(32, (64, 64), 1), (32, (64, 65, 66), 1), (16, (64, 65), 2), (32, (64, 65), 2)],
)
def test_too_few_pairs_are_said_to_be_too_few_and_not_that_there_is_no_register(width, sizes, more):
    with pytest.raises(RequestError, match=f"not enough pairs: {more} more"):
        learn([(data, value ^ 1) for data, value in pairs_of(Register(width, 0x8005, 1, 2), sizes)], width)


def test_a_feedback_register_needs_two_images_of_one_length_before_none_is_said_to_fit():
    theirs = Register(16, 0x8291, 0x1234, 0, False, False, True)
    with pytest.raises(RequestError, match="not enough pairs: 1 more settles it, of a length that is there already"):
        learn(pairs_of(theirs, (64, 65, 67, 70, 74)))
    assert learn(pairs_of(theirs, (64, 65, 67, 70, 64))).register == theirs


def test_an_answer_that_another_pair_could_overturn_says_so():
    for eight in (learn(pairs_of(Register(8, 0x2F, 9, 0), sizes), 8) for sizes in ((64, 64, 64), (64, 64, 64, 64))):
        assert eight.settled == (eight.pairs == 4), "of 8 bits another fits two relations by chance"
    found = learn(pairs_of(Register(16, 0x1021, 0, 0), (64, 96, 128)))
    assert not found.settled and "one more pair could still give another register" in found.check


def test_a_byte_lane_of_a_known_image_is_known_and_fill_is_no_knowledge():
    known = KnownImages()
    known.add_image("wide", "store", CODE.tobytes())
    best = known.identify(CODE[1::2].tobytes())[0]
    assert best.name == "byte lane 1 of 2 of wide" and best.fraction == 1.0
    sparse, other = np.full(4096, 0xFF, np.uint8), np.full(4096, 0xFF, np.uint8)
    sparse[:300], other[:300] = CODE[:300], CODE[2000:2300]
    known.add_image("sparse", "store", sparse.tobytes())
    assert all(match.name != "sparse" for match in known.identify(other.tobytes()))
    whole = known.identify(sparse.tobytes())[0]
    assert (whole.name, whole.fraction) == ("sparse", 1.0)
