import os
import pickle
import stat
import zipfile
from pathlib import Path

import bincopy
import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage
from loyal_trace.core.vocabulary.errors import LoyalTraceError, UserFileError
from loyal_trace.demo.images import program_image
from loyal_trace.formats.rom_check import RomChecker
from loyal_trace.formats.rom_files import ReadBuffer, decode_image, image_paths, iter_images, read_file

DATA = program_image("format test", 0x800)


def hex_text(data=DATA, kind="ihex"):
    file = bincopy.BinFile()
    file.add_binary(data, address=0x4000)
    return file.as_ihex() if kind == "ihex" else file.as_srec()


@given(st.binary(min_size=1, max_size=600), st.sampled_from(["ihex", "srec"]), st.sampled_from(["\n", "\r\n"]))
def test_hex_and_srecord_give_the_bytes_back(data, kind, end):
    text = hex_text(data, kind).replace("\n", end).encode()
    assert decode_image("x.hex" if kind == "ihex" else "x.s19", b"\xef\xbb\xbf" + text, "x").data == data


def test_hex_is_recognised_by_its_look_and_binary_stays_binary():
    assert decode_image("dump.bin", hex_text().encode(), "x").data == DATA
    assert decode_image("dump.bin", b":not hex at all" + DATA, "x").data == b":not hex at all" + DATA


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda t: t[:-40], "no whole|not a whole|no end record"),
        (lambda t: "\n".join(t.splitlines()[:-1]), "no end record"),
        (lambda t: t.replace(":20", ":21", 1), "line 1"),
        (lambda t: t + "garbage", "not a whole"),
        (lambda t: ":00000001FF\n", "no valid range"),
    ],
)
def test_damaged_hex_is_refused_with_its_line(change, words):
    with pytest.raises(UserFileError, match=words):
        decode_image("x.hex", change(hex_text()).encode(), "x.hex")


def test_empty_and_missing_files_are_refused(tmp_path):
    (tmp_path / "empty.bin").write_bytes(b"")
    with pytest.raises(UserFileError, match="empty"):
        list(iter_images(tmp_path / "empty.bin"))
    with pytest.raises(UserFileError, match="no such file"):
        list(image_paths(tmp_path / "none"))


def test_a_huge_file_is_refused_without_being_read(tmp_path):
    with (tmp_path / "huge.bin").open("wb") as stream:
        stream.truncate(10 * 2**30)
    with pytest.raises(UserFileError, match="more than any ROM"):
        list(iter_images(tmp_path / "huge.bin"))


def test_folders_pass_over_lists_and_hidden_files(tmp_path):
    for name in ("b.bin", "a.bin", ".hidden", "SHA1SUMS", "notes.txt", "x.sfv", "sub/c.bin"):
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).write_bytes(DATA)
    assert [p.name for p in image_paths(tmp_path)] == ["a.bin", "b.bin", "c.bin"]


def zip_with(path, name="a.bin", data=DATA, mode=0):
    info = zipfile.ZipInfo(name)
    info.external_attr = mode << 16
    info.compress_type = zipfile.ZIP_DEFLATED
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr(info, data)
    return path


def test_zips_are_read_member_by_member(tmp_path):
    (image,) = iter_images(zip_with(tmp_path / "set.zip", "roms/ä 6c.bin"))
    assert image.data == DATA and image.name == "roms/ä 6c.bin"


@pytest.mark.parametrize(
    ("name", "data", "mode", "words"),
    [
        ("../evil.bin", DATA, 0, "outside"),
        ("/etc/evil.bin", DATA, 0, "outside"),
        ("C:\\evil.bin", DATA, 0, "outside"),
        ("link.bin", b"/etc/passwd", stat.S_IFLNK | 0o777, "symbolic link"),
        ("bomb.bin", bytes(40 * 2**20), 0, "200 times"),
    ],
)
def test_zips_that_mean_harm_are_refused(tmp_path, name, data, mode, words):
    with pytest.raises(UserFileError, match=words):
        list(iter_images(zip_with(tmp_path / "x.zip", name, data, mode)))


def test_a_ten_gigabyte_bomb_is_refused_by_its_own_claim(tmp_path, monkeypatch):
    path = zip_with(tmp_path / "x.zip")
    real = zipfile.ZipFile.infolist

    def claiming(self):
        members = real(self)
        members[0].file_size = 10 * 2**30
        return members

    monkeypatch.setattr(zipfile.ZipFile, "infolist", claiming)
    with pytest.raises(UserFileError, match="unpacks to 10,737,418,240"):
        list(iter_images(path))


@given(st.integers(0, 5000), st.integers(0, 255))
def test_a_damaged_zip_never_brings_more_than_a_clear_error(tmp_path_factory, place, value):
    folder = tmp_path_factory.mktemp("zip")
    data = bytearray(zip_with(folder / "x.zip").read_bytes())
    data[place % len(data)] = value
    (folder / "x.zip").write_bytes(data)
    try:
        list(iter_images(folder / "x.zip"))
    except LoyalTraceError as error:
        assert str(error)


