"""The series resistance that an aluminium electrolytic may have, at the frequency at which a meter reads it.

At 120 Hz the dielectric's loss counts (`ESR = tan δ / (2π f C)`), at 100 kHz only electrolyte, foil and leads. The
limits of both are data (`resources/data/esr.toml`, with their sources); between them the excess falls as 1/f.
"""

import math
import tomllib
from dataclasses import dataclass

_RIPPLE_FREQUENCY = 120.0


@dataclass(frozen=True)
class EsrLimit:
    """The largest resistance (ohm) still in order, the frequency (hertz) it holds at, and whether that was assumed."""

    ohm: float
    frequency: float
    assumed: bool


class EsrTable:
    """The limits by value and voltage, read from the data file."""

    def __init__(self, text: str) -> None:
        told = tomllib.loads(text)
        impedance, loss = told["impedance"], told["tan_delta"]
        self.in_service = float(told["in_service"])
        self.loss_frequency = float(loss["frequency"])
        self.handheld = float(told["handheld_frequency"])
        self.sources = (str(impedance["source"]), str(loss["source"]))
        self._voltages = [float(v) for v in impedance["voltages"]]
        self._rows = [(float(row["capacitance"]) * 1e-6, [float(r) for r in row["ohm"]]) for row in impedance["rows"]]
        self._loss = list(zip((float(v) for v in loss["voltages"]), (float(d) for d in loss["limits"]), strict=True))

    def limit(self, capacitance: float, voltage: float | None, frequency: float | None = None) -> EsrLimit:
        """The limit of a part in service, by its marked value (farad), rating (volt) and the meter's frequency (hertz).

        An unknown frequency is taken as that of handheld testers, an unknown rating as the lowest (the widest limit).
        """
        at = frequency or self.handheld
        rating = voltage or self._voltages[0]
        high = self._at_100_khz(capacitance, rating)
        low = self._at_120_hz(capacitance, rating)
        excess = max(0.0, low - high) * min(1.0, _RIPPLE_FREQUENCY / at)
        return EsrLimit(self.in_service * (high + excess), at, frequency is None)

    def _at_120_hz(self, capacitance: float, voltage: float) -> float:
        tan_delta = next((limit for rating, limit in self._loss if voltage <= rating), self._loss[-1][1])
        return tan_delta / (2 * math.pi * _RIPPLE_FREQUENCY * capacitance)

    def _at_100_khz(self, capacitance: float, voltage: float) -> float:
        """Between the rows on a double logarithmic scale; beyond them along the slope of the last two."""
        column = next((n for n, rating in enumerate(self._voltages) if voltage <= rating), len(self._voltages) - 1)
        above = next((n for n, (c, _) in enumerate(self._rows) if c >= capacitance), len(self._rows) - 1)
        (c0, row0), (c1, row1) = self._rows[max(0, above - 1)], self._rows[max(1, above)]
        slope = math.log(row1[column] / row0[column]) / math.log(c1 / c0)
        return float(row0[column] * (capacitance / c0) ** slope)
