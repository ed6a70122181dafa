"""What the judging side asks of a reading, whoever recorded it."""

from collections.abc import Callable
from datetime import datetime
from typing import Protocol


class Reading(Protocol):
    """One number taken at a point; None as value means that the meter showed OL."""

    @property
    def value(self) -> float | None: ...
    @property
    def overload(self) -> bool: ...
    @property
    def time(self) -> datetime: ...


class LiftReading(Protocol):
    """The resistance to ground (ohm, None for OL) with some parts lifted."""

    @property
    def parts(self) -> tuple[str, ...]: ...
    @property
    def value(self) -> float | None: ...


class Sighting(Protocol):
    """Something seen at a part at some time."""

    @property
    def finding(self) -> str: ...
    @property
    def time(self) -> datetime: ...


Latest = Callable[[str, str], Reading | None]  # (point, quantity) of one board → its newest reading
