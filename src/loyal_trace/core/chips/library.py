"""Reads the chip library (TOML text) into ChipTypes and finds a type under its many printed names.

Entries are keyed by the plain type (`7400`); the logic family comes from the printed name (`74LS00`, `SN74HC00N`).
In an entry with `repeat`, every key and expression that holds `{n}` is written once for each item.
"""

import re
import tomllib
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from loyal_trace.core.chips.expressions import compile_expression, compile_tree
from loyal_trace.core.chips.levels import FAMILIES
from loyal_trace.core.chips.model import ChipType, Memory, Output, Pin, Register
from loyal_trace.core.chips.names import Printed, readings
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say, term

_IS_LOGIC = re.compile(r"74\d{2,5}")
_NAME = re.compile(r"/?[A-Za-z0-9]+")
_POWER = {"VCC", "VDD", "VPP", "VEE", "VBB", "VCCS", "VCCO", "VS"}
_GROUND = {"GND", "VSS", "AGND"}


class ChipLibrary:
    """All known chip types, read as they are asked for. What is found never changes."""

    def __init__(self, *texts: str) -> None:
        """TOML texts, the most common types first; RequestError names the entry that cannot be read."""
        self._texts, self._waiting = texts, list(texts)
        self._entries: dict[str, dict[str, Any]] = {}
        self._aliases: dict[str, str] = {}
        self._built: dict[str, ChipType] = {}
        self._unknown: set[str] = set()
        self._read_next()

    def _read_next(self) -> bool:
        """Reads one more of the texts; False when there is none left."""
        if not self._waiting:
            return False
        try:
            entries = tomllib.loads(self._waiting.pop(0))
        except (ValueError, RecursionError) as error:
            raise RequestError(say("the chip data cannot be read: {error}", error=str(error))) from None
        for key, entry in entries.items():
            self._entries.setdefault(key.upper(), entry)
            for alias in entry.get("aliases", ()):
                self._aliases.setdefault(str(alias).upper(), key.upper())
        return True

    def with_types(self, text: str) -> "ChipLibrary":
        """A library that has further types, which count before its own; RequestError names what is wrong with one."""
        names = self.names_in(text)
        found = ChipLibrary(text, *self._texts)
        for key in names:
            entry = found._entries[key.upper()]
            try:
                chip = _chip(key, entry, str(entry.get("family", "TTL")))
            except (KeyError, AttributeError, TypeError):
                why = say("it needs title and pins; family is one of {families}", families=joined(", ", FAMILIES))
                raise RequestError(say("the type {key} cannot be read: {why}", key=key, why=why)) from None
            except RequestError as error:
                raise RequestError(say("the type {key} cannot be read: {why}", key=key, why=str(error))) from None
            check_type(chip)
        return found

    def names_in(self, text: str) -> tuple[str, ...]:
        """The types that a text describes; RequestError when it is no TOML, or describes none."""
        try:
            told = tomllib.loads(text)
        except (ValueError, RecursionError) as error:
            raise RequestError(say("the chip data cannot be read: {error}", error=str(error))) from None
        names = tuple(key for key, entry in told.items() if isinstance(entry, dict))
        stray = next((key for key in told if key not in names), None)
        if stray is not None:
            raise RequestError(say("the file has “{stray}” outside any chip type", stray=stray))
        if not names:
            raise RequestError(say("the file describes no chip type"))
        return names

    @property
    def type_names(self) -> tuple[str, ...]:
        """The plain type numbers, in the order of the files."""
        while self._read_next():
            pass
        return tuple(self._entries)

    def title(self, key: str) -> str:
        return term(str(self._entries[key]["title"]))

    def find(self, printed: str) -> ChipType:
        """The chip type printed on a package; RequestError when the library does not know it."""
        name = " ".join(printed.upper().split())
        if name not in self._built:
            self._built[name] = self._build(name)
        return self._built[name]

    def knows(self, printed: str) -> bool:
        """Does the library have that type? Asked again and again of parts that are no chips, so a no is remembered."""
        if printed in self._unknown:
            return False
        try:
            self.find(printed)
        except RequestError:
            self._unknown.add(printed)
            return False
        return True

    def read_as(self, printed: str) -> tuple[str, Printed] | None:
        """(key of the type, how its name was read) of a printed name; None for an unknown one."""
        name = " ".join(printed.upper().split())
        while True:
            found = next(filter(None, map(self._looked_up, (Printed(name), *readings(name)))), None)
            # A name as it stands comes before what it can be read as: a 74S573 is a PROM, and no 74573 of family S.
            if found is not None and (found[1] == Printed(name) or not self._stands_further_on(name)):
                return found
            if not self._read_next():
                return found

    def _stands_further_on(self, name: str) -> bool:
        """Has a text that was not read yet the name as it stands, as a type or as another name of one?"""
        return any(f'"{name}"' in text for text in self._waiting)

    def _looked_up(self, one: Printed) -> tuple[str, Printed] | None:
        """The entry that a reading means: 74-series numbers only with their family said, the others as they are."""
        key = self._aliases.get(one.number, one.number)
        if key not in self._entries:
            return None
        entry = self._entries[key]
        if _IS_LOGIC.fullmatch(key) and "memory" not in entry and not one.family and "family" not in entry:
            return None  # a bare 00 or 373 is no name of a chip
        return key, one

    def _build(self, name: str) -> ChipType:
        found = self.read_as(name)
        if found is None:
            raise RequestError(say("the chip library has no {name} (see `loyal-trace chip list`)", name=name))
        key, one = found
        entry = self._entries[key]
        family = one.family if one.family in FAMILIES else ""
        own = str(entry.get("family", "TTL" if _IS_LOGIC.fullmatch(key) else "NMOS"))
        # What a name says of the family counts for logic only; a memory has its own levels.
        said = family if family and (_IS_LOGIC.fullmatch(key) or own == "4000") else own
        return _chip(name, entry, said)


