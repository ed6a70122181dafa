"""What lies in the drawer, what a donor board could give, and what a shop offers."""

from dataclasses import dataclass
from datetime import date
from enum import StrEnum
from functools import lru_cache
from typing import Any

from loyal_trace.core.parts.spec import CapacitorSpec, parse_spec
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.units import typed_quantity


class State(StrEnum):
    """Of a part in the drawer: untested until proven; a bad one stays listed so that nobody fits it again."""

    UNTESTED = "unknown"
    GOOD = "proven"
    BAD = "bad"
    RESERVED = "reserved"
    BORROWED = "borrowed"


STATE_WORDS = {
    "untested": State.UNTESTED,
    "unknown": State.UNTESTED,
    "": State.UNTESTED,
    "good": State.GOOD,
    "proven": State.GOOD,
    "tested": State.GOOD,
    "bad": State.BAD,
    "reserved": State.RESERVED,
    "borrowed": State.BORROWED,
    "lent": State.BORROWED,
}
_TYPED = {State.UNTESTED: "untested", State.GOOD: "good"}
# What is lent out is not here, and what is bad goes nowhere.
NOT_TO_HAND = (State.BAD, State.BORROWED)


def state_word(state: str) -> str:
    """The word for a state as people type it; it reads back to the same state."""
    return _TYPED.get(State(state), str(state))


@dataclass(frozen=True)
class StockItem:
    """Something in the drawer. Sizes in millimetres; `state` is a `State`; `keeper` is for whom it is reserved or lent.

    `donor` is the board that it still sits on, with the risk (0 to 1) of spoiling it on the way out.
    """

    number: str
    kind: str = "chip"
    count: int = 1
    value: float | None = None
    voltage: float | None = None
    technology: str = ""
    diameter: float | None = None
    height: float | None = None
    pitch: float | None = None
    place: str = ""
    state: str = State.UNTESTED
    temperature: float | None = None
    hours: float | None = None
    ripple: float | None = None
    esr: float | None = None
    mounting: str = ""
    series: str = ""
    keeper: str = ""
    donor: str = ""
    risk: float = 0.0

    @property
    def spec(self) -> CapacitorSpec:
        """The item as a capacitor: its columns, and what its own words say where a column is empty."""
        told = spec_of_words(self.number)
        own: dict[str, Any] = {
            name: getattr(self, name) or getattr(told, name)
            for name in (
                *("value", "voltage", "technology", "diameter", "height", "pitch", "temperature", "hours", "ripple"),
                *("esr", "mounting", "series"),
            )
        }
        return CapacitorSpec(
            **own,
            polarised=told.polarised if told.technology == own["technology"] else None,
            dielectric=told.dielectric,
            tolerance=told.tolerance,
        )

    @property
    def spec_words(self) -> str:
        """Value and rating as they are typed: what a place may be said to get."""
        spec = self.spec
        rating = f" {spec.voltage:g}V" if spec.voltage else ""
        return f"{typed_quantity(spec.value, 'F').removesuffix('F')}{rating}" if spec.value else self.number


@lru_cache(maxsize=8192)
def spec_of_words(text: str) -> CapacitorSpec:
    """The capacitor that an item's words describe; an empty one where they describe none."""
    try:
        return parse_spec(text)
    except RequestError:
        return CapacitorSpec()


@dataclass(frozen=True)
class Offer:
    """One line of a shop: what, price each, least number sold, shipping of the whole order, days, trust (0 to 1)."""

    shop: str
    number: str
    price: float = 0.0
    minimum: int = 1
    shipping: float = 0.0
    days: float = 0.0
    trust: float = 0.95
    kind: str = "capacitor"
    arrives: date | None = None

    @property
    def spec(self) -> CapacitorSpec:
        """The offer as a capacitor; an empty one where its words describe none."""
        return spec_of_words(self.number)
