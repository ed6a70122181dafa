"""Parses the command line and runs one command. Exit 0 all good, 1 findings, 2 bad input (one line on stderr)."""

import argparse
import sys
from collections.abc import Sequence
from importlib import import_module
from pathlib import Path
from typing import Any, NoReturn

from loyal_trace import __version__
from loyal_trace.cli.output import tell
from loyal_trace.cli.part_parsers import caps_parser, drawer_parser, kit_parser
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.language import language_of, shown, use


class _Help(argparse.HelpFormatter):
    """Help in the language of the reader."""

    def _get_help_string(self, action: argparse.Action) -> str | None:
        return shown(action.help) if action.help else action.help

    def _format_text(self, text: str) -> str:
        return super()._format_text(shown(text))


class _Parser(argparse.ArgumentParser):
    """An argument parser whose errors are one clear line."""

    def __init__(self, **options: Any) -> None:
        super().__init__(**{"formatter_class": _Help, **options})

    def error(self, message: str) -> NoReturn:
        tell(f"loyal-trace: {message} (see `{self.prog} --help`)", error=True)
        raise SystemExit(2)


def default_store() -> Path:
    """The store in the user's data folder."""
    from platformdirs import user_data_path

    return user_data_path("loyal-trace") / "store"


def store_of(options: argparse.Namespace) -> Path:
    """The store that a command was given, else the user's own."""
    return options.store or default_store()


def _roms_parser(commands: "argparse._SubParsersAction[_Parser]") -> None:
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


def _more_rom_parsers(roms: "argparse._SubParsersAction[_Parser]") -> None:
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
    for parser in (slots, found, correct, votes, sign, lesson, stand_in, label, turn):
        parser.add_argument("--json", action="store_true")


def _chip_parser(commands: "argparse._SubParsersAction[_Parser]") -> None:
    chip = commands.add_parser("chip", help=say("the chip check and the chip library")).add_subparsers(
        dest="action", required=True
    )
    check = chip.add_parser("check", help=say("check the outputs of a chip: chip check 74LS00 1=L 2=P 3=L"))
    check.add_argument("type")
    check.add_argument("pins", nargs="*", metavar="PIN=STATE", help=say("states L H P X Z, a voltage or a frequency"))
    check.add_argument(
        "--alone", action="append", default=[], metavar="PIN", help=say("a pin on whose line nothing else drives")
    )
    check.add_argument("--trace", type=Path, metavar="FILE", help=say("a captured trace, CSV or VCD"))
    check.add_argument(
        "--map", action="append", default=[], metavar="PIN=CHANNEL", help=say("which channel of the trace is which pin")
    )
    check.add_argument("--skew", type=int, default=1, metavar="SAMPLES", help=say("how late an output may be"))
    show = chip.add_parser("show", help=say("pinout and logic of one type"))
    show.add_argument("type")
    listing = chip.add_parser("list", help=say("all types known"))
    finding = chip.add_parser("find", help=say("what a printed name means: chip find SN74LS00N"))
    finding.add_argument("marking", nargs="+", metavar="MARKING")
    adding = chip.add_parser(
        "add", help=say("keep types of your own: TOML like the library, or a CSV of pins (number, name, direction)")
    )
    adding.add_argument("file", type=Path)
    equal = chip.add_parser("equivalents", help=say("what can stand in for a chip, and what each gives up"))
    equal.add_argument("type")
    equal.add_argument("--clock", help=say("clock of the board, such as 4MHz: is it fast enough?"))
    for parser in (check, show, listing, finding, adding, equal):
        parser.add_argument("--store", type=Path, help=say("store folder (default: the user's data folder)"))
        parser.add_argument("--json", action="store_true")


def _swap_parser(commands: "argparse._SubParsersAction[_Parser]") -> None:
    swap = commands.add_parser("swap", help=say("exchanges of parts")).add_subparsers(dest="action", required=True)
    solve = swap.add_parser(
        "solve", help=say("which part, place or spare is bad, from a CSV: place, part, place, part, …, outcome")
    )
    solve.add_argument("file", type=Path)
    solve.add_argument("--json", action="store_true")


