"""Memory types and what stands in for one: pins that differ, wiring, where the image goes, speed, programming.

Packages of 24, 28 and 32 pins are laid on each other by their ground corner, as in a longer socket: pin n of the
shorter one meets pin n + 2 (28) or n + 4 (32) of the longer. Types come from `data/memories.toml`.
"""

import re
import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say, say_count, term

REWRITABLE = ("eprom", "eeprom", "flash")
_SPEED = re.compile(r"^(.*?)-(\d{2,3})[A-Z]*$")
_ADDRESS = re.compile(r"A(\d+)$")
_ENABLES = ("/CE", "/OE")
_TIED = {"VPP": "VCC", "/PGM": "VCC", "/WE": "VCC", "NC": "nothing"}
_STEADY = ("VCC", "GND", "VPP", "/PGM", "/WE")
_DECODE, _SETUP = 30e-9, 30e-9  # an LS decoder before it and the data set-up of the processor after it


def is_uv_erased(number: str) -> bool:
    """Is a type number that of an EPROM with a window, as 2716, 27C64 or 2532?"""
    return re.search(r"\b(?:27|25)C?\d{2,4}\b", number.upper()) is not None


@dataclass(frozen=True)
class MemoryType:
    """One generic memory: pins in order, image size (byte), technology, programming voltage (V), access grades (ns)."""

    name: str
    title: str
    pins: tuple[str, ...]
    size: int
    technology: str
    programming: float = 0.0
    access: tuple[int, ...] = ()
    levels: str = "TTL"
    supplies: str = ""

    @property
    def volts(self) -> str:
        """What it is programmed with: `12.5 V`, or its supply alone."""
        return say("{programming:g} V", programming=self.programming) if self.programming else say("5 V alone")

    @cached_property
    def address_lines(self) -> tuple[str, ...]:
        found = [pin for pin in self.pins if _ADDRESS.match(pin)]
        return tuple(sorted(found, key=lambda pin: int(pin[1:])))


@dataclass(frozen=True)
class WiredPin:
    """One pin that differs: what the socket has there, which pin of the new device it meets, what that is, and where
    that device pin must go instead (empty when it may stay)."""

    socket_pin: int | None
    socket: str
    device_pin: int
    device: str
    wiring: str


@dataclass(frozen=True)
class Fit:
    """How one type stands in for another. `pins` lists the differences; `cautions` what else to mind."""

    old: MemoryType
    new: MemoryType
    pins: tuple[WiredPin, ...]
    cautions: tuple[str, ...]
    fast_enough: bool | None

    @property
    def adapter(self) -> bool:
        """Must a pin be led elsewhere than to the socket hole below it?"""
        return any(pin.wiring for pin in self.pins)

    @property
    def effort(self) -> tuple[bool, int, bool, int]:
        """Order of preference: fast enough, few wires, programmable at home, little too large."""
        wires = sum(bool(pin.wiring) for pin in self.pins)
        return (self.fast_enough is False, wires, self.new.programming > 13, self.new.size)

    @property
    def words(self) -> str:
        """One sentence: drop-in, or how many wires, and what becomes of the image."""
        wires = sum(bool(pin.wiring) for pin in self.pins)
        how = (
            say("{wires} pins to be wired", wires=wires)
            if wires > 1
            else say("one pin to be wired")
            if wires
            else say("fits as it is")
        )
        times = self.new.size // self.old.size
        image = say("; image repeated {times} times", times=times) if times > 1 else ""
        return say("{new}, {title}: {how}{image}", new=self.new.name, title=self.new.title, how=how, image=image)


