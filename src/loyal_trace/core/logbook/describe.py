"""Entries in words: one line of the logbook drawer, and the stage of the work that each belongs to."""

import math
from collections.abc import Callable
from typing import Any

from loyal_trace.core.logbook.entries import AnyEntry, Measured, PinsProbed, PinState, TakenApart
from loyal_trace.core.probing.states import STATE_WORDS, PinReading
from loyal_trace.core.units import count_of, format_quantity

STAGES = ("Intake", "Look", "Rails", "ROMs", "Probe", "Suspects", "Plan", "Work", "Prove", "Hand back")

UNITS = {
    "voltage": "V",
    "ripple": "V",
    "ac voltage": "V",
    "resistance": "Ω",
    "diode": "V",
    "frequency": "Hz",
    "ripple frequency": "Hz",
    "capacitance": "F",
    "esr": "Ω",
    "temperature": "°C",
    "current": "A",
    "rating": "A",
    "resistance to ground": "Ω",
    "resistance to ground, reversed": "Ω",
    "track resistance": "Ω",
    "continuity": "Ω",
    "reset time": "s",
    "reset pulses": "Hz",
}

_STAGE_OF_KIND = {
    "opened": 0, "symptom": 0, "observed": 1, "photographed": 1, "photo_aligned": 1, "photo_of": 1,
    "taken_apart": 1, "put_back": 7, "assumed": 6, "gave_back": 7,
    "measured": 2, "lifted": 2, "chain_described": 2, "image_known": 3, "sums_known": 3, "rom_read": 3, "signature": 3,
    "pins_probed": 4, "swapped": 5, "removed": 7, "fitted": 7, "step_done": 7, "started": 8, "test_result": 8,
    "not_testable": 8, "handed_back": 9,
}  # fmt: skip


def stage_of(entry: AnyEntry) -> int | None:
    """The stage (0 … 9) that an entry was made at; None for entries that belong to none."""
    if isinstance(entry, Measured) and entry.quantity in ("capacitance", "esr"):
        return 6
    return _STAGE_OF_KIND.get(entry.kind)


def measured_words(entry: Measured) -> str:
    """The reading as spoken: 4.62 V, OL."""
    if entry.overload or entry.value is None:
        return "OL"
    return format_quantity(entry.value, UNITS.get(entry.quantity, ""))


def _whose(entry: Measured) -> str:
    return ", of a good board" if entry.source == "good board" else ""


def _ohms(value: float | None) -> str:
    return "OL" if value is None else format_quantity(value, "Ω")


def _from(lender: str, origin: str) -> str:
    return f", borrowed from {lender}" if lender else f" from {origin}" if origin else ""


def _shelf(shelf: str) -> str:
    return f", lies at {shelf}" if shelf else ""


def _came_off(entry: TakenApart) -> str:
    counted = f"{entry.count} × " if entry.count > 1 else ""
    told = [f"{counted}{entry.what}", entry.size, entry.place, entry.way]
    return ", ".join(piece for piece in told if piece)


def _pins_words(entry: PinsProbed) -> str:
    if len(entry.pins) > 3:
        return f"{entry.place} {count_of(len(entry.pins), 'pin')} probed"
    shown = []
    for pin in entry.pins:
        if pin.voltage is not None:
            shown.append(f"{entry.place}.{pin.pin} {pin.voltage:.2f} V")
        elif pin.frequency is not None:
            shown.append(f"{entry.place}.{pin.pin} {format_quantity(pin.frequency, 'Hz')}")
        else:
            shown.append(f"{entry.place}.{pin.pin} {STATE_WORDS[pin.state]}")
    return ", ".join(shown)


_WORDS: dict[str, Callable[[Any], str]] = {
    "opened": lambda e: f"job opened: {e.title}",
    "observed": lambda e: f"{e.place} {e.finding}" + (f" ({e.note})" if e.note else ""),
    "measured": lambda e: (
        f"{e.place} {e.quantity} {measured_words(e)}" + (", of a good board" if e.source == "good board" else "")
    ),
    "lifted": lambda e: f"{e.place} with {' '.join(e.parts)} lifted: {_ohms(e.value)}",
    "signature": lambda e: f"{e.place} signature " + ("never came" if e.value is None else f"{e.value:04X}"),
    "chain_described": lambda e: f"supply {e.path}: {e.text}".replace(" :", ":"),
    "photographed": lambda e: f"photo {e.file_name} ({e.width} × {e.height})",
    "photo_aligned": lambda e: f"photo aligned by {count_of(len(e.points), 'point')}",
    "image_known": lambda e: (
        f"{e.place} true image {'restored' if e.proof else 'taken in'}"
        + (f", firmware {e.firmware}" if e.firmware else "")
        + (f": {e.proof}" if e.proof else "")
    ),
    "sums_known": lambda e: f"{count_of(len(e.lines), 'known sum')} from {e.source}",
    "rom_read": lambda e: f"{e.place} read ({e.size:,} bytes, {e.source})",
    "pins_probed": _pins_words,
    "swapped": lambda e: f"{e.place} exchanged with {e.spare}: {e.result}",
    "removed": lambda e: f"{e.place} taken out" + (f": {e.reason}" if e.reason else "") + _shelf(e.shelf),
    "fitted": lambda e: f"{e.place} fitted with {e.number}" + _from(e.lender, e.origin),
    "step_done": lambda e: f"step {'skipped' if e.skipped else 'done'}: {e.what or e.step}",
    "started": lambda e: ("clean start" if e.clean else "failed start") + (f", says “{e.code}”" if e.code else ""),
    "symptom": lambda e: f"symptom {'seen' if e.present else 'gone'}: {e.text}",
    "test_result": lambda e: f"{e.item}: {'passed' if e.passed else 'failed'}" + (f" ({e.note})" if e.note else ""),
    "not_testable": lambda e: f"{e.item}: not testable here, {e.reason}",
    "decided": lambda e: f"decided {e.what}: {e.choice}" + (f", because {e.reason}" if e.reason else ""),
    "caution_seen": lambda e: f"caution read: {e.caution}",
    "photo_of": lambda e: f"{e.place}: a photo belongs to it",
    "taken_apart": lambda e: f"taken off: {_came_off(e)}",
    "put_back": lambda e: f"put back: {count_of(e.count, 'piece')}",
    "assumed": lambda e: f"assumed: {e.name} ({count_of(len(e.together) + len(e.apart), 'pair')} to ring out)",
    "gave_back": lambda e: f"{e.place}: the stand-in went back",
    "note": lambda e: e.text,
    "retracted": lambda e: "an entry was retracted",
    "handed_back": lambda e: "handed back" + (f": {e.note}" if e.note else ""),
}


def describe(entry: AnyEntry) -> str:
    """One line in plain words, without its time."""
    return _WORDS[entry.kind](entry)


def number_or_overload(value: float) -> tuple[float | None, bool]:
    """How a number is kept in an entry: infinity is the meter's OL."""
    return (None, True) if math.isinf(value) else (value, False)


def pin_state(pin: int, reading: PinReading) -> PinState:
    """A probe's reading as it is kept in an entry."""
    fields = {"pin": pin, "state": reading.state, "voltage": reading.voltage, "frequency": reading.frequency}
    return PinState.model_validate(fields)
