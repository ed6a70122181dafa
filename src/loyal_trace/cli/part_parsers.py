"""The options of `caps`, `kit` and `drawer`."""

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from loyal_trace.core.vocabulary.phrases import say

if TYPE_CHECKING:
    Commands = argparse._SubParsersAction[Any]


def caps_parser(commands: "Commands") -> None:
    """`caps check`, `caps fit`, `caps age`."""
    caps = commands.add_parser("caps", help=say("capacitors: measured ones, substitutes, age"))
    actions = caps.add_subparsers(dest="action", required=True)
    check = actions.add_parser("check", help=say("judge a measured capacitor, from any mix of readings"))
    check.add_argument(
        "--marked",
        required=True,
        help=say("as printed, such as 100u/16V, with tantalum, film, low ESR, BP …"),
    )
    check.add_argument("--measured", metavar="CAPACITANCE", help="51u")
    check.add_argument("--esr", metavar="OHM")
    check.add_argument("--loss", metavar="PERCENT", help=say("voltage lost after a charging pulse"))
    check.add_argument("--leakage", metavar="AMPERE", help=say("at the rated voltage"))
    check.add_argument("--tan-delta", metavar="NUMBER")
    check.add_argument("--resistance", metavar="OHM", help=say("direct current, out of circuit; OL for none"))
    check.add_argument("--frequency", metavar="HERTZ", help=say("of the meter (default: 100 kHz, and said so)"))
    check.add_argument("--temperature", metavar="CELSIUS", help=say("of the part, when it is not about 20 °C"))
    check.add_argument("--in-circuit", action="store_true", help=say("measured on the board"))
    check.add_argument("--parallel", metavar="CAPACITANCE", help=say("what lies in parallel on the board"))
    fit = actions.add_parser("fit", help=say("may another capacitor take its place?"))
    fit.add_argument("--marked", required=True, help=say("what is fitted, such as 100u/16V radial pitch 5"))
    fit.add_argument("--role", default="", help=say("bulk, reservoir, decoupling, coupling, timing, reset, filter …"))
    fit.add_argument("--candidate", required=True, help=say("what could go in, such as 150u/25V 105C 8x11 pitch 3.5"))
    fit.add_argument("--volts", help=say("direct voltage across it, if known"))
    fit.add_argument("--current", help=say("load of a reservoir"))
    fit.add_argument("--room-diameter", metavar="MM")
    fit.add_argument("--room-height", metavar="MM")
    fit.add_argument("--hot", action="store_true", help=say("beside a part that runs hot"))
    age = actions.add_parser("age", help=say("how much of its life an electrolytic has behind it (ten-kelvin rule)"))
    age.add_argument("--marked", default="", help=say("as printed, such as 100u/16V 105C 2000h"))
    age.add_argument("--rated-hours", default="")
    age.add_argument("--rated-temperature")
    age.add_argument("--hours", default="0", help=say("hours in use"))
    age.add_argument("--temperature", default="45", help=say("°C in use (default 45)"))
    age.add_argument("--years", default="0", help=say("years on the shelf"))
    age.add_argument("--shelf", default="20", help=say("°C on the shelf (default 20)"))
    for parser in (check, fit, age):
        parser.add_argument("--json", action="store_true")


def kit_parser(commands: "Commands") -> None:
    """`kit`."""
    kit = commands.add_parser(
        "kit",
        help=say("the kit of capacitors: groups, what the drawer serves, what to buy"),
        description=say("Of a job, or of the parts list of a board. Stock is matched to all places at once."),
    )
    kit.add_argument(
        "of", nargs="+", metavar="JOB|PARTS.csv", help=say("job, parts list or board folder; several give one order")
    )
    kit.add_argument("--drawer", type=Path, metavar="FILE", help=say("the drawer (default: that of the store)"))
    kit.add_argument("--offers", type=Path, metavar="FILE", help=say("what shops offer: shop, number, price, days …"))
    kit.add_argument("--hour-rate", default="0", help=say("what an hour is worth, counted for each order"))
    kit.add_argument(
        "--class",
        dest="choice",
        default="",
        help=say("which capacitors: electrolytics, tantalums, capacitors, or what is bad"),
    )
    kit.add_argument("--board", default="", metavar="B", help=say("of this board only"))
    kit.add_argument("--from", dest="least", default="", metavar="CAPACITANCE", help=say("this value or more"))
    kit.add_argument("--to", dest="most", default="", metavar="CAPACITANCE", help=say("this value or less"))
    kit.add_argument("--check", type=Path, metavar="FILE", help=say("a bought kit’s list against the board"))
    kit.add_argument("--store", type=Path, help=say("store folder (default: the user's data folder)"))
    kit.add_argument("--json", action="store_true")


def drawer_parser(commands: "Commands") -> None:
    """`drawer list`, `drawer add`, `drawer import`."""
    drawer = commands.add_parser("drawer", help=say("the spare parts of the workshop"))
    actions = drawer.add_subparsers(dest="action", required=True)
    listing = actions.add_parser("list", help=say("everything in the drawer, with its state"))
    adding = actions.add_parser("add", help=say("one line: 3x 74LS166 in tray 3, untested"))
    adding.add_argument("words", nargs="+", metavar="WORDS")
    taking = actions.add_parser("import", help=say("add the items of a CSV list; the same item is counted together"))
    taking.add_argument("file", type=Path)
    state = actions.add_parser("state", help=say("what an item is: untested, good, bad, reserved, borrowed"))
    state.add_argument("number")
    state.add_argument("state", choices=("untested", "good", "bad", "reserved", "borrowed"))
    state.add_argument("--place", default="", help=say("where it lies, when there are several"))
    state.add_argument("--for", dest="keeper", default="", help=say("for whom it is reserved, to whom it is lent"))
    for parser in (listing, adding, taking, state):
        parser.add_argument("--store", type=Path, help=say("store folder (default: the user's data folder)"))
        parser.add_argument("--json", action="store_true")
