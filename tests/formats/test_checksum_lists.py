import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.roms.images import RomImage
from loyal_trace.core.vocabulary.errors import LoyalTraceError, UserFileError
from loyal_trace.formats.checksum_lists import parse_sums

DATA = bytes(range(256)) * 8
IMAGE = RomImage("6a.bin", DATA)
CRC, MD5, SHA1, SHA256 = (IMAGE.digest(a) for a in ("crc32", "md5", "sha1", "sha256"))


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("x.sha1", f"{SHA1}  6a.bin\n"),
        ("x.md5", f"{MD5} *6a.bin\r\n"),
        ("x.sha256", f"{SHA256}  ./6a.bin\n"),
        ("x.crc32", f"{CRC}\t6a.bin\n"),
        ("sums.txt", f"SHA1 (6a.bin) = {SHA1}\n"),
        ("t", f"CRC32 (6a.bin) = {CRC}\n"),
        ("x.sfv", f"; made by hand\n6a.bin {CRC.upper()}\n"),
        ("x.csv", f"file,crc32\n6a.bin,{CRC}\n"),
        ("x.csv", f"Slot;SHA-1;Bytes\n6A;{SHA1};2048\n"),
        ("x.json", json.dumps([{"name": "6a.bin", "sha1": SHA1}])),
        ("x.json", json.dumps({"6a.bin": {"crc": CRC}})),
        ("bom.sha1", f"\ufeff{SHA1}  6a.bin\n"),
        ("both", f"{SHA1}  6a.bin\n{CRC}  6a.bin\n"),
        ("z.csv", f"image,crc\n6a.bin,0x{CRC}\n"),
    ],
)
def test_every_style_of_list_is_read_and_accepts_the_image(name, text):
    sums = parse_sums(text.encode(), name)
    (entry,) = sums.for_name("6a.bin")
    assert entry.accepts(IMAGE) and not entry.accepts(RomImage("6a.bin", DATA[:-1] + b"\0"))


def test_columns_can_be_mapped_by_hand():
    text = f"Chip,Summe\n6a.bin,{SHA1}\n"
    sums = parse_sums(text.encode(), "x.csv", {"name": "Chip", "sha1": "Summe"})
    assert sums.for_name("6a.bin")[0].accepts(IMAGE)


def test_folders_in_a_list_name_revisions_when_names_repeat():
    sums = parse_sums(f"{SHA1}  A/6a.bin\n{'0' * 40}  B/6a.bin\n".encode(), "x.sha1")
    assert [e.firmware for e in sums.for_name("6a.bin")] == ["A", "B"]


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("x.sha1", "", "no checksums"),
        ("x.sha1", "hello world\n", "line 1"),
        ("x", f"{SHA1}  a\nBLAKE2b (b) = 00\n", "line 2"),
        ("x", f"{'0' * 128}  a.bin\n", "no known algorithm"),
        ("x", "SHA1 (a) = xyz\n", "not hexadecimal"),
        ("x", "MD5 (a) = 12\n", "32 hex digits"),
        ("x.csv", "name,sha1\na,zz\n", "line 2"),
        ("x.csv", "a,b\n1,2\n", "no name"),
        ("x.json", "{", "JSON"),
        ("x.json", "[1]", "list of objects"),
        ("x.json", '[{"name":"a"}]', "item 1"),
        ("x.csv", f"name,crc32,size\na,{CRC},many\n", "size"),
    ],
)
def test_what_cannot_be_read_is_named_with_its_line(name, text, words):
    with pytest.raises(UserFileError, match=words) as error:
        parse_sums(text.encode(), name)
    assert str(error.value).startswith("x") and "\n" not in str(error.value)


@given(st.binary(max_size=200), st.sampled_from(["x", "x.csv", "x.json", "x.sfv"]))
def test_no_bytes_make_the_reader_fail_otherwise(data, name):
    try:
        parse_sums(data, name)
    except LoyalTraceError as error:
        assert str(error)


@pytest.mark.parametrize(
    ("line", "expected"),
    [
        ("6A: 7C9E1A20", {"crc32": "7c9e1a20"}),
        ("6A = 0x1F2E", {"sum16": "1f2e"}),
        ("6a.bin 8192 1F2E 7c9e1a20", {"sum16": "1f2e", "crc32": "7c9e1a20"}),
        ("6A crc16-arc 12AB sum8 3", {"crc16-arc": "12ab", "sum8": "03"}),
        ("CRC-16/XMODEM (6a.bin) = 12AB", {"crc16-xmodem": "12ab"}),
    ],
)
def test_lists_typed_by_hand(line, expected):
    (entry,) = parse_sums(line.encode(), "typed.txt").entries
    assert entry.by_algorithm == expected and entry.size == (8192 if "8192" in line else None)


def test_columns_of_plain_sums_and_parametric_crcs():
    text = "slot,size,16-bit sum,CRC-16/ARC,odd title\n6A,16,00ff,1234,beef\n"
    (entry,) = parse_sums(text.encode(), "a.csv").entries
    assert entry.by_algorithm == {"sum16": "00ff", "crc16-arc": "1234"} and entry.size == 16
    (mapped,) = parse_sums(text.encode(), "a.csv", {"crc16 poly=8005": "odd title"}).entries
    assert mapped.by_algorithm["crc16 poly=8005"] == "beef"