def _board_parser(commands: "argparse._SubParsersAction[_Parser]") -> None:
    board = commands.add_parser("board", help=say("board definitions")).add_subparsers(dest="action", required=True)
    check = board.add_parser(
        "check", help=say("validate a board folder or zip; every defect with file, line and remedy")
    )
    check.add_argument("folder", type=Path)
    check.add_argument("--json", action="store_true")
    signing = board.add_parser(
        "signatures", help=say("the signature of every net in free run, healthy or with a fault")
    )
    signing.add_argument(
        "--fault",
        action="append",
        default=[],
        metavar="FAULT",
        help=say("such as “U3.6 stuck 0”; an unknown one lists the kinds"),
    )
    shown = board.add_parser("screen", help=say("what one fault does to the picture of a board with a screen"))
    shown.add_argument("--fault", required=True, metavar="FAULT", help=say("such as “U3.6 stuck 0”"))
    shown.add_argument("--out", type=Path, metavar="FILE.png", help=say("the picture healthy and faulty, side by side"))
    shown.add_argument("folder", type=Path)
    shown.add_argument("--images", type=Path, help=say("folder of memory contents named like their sockets"))
    shown.add_argument("--json", action="store_true")
    listing = board.add_parser("dictionary", help=say("what every pin stuck low or high changes in the signatures"))
    for parser in (signing, listing):
        parser.add_argument("folder", type=Path)
        parser.add_argument("--clocks", type=int, default=65_664, help=say("length of the run"))
        parser.add_argument("--register", default="", help=say("of the tester: 0x1021 0xFFFF, or a catalogue name"))
        parser.add_argument("--images", type=Path, help=say("folder of memory contents named like their sockets"))
        parser.add_argument("--json", action="store_true")
    listing.add_argument("--no-cache", action="store_true", help=say("compute it without the one that was kept"))
    judged = board.add_parser("diagnose", help=say("the suspects of a board from a file of lines as they are typed"))
    judged.add_argument("folder", type=Path)
    judged.add_argument("--evidence", type=Path, required=True, metavar="FILE")
    judged.add_argument("--json", action="store_true")


_CALC: dict[str, tuple[str, dict[str, str | None]]] = {
    # action: (help, option → default; None when it must be given, empty when it may be left out)
    "ripple": (say("ripple on a reservoir"), {"current": None, "capacitance": None, "mains": "50Hz",
               "rectifier": "full"}),
    "reservoir": (say("peak and trough behind a rectifier"), {"ac": None, "drop": "0.85V", "rectifier": "bridge",
                  "current": None, "capacitance": None, "mains": "50Hz"}),
    "regulator": (say("headroom, heat and junction of a linear regulator"), {"input": None, "output": None,
                  "dropout": "2V",
                  "current": None, "theta-jc": "", "theta-cs": "", "theta-sa": "", "ambient": "25"}),
    "bridge": (say("four diode-test readings: 0.55,0.56,OL,0.54"), {"readings": None}),
    "crystal": (say("the load capacitance of a crystal against its specification"), {"c1": None, "c2": None,
                "stray": "5p", "load": None}),
    "cell": (say("how long a back-up cell lasts"), {"capacity": None, "current": None, "self-discharge": "0%"}),
    "erase": (say("minutes under an eraser lamp (W/cm² at 253.7 nm)"), {"irradiance": None, "dose": "15"}),
    "divider": (say("frequencies down a divider chain"), {"from": None, "by": None}),
}  # fmt: skip
_RECTIFIERS = {"ripple": ("full", "half"), "reservoir": ("bridge", "centre-tap", "half")}


def _calc_parser(commands: "argparse._SubParsersAction[_Parser]") -> None:
    calc = commands.add_parser("calc", help=say("calculations for the bench")).add_subparsers(
        dest="action", required=True
    )
    starts = calc.add_parser("starts", help=say("what clean starts prove"))
    starts.add_argument("--clean", type=int, required=True, metavar="N")
    starts.add_argument("--failed", type=int, default=0, metavar="K")
    starts.add_argument("--confidence", default="95%")
    starts.add_argument(
        "--target", default="5%", help=say("failure rate to be shown; tells how many starts are needed")
    )
    starts.add_argument("--json", action="store_true")
    for action, (words, fields) in _CALC.items():
        parser = calc.add_parser(action, help=words)
        for name, default in fields.items():
            choices = _RECTIFIERS.get(action) if name == "rectifier" else None
            told = None if default in (None, "") else say("default {default}", default=default).replace("%", "%%")
            parser.add_argument(
                f"--{name}",
                required=default is None,
                default=default or None,
                choices=choices,
                help=told,
            )
        parser.add_argument("--json", action="store_true")


