"""What can stand in for a chip: another family, a superset, a memory on an adapter, a discrete part for one section.

Each equivalent says what it gives up. Levels are judged as a board of the old family drives and loads the new part.
"""

import re
import tomllib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from loyal_trace.core.chips.levels import FAMILIES, Family
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.chips.model import ChipType, Pin
from loyal_trace.core.parts.fitting import RANK, Fits
from loyal_trace.core.roms.devices import REWRITABLE, MemoryType, MemoryTypes, left_over_words
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import after, joined, say
from loyal_trace.core.vocabulary.units import count_of, format_quantity

_LOGIC = re.compile(r"(74|54)(?:[A-Z]*)(\d{2,5})")
_ENABLES = 2  # an EPROM's /CE and /OE
_PLAIN = re.compile(r"74\d{2,5}")
_FAMILY_ORDER = ("LS", "HCT", "ALS", "F", "TTL", "S", "AS", "ACT", "HC", "AC")
_SLOWER, _FASTER, _MORE_CURRENT, _MORE_LOAD = 1.3, 2.0, 2.0, 1.1
# The share of half a clock period that one gate may take: half a dozen stand between two registers.
_OF_HALF_PERIOD = 1 / 6
_ARRAY = re.compile(r"ULN2[08]0[1-9]")
_GAIN, _BASE_OHM, _BASE_VOLTS, _DRIVE_VOLTS = 1000.0, 2.2e3, 1.4, 2.7


@dataclass(frozen=True)
class Drive:
    """What a family's outputs and inputs can do (ampere, second)."""

    sink: float
    source: float
    load_low: float
    load_high: float
    delay: float
    edge: float


@dataclass(frozen=True)
class FamilyTable:
    """The families by name, and where the figures come from."""

    drives: Mapping[str, Drive]
    source: str


def family_table(text: str) -> FamilyTable:
    """The table from its data file."""
    told = tomllib.loads(text)
    drives = {name: Drive(**row) for name, row in told.items() if isinstance(row, dict)}
    return FamilyTable(drives, str(told["source"]))


@dataclass(frozen=True)
class Wire:
    """One connection of an adapter or a bypass: from where, to where."""

    start: str
    end: str


@dataclass(frozen=True)
class Equivalent:
    """A type that can stand in, how it relates, whether it does, what it gives up, and what has to be wired."""

    number: str
    relation: str
    fits: Fits
    gives_up: tuple[str, ...] = ()
    wiring: tuple[Wire, ...] = ()


@dataclass(frozen=True)
class Section:
    """One of several alike in a package: its inputs and its output, as pin numbers."""

    name: str
    inputs: tuple[int, ...]
    output: int


@dataclass(frozen=True)
class Equivalents:
    """Everything that can stand in for a type, the best first, and the sections that can stand in for each other."""

    chip: ChipType
    found: tuple[Equivalent, ...]
    sections: tuple[Section, ...]


def equivalents_of(
    number: str,
    library: ChipLibrary,
    table: FamilyTable,
    memories: MemoryTypes,
    clock: float | None = None,
    thorough: bool = True,
) -> Equivalents:
    """What can stand in for the printed type; RequestError for an unknown one. `clock` (hertz) is that of the board.

    `thorough`: also looks through the whole library for types of the same pins and logic.
    """
    if clock is not None and clock <= 0:
        raise RequestError(say("a clock must be above zero"))
    if not library.knows(number) and memories.knows(number):
        return Equivalents(_chip_of(memories.find(number)), _sorted(_of_memory(memories.find(number), memories)), ())
    chip = library.find(number)
    found = [*_families(number, chip, library, table, clock)]
    found += _same_pins(number, chip, library) if thorough else []
    if memories.knows(number):
        found += _of_memory(memories.find(number), memories)
    elif chip.is_rom and chip.memory is not None and chip.memory.data:
        found += _proms(chip, memories)
    if chip.memory is not None and not chip.is_rom:
        found += _larger_rams(chip, library)
    if _ARRAY.fullmatch(_base(number, library)) and {"1B", "1C"} <= {pin.name for pin in chip.pins}:
        found.append(_discrete(chip))
    return Equivalents(chip, _sorted(found), sections_of(chip))


def _sorted(found: list[Equivalent]) -> tuple[Equivalent, ...]:
    return tuple(sorted(found, key=lambda one: (RANK[one.fits], len(one.gives_up), len(one.wiring))))


def _base(number: str, library: ChipLibrary) -> str:
    read = library.read_as(number)
    return read[0] if read is not None else number.upper()


def _chip_of(memory: MemoryType) -> ChipType:
    return ChipType(memory.name, memory.title, (), FAMILIES["NMOS"])


# another family


