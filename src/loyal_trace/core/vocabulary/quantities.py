"""What can be measured, each with its unit."""

from enum import StrEnum


class Quantity(StrEnum):
    """A quantity as it stands in an entry."""

    VOLTAGE = "voltage"
    AC_VOLTAGE = "ac voltage"
    RIPPLE = "ripple"
    RIPPLE_FREQUENCY = "ripple frequency"
    RESISTANCE = "resistance"
    TO_GROUND = "resistance to ground"
    TO_GROUND_REVERSED = "resistance to ground, reversed"
    TRACK = "track resistance"
    CONTINUITY = "continuity"
    DIODE = "diode"
    FREQUENCY = "frequency"
    CAPACITANCE = "capacitance"
    ESR = "esr"
    LOSS = "loss"
    TAN_DELTA = "tan delta"
    LEAKAGE = "leakage current"
    INDUCTANCE = "inductance"
    TEMPERATURE = "temperature"
    CURRENT = "current"
    RATING = "rating"
    RESET_TIME = "reset time"
    RESET_PULSES = "reset pulses"

    @property
    def unit(self) -> str:
        """The SI unit (or °C); empty for a share."""
        return _UNITS[self]


_UNITS = {
    Quantity.VOLTAGE: "V",
    Quantity.AC_VOLTAGE: "V",
    Quantity.RIPPLE: "V",
    Quantity.RIPPLE_FREQUENCY: "Hz",
    Quantity.RESISTANCE: "Ω",
    Quantity.TO_GROUND: "Ω",
    Quantity.TO_GROUND_REVERSED: "Ω",
    Quantity.TRACK: "Ω",
    Quantity.CONTINUITY: "Ω",
    Quantity.DIODE: "V",
    Quantity.FREQUENCY: "Hz",
    Quantity.CAPACITANCE: "F",
    Quantity.ESR: "Ω",
    Quantity.LOSS: "",
    Quantity.TAN_DELTA: "",
    Quantity.LEAKAGE: "A",
    Quantity.INDUCTANCE: "H",
    Quantity.TEMPERATURE: "°C",
    Quantity.CURRENT: "A",
    Quantity.RATING: "A",
    Quantity.RESET_TIME: "s",
    Quantity.RESET_PULSES: "Hz",
}
GROUND = (Quantity.TO_GROUND, Quantity.TO_GROUND_REVERSED)
OF_CAPACITORS = (Quantity.CAPACITANCE, Quantity.ESR, Quantity.LOSS, Quantity.LEAKAGE, Quantity.TAN_DELTA)