def _rails_parser(commands: "argparse._SubParsersAction[_Parser]") -> None:
    rails = commands.add_parser("rails", help=say("supplies")).add_subparsers(dest="action", required=True)
    check = rails.add_parser("check", help=say("judge supply readings along the chain of a board"))
    check.add_argument("board", type=Path, metavar="BOARD", help=say("board folder or zip"))
    check.add_argument(
        "--readings", type=Path, required=True, metavar="FILE.csv", help=say("columns point,quantity,value")
    )
    check.add_argument(
        "--limits", "--school", choices=("maker", "strict", "clean"), default="maker", help=say("which supply limits")
    )
    check.add_argument("--json", action="store_true")


_STAGES = tuple(stage.word for stage in Stage)


def _job_parser(commands: "argparse._SubParsersAction[_Parser]") -> None:
    job = commands.add_parser("job", help=say("jobs in the store")).add_subparsers(dest="action", required=True)
    new = job.add_parser(
        "new", help=say("open a job"), description=say("A job with boards from folders and parts lists.")
    )
    new.add_argument("title")
    new.add_argument(
        "--board",
        action="append",
        default=[],
        type=Path,
        metavar="FOLDER",
        help=say("a board folder, or the name of a saved board"),
    )
    new.add_argument(
        "--parts", action="append", default=[], type=Path, metavar="FILE", help=say("a parts list: CSV, TSV, xlsx, ods")
    )
    new.add_argument("--owner", default="")
    new.add_argument("--complaint", default="")
    listing = job.add_parser("list", help=say("all jobs"))
    listing.add_argument("--all", action="store_true", help=say("archived, hidden and deleted ones too"))
    show = job.add_parser("show", help=say("the state of a job"))
    suspects = job.add_parser("suspects", help=say("the suspects with their evidence, and what is worth doing next"))
    plan = job.add_parser("plan", help=say("the steps of the repair and the parts they need"))
    plan.add_argument("--compare", action="store_true", help=say("the repair orders side by side, in figures"))
    proof = job.add_parser("proof", help=say("what the starts prove, the checks, and what was not tested"))
    enter = job.add_parser(
        "enter",
        help=say("record lines, as typed in the window"),
        description=say(
            "Each LINE is read as in the window and recorded, or refused with the reason; - reads lines from "
            "standard input. A line that begins with # is a comment. Put -- before lines that begin with a minus. "
            "The exit code is 0 when every line was recorded or noted, 1 when a line was unclear, "
            "2 when one was refused. Nothing of an unclear or refused "
            "line is stored."
        ),
    )
    add = job.add_parser("add", help=say("import files into a job: images, lists, photos, boards"))
    export = job.add_parser("export", help=say("write a job as one archive"))
    taken = job.add_parser("import", help=say("import a job archive"))
    taken.add_argument("archive", type=Path)
    saved = job.add_parser(
        "save-board",
        help=say("save a board of a job as a folder, for the next job of its kind"),
        description=say(
            "The board with everything that was entered, its paths, codes, good readings and the faults found; without "
            "the owner's data. Without --out it goes into the store, where job new --board NAME finds it."
        ),
    )
    saved.add_argument("--board", default="", metavar="B", help=say("the board that is meant"))
    saved.add_argument("--out", type=Path, default=None, metavar="FOLDER", help=say("the folder to write"))
    report = job.add_parser("report", help=say("write the report, PDF or HTML by the ending"))
    trace, kept = _trace_parser(job), _state_parsers(job)
    for parser in (show, suspects, plan, proof, enter, add, export, saved, report, trace, *kept):
        parser.add_argument("job", metavar="JOB", help=say("the id or the title of a job"))
    enter.add_argument("lines", nargs="+", metavar="LINE")
    enter.add_argument("--stage", choices=_STAGES, help=say("the stage at which bare values are understood"))
    enter.add_argument("--dry-run", action="store_true", help=say("show what would be recorded; record nothing"))
    add.add_argument("paths", nargs="+", type=Path, metavar="PATH")
    trace.add_argument("file", type=Path)
    for parser in (enter, add, trace):
        parser.add_argument("--board", default="", metavar="B", help=say("the board that is meant"))
        parser.add_argument("--at", default="", metavar="PLACE", help=say("the part, pin or socket that is picked"))
    for parser in (export, report):
        parser.add_argument("file", type=Path)
    for parser in (
        *(new, listing, show, suspects, plan, proof, enter, add, export, saved, taken, report, trace),
        *kept,
    ):
        parser.add_argument(
            "--store", type=Path, default=None, help=say("store folder (default: the user's data folder)")
        )
        parser.add_argument("--json", action="store_true")