def _families(
    number: str, chip: ChipType, library: ChipLibrary, table: FamilyTable, clock: float | None
) -> Iterator[Equivalent]:
    base = _LOGIC.fullmatch(_base(number, library))
    if base is None or chip.memory is not None or chip.family.name not in table.drives:
        return
    yield Equivalent(
        f"74{_letters(chip.family)}{base[2]}",
        say("the same type of any maker, in any package suffix for holes"),
        Fits.FITS,
    )
    for name in _FAMILY_ORDER:
        new = f"74{_letters(FAMILIES[name])}{base[2]}"
        # A few numbers are another chip in another family: the 74S573 is a PROM.
        if name != chip.family.name and _base(new, library) == _base(number, library):
            yield family_change(new, chip.family, FAMILIES[name], table, clock)


def _letters(family: Family) -> str:
    return "" if family.name == "TTL" else family.name


def family_change(
    new_number: str, old: Family, new: Family, table: FamilyTable, clock: float | None = None
) -> Equivalent:
    """The same type in another family on a board of the old one: levels, drive, load, speed, edges, current."""
    told = [*_levels(old, new), *_drive(old, new, table), *_speed(old, new, table, clock)]
    if new.typical_current > _MORE_CURRENT * old.typical_current:
        times = new.typical_current / old.typical_current
        told.append((Fits.WITH_CARE, say("draws about {times:.0f} times the current", times=times)))
    worst = max((fits for fits, _ in told), key=lambda fits: RANK[fits], default=Fits.FITS)
    relation = say("the same function in the {family} family, where it is made", family=new.name)
    return Equivalent(new_number, relation, worst, tuple(text for _, text in told))


def _levels(old: Family, new: Family) -> Iterator[tuple[Fits, str]]:
    if new.input_high > old.output_high:
        yield (
            Fits.NO,
            say(
                "its inputs need {need} V for a high, and {family} outputs promise {promise} V",
                need=new.input_high,
                family=old.name,
                promise=old.output_high,
            ),
        )
    if new.output_high < old.input_high or new.output_low > old.input_low:
        yield Fits.NO, say("its outputs do not reach the levels of {family} inputs", family=old.name)
    if old.open_input_is_high and not new.open_input_is_high:
        yield Fits.WITH_CARE, say("an input left open reads no level any more: tie every unused one")


def _drive(old: Family, new: Family, table: FamilyTable) -> Iterator[tuple[Fits, str]]:
    was, now = table.drives[old.name], table.drives[new.name]
    loads = int(now.sink / was.load_low + 1e-9)
    if now.sink < was.sink:
        before = int(was.sink / was.load_low + 1e-9)
        told = say(
            "drives {loads} inputs of {family} where it drove {before}", loads=loads, family=old.name, before=before
        )
        yield Fits.WITH_CARE if loads >= 2 else Fits.NO, told
    if now.load_low > _MORE_LOAD * was.load_low:
        feeds = int(was.sink / now.load_low + 1e-9)
        told = say(
            "each input takes {load}, so an output of {family} feeds {feeds} of them",
            load=format_quantity(now.load_low, "A"),
            family=old.name,
            feeds=feeds,
        )
        yield Fits.WITH_CARE if feeds >= 2 else Fits.NO, told


def _speed(old: Family, new: Family, table: FamilyTable, clock: float | None) -> Iterator[tuple[Fits, str]]:
    was, now = table.drives[old.name], table.drives[new.name]
    if now.delay > _SLOWER * was.delay:
        told = say(
            "takes {now} a gate where {was} was usual",
            now=format_quantity(now.delay, "s"),
            was=format_quantity(was.delay, "s"),
        )
        late = clock is not None and now.delay > _OF_HALF_PERIOD / (2 * clock)
        yield (
            (Fits.NO, say("{told}: too slow at {clock}", told=told, clock=format_quantity(clock, "Hz")))
            if late and clock
            else (
                Fits.WITH_CARE,
                told,
            )
        )
    if now.edge * _FASTER < was.edge:
        told = say(
            "edges of {now} instead of {was}: ringing on long tracks, a capacitor of 100 nF at the chip is needed",
            now=format_quantity(now.edge, "s"),
            was=format_quantity(was.edge, "s"),
        )
        yield Fits.WITH_CARE, told


# the same pins


def _same_pins(number: str, chip: ChipType, library: ChipLibrary) -> Iterator[Equivalent]:
    """Types whose every pin has the same name and whose outputs do the same: with other outputs or thresholds."""
    own = _base(number, library)
    logic = _logic_of(chip)
    base = _LOGIC.fullmatch(own)
    if not logic or base is None:
        return
    for key in library.type_names:
        if key == own or not _PLAIN.fullmatch(key):
            continue
        other = library.find(f"74{_letters(chip.family)}{key[2:]}")
        if [p.name for p in other.pins] == [p.name for p in chip.pins] and _logic_of(other) == logic:
            yield Equivalent(other.name, other.title, *_outputs(chip, other))


