"""Textbook sums for a mains supply with rectifier, reservoir and linear regulator.

Sources: any power-supply handbook (capacitor-input filter, linear approximation of the discharge; series thermal
resistances). All quantities in SI base units; each function says where it errs.
RequestError for values that make no sense.
"""

import math
from dataclasses import dataclass

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say

DIODES_IN_PATH = {"bridge": 2, "centre-tap": 1, "half": 1}
_PULSES_A_CYCLE = {"full": 2, "bridge": 2, "centre-tap": 2, "half": 1}


def positive(**quantities: float) -> None:
    """RequestError naming the first quantity that is not a positive finite number."""
    for name, value in quantities.items():
        if not (math.isfinite(value) and value > 0):
            raise RequestError(
                say(
                    "{quantity} must be greater than nothing, not {value:g}",
                    quantity=name.replace("_", " "),
                    value=value,
                )
            )


def not_negative(**quantities: float) -> None:
    """RequestError naming the first quantity that is negative or not a number."""
    for name, value in quantities.items():
        if not (math.isfinite(value) and value >= 0):
            raise RequestError(
                say("{quantity} must not be negative, not {value:g}", quantity=name.replace("_", " "), value=value)
            )


def ripple_frequency(mains: float, rectifier: str = "full") -> float:
    """Frequency (hertz) of the ripple: twice the mains behind a full-wave rectifier, once behind a single diode."""
    positive(mains=mains)
    if rectifier not in _PULSES_A_CYCLE:
        raise RequestError(
            say(
                "“{rectifier}” is not a rectifier known here ({pulses_a_cycle})",
                rectifier=rectifier,
                pulses_a_cycle=joined(", ", _PULSES_A_CYCLE),
            )
        )
    return _PULSES_A_CYCLE[rectifier] * mains


def ripple_voltage(current: float, capacitance: float, frequency: float) -> float:
    """Peak-to-peak ripple (volt) on a reservoir: ΔV ≈ I / (f·C), f the ripple's own frequency (hertz).

    The discharge is taken as linear over the whole period, which errs on the high side by the conduction time.
    """
    not_negative(current=current)
    positive(capacitance=capacitance, frequency=frequency)
    return current / (frequency * capacitance)


def capacitance_from_ripple(current: float, ripple: float, frequency: float) -> float:
    """The capacitance (farad) that a ripple (volt peak to peak) speaks for: C ≈ I / (f·ΔV)."""
    positive(current=current, ripple=ripple, frequency=frequency)
    return current / (frequency * ripple)


def peak_voltage(ac_rms: float, diode_drop: float, diodes_in_path: int = 2) -> float:
    """Peak (volt) on the reservoir: √2·Vrms less the forward drops in the current's path (two in a bridge)."""
    positive(ac_voltage=ac_rms)
    not_negative(diode_drop=diode_drop)
    return max(0.0, math.sqrt(2) * ac_rms - diodes_in_path * diode_drop)


@dataclass(frozen=True)
class Reservoir:
    """What stands on a reservoir: peak, trough and ripple (volt), the ripple's frequency (hertz)."""

    peak_voltage: float
    trough_voltage: float
    ripple_voltage: float
    ripple_frequency: float

    @property
    def mean_voltage(self) -> float:
        """What a meter on DC shows (volt): half-way, for a ripple that is nearly a saw-tooth."""
        return self.peak_voltage - self.ripple_voltage / 2


def reservoir(
    ac_rms: float, diode_drop: float, rectifier: str, current: float, capacitance: float, mains: float
) -> Reservoir:
    """Peak and trough behind a rectifier (`bridge`, `centre-tap` or `half`).

    `ac_rms` is the winding's voltage (of one half, for a centre tap), `diode_drop` one diode's. The trough is not let
    below zero: the linear discharge holds only while it is small against the peak.
    """
    if rectifier not in DIODES_IN_PATH:
        raise RequestError(
            say(
                "“{rectifier}” is not a rectifier known here ({diodes_in_path})",
                rectifier=rectifier,
                diodes_in_path=joined(", ", DIODES_IN_PATH),
            )
        )
    frequency = ripple_frequency(mains, rectifier)
    peak = peak_voltage(ac_rms, diode_drop, DIODES_IN_PATH[rectifier])
    ripple = min(peak, ripple_voltage(current, capacitance, frequency))
    return Reservoir(peak, peak - ripple, ripple, frequency)


def regulator_output(trough: float, nominal: float, dropout: float) -> float:
    """What a linear regulator can hold (volt) at the bottom of the ripple; never below zero."""
    return max(0.0, min(nominal, trough - dropout))


@dataclass(frozen=True)
class RegulatorSums:
    """A linear regulator at work: headroom (volt), heat (watt), junction temperature (°C, None when not asked)."""

    headroom: float
    power: float
    junction_temperature: float | None


def regulator(
    input_voltage: float,
    output_voltage: float,
    dropout: float,
    current: float,
    thermal: tuple[float, ...] = (),
    ambient: float = 25.0,
) -> RegulatorSums:
    """Headroom = Vin − Vout − dropout; P = (Vin − Vout)·I; Tj = Ta + P·Σθ, `thermal` in kelvin per watt.

    Give the input at the bottom of the ripple for the headroom, its mean for the heat.
    """
    not_negative(dropout=dropout, current=current)
    for resistance in thermal:
        not_negative(thermal_resistance=resistance)
    power = max(0.0, input_voltage - output_voltage) * current
    junction = ambient + power * sum(thermal) if thermal else None
    return RegulatorSums(input_voltage - output_voltage - dropout, power, junction)


def charge_time(resistance: float, capacitance: float, threshold: float, supply: float) -> float:
    """Seconds until a capacitor charged through a resistor reaches a threshold (volt): −R·C·ln(1 − Vth/Vs)."""
    positive(resistance=resistance, capacitance=capacitance, threshold=threshold)
    if not threshold < supply:
        raise RequestError(
            say("a threshold of {threshold:g} V is never reached from {supply:g} V", threshold=threshold, supply=supply)
        )
    return -resistance * capacitance * math.log(1 - threshold / supply)


def bridge_power(diode_drop: float, current: float, diodes_in_path: int = 2) -> float:
    """Heat (watt) in a rectifier: the drops in the path times the mean current."""
    not_negative(diode_drop=diode_drop, current=current)
    return diodes_in_path * diode_drop * current
