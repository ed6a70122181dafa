"""Entries of measuring and probing: numbers, lifts, pins, signatures, pairs of codes, control travel."""

import math
from typing import Literal

from pydantic import Field

from loyal_trace.core.job.base import Entry, PlacedEntry, Strict, kind
from loyal_trace.core.job.draft import Draft
from loyal_trace.core.job.snapshot import CheckKey, ReadingKey
from loyal_trace.core.probing.states import STATE_WORDS, PinReading
from loyal_trace.core.vocabulary.identity import PointRef
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.quantities import OF_CAPACITORS, Quantity
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of, format_percent, format_quantity

GOOD_BOARD = "good board"
OLD_PART = "old part"


def _measured(draft: Draft, entry: "Measured") -> None:
    if entry.source == GOOD_BOARD:
        draft.readings.good_board[entry.key] = entry
    elif entry.source == OLD_PART:
        draft.readings.old_parts[entry.key] = entry
    else:
        draft.readings.measured.add(entry.key, entry)


def _lifted(draft: Draft, entry: "Lifted") -> None:
    draft.readings.lifts.add(PointRef(entry.board, entry.place), entry)


def _pins_probed(draft: Draft, entry: "PinsProbed") -> None:
    if entry.source == GOOD_BOARD:
        good = draft.readings.good_pins.of(entry.part)
        good.update((state.pin, state) for state in entry.pins)
        return
    pins, repeats = draft.readings.pins.of(entry.part), draft.readings.repeats.of(entry.part)
    for state in entry.pins:
        before = pins.get(state.pin)
        same = before is not None and before.state == state.state
        repeats[state.pin] = repeats.get(state.pin, 1) + 1 if same else 1
        pins[state.pin] = state

    if entry.free_run:
        draft.readings.free_run_pins.of(entry.part).update((state.pin, state) for state in entry.pins)


def _trace(draft: Draft, entry: "TraceCompared") -> None:
    draft.readings.traces[entry.part] = entry


def _trace_words(entry: "TraceCompared") -> str:
    if not entry.differences:
        return say(
            "{place} trace {file_name}: every output is what the model gives",
            place=entry.place,
            file_name=entry.file_name,
        )
    return say(
        "{place} trace {file_name}: {reason}",
        place=entry.place,
        file_name=entry.file_name,
        reason=entry.differences[0].reason,
    )


def _pin_signed(draft: Draft, entry: "PinSigned") -> None:
    readings = draft.readings
    table = readings.good_signatures if entry.source == GOOD_BOARD else readings.pin_signatures
    table.of(entry.part)[entry.pin] = entry


def _pin_signed_words(entry: "PinSigned") -> str:
    if entry.value is None:
        told = say("{place}.{pin} signature unstable", place=entry.place, pin=entry.pin)
    else:
        told = say("{place}.{pin} signature {value:04X}", place=entry.place, pin=entry.pin, value=entry.value)
    return told + (say(", of a good board") if entry.source == GOOD_BOARD else "")


def _signature(draft: Draft, entry: "SignatureTaken") -> None:
    draft.roms.signatures[entry.part] = entry


def _pair(draft: Draft, entry: "PairSeen") -> None:
    draft.readings.pairs.add(entry)


def _control(draft: Draft, entry: "ControlMeasured") -> None:
    draft.readings.controls[CheckKey(entry.board, entry.name)] = entry


def reading_words(entry: "Measured") -> str:
    """The reading as spoken: 4.62 V, OL."""
    if entry.overload or entry.value is None:
        return "OL"
    if entry.quantity is Quantity.LOSS:
        return format_percent(entry.value)
    return format_quantity(entry.value, entry.quantity.unit)


def conditions_words(entry: "Measured") -> str:
    """Under what a capacitor was read, behind its reading: the meter's frequency, its temperature, out of circuit."""
    told = say(" at {frequency}", frequency=format_quantity(entry.frequency, "Hz")) if entry.frequency else ""
    told += say(" at {celsius:g} °C", celsius=entry.celsius) if entry.celsius is not None else ""
    return told + ("" if entry.in_circuit or entry.quantity not in OF_CAPACITORS else say(", out of circuit"))


def _measured_words(entry: "Measured") -> str:
    told = say(
        "{place} {quantity} {reading_words}",
        place=entry.place,
        quantity=term(entry.quantity),
        reading_words=reading_words(entry),
    )
    told += conditions_words(entry)
    told += say(", of a good board") if entry.source == GOOD_BOARD else ""
    told += say(", of the part taken out") if entry.source == OLD_PART else ""
    return told


def _lift_words(entry: "Lifted") -> str:
    shown = "OL" if entry.value is None else format_quantity(entry.value, "Ω")
    return say("{place} with {parts} lifted: {shown}", place=entry.place, parts=joined(" ", entry.parts), shown=shown)


def _pin_words(place: str, pin: "PinState") -> str:
    if pin.voltage is not None:
        return say("{place}.{pin} {voltage:.2f} V", place=place, pin=pin.pin, voltage=pin.voltage)
    if pin.frequency is not None:
        return say(
            "{place}.{pin} {frequency}", place=place, pin=pin.pin, frequency=format_quantity(pin.frequency, "Hz")
        )
    return say("{place}.{pin} {state_words}", place=place, pin=pin.pin, state_words=STATE_WORDS[pin.state])


def _pins_words(entry: "PinsProbed") -> str:
    told = joined(", ", (_pin_words(entry.place, pin) for pin in entry.pins))
    if len(entry.pins) > 3:
        told = say("{place} {pins} probed", place=entry.place, pins=count_of(len(entry.pins), "pin"))
    told += say(", in free run") if entry.free_run else ""
    return told + (say(", of a good board") if entry.source == GOOD_BOARD else "")


