"""Which thing is meant: a part, a pin, a point of measurement, each with its board. Never a bare string."""

import re
from collections.abc import Iterable
from typing import NamedTuple


class PartRef(NamedTuple):
    """One place of one board: the board's id and the reference designator (`5D`)."""

    board: str
    refdes: str


class PinRef(NamedTuple):
    """One pin of one part of one board."""

    board: str
    refdes: str
    pin: int

    @property
    def part(self) -> PartRef:
        """The part it belongs to."""
        return PartRef(self.board, self.refdes)

    @property
    def name(self) -> str:
        """As it is written: `5D.13`."""
        return f"{self.refdes}.{self.pin}"


class BoardPin(NamedTuple):
    """A pin within one board: reference designator and pin number."""

    refdes: str
    pin: int

    @property
    def name(self) -> str:
        """As it is written: `5D.13`."""
        return f"{self.refdes}.{self.pin}"


class PointRef(NamedTuple):
    """Where something was measured on a board: a pin (`5D.13`), a part (`C1`) or a pair of pins (`4A.3 4B.3`)."""

    board: str
    point: str

    @property
    def part(self) -> PartRef:
        """The part that the point belongs to."""
        return PartRef(self.board, self.point.partition(".")[0])


# No designator has more; the language itself refuses numbers of some thousand digits.
_DIGITS = 18
_RUNS = re.compile(r"\d+|\D+")


def natural_key(refdes: str) -> tuple[tuple[int, str], ...]:
    """Sort key under which C2 comes before C10, C10 before CR1, and 4A before 4C."""
    pieces = _RUNS.findall(refdes)
    return tuple((int(piece[:_DIGITS]), "") if piece[0].isdecimal() else (-1, piece) for piece in pieces)


def in_order(refdeses: Iterable[str]) -> list[str]:
    """Reference designators in the order a person would list them."""
    return sorted(refdeses, key=natural_key)
