"""How much of its life an aluminium electrolytic has behind it: the rule of ten kelvin, in use and on the shelf.

`L = L0 · 2^((T0 − T)/10)` (IEC 61709 and makers' guides). The band is wide on purpose: ten kelvin either way, and parts
that outlive their rated hours up to three times.
"""

from dataclasses import dataclass

from loyal_trace.core.parts.limits import LifeRule
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say

HOURS_A_YEAR = 8766.0


@dataclass(frozen=True)
class Years:
    """What a part has been through: hours in use at a temperature (°C), years on the shelf at another."""

    used_hours: float = 0.0
    used_celsius: float = 45.0
    shelf_years: float = 0.0
    shelf_celsius: float = 20.0


@dataclass(frozen=True)
class Age:
    """The share of its life that is behind it (1 is the end of it): likely, and its range; rated hours and °C used."""

    likely: float
    low: float
    high: float
    hours: float
    celsius: float
    assumed: bool

    @property
    def word(self) -> str:
        """young, ageing, at its end or past it."""
        if self.low > 1.0:
            return say("past its rated life")
        if self.likely > 1.0:
            return say("at the end of its rated life")
        return say("ageing") if self.high > 1.0 else say("within its rated life")


def age_of(rule: LifeRule, years: Years, rated_hours: float | None = None, rated_celsius: float | None = None) -> Age:
    """The age of a part; unmarked parts are taken as of the usual rating. RequestError for times that cannot be."""
    hours, celsius = rated_hours or rule.hours, rated_celsius or rule.temperature
    if hours <= 0 or years.used_hours < 0 or years.shelf_years < 0:
        raise RequestError(say("hours and years are 0 or more, and a rated life is above 0"))

    def spent(warmer: float) -> float:
        use = years.used_hours * _speed(rule, celsius, years.used_celsius + warmer)
        shelf = years.shelf_years * HOURS_A_YEAR * _speed(rule, celsius, years.shelf_celsius + warmer)
        return (use + shelf) / hours

    likely = spent(0.0)
    low, high = spent(-rule.uncertain_kelvin) / rule.longer, spent(rule.uncertain_kelvin)
    return Age(likely, low, high, hours, celsius, rated_hours is None or rated_celsius is None)


def _speed(rule: LifeRule, rated: float, celsius: float) -> float:
    """How many rated hours an hour at a temperature costs."""
    return float(2 ** ((celsius - rated) / rule.halves_every))
