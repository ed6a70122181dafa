"""The chip check: can this output do that, given what the inputs do? With the reason, from the chip's own model.

Works from one chip and its own pins; no schematic is needed. See `behaviour` for what *possible* means.
"""

from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache

from loyal_trace.core.chips.levels import Family, output_margin
from loyal_trace.core.chips.model import ChipType, Output, Pin
from loyal_trace.core.probing.behaviour import Expectation, expected_behaviours
from loyal_trace.core.probing.cones import cone_of, names_nearby, names_read
from loyal_trace.core.probing.drives import BEHAVIOURS, DRIVE_OF_STATE, Drive
from loyal_trace.core.probing.frequency import wrong_frequency
from loyal_trace.core.probing.reach import can_show
from loyal_trace.core.probing.states import NOT_PROBED, STATE_WORDS, PinReading
from loyal_trace.core.probing.supply import judge_supply
from loyal_trace.core.probing.together import judge_together
from loyal_trace.core.probing.verdicts import ChipVerdict, OutputVerdict
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.verdicts import OutputWord

Readings = Mapping[int, PinReading]
_SEARCHED = 4
_ALWAYS_OFF = say("off")
# A probe's own offset and a diode drop; further out the level comes from elsewhere.
_RAIL_MARGIN, _BEYOND = 0.3, 0.8
_CAN_WORDS = {0: say("low"), 1: say("high"), "P": say("pulsing")}


def drive_of(reading: PinReading, family: Family, surely: bool = False) -> Drive:
    """What an input makes of a reading: a level, pulses, or anything (`?`).

    A floating TTL input acts as a high as a rule; an invalid level or a floating CMOS input may act as either. `surely`
    takes nothing for granted: an open input may pick up anything, and a meter shows the average of a pulsing pin, so
    that a weak level, or one outside the supply, is none.
    """
    # Bipolar inputs source current: an open one reads as a high to the chip behind it.
    if reading.state == "Z" and family.open_input_is_high and not surely:
        return 1
    if surely and reading.voltage is not None and not _clean(reading.voltage, family):
        return "?"
    return DRIVE_OF_STATE.get(reading.state, "?")


def _clean(voltage: float, family: Family) -> bool:
    """A level that a healthy output holds, not the average of pulses, and not from another supply."""
    low, high = _RAIL_MARGIN, family.supply_high + _RAIL_MARGIN
    return -low <= voltage <= family.output_low or family.output_high <= voltage <= high


def check_chip(chip: ChipType, readings: Readings, alone: frozenset[int] = frozenset()) -> ChipVerdict:
    """Judges every output of a chip from the readings of its pins (pin number → reading).

    `alone`: pins of which it is known that nothing else drives their line.
    """
    probed = sum(1 for r in readings.values() if r.state != "?")
    supply, wrong = judge_supply(chip, readings)
    if wrong:
        return ChipVerdict(chip, tuple(_unsupplied(pin, readings, supply) for pin in chip.output_pins), supply, probed)
    verdicts = [_alone(chip, _judge(chip, pin, readings), alone) for pin in chip.output_pins]
    verdicts = judge_together(chip, verdicts, input_drives(chip, readings, surely=True))
    verdicts = [_by_frequency(chip, verdict, readings) for verdict in verdicts]
    return ChipVerdict(chip, tuple(verdicts), supply, probed)


def _alone(chip: ChipType, verdict: OutputVerdict, alone: frozenset[int]) -> OutputVerdict:
    """An output that is switched off and alone on its line can not hold it low or move it."""
    if verdict.pin not in alone or verdict.expected != _ALWAYS_OFF or verdict.reading.state not in "LP":
        return verdict
    reason = say(
        "{named} is {state_words} although it is switched off and nothing else drives the line",
        named=_named(chip.pin_number(verdict.pin)),
        state_words=STATE_WORDS[verdict.reading.state],
    )
    return replace(verdict, verdict=OutputWord.IMPOSSIBLE, reason=reason)


def _unsupplied(pin: Pin, readings: Readings, supply: str) -> OutputVerdict:
    """No supply, no verdict: the rail comes first."""
    reading = readings.get(pin.number, NOT_PROBED)
    if reading.state == "?":
        return OutputVerdict(pin.number, pin.name, reading, OutputWord.NOT_PROBED, say("this pin has not been probed"))
    reason = say("cannot be judged: {supply}", supply=supply)
    return OutputVerdict(pin.number, pin.name, reading, OutputWord.NOT_JUDGED, reason)


