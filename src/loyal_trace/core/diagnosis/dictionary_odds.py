"""From readings in free run to the faults that would cause them, and the net to read next.

Every fault of one pin is a hypothesis, and so is "none of these": healthy, two faults, or a kind that the dictionary
has not. A reading that a hypothesis predicts comes out with a probability of `_READ_RIGHT`: misreadings happen.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.simulation.dictionary import STATES, Dictionary

_READ_RIGHT = 0.97
# Of a board with none of these faults: a net shows what it should, or something that nothing predicts.
_OTHER_AS_GOOD = 0.9
# Outputs carry the load, and fail more often than inputs.
_OUTPUT_TO_INPUT = 4.0
# Of the probability of a board's faults, what no fault of one pin accounts for.
_NONE_OF_THESE = 0.25
_SAME_RATE = 0.02
_LEAST = 1e-4


@dataclass(frozen=True)
class NetReading:
    """What one net shows: a state (L, H, P), a frequency (rising edges a clock), or a signature; one of them."""

    net: str
    state: str = ""
    rate: float | None = None
    signature: int | None = None


@dataclass(frozen=True, eq=False)
class FaultOdds:
    """The probability of every fault of a dictionary, and of none of them, given the readings."""

    dictionary: Dictionary
    probability: NDArray[np.float64]
    none: float
    readings: tuple[NetReading, ...]

    @cached_property
    def parts(self) -> dict[str, float]:
        """Refdes → the probability that one of its pins is at fault."""
        found: dict[str, float] = {}
        for refdes, probability in zip(self.dictionary.refdes.tolist(), self.probability.tolist(), strict=True):
            found[refdes] = found.get(refdes, 0.0) + probability
        return found

    def likeliest(self, refdes: str) -> int:
        """The fault of a part that fits best, by its number in the dictionary."""
        own = np.flatnonzero(self.dictionary.refdes == refdes)
        return int(own[np.argmax(self.probability[own])])

    def explained(self, fault: int) -> int:
        """How many readings are what a fault predicts."""
        return int(self._explained[fault])

    def shows(self, fault: int) -> bool:
        """Would a fault make a difference to any reading that was taken?"""
        changed = self.dictionary.changes(fault)
        return any(reading.net in changed for reading in self.readings)

    @cached_property
    def _explained(self) -> NDArray[np.int64]:
        agreeing = [_agrees(self.dictionary, reading) for reading in self.readings]
        return np.asarray(np.sum(agreeing, axis=0, dtype=np.int64) + np.zeros(len(self.probability), dtype=np.int64))

    def next_nets(self, count: int = 3) -> list[tuple[str, float]]:
        """(net, bits) of the signatures that tell most about which fault it is, those not read yet."""
        dictionary, weights = self.dictionary, self.probability * self.dictionary.visible
        total = float(weights.sum())
        if total <= _LEAST:
            return []
        # What a net shows splits the faults into groups: one for each signature, and one that leaves it as it is.
        keys = dictionary.net.astype(np.int64) << 32 | dictionary.signature
        groups, inverse = np.unique(keys, return_inverse=True)
        shares = np.bincount(inverse, weights=weights[dictionary.fault_of_change]) / total
        net_of_group = groups >> 32
        unchanged = 1.0 - np.bincount(net_of_group, weights=shares, minlength=len(dictionary.nets))
        bits = np.bincount(net_of_group, weights=_plogp(shares), minlength=len(dictionary.nets)) + _plogp(unchanged)
        read = {reading.net for reading in self.readings if reading.signature is not None}
        bits[dictionary.unsure | np.isin(dictionary.nets, sorted(read))] = 0.0
        best = np.argsort(-bits, kind="stable")[:count]
        return [(str(dictionary.nets[n]), float(bits[n] * total)) for n in best if bits[n] * total > _LEAST]


def _plogp(shares: NDArray[Any]) -> NDArray[np.float64]:
    """-p·log2(p), 0 for none."""
    held = np.clip(shares, 1e-300, 1.0)
    return np.asarray(-held * np.log2(held))


def weigh(dictionary: Dictionary, readings: Sequence[NetReading], priors: Mapping[str, float], width: int) -> FaultOdds:
    """The odds of all faults. `priors`: the probability of each part to be faulty, shared by its faults.

    Readings of nets that the dictionary does not know, or that hang on the state at power-on, say nothing.
    """
    usable = tuple(
        reading
        for reading in readings
        if reading.net in dictionary.number_of and not dictionary.unsure[dictionary.number_of[reading.net]]
    )
    prior = _priors(dictionary, priors)
    total = prior.sum()
    logs, none = np.log(np.maximum(prior / max(total, 1e-12) * (1 - _NONE_OF_THESE), 1e-12)), math.log(_NONE_OF_THESE)
    for reading in usable:
        wrong = (1 - _READ_RIGHT) / _others(reading, width)
        logs += np.where(_agrees(dictionary, reading), math.log(_READ_RIGHT), math.log(wrong))
        good = _OTHER_AS_GOOD if _good_agrees(dictionary, reading) else (1 - _OTHER_AS_GOOD) / _others(reading, width)
        none += math.log(good)
    top = max(float(logs.max(initial=-math.inf)), none)
    shares, rest = np.exp(logs - top), math.exp(none - top)
    whole = float(shares.sum()) + rest
    return FaultOdds(dictionary, shares / whole, rest / whole, usable)


def _priors(dictionary: Dictionary, priors: Mapping[str, float]) -> NDArray[np.float64]:
    """The probability of every fault before anything was read: that of its part, shared out over its pins."""
    share = np.where(dictionary.kind == "output-stuck", _OUTPUT_TO_INPUT, 1.0)
    names, part = np.unique(dictionary.refdes, return_inverse=True)
    of_part = np.array([priors.get(str(name), 0.0) for name in names])
    return np.asarray(of_part[part] * share / np.bincount(part, weights=share)[part])


def _others(reading: NetReading, width: int) -> float:
    """How many other answers there are."""
    return 2.0 if reading.state else 20.0 if reading.rate is not None else 2.0**width - 1


def _agrees(dictionary: Dictionary, reading: NetReading) -> NDArray[np.bool_]:
    """Which faults predict a reading."""
    if reading.state:
        return np.asarray(dictionary.column("state", reading.net) == STATES.index(reading.state))
    if reading.rate is not None:
        rises = dictionary.column("rises", reading.net) / int(dictionary.clocks[0])
        return np.asarray(np.abs(rises - reading.rate) <= _SAME_RATE * np.maximum(rises, reading.rate))
    return np.asarray(dictionary.column("signature", reading.net) == reading.signature)


def _good_agrees(dictionary: Dictionary, reading: NetReading) -> bool:
    good = dictionary.good(reading.net)
    if reading.state:
        return good.state == reading.state
    if reading.rate is not None:
        rate = good.rises / int(dictionary.clocks[0])
        return abs(rate - reading.rate) <= _SAME_RATE * max(rate, reading.rate)
    return good.signature == reading.signature
