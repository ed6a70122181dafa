"""Every reader gives a result or one domain error, whatever it is given: a short run of `make fuzz`, seeded."""

import warnings
from contextlib import suppress

import pytest
from benchmarks import fuzz

from loyal_trace.core.vocabulary.errors import LoyalTraceError, UserFileError
from loyal_trace.formats.checksum_lists import parse_sums
from loyal_trace.formats.rom_files import decode_image
from loyal_trace.formats.tables import read_table

READERS = fuzz.readers()


@pytest.mark.parametrize("reader", READERS, ids=[reader.name for reader in READERS])
def test_no_file_brings_a_reader_down(reader):
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # a picture library warns of what it then refuses
        assert list(fuzz.run(reader, 8 if "board" in reader.name else 80, seed=2)) == []


def records(count):
    """One byte a record, each apart from the next."""
    body = []
    for n in range(count):
        data = bytes((1, 2 * n >> 8 & 255, 2 * n & 255, 0, n & 255))
        body.append(":" + (data + bytes((-sum(data) & 255,))).hex().upper())
    return "\n".join([*body, ":00000001FF"]).encode()


def test_a_line_of_blanks_is_refused_at_once_and_records_are_put_in_their_places():
    with pytest.raises(UserFileError, match="no line of a checksum list is so long"):
        parse_sums(b"a" + b" " * 20_000 + b"zz", "x.sfv")
    assert read_table(b"Ref;Value\nU1;" + b" " * 20_000 + b"LS00\n", "x.csv").rows[1] == ("U1", "LS00")
    image = decode_image("x.hex", records(3), "x")
    assert image.data == b"\x00\xff\x01\xff\x02" and image.gaps == ((1, 1), (3, 3))
    lines = records(1).split(b"\n")
    with pytest.raises(UserFileError, match="hold the same addresses"):
        decode_image("x.hex", b"\n".join([lines[0], lines[0], lines[1]]), "x")


@pytest.mark.parametrize("name", [reader.name for reader in READERS if not reader.other])
def test_a_cell_that_never_ends_is_a_result_or_a_domain_error(name):
    """The standard reader of CSV gives up at 131,072 signs with an error of its own."""
    reader = next(one for one in READERS if one.name == name)
    for seed in reader.seeds:
        for at in (0, len(seed) // 2, len(seed)):
            with suppress(LoyalTraceError):
                reader.read(seed[:at] + b"A" * 140_000 + seed[at:])
