"""The further `roms` commands, as a script would use them."""

import hashlib
import json
import zlib

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from loyal_trace.cli import main
from loyal_trace.core.roms.signature import Register
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.demo.common import board_files_of
from loyal_trace.formats.image_files import encode_image, interleave, lanes, split, swap
from loyal_trace.formats.rom_files import decode_image

DATA = np.random.default_rng(8).integers(0, 256, 2048, dtype=np.uint8).tobytes()
SUMS = ("--crc32", f"{zlib.crc32(DATA):08X}", "--sha1", hashlib.sha1(DATA).hexdigest())


def run(capsys, *arguments):
    code = main([str(a) for a in ("roms", *arguments)])
    out = capsys.readouterr()
    return code, json.loads(out.out) if "--json" in arguments and out.out else out.out, out.err


def test_repair_restores_writes_and_says_by_what_it_is_proved(capsys, tmp_path):
    bad = bytearray(DATA)
    bad[3] ^= 0x10
    bad[2000] ^= 0xFE
    (tmp_path / "bad.bin").write_bytes(bad)
    code, found, _ = run(capsys, "repair", tmp_path / "bad.bin", *SUMS, "-o", tmp_path / "good.hex", "--json")
    assert code == 0 and found["restored"] and found["proof"] == "sha1"
    assert found["changes"] == [{"offset": o, "was": bad[o], "now": DATA[o]} for o in (3, 2000)]
    assert decode_image("good.hex", (tmp_path / "good.hex").read_bytes(), "x").data == DATA
    (tmp_path / "turned.bin").write_bytes(swap(DATA, "bits"))
    code, words, _ = run(capsys, "repair", tmp_path / "turned.bin", *SUMS)
    assert code == 0 and "reverse order" in words
    bad[77] ^= 1
    (tmp_path / "bad.bin").write_bytes(bad)
    code, found, _ = run(capsys, "repair", tmp_path / "bad.bin", *SUMS, "--json")
    assert code == 1 and not found["restored"] and found["reason"]


@pytest.mark.parametrize("arguments", [(), ("--crc32", "12"), ("--sha1", "z" * 40)])
def test_repair_wants_sums_that_are_sums(capsys, tmp_path, arguments):
    (tmp_path / "a.bin").write_bytes(DATA)
    code, _, error = run(capsys, "repair", tmp_path / "a.bin", *arguments)
    assert code == 2 and error.count("\n") == 1


def test_identify_ranks_lists_and_images(capsys, tmp_path):
    (tmp_path / "known.sha1").write_text(f"{hashlib.sha1(DATA).hexdigest()}  prog.1\n")
    (tmp_path / "dump.bin").write_bytes(DATA * 2)
    (tmp_path / "other.bin").write_bytes(bytes(64))
    code, found, _ = run(capsys, "identify", tmp_path / "dump.bin", "--known", tmp_path / "known.sha1", "--json")
    (match,) = found["images"][0]["matches"]
    assert code == 0 and (match["name"], match["how"], match["fraction"]) == ("prog.1", "part 1 of 2", 1.0)
    code, words, _ = run(capsys, "identify", tmp_path / "other.bin", "--known", tmp_path / "known.sha1")
    assert code == 1 and "not known" in words


def test_vote_writes_the_consensus_and_tells_what_flickers(capsys, tmp_path):
    for number in range(5):
        read = bytearray(DATA)
        read[9] ^= 4 if number == 1 else 0
        (tmp_path / f"r{number}.bin").write_bytes(read)
    reads = [tmp_path / f"r{n}.bin" for n in range(5)]
    code, found, _ = run(capsys, "vote", *reads, "-o", tmp_path / "best.bin", "--json")
    assert found["flickering"] == [{"offset": 9, "bit": 2, "ones": found["flickering"][0]["ones"]}] and found[
        "data"
    ] == [2]
    assert (tmp_path / "best.bin").read_bytes() == DATA and (code == 0) == (found["confidence"] >= 0.999)


