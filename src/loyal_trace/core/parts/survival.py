"""How many of the capacitors that nobody measured are bad, judged by those that were; and what that makes worth doing.

Parts of one value, rating and kind are a group; groups lean on what all of them together show, the more the fewer of
the group were measured (a beta prior of the strength of two parts). Ranges hold nine cases in ten.
"""

from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from math import lgamma

import numpy as np

_PRIOR_STRENGTH, _LOW, _HIGH = 2.0, 0.05, 0.95
# Minutes at the bench: for measuring one in circuit, for replacing one, and for a fault that comes back later.
MEASURE_MINUTES, REPLACE_MINUTES, RETURN_MINUTES = 2.0, 8.0, 60.0


class Advice(StrEnum):
    """What costs the fewest minutes in the end."""

    REPLACE = "replace them too"
    MEASURE = "measure them"
    LEAVE = "leave them"


@dataclass(frozen=True)
class GroupEstimate:
    """Of one group: how many were measured and were bad; the share that is bad and how many of the rest, with ranges.

    `minutes` are the expected minutes by advice.
    """

    group: Hashable
    measured: int
    bad: int
    unmeasured: int
    share: float
    share_range: tuple[float, float]
    expected: float
    expected_range: tuple[int, int]
    minutes: Mapping[Advice, float]

    @property
    def advice(self) -> Advice:
        """What costs the fewest minutes."""
        return min(self.minutes, key=lambda one: self.minutes[one])


def estimate_rest(
    measured: Sequence[tuple[Hashable, bool]], unmeasured: Sequence[Hashable]
) -> tuple[GroupEstimate, ...]:
    """One estimate for each group that has unmeasured parts; `measured` are (group, is it bad?)."""
    bad = sum(is_bad for _, is_bad in measured)
    mean = (bad + 0.5) / (len(measured) + 1)
    found = []
    for group in dict.fromkeys(unmeasured):
        here = [is_bad for name, is_bad in measured if name == group]
        first = _PRIOR_STRENGTH * mean + sum(here)
        second = _PRIOR_STRENGTH * (1 - mean) + len(here) - sum(here)
        found.append(_group(group, len(here), sum(here), unmeasured.count(group), first, second))
    return tuple(found)


def _group(group: Hashable, measured: int, bad: int, rest: int, first: float, second: float) -> GroupEstimate:
    from scipy.special import betaincinv  # when it is asked for, not with every plan

    share = first / (first + second)
    bounds = (float(betaincinv(first, second, _LOW)), float(betaincinv(first, second, _HIGH)))
    chances = beta_binomial(rest, first, second)
    below = np.cumsum(chances)
    fewest, most = (int(np.searchsorted(below, level)) for level in (_LOW, _HIGH))
    expected = rest * share
    minutes = {
        Advice.REPLACE: rest * REPLACE_MINUTES,
        Advice.MEASURE: rest * MEASURE_MINUTES + expected * REPLACE_MINUTES,
        Advice.LEAVE: expected * RETURN_MINUTES,
    }
    return GroupEstimate(group, measured, bad, rest, share, bounds, expected, (fewest, min(most, rest)), minutes)


def beta_binomial(count: int, first: float, second: float) -> np.ndarray:
    """The chance of 0 … `count` bad ones, float64 (count + 1,); beta-binomial distribution."""
    whole = _log_beta(first, second)
    logs = [
        lgamma(count + 1) - lgamma(k + 1) - lgamma(count - k + 1) + _log_beta(k + first, count - k + second) - whole
        for k in range(count + 1)
    ]
    found: np.ndarray = np.exp(np.array(logs, dtype=np.float64))
    return found


def _log_beta(first: float, second: float) -> float:
    return lgamma(first) + lgamma(second) - lgamma(first + second)
