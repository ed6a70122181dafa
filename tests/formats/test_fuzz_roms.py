"""Any bytes given to the readers of the ROM side end in a result or in one clear sentence, never in a traceback."""

import json
import string

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from loyal_trace.cli import main
from loyal_trace.core.job.entries import ChecksumsKnown
from loyal_trace.core.roms.digests import canonical, checked_digest, digest
from loyal_trace.core.roms.signature import check_symbols, read_signature, register_from
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.formats.board_folder import parse_board
from loyal_trace.formats.checksum_lists import parse_sums
from loyal_trace.formats.image_files import encode_image
from loyal_trace.formats.rom_files import decode_image
from loyal_trace.resources import chip_library
from tests.helpers.builders import tiny_files
from tests.helpers.lines import read

WORDS = [
    "6A",
    "crc16-arc",
    "CRC-16/XMODEM",
    "sum16",
    "sum8",
    "1F2E",
    "7C9E1A20",
    "8192",
    "0x",
    "(a)",
    "=",
    ":",
    "MD5",
    "d41d8cd98f00b204e9800998ecf8427e",
    "crc16 poly=1021",
    "\t",
    ",",
    ";",
    "é",
    "\ufeff",
    "99999999999",
    "-1",
]
LINES = st.lists(st.lists(st.sampled_from(WORDS), min_size=1, max_size=6).map(" ".join), max_size=6).map("\n".join)
NAMES = st.sampled_from(["a.txt", "a.sfv", "a.csv", "a.tsv", "a.json", "a.md5", "SUMS"])
RECORDS = st.lists(
    st.sampled_from(
        [
            b":0400000001020304F2",
            b":00000001FF",
            b"S00600004844521B",
            b"S1070000010203043E",
            b"S9030000FC",
            b":10010000214601360121470136007EFE09D2190140",
            b"S10700400102030400",
            b"",
            b":",
            b"S1",
            b"\xff\x00",
        ]
    ),
    max_size=6,
).map(b"\n".join)


def answers(act):
    """Runs something that may only fail with a sentence of ours."""
    try:
        return act()
    except LoyalTraceError as error:
        assert str(error).strip()
        return None


@given(st.one_of(LINES.map(str.encode), st.binary(max_size=200)), NAMES)
@settings(max_examples=300)
def test_lists_of_sums(data, name):
    found = answers(lambda: parse_sums(data, name))
    for entry in found.entries if found else ():
        assert entry.name and entry.digests
        assert all(checked_digest(value, algorithm, filled=False) == value for algorithm, value in entry.digests)
        assert digest(b"x", entry.digests[0][0])


@given(
    st.lists(
        st.dictionaries(
            st.sampled_from(["name", "slot", "crc", "crc16-arc", "sum 16", "size", "odd"]),
            st.one_of(st.none(), st.integers(-5, 99999), st.sampled_from(WORDS)),
            max_size=5,
        ),
        max_size=4,
    )
)
def test_lists_as_json_and_csv(rows):
    answers(lambda: parse_sums(json.dumps(rows).encode(), "a.json"))
    titles = list(dict.fromkeys(key for row in rows for key in row))
    table = [",".join(titles)] + [",".join(str(row.get(t, "")) for t in titles) for row in rows]
    answers(lambda: parse_sums("\n".join(table).encode(), "a.csv"))


@given(st.one_of(RECORDS, st.binary(max_size=120)), st.sampled_from(["a.hex", "a.s19", "a.bin", "a"]))
@settings(max_examples=300)
def test_images_of_records(data, name):
    found = answers(lambda: decode_image(name, data, name))
    if found is not None:
        assert found.data and all(0 < first <= last < len(found.data) for first, last in found.gaps)


@given(st.binary(min_size=1, max_size=300), st.sampled_from(["a.hex", "a.s19", "a.bin"]))
def test_what_was_written_is_read_back(data, name):
    assert decode_image(name, encode_image(data, name), name).data == data


@given(
    st.text(max_size=30),
    st.lists(st.sampled_from(["0x1021", "0xFFFF", "refin", "CRC16-ARC", "feedback", "-1", "x"]), max_size=5),
)
def test_registers_signatures_symbols_and_algorithms(text, words):
    for told in (text, " ".join(words)):
        register = answers(lambda told=told: register_from(told))
        assert register is None or 0 <= register.of(b"abc") <= 0xFFFF
        symbols = answers(lambda told=told: check_symbols(told))
        assert symbols is None or len(set(symbols)) == 16
        answers(lambda told=told: read_signature(told))
        name = canonical(told)
        assert name is None or (canonical(name) == name and digest(b"abc", name))


@given(LINES.filter(bool))
def test_sums_typed_at_the_slot(text):
    for line in text.splitlines()[:1]:
        found = read(f"4A sum {line}")
        entries = found.said.entries if found.said is not None else ()
        assert all(sums.digests for e in entries if e.kind is ChecksumsKnown for sums in e.fields["lines"])


@given(st.text(string.printable, max_size=120))
@settings(max_examples=40)
def test_pairs_for_learning(tmp_path_factory, text):
    folder = tmp_path_factory.mktemp("pairs")
    (folder / "a.bin").write_bytes(b"abcd")
    for number, body in enumerate((text, f"file,signature\na.bin,{text}", f"file,signature\n{text},12AB\n")):
        path = folder / f"{number}.csv"
        path.write_text(body, encoding="utf-8", newline="")
        assert main(["roms", "learn-signature", str(path)]) in (0, 1, 2)


@pytest.mark.parametrize("lanes", ["lane = 2\nlanes = 2", "lanes = 3", "lane = -1", 'lane = "a"', "lanes = 0"])
def test_byte_lanes_that_cannot_be(lanes):
    files = dict(tiny_files())
    files["board.toml"] += f'\n[[rom]]\nrefdes = "U1"\nsize = 2048\n{lanes}\n'.encode()
    assert answers(lambda: parse_board(files, "tiny", chip_library())) is None
