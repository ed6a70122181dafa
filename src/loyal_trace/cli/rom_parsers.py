"""The parsers of `roms`."""

import argparse
from pathlib import Path

from loyal_trace.cli.parsing import Parser
from loyal_trace.core.vocabulary.phrases import say


def roms_parser(commands: "argparse._SubParsersAction[Parser]") -> None:
    roms = commands.add_parser("roms", help="check ROM images").add_subparsers(dest="action", required=True)
    check = roms.add_parser(
        "check",
        help=say("compare images with known checksums and name the fault"),
        description=say(
            "Files, folders and zips; a file is matched to its slot by its "
            "name in the list. Numbered reads of one "
            "chip (6c-1.bin 6c-2.bin, or read1/6c.bin read2/6c.bin) are compared with each other."
        ),
    )
    check.add_argument("paths", nargs="+", type=Path, metavar="PATH")
    check.add_argument(
        "--checksums", type=Path, metavar="FILE", help=say("known checksums: GNU style, tagged, SFV, CSV or JSON")
    )
    check.add_argument("--reference", type=Path, metavar="FOLDER", help=say("reference images under the same names"))
    # As these options were called before.
    check.add_argument("--sums", dest="checksums", type=Path, help=argparse.SUPPRESS)
    check.add_argument("--truth", dest="reference", type=Path, help=argparse.SUPPRESS)
    check.add_argument("--board", type=Path, metavar="FOLDER", help=say("board definition: slots, pins, checksums"))
    check.add_argument("--firmware", default="", help=say("the firmware revision that the set should have"))
    check.add_argument(
        "--column",
        action="append",
        default=[],
        metavar="FIELD=TITLE",
        help=say("which column of a CSV or JSON is which"),
    )
    check.add_argument("--json", action="store_true")

    _more_rom_parsers(roms)


def _more_rom_parsers(roms: "argparse._SubParsersAction[Parser]") -> None:
    every = [
        *_finding_parsers(roms),
        *_mending_parsers(roms),
        *_signature_parsers(roms),
        *_chip_parsers(roms),
        _convert_parser(roms),
    ]
    for parser in every:
        parser.add_argument("--json", action="store_true")


def _finding_parsers(roms: "argparse._SubParsersAction[Parser]") -> tuple[Parser, ...]:
    slots = roms.add_parser(
        "slots", help=say("the ROM sockets of a board: numbers, places, addresses, byte lanes, revisions")
    )
    slots.add_argument("board", type=Path, metavar="BOARD", help=say("board folder or zip"))
    slots.add_argument(
        "name", nargs="?", default="", help=say("one of them: a start-up number, label, place or address")
    )
    found = roms.add_parser(
        "identify", help=say("find which known image it is, also damaged, cut, doubled or byte-swapped")
    )
    found.add_argument("files", nargs="+", type=Path, metavar="FILE")
    found.add_argument(
        "--known", nargs="+", default=[], type=Path, help=say("checksum lists; images, boards, or folders of images")
    )
    found.add_argument(
        "--store", type=Path, help=say("a store whose boards are included (default without --known: yours)")
    )
    return slots, found


def _mending_parsers(roms: "argparse._SubParsersAction[Parser]") -> tuple[Parser, ...]:
    correct = roms.add_parser(
        "repair", help=say("restore an image from its checksums: orders, byte lanes, one or two wrong bytes")
    )
    correct.add_argument("file", type=Path)
    correct.add_argument("--size", type=int, help=say("the right size in bytes, if it differs"))
    votes = roms.add_parser(
        "vote", help=say("the majority of several reads of one chip, or of twins; checksums prove it")
    )
    votes.add_argument("reads", nargs="+", type=Path, metavar="READ")
    for parser in (correct, votes):
        for name in ("crc32", "md5", "sha1", "sha256"):
            parser.add_argument(f"--{name}", metavar="HEX")
        parser.add_argument("--sum", action="append", default=[], metavar="NAME=HEX", help="sum16=1F2E, crc16-arc=12AB")
        parser.add_argument("-o", "--out", type=Path, help=say("output file; the ending decides the format"))
    return correct, votes


def _signature_parsers(roms: "argparse._SubParsersAction[Parser]") -> tuple[Parser, ...]:
    sign = roms.add_parser("signature", help=say("the signature a tester should show, for its own register"))
    sign.add_argument("files", nargs="+", type=Path, metavar="FILE")
    sign.add_argument("--model", help=say("a name of the public catalogue, such as CRC16-IBM-3740"))
    for name in ("width", "poly", "init", "xorout"):
        sign.add_argument(f"--{name}")
    for name in ("refin", "refout"):
        sign.add_argument(f"--{name}", action="store_true")
    sign.add_argument(
        "--feedback", action="store_true", help=say("the register shows the shifted-in stream, not the remainder")
    )
    lesson = roms.add_parser(
        "learn-signature", help=say("compute the register of a tester from chips with known contents")
    )
    lesson.add_argument("pairs", type=Path, help=say("CSV with the columns file, signature"))
    lesson.add_argument("--width", default="16")
    for parser in (sign, lesson):
        parser.add_argument("--symbols", default="0123456789ABCDEF", help=say("the tester's sixteen symbols, 0 first"))
    return sign, lesson


def _chip_parsers(roms: "argparse._SubParsersAction[Parser]") -> tuple[Parser, ...]:
    stand_in = roms.add_parser("substitutes", help=say("possible substitutes of a memory: pins, wiring, image, speed"))
    stand_in.add_argument("device", help=say("the type in the socket, such as 2364 or 27C64"))
    stand_in.add_argument("new", nargs="?", default="", help=say("one candidate, with every pin that differs"))
    stand_in.add_argument("--clock", help=say("clock of the processor, such as 4MHz: is it fast enough?"))
    stand_in.add_argument(
        "--periods", type=float, default=2.0, help=say("clock periods from address to data (default 2)")
    )
    label = roms.add_parser("labels", help=say("window labels with the checksums: SVG or PDF by the ending"))
    label.add_argument("board", type=Path, metavar="BOARD", help=say("board folder or zip"))
    label.add_argument("out", type=Path, metavar="OUT")
    label.add_argument("--firmware", default="", help=say("the firmware revision (needed when slots differ)"))
    return stand_in, label


def _convert_parser(roms: "argparse._SubParsersAction[Parser]") -> Parser:
    turn = roms.add_parser("convert", help=say("another format (bin, hex, srec by the ending) or another order"))
    turn.add_argument("files", nargs="+", type=Path, metavar="IN… OUT")
    turn.add_argument("--swap", action="append", default=[], help=say("bytes, words, bits, nibbles or halves"))
    turn.add_argument("--invert", action="store_true")
    turn.add_argument(
        "--interleave", action="store_true", help=say("interleave the images as byte lanes; else they are joined")
    )
    turn.add_argument("--fill", metavar="XX", help=say("fill addresses that the file leaves out with this byte"))
    turn.add_argument("--split", type=int, help=say("cut into that many pieces"))
    turn.add_argument("--lanes", type=int, help=say("de-interleave into that many byte lanes"))
    return turn
