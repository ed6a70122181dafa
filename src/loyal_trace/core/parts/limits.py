"""What a sound capacitor of each kind may measure, read from data files with their sources."""

import math
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from loyal_trace.core.parts.esr import EsrLimit, EsrTable
from loyal_trace.core.parts.spec import BIPOLAR, LOW_IMPEDANCE, CapacitorSpec

_CLASS_1 = ("C0G", "NP0")
_CLASS_1_UP_TO = 1e-9
_ELECTROLYTIC_FROM = 0.47e-6
_WITH_ESR_LIMIT = ("aluminium", "tantalum", "polymer")


@dataclass(frozen=True)
class ShareLimits:
    """The lowest and highest share of the marked capacitance that is good, and that is at least doubtful."""

    good: tuple[float, float]
    doubtful: tuple[float, float]


@dataclass(frozen=True)
class LeakageLimit:
    """The leakage (ampere) up to which a part is good, and from which it is bad."""

    good: float
    bad: float


@dataclass(frozen=True)
class LifeRule:
    """The rule of ten kelvin: hours at a temperature (°C) when nothing is marked, and how sure it is."""

    halves_every: float
    hours: float
    temperature: float
    uncertain_kelvin: float
    longer: float


@dataclass(frozen=True, eq=False)
class CapacitorLimits:
    """Every limit on a measured capacitor. `heat`: (within mm, warmer by K), nearest first."""

    esr: EsrTable
    shares: Mapping[str, ShareLimits]
    losses: Mapping[str, tuple[float, float]]
    leakages: Mapping[str, tuple[float, float, float]]
    esr_factors: Mapping[str, float]
    temperature: Mapping[str, float]
    resistance: Mapping[str, float]
    bias: Mapping[str, tuple[float, ...]]
    life: LifeRule
    heat: tuple[tuple[float, float], ...]
    sources: tuple[str, ...] = field(default=(), compare=False)

    def share(self, spec: CapacitorSpec) -> ShareLimits:
        """Limits on capacitance by kind."""
        return self.shares[kind_of_capacitor(spec)]

    def loss(self, spec: CapacitorSpec) -> tuple[float, float]:
        """The share of voltage lost up to which a part is good, and from which it is bad."""
        return self.losses[kind_of_capacitor(spec)]

    def leakage(self, spec: CapacitorSpec) -> LeakageLimit | None:
        """The limits on leakage at the rated voltage; None where value or rating are not known."""
        if spec.value is None or not spec.voltage:
            return None
        per_charge, floor, times = self.leakages[kind_of_capacitor(spec)]
        good = max(floor, per_charge * spec.value * spec.voltage)
        return LeakageLimit(good, times * good)

    def esr_limit(self, spec: CapacitorSpec, frequency: float | None, celsius: float | None) -> EsrLimit | None:
        """The largest resistance in order at the meter's frequency and the part's temperature; None: none is known."""
        if spec.value is None or kind_of_capacitor(spec) not in _WITH_ESR_LIMIT:
            return None
        limit = self.esr.limit(spec.value, spec.voltage, frequency)
        factor = self.esr_factors["polymer"] if spec.technology == "polymer" else 1.0
        factor *= {LOW_IMPEDANCE: self.esr_factors["low_impedance"], BIPOLAR: self.esr_factors["bipolar"]}.get(
            spec.series, 1.0
        )
        if celsius is not None and kind_of_capacitor(spec) == "aluminium":
            factor *= self.warmth(celsius)
        return EsrLimit(limit.ohm * factor, limit.frequency, limit.assumed)

    def warmth(self, celsius: float) -> float:
        """How many times its resistance at 20 °C a wet electrolytic has at another temperature."""
        apart = self.temperature["reference"] - celsius
        return float(2 ** (apart / (self.temperature["doubles_every" if apart > 0 else "halves_every"])))

    def left_under_bias(self, spec: CapacitorSpec, volts: float) -> float:
        """The share of its capacitance that a ceramic keeps under a direct voltage; 1 for all others."""
        if spec.technology != "ceramic" or _is_class_1(spec) or not spec.voltage:
            return 1.0
        curve = self.bias.get(spec.dielectric, self.bias["other"])
        return float(np.interp(min(1.0, abs(volts) / spec.voltage), self.bias["points"], curve))


def _is_class_1(spec: CapacitorSpec) -> bool:
    small = not spec.dielectric and spec.value is not None and spec.value <= _CLASS_1_UP_TO
    return spec.dielectric in _CLASS_1 or small


def kind_of_capacitor(spec: CapacitorSpec) -> str:
    """The row of the limits: by technology, else by value; ceramics by class."""
    kind = spec.technology
    if not kind:
        kind = "aluminium" if (spec.value or 0.0) >= _ELECTROLYTIC_FROM else "ceramic"
    return "class 1" if kind == "ceramic" and _is_class_1(spec) else kind


def insulation(limit: LeakageLimit, voltage: float) -> float:
    """The resistance (ohm) that a leakage limit stands for."""
    return voltage / limit.good if limit.good > 0 else math.inf


def capacitor_limits(esr: str, limits: str) -> CapacitorLimits:
    """The limits from the texts of the two data files."""
    told = tomllib.loads(limits)
    life, bias = told["life"], told["dc_bias"]
    plain = ("esr", "temperature", "resistance")
    numbers = {name: {k: float(v) for k, v in told[name].items() if k != "source"} for name in plain}
    rows = [*told["capacitance"], *told["loss"], *told["leakage"], *told["heat"]]
    return CapacitorLimits(
        EsrTable(esr),
        {row["kind"]: ShareLimits(_pair(row["good"]), _pair(row["doubtful"])) for row in told["capacitance"]},
        {kind: (float(row["good"]), float(row["bad"])) for row in told["loss"] for kind in row["kinds"]},
        {
            kind: (float(row["per_charge"]), float(row["floor"]), float(row["bad_times"]))
            for row in told["leakage"]
            for kind in row["kinds"]
        },
        numbers["esr"],
        numbers["temperature"],
        numbers["resistance"],
        {name: tuple(float(v) for v in values) for name, values in bias.items() if name != "source"},
        LifeRule(**{k: float(v) for k, v in life.items() if k != "source"}),
        tuple(sorted((float(row["within"]), float(row["warmer"])) for row in told["heat"])),
        tuple(str(row["source"]) for row in (*rows, *(told[name] for name in (*plain, "dc_bias", "life")))),
    )


def _pair(values: list[float]) -> tuple[float, float]:
    low, high = values
    return float(low), float(high)