def check_type(chip: ChipType) -> None:
    """RequestError when the logic of a type names a pin or a stored bit that it does not have."""
    known = {pin.name for pin in chip.pins} | {register.bit for register in chip.registers}
    used: set[str] = set(chip.cpu_address)
    for output in chip.outputs:
        used |= {output.name, *output.value.names, *(output.enable.names if output.enable else ())}
    for register in chip.registers:
        used |= register.reads | set(register.clock.names if register.clock else ())
    if chip.memory is not None:
        used |= {*chip.memory.address, *chip.memory.data, *chip.memory.select.names}
        used |= set(chip.memory.write.names if chip.memory.write else ())
    if used - known:
        names = joined(", ", sorted(used - known))
        raise RequestError(say("the type {name} names {names}, which it does not have", name=chip.name, names=names))


def _repeat(entry: dict[str, Any]) -> list[str]:
    return [str(item) for item in entry.get("repeat", ["\0"])]


def _expanded(pairs: Mapping[str, str], repeat: list[str]) -> dict[str, str]:
    """Writes each `{n}` pair once for every item; pairs without `{n}` once."""
    out: dict[str, str] = {}
    for key, value in pairs.items():
        for item in repeat if "{n}" in key else repeat[:1]:
            out[key.replace("{n}", item)] = value.replace("{n}", item)
    return out


def _chip(name: str, entry: dict[str, Any], family: str) -> ChipType:
    repeat = _repeat(entry)
    values = _expanded(entry.get("out", {}), repeat)
    enables = _expanded(entry.get("enable", {}), repeat)
    open_collector = bool(entry.get("open_collector", False))
    outputs = tuple(
        Output(
            pin,
            compile_expression(text),
            compile_expression(enables[pin]) if pin in enables else None,
            open_collector,
        )
        for pin, text in values.items()
    )
    memory = _memory(entry["memory"]) if "memory" in entry else None
    pin_names = entry["pins"].split()
    cpu = tuple(entry.get("cpu_address", "").split())
    driven = set(values) | set(cpu) | set(entry.get("also_out", "").split())
    both = set(memory.data if memory else ()) | _read_back(values, enables, _texts_of(entry, repeat))
    pins = tuple(_pin(number, pin, driven, both) for number, pin in enumerate(pin_names, start=1))
    return ChipType(
        name,
        term(str(entry["title"])),
        pins,
        FAMILIES[family],
        outputs,
        _registers(entry, repeat),
        memory,
        cpu,
        term(str(entry.get("notes", ""))),
    )


def _texts_of(entry: Mapping[str, Any], repeat: list[str]) -> Iterator[str]:
    """What stored bits read, as text."""
    for item in entry.get("reg", []):
        whole = " ".join((item["next"], *(text for pair in item.get("force", []) for text in pair)))
        yield from (whole.replace("{n}", one) for one in repeat)


def _read_back(values: Mapping[str, str], enables: Mapping[str, str], stored: Iterable[str]) -> set[str]:
    """Pins driven by one expression, when enabled, and read by another or by a stored bit: they are bidirectional."""
    read = {pin: set(_NAME.findall(text)) for pin, text in values.items()}
    read[""] = {name for text in stored for name in _NAME.findall(text)}
    return {
        pin for pin in enables if pin in values and any(pin in names for other, names in read.items() if other != pin)
    }


def _pin(number: int, name: str, driven: set[str], both: set[str]) -> Pin:
    # What a chip drives is no supply, whatever it is called: a CRT controller's VS is vertical sync.
    if name in both:
        role = "bidirectional"
    elif name in driven:
        role = "output"
    elif name in _POWER:
        role = "power"
    elif name in _GROUND:
        role = "ground"
    else:
        role = "unused" if name.startswith("NC") else "input"
    return Pin(number, name, role)


def _memory(entry: Mapping[str, str]) -> Memory:
    write = compile_expression(entry["write"]) if "write" in entry else None
    select = compile_expression(entry["select"])
    return Memory(tuple(entry["address"].split()), tuple(entry["data"].split()), select, write)


def _registers(entry: dict[str, Any], repeat: list[str]) -> tuple[Register, ...]:
    rows = [(item, n) for item in entry.get("reg", []) for n in (repeat if "{n}" in item["bit"] else repeat[:1])]
    all_bits = frozenset(item["bit"].replace("{n}", n) for item, n in rows)
    return tuple(_register(item, n, all_bits) for item, n in rows)


def _register(item: dict[str, Any], n: str, all_bits: frozenset[str]) -> Register:
    def filled(text: str) -> str:
        return text.replace("{n}", n)

    return Register(
        filled(item["bit"]),
        compile_tree(filled(item["next"])),
        compile_expression(filled(item["clock"])) if "clock" in item else None,
        tuple(
            (compile_expression(filled(when)), compile_expression(filled(value)))
            for when, value in item.get("force", [])
        ),
        all_bits,
    )