class MemoryTypes:
    """All known memory types. Immutable after loading."""

    def __init__(self, text: str) -> None:
        """`text` is the TOML of the data file."""
        self._types: dict[str, MemoryType] = {}
        self._alias: dict[str, str] = {}
        for name, row in tomllib.loads(text).items():
            self._types[name] = _memory_type(name, row)
            self._alias |= dict.fromkeys(row.get("aliases", ()), name)

    @property
    def all(self) -> tuple[MemoryType, ...]:
        return tuple(self._types.values())

    def find(self, printed: str) -> MemoryType:
        """The type printed on a package, with or without a speed grade (`27C256-15`); RequestError when unknown."""
        bare = _SPEED.sub(r"\1", printed.strip().upper())
        name = self._alias.get(bare, bare)
        if name not in self._types:
            raise RequestError(
                say(
                    "no memory called {printed} is known here (known: {types})",
                    printed=printed,
                    types=joined(", ", self._types),
                )
            )
        return self._types[name]

    def knows(self, printed: str) -> bool:
        try:
            self.find(printed)
        except RequestError:
            return False
        return True

    def substitutes(self, old: MemoryType, budget: float | None = None) -> tuple[Fit, ...]:
        """Every type that can take the image of `old`, best first; `budget` is the time (s) the board leaves it."""
        takes = [new for new in self._types.values() if new.name != old.name and new.size >= old.size]
        fits = [fit(old, new, budget) for new in takes if new.technology in REWRITABLE]
        fits = [found for found in fits if all(not p.wiring.startswith("no ") for p in found.pins)]
        return tuple(sorted(fits, key=lambda f: f.effort))


def _memory_type(name: str, row: Mapping[str, Any]) -> MemoryType:
    return MemoryType(
        name,
        term(row["title"]),
        tuple(row["pins"].split()),
        row["size"],
        row["technology"],
        row.get("programming", 0.0),
        tuple(row.get("access", ())),
        row.get("levels", "TTL"),
        row.get("supplies", ""),
    )


def access_budget(clock: float, periods: float = 2.0) -> float:
    """Seconds that a processor leaves its memory: `periods` of its clock (Hz) from address to data, less decoder and
    set-up. Two periods is the usual class of 8-bit processors; take the figure of yours where you know it."""
    if clock <= 0 or periods <= 0:
        raise RequestError(say("a clock and its periods must be above zero"))
    return periods / clock - _DECODE - _SETUP


def fit(old: MemoryType, new: MemoryType, budget: float | None = None) -> Fit:
    """What must be wired for `new` to work in the socket of `old`, and what to mind."""
    fast = None
    if budget is not None and new.access:
        fast = min(new.access) * 1e-9 <= budget
    selects, left = _selects(old, new)
    return Fit(old, new, _differences(old, new, selects), tuple(_cautions(old, new, budget, left)), fast)


def _socket_pin(old: MemoryType, new: MemoryType, device_pin: int) -> int | None:
    """The socket hole under a pin when both are laid on each other by their ground corners."""
    shift = (len(new.pins) - len(old.pins)) // 2
    number = device_pin - shift
    return number if 1 <= number <= len(old.pins) else None


def _differences(old: MemoryType, new: MemoryType, selects: Mapping[str, str]) -> tuple[WiredPin, ...]:
    place = {function: number for number, function in enumerate(old.pins, start=1) if function != "NC"}
    rows = []
    for device_pin, has in enumerate(new.pins, start=1):
        hole = _socket_pin(old, new, device_pin)
        wants = old.pins[hole - 1] if hole else ""
        if _same(wants, has):
            continue
        rows.append(WiredPin(hole, wants, device_pin, has, _wiring(has, wants, place, old, selects)))
    return tuple(rows)


def _same(wants: str, has: str) -> bool:
    return wants == has or (has == "NC" and wants != "") or {wants, has} == {"VPP", "VCC"} or (wants, has) == ("NC", "")


