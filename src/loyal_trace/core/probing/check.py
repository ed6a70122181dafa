"""The chip check: can this output do that, given what the inputs do? With the reason, from the chip's own model.

Works from one chip and its own pins; no schematic is needed. See `behaviour` for what *possible* means.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import combinations

import numpy as np

from loyal_trace.core.chips.levels import Family, output_margin
from loyal_trace.core.chips.model import ChipType, Output, Pin
from loyal_trace.core.probing.behaviour import BEHAVIOURS, Drive, Expectation, expected_behaviours
from loyal_trace.core.probing.states import NOT_PROBED, STATE_WORDS, PinReading
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.verdicts import OutputWord

Readings = Mapping[int, PinReading]
_DRIVE_OF_STATE: dict[str, Drive] = {"L": 0, "H": 1, "P": "P"}
_CAN_WORDS = {0: say("low"), 1: say("high"), "P": say("pulsing")}


@dataclass(frozen=True)
class OutputVerdict:
    """One output judged: `verdict` is possible, impossible, unusual or not probed; `because` are pin numbers.

    `expected` says in words what a healthy output could do with these inputs.
    """

    pin: int
    name: str
    reading: PinReading
    verdict: OutputWord
    reason: str
    because: tuple[int, ...] = ()
    expected: str = ""


_WORST_FIRST = (OutputWord.IMPOSSIBLE, OutputWord.UNUSUAL, OutputWord.POSSIBLE)


@dataclass(frozen=True)
class ChipVerdict:
    """All outputs of one chip, and a word on its supply pins when they were probed and are wrong."""

    chip: ChipType
    outputs: tuple[OutputVerdict, ...]
    supply: str = ""
    probed: int = 0

    @property
    def impossible(self) -> tuple[OutputVerdict, ...]:
        return tuple(v for v in self.outputs if v.verdict == OutputWord.IMPOSSIBLE)

    @property
    def word(self) -> OutputWord:
        """The chip's verdict in one word: its worst output's, or not probed when no output was."""
        seen = {v.verdict for v in self.outputs}
        return next(
            (w for w in (OutputWord.IMPOSSIBLE, OutputWord.UNUSUAL, OutputWord.POSSIBLE) if w in seen),
            OutputWord.NOT_PROBED,
        )


def drive_of(reading: PinReading, family: Family) -> Drive:
    """What an input makes of a reading: a level, pulses, or anything (`?`).

    A floating TTL input acts as a high; an invalid level or a floating CMOS input may act as either.
    """
    # Bipolar inputs source current: an open one reads as a high to the chip behind it.
    if reading.state == "Z" and family.open_input_is_high:
        return 1
    return _DRIVE_OF_STATE.get(reading.state, "?")


def check_chip(chip: ChipType, readings: Readings) -> ChipVerdict:
    """Judges every output of a chip from the readings of its pins (pin number → reading)."""
    verdicts = [_judge(chip, pin, readings) for pin in chip.output_pins]
    verdicts = _judge_together(chip, verdicts, readings)
    probed = sum(1 for r in readings.values() if r.state != "?")
    return ChipVerdict(chip, tuple(verdicts), _supply_word(chip, readings), probed)


@lru_cache(maxsize=512)
def cone_of(chip: ChipType, output_name: str) -> ChipType:
    """The part of a chip that decides one output: that output and the stored bits behind it."""
    output = chip.output_of.get(output_name)
    if output is None:
        return replace(chip, outputs=(), registers=())
    needed = set(output.value.names)
    growing = True
    # Bits read bits: everything behind the output, until nothing is added.
    while growing:
        growing = False
        for register in chip.registers:
            clock = set(register.clock.names) if register.clock else set()
            if register.bit in needed and not (register.reads | clock) <= needed:
                needed |= register.reads | clock
                growing = True
    registers = tuple(r for r in chip.registers if r.bit in needed)
    return replace(chip, outputs=(output,), registers=registers, memory=None, cpu_address=())


def expectation_for(chip: ChipType, pin: Pin, drives: Mapping[str, Drive]) -> Expectation:
    """What one output can do under the given input drives."""
    cone = cone_of(chip, pin.name)
    return _expectation(cone, pin.name, tuple((n, drives[n]) for n in _names_read(cone) if n in drives))


@lru_cache(maxsize=512)
def _names_read(cone: ChipType) -> tuple[str, ...]:
    names: set[str] = set()
    for output in cone.outputs:
        names |= set(output.value.names) | set(output.enable.names if output.enable else ())
    for register in cone.registers:
        names |= register.reads | set(register.clock.names if register.clock else ())
    if cone.memory:
        names |= set(cone.memory.address) | set(cone.memory.select.names)
    return tuple(sorted(names))


@lru_cache(maxsize=512)
def _names_nearby(cone: ChipType, name: str) -> frozenset[str]:
    """What an output reads itself, and what the stored bits that it shows read."""
    output = cone.output_of.get(name)
    if output is None:
        return frozenset(_names_read(cone))
    names = set(output.value.names) | set(output.enable.names if output.enable else ())
    for register in cone.registers:
        if register.bit in names:
            names |= register.reads | set(register.clock.names if register.clock else ())
    return frozenset(names)


@lru_cache(maxsize=8192)
def _expectation(cone: ChipType, name: str, drives: tuple[tuple[str, Drive], ...]) -> Expectation:
    found = expected_behaviours(cone, dict(drives)).get(name)
    return found or Expectation(frozenset(BEHAVIOURS), frozenset(BEHAVIOURS))


def input_drives(chip: ChipType, readings: Readings) -> dict[str, Drive]:
    """The drives of all inputs, from the readings."""
    return {
        pin.name: drive_of(readings.get(pin.number, NOT_PROBED), chip.family)
        for pin in chip.pins
        if pin.role in ("input", "bidirectional")
    }


def _judge(chip: ChipType, pin: Pin, readings: Readings) -> OutputVerdict:
    reading = readings.get(pin.number, NOT_PROBED)
    expected = expectation_for(chip, pin, input_drives(chip, readings))
    words = {"never": _can(expected), "always": say("off"), "sometimes": say("on and off")}[expected.released]
    return replace(_judged(chip, pin, reading, readings, expected), expected=words)


def _judged(chip: ChipType, pin: Pin, reading: PinReading, readings: Readings, expected: Expectation) -> OutputVerdict:
    if reading.state == "?":
        return OutputVerdict(pin.number, pin.name, reading, OutputWord.NOT_PROBED, say("this pin has not been probed"))
    output = chip.output_of.get(pin.name)
    # An output that may be off says nothing by its level: whatever else is on the line is seen there.
    if expected.released != "never":
        return _judge_released(pin, reading, expected)
    if reading.state in "XZ":
        return _judge_no_level(pin, reading, expected, output)
    drive = _DRIVE_OF_STATE[reading.state]
    if drive not in expected.possible:
        return _impossible(chip, pin, reading, readings, expected, output)
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
        say("{named} may be {can} with these inputs", named=_named(pin), can=_can(expected)),
    )


def _judge_released(pin: Pin, reading: PinReading, expected: Expectation) -> OutputVerdict:
    when = say("is switched off") if expected.released == "always" else say("is or may be switched off at times")
    reason = say(
        "{named} {when}, so the level there comes from the other parts on the line", named=_named(pin), when=when
    )
    return OutputVerdict(pin.number, pin.name, reading, OutputWord.POSSIBLE, reason)


def _judge_no_level(pin: Pin, reading: PinReading, expected: Expectation, output: Output | None) -> OutputVerdict:
    # An open collector that is off is no driver: a missing pull-up leaves it without a level, the chip is not to
    # blame.
    if output and output.open_collector and 1 in expected.possible:
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


def _impossible(
    chip: ChipType,
    pin: Pin,
    reading: PinReading,
    readings: Readings,
    expected: Expectation,
    output: Output | None,
) -> OutputVerdict:
    because = _deciding_pins(chip, pin, readings, _DRIVE_OF_STATE[reading.state])
    reason = say(
        "{named} is {state_words} although {list_inputs}; by the logic of a {chip} it can only be {can}",
        named=_named(pin),
        state_words=STATE_WORDS[reading.state],
        list_inputs=_list_inputs(chip, because, readings),
        chip=chip.name,
        can=_can(expected),
    )
    # Wired-AND: another output may pull the line down while this one is off.
    if output and output.open_collector and reading.state in "LP" and expected.possible != {0}:
        reason += say(", unless another open-collector output on the line pulls it down")
        return OutputVerdict(pin.number, pin.name, reading, OutputWord.UNUSUAL, reason, because)
    return OutputVerdict(pin.number, pin.name, reading, OutputWord.IMPOSSIBLE, reason, because)


def _unusual(chip: ChipType, pin: Pin, reading: PinReading, readings: Readings, expected: Expectation) -> OutputVerdict:
    because = _deciding_pins(chip, pin, readings, _DRIVE_OF_STATE[reading.state], usual=True)
    reason = say(
        "{named} is {state_words} although {list_inputs}; that happens only if those signals move in step "
        "with each other, otherwise it would be {ordered}",
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
        expected = expectation_for(chip, pin, drives)
        return drive not in (expected.usual if usual else expected.possible)

    kept = input_drives(chip, readings)
    near = _names_nearby(cone_of(chip, pin.name), pin.name)
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


def _can(expected: Expectation) -> str:
    words = [_CAN_WORDS[b] for b in _ordered(expected.possible)]
    if len(words) == 3:
        return say("low, high or pulsing")
    return joined(say(" or "), words) or say("nothing at all")


def _steady_push_pull(chip: ChipType, verdict: OutputVerdict) -> bool:
    """Is it an output that drives by itself, seen at a steady level that is possible as far as one can tell?"""
    if verdict.verdict not in (OutputWord.POSSIBLE, OutputWord.UNUSUAL) or verdict.reading.state not in "LH":
        return False
    output = chip.output_of.get(verdict.name)
    return output is not None and output.enable is None and not output.open_collector


def _judge_together(chip: ChipType, verdicts: list[OutputVerdict], readings: Readings) -> list[OutputVerdict]:
    """Finds pairs of steady outputs that are each possible but never at the same time (Q and /Q both low)."""
    steady = [v for v in verdicts if _steady_push_pull(chip, v)]
    drives = input_drives(chip, readings)
    together: dict[int, OutputVerdict] = {}
    for first, second in combinations(steady, 2):
        if not _compatible(chip, first, second, drives):
            for here, there in ((first, second), (second, first)):
                reason = say(
                    "pin {pin} ({here}) is {state_words} while pin {pin2} ({there}) is {state_words2}; a "
                    "{chip} cannot show both at once",
                    pin=here.pin,
                    here=here.name,
                    state_words=STATE_WORDS[here.reading.state],
                    pin2=there.pin,
                    there=there.name,
                    state_words2=STATE_WORDS[there.reading.state],
                    chip=chip.name,
                )
                together[here.pin] = replace(here, verdict=OutputWord.IMPOSSIBLE, reason=reason, because=(there.pin,))
    return [together.get(v.pin, v) for v in verdicts]


def _compatible(chip: ChipType, first: OutputVerdict, second: OutputVerdict, drives: Mapping[str, Drive]) -> bool:
    left, right = chip.output_of[first.name].value, chip.output_of[second.name].value
    # Outputs that share nothing can show any two levels at once.
    if not set(left.names) & set(right.names):
        return True
    names = sorted(set(left.names) | set(right.names))
    moving = [n for n in names if drives.get(n, "?") not in (0, 1)]
    # 4096 rows are enough for every output pair of the library; above that nothing is claimed.
    if len(moving) > 12:
        return True
    index = np.arange(1 << len(moving))
    values = {n: np.full(len(index), drives.get(n, 0), dtype=np.uint8) for n in names if n not in moving}
    values.update({n: ((index >> i) & 1).astype(np.uint8) for i, n in enumerate(moving)})
    wanted = (left.evaluate(values) == _DRIVE_OF_STATE[first.reading.state]) & (
        right.evaluate(values) == _DRIVE_OF_STATE[second.reading.state]
    )
    return bool(np.any(wanted))


def _supply_word(chip: ChipType, readings: Readings) -> str:
    for pin in chip.pins:
        reading = readings.get(pin.number, NOT_PROBED)
        if pin.role == "power" and pin.name == "VCC":
            # The lower limit of 5 V TTL (recommended operating conditions): below it levels and margins mean nothing.
            if reading.voltage is not None and reading.voltage < 4.75:
                return say(
                    "{named} is at {voltage:.2f} V: below 4.75 V nothing else here can be judged",
                    named=_named(pin),
                    voltage=reading.voltage,
                )
            if reading.state in "LZ" and reading.state != "?":
                return say(
                    "{named} is {reading}: the chip has no supply, judge that first",
                    named=_named(pin),
                    reading=reading.words,
                )
        if pin.role == "ground" and (reading.state in "HPZ" or (reading.voltage or 0) > 0.3):
            return say(
                "{named} reads {reading}: the ground connection is open", named=_named(pin), reading=reading.words
            )
    return ""
