"""A chip as drawn at Probe: every pin with its reading, its verdict, and what a good board shows there."""

from collections.abc import Mapping
from dataclasses import dataclass

from loyal_trace.core.assess.free_runs import expected_at, signature_words
from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.roms import shown_signature
from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.probing.states import NOT_PROBED, STATE_WORDS, PinReading
from loyal_trace.core.probing.verdicts import ChipVerdict
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.verdicts import OutputWord

_SIGNALS = ("input", "output", "bidirectional")


@dataclass(frozen=True)
class PinView:
    """One pin as drawn. `state` is L H P X Z or ?; `verdict` a word for outputs, empty for inputs.

    `expected` is what the logic allows, `good` what a good board shows, for a pin that was not read.
    """

    number: int
    name: str
    state: str
    words: str
    verdict: str = ""
    expected: str = ""
    good: str = ""


@dataclass(frozen=True)
class ChipPicture:
    """All pins of a chip, its refdes and type, and the pin that the next reading is for."""

    refdes: str
    type_name: str
    pins: tuple[PinView, ...]
    current: int


def chip_picture(
    place: PartRef,
    chip: ChipType,
    verdict: ChipVerdict | None,
    readings: dict[int, PinReading],
    current: int,
    good: Mapping[int, str],
    signed: Mapping[int, str],
) -> ChipPicture:
    """The chip with its readings and verdicts."""
    outputs = {o.pin: o for o in verdict.outputs} if verdict else {}
    pins = []
    for pin in chip.pins:
        reading = readings.get(pin.number, NOT_PROBED)
        shown = reading.words if reading.voltage is None else say("{voltage:.2f} V", voltage=reading.voltage)
        # A signature says more than that the pin pulses.
        shown = signed.get(pin.number, shown)
        output = outputs.get(pin.number)
        word, expected = (output.verdict, output.expected) if output else ("", "")
        # What has a signature was read, although nobody said whether it pulses.
        state = "P" if pin.number in signed and reading.state == "?" else reading.state
        pins.append(
            PinView(
                pin.number,
                pin.name,
                state,
                shown,
                "" if word == OutputWord.NOT_PROBED else word,
                expected,
                good.get(pin.number, ""),
            )
        )
    return ChipPicture(place.refdes, chip.name, tuple(pins), current)


def good_words(moment: Moment, place: PartRef) -> dict[int, str]:
    """What the pins of a chip do on a good board, as read there or as simulated in free run, in two words."""
    readings = moment.snapshot.readings
    found: dict[int, str] = {}
    chip = moment.chip_type(place)
    for pin in chip.pins if chip is not None and place.board in moment.dictionaries else ():
        expected = expected_at(moment, place, pin.number) if pin.role in _SIGNALS else None
        if expected is not None and expected.certain:
            level = STATE_WORDS[expected.state] if expected.state in "LH" else ""
            found[pin.number] = say("healthy {shown}", shown=level or shown_signature(moment, expected.signature))
    pins = readings.good_pins.get(place, {})
    found |= {n: say("good: {state}", state=STATE_WORDS[pin.state]) for n, pin in pins.items()}
    for number, signed in readings.good_signatures.get(place, {}).items():
        shown = shown_signature(moment, signed.value) if signed.value is not None else say("unstable")
        found[number] = say("good: {state}", state=shown)
    return found


def signed_words(moment: Moment, place: PartRef) -> dict[int, str]:
    """The signatures taken at the pins of a chip, as the tester prints them."""
    taken = moment.snapshot.readings.pin_signatures.get(place, {})
    return {number: _compared(moment, place, number) for number in taken}


def _compared(moment: Moment, place: PartRef, pin: int) -> str:
    """A signature beside the one that a healthy board shows there, where that is known."""
    shown, expected = signature_words(moment, place, pin), expected_at(moment, place, pin)
    if expected is None or not expected.certain:
        return shown
    if moment.snapshot.readings.pin_signatures[place][pin].value == expected.signature:
        return say("{shown} matches", shown=shown_signature(moment, expected.signature))
    return say("{shown} ≠ {expected}", shown=shown, expected=shown_signature(moment, expected.signature))