def _by_frequency(chip: ChipType, verdict: OutputVerdict, readings: Readings) -> OutputVerdict:
    """What the frequencies say, where the levels rule nothing out."""
    if verdict.verdict not in (OutputWord.POSSIBLE, OutputWord.UNUSUAL) or verdict.reading.frequency is None:
        return verdict
    why = wrong_frequency(cone_of(chip, verdict.name), chip, verdict.name, readings)
    return replace(verdict, verdict=OutputWord.IMPOSSIBLE, reason=why) if why else verdict


def expectation_for(chip: ChipType, pin: Pin, drives: Mapping[str, Drive]) -> Expectation:
    """What one output can do under the given input drives."""
    cone = cone_of(chip, pin.name)
    return _expectation(cone, pin.name, tuple((n, drives[n]) for n in names_read(cone) if n in drives))


@lru_cache(maxsize=8192)
def _expectation(cone: ChipType, name: str, drives: tuple[tuple[str, Drive], ...]) -> Expectation:
    found = expected_behaviours(cone, dict(drives)).get(name)
    # Without a model nothing is known of it, not even that it drives at all times.
    return found or Expectation(frozenset(BEHAVIOURS), frozenset(BEHAVIOURS), "sometimes")


def input_drives(chip: ChipType, readings: Readings, surely: bool = False) -> dict[str, Drive]:
    """The drives of all inputs, from the readings."""
    return {
        pin.name: drive_of(readings.get(pin.number, NOT_PROBED), chip.family, surely)
        for pin in chip.pins
        if pin.role in ("input", "bidirectional")
    }


def _judge(chip: ChipType, pin: Pin, readings: Readings) -> OutputVerdict:
    reading = readings.get(pin.number, NOT_PROBED)
    expected = expected_of(chip, pin, readings)
    words = {"never": _can(expected.likely), "always": _ALWAYS_OFF, "sometimes": say("on and off")}[expected.released]
    return replace(_judged(chip, pin, reading, readings, expected), expected=words)


def expected_of(chip: ChipType, pin: Pin, readings: Readings) -> Expectation:
    """What is possible whatever the doubtful inputs do, and usual with what they do as a rule."""
    surely = expectation_for(chip, pin, input_drives(chip, readings, surely=True))
    usual = expectation_for(chip, pin, input_drives(chip, readings))
    if surely.released != usual.released:
        return surely
    return replace(surely, usual=usual.usual)


def possible_for(chip: ChipType, pin: Pin, drives: Mapping[str, Drive], behaviour: Drive) -> bool:
    """Can an output do this at all, whatever waveforms its inputs have as far as they were read?"""
    cone = cone_of(chip, pin.name)
    likely = behaviour in expectation_for(chip, pin, drives).likely
    inputs = set(names_read(cone)) - {register.bit for register in cone.registers}
    at_rest = all(isinstance(drives.get(name, "?"), int) for name in inputs)
    # Of long registers in motion the search takes its time: what is likely there is taken as possible.
    if not cone.registers or (likely and not at_rest and len(cone.registers) > _SEARCHED):
        return likely
    return can_show(cone, drives, (behaviour,))


def all_possible(chip: ChipType, pin: Pin, readings: Readings) -> frozenset[Drive]:
    """Everything that an output can do."""
    drives = input_drives(chip, readings, surely=True)
    return frozenset(one for one in BEHAVIOURS if possible_for(chip, pin, drives, one))


def _judged(chip: ChipType, pin: Pin, reading: PinReading, readings: Readings, expected: Expectation) -> OutputVerdict:
    if reading.state == "?":
        return OutputVerdict(pin.number, pin.name, reading, OutputWord.NOT_PROBED, say("this pin has not been probed"))
    output = chip.output_of.get(pin.name)
    # An output that may be off says nothing by its level: whatever else is on the line is seen there.
    if expected.released != "never":
        return _judge_released(pin, reading, expected)
    if reading.voltage is not None and not _within_supply(reading.voltage, chip.family):
        return OutputVerdict(pin.number, pin.name, reading, OutputWord.UNUSUAL, _other_supply(pin, reading))
    if reading.state in "XZ":
        return _judge_no_level(chip, pin, readings, expected, output)
    drive = DRIVE_OF_STATE[reading.state]
    if not possible_for(chip, pin, input_drives(chip, readings, surely=True), drive):
        return _impossible(chip, pin, readings, output)
    if drive not in expected.usual:
        return _unusual(chip, pin, reading, readings, expected)
    margin = output_margin(reading.voltage, chip.family) if reading.voltage is not None else None
    if margin:
        return OutputVerdict(
            pin.number,
            pin.name,
            reading,
            OutputWord.UNUSUAL,
            say("{named}: {margin}", named=_named(pin), margin=margin),
        )
    return OutputVerdict(
        pin.number,
        pin.name,
        reading,
        OutputWord.POSSIBLE,
        say("{named} may be {can} with these inputs", named=_named(pin), can=_can(expected.likely)),
    )


