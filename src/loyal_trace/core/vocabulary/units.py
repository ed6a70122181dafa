"""Engineering notation in and out: `4k7`, `2R2`, `4,7k`, `100n`, `0µ1`, `1.4V`, `32.768kHz`.

All quantities are floats in SI base units. Letters follow IEC 60062 (the letter may stand where the point would).
"""

import math
import re
from decimal import Decimal

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import figure, say, say_count

_POWER = {
    "p": -12,
    "P": -12,
    "n": -9,
    "N": -9,
    "u": -6,
    "U": -6,
    "µ": -6,
    "μ": -6,
    "m": -3,
    "": 0,
    "R": 0,
    "r": 0,
    "k": 3,
    "K": 3,
    "M": 6,
    "G": 9,
    "V": 0,
    "v": 0,
}
# As people write them, in whatever case; a second is not told from a siemens by its own.
_UNITS = {
    "hz": "Hz",
    "ω": "Ω",
    "ohm": "Ω",
    "ah": "Ah",
    "k/w": "K/W",
    "°c": "°C",
    "v": "V",
    "a": "A",
    "f": "F",
    "w": "W",
}
_PLAIN = re.compile(r"([+-]?)(\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE]([+-]?\d+))?\s*([pPnNuUµμmRrkKMG]?)")
_INFIX = re.compile(r"([+-]?)(\d+)([pPnNuUµμmRrkKMGVv])(\d+)")
_PREFIXES = (
    (1e9, "G"),
    (1e6, "M"),
    (1e3, "k"),
    (1.0, ""),
    (1e-3, "m"),
    (1e-6, "µ"),
    (1e-9, "n"),
    (1e-12, "p"),
)


_TWO_MEANINGS = re.compile(r"([+-]?[1-9]\d{0,2}),(\d{3}(?!\d).*)", re.DOTALL)


def two_meanings(text: str) -> tuple[str, str] | None:
    """(small, large) where the comma of a number can be decimal or between thousands: `6,800u` is 6.800u or 6800u.

    None where it can only be one.
    """
    found = _TWO_MEANINGS.fullmatch(text.strip())
    return (f"{found[1]}.{found[2]}", f"{found[1]}{found[2]}") if found else None


def parse_quantity(text: str, unit: str = "") -> float:
    """The number meant by `text`, in SI base units.

    `unit` is the one expected (`"V"`, `"F"`, …); it may be left out in the text, but another one is refused.
    `4k7` and `4,7k` are both 4700; a comma is a decimal comma. Raises RequestError with the text that failed.
    """
    body, found = _split_unit(text.strip())
    if found and unit and found != _UNITS.get(unit.lower(), unit):
        raise RequestError(
            say("“{text}” is in {found}, but a value in {unit} is expected", text=text, found=found, unit=unit)
        )
    infix = _INFIX.fullmatch(body)
    if infix:
        sign, whole, letter, fraction = infix.groups()
        return _finite(float(f"{sign}{whole}.{fraction}e{_POWER[letter]}"), text)
    plain = _PLAIN.fullmatch(body)
    if not plain:
        raise RequestError(say("“{text}” is not a number with a unit (write 4k7, 100n or 4.62 V)", text=text))
    sign, digits, exponent, letter = plain.groups()
    return _finite(float(f"{sign}{digits.replace(',', '.')}e{int(exponent or 0) + _POWER[letter]}"), text)


def _finite(value: float, text: str) -> float:
    if not math.isfinite(value):
        raise RequestError(say("“{text}” is too large to be a reading", text=text))
    return value


def parse_reading(text: str, unit: str = "") -> float:
    """What a meter shows, as typed: `OL` is infinity, anything else a quantity; RequestError as `parse_quantity`."""
    return math.inf if text.strip().upper() == "OL" else parse_quantity(text, unit)


def _split_unit(text: str) -> tuple[str, str]:
    if text.endswith("s"):
        return text[:-1].rstrip(), "s"
    if text.endswith("mhz"):
        return f"{text[:-3]}M", "Hz"  # nobody who writes hertz so means a thousandth of one
    lower = text.lower()
    for ending, unit in _UNITS.items():
        if lower.endswith(ending):
            return text[: -len(ending)].rstrip(), unit
    return text, ""


def marked_quantity(value: float, unit: str) -> str:
    """A nominal value as it is printed on parts, without noughts behind the point: 10 µF, 4.7 kΩ, 8 MHz."""
    for digits in (1, 2, 3):
        if math.isclose(float(f"{value:.{digits}g}"), value, rel_tol=1e-4):
            return format_quantity(value, unit, digits)
    return format_quantity(value, unit)


def format_quantity(value: float, unit: str, digits: int = 3) -> str:
    """`value` with an SI prefix and its unit, `digits` significant figures: 4.62 V, 3.30 kΩ, 100 nF, 6800 µF.

    Capacitors are spoken of in µF at most, never in mF.
    """
    if math.isinf(value):
        return "OL"
    if value == 0:
        return f"0 {unit}".rstrip()
    rounded = float(f"{value:.{digits}g}")
    usual = _PREFIXES[5:] if unit == "F" else _PREFIXES
    size, prefix = next(((s, p) for s, p in usual if abs(rounded) >= s), _PREFIXES[-1])
    scaled = rounded / size
    decimals = max(0, digits - 1 - math.floor(math.log10(abs(scaled)) + 1e-12))
    shown, sign = figure(scaled, f".{decimals}f"), f"{prefix}{unit}"
    return say("{shown} {sign}", shown=shown, sign=sign) if sign else shown


def format_percent(fraction: float) -> str:
    """A share as people write it: 71 %, 0.4 %, and never a false 0 % or 100 %."""
    percent = 100 * fraction
    if 0 < percent < 0.1:
        return say("< {percent:.1f} %", percent=0.1)
    if 99.9 < percent < 100:
        return say("> {percent:.1f} %", percent=99.9)
    if 0 < percent < 1 or 99 < percent < 100:
        return say("{percent:.1f} %", percent=percent)
    return say("{percent:.0f} %", percent=percent)


def count_of(number: int, one: str, many: str = "") -> str:
    """`1 pin`, `3 pins`: a count with its noun in the right number."""
    return say_count(number, f"{{count:,}} {one}", f"{{count:,}} {many or one + 's'}")


def format_duration(seconds: float) -> str:
    """A pause as people say it: 45 s, 10 min, 3 h, 2 days."""
    for size, name in ((86400.0, "day"), (3600.0, "h"), (60.0, "min")):
        if seconds >= size * 1.5 or (seconds >= size and name != "day" and seconds % size == 0):
            count = figure(seconds / size, ".3g")
            return say("{count} days", count=count) if name == "day" else say("{count} {name}", count=count, name=name)
    return say("{seconds:.3g} s", seconds=seconds)


_TYPED = ((9, "G"), (6, "M"), (3, "k"), (0, ""), (-3, "m"), (-6, "u"), (-9, "n"), (-12, "p"))


def typed_quantity(value: float, unit: str = "") -> str:
    """The value as it can be typed, exactly: `parse_quantity` gives the same number back (51u, 4.87V, 12k)."""
    exact = Decimal(repr(value))
    size = exact.adjusted() if exact else 0
    power, prefix = next(((p, letter) for p, letter in _TYPED if size >= p), _TYPED[-1])
    if unit == "F" and power == -3:  # capacitors are spoken of in µF at most
        power, prefix = -6, "u"
    if unit == "%":
        power, prefix = 0, ""
    return f"{exact.scaleb(-power).normalize():f}{prefix}{unit}"
