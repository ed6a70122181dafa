"""Markings as people type them: `74LS166`, `6800u 25V`, `100u/16V`, `104`, `4k7`, `8MHz`, `2A slow`.

A marking is understood as a whole or not at all.
"""

import math
import re
from dataclasses import replace

from loyal_trace.core.boards.cells import CHEMISTRY_WORDS, chemistry_named
from loyal_trace.core.boards.kinds import UNITS
from loyal_trace.core.boards.model import Part
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.parts.marks import Marking, capacitor_marking
from loyal_trace.core.parts.spec import described_marking
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined
from loyal_trace.core.vocabulary.units import parse_quantity, typed_quantity

_CHIP = re.compile(
    r"[A-Z]{0,3}(?:(?:74|54)[A-Z]{0,3}\d{2,5}|(?:23|25|27|28|29|37|62|61|41|44|82)C?\d{2,5}|4\d{3}|"
    r"1?4[05]\d{2,3}|8\d{3}|6\d{3}|Z\d{2,4})[A-Z]{0,3}(?:-\d+)?"
)
_ANALOGUE = re.compile(
    r"(?:LM|NE|SE|TL|MC|UA|ULN|UDN|TDA|CA|DAC|ADC|OP|SN|AY|YM|MB|UPD|HM|TMS|MM|CD|HEF|TC)-?\d{2,6}"
    r"[A-Z]{0,4}(?:-\d+)?"
)
_GENERIC = re.compile(r"(?:2N|2S[ABCDJK]|BC|BD|BF|TIP|1N|BU|IRF|MJE?|78[LM]?|79[LM]?)\d{2,5}[A-Z]{0,2}")
_LEAST_HERTZ = 1000
_FUSE = re.compile(r"([\d.,]+\s*m?A)(?:\s+(slow|fast|T|F|FF))?", re.IGNORECASE)
_OHMS = re.compile(r"\d+(?:[.,]\d+)?\s*[kM](?:\d+|\s*(?:ohms?|Ω))?|\d+\s*(?:ohms?|Ω)", re.IGNORECASE)
# What a resistor is marked with besides its value: 5 %, 0.25 W, 1/4 W.
WATTS = r"(?:\d+(?:[.,/]\d+)?\s*W)"
_OF_RESISTORS = re.compile(rf"(.+?)((?:\s+(?:±?\d+(?:[.,]\d+)?\s*%|{WATTS}))+)", re.IGNORECASE)
_CHIP_KINDS = ("chip", "amplifier", "transistor", "regulator", "unknown")


def parse_marking(text: str, kind: str, library: ChipLibrary) -> Marking | None:
    """The marking meant by `text` on a part of that kind (as its designator suggests); None when it is none.

    A type that the library or a general series knows says the kind by itself.
    """
    words = joined(" ", text.split())
    number = words.upper()
    # A value goes first on a part that has one: 6800u on a capacitor is no processor of type 6800.
    value = _value_marking(words, kind)
    if value is not None:
        return value
    if library.knows(number) or _CHIP.fullmatch(number) or _ANALOGUE.fullmatch(number):
        return Marking(number, "chip")
    if _GENERIC.fullmatch(number):
        return Marking(number, kind if kind in ("transistor", "diode", "regulator", "bridge") else "transistor")
    return None


def _value_marking(words: str, kind: str) -> Marking | None:
    """A value, with its rating, on a part of a kind that is marked with values."""
    if kind == "capacitor":
        return capacitor_marking(words) or described_marking(words)
    if kind == "fuse":
        return _fuse(words)
    if kind == "cell":
        return _cell(words)
    if kind == "regulator" and _OHMS.fullmatch(words):
        # VR is a regulator on one drawing and a variable resistor on the next: 10k settles it.
        found = _plain_value(words, "resistor")
        return replace(found, kind="control") if found is not None else None
    if kind == "resistor" and (more := _OF_RESISTORS.fullmatch(words)):
        found = _plain_value(more[1], kind)
        return replace(found, number=words) if found is not None else None
    return _plain_value(words, kind) if kind in ("resistor", "network", "crystal", "inductor") else None


def _cell(text: str) -> Marking | None:
    """`NiCd 3.6V`, `lithium`, `CR2032`: the chemistry, as words or by the designation, and the voltage."""
    match = re.fullmatch(r"(.+?)(?:\s+(\d+(?:[.,]\d+)?)\s*V)?", text, re.IGNORECASE)
    chemistry = chemistry_named(match[1]) if match else None
    if match is None or chemistry is None:
        return None
    voltage = float(match[2].replace(",", ".")) if match[2] else None
    plain = re.fullmatch(CHEMISTRY_WORDS, match[1], re.IGNORECASE)
    number = (chemistry.value if plain else match[1].upper()) + (f" {voltage:g}V" if voltage else "")
    return Marking(number, "cell", None, voltage, chemistry.value)


def _fuse(text: str) -> Marking | None:
    match = _FUSE.fullmatch(text)
    if match is None:
        return None
    try:
        value = parse_quantity(match[1].replace(" ", ""), "A")
    except RequestError:
        return None
    return Marking(text, "fuse", value) if 0.01 <= value <= 100 else None


def _plain_value(text: str, kind: str) -> Marking | None:
    try:
        value = parse_quantity(text, UNITS[kind])
    except RequestError:
        return None
    # A crystal of four hertz is a number without its unit.
    return Marking(text, kind, value) if value > (_LEAST_HERTZ if kind == "crystal" else 0) else None


def order_marking(part: Part, library: ChipLibrary) -> str:
    """What to order for a part: its type, or its value with voltage or rating, and what else is written of it.

    Two fuses of 5 A and 8 A that a list calls `fuse` are two things to buy.
    """
    unit = UNITS.get(part.kind)
    written = part.number if part.number.lower() not in ("", "?", part.kind) else ""
    if unit is None or part.value is None or part.kind == "regulator":
        return written or part.number
    marked = parse_marking(written, part.kind, library) if written else None
    if marked is not None and marked.value is not None and math.isclose(marked.value, part.value, rel_tol=0.01):
        return written if part.voltage in (None, marked.voltage) else f"{written} {part.voltage:g}V"
    rating = f"{part.voltage:g}V" if part.voltage is not None else ""
    return joined(" ", (piece for piece in (typed_quantity(part.value, unit), rating, written) if piece))