def _selects(old: MemoryType, new: MemoryType) -> tuple[dict[str, str], tuple[str, ...]]:
    """Which select of a mask ROM's socket each enable of the new device takes, and the selects that are left over.

    An enable that lies on a select takes that one. The others take what is left, and the first where nothing is: a
    select that reaches no enable lets two devices drive the bus at once.
    """
    selects = sorted({f"CS{n}" for n in (1, 2, 3)} & set(old.pins))
    taken = {}
    for device_pin, name in enumerate(new.pins, start=1):
        hole = _socket_pin(old, new, device_pin)
        if name in _ENABLES and hole and old.pins[hole - 1] in selects:
            taken[name] = old.pins[hole - 1]
    left = [select for select in selects if select not in taken.values()]
    for name in _ENABLES:
        if name in new.pins and name not in taken and selects:
            taken[name] = left.pop(0) if left else selects[0]
    return taken, tuple(left)


def left_over_words(new: MemoryType, selects: Sequence[str]) -> str:
    """That selects of the socket reach no enable of the new device, and what comes of it."""
    return say_count(
        len(selects),
        "{new} has no enable for {selects}: gate it in, or it drives the bus while another device is selected",
        "{new} has no enable for {selects}: gate them in, or it drives the bus while another device is selected",
        new=new.name,
        selects=joined(", ", selects),
    )


def _wiring(has: str, wants: str, place: Mapping[str, int], old: MemoryType, selects: Mapping[str, str]) -> str:
    """Where a pin of the new device has to go; empty when the hole below it serves."""
    if has in place:
        return say("to socket pin {place} ({has})", place=place[has], has=has)
    if has in _ENABLES:
        select = selects.get(has, "")
        if not select:
            return say("to GND")
        if wants == select:
            return ""
        return say("to socket pin {place} ({select}; check its polarity)", place=place[select], select=select)
    if _ADDRESS.match(has) and wants in _STEADY:
        return ""  # the image is repeated: any steady level will do
    if _ADDRESS.match(has):
        return say("to GND (address line the socket has not)")
    if has in _TIED:
        where = _TIED[has]
        return "" if where == "nothing" or wants in (where, "VPP") else say("to {where}", where=where)
    if has == "VCC":
        return (
            say("to socket pin {place} (VCC)", place=place["VCC"])
            if "VCC" in place
            else say("no supply in this socket")
        )
    return say("no {has} in this socket", has=has)


def _cautions(old: MemoryType, new: MemoryType, budget: float | None, left: Sequence[str]) -> list[str]:
    found = []
    if "VDD" in old.pins or "VBB" in old.pins:
        found.append(say("the socket carries {supplies}: keep these away from the new device", supplies=old.supplies))
    if any(pin.startswith("CS") for pin in old.pins):
        found.append(
            say(
                "the maker of a mask ROM chose the polarity of its select pin: measure it, and invert it "
                "where it is high"
            )
        )
    if left:
        found.append(left_over_words(new, left))
    if new.size > old.size:
        found.append(
            say(
                "repeat the image {size} times, so that the unused address lines have no effect",
                size=new.size // old.size,
            )
        )
    if old.levels.startswith("TTL, 16") and not new.levels.startswith("TTL, 16"):
        found.append(say("the bipolar part drives 16 mA: check the loads at its outputs"))
    if budget is not None and new.access:
        grade = [ns for ns in new.access if ns * 1e-9 <= budget]
        need = say("the board leaves {budget:.0f} ns", budget=budget * 1000000000.0)
        found.append(
            say("{need}: grade {grade} ns or faster", need=need, grade=max(grade))
            if grade
            else say("{need}: too slow in every grade", need=need)
        )
    if new.programming:
        found.append(
            say(
                "programming voltage {programming:g} V: a wrong voltage destroys the device",
                programming=new.programming,
            )
        )
    return found


def placed(image: bytes, size: int) -> bytes:
    """The image repeated to fill a device of `size` bytes; RequestError when it does not divide it."""
    if not image or size % len(image):
        raise RequestError(
            say("an image of {count:,} bytes does not fill a device of {size:,} evenly", count=len(image), size=size)
        )
    return image * (size // len(image))


VERIFY = say(
    "Verify at the programmer's two supply limits (4.75 and 5.25 V where it can), read it three times, compare "
    "every read with the checksums, then check the whole set again in the board."
)
