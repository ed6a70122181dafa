"""Textbook sums for a mains supply with bridge, reservoir and linear regulator (any power-supply handbook has them)."""

import math


def ripple_voltage(current: float, capacitance: float, ripple_frequency: float) -> float:
    """Peak-to-peak ripple (volt) on a reservoir: ΔV ≈ I / (f·C), with f twice the mains for a full-wave rectifier.

    The discharge is taken as linear over the whole period, which errs on the high side by the conduction time.
    """
    return current / (ripple_frequency * capacitance)


def peak_voltage(ac_rms: float, diode_drop: float, diodes_in_path: int = 2) -> float:
    """Peak (volt) on the reservoir: √2·Vrms less the forward drops in the current's path (two in a bridge)."""
    return math.sqrt(2) * ac_rms - diodes_in_path * diode_drop


def regulator_output(trough: float, nominal: float, dropout: float) -> float:
    """What a linear regulator can hold (volt) at the bottom of the ripple; never below zero."""
    return max(0.0, min(nominal, trough - dropout))
