"""Reads the chip library (TOML text) into ChipTypes and finds a type under its many printed names.

Entries are keyed by the plain type (`7400`); the logic family comes from the printed name (`74LS00`, `SN74HC00N`).
In an entry with `repeat`, every key and expression that holds `{n}` is written once for each item.
"""

import re
import tomllib
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from loyal_trace.core.chips.expressions import compile_expression, compile_tree
from loyal_trace.core.chips.levels import FAMILIES
from loyal_trace.core.chips.model import ChipType, Memory, Output, Pin, Register
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say, term

_LOGIC = re.compile(r"[A-Z]{0,3}(?:74|54)(ALS|AS|LS|S|F|L|HCT|HC|ACT|AC|)(\d{2,4})[A-Z]?[A-Z]?\d?")
_NAME = re.compile(r"/?[A-Za-z0-9]+")
_POWER = {"VCC", "VDD", "VPP"}
_GROUND = {"GND", "VSS"}


class ChipLibrary:
    """All known chip types. Immutable after loading."""

    def __init__(self, text: str) -> None:
        """`text` is the TOML of the library file; RequestError names the entry that cannot be read."""
        self._entries: Mapping[str, dict[str, Any]] = tomllib.loads(text)
        self._built: dict[str, ChipType] = {}
        self._unknown: set[str] = set()

    @property
    def type_names(self) -> tuple[str, ...]:
        """The plain type numbers, in the order of the file."""
        return tuple(self._entries)

    def title(self, key: str) -> str:
        return term(str(self._entries[key]["title"]))

    def find(self, printed: str) -> ChipType:
        """The chip type printed on a package; RequestError when the library does not know it."""
        name = printed.strip().upper()
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

    def _build(self, name: str) -> ChipType:
        if name in self._entries and not name.startswith("74"):
            return _chip(name, self._entries[name], str(self._entries[name].get("family", "NMOS")))
        for key, entry in self._entries.items():
            if name in entry.get("aliases", ()):
                return replace(self.find(key), name=name)
        match = _LOGIC.fullmatch(name)
        if match and "74" + match[2] in self._entries:
            return _chip(name, self._entries["74" + match[2]], match[1] or "TTL")
        raise RequestError(say("the chip library has no {name} (see `loyal-trace chip list`)", name=name))


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
    both = set(memory.data if memory else ()) | _read_back(values, enables)
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


def _read_back(values: Mapping[str, str], enables: Mapping[str, str]) -> set[str]:
    """Pins driven by one expression, when enabled, and read by another: they are bidirectional."""
    read = {pin: set(_NAME.findall(text)) for pin, text in values.items()}
    return {
        pin for pin in enables if pin in values and any(pin in names for other, names in read.items() if other != pin)
    }


def _pin(number: int, name: str, driven: set[str], both: set[str]) -> Pin:
    if name in _POWER:
        role = "power"
    elif name in _GROUND:
        role = "ground"
    elif name.startswith("NC"):
        role = "unused"
    elif name in both:
        role = "bidirectional"
    else:
        role = "output" if name in driven else "input"
    return Pin(number, name, role)


def _memory(entry: Mapping[str, str]) -> Memory:
    return Memory(tuple(entry["address"].split()), tuple(entry["data"].split()), compile_expression(entry["select"]))


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
