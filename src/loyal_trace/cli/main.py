"""Parses the command line and runs one command. Exit 0 all good, 1 findings, 2 bad input (one line on stderr)."""

import argparse
import sys
from collections.abc import Sequence
from importlib import import_module
from pathlib import Path

from loyal_trace import __version__
from loyal_trace.cli.job_parsers import job_parser, store_parser
from loyal_trace.cli.output import tell
from loyal_trace.cli.parsing import Parser
from loyal_trace.cli.part_parsers import caps_parser, drawer_parser, kit_parser
from loyal_trace.cli.rom_parsers import roms_parser
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.language import language_of, shown, use


def _chip_parser(commands: "argparse._SubParsersAction[Parser]") -> None:
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


def _swap_parser(commands: "argparse._SubParsersAction[Parser]") -> None:
    swap = commands.add_parser("swap", help=say("exchanges of parts")).add_subparsers(dest="action", required=True)
    solve = swap.add_parser(
        "solve", help=say("which part, place or spare is bad, from a CSV: place, part, place, part, …, outcome")
    )
    solve.add_argument("file", type=Path)
    solve.add_argument("--json", action="store_true")


def _board_parser(commands: "argparse._SubParsersAction[Parser]") -> None:
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
    "ripple": (
        say("ripple on a reservoir"),
        {"current": None, "capacitance": None, "mains": "50Hz", "rectifier": "full"},
    ),
    "reservoir": (
        say("peak and trough behind a rectifier"),
        {"ac": None, "drop": "0.85V", "rectifier": "bridge", "current": None, "capacitance": None, "mains": "50Hz"},
    ),
    "regulator": (
        say("headroom, heat and junction of a linear regulator"),
        {
            "input": None,
            "output": None,
            "dropout": "2V",
            "current": None,
            "theta-jc": "",
            "theta-cs": "",
            "theta-sa": "",
            "ambient": "25",
        },
    ),
    "bridge": (say("four diode-test readings: 0.55,0.56,OL,0.54"), {"readings": None}),
    "crystal": (
        say("the load capacitance of a crystal against its specification"),
        {"c1": None, "c2": None, "stray": "5p", "load": None},
    ),
    "cell": (say("how long a back-up cell lasts"), {"capacity": None, "current": None, "self-discharge": "0%"}),
    "erase": (say("minutes under an eraser lamp (W/cm² at 253.7 nm)"), {"irradiance": None, "dose": "15"}),
    "divider": (say("frequencies down a divider chain"), {"from": None, "by": None}),
}
_RECTIFIERS = {"ripple": ("full", "half"), "reservoir": ("bridge", "centre-tap", "half")}


def _calc_parser(commands: "argparse._SubParsersAction[Parser]") -> None:
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


def _rails_parser(commands: "argparse._SubParsersAction[Parser]") -> None:
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


def build_parser() -> argparse.ArgumentParser:
    """The whole command line."""
    parser = Parser(
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
    parser = Parser(
        prog="loyal-trace",
        description=say(
            "Repair planning for vintage computer and arcade boards: from the first reading to the report."
        ),
    )
    parser.add_argument("--version", action="version", version=f"loyal-trace {__version__}")
    commands: argparse._SubParsersAction[Parser] = parser.add_subparsers(
        dest="command", required=True, parser_class=Parser
    )
    for add in (
        roms_parser,
        _chip_parser,
        _swap_parser,
        _board_parser,
        _rails_parser,
        _calc_parser,
        job_parser,
        store_parser,
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
    **{f"job {action}": "job_files" for action in ("export", "import", "save-board", "report")},
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
    from loyal_trace.ui.run import run_window
    from loyal_trace.ui.window_options import WindowOptions

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