def _signature_words(entry: "SignatureTaken") -> str:
    if entry.value is None:
        return say("{place} signature never came", place=entry.place)
    return say("{place} signature {value:04X}", place=entry.place, value=entry.value)


@kind(_measured, _measured_words, lambda e: Stage.PLAN if e.quantity in OF_CAPACITORS else Stage.RAILS)
class Measured(PlacedEntry):
    """A number taken at a point. `value` in SI units; None with `overload` means that the meter showed OL.

    With the source `good board` it was taken on a board known to work, and is what this one is held against; with
    `old part` it is of what was taken out of the place.
    `frequency` (hertz) is that of the meter, for capacitance, ESR and loss, `celsius` the temperature of the part; None
    when nobody said.
    """

    kind: Literal["measured"] = "measured"
    quantity: Quantity = Field(strict=False)
    value: float | None
    overload: bool = False
    in_circuit: bool = True
    powered: bool = False
    source: str = "hand"
    frequency: float | None = None
    celsius: float | None = Field(default=None, gt=-90, lt=300)

    @property
    def point(self) -> PointRef:
        """Where it was taken."""
        return PointRef(self.board, self.place)

    @property
    def key(self) -> ReadingKey:
        """What was taken where."""
        return ReadingKey(self.board, self.place, self.quantity)


@kind(_lifted, _lift_words, Stage.RAILS)
class Lifted(PlacedEntry):
    """Parts were lifted off a rail (`place` is its net) together: the resistance to ground then (ohm), None for OL."""

    kind: Literal["lifted"] = "lifted"
    parts: tuple[str, ...] = Field(min_length=1)
    value: float | None


class PinState(Strict):
    """One probed pin."""

    pin: int = Field(ge=1, le=999)
    state: Literal["L", "H", "P", "X", "Z", "?"]
    voltage: float | None = None
    frequency: float | None = None


@kind(_pins_probed, _pins_words, Stage.PROBE)
class PinsProbed(PlacedEntry):
    """Pins of one chip were probed; a later reading of a pin replaces an earlier one.

    With the source `good board` they were probed on a board known to work, and are what this one is held against.
    `free_run`: while the processor did nothing but count through its addresses.
    """

    kind: Literal["pins_probed"] = "pins_probed"
    pins: tuple[PinState, ...]
    chip: str = ""
    source: str = "hand"
    free_run: bool = False


@kind(_pin_signed, _pin_signed_words, Stage.PROBE)
class PinSigned(PlacedEntry):
    """What a tester showed at a pin over its window, in free run; None when it changed from run to run."""

    kind: Literal["pin_signature"] = "pin_signature"
    pin: int = Field(ge=1)
    value: int | None = Field(ge=0)
    source: str = "hand"


class TraceLane(Strict):
    """One pin of an excerpt: its levels as 0 and 1, and for an output what the model gives."""

    pin: int = Field(ge=1)
    name: str
    levels: str = Field(pattern="^[01]*$")
    expected: str = Field(default="", pattern="^[01]*$")


class TraceDifference(Strict):
    """Where an output first is not what the model gives, in words, and how often that came."""

    pin: int = Field(ge=1)
    time: float
    reason: str
    count: int = Field(ge=1)


@kind(_trace, _trace_words, Stage.PROBE)
class TraceCompared(PlacedEntry):
    """A captured trace was held against the model of a chip: what differs, and the signals around the first difference.

    `channels`: (pin, channel of the file) that were compared. `samples`: how many the file has.
    """

    kind: Literal["trace"] = "trace"
    file_name: str = ""
    samples: int = Field(ge=0)
    channels: tuple[tuple[int, str], ...] = ()
    differences: tuple[TraceDifference, ...] = ()
    times: tuple[float, ...] = ()
    lanes: tuple[TraceLane, ...] = ()


@kind(_signature, _signature_words, Stage.ROMS)
class SignatureTaken(PlacedEntry):
    """What a tester showed for a ROM in circuit; None when the check never came to an end."""

    kind: Literal["signature"] = "signature"
    value: int | None = Field(ge=0)


@kind(_pair, lambda e: say("sent {sent}, shown {shown}", sent=e.sent, shown=e.shown), Stage.SUSPECTS)
class PairSeen(Entry):
    """A code that was sent and the code that came out; `text` when both were typed as characters."""

    kind: Literal["pair"] = "pair"
    sent: str
    shown: str
    text: bool = False
    place: str = ""


class ControlPoint(Strict):
    """One position of a control (0 to 1) and its resistance (ohm)."""

    travel: float = Field(ge=0, le=1)
    value: float


@kind(
    _control,
    lambda e: say("control {name}: {points}", name=e.name, points=count_of(len(e.points), "point")),
    Stage.VERIFY,
)
class ControlMeasured(Entry):
    """A control over its travel."""

    kind: Literal["control"] = "control"
    name: str
    points: tuple[ControlPoint, ...] = Field(min_length=2)


def number_or_overload(value: float) -> tuple[float | None, bool]:
    """How a number is kept in an entry: infinity is the meter's OL."""
    return (None, True) if math.isinf(value) else (value, False)


def pin_state(pin: int, reading: PinReading) -> PinState:
    """A probe's reading as it is kept in an entry."""
    fields = {"pin": pin, "state": reading.state, "voltage": reading.voltage, "frequency": reading.frequency}
    return PinState.model_validate(fields)
