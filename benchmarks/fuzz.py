"""Structure-aware fuzzing of every reader: a result or one domain error, in bounded time and memory.

`make fuzz` runs 100,000 cases for each reader of text and 5,000 for pictures, archives and sheets; the tests run a few.
"""

import io
import json
import random
import resource
import sys
import tempfile
import time
import zipfile
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.resources import chip_library

TEXT_CASES, OTHER_CASES, LONGEST_SECONDS, MOST_MEMORY = 100_000, 5_000, 2.0, 1500.0
TOKENS = (
    *("²", "٣", "½", "\u2028", "\u0085", "\ufeff", "\0", "é", "日", "\x1b[2J", "\udcff".encode("utf-8", "surrogateescape").decode("latin-1")),
    *("9" * 5000, "1e999", "-1", "0", "NaN", "inf", "0x", "1_000", "+", "''", '"', '""', "(", ")" * 50, "[" * 2000, "{" * 2000),
    *(",", ";", "\t", "|", "=", ":", "\n", "\r", "\r\n", "\\", "/", "../", "A" * 70_000, " " * 20_000, "#", "%", "$"),
)  # fmt: skip


@dataclass(frozen=True)
class Reader:
    """A reader by its name, with valid files to begin from; `other`: not a text."""

    name: str
    read: Callable[[bytes], object]
    seeds: tuple[bytes, ...]
    other: bool = False


@cache
def _board() -> Mapping[str, bytes]:
    from loyal_trace.demo.common import board_files_of

    return board_files_of(("cs-8",))["cs-8"]


def _at(read: Callable[[Path], object], ending: str) -> Callable[[bytes], object]:
    folder = Path(tempfile.mkdtemp(prefix="loyal-trace-fuzz-"))

    def from_bytes(data: bytes) -> object:
        path = folder / f"case{ending}"
        path.write_bytes(data)
        return read(path)

    return from_bytes


