"""What the program asks of an instrument. A stand-in and a real device look the same from here."""

from collections.abc import Callable
from dataclasses import dataclass
from threading import Event
from typing import Protocol

from loyal_trace.core.probing.states import PinReading
from loyal_trace.core.vocabulary.identity import PartRef, PinRef


class Cancelled(Exception):
    """The person stopped a long reading."""


Progress = Callable[[int, int], None]


class RomReader(Protocol):
    """Reads a ROM out of circuit."""

    def read(self, place: PartRef, progress: Progress, cancel: Event) -> bytes:
        """The whole image; calls progress(done, total) on the way and raises Cancelled when `cancel` is set."""
        ...


class Probe(Protocol):
    """A logic probe."""

    def probe(self, pin: PinRef) -> PinReading:
        """What the pin does."""
        ...


class Meter(Protocol):
    """A multimeter, counter and ESR meter."""

    def measure(self, board: str, point: str, quantity: str) -> float:
        """One reading in SI units; infinity is an open line (OL)."""
        ...

    def to_ground(self, board: str, point: str, lifted: tuple[str, ...]) -> float:
        """Resistance of a pin's net to ground (ohm), power off, with parts lifted off it."""
        ...


class PowerSwitch(Protocol):
    """Switches the set on and watches how it starts."""

    def start(self) -> tuple[bool, str]:
        """(clean, self-test code or empty)."""
        ...


class Ear(Protocol):
    """Somebody who tries a function of the board and says how it does."""

    def try_function(self, board: str, name: str) -> str:
        """works, partly or fails; RequestError for a function that the board does not have."""
        ...


@dataclass(frozen=True)
class Workbench:
    """The instruments that are connected; None for each that is not."""

    reader: RomReader | None = None
    probe: Probe | None = None
    meter: Meter | None = None
    power: PowerSwitch | None = None
    ear: Ear | None = None