def _state_parsers(job: "argparse._SubParsersAction[_Parser]") -> "list[_Parser]":
    archive = job.add_parser("archive", help=say("put a job away: it stays, and is no longer in the list"))
    hide = job.add_parser("hide", help=say("take a job out of the list"))
    delete = job.add_parser("delete", help=say("delete a job; for thirty days it can be reopened"))
    delete.add_argument("--title", default="", help=say("its title, to confirm"))
    reopen = job.add_parser("reopen", help=say("bring back an archived, hidden or deleted job"))
    return [archive, hide, delete, reopen]


def _store_parser(commands: "argparse._SubParsersAction[_Parser]") -> None:
    store = commands.add_parser("store", help=say("the whole store")).add_subparsers(dest="action", required=True)
    check = store.add_parser("check", help=say("every line and attachment against its hash"))
    rescue = store.add_parser("salvage", help=say("read around damage into a new store"))
    rescue.add_argument("out", type=Path, metavar="OUT", help=say("the folder of the new store"))
    backup = store.add_parser("backup", help=say("copy the store; the copy opens as a store"))
    backup.add_argument(
        "out", type=Path, nargs="?", metavar="OUT", help=say("a new folder (default: among the rotating backups)")
    )
    for parser in (check, rescue, backup):
        parser.add_argument("--store", type=Path, help=say("store folder (default: the user's data folder)"))
        parser.add_argument("--json", action="store_true")


def _trace_parser(job: "argparse._SubParsersAction[_Parser]") -> "_Parser":
    trace = job.add_parser(
        "trace",
        help=say("hold a captured trace against the chip at a place, and keep what it shows"),
        description=say("Channels called like a pin, its number or its net are found; others are given with --map."),
    )
    trace.add_argument("--map", action="append", default=[], metavar="PIN=CHANNEL", help=say("which channel is which"))
    trace.add_argument("--skew", type=int, default=1, help=say("samples by which an edge may come late"))
    return trace


def build_parser() -> argparse.ArgumentParser:
    """The whole command line."""
    parser = _Parser(
        prog="loyal-trace",
        description=say(
            "Repair planning for vintage computer and arcade boards: from the first reading to the report."
        ),
    )
    parser.add_argument("--version", action="version", version=f"loyal-trace {__version__}")
    parser.add_argument("--demo", action="store_true", help=say("open the window with the demo workshop"))
    parser.add_argument("--shot", type=Path, metavar="PNG", help=say("write a picture of the window and exit"))
    parser.add_argument("--stage", default="", help=say("stage to show first (intake, inspect, …)"))
    parser.add_argument("--store", dest="window_store", type=Path, default=None, help=say("store folder of the window"))
    parser.add_argument("--dark", action="store_true", help=say("dark colours"))
    parser.add_argument("archives", nargs="*", type=Path, help=argparse.SUPPRESS)
    return parser


def build_commands() -> argparse.ArgumentParser:
    """The sub-commands."""
    parser = _Parser(
        prog="loyal-trace",
        description=say(
            "Repair planning for vintage computer and arcade boards: from the first reading to the report."
        ),
    )
    parser.add_argument("--version", action="version", version=f"loyal-trace {__version__}")
    commands: argparse._SubParsersAction[_Parser] = parser.add_subparsers(
        dest="command", required=True, parser_class=_Parser
    )
    for add in (
        _roms_parser,
        _chip_parser,
        _swap_parser,
        _board_parser,
        _rails_parser,
        _calc_parser,
        _job_parser,
        _store_parser,
        caps_parser,
        kit_parser,
        drawer_parser,
    ):
        add(commands)
    return parser


def whole_parser() -> argparse.ArgumentParser:
    """Window and commands in one, as the man page and the completions show them."""
    parser = build_commands()
    for action in build_parser()._actions:
        if action.option_strings and not {"-h", "--version"} & set(action.option_strings):
            parser._add_action(action)
    return parser