def test_signatures_for_a_stated_register_and_learning_it_back(capsys, tmp_path):
    rng, lines = np.random.default_rng(3), ["file,signature"]
    register = Register(16, 0x8005, 0, 0, True, True)
    for number in range(3):
        data = rng.integers(0, 256, 512, dtype=np.uint8).tobytes()
        (tmp_path / f"u{number}.bin").write_bytes(data)
        lines.append(f"u{number}.bin,{register.of(data):04x}")
    (tmp_path / "pairs.csv").write_text("\n".join(lines))
    code, found, _ = run(capsys, "learn-signature", tmp_path / "pairs.csv", "--json")
    assert code == 0 and (found["poly"], found["refin"], found["refout"], found["check"]) == (
        "0x8005",
        True,
        True,
        "3 of 3 pairs",
    )
    given_ = ("--poly", "0x8005", "--init", "0", "--refin", "--refout")
    code, shown, _ = run(capsys, "signature", tmp_path / "u0.bin", *given_, "--json")
    assert code == 0 and shown["images"][0]["signature"].lower() == lines[1].split(",")[1]
    code, by_name, _ = run(capsys, "signature", tmp_path / "u0.bin", "--model", "CRC16-ARC", "--json")
    assert by_name["images"] == shown["images"]
    for arguments in (("--poly", "x"), ("--poly", "0x11021"), ("--model", "CRC16-NOBODY")):
        assert run(capsys, "signature", tmp_path / "u0.bin", *arguments)[0] == 2
    (tmp_path / "pairs.csv").write_text("file,signature\nu0.bin,12G4\n")
    code, _, error = run(capsys, "learn-signature", tmp_path / "pairs.csv")
    assert code == 2 and "line 2" in error and "“G”" in error


def test_convert_splits_joins_and_turns(capsys, tmp_path):
    (tmp_path / "a.bin").write_bytes(DATA)
    assert run(capsys, "convert", tmp_path / "a.bin", tmp_path / "lane.bin", "--lanes", "2")[0] == 0
    even, odd = ((tmp_path / f"lane-{n}.bin").read_bytes() for n in (0, 1))
    assert (even, odd) == (DATA[0::2], DATA[1::2])
    parts = (tmp_path / "lane-0.bin", tmp_path / "lane-1.bin", tmp_path / "woven.s19")
    code, found, _ = run(capsys, "convert", *parts, "--interleave", "--json")
    assert code == 0 and decode_image("woven.s19", (tmp_path / "woven.s19").read_bytes(), "x").data == DATA
    assert found["written"][0]["crc32"] == f"{zlib.crc32(DATA):08x}"
    run(capsys, "convert", tmp_path / "a.bin", tmp_path / "b.bin", "--swap", "bytes", "--swap", "bytes", "--invert")
    assert (tmp_path / "b.bin").read_bytes() == bytes(b ^ 255 for b in DATA)
    assert run(capsys, "convert", tmp_path / "a.bin", tmp_path / "c.bin", "--split", "3")[0] == 2
    assert run(capsys, "convert", tmp_path / "a.bin", tmp_path / "c.bin", "--swap", "colours")[0] == 2


