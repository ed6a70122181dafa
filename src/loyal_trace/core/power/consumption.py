"""How much current a board should draw: the sum over its chips of typical and largest currents, by type and family."""

import re
import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from loyal_trace.core.boards.model import Part

_LOGIC = re.compile(r"(?:[A-Z]{0,3})(?:74|54)(ALS|AS|LS|S|F|L|HCT|HC|ACT|AC|)(\d{2,4})")
_CMOS = re.compile(r"[A-Z]{0,3}1?(?:4[05]\d\d|40\d{3})[A-Z]{0,4}")
_LINEAR = re.compile(r"(?:LM|TL|CA|MC1[45]|NE5|UPC|RC|NJM)\d{2,4}")
# Typical currents are taken at room temperature without load; the largest ones hardly ever add up.
_BELOW, _ABOVE = 0.6, 1.15


@dataclass(frozen=True)
class Draw:
    """Typical and largest current of a set of chips (ampere), and how many were counted and how many only guessed."""

    typical: float
    largest: float
    chips: int
    guessed: int

    @property
    def low(self) -> float:
        """Less than this and something is not running (ampere)."""
        return _BELOW * self.typical

    @property
    def high(self) -> float:
        """More than this and something draws too much (ampere)."""
        return _ABOVE * self.largest


class CurrentTable:
    """Supply currents by type; `text` is the TOML of the table (milliampere, typical and largest)."""

    def __init__(self, text: str) -> None:
        table: Mapping[str, Any] = tomllib.loads(text)
        self._factor: Mapping[str, float] = table["factor"]
        self._kind: Mapping[str, list[float]] = table["kind"]
        self._logic: Mapping[str, list[float]] = table["logic"]
        self._type: Mapping[str, list[float]] = table["type"]

    def of(self, number: str) -> tuple[float, float, bool]:
        """Typical and largest current (ampere) of what is printed on a chip, and whether the type itself is known."""
        name = number.strip().upper()
        # The letters behind the number are the package (74LS00N).
        logic = _LOGIC.fullmatch(re.sub(r"[A-Z]{1,2}\d?$", "", name))
        if name in self._type:
            return _ampere(self._type[name], 1.0, True)
        if logic:
            key = "74" + logic[2]
            return _ampere(
                self._logic.get(key, self._kind["logic"]), self._factor[logic[1] or "TTL"], key in self._logic
            )
        if _CMOS.fullmatch(name):
            return _ampere(self._kind["cmos"], 1.0, False)
        if _LINEAR.match(name):
            return _ampere(self._kind["linear"], 1.0, False)
        memory = re.match(r"(27|28|23|61|62|41|21|64)\d{2,3}", name)
        return _ampere(self._kind["memory" if memory else "other"], 1.0, False)

    def draw(self, parts: Iterable[Part]) -> Draw:
        """The current of all chips among some parts."""
        found = [self.of(part.number) for part in parts if part.is_chip]
        guessed = sum(not known for _, _, known in found)
        return Draw(sum(t for t, _, _ in found), sum(h for _, h, _ in found), len(found), guessed)


def _ampere(pair: list[float], factor: float, known: bool) -> tuple[float, float, bool]:
    return pair[0] * factor / 1000, pair[1] * factor / 1000, known
