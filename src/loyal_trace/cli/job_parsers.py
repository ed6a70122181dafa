"""The parsers of `job` and `store`."""

import argparse
from pathlib import Path

from loyal_trace.cli.parsing import Parser
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.stages import Stage

_STAGES = tuple(stage.word for stage in Stage)


def job_parser(commands: "argparse._SubParsersAction[Parser]") -> None:
    job = commands.add_parser("job", help=say("jobs in the store")).add_subparsers(dest="action", required=True)
    new = _new_parser(job)
    listing = job.add_parser("list", help=say("all jobs"))
    listing.add_argument("--all", action="store_true", help=say("archived, hidden and deleted ones too"))
    show = job.add_parser("show", help=say("the state of a job"))
    suspects = job.add_parser("suspects", help=say("the suspects with their evidence, and what is worth doing next"))
    plan = job.add_parser("plan", help=say("the steps of the repair and the parts they need"))
    plan.add_argument("--compare", action="store_true", help=say("the repair orders side by side, in figures"))
    proof = job.add_parser("proof", help=say("what the starts prove, the checks, and what was not tested"))
    enter = _enter_parser(job)
    add = job.add_parser("add", help=say("import files into a job: images, lists, photos, boards"))
    export = job.add_parser("export", help=say("write a job as one archive"))
    taken = job.add_parser("import", help=say("import a job archive"))
    taken.add_argument("archive", type=Path)
    saved = _board_saving_parser(job)
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


def _state_parsers(job: "argparse._SubParsersAction[Parser]") -> "list[Parser]":
    archive = job.add_parser("archive", help=say("put a job away: it stays, and is no longer in the list"))
    hide = job.add_parser("hide", help=say("take a job out of the list"))
    delete = job.add_parser("delete", help=say("delete a job; for thirty days it can be reopened"))
    delete.add_argument("--title", default="", help=say("its title, to confirm"))
    reopen = job.add_parser("reopen", help=say("bring back an archived, hidden or deleted job"))
    return [archive, hide, delete, reopen]


def store_parser(commands: "argparse._SubParsersAction[Parser]") -> None:
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


def _trace_parser(job: "argparse._SubParsersAction[Parser]") -> "Parser":
    trace = job.add_parser(
        "trace",
        help=say("hold a captured trace against the chip at a place, and keep what it shows"),
        description=say("Channels called like a pin, its number or its net are found; others are given with --map."),
    )
    trace.add_argument("--map", action="append", default=[], metavar="PIN=CHANNEL", help=say("which channel is which"))
    trace.add_argument("--skew", type=int, default=1, help=say("samples by which an edge may come late"))
    return trace


def _new_parser(job: "argparse._SubParsersAction[Parser]") -> Parser:
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
    return new


def _enter_parser(job: "argparse._SubParsersAction[Parser]") -> Parser:
    return job.add_parser(
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


def _board_saving_parser(job: "argparse._SubParsersAction[Parser]") -> Parser:
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
    return saved