def readers() -> list[Reader]:
    """All readers of files."""
    from loyal_trace.app.drawer import bought_items
    from loyal_trace.core.job.entries import read_or_mark
    from loyal_trace.formats.archive import read_archive
    from loyal_trace.formats.arrangements import read_arrangements
    from loyal_trace.formats.bench_profile import parse_bench
    from loyal_trace.formats.board_folder import parse_board
    from loyal_trace.formats.checksum_lists import parse_sums
    from loyal_trace.formats.drawer import parse_drawer, parse_offers
    from loyal_trace.formats.image_files import encode_image
    from loyal_trace.formats.netlists import read_netlist
    from loyal_trace.formats.part_table import board_from_table, guess_columns
    from loyal_trace.formats.photos import upright
    from loyal_trace.formats.readings import read_readings
    from loyal_trace.formats.rom_files import decode_image
    from loyal_trace.formats.tables import read_table
    from loyal_trace.formats.traces import read_trace

    files, library = _board(), chip_library()
    board = parse_board(files, "cs-8", library)

    def table(data: bytes) -> object:
        found = read_table(data, "x.csv")
        return board_from_table(found, guess_columns(found), "x", "x", library)

    sums = b"da39a3ee5e6b4b0d3255bfef95601890afd80709  a.bin\nMD5 (b.bin) = d41d8cd98f00b204e9800998ecf8427e\n"
    listed = json.dumps([{"name": "a", "size": 3, "crc32": "00000001"}, {"name": "b", "sha1": "0" * 40}]).encode()
    net = b'(export (version D) (components (comp (ref U1) (value 74LS00))) (nets (net (code 1) (name "A") (node (ref U1) (pin 1)) (node (ref U2) (pin 2)))))'
    vcd = b"$timescale 1 ns $end\n$scope module t $end\n$var wire 1 ! D0 $end\n$upscope $end\n$enddefinitions $end\n#0\n0!\n#5\n1!\n"
    return [
        Reader("checksums", lambda d: parse_sums(d, "x.sha1"), (sums,)),
        Reader("sfv", lambda d: parse_sums(d, "x.sfv"), (b"; c\na.bin 1F2E3D4C\nb c.bin 00000001\n",)),
        Reader("checksum csv", lambda d: parse_sums(d, "x.csv"), (b"name,crc32,size\na,00000001,12\n\"b\",1F2E3D4C,7\n",)),
        Reader("checksum json", lambda d: parse_sums(d, "x.json"), (listed,)),
        Reader("hex", lambda d: decode_image("x.hex", d, "x"), (encode_image(bytes(range(64)), "x.hex"),)),
        Reader("s-record", lambda d: decode_image("x.srec", d, "x"), (encode_image(bytes(range(64)), "x.srec"),)),
        Reader("parts list", table, (files["parts.csv"][:1500], b"Ref;Value\nU1;74LS00\nC1, C2;100n\n")),
        Reader("netlist", lambda d: read_netlist(d, "x.net", library), (net, b"U1.1 U2.2 A\n", files["nets.csv"][:800])),
        Reader("board", lambda d: parse_board({**files, "board.toml": d}, "x", library), (files["board.toml"],)),
        Reader("board parts", lambda d: parse_board({**files, "parts.csv": d}, "x", library), (files["parts.csv"],)),
        Reader("drawer", parse_drawer, (b"number,count,value\n74LS00,3,\nC,2,100u\n",)),
        Reader("offers", parse_offers, (b"shop,number,price,minimum,days,trust\nQuay,100u 25V,0.4,10,3,95\n,C,1,,,\n",)),
        Reader("bought kit", lambda d: bought_items(d, "kit"), (b"2x 10u 16V\n# a bag\n1x 100u 25V 6.3x11 in bag B, good\n",)),
        Reader("bench", parse_bench, (b"[bench]\nname = \"x\"\nsupplies = [5.0]\n",)),
        Reader("chip types", lambda d: library.with_types(d.decode("utf-8", "replace")), _types()),
        Reader("readings", _at(lambda p: read_readings(p, board), ".csv"), (b"part,quantity,value\nC1,esr,5\nU1.1,voltage,4.8V\n",)),
        Reader("arrangements", _at(read_arrangements, ".csv"), (b"6A,x1,6B,x2,stays\n6A,x2,6B,x1,moves\n",)),
        Reader("trace csv", _at(read_trace, ".csv"), (b"time,D0,D1\n0,0,1\n1e-6,1,1\n2e-6,0,0\n",)),
        Reader("trace vcd", _at(read_trace, ".vcd"), (vcd,)),
        Reader("entry", lambda d: read_or_mark(d.decode("utf-8", "replace"), "x", 1), _entries()),
        Reader("photo", lambda d: upright(d, "x", 300), _photos(), True),
        Reader("archive", _at(read_archive, ".ltjob"), (_archive(),), True),
        Reader("sheet", lambda d: read_table(d, "x.xlsx"), (_sheet(),), True),
    ]  # fmt: skip


def _types() -> tuple[bytes, ...]:
    from loyal_trace.resources import read_text

    return (read_text("data/chips_74.toml")[:2500].rsplit("\n[", 1)[0].encode(),)


def _entries() -> tuple[bytes, ...]:
    return (
        b'{"kind":"note","id":"a","time":"2026-01-01T00:00:00Z","author":"x","board":"","part_of":"","note":"","previous":"","v":2,"text":"hello","place":""}',
        b'{"kind":"measured","id":"b","time":"2026-01-01T00:00:00Z","v":2,"board":"x","place":"C1","quantity":"esr","value":5.0}',
    )


def _photos() -> tuple[bytes, ...]:
    from PIL import Image

    found = []
    for kind in ("JPEG", "PNG", "TIFF", "BMP", "WEBP"):
        target = io.BytesIO()
        Image.linear_gradient("L").convert("RGB").save(target, kind)
        found.append(target.getvalue())
    return tuple(found)


