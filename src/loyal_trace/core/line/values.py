"""Values as they are typed: 4.87V, 12k, 6,800u, 12%, OL. What can mean two things gives both."""

import math
import re
from decimal import Decimal

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.units import parse_quantity, two_meanings, typed_quantity

NUMBER = r"[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)"
VALUE = rf"(?:{NUMBER}(?:[eE][+-]?\d+)?\s?[pPnNuUµμmkKMG]?|\d+[pPnNuUµμmRkKMGVv]\d+)"
UNIT = r"(?:[vV]|[aA]|[fF]|[hH]|[hH][zZ]|[wW]|[oO][hH][mM][sS]?|Ω|°?C)"
_UNIT_OF = {"hz": "Hz", "ohm": "Ω", "ohms": "Ω", "ω": "Ω"}
_BOUNDS = {
    Quantity.VOLTAGE: (-60_000.0, 60_000.0),
    Quantity.AC_VOLTAGE: (0.0, 60_000.0),
    Quantity.RIPPLE: (0.0, 1000.0),
    Quantity.RESISTANCE: (0.0, 1e12),
    Quantity.TO_GROUND: (0.0, 1e12),
    Quantity.TO_GROUND_REVERSED: (0.0, 1e12),
    Quantity.TRACK: (0.0, 1e6),
    Quantity.CONTINUITY: (0.0, 1e12),
    Quantity.DIODE: (0.0, 100.0),
    Quantity.FREQUENCY: (0.0, 1e11),
    Quantity.RIPPLE_FREQUENCY: (0.0, 1e6),
    Quantity.CAPACITANCE: (1e-14, 10.0),
    Quantity.ESR: (0.0, 1e7),
    Quantity.LOSS: (0.0, 10.0),
    Quantity.TAN_DELTA: (0.0, 100.0),
    Quantity.LEAKAGE: (0.0, 10.0),
    Quantity.INDUCTANCE: (1e-12, 1e4),
    Quantity.TEMPERATURE: (-90.0, 600.0),
    Quantity.CURRENT: (-500.0, 500.0),
    Quantity.RATING: (1e-6, 1000.0),
    Quantity.RESET_TIME: (0.0, 1e4),
    Quantity.RESET_PULSES: (0.0, 1e8),
}


def possible(quantity: Quantity, value: float) -> bool:
    """Can a reading of that quantity be that number at all? OL (infinity) can, where a meter shows it."""
    low, high = _BOUNDS[quantity]
    if math.isinf(value):
        return quantity in (Quantity.DIODE, Quantity.CONTINUITY) or quantity.unit == "Ω"
    return low <= value <= high


def unit_of(text: str) -> str:
    """The unit that ends a typed value, in its usual spelling; empty when it names none."""
    match = re.search(rf"({UNIT})$", text.strip())
    if match is None or (match[1] in ("C", "°C") and "°" not in match[1]):
        return ""
    return _UNIT_OF.get(match[1].lower(), match[1].upper())


def spellings(text: str) -> tuple[str, ...]:
    """The text, or both of what a comma before three digits can mean."""
    return two_meanings(text) or (text,)


def read_values(text: str, unit: str) -> list[float]:
    """Every number that the text can mean, in SI units: none when it is no value in that unit. `OL` is infinity."""
    body = text.strip()
    if body.upper() == "OL":
        return [math.inf]
    body = re.sub(r"\s*[oO][hH][mM][sS]?$", "Ω", body)
    found = []
    for spelling in spellings(body):
        try:
            value = parse_quantity(spelling, unit)
        except RequestError:
            return []
        if value not in found:
            found.append(value)
    return found


def typed_value(value: float, quantity: Quantity) -> str:
    """A reading as it can be typed again."""
    if math.isinf(value):
        return "OL"
    if quantity is Quantity.LOSS:
        return percent(value)
    unit = {"Ω": " ohm", "F": "", "°C": "°C"}.get(quantity.unit, quantity.unit)
    if quantity.unit in ("Ω", "°C") and 1e-3 <= abs(value) < 1:
        return f"{Decimal(repr(value)).normalize():f}{unit}"
    return typed_quantity(value, quantity.unit).removesuffix(quantity.unit) + unit


def percent(share: float) -> str:
    """A share as it can be typed again."""
    # Nine places take away what binary fractions add (0.07 × 100); no prefix, since 500m% is no way to write it.
    return f"{Decimal(repr(round(share * 100, 9))).normalize():f}%"