def _logic_of(chip: ChipType) -> tuple[tuple[str, str], ...]:
    return tuple(sorted((output.name, output.value.text) for output in chip.outputs)) if not chip.registers else ()


def _outputs(chip: ChipType, other: ChipType) -> tuple[Fits, tuple[str, ...]]:
    was = any(output.open_collector for output in chip.outputs)
    now = any(output.open_collector for output in other.outputs)
    if was == now:
        return Fits.WITH_CARE, (say("{title} in place of {old}: compare ratings", title=other.title, old=chip.title),)
    if now:
        return Fits.WITH_CARE, (say("open collectors: a resistor to the supply at every output, and slower edges"),)
    return Fits.NO, (say("its outputs drive high, so none may be tied to another or to a higher supply"),)


# memories


def _of_memory(old: MemoryType, memories: MemoryTypes) -> list[Equivalent]:
    found = []
    for fit in memories.substitutes(old):
        wiring = tuple(
            Wire(say("pin {pin} of {new}", pin=p.device_pin, new=fit.new.name), after("to ", p.wiring))
            for p in fit.pins
            if p.wiring
        )
        relation = say("memory of {size:,} bytes in its socket", size=fit.new.size)
        found.append(Equivalent(fit.new.name, relation, Fits.WITH_CARE if wiring else Fits.FITS, fit.cautions, wiring))
    return found


def _proms(chip: ChipType, memories: MemoryTypes) -> list[Equivalent]:
    """EPROMs on an adapter in place of a bipolar PROM: by name of the pins, the packages share nothing."""
    memory = chip.memory
    assert memory is not None
    size = 2 ** len(memory.address)
    found = []
    for new in memories.all:
        if new.technology in REWRITABLE and new.size >= size and new.name in ("2716", "27C64", "27C256", "28C64"):
            found.append(
                Equivalent(
                    new.name,
                    say("on an adapter in place of the PROM"),
                    Fits.WITH_CARE,
                    tuple(_prom_costs(chip, new, size)),
                    tuple(adapter(chip, new)),
                )
            )
    return found


