"""A board in free run: what its nets should show, which fault would cause what they show, and which to read next."""

import math
from collections.abc import Iterator
from dataclasses import dataclass

from loyal_trace.core.assess.chips import odds_of_chip
from loyal_trace.core.assess.moment import Moment, once, tables_of
from loyal_trace.core.assess.next_thing import PER_PIN_MINUTES, NextThing
from loyal_trace.core.assess.roms import shown_signature
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.diagnosis.dictionary_odds import FaultOdds, NetReading, weigh
from loyal_trace.core.diagnosis.evidence import Evidence, EvidenceTable, logit
from loyal_trace.core.job.free_run import free_run_goes_on, window_of
from loyal_trace.core.roms.signature import register_from
from loyal_trace.core.simulation.clock_tree import clock_frequency
from loyal_trace.core.simulation.dictionary import Dictionary
from loyal_trace.core.simulation.free_run import signature_value
from loyal_trace.core.simulation.netlist import PinFault
from loyal_trace.core.simulation.packed import steady
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import format_quantity

# A tester is clipped on, started, and read: longer than a touch with a probe.
_SIGNATURE_MINUTES = 2.5 * PER_PIN_MINUTES
_STRONGEST = 9.0
# A chip may be faulty in a way that the dictionary has not, and beside another one: three in ten are. What a memory
# holds is not in it at all.
_LEAST_LEFT, _LEAST_LEFT_OF_MEMORY = math.log(0.3), math.log(0.7)
_HARDLY = 0.01


@dataclass(frozen=True)
class Expected:
    """What a pin shows on a healthy board in free run: L, H or P, its frequency (hertz; 0 unknown), its signature."""

    state: str
    frequency: float
    signature: int
    certain: bool


def readings_of(moment: Moment, board: BoardDefinition) -> tuple[NetReading, ...]:
    """What was read of the nets of a board in free run since it was last changed."""
    found: list[NetReading] = []
    cycle = _clock(board)
    readings = moment.snapshot.readings
    for place, pins in readings.free_run_pins.items():
        for number, pin in pins.items() if place.board == board.id else ():
            net = board.line_of(place.refdes, number)
            if pin.frequency is not None and cycle:
                found.append(NetReading(net, rate=pin.frequency / cycle))
            elif pin.state in ("L", "H", "P"):
                found.append(NetReading(net, state=pin.state))
    for place, signed in readings.pin_signatures.items():
        for number, entry in signed.items() if place.board == board.id else ():
            net = board.line_of(place.refdes, number)
            if entry.value is not None:
                found.append(NetReading(net, signature=entry.value))
    return tuple(found)


def _clock(board: BoardDefinition) -> float:
    """Hertz of one clock of the simulation; 0 when nobody knows."""
    return next((hertz for clock in board.clocks if (hertz := clock_frequency(board, clock)) > 0), 0.0)


@once
def fault_odds(moment: Moment, board_id: str) -> FaultOdds | None:
    """The odds of every fault of one pin, from what was read in free run; None without a dictionary or a reading."""
    dictionary, board = moment.dictionaries.get(board_id), moment.boards[board_id]
    readings = readings_of(moment, board) if dictionary is not None else ()
    if dictionary is None or not readings:
        return None
    return _weighed(moment, board, dictionary, readings)


def _weighed(
    moment: Moment, board: BoardDefinition, dictionary: Dictionary, readings: tuple[NetReading, ...]
) -> FaultOdds:
    priors = {part.refdes: tables_of(moment).priors.of(part, board) for part in board.chips}
    width = register_from(moment.snapshot.decision("register")).width
    key = ("fault odds", dictionary, readings, tuple(sorted(priors.items())), width)
    return moment.memo.of(key, lambda: weigh(dictionary, readings, priors, width))