EXAMPLES = (
    ("loyal-trace --demo", say("open the window with the demo workshop")),
    (
        "loyal-trace roms check dumps/ --checksums set.sha1",
        say("compare every image of a folder with its checksums"),
    ),
    ("loyal-trace chip check 74LS00 1=L 2=P 3=L", say("judge the outputs of a chip from its pins")),
    ('loyal-trace job new "Sound board" --parts parts.csv', say("open a job with a board from a parts list")),
    ("loyal-trace caps check --marked 100u/16V --measured 51u --esr 5", say("judge a measured capacitor")),
    ("loyal-trace kit parts.csv --drawer drawer.csv", say("plan the kit of a recap")),
    (
        'loyal-trace job enter "Sound board" "C1 measures 51u esr 5 at 100kHz"',
        say("record a line, as typed in the window"),
    ),
    ('loyal-trace job report "Sound board" report.pdf', say("write the report for the owner")),
)
_JOB_STATES = ("archive", "hide", "delete", "reopen")
COMMANDS = ("roms", "chip", "swap", "board", "rails", "calc", "job", "store", "caps", "kit", "drawer")


def main(arguments: Sequence[str] | None = None) -> int:
    """Runs the command line; returns the exit code."""
    given = list(sys.argv[1:] if arguments is None else arguments)
    use(language_of())
    try:
        if given and given[0] in COMMANDS:
            return _run(build_commands().parse_args(given))
        if given in (["--help"], ["-h"]):
            return _help()
        return _window(build_parser().parse_args(given))
    except LoyalTraceError as error:
        tell(f"loyal-trace: {' '.join(shown(str(error)).split())}", error=True)
        return 2
    except BrokenPipeError:
        return 0
    except OSError as error:
        tell(
            f"loyal-trace: {error.filename or 'file'}: {error.strerror}",
            error=True,
        )
        return 2


def _help() -> int:
    build_parser().print_help()
    tell(say("\ncommands (each has --help):"))
    tell("  roms check|slots|identify|repair|vote|signature|learn-signature|convert|substitutes|labels")
    tell("  chip check|show|list|find|add|equivalents   swap solve   rails check")
    tell("  board check|signatures|dictionary|screen|diagnose")
    tell("  calc starts|ripple|reservoir|regulator|bridge|crystal|cell|erase|divider")
    tell("  job new|list|show|enter|add|trace|suspects|plan|proof|export|import|report")
    tell("  job archive|hide|delete|reopen   store check|salvage|backup")
    tell("  caps check|fit|age   kit   drawer list|add|import|state")
    tell(say("\nexamples:"))
    for example, words in EXAMPLES:
        tell(f"  {example}\n      {shown(words)}")
    return 0


# Which module has a command, where it is not `commands`: by command and action, else by command alone.
_MODULES = {
    "store": "store",
    **{f"job {action}": "store" for action in _JOB_STATES},
    "job": "jobs",
    "swap": "chips",
    **{f"chip {action}": "chips" for action in ("find", "add", "equivalents")},
    "board check": "commands",
    "board": "boards",
    "rails": "rails",
    "calc": "calc",
    "caps": "capacitors",
    "kit": "kit",
    "drawer": "kit",
    "roms check": "commands",
    **{f"roms {action}": "rom_sets" for action in ("slots", "identify", "substitutes", "labels")},
    "roms": "roms",
}
_WITH_RUN = ("calc", "kit", "rom_sets", "roms")


def _run(options: argparse.Namespace) -> int:
    action = getattr(options, "action", "")
    name = _MODULES.get(f"{options.command} {action}", _MODULES.get(options.command, "commands"))
    module = import_module(f"loyal_trace.cli.{name}")  # only what this command needs
    function = "run" if name in _WITH_RUN else f"{options.command}_{action.replace('-', '_')}"
    return int(getattr(module, function)(options))


def _window(options: argparse.Namespace) -> int:
    for path in options.archives:
        if not path.exists():
            tell(say("loyal-trace: “{path}” is not a command or file", path=path), error=True)
            return 2
    from loyal_trace.ui.main import WindowOptions, run_window

    return run_window(
        WindowOptions(
            demo=options.demo,
            shot=options.shot,
            stage=options.stage,
            store=options.window_store,
            dark=options.dark,
            files=tuple(options.archives),
        )
    )
