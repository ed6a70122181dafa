"""Another type in a place: what the new part gives up, from the data of both types.

Levels are compared as a board of the old family drives them: a high of LS logic is only promised to be 2.7 V, which is
no high for an HC input.
"""

from collections.abc import Iterator

from loyal_trace.core.boards.kinds import UNITS
from loyal_trace.core.boards.model import Part
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.parts.marking import parse_marking
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import marked_quantity

_MORE_CURRENT = 2.0
_OFF_VALUE, _OFF_ELECTROLYTIC = 0.1, 0.5
_SHOWN_PINS = 4


def given_up(old: Part, new_number: str, library: ChipLibrary) -> tuple[str, ...]:
    """What `new_number` in the place of `old` gives up or changes, a phrase each; empty when nothing is known to."""
    if not new_number or not old.number or new_number.upper() == old.number.upper():
        return ()
    if library.knows(old.number) and library.knows(new_number):
        return tuple(_of_chip(library.find(old.number), library.find(new_number)))
    return tuple(_of_value(old, new_number, library))


def _of_chip(old: ChipType, new: ChipType) -> Iterator[str]:
    if len(old.pins) != len(new.pins):
        yield say("it has {new} pins in place of {old}", new=len(new.pins), old=len(old.pins))
        return
    moved = [(a, b) for a, b in zip(old.pins, new.pins, strict=True) if (a.name, a.role) != (b.name, b.role)]
    told = [say("pin {pin} is {new}, was {old}", pin=a.number, new=b.name, old=a.name) for a, b in moved[:_SHOWN_PINS]]
    if told:
        yield joined("; ", told) + (say(" and more") if len(moved) > _SHOWN_PINS else "")
    elif old.title != new.title and old.memory is None:
        yield say("it is a {new}, not a {old}", new=new.title, old=old.title)
    yield from _of_family(old, new)
    if any(o.open_collector for o in old.outputs) != any(o.open_collector for o in new.outputs):
        yield say("the outputs of only one of the two are open collectors")


def _of_family(old: ChipType, new: ChipType) -> Iterator[str]:
    was, now = old.family, new.family
    if now.input_high > was.output_high:
        yield say(
            "its inputs need {need} V for a high, {family} outputs promise {promise} V: take 74HCT or the old family",
            need=now.input_high,
            family=was.name,
            promise=was.output_high,
        )
    if was.open_input_is_high and not now.open_input_is_high:
        yield say("an input left open does not read high any more: tie it")
    if now.typical_current > _MORE_CURRENT * was.typical_current:
        times = now.typical_current / was.typical_current
        yield say("it draws about {times:.0f} times the current", times=times)


def _of_value(old: Part, number: str, library: ChipLibrary) -> Iterator[str]:
    new = parse_marking(number, old.kind, library)
    if new is None or new.kind != old.kind or old.value is None or new.value is None:
        return
    unit = UNITS.get(old.kind, "")
    limit = _OFF_ELECTROLYTIC if old.kind == "capacitor" and old.polarised else _OFF_VALUE
    # More capacitance in a reservoir is usual practice up to half as much again; less is not.
    if abs(new.value - old.value) > limit * old.value or (old.kind == "capacitor" and new.value < 0.9 * old.value):
        was, now = marked_quantity(old.value, unit), marked_quantity(new.value, unit)
        yield say("{now} in place of {was}", now=now, was=was)
    if old.voltage and new.voltage and new.voltage < old.voltage:
        yield say("{now:g} V in place of {was:g} V", now=new.voltage, was=old.voltage)