def _judge_released(pin: Pin, reading: PinReading, expected: Expectation) -> OutputVerdict:
    when = say("is switched off") if expected.released == "always" else say("is or may be switched off at times")
    reason = say(
        "{named} {when}, so the level there comes from the other parts on the line", named=_named(pin), when=when
    )
    return OutputVerdict(pin.number, pin.name, reading, OutputWord.POSSIBLE, reason)


def _within_supply(voltage: float, family: Family) -> bool:
    return -_BEYOND <= voltage <= family.supply_high + _BEYOND


def _other_supply(pin: Pin, reading: PinReading) -> str:
    return say(
        "{named} is at {reading}, outside the supply of this chip: another supply reaches the line, or the probe "
        "slipped. Find where it comes from before anything is replaced",
        named=_named(pin),
        reading=reading.words,
    )


def _judge_no_level(
    chip: ChipType, pin: Pin, readings: Readings, expected: Expectation, output: Output | None
) -> OutputVerdict:
    reading = readings[pin.number]
    between = _between(chip, pin, readings)
    if reading.state == "X" and between:
        reason = say(
            "{named} is between the levels ({reading}), and so is its input, pin {input}: an amplifier of this "
            "kind, or an input that floats",
            named=_named(pin),
            reading=reading.words,
            input=between,
        )
        return OutputVerdict(pin.number, pin.name, reading, OutputWord.UNUSUAL, reason, (between,))
    if reading.state == "X" and possible_for(chip, pin, input_drives(chip, readings, surely=True), "P"):
        reason = say(
            "{named} is between the levels ({reading}): a meter shows the average of pulses. Look with a probe",
            named=_named(pin),
            reading=reading.words,
        )
        return OutputVerdict(pin.number, pin.name, reading, OutputWord.UNUSUAL, reason)
    # An open collector that is off is no driver: a missing pull-up leaves it without a level, the chip is not to
    # blame.
    if output and output.open_collector and 1 in expected.likely:
        reason = say("{named} is open collector and off; the pull-up resistor seems to be missing", named=_named(pin))
        return OutputVerdict(pin.number, pin.name, reading, OutputWord.UNUSUAL, reason)
    if reading.state == "Z":
        reason = say(
            "{named} floats although this output always drives: open inside, or its joint is open", named=_named(pin)
        )
    else:
        reason = say(
            "{named} is at no valid level ({reading}) although this output always drives: the output is "
            "failing, or another output drives the line",
            named=_named(pin),
            reading=reading.words,
        )
    return OutputVerdict(pin.number, pin.name, reading, OutputWord.IMPOSSIBLE, reason)


def _between(chip: ChipType, pin: Pin, readings: Readings) -> int:
    """The first input of an output that is read between the levels, or floating; 0 for none."""
    output = chip.output_of.get(pin.name)
    names = output.value.names if output is not None else ()
    numbers = sorted(chip.pin(name).number for name in names if name in chip.input_names)
    return next((n for n in numbers if readings.get(n, NOT_PROBED).state in "XZ"), 0)


def _impossible(chip: ChipType, pin: Pin, readings: Readings, output: Output | None) -> OutputVerdict:
    reading, can = readings[pin.number], all_possible(chip, pin, readings)
    because = _deciding_pins(chip, pin, readings, DRIVE_OF_STATE[reading.state])
    reason = say(
        "{named} is {state_words} although {list_inputs}; by the logic of a {chip} it can only be {can}",
        named=_named(pin),
        state_words=STATE_WORDS[reading.state],
        list_inputs=_list_inputs(chip, because, readings),
        chip=chip.name,
        can=_can(can),
    )
    # Wired-AND: another output may pull the line down while this one is off.
    if output and output.open_collector and reading.state in "LP" and can != {0}:
        reason += say(", unless another open-collector output on the line pulls it down")
        return OutputVerdict(pin.number, pin.name, reading, OutputWord.UNUSUAL, reason, because)
    return OutputVerdict(pin.number, pin.name, reading, OutputWord.IMPOSSIBLE, reason, because)