@given(st.binary(min_size=4, max_size=300), st.sampled_from(["a.bin", "a.hex", "a.s19"]))
@settings(max_examples=60, deadline=None)
def test_every_format_and_order_comes_back(data, name):
    assert decode_image(name, encode_image(data, name), "x").data == data
    data = data[: len(data) // 4 * 4]
    for what in ("bytes", "words", "bits", "nibbles", "halves"):
        assert swap(swap(data, what), what) == data
    assert interleave(lanes(data, 2)) == data and b"".join(split(data, 4)) == data
    with pytest.raises(RequestError):
        interleave([data, data + b"x"])


def test_the_table_of_sockets_and_what_a_start_up_number_means(capsys, tmp_path):
    for name, data in board_files_of(("tw-cpu",))["tw-cpu"].items():
        (tmp_path / name).write_bytes(data)
    code, found, _ = run(capsys, "slots", tmp_path, "ROM 3", "--json")
    (slot,) = found["slots"]
    assert code == 0 and (slot["place"], slot["addresses"], slot["differs"]) == ("6D", "6000–7FFF", True)
    assert "same in A, B" in run(capsys, "slots", tmp_path)[1] and run(capsys, "slots", tmp_path, "ROM 77")[0] == 2


def test_halves_and_lanes_of_one_content_are_put_together_by_check(capsys, tmp_path):
    sums = tmp_path / "sums.csv"
    sums.write_text(f"name,size,sha1\nbig.bin,2048,{hashlib.sha1(DATA).hexdigest()}\n")
    for folder, parts in (("halves", (DATA[1024:], DATA[:1024])), ("lanes", (DATA[1::2], DATA[::2]))):
        (tmp_path / folder).mkdir()
        for number, part in enumerate(parts):
            (tmp_path / folder / f"u{number}x.bin").write_bytes(part)
        code, found, _ = run(capsys, "check", tmp_path / folder, "--sums", sums, "--json")
        kinds = [image["hypotheses"][0]["kind"] for image in found["images"]]
        assert code == 1 and kinds == ["half-read" if folder == "halves" else "lane-wrong"] * 2
        assert found["images"][0]["hypotheses"][0]["where"]["with"] == ["u1x.bin", "u0x.bin"]
        assert (
            found["images"][0]["hypotheses"][0]["detail"] and "every checksum matches" in found["images"][0]["reason"]
        )


def test_reference_images_alone_are_enough_for_a_check(capsys, tmp_path):
    for folder, data in (("good", DATA), ("read", b"head" + DATA[:1500])):
        (tmp_path / folder).mkdir()
        (tmp_path / folder / "u1.bin").write_bytes(data)
    assert run(capsys, "check", tmp_path / "good", "--reference", tmp_path / "good")[0] == 0
    code, words, _ = run(capsys, "check", tmp_path / "read", "--reference", tmp_path / "good")
    assert code == 1 and "4 bytes before the contents; the contents end before 05DC, 548 bytes missing" in words
    code, _, said = run(capsys, "check", tmp_path / "read")
    assert code == 2 and "--reference FOLDER" in said


def test_a_set_of_mixed_revisions_is_named_by_check(capsys, tmp_path):
    rows = ["name,firmware,place,sha1"]
    for slot in ("6A", "6B"):
        for firmware in "AB":
            data = f"{slot} {firmware}".encode() * 64
            rows.append(f"{slot}.bin,{firmware},{slot},{hashlib.sha1(data).hexdigest()}")
    (tmp_path / "sums.csv").write_text("\n".join(rows))
    (tmp_path / "set").mkdir()
    for slot, firmware in (("6A", "A"), ("6B", "B")):
        (tmp_path / "set" / f"{slot}.bin").write_bytes(f"{slot} {firmware}".encode() * 64)
    code, found, _ = run(capsys, "check", tmp_path / "set", "--sums", tmp_path / "sums.csv", "--json")
    assert code == 1 and found["mixed"] and found["revisions"] == {"A": ["6A"], "B": ["6B"]}
    assert "revisions are mixed" in run(capsys, "check", tmp_path / "set", "--sums", tmp_path / "sums.csv")[1]


def test_convert_fills_gaps_only_when_told_and_writes_through_links_to_files_only(capsys, tmp_path):
    gaps = tmp_path / "gaps.hex"
    gaps.write_text(":0100000041BE\n:0100040042B9\n:00000001FF\n")
    out = tmp_path / "out.bin"
    code, _, error = run(capsys, "convert", gaps, out)
    assert code == 2 and "leaves out addresses (0001 to 0003 first)" in error and not out.exists()
    assert run(capsys, "convert", "--fill", "ff", gaps, out)[0] == 0
    assert out.read_bytes() == b"A\xff\xff\xffB"
    link = tmp_path / "link.bin"
    link.symlink_to(out)
    assert run(capsys, "convert", out, out, link)[0] == 0
    assert link.is_symlink() and out.read_bytes() == b"A\xff\xff\xffB" * 2
    code, _, error = run(capsys, "convert", out, "/dev/null")
    assert code != 0 and "needs a regular file" in error
    assert run(capsys, "convert", "--split", "0", out, tmp_path / "x.bin")[0] == 2


def test_a_firmware_that_is_not_in_the_list_is_refused_and_case_does_not_matter(capsys, tmp_path):
    image = tmp_path / "6c.bin"
    image.write_bytes(bytes(range(256)))
    crc = f"{zlib.crc32(image.read_bytes()):08x}"
    listed = tmp_path / "sums.csv"
    listed.write_text(f"name,crc32,firmware\n6c.bin,{crc},1.0B\n6c.bin,00000001,1.1\n")
    code, _, error = run(capsys, "check", "--checksums", listed, "--firmware", "2.0", image)
    assert code == 2 and "no firmware 2.0 in these checksums (there: 1.0B, 1.1)" in error
    assert run(capsys, "check", "--checksums", listed, "--firmware", "1.0b", image)[0] == 0
