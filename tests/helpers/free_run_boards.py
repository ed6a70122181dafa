"""A made-up processor board whose free run reaches everything: buffers, decoder, ROMs on a bus, counters, adders, gates."""

import random

import numpy as np

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.supplies import Clock
from loyal_trace.core.chips.library import ChipLibrary

_OTHERS = (
    *("74LS157", "74LS153", "74LS86", "74LS00", "74LS02", "74LS08", "74LS32", "74LS166", "74LS273", "74LS374"),
    *("74LS174", "74LS139", "74LS74", "74LS04", "74LS10", "74LS20"),
)
_CLOCKS, _RESETS = ("CLK", "CP", "CK"), ("/CLR", "/MR", "/PRE", "/PR")
_BUFFER = [f"{half}{{}}{n}" for half in (1, 2) for n in range(1, 5)]


class _Drawing:
    """Parts and nets as they are drawn; a pin is named by its part and its name."""

    def __init__(self, library: ChipLibrary) -> None:
        self.library = library
        self.parts: list[Part] = []
        self.nets: dict[str, list[tuple[str, int]]] = {}

    def put(self, number: str) -> str:
        self.parts.append(Part(f"U{len(self.parts) + 1}", number))
        return self.parts[-1].refdes

    def join(self, net: str, refdes: str, *names: str) -> None:
        chip = self.library.find(self.parts[int(refdes[1:]) - 1].number)
        self.nets.setdefault(net, []).extend((refdes, chip.pin(name).number) for name in names)


def free_run_board(library: ChipLibrary, chips: int = 78, roms: int = 6, seed: int = 7, lines: int = 16):
    """(board, contents of its ROMs). `lines`: how many address lines count within the window that is used.

    The last of them clears counters and registers, so that what is counted begins from a known state.
    """
    drawn, dice = _Drawing(library), random.Random(seed)
    reset, contents = f"BA{lines - 1}", {}
    _addresses(drawn, lines)
    noise = np.random.default_rng(seed)
    for place in range(roms):
        rom = drawn.put("2764")
        contents[rom] = noise.integers(0, 256, 8192, dtype=np.uint8).tobytes()
        _rom(drawn, rom, place)
    drawn.nets["RES"] = drawn.nets.pop(reset)
    free = [f"BA{line}" for line in range(min(12, lines - 1))] + [f"BD{line}" for line in range(8)]
    _counters(drawn, free)
    _adders(drawn, free, dice)
    while len(drawn.parts) < chips:
        _gate(drawn, free, dice, _OTHERS[len(drawn.parts) % len(_OTHERS)])
    nets = tuple((name, tuple(pins)) for name, pins in drawn.nets.items())
    board = BoardDefinition("big", "Big", parts=tuple(drawn.parts), nets=nets, clocks=(Clock("CLK", frequency=6e6),))
    return board, contents


def _addresses(drawn: _Drawing, lines: int) -> None:
    """The processor, its buffers, and a decoder on the highest lines that count."""
    cpu = drawn.put("Z80")
    for line in range(16):
        drawn.join(f"A{line}", cpu, f"A{line}")
    for name in ("/RD", "/MREQ"):
        drawn.join(name, cpu, name)
    for half in range(2):
        buffer = drawn.put("74LS244")
        drawn.join("GND", buffer, "/1G", "/2G")
        for place, name in enumerate(_BUFFER):
            drawn.join(f"A{8 * half + place}", buffer, name.format("A"))
            drawn.join(f"BA{8 * half + place}", buffer, name.format("Y"))
    decoder = drawn.put("74LS138")
    for place, name in enumerate("ABC"):
        drawn.join(f"BA{lines - 3 + place}", decoder, name)
    for net, name in (("VCC", "G1"), ("/RD", "/G2A"), ("/MREQ", "/G2B")):
        drawn.join(net, decoder, name)
    for place in range(8):
        drawn.join(f"/CS{place}", decoder, f"/Y{place}")


def _rom(drawn: _Drawing, rom: str, place: int) -> None:
    for line in range(13):
        drawn.join(f"BA{line}" if f"BA{line}" in drawn.nets else "RES", rom, f"A{line}")
    for line in range(8):
        drawn.join(f"BD{line}", rom, f"D{line}")
    drawn.join(f"/CS{place}", rom, "/CE")
    drawn.join("/RD", rom, "/OE")


def _counters(drawn: _Drawing, free: list[str]) -> None:
    """A chain of four, and one that loads itself on its carry."""
    carry = "VCC"
    for place in range(4):
        counter = drawn.put("74LS161")
        for net, names in (
            ("CLK", ["CLK"]),
            ("RES", ["/CLR"]),
            ("VCC", ["/LOAD", "ENP"]),
            ("GND", list("ABCD")),
            (carry, ["ENT"]),
        ):
            drawn.join(net, counter, *names)
        carry = f"CO{place}"
        drawn.join(carry, counter, "RCO")
        for bit, name in enumerate(("QA", "QB", "QC", "QD")):
            drawn.join(f"H{4 * place + bit}", counter, name)
            free.append(f"H{4 * place + bit}")
    inverter, counter = drawn.put("74LS04"), drawn.put("74LS163")
    for net, names in (("CLK", ["CLK"]), ("RES", ["/CLR"]), ("VCC", ["ENP", "ENT", "A", "C"]), ("GND", ["B", "D"])):
        drawn.join(net, counter, *names)
    drawn.join("CARRY", counter, "RCO")
    drawn.join("CARRY", inverter, "1A")
    drawn.join("LOAD", inverter, "1Y")
    drawn.join("LOAD", counter, "/LOAD")
    for bit, name in enumerate(("QA", "QB", "QC", "QD")):
        drawn.join(f"M{bit}", counter, name)
        free.append(f"M{bit}")


def _adders(drawn: _Drawing, free: list[str], dice: random.Random) -> None:
    """Four accumulators: a sum of four bits goes back into its own adder."""
    for place in range(4):
        adder, register = drawn.put("74LS283"), drawn.put("74LS175")
        drawn.join("CLK", register, "CLK")
        drawn.join("RES", register, "/CLR")
        drawn.join("GND", adder, "C0")
        for bit in range(1, 5):
            drawn.join(f"ACC{place}_{bit}", register, f"{bit}Q")
            drawn.join(f"ACC{place}_{bit}", adder, f"A{bit}")
            drawn.join(f"SUM{place}_{bit}", adder, f"S{bit}")
            drawn.join(f"SUM{place}_{bit}", register, f"{bit}D")
            drawn.join(dice.choice(free[:20]), adder, f"B{bit}")
            free.append(f"ACC{place}_{bit}")


def _gate(drawn: _Drawing, free: list[str], dice: random.Random, number: str) -> None:
    refdes = drawn.put(number)
    chip = drawn.library.find(number)
    for pin in chip.pins:
        name = pin.name.lstrip("12")
        if pin.role == "output":
            drawn.join(f"N{refdes}_{pin.number}", refdes, pin.name)
        elif pin.role == "input":
            net = dice.choice(free[-60:] if dice.random() < 0.7 else free)
            if name in _CLOCKS:
                net = "CLK"
            elif name in _RESETS:
                net = "RES" if name in ("/CLR", "/MR") else "VCC"
            elif name in ("/OE", "/OC", "INH", "/G") and dice.random() < 0.7:
                net = "GND"
            drawn.join(net, refdes, pin.name)
    free += [f"N{refdes}_{pin.number}" for pin in chip.pins if pin.role == "output"]