def _prom_costs(chip: ChipType, new: MemoryType, size: int) -> Iterator[str]:
    fastest = min(new.access) if new.access else 0
    yield say("access in {ns} ns at best, where the bipolar part takes about 50 ns", ns=fastest)
    yield say("drives about 2 mA where the bipolar part sinks 16 mA")
    if chip.memory is not None and len(chip.memory.data) < 8:
        yield say("of each byte only the lower {bits} bits are used", bits=len(chip.memory.data))
    if new.size > size:
        yield say("the image is repeated {times} times", times=new.size // size)
    enabling = _low_selects(chip)[:_ENABLES]
    left = [pin.name for pin in _selects_of(chip) if pin not in enabling]
    if left:
        yield left_over_words(new, left)
    if "open collector" in chip.title:
        yield say(
            "the old outputs are open collectors: their pull-up resistors may stay, but nothing else may pull these "
            "lines low"
        )


def _selects_of(chip: ChipType) -> list[Pin]:
    """The pins that decide whether a memory drives its outputs, in the order of the package."""
    named = chip.memory.select.names if chip.memory is not None else ()
    return [pin for pin in chip.pins if pin.name in named]


def _low_selects(chip: ChipType) -> list[Pin]:
    return [pin for pin in _selects_of(chip) if pin.name.startswith("/")]


def adapter(chip: ChipType, new: MemoryType) -> Iterator[Wire]:
    """Every pin of the EPROM and where it goes in the socket of the PROM."""
    socket = {pin.name: pin.number for pin in chip.pins}
    low = _low_selects(chip)
    for number, name in enumerate(new.pins, start=1):
        start = say("pin {pin} of {new} ({name})", pin=number, new=new.name, name=name)
        yield Wire(start, _goes_to(name, socket, [pin.number for pin in low]))


def _goes_to(name: str, socket: Mapping[str, int], low: list[int]) -> str:
    if name in socket:
        return say("socket pin {pin} ({name})", pin=socket[name], name=name)
    if name == "/CE":
        return say("socket pin {pin} (select)", pin=low[0]) if low else say("ground")
    if name == "/OE":
        pin = low[1] if len(low) > 1 else (low[0] if low else 0)
        return say("socket pin {pin} (select)", pin=pin) if pin else say("ground")
    if name in ("VPP", "/PGM", "/WE"):
        return say("+5 V")
    return say("nothing") if name == "NC" or name.startswith("D") else say("ground")


def _larger_rams(chip: ChipType, library: ChipLibrary) -> Iterator[Equivalent]:
    """Static RAM with more address lines of the same width: what lies where, and what has to be wired."""
    memory = chip.memory
    assert memory is not None
    for key in ("6116", "6264", "62256"):
        if not library.knows(key) or library.find(key).name == chip.name:
            continue
        other = library.find(key)
        if other.memory is None or len(other.memory.address) <= len(memory.address):
            continue
        if len(other.memory.data) >= len(memory.data) >= 4:
            extra = len(other.memory.address) - len(memory.address)
            costs = [say("{lines} to ground", lines=count_of(extra, "address line"))]
            if len(other.memory.data) > len(memory.data):
                open_lines = count_of(len(other.memory.data) - len(memory.data), "data line")
                costs.append(say("not connected: {lines}", lines=open_lines))
            wiring = tuple(_ram_wires(chip, other))
            yield Equivalent(key, say("a larger static RAM on an adapter"), Fits.WITH_CARE, tuple(costs), wiring)


def _ram_wires(chip: ChipType, other: ChipType) -> Iterator[Wire]:
    socket = {pin.name: pin.number for pin in chip.pins}
    aliases = {"/CE1": "/CE", "/CS": "/CE", "/E": "/CE", "GND": "VSS", "VSS": "GND"}
    for pin in other.pins:
        start = say("pin {pin} of {new} ({name})", pin=pin.number, new=other.name, name=pin.name)
        name = pin.name if pin.name in socket else aliases.get(pin.name, pin.name)
        if name in socket:
            yield Wire(start, say("socket pin {pin} ({name})", pin=socket[name], name=name))
        elif pin.name == "CE2":
            yield Wire(start, say("+5 V"))
        elif pin.name.startswith(("NC", "D")):
            yield Wire(start, say("nothing"))
        else:
            yield Wire(start, say("ground"))


# sections


def sections_of(chip: ChipType) -> tuple[Section, ...]:
    """The like sections of a package, by what each output reads; none where outputs share inputs or state."""
    if chip.registers or chip.memory is not None:
        return ()
    numbers = {pin.name: pin.number for pin in chip.pins}
    found = [
        Section(output.name, tuple(sorted(numbers[name] for name in output.value.names)), numbers[output.name])
        for output in chip.outputs
        if output.enable is None
    ]
    used = [pin for section in found for pin in section.inputs]
    alike = {len(section.inputs) for section in found}
    return tuple(found) if len(found) > 1 and len(used) == len(set(used)) and len(alike) == 1 else ()


def bypass(dead: Section, spare: Section, chip: ChipType) -> tuple[Wire, ...]:
    """The wires that put a spare section in the place of a dead one; the dead pins are cut off their tracks first."""
    pairs = [*zip(dead.inputs, spare.inputs, strict=True), (dead.output, spare.output)]
    return tuple(
        Wire(say("track of pin {pin} of {chip}, pin cut off", pin=old, chip=chip.name), say("pin {pin}", pin=new))
        for old, new in pairs
    )


def _discrete(chip: ChipType) -> Equivalent:
    """A discrete Darlington for one dead section of an array, checked against the driver before it."""
    drive = (_DRIVE_VOLTS - _BASE_VOLTS) / _BASE_OHM
    carries = _GAIN * min(drive, 0.4e-3)
    pins = {pin.name: pin.number for pin in chip.pins}
    wiring = (
        Wire(say("base, through {ohm}", ohm=format_quantity(_BASE_OHM, "Ω")), say("pin {pin} (input)", pin=pins["1B"])),
        Wire(say("collector"), say("pin {pin} (output), that pin cut off", pin=pins["1C"])),
        Wire(say("emitter"), say("pin {pin} (ground)", pin=pins.get("GND", 0))),
        Wire(say("diode, cathode to the common pin"), say("pin {pin} (COM)", pin=pins.get("COM", 0))),
    )
    costs = (
        say("a workaround, to be recorded as such: the other sections of the array are as old"),
        say(
            "with 0.4 mA from an LS output and a gain of {gain:g} it carries {carries}: check the load",
            gain=_GAIN,
            carries=format_quantity(carries, "A"),
        ),
        say(
            "pinouts of discrete parts differ by maker: find base and emitter with the diode test, on both data sheets"
        ),
        say("check the output of the chip before it as well: what killed the section may have loaded it"),
    )
    return Equivalent(
        say("NPN Darlington, 60 V, 1 A, for one section"),
        say("section of {chip}, input pin 1", chip=chip.name),
        Fits.WITH_CARE,
        costs,
        wiring,
    )


def words_of(wiring: tuple[Wire, ...]) -> str:
    """Wires in one line."""
    return joined("; ", (say("{start} to {end}", start=wire.start, end=wire.end) for wire in wiring))
