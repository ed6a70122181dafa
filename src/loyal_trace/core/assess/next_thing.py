"""One thing worth doing next: what it tells for its minutes and its risk, and what the common ones cost."""

from dataclasses import dataclass

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.stages import Stage

# Minutes as one hand works: seven seconds a pin, two to read a socketed ROM, soldered ones need the iron first.
PER_PIN_MINUTES = 0.12
READ_MINUTES = {True: 2.0, False: 18.0}
SWAP_MINUTES = {True: 3.0, False: 22.0}
# Soldering can lift pads: the same bits must be worth that much more before it is advised.
SOLDER_RISK = 1.6
# A pin lifted, a signal looked at, a function tried.
LIFT_MINUTES, SIGNAL_MINUTES, TRY_MINUTES = 5.0, 3.0, 2.0
# Pressed or cooled with the board running; a good chip looked for, its pins bent in and held on top.
TOUCH_MINUTES, ON_TOP_MINUTES = 2.0, 5.0


@dataclass(frozen=True)
class NextThing:
    """Something worth doing: where, at which stage, minutes, and the bits it is expected to tell."""

    stage: Stage
    place: PartRef
    text: str
    minutes: float
    bits: float
    risk: float = 1.0

    @property
    def value(self) -> float:
        """Bits per minute, divided by the risk taken."""
        return self.bits / (self.minutes * self.risk)


def risk_of(socketed: bool) -> float:
    """What an exchange risks: nothing in a socket."""
    return 1.0 if socketed else SOLDER_RISK


def is_rom(moment: Moment, place: PartRef) -> bool:
    """Is it a ROM socket?"""
    return any(slot.refdes == place.refdes for slot in moment.boards[place.board].rom_slots)


def was_swapped(moment: Moment, place: PartRef) -> bool:
    """Was the part exchanged to see what happens?"""
    return any(swap.part == place for swap in moment.snapshot.parts.swaps)
