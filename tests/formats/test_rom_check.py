"""Checking whole sets of files, as the command line does."""

import zipfile

import bincopy
import pytest

from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage
from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.demo.images import program_image
from loyal_trace.demo.workshop import demo_boards
from loyal_trace.formats.rom_check import RomChecker, checksums_of_board

IMAGES = {name: program_image(f"check {name}", 0x800) for name in ("a.bin", "b.bin", "c.bin")}


def sums(**firmware):
    return ChecksumList(
        KnownChecksum(name, (("sha1", RomImage("", data).digest("sha1")),), len(data), firmware.get(name[0], ""))
        for name, data in IMAGES.items()
    )


def put(folder, **changed):
    folder.mkdir(exist_ok=True)
    for name, data in IMAGES.items():
        (folder / name).write_bytes(changed.get(name[0], data))
    return folder


def verdicts(result):
    return {c.image.name: c.verdict.verdict for c in result.images}


def test_a_whole_good_set(tmp_path):
    result = RomChecker(sums()).check([put(tmp_path / "roms")])
    assert result.all_good and result.missing == () and [c.slot for c in result.images] == list(IMAGES)
    assert all(c.image.data == b"" and c.image.size == 0x800 for c in result.images), (
        "good images are not kept in memory"
    )


def test_every_kind_of_container(tmp_path):
    with zipfile.ZipFile(tmp_path / "set.zip", "w") as archive:
        archive.writestr("roms/a.bin", IMAGES["a.bin"])
    file = bincopy.BinFile()
    file.add_binary(IMAGES["b.bin"], address=0x8000)
    (tmp_path / "b.hex").write_text(file.as_ihex())
    (tmp_path / "c.srec").write_text(file.as_srec())
    found = RomChecker(sums()).check([tmp_path / "set.zip", tmp_path / "b.hex", tmp_path / "c.srec"])
    assert verdicts(found) == {"roms/a.bin": "matches", "b.hex": "matches", "c.srec": "other-slot"}


def test_true_images_by_name_make_few_bytes_exact(tmp_path):
    wrong = bytearray(IMAGES["b.bin"])
    wrong[3] ^= 0x41
    wrong[900] ^= 0x82
    folder, reference = put(tmp_path / "roms", b=bytes(wrong)), put(tmp_path / "reference")
    without = RomChecker(sums()).check([folder]).images[1].verdict
    assert without.verdict == "unknown" and without.next
    found = RomChecker(sums(), reference).check([folder]).images[1].verdict
    assert found.verdict == "few-bytes" and found.hypotheses[0].where["offsets"] == [3, 900]


def test_files_no_sum_knows_and_sums_no_file_has(tmp_path):
    folder = put(tmp_path / "roms")
    (folder / "c.bin").unlink()
    (folder / "stray.bin").write_bytes(b"stray" * 100)
    (folder / "copy.bin").write_bytes(IMAGES["a.bin"])
    result = RomChecker(sums()).check([folder])
    assert verdicts(result) == {
        "a.bin": "matches",
        "b.bin": "matches",
        "copy.bin": "other-slot",
        "stray.bin": "unknown",
    }
    assert result.missing == ("c.bin",) and not result.all_good


def test_a_board_names_the_pin_of_a_stuck_line(tmp_path, library):
    board = demo_boards()["tw-cpu"]
    from loyal_trace.demo.images import reference_image

    data = bytes(b & 0xBF for b in reference_image("tw-cpu", "6E", "B"))
    (tmp_path / "6e.bin").write_bytes(data)
    found = RomChecker(checksums_of_board(board), None, board, library).check([tmp_path / "6e.bin"])
    assert found.images[0].verdict.verdict == "stuck-data" and "D6 (pin 18)" in found.images[0].verdict.next


def test_a_chosen_firmware_overrules_the_majority(tmp_path):
    both = [
        KnownChecksum("a.bin", (("sha1", RomImage("", IMAGES[n]).digest("sha1")),), None, f)
        for n, f in (("a.bin", "A"), ("b.bin", "B"))
    ]
    (tmp_path / "a.bin").write_bytes(IMAGES["a.bin"])
    assert verdicts(RomChecker(ChecksumList(both)).check([tmp_path])) == {"a.bin": "matches"}
    assert verdicts(RomChecker(ChecksumList(both), firmware="B").check([tmp_path])) == {"a.bin": "other-revision"}


def test_the_first_file_that_cannot_be_read_stops_with_its_name(tmp_path):
    folder = put(tmp_path / "roms")
    (folder / "bad.hex").write_text(":10000000zz")
    with pytest.raises(UserFileError, match=r"bad\.hex, line 1"):
        RomChecker(sums()).check([folder])
    with pytest.raises(UserFileError, match="contain no files"):
        (tmp_path / "empty").mkdir()
        RomChecker(sums()).check([tmp_path / "empty"])


@pytest.mark.parametrize("name", ["ä 6c.bin", "6C.BIN", "日本.bin"])
def test_names_beyond_ascii_are_names(tmp_path, name):
    (tmp_path / name).write_bytes(IMAGES["a.bin"])
    known = ChecksumList([KnownChecksum(name, (("sha1", RomImage("", IMAGES["a.bin"]).digest("sha1")),))])
    assert verdicts(RomChecker(known).check([tmp_path / name])) == {name: "matches"}