def known(data, name="6c.bin", firmware=""):
    return KnownChecksum(name, (("crc32", RomImage("", data).digest("crc32")),), None, firmware)


def test_numbered_reads_are_compared_and_other_files_are_not(tmp_path):
    shaky = bytes([DATA[0] ^ 1]) + DATA[1:]
    for name, data in {
        "6c-1.bin": DATA,
        "6c-2.bin": shaky,
        "read1/6d.bin": shaky,
        "read2/6d.bin": DATA,
        "good/6e.bin": DATA,
        "bad/6e.bin": shaky,
    }.items():
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).write_bytes(data)
    sums = ChecksumList([known(DATA, n) for n in ("6c.bin", "6d.bin", "6e.bin")])
    result = RomChecker(sums).check([tmp_path])
    found = {str(Path(c.image.source).relative_to(tmp_path)): c.verdict.verdict for c in result.images}
    assert found == {
        "6c-1.bin": "unstable",
        "6c-2.bin": "unstable",
        "read1/6d.bin": "unstable",
        "read2/6d.bin": "unstable",
        "good/6e.bin": "matches",
        "bad/6e.bin": "few-bytes",
    }


def test_the_set_decides_which_revision_is_the_odd_one(tmp_path):
    contents = {f"{n}{f}": program_image(f"{n}{f}", 0x800) for n in "xyz" for f in "AB"}
    sums = ChecksumList([known(contents[f"{n}{f}"], f"{n}.bin", f) for n in "xyz" for f in "AB"])
    for name, key in (("x.bin", "xB"), ("y.bin", "yB"), ("z.bin", "zA")):
        (tmp_path / name).write_bytes(contents[key])
    result = RomChecker(sums).check([tmp_path])
    assert result.firmware == "B" and [c.verdict.verdict for c in result.images] == [
        "matches",
        "matches",
        "other-revision",
    ]


def test_one_name_under_several_given_paths_is_one_chip_read_again(tmp_path):
    shaky = bytes([DATA[0] ^ 1]) + DATA[1:]
    stuck = bytes(b | 8 for b in DATA)
    for folder, data in (("a", DATA), ("b", shaky), ("c", stuck)):
        (tmp_path / folder).mkdir()
        (tmp_path / folder / "6c.bin").write_bytes(data)
    checker = RomChecker(ChecksumList([known(DATA)]))
    found = [c.verdict.verdict for c in checker.check([tmp_path / "a", tmp_path / "b"]).images]
    assert found == ["unstable", "unstable"]
    found = [c.verdict.verdict for c in checker.check([tmp_path / "a" / "6c.bin", tmp_path / "c" / "6c.bin"]).images]
    assert found == ["matches", "stuck-data"], "one cause explains the second read entirely"


def test_the_buffer_gives_raw_files_whole_and_leaves_the_others_to_a_closer_look(tmp_path):
    for name, data in (
        ("a.bin", DATA),
        ("b.bin", hex_text().encode()),
        ("c.hex", b"x"),
        ("d.bin", b""),
        ("e", DATA[:7]),
    ):
        (tmp_path / name).write_bytes(data)
    buffer = ReadBuffer()
    found = {path.name: buffer.raw_bytes(str(path)) for path in image_paths(tmp_path)}
    assert found["e"] == DATA[:7] and [name for name, view in found.items() if view is None] == [
        "b.bin",
        "c.hex",
        "d.bin",
    ]
    (tmp_path / "large").write_bytes(bytes(2**20 + 1))
    assert buffer.raw_bytes(f"{tmp_path}/large") is None and len(read_file(tmp_path / "large")) == 2**20 + 1


def test_a_pipe_among_the_files_is_refused_at_once(tmp_path):
    os.mkfifo(tmp_path / "6c.bin")
    with pytest.raises(UserFileError, match="not a regular file") as caught:
        RomChecker(ChecksumList([known(DATA)])).check([tmp_path])
    again = pickle.loads(pickle.dumps(caught.value))
    assert (str(again), again.place, again.remedy) == (str(caught.value), caught.value.place, caught.value.remedy)


def test_many_files_are_checked_as_few_are_in_their_order(tmp_path, monkeypatch):
    sums = ChecksumList([known(DATA, f"{n}.bin") for n in range(300)])
    for n in range(300):
        (tmp_path / f"{n}.bin").write_bytes(DATA if n % 7 else DATA[:-1] + bytes([n % 256]))
    with zipfile.ZipFile(tmp_path / "more.zip", "w") as archive:
        archive.writestr("301.bin", DATA)
    many = RomChecker(sums).check([tmp_path])
    monkeypatch.setattr("loyal_trace.formats.rom_check._FORK_FROM", 10_000)
    few = RomChecker(sums).check([tmp_path])
    assert (
        many == few
        and len(many.images) == 301
        and {c.image.name for c in many.images if not c.verdict.good}
        == {"301.bin", *(f"{n}.bin" for n in range(0, 300, 7) if n % 256 != DATA[-1])}
    )
    (tmp_path / "0.bin").write_bytes(b"")
    monkeypatch.undo()
    with pytest.raises(UserFileError, match=r"0\.bin: the file is empty"):
        RomChecker(sums).check([tmp_path])
