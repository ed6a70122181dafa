"""Chips that no library has, judged by the pins that were entered: supply, clock and reset fine, outputs dead."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.parts import last_change
from loyal_trace.core.diagnosis.evidence import Evidence, EvidenceTable
from loyal_trace.core.job.entries import PinState
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say

_SUPPLY = ("VCC", "VDD", "V+", "+5V", "+5", "VPP")
_CLOCK = ("CLK", "CLOCK", "CK", "CP", "PHI", "PHI1", "PHI2", "XTAL", "OSC", "X1", "X2")
_RESET = ("RESET", "RES", "RST", "MR", "CLR")
_STEADY, _HIGH_FROM = ("L", "H", "Z"), 4.0
_ENOUGH_OUTPUTS = 2


@dataclass(frozen=True)
class OwnPinout:
    """The pins of one part by number: name and direction (in, out, both, power, ground, or empty)."""

    names: Mapping[int, str]
    ways: Mapping[int, str]

    def of(self, names: tuple[str, ...]) -> list[int]:
        """The pins that carry one of these names, a slash or dot in front of it or not."""
        return [pin for pin, name in self.names.items() if name.upper().strip("/.#*-") in names]


def pinout_of(moment: Moment, place: PartRef) -> OwnPinout | None:
    """What was entered of a part's pins, in the job or in its board's folder; None when nothing was."""
    board = moment.boards[place.board]
    found = {own.pin: (own.name, own.direction) for own in board.own_pins if own.part == place.refdes}
    found |= {entry.pin: (entry.name, entry.direction) for entry in moment.snapshot.facts.pins.get(place, ())}
    if not found:
        return None
    return OwnPinout({pin: name for pin, (name, _) in found.items()}, {pin: way for pin, (_, way) in found.items()})


def own_chip_evidence(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """Parts whose pins were entered and probed since they were last changed."""
    for place, pins in moment.snapshot.readings.pins.items():
        if not moment.has(place) or moment.chip_type(place) is not None or last_change(moment, place):
            continue
        pinout = pinout_of(moment, place)
        words = dead_words(pinout, pins) if pinout is not None else ""
        if words:
            yield table.line(place, "own-outputs-dead", words)


def dead_words(pinout: OwnPinout, pins: Mapping[int, PinState]) -> str:
    """Why the outputs of a chip should move and do not; empty when that cannot be said.

    Without a good supply nothing is said of the chip: the rail is the suspect.
    """
    supply = [pin for pin in {*pinout.of(_SUPPLY), *_by_way(pinout, "power")} if pin in pins]
    if not supply or not all(_is_high(pins[pin]) for pin in supply):
        return ""
    clocks = [pin for pin in pinout.of(_CLOCK) if pin in pins]
    moving = [pin for pin in _by_way(pinout, "in") if pin in pins and pins[pin].state == "P"]
    if not any(pins[pin].state == "P" for pin in clocks) and not moving:
        return ""
    for pin in (pin for pin in pinout.of(_RESET) if pin in pins):
        # A reset whose polarity nobody entered may be active at either level: then nothing is said of the chip.
        active_low = pinout.names[pin].startswith(("/", "-", "#")) or pinout.names[pin].endswith(("#", "*"))
        if not active_low or pins[pin].state != "H":
            return ""
    outputs = [pin for pin in _by_way(pinout, "out") if pin in pins]
    dead = [pin for pin in outputs if pins[pin].state in _STEADY]
    if len(outputs) < _ENOUGH_OUTPUTS or len(dead) < len(outputs):
        return ""
    running = joined(", ", (pinout.names[pin] for pin in [*clocks, *moving][:3]))
    return say(
        "supply good, {running} running, and none of the {count} outputs that were probed moves",
        running=running,
        count=len(outputs),
    )


def _by_way(pinout: OwnPinout, way: str) -> list[int]:
    return [pin for pin, one in pinout.ways.items() if one == way]


def _is_high(state: PinState) -> bool:
    return state.voltage >= _HIGH_FROM if state.voltage is not None else state.state == "H"