def free_run_evidence(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """What the readings in free run say of every chip, beside what its own pins say already."""
    for board_id, board in moment.boards.items():
        odds = fault_odds(moment, board_id)
        if odds is None or not odds.readings:
            continue
        before = _weighed(moment, board, odds.dictionary, ()).parts
        for refdes, probability in odds.parts.items():
            place = PartRef(board_id, refdes)
            weight = _clipped(probability) - _clipped(before[refdes])
            own = odds_of_chip(moment, place).log_ratio
            # The same readings have spoken for or against the chip by themselves: only what goes beyond counts.
            weight = max(0.0, weight - max(0.0, own)) if weight > 0 else min(0.0, weight - min(0.0, own))
            if abs(weight) > _HARDLY:
                chip = moment.chip_type(place)
                least = _LEAST_LEFT if chip is None or chip.memory is None else _LEAST_LEFT_OF_MEMORY
                bounded = max(least, min(weight, _STRONGEST))
                yield Evidence(place, "free-run", _told(odds, refdes, weight), bounded)


def _clipped(probability: float) -> float:
    return logit(min(max(probability, 1e-6), 1 - 1e-6))


def _told(odds: FaultOdds, refdes: str, weight: float) -> str:
    if weight < 0:
        return say("no fault of one of its pins would cause what was read in free run")
    number = odds.likeliest(refdes)
    if not odds.shows(number):
        return say("a fault of it would not show at the nets that were read in free run")
    return say(
        "{fault} would cause {explained} of {count} readings in free run",
        fault=fault_words(odds.dictionary.faults[number]),
        explained=odds.explained(number),
        count=len(odds.readings),
    )


def fault_words(fault: PinFault) -> str:
    """A fault of one pin in words."""
    if fault.level:
        return say("pin {pin} stuck high or open", pin=fault.pin)
    return say("pin {pin} stuck low", pin=fault.pin)


def free_run_things(moment: Moment) -> Iterator[NextThing]:
    """The nets whose signatures tell most about what is wrong."""
    for board_id, board in moment.boards.items() if free_run_goes_on(moment.snapshot) else ():
        dictionary = moment.dictionaries.get(board_id)
        if dictionary is None:
            continue
        odds = fault_odds(moment, board_id) or _weighed(moment, board, dictionary, ())
        for net, bits in odds.next_nets():
            refdes, pin = _best_pin(moment, board, net)
            signature = shown_signature(moment, dictionary.good(net).signature)
            text = say(
                "signature at {refdes}.{pin}, healthy {signature}",
                refdes=refdes,
                pin=pin,
                signature=signature,
            )
            yield NextThing(Stage.PROBE, PartRef(board_id, refdes), text, _SIGNATURE_MINUTES, bits)


def _best_pin(moment: Moment, board: BoardDefinition, net: str) -> tuple[str, int]:
    """Where a net is read: at the output that drives it, else at its first pin."""
    pins = dict(board.nets).get(net)
    if not pins:
        alone, _, pin = net.rpartition(".")
        return alone, int(pin)
    for refdes, number in pins:
        chip = moment.chip_type(PartRef(board.id, refdes))
        if chip is not None and number <= len(chip.pins) and chip.pin_number(number).role == "output":
            return refdes, number
    return pins[0][0], pins[0][1]


def expected_at(moment: Moment, place: PartRef, pin: int) -> Expected | None:
    """What a pin shows on a healthy board in free run; None without a dictionary, and when free run is over."""
    dictionary = moment.dictionaries.get(place.board) if free_run_goes_on(moment.snapshot) else None
    board = moment.boards[place.board]
    net = board.line_of(place.refdes, pin)
    if dictionary is None or net not in dictionary.number_of:
        return None
    good = dictionary.good(net)
    frequency = good.rises / int(dictionary.clocks[0]) * _clock(board)
    certain = not bool(dictionary.unsure[dictionary.number_of[net]])
    return Expected(good.state, frequency, good.signature, certain)


def expected_words(moment: Moment, expected: Expected) -> str:
    """What is expected in words: `signature 7A5F, 500 kHz in free run`."""
    if not expected.certain:
        return say("anything in free run: it depends on the state at power-on")
    told = [say("signature {shown}", shown=shown_signature(moment, expected.signature))]
    told += [format_quantity(expected.frequency, "Hz")] if expected.frequency and expected.state == "P" else []
    return say("{shown} in free run", shown=joined(", ", told))


def signature_words(moment: Moment, place: PartRef, pin: int) -> str:
    """A signature taken at a pin, and what it gives away: a line that stays at a level, or follows another pin."""
    taken = moment.snapshot.readings.pin_signatures.get(place, {})
    value = taken[pin].value
    if value is None:
        return say("unstable")
    shown = shown_signature(moment, value)
    for level, words in ((255, say("{shown}, stays high", shown=shown)), (0, say("{shown}, stays low", shown=shown))):
        if value == _steady_signature(moment, level):
            return words
    alike = next((other for other, entry in taken.items() if other != pin and entry.value == value), None)
    return say("{shown}, as pin {pin}", shown=shown, pin=alike) if alike is not None else shown


def _steady_signature(moment: Moment, byte: int) -> int:
    """What the tester shows of a line that stays low (0) or high (255) over its window."""
    register, clocks = register_from(moment.snapshot.decision("register")), window_of(moment.snapshot)
    key = ("steady signature", register, clocks, byte)
    return moment.memo.of(key, lambda: signature_value(steady(byte & 1, -(-clocks // 32)), register, 2 * clocks))
