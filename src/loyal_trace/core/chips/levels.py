"""Logic levels by family: what a voltage means to an input, and what a healthy output delivers.

Limits are volts at Vcc = 5 V, from the recommended operating conditions of the usual data sheets of each class:
TTL and its Schottky kin (VIL 0.8, VIH 2.0, VOL 0.5, VOH 2.4/2.7), 5 V CMOS (0.3/0.7 Vcc), CMOS with TTL inputs.
"""

from dataclasses import dataclass
from typing import Any

from loyal_trace.core.vocabulary.phrases import say


@dataclass(frozen=True)
class Family:
    """Input limits (volt), output limits (volt), whether an open input acts as a high, and the supply it works from.

    A supply outside `supply_low` to `supply_high` (volt, absolute limits of the usual data sheets rounded) proves that
    nothing else read at the chip can be judged.
    """

    name: str
    input_low: float
    input_high: float
    output_low: float
    output_high: float
    open_input_is_high: bool
    typical_current: float = 0.004
    supply_low: float = 4.5
    supply_high: float = 5.5


_TTL: dict[str, Any] = {"input_low": 0.8, "input_high": 2.0, "output_low": 0.5, "open_input_is_high": True}

FAMILIES = {
    "TTL": Family("TTL", output_high=2.4, typical_current=0.012, **_TTL),
    "LS": Family("LS", output_high=2.7, **_TTL),
    "ALS": Family("ALS", output_high=2.7, typical_current=0.002, **_TTL),
    "S": Family("S", output_high=2.7, typical_current=0.020, **_TTL),
    "AS": Family("AS", output_high=2.7, typical_current=0.010, **_TTL),
    "F": Family("F", output_high=2.7, typical_current=0.010, **_TTL),
    "L": Family("L", output_high=2.4, typical_current=0.001, **_TTL),
    "HC": Family("HC", 1.5, 3.5, 0.4, 4.0, False, 0.0001, 2.0, 6.5),
    "AC": Family("AC", 1.5, 3.5, 0.4, 4.0, False, 0.0001, 2.0, 6.5),
    "HCT": Family("HCT", 0.8, 2.0, 0.4, 4.0, False, 0.0001),
    "ACT": Family("ACT", 0.8, 2.0, 0.4, 4.0, False, 0.0001),
    # The 4000 series works from 3 to 18 V; its levels are those at 5 V.
    "4000": Family("4000", 1.5, 3.5, 0.5, 4.5, False, 0.0001, 3.0, 18.5),
    # Drivers of lamps and coils: TTL inputs, outputs that other supplies pull up.
    "DRIVER": Family("DRIVER", output_high=2.4, typical_current=0.010, supply_low=0.0, supply_high=100.0, **_TTL),
    "ANALOGUE": Family("ANALOGUE", 0.8, 2.0, 0.5, 2.4, False, 0.003, -40.0, 60.0),
    "NMOS": Family("NMOS", 0.8, 2.0, 0.45, 2.4, False, 0.060),
}


def level_of(voltage: float, family: Family) -> str:
    """What an input of that family makes of a voltage: `L`, `H`, or `X` between the limits."""
    if voltage <= family.input_low:
        return "L"
    return "H" if voltage >= family.input_high else "X"


def output_margin(voltage: float, family: Family) -> str | None:
    """Why a readable level is still not what a healthy output delivers; None when it is."""
    if family.output_low < voltage <= family.input_low:
        return say(
            "{voltage:.2f} V is a weak low: a healthy {family} output stays below {output_low} V",
            voltage=voltage,
            family=family.name,
            output_low=family.output_low,
        )
    if family.input_high <= voltage < family.output_high:
        return say(
            "{voltage:.2f} V is a weak high: a healthy {family} output reaches {output_high} V",
            voltage=voltage,
            family=family.name,
            output_high=family.output_high,
        )
    return None
