"""How much more likely the readings of a whole chip are if it is faulty than if it is healthy.

The readings of one chip are one observation: one input misread can make every output look wrong. So the healthy chip is
given every way in which one or two of the deciding readings may be wrong, and two uses of its registers (a pipeline,
whose data moves past the clock, or a port, which mostly holds); a faulty one has one output stuck low or high or open,
or one input that does not arrive inside. docs/method.md has the figures, which are assumptions.
"""

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations, product

from loyal_trace.core.chips.model import ChipType, Pin
from loyal_trace.core.probing.check import Readings, expected_of, input_drives, possible_for
from loyal_trace.core.probing.drives import BEHAVIOURS, DRIVE_OF_STATE, Drive
from loyal_trace.core.probing.states import NOT_PROBED, PinReading
from loyal_trace.core.probing.verdicts import ChipVerdict, OutputVerdict
from loyal_trace.core.vocabulary.verdicts import OutputWord

MISREADING = 0.02
# Low, high, pulsing, no level: a misreading is one of the three others.
_WAYS = 3
# A pin read again with the same result: a bad contact of the probe misreads twice, so it counts five times, not fifty.
_REPEATED, _AS_LIKELY_WRONG = 5.0, 0.5
# More readings alike than these prove nothing more: what is left is the wrong pin touched each time.
_MOST_REPEATS = 8
_STUCK_LOW, _STUCK_HIGH, _OPEN = 0.42, 0.42, 0.16
_INPUT_SHARE = 0.1
# What is possible but not usual: for gates that are used freely or in a restricted way, and for registers in a pipeline
# or in a port.
_RARE_GATES = (0.12, 0.50)
_USES = {"pipeline": 0.27, "port": 0.75}
# A healthy output at no level: worn probe, a fight that lasts a moment.
_NO_LEVEL = 0.01
_NEVER = 0.002
_MOST_DOUBTED = 4
# Of many pins that could explain it, pairs are only taken of the first.
_MOST_AT_ONCE = {1: _MOST_DOUBTED, 2: 2}
# Frequencies are misread less often than levels; few faults make a wrong one.
_WRONG_RATE_HEALTHY, _WRONG_RATE_FAULTY = 0.01, 0.10
Repeats = Mapping[int, int]


@dataclass(frozen=True)
class ChipOdds:
    """Natural log of P(readings | faulty) ÷ P(readings | healthy), and the pins that are worth reading again."""

    log_ratio: float
    read_again: tuple[int, ...] = ()


def chip_odds(verdict: ChipVerdict, readings: Readings, repeats: Repeats | None = None) -> ChipOdds:
    """The odds of a chip from the verdicts on its outputs and the readings behind them.

    `repeats`: how often each pin was read with the same result (1 when it is not named; less when it is doubted).
    """
    judged = [v for v in verdict.outputs if v.verdict in _JUDGED and _drives_always(verdict.chip, v)]
    if not judged:
        return ChipOdds(0.0)
    # One unusual output happens more often than misreadings do; several at once may have one cause.
    at_once = (1, 2) if verdict.impossible else (1,) if len(verdict.unusual) > 1 else ()
    doubted = _doubted(judged)
    explaining = doubted if at_once else ()
    case = _Case(verdict.chip, readings, repeats or {}, tuple(v.pin for v in judged))
    healthy = faulty = 0.0
    for weight, changed in case.misread(explaining, at_once):
        rows = [case.row(changed, use) for use in _uses(verdict.chip)]
        healthy += weight * _mean(math.prod(row) for row in rows)
        faulty += weight * (1 - _INPUT_SHARE) * _mean(case.one_output_faulty(row) for row in rows)
    faulty += _INPUT_SHARE * case.one_input_faulty(explaining)
    factor_healthy, factor_faulty = _beside_levels(judged)
    ratio = (faulty * factor_faulty + 1e-12) / (healthy * factor_healthy + 1e-12)
    return ChipOdds(math.log(ratio), tuple(sorted({*doubted, *(v.pin for v in judged if _speaks_against(v))})))


_JUDGED = (OutputWord.POSSIBLE, OutputWord.UNUSUAL, OutputWord.IMPOSSIBLE)


def _drives_always(chip: ChipType, verdict: OutputVerdict) -> bool:
    """An output that may be off says nothing by its level."""
    return verdict.expected not in ("", *_OFF)


_OFF = ("off", "on and off")


def _speaks_against(verdict: OutputVerdict) -> bool:
    return verdict.verdict in (OutputWord.IMPOSSIBLE, OutputWord.UNUSUAL)


def _doubted(judged: Sequence[OutputVerdict]) -> tuple[int, ...]:
    """The inputs whose misreading would explain what is wrong, those that decide most outputs first."""
    counts: dict[int, int] = {}
    for verdict in judged:
        if _speaks_against(verdict):
            for pin in verdict.because:
                counts[pin] = counts.get(pin, 0) + 1
    ordered = sorted(counts, key=lambda pin: (-counts[pin], pin))
    return tuple(pin for pin in ordered if pin not in {v.pin for v in judged})[:_MOST_DOUBTED]


def _uses(chip: ChipType) -> tuple[float, ...]:
    """How often what is possible but unusual happens, for each use that the chip may have."""
    return tuple(_USES.values()) if chip.registers else _RARE_GATES


def _beside_levels(judged: Sequence[OutputVerdict]) -> tuple[float, float]:
    """(healthy, faulty) likelihood of what is wrong beside the single levels: pairs of outputs, frequencies."""
    pairs = {frozenset((v.pin, *v.because)) for v in judged if _wrong_together(v, judged)}
    rates = [v for v in judged if v.verdict is OutputWord.IMPOSSIBLE and v.reading.frequency is not None]
    healthy = MISREADING ** min(2, len(pairs)) * _WRONG_RATE_HEALTHY ** min(1, len(rates))
    return healthy, _WRONG_RATE_FAULTY ** min(1, len(rates))


