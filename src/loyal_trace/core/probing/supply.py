"""The supply pins of a chip as read: without them nothing else can be judged."""

from collections.abc import Mapping

from loyal_trace.core.chips.levels import Family
from loyal_trace.core.chips.model import ChipType, Pin
from loyal_trace.core.probing.states import NOT_PROBED, PinReading
from loyal_trace.core.vocabulary.phrases import say

# The lower limit of 5 V logic (recommended operating conditions): below it levels and margins mean less.
_RECOMMENDED = 4.75
_GROUND = 0.3


def judge_supply(chip: ChipType, readings: Mapping[int, PinReading]) -> tuple[str, bool]:
    """(what is wrong with a supply or ground pin that was read, whether nothing else can be judged then)."""
    doubtful = ""
    for pin in chip.pins:
        reading = readings.get(pin.number, NOT_PROBED)
        if pin.role == "ground" and (reading.state in "HPZ" or abs(reading.voltage or 0.0) > _GROUND):
            return say("{pin} reads {reading}: no good ground", pin=_named(pin), reading=reading.words), True
        if pin.role != "power" or not _is_logic_supply(pin, chip.family) or reading.state == "?":
            continue
        words, wrong = _power(pin, reading, chip.family)
        if wrong:
            return words, True
        doubtful = doubtful or words
    return doubtful, False


def _is_logic_supply(pin: Pin, family: Family) -> bool:
    """VDD of NMOS memories and processors is 12 V; analogue parts have the supplies that they have."""
    return family.name not in ("ANALOGUE", "DRIVER") and pin.name == ("VDD" if family.name == "4000" else "VCC")


def _power(pin: Pin, reading: PinReading, family: Family) -> tuple[str, bool]:
    if reading.voltage is None:
        if reading.state == "H":
            return "", False
        return say("{pin} is {reading}: the chip has no supply", pin=_named(pin), reading=reading.words), True
    volts = {"pin": _named(pin), "voltage": reading.voltage}
    if reading.voltage < family.supply_low:
        return say("{pin} is at {voltage:.2f} V: too little to work", **volts), True
    if reading.voltage > family.supply_high:
        return say("{pin} is at {voltage:.2f} V: more than the chip stands", **volts), True
    if family.supply_low == Family.supply_low and reading.voltage < _RECOMMENDED:
        return say("{pin} is at {voltage:.2f} V: below 4.75 V levels are uncertain", **volts), False
    return "", False


def _named(pin: Pin) -> str:
    return say("pin {pin_number} ({pin})", pin_number=pin.number, pin=pin.name)
