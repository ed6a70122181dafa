"""What frequencies say of an output: a divider divides, and no output has more edges than what moves it allows."""

from collections.abc import Mapping

from loyal_trace.core.chips.model import ChipType, Register
from loyal_trace.core.probing.cones import deciding_inputs, names_read
from loyal_trace.core.probing.drives import Drive
from loyal_trace.core.probing.reach import divisions
from loyal_trace.core.probing.states import NOT_PROBED, PinReading
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import format_quantity

# What a bench counter and two readings one after the other may differ by.
_COUNTER = 0.03
Rates = Mapping[str, float | None]


def same_frequency(one: float, other: float) -> bool:
    """Are two counts (hertz) of one thing? They may differ by what a counter errs."""
    return abs(one - other) <= _COUNTER * max(one, other)


def wrong_frequency(cone: ChipType, chip: ChipType, output: str, readings: Mapping[int, PinReading]) -> str:
    """Why an output cannot have the frequency it was read with; empty when it can, or when too little is known.

    `cone` is the part of the chip that decides the output. Every input that moves must have a frequency of its own.
    """
    read = readings[chip.pin(output).number].frequency
    if read is None or output not in cone.output_of or cone.output_of[output].enable is not None:
        return ""
    rates = {name: _rate(chip, name, readings) for name in chip.input_names}
    most = _most(cone, output, rates)
    if most is not None and read > most * (1 + _COUNTER):
        return say(
            "{output} shows {read}, more edges than its clock and inputs allow ({most} at most)",
            output=_named(chip, output),
            read=format_quantity(read, "Hz"),
            most=format_quantity(most, "Hz"),
        )
    return _undivided(cone, chip, output, rates, read, readings)


def _rate(chip: ChipType, name: str, readings: Mapping[int, PinReading]) -> float | None:
    """Hertz of an input; 0 for a steady one, None when it is not known."""
    reading = readings.get(chip.pin(name).number, NOT_PROBED)
    if reading.frequency is not None:
        return reading.frequency
    return 0.0 if reading.state in "LH" and reading.voltage is None else None


def _most(cone: ChipType, output: str, rates: Rates) -> float | None:
    """The highest frequency that an output can have; None when something that moves it is not known."""
    bits = {register.bit: register for register in cone.registers}
    return _sum(cone.output_of[output].value.names, bits, rates, frozenset())


def _sum(names: tuple[str, ...], bits: Mapping[str, Register], rates: Rates, above: frozenset[str]) -> float | None:
    """Each edge of an input makes at most one of the output: frequencies add up."""
    found = [_of_bit(bits[name], bits, rates, above) if name in bits else rates.get(name) for name in names]
    return None if any(one is None for one in found) else sum(one or 0.0 for one in found)


def _of_bit(register: Register, bits: Mapping[str, Register], rates: Rates, above: frozenset[str]) -> float | None:
    """A stored bit changes once an edge of its clock, and when it is forced; a latch when it is open."""
    if register.bit in above:
        return 0.0  # what a latch reads of itself to hold
    inside = above | {register.bit}
    forced = {name for condition, value in register.overrides for name in (*condition.names, *value.names)}
    if register.clock is None:
        return _sum(tuple(sorted(register.reads | forced)), bits, rates, inside)
    clock = _sum(register.clock.names, bits, rates, inside)
    extra = _sum(tuple(sorted(forced)), bits, rates, inside)
    return None if clock is None or extra is None else clock / 2 + extra


def _undivided(
    cone: ChipType, chip: ChipType, output: str, rates: Rates, read: float, readings: Mapping[int, PinReading]
) -> str:
    """What only one input moves has the frequency of that input, or that of a cycle of a counter, and no other."""
    known = {name: int(readings[chip.pin(name).number].state == "H") for name, rate in rates.items() if rate == 0.0}
    deciding = deciding_inputs(cone, known)
    moving = sorted(deciding - set(known))
    hertz = rates.get(moving[0]) if len(moving) == 1 else None
    if hertz is None:
        return ""
    if not cone.registers:
        # The only input that moves and makes a difference is followed, upright or inverted.
        if same_frequency(read, hertz):
            return ""
        return say(
            "{output} shows {read}; it follows {clock}, which has {hertz}",
            output=_named(chip, output),
            read=format_quantity(read, "Hz"),
            clock=_named(chip, moving[0]),
            hertz=format_quantity(hertz, "Hz"),
        )
    # What decides nothing with the others as they are may stand still.
    drives: dict[str, Drive] = dict.fromkeys(names_read(cone), 0)
    drives |= {**known, moving[0]: "P"}
    can = {float(hertz * division) for division in divisions(cone, drives, moving[0])}
    if not can or any(same_frequency(read, one) for one in can):
        return ""
    return say(
        "{output} shows {read}; divided from {clock} at {hertz} it would be {can}",
        output=_named(chip, output),
        read=format_quantity(read, "Hz"),
        clock=_named(chip, moving[0]),
        hertz=format_quantity(hertz, "Hz"),
        can=joined(say(" or "), (format_quantity(one, "Hz") if one else say("steady") for one in sorted(can))),
    )


def _named(chip: ChipType, name: str) -> str:
    return say("pin {pin_number} ({pin})", pin_number=chip.pin(name).number, pin=name)