def _wrong_together(verdict: OutputVerdict, judged: Sequence[OutputVerdict]) -> bool:
    outputs = {one.pin for one in judged}
    return verdict.verdict is OutputWord.IMPOSSIBLE and bool(verdict.because) and set(verdict.because) <= outputs


def _mean(values: Iterator[float]) -> float:
    found = list(values)
    return sum(found) / len(found)


class _Case:
    """One chip with its readings: what each output is likely to be read as."""

    def __init__(self, chip: ChipType, readings: Readings, repeats: Repeats, outputs: tuple[int, ...]) -> None:
        self.chip, self.readings, self.repeats = chip, readings, repeats
        self.outputs = outputs

    def _error(self, pin: int) -> float:
        """The probability that a pin was misread."""
        again = min(self.repeats.get(pin, 1), _MOST_REPEATS) - 1
        return min(_AS_LIKELY_WRONG, float(MISREADING / _REPEATED**again))

    def misread(self, doubted: Sequence[int], at_once: Sequence[int]) -> Iterator[tuple[float, Readings]]:
        """(probability, readings as they would be) with none, one or two of the doubted pins misread."""
        yield 1.0, self.readings
        for count in at_once:
            for pins in combinations(doubted[: _MOST_AT_ONCE[count]], count):
                for states in product(*(self._others(pin) for pin in pins)):
                    weight = math.prod(self._error(pin) / _WAYS for pin in pins)
                    yield weight, {**self.readings, **dict(zip(pins, states, strict=True))}

    def _others(self, pin: int) -> list[PinReading]:
        """What a pin may really do when it was misread."""
        return [PinReading(state) for state in DRIVE_OF_STATE if state != self.readings[pin].state]

    def row(self, readings: Readings, rare: float) -> list[float]:
        """For each output, the probability of what was read there if the chip is healthy."""
        return [self._healthy(self.chip.pin_number(pin), readings, rare) for pin in self.outputs]

    def _healthy(self, pin: Pin, readings: Readings, rare: float) -> float:
        expected = expected_of(self.chip, pin, readings)
        if expected.released != "never":
            return 1 / 3
        reading = self.readings.get(pin.number, NOT_PROBED)
        likely = set(expected.likely)
        # With a misread pin the exact search is not worth its time: it would add next to nothing.
        seen_as_read = readings is self.readings and reading.state in DRIVE_OF_STATE
        if seen_as_read and DRIVE_OF_STATE[reading.state] not in likely:
            drives = input_drives(self.chip, readings, surely=True)
            seen = DRIVE_OF_STATE[reading.state]
            likely |= {seen} if possible_for(self.chip, pin, drives, seen) else set()
        shares = _shares(frozenset(likely), expected.usual, rare)
        return sum(shares[behaviour] * self._read_as(pin.number, behaviour) for behaviour in BEHAVIOURS)

    def _read_as(self, pin: int, behaviour: Drive) -> float:
        """The probability of the reading of an output that does this."""
        reading = self.readings.get(pin, NOT_PROBED)
        if reading.state not in DRIVE_OF_STATE:
            return _NO_LEVEL
        error = self._error(pin)
        return 1 - error if DRIVE_OF_STATE[reading.state] == behaviour else error / _WAYS

    def one_output_faulty(self, row: Sequence[float]) -> float:
        """The probability of all readings when one output is faulty, whichever, and the others are healthy."""
        total = math.prod(row)
        share = 0.0
        for healthy, pin in zip(row, self.outputs, strict=True):
            share += (total / healthy if healthy > 0 else 0.0) * self._faulty(pin)
        # Outputs that were not probed may be the faulty one as well.
        count = len(self.chip.output_pins)
        return (share + (count - len(row)) * total) / count

    def _faulty(self, pin: int) -> float:
        reading = self.readings.get(pin, NOT_PROBED)
        left_open = 0.45 if reading.state == "Z" else 0.25 if reading.state == "X" else 0.10
        return _STUCK_LOW * self._read_as(pin, 0) + _STUCK_HIGH * self._read_as(pin, 1) + _OPEN * left_open

    def one_input_faulty(self, doubted: Sequence[int]) -> float:
        """The probability of all readings when one input does not arrive inside: it is low, or high, for good."""
        inputs = [pin.number for pin in self.chip.pins if pin.role == "input"]
        uses = _uses(self.chip)
        unchanged = _mean(math.prod(self.row(self.readings, use)) for use in uses)
        found = unchanged * (len(inputs) - len(doubted))
        for pin, state in product(doubted, "LH"):
            changed = {**self.readings, pin: replace(self.readings[pin], state=state, voltage=None, frequency=None)}
            found += _mean(math.prod(self.row(changed, use)) for use in uses) / 2
        return found / max(1, len(inputs))


def _shares(possible: frozenset[Drive], usual: frozenset[Drive], rare: float) -> dict[Drive, float]:
    """How often a healthy output does each: mostly what is usual, at times what is possible, next to never the rest."""
    unusual = possible - usual
    share = rare if unusual and usual else 0.0
    found: dict[Drive, float] = {}
    for behaviour in BEHAVIOURS:
        if behaviour in usual:
            found[behaviour] = (1 - share) / len(usual)
        elif behaviour in unusual:
            found[behaviour] = share / len(unusual) if usual else 1 / len(unusual)
        else:
            found[behaviour] = _NEVER
    return found