def _unusual(chip: ChipType, pin: Pin, reading: PinReading, readings: Readings, expected: Expectation) -> OutputVerdict:
    because = _deciding_pins(chip, pin, readings, DRIVE_OF_STATE[reading.state], usual=True)
    open_inputs = [number for number in because if readings[number].state == "Z"]
    if open_inputs:
        reason = say(
            "{named} is {state_words} although {list_inputs}; an open input acts high as a rule, and the output would "
            "be {ordered}. Find out why pin {open} is open",
            named=_named(pin),
            state_words=STATE_WORDS[reading.state],
            list_inputs=_list_inputs(chip, because, readings),
            ordered=joined(say(" or "), (_CAN_WORDS[b] for b in _ordered(expected.usual))) or say("different"),
            open=open_inputs[0],
        )
        return OutputVerdict(pin.number, pin.name, reading, OutputWord.UNUSUAL, reason, because)
    reason = say(
        "{named} is {state_words} although {list_inputs}; unless they move in step it would be {ordered}",
        named=_named(pin),
        state_words=STATE_WORDS[reading.state],
        list_inputs=_list_inputs(chip, because, readings),
        ordered=joined(say(" or "), (_CAN_WORDS[b] for b in _ordered(expected.usual))) or say("different"),
    )
    return OutputVerdict(pin.number, pin.name, reading, OutputWord.UNUSUAL, reason, because)


def _deciding_pins(chip: ChipType, pin: Pin, readings: Readings, drive: Drive, usual: bool = False) -> tuple[int, ...]:
    """A smallest set of input readings that already settles the verdict.

    Everything the output does not read directly is left out at once if it can be, then one reading after the other.
    """

    def settles(drives: Mapping[str, Drive]) -> bool:
        if usual:
            return drive not in expectation_for(chip, pin, drives).usual
        return not possible_for(chip, pin, drives, drive)

    kept = input_drives(chip, readings, surely=not usual)
    near = names_nearby(cone_of(chip, pin.name), pin.name)
    only_near: dict[str, Drive] = {n: (d if n in near else "?") for n, d in kept.items()}
    if settles(only_near):
        kept = only_near
    # Pulsing readings are dropped first: a reason made of steady pins is the one that can be checked by eye.
    for name in sorted((n for n, d in kept.items() if d != "?"), key=lambda n: kept[n] != "P"):
        without = {**kept, name: "?"}
        if settles(without):
            kept = without
    return tuple(sorted(chip.pin(name).number for name, d in kept.items() if d != "?"))


def _named(pin: Pin) -> str:
    return say("pin {pin_number} ({pin})", pin_number=pin.number, pin=pin.name)


def _list_inputs(chip: ChipType, because: tuple[int, ...], readings: Readings) -> str:
    """Input readings in words, grouped by state: `pins 1 (A) and 2 (B) are both pulsing and pin 3 (C) is low`."""
    groups: dict[str, list[str]] = {}
    for number in because:
        word = STATE_WORDS[readings[number].state]
        groups.setdefault(word, []).append(say("{number} ({name})", number=number, name=chip.pin_number(number).name))
    if not groups:
        return say("no input reading allows it")
    phrases = []
    for word, pins in groups.items():
        if len(pins) == 1:
            phrases.append(say("pin {pins} is {word}", pins=pins[0], word=word))
        else:
            phrases.append(
                say(
                    "pins {pins} and {last} are both {word}" if len(pins) == 2 else "pins {pins} and {last} are {word}",
                    pins=joined(", ", pins[:-1]),
                    last=pins[-1],
                    word=word,
                )
            )
    return joined(say(" and "), phrases)


def _ordered(behaviours: frozenset[Drive]) -> list[Drive]:
    return [b for b in BEHAVIOURS if b in behaviours]


def _can(behaviours: frozenset[Drive]) -> str:
    words = [_CAN_WORDS[b] for b in _ordered(behaviours)]
    if len(words) == 3:
        return say("low, high or pulsing")
    return joined(say(" or "), words) or say("nothing at all")
