"""Pin states: what a probe, a meter or a counter says of one pin, in one small vocabulary."""

from dataclasses import dataclass

from loyal_trace.core.chips.levels import Family, level_of
from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.units import format_quantity, parse_quantity

STATE_WORDS = {
    "L": say("low"),
    "H": say("high"),
    "P": say("pulsing"),
    "X": say("invalid"),
    "Z": say("floating"),
    "?": say("not probed"),
}


@dataclass(frozen=True)
class PinReading:
    """One pin as read: `state` is L, H, P, X, Z or ?; volt and hertz where an instrument gave them."""

    state: str
    voltage: float | None = None
    frequency: float | None = None

    @property
    def words(self) -> str:
        """How the reading is spoken: low, 1.40 V (invalid), 6.00 MHz."""
        if self.frequency is not None:
            return format_quantity(self.frequency, "Hz")
        if self.voltage is not None:
            return say("{voltage:.2f} V ({state_words})", voltage=self.voltage, state_words=STATE_WORDS[self.state])
        return STATE_WORDS[self.state]


NOT_PROBED = PinReading("?")


def parse_state(text: str, family: Family) -> PinReading:
    """A typed state: one of L H P X Z ?, a voltage (`1.4V`, `5.02`), or a frequency (`6MHz`, which is pulsing).

    RequestError when it is none of these, or a voltage that no 5 V logic probe would meet (beyond ±30 V).
    """
    word = text.strip()
    if word.upper() in STATE_WORDS:
        return PinReading(word.upper())
    if word.endswith("Hz"):
        frequency = parse_quantity(word, "Hz")
        if frequency < 0:
            raise RequestError(say("“{text}” is not a frequency", text=text))
        return PinReading("P" if frequency > 0 else "?", frequency=frequency)
    try:
        voltage = parse_quantity(word, "V")
    except RequestError:
        raise RequestError(
            say("“{text}” is not a pin state: use L H P X Z, a voltage or a frequency", text=text)
        ) from None
    if abs(voltage) > 30:
        raise RequestError(say("“{text}” is not a voltage that belongs on a logic pin", text=text))
    return PinReading(level_of(voltage, family), voltage=voltage)


def parse_assignment(text: str, chip: ChipType) -> tuple[int, PinReading]:
    """`4=L` or `QH=1.4V` for one chip: pin number and reading; RequestError names what is wrong."""
    pin_text, separator, state = text.partition("=")
    if not separator:
        raise RequestError(say("“{text}” should look like PIN=STATE, for instance 4=L", text=text))
    name = pin_text.strip()
    pin = chip.pin_number(int(name)) if name.isdecimal() else chip.pin(name.upper())
    return pin.number, parse_state(state, chip.family)