def _archive() -> bytes:
    import hashlib

    from loyal_trace.core.job.chain import head_of

    target, line = io.BytesIO(), _entries()[0].decode()
    with zipfile.ZipFile(target, "w") as archive:
        manifest = {"format": "loyal-trace-job", "version": 1, "job": "j", "head": head_of([line])}
        archive.writestr("job.json", json.dumps(manifest))
        archive.writestr("entries.jsonl", line + "\n")
        archive.writestr(f"attachments/{hashlib.sha256(b'x').hexdigest()}", b"x")
        for name, data in _board().items():
            archive.writestr(f"boards/cs-8/{name}", data)
    return target.getvalue()


def _sheet() -> bytes:
    """The least that is a workbook."""
    target = io.BytesIO()
    with zipfile.ZipFile(target, "w") as book:
        book.writestr(
            "[Content_Types].xml", '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"/>'
        )
        book.writestr(
            "xl/workbook.xml",
            '<workbook xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="s" sheetId="1" r:id="r1"/></sheets></workbook>',
        )
        book.writestr(
            "xl/_rels/workbook.xml.rels",
            '<Relationships><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>',
        )
        book.writestr(
            "xl/worksheets/sheet1.xml",
            '<worksheet><sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>Ref</t></is></c><c r="B1"><v>3</v></c></row></sheetData></worksheet>',
        )
    return target.getvalue()


def mutated(rng: random.Random, seed: bytes, other: bool) -> bytes:
    """A valid file with one to four changes: bytes, tokens that readers stumble over, cells, lines, cuts."""
    data = bytearray(seed)
    for _ in range(rng.randint(1, 4)):
        at, end = sorted((rng.randrange(len(data) + 1), rng.randrange(len(data) + 1)))
        end = min(end, at + 40)
        choice = rng.randrange(7 if not other else 4)
        if choice == 0 and data:
            data[rng.randrange(len(data))] = rng.randrange(256)
        elif choice == 1:
            del data[at:end]
        elif choice == 2:
            data[at:at] = data[at:end] * rng.randint(1, 3)
        elif choice == 3:
            del data[at : len(data) if rng.random() < 0.3 else at + 1]
        elif choice == 4:
            data[at : end if rng.random() < 0.5 else at] = rng.choice(TOKENS).encode("utf-8", "surrogatepass")
        else:
            lines = bytes(data).split(b"\n")
            one, two = rng.randrange(len(lines)), rng.randrange(len(lines))
            if choice == 5:
                lines[one], lines[two] = lines[two], lines[one]
            else:
                cells = lines[one].split(b",")
                cells[rng.randrange(len(cells))] = rng.choice(TOKENS).encode("utf-8", "surrogatepass")
                lines[one] = b",".join(cells)
            data = bytearray(b"\n".join(lines))
    return bytes(data)


def run(reader: Reader, cases: int, seed: int) -> Iterator[str]:
    """Everything that is neither a result nor a domain error, and every case that takes too long."""
    rng = random.Random(f"{reader.name} {seed}")
    for number in range(cases):
        data = mutated(rng, rng.choice(reader.seeds), reader.other)
        began = time.process_time()
        try:
            reader.read(data)
        except LoyalTraceError:
            pass
        except Exception as error:
            yield f"{reader.name}, case {number} of seed {seed}: {type(error).__name__}: {str(error)[:120]} ({data[:60]!r}…)"
        spent = time.process_time() - began  # of this process: what else runs on the machine does not count
        if spent > LONGEST_SECONDS:
            yield f"{reader.name}, case {number} of seed {seed}: {spent:.1f} s for {len(data):,} bytes"


def main() -> int:
    """All readers, in full; the argument divides the number of cases."""
    share = int(sys.argv[1]) if len(sys.argv) > 1 else 1
    wrong = 0
    for reader in readers():
        began, cases = time.perf_counter(), (OTHER_CASES if reader.other else TEXT_CASES) // share
        found = list(run(reader, cases, 1))
        wrong += len(found)
        for text in found[:5]:
            print("  " + text)
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(
            f"{reader.name:16} {cases:7,} cases, {len(found)} wrong, {time.perf_counter() - began:.0f} s, peak {memory:.0f} MiB"
        )
        wrong += memory > MOST_MEMORY
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
