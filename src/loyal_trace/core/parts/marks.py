"""A marking as it was understood, and the value and rating that are printed on a capacitor."""

import re
from dataclasses import dataclass

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.units import parse_quantity, typed_quantity

_VALUE = r"[\d.,]+\s*[pnuµμm]?F?|\d+[pnuµμ]\d+"
_CAPACITOR = re.compile(rf"({_VALUE})(?:\s*[/ ]\s*(\d+(?:[.,]\d+)?)\s*V)?(\s+BP|\s+NP)?", re.IGNORECASE)
_CODE = re.compile(r"(\d\d)(\d)")
_ELECTROLYTIC_FROM = 1e-6


@dataclass(frozen=True)
class Marking:
    """What a marking says: the number as printed, the kind of part, and value (SI units) and rating (volt) if any.

    Of a capacitor that was described, its size too (mm).
    """

    number: str
    kind: str
    value: float | None = None
    voltage: float | None = None
    technology: str = ""
    polarised: bool | None = None
    diameter: float | None = None
    height: float | None = None
    pitch: float | None = None


def capacitor_marking(text: str) -> Marking | None:
    """`6800u 25V`, `100u/16V`, `100n`, `104`; None when it is none. Bipolar ones are marked BP or NP."""
    match = _CAPACITOR.fullmatch(text)
    if match is None:
        return None
    body, volts, bipolar = match.groups()
    try:
        value = _code(body) or parse_quantity(body, "F")
        voltage = parse_quantity(volts) if volts else None
    except RequestError:
        return None
    if not 1e-13 <= value <= 1.0:
        return None
    electrolytic = value >= _ELECTROLYTIC_FROM
    volts_told = f" {typed_quantity(voltage)}V" if voltage else ""
    # As it stands on parts lists and drawers, so that what goes in is counted out of the drawer it came from.
    told = f"{typed_quantity(value, 'F').removesuffix('F')}{volts_told}{' BP' if bipolar else ''}"
    return Marking(told, "capacitor", value, voltage, "aluminium" if electrolytic else "", electrolytic and not bipolar)


def _code(body: str) -> float | None:
    """The three-digit code of small capacitors: 104 is 10 and four noughts picofarad (IEC 60062)."""
    match = _CODE.fullmatch(body.strip())
    return int(match[1]) * 10 ** int(match[2]) * 1e-12 if match else None
