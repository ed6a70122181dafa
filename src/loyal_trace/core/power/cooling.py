"""Heat sinks: how good one has to be for the heat of a part, how large that is, and whether it fits the room."""

import math
from dataclasses import dataclass

from loyal_trace.core.power.formulas import not_negative, positive
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.units import format_quantity

# A junction at 100 °C lasts four times as long as one at 120 °C (10 K rule); most are rated to 125 or 150 °C.
JUNCTION_LIMIT = 100.0
# Air inside a closed case with everything running, where nobody measured it.
CASE_AIR = 45.0
# Nothing works above it: a regulator shuts off, a transistor is destroyed.
_SHUTS_OFF = 200.0
# An insulating sheet with compound on both sides.
SHEET = 0.8
# Still air on both sides of an upright plate 30 to 50 K warmer than it, radiation of a dull surface included (W/m²K).
_STILL_AIR = 9.0
# No plate wider than this has a place on a board; above it a shop sink with fins, or the case, is what helps.
_WIDEST = 0.15


@dataclass(frozen=True)
class Housing:
    """What a package does by itself: junction to case, and junction to still air without a sink (kelvin per watt)."""

    junction_case: float
    junction_air: float


@dataclass(frozen=True)
class SinkNeed:
    """What a part of some heat (watt) needs: the sink's resistance (K/W), and the junction (°C) without any sink.

    `needed` None: none is needed. 0 or less: no sink is enough, the heat has to become less.
    """

    power: float
    needed: float | None
    bare: float

    @property
    def words(self) -> str:
        """What it needs, in words."""
        heat = format_quantity(self.power, "W")
        if self.needed is None:
            return say(
                "{heat} of heat: {bare:.0f} °C inside without a heat sink, none is needed", heat=heat, bare=self.bare
            )
        if self.needed <= 0:
            return say("{heat} of heat: no heat sink is enough", heat=heat)
        alone = (
            say("{bare:.0f} °C", bare=self.bare)
            if self.bare <= _SHUTS_OFF
            else say("a temperature far beyond its limit")
        )
        return say(
            "{heat} of heat would bring it to {alone} without a heat sink; it needs one of at most {needed:.1f} K/W",
            heat=heat,
            alone=alone,
            needed=self.needed,
        )


def sink_need(power: float, housing: Housing, ambient: float = CASE_AIR, limit: float = JUNCTION_LIMIT) -> SinkNeed:
    """θsa = (Tj − Ta)/P − θjc − θcs, the usual chain of thermal resistances; RequestError for a negative power."""
    not_negative(power=power)
    bare = ambient + power * housing.junction_air
    if bare <= limit:
        return SinkNeed(power, None, bare)
    return SinkNeed(power, (limit - ambient) / power - housing.junction_case - SHEET, bare)


def junction_with(power: float, housing: Housing, sink: float, ambient: float = CASE_AIR) -> float:
    """The junction (°C) with a heat sink of so many kelvin per watt: Tj = Ta + P·(θjc + θcs + θsa)."""
    return ambient + power * (housing.junction_case + SHEET + sink)


def plate_area(sink: float) -> float:
    """Area (m², one side) of an upright aluminium plate of so many kelvin per watt: θ = 1/(2·h·A)."""
    positive(sink=sink)
    return 1 / (2 * _STILL_AIR * sink)


def plate_in_room(sink: float, height: float | None) -> tuple[float, float] | None:
    """(width, height) in metres of a plate for a sink, no higher than the room (metres; None: free).

    None where it would be wider than a board has place for.
    """
    area = plate_area(sink)
    side = math.sqrt(area)
    tall = side if height is None else min(side, height)
    if tall <= 0 or area / tall > _WIDEST:
        return None
    return area / tall, tall
