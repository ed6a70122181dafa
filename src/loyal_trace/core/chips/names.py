"""Names as they are printed on chips, taken apart: house prefix, family, number, package, speed, date code.

`SN74LS00N`, `HM6116P-3`, `TMS2764JL`, `D2764A-25`, `MC6809EP`: what stands before and after the number differs from
house to house, so nothing is looked up in a list of houses. A prefix is letters, a suffix is letters with a digit or
two behind them, and what is left must be a number that the library knows.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass

_FAMILY = "AHCT|AHC|ALS|AS|LS|ABT|BCT|FCT|LVC|HCT|HCU|HC|ACT|AC|S|F|L|H|C"
_LOGIC = re.compile(rf"([A-Z]{{0,4}})(?:74|54)({_FAMILY}|)(\d{{2,5}})([A-Z]{{0,5}}\d{{0,2}})")
_CMOS = re.compile(r"([A-Z]{0,4}?)(?:(?<=MC)1)?(4\d{3}|40\d{3})(U?B?[A-Z]{0,4}\d?)")
_DATE = re.compile(r"\d{4}|[A-Z]?\d{4}[A-Z]?")
_SPEED = re.compile(r"(.+?)-(\d{1,3}|[A-Z]{0,2}\d{0,3}[A-Z]{0,2}\d{0,2})")
# Letters, also with a digit between them (M5L).
_PREFIX = re.compile(r"[A-Z]{1,4}|[A-Z]\d[A-Z]")
_SUFFIX = re.compile(r"[A-Z]{1,6}\d{0,3}")
# Houses that print their own letters before the common numbers of linear parts.
_LINEAR = re.compile(r"(?:UPC|HA|NJM|JRC|KA|MC|SN|AN|RC|UA|XR|SG|IR|TA|LA|AM|BA)(?:17)?(\d{3,4})[A-Z]{0,3}")
_LINEAR_HOMES = ("LM", "TL", "NE", "MC", "CA", "ULN", "DAC", "ADC")
# The names that families of today's catalogue have in the library.
_SAME_LEVELS = {"H": "TTL", "C": "4000", "HCU": "HC", "AHC": "HC", "AHCT": "HCT", "LVC": "HC", "ABT": "F", "BCT": "F"}
_SAME_LEVELS |= {"FCT": "F"}


@dataclass(frozen=True)
class Printed:
    """One way to read a printed name: the number to look up, the logic family if it says one, and its speed grade."""

    number: str
    family: str = ""
    speed: str = ""


def readings(printed: str) -> Iterator[Printed]:
    """Every way in which a printed name can be meant, the likeliest first; date codes are passed over."""
    words = [word.strip("().,;:").upper() for word in printed.split()]
    kept = [word for word in words if not _DATE.fullmatch(word)] or words
    for word in kept:
        body, speed = _without_speed(word)
        for name in dict.fromkeys((word, body)):
            yield from _logic(name, speed)
            yield from _stripped(name, speed)
            yield from _cmos(name, speed)
            yield from _linear(name)


def _without_speed(word: str) -> tuple[str, str]:
    match = _SPEED.fullmatch(word)
    return (match[1], match[2]) if match else (word, "")


def _logic(name: str, speed: str) -> Iterator[Printed]:
    match = _LOGIC.fullmatch(name)
    if match is None:
        return
    family = _SAME_LEVELS.get(match[2], match[2]) or "TTL"
    number = match[3]
    if len(number) >= 4 and number.startswith("4"):  # 74HC4040: the 4000 series in another family
        yield Printed(number, family, speed)
    yield Printed(f"74{number}", family, speed)


def _cmos(name: str, speed: str) -> Iterator[Printed]:
    match = _CMOS.fullmatch(name)
    if match is not None:
        yield Printed(match[2], "", speed)


def _stripped(name: str, speed: str) -> Iterator[Printed]:
    """The name without more and more of its letters before and after; the least taken away first."""
    fronts = [n for n in range(min(5, len(name) - 2)) if n == 0 or _PREFIX.fullmatch(name[:n])]
    ends = [""] + [name[-n:] for n in range(1, min(8, len(name) - 2)) if _SUFFIX.fullmatch(name[-n:])]
    pairs = sorted(((front, end) for front in fronts for end in ends), key=lambda pair: pair[0] + len(pair[1]))
    for front, end in pairs:
        number = name[front : len(name) - len(end)]
        if sum(letter.isdigit() for letter in number) >= 2:
            yield Printed(number, "", speed)


def _linear(name: str) -> Iterator[Printed]:
    match = _LINEAR.fullmatch(name)
    for home in _LINEAR_HOMES if match is not None else ():
        yield Printed(f"{home}{match[1] if match else ''}")
