"""Writes docs/line.md from the forms themselves: `python scripts/line_doc.py`. A test holds the two together."""

from itertools import groupby
from pathlib import Path

from loyal_trace.app.presenters.sayable import sayable

FILE = Path(__file__).resolve().parent.parent / "docs" / "line.md"
HEAD = """# What can be said in the line

One grammar for every stage of the window and for `loyal-trace job enter`. This page is written by
`scripts/line_doc.py` from the forms in `core/line/forms`; F1 and Ctrl+K show the same list, and a click there
puts an example into the line.

**What is typed is what is recorded.** A form matches the whole line or not at all; everything else is a note,
and the strip above the line says before Enter what will be recorded, on which board and part, which word was
not understood, or which of two readings is meant (the arrow keys choose). Nothing is guessed: what has two
meanings is asked, and what cannot be (a pin that the part has not, a capacitor exchanged with a chip) is
refused with the reason.

- Places: `5D`, with its board `TW-VID 5D`, a pin `5D.13` or `5D-13`, a named pin `U9.RESET`. Lists `5D, 5A`;
  `C1-C20` counts designators, `1A-5F` is a rectangle of the grid. A place must be there; only facts make new
  ones, and the strip says so.
- Values: `4.87V`, `4,87V`, `4k7`, `51u`, `OL`. A comma before exactly three digits, as in `6,800u`, is asked.
  Units and prefixes may be typed in capitals or small (`100UF`, `4.87v`, `8mhz`), but M is mega and m is milli.
- A verb may stand first: `replaced 5D with 74LS166`, `removed C1, C2`, `reseated 5D`, `reflowed 5D`. A colon may
  stand after a place: `5D.13: 4.87V`, `C1: leaking`. So may the word pin (`5D pin 13 low`, `pin 13 of 5D low`), the
  value first (`4.87V at 5D.13`), and a unit in full (`5D.13 4.87 volts`).
- A capacitor is described as on its sleeve, wherever one is named: `10u 16V tantalum`, `100u 25V 105C low ESR 8x11
  pitch 5`, `22u 50V bipolar axial`; a resistor with its tolerance and wattage: `4k7 5% 0.25W`.
- Free words come after ` -- ` and become the note of the same entry; a line that begins with `--` is a note at
  once.
- Bare values (`L`, `4.87V`, `12k`) are data only where the stage asks for a point, shown in large type beside
  the line.
- Ctrl+Z undoes what the last Enter, key or click recorded, as one; Ctrl+Shift+Z records it again.
- The pad (F8) is the other way in: one key an item at Intake, Inspect, Probe and Verify, each shown on its cap.

On the command line: `loyal-trace job enter JOB LINE... [--stage S] [--board B] [--at PLACE] [--dry-run]
[--json]`, `-` for lines from standard input, `#` at the start of a line for a comment, `--` before lines that
begin with a minus. Exit 0 when everything was recorded or noted, 1 when a line was unclear, 2 when one was
refused; of those nothing is stored.

"""


def document() -> str:
    """The whole page."""
    pieces = [HEAD.rstrip()]
    for stage, forms in groupby(sayable(), key=lambda one: one.stage):
        pieces += ["", f"## {stage.title}", "", "| type | it records |", "|---|---|"]
        for words, same in groupby(forms, key=lambda one: one.words):
            examples = " · ".join(f"`{one.example.replace('|', '¦')}`" for one in same)
            pieces.append(f"| {examples} | {words} |")
    return "\n".join(pieces) + "\n"


if __name__ == "__main__":
    FILE.write_text(document(), encoding="utf-8")
