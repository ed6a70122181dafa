"""Made-up logic boards with hidden faults, probed chip by chip as the program advises, some pins misread.

The generator knows the faults; the diagnosing side sees which functions fail, and what the probe shows.
"""

import random
import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from loyal_trace.core.assess.assessment import assess
from loyal_trace.core.assess.assumptions import place_of_pair
from loyal_trace.core.assess.moment import Memo
from loyal_trace.core.assess.next_things import next_things
from loyal_trace.core.boards.model import BoardDefinition, FunctionPath, Part
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.job import entries as e
from loyal_trace.core.job.base import NamedPart
from loyal_trace.core.simulation.bench import state_of_stream
from loyal_trace.core.simulation.engine import StreamEngine
from loyal_trace.core.simulation.netlist import PinFault, Stream, as_read, build_netlist
from loyal_trace.core.vocabulary.stages import Stage
from tests.helpers.builders import made, measured, moment_of

TYPES = (
    *("74LS00", "74LS02", "74LS04", "74LS08", "74LS10", "74LS20", "74LS32", "74LS86", "74LS74", "74LS139", "74LS138"),
    *("74LS153", "74LS157", "74LS161", "74LS163", "74LS166", "74LS174", "74LS175", "74LS273", "74LS283", "74LS374"),
)
STEPS, SOURCES, FUNCTIONS, MOST_ON_PATH = 1024, 10, 8, 14
_AGAIN = re.compile(r"again at pins ([\d, ]+)")
_PROBED = re.compile(r"probe U\d+:")
_BOTH, _CONTINUITY, _PIN = re.compile("read U"), re.compile("check continuity"), re.compile(r"(U\d+)\.(\d+)")
_LOOK = re.compile(r"look at the signal of (.+) after (U\d+), then")
# Pins that keep a chip from working; a board ties most of them.
_TIED = {"/CLR": 1, "/PRE": 1, "/PR": 1, "INH": 0, "/OE": 0, "/OC": 0, "/G": 0, "G": 0, "ENP": 1, "ENT": 1, "/LOAD": 1}


@dataclass
class LogicBoard:
    """One board, what its nets do with and without its faults, and the readings so far."""

    definition: BoardDefinition
    faults: tuple[PinFault, ...]
    good: Mapping[str, Stream]
    streams: Mapping[str, Stream]
    failing: frozenset[str]
    dice: random.Random
    library: ChipLibrary
    misread: float = 0.02
    entries: list[e.Entry] = field(default_factory=list)
    memo: Memo = field(default_factory=Memo)

    @property
    def guilty(self) -> set[str]:
        return {fault.refdes for fault in self.faults}

    def moment(self):
        return moment_of(self.definition, self.entries, memo=self.memo)

    def complain(self) -> None:
        """The person says of each function whether it works."""
        for function in self.definition.functions:
            state = "fails" if function.name in self.failing else "works"
            self.entries.append(made(e.FunctionSeen, board="small", name=function.name, state=state))

    def follow(self, looks: bool = True) -> bool:
        """Does the first thing that the program advises at Probe; False when there is none that this bench can do.

        Without `looks` nobody can tell by its signal whether a function is right somewhere on its way.
        """
        for thing in next_things(self.moment(), 60, (Stage.PROBE,)):
            again, looked = _AGAIN.search(thing.text), _LOOK.match(thing.text)
            if looked and looks:
                self.look_at(looked[1], looked[2])
            elif again:
                self.probe(thing.place.refdes, {int(pin) for pin in again[1].split(",")})
            elif _PROBED.match(thing.text):
                self.probe(thing.place.refdes, None)
            elif _BOTH.match(thing.text):
                for refdes, pin in _PIN.findall(thing.text):
                    self.probe(refdes, {int(pin)})
            elif _CONTINUITY.match(thing.text):
                one, other = (f"{refdes}.{pin}" for refdes, pin in _PIN.findall(thing.text)[:2])
                self.entries.append(measured(place_of_pair((one, other)), "continuity", 0.2))
            else:
                continue
            return True
        return False

    def look_at(self, function: str, refdes: str) -> None:
        """The person looks whether what goes on after a stage of a function is right; some are mistaken."""
        path = next(f.parts for f in self.definition.functions if f.name == function)
        before, after = path[: path.index(refdes) + 1], set(path[path.index(refdes) + 1 :])
        crossing = [net for net, pins in self.definition.nets if pins[0][0] in before and after & {r for r, _ in pins}]
        wrong = any(self._differs(net) for net in crossing)
        said = wrong != (self.dice.random() < self.misread)
        member, state = NamedPart(board="small", refdes=refdes), "fails" if said else "works"
        self.entries.append(made(e.StageSeen, board="small", name=function, member=member, state=state))

    def _differs(self, net: str) -> bool:
        return not np.array_equal(as_read(self.good[net]), as_read(self.streams[net]))

    def probe(self, refdes: str, only: set[int] | None) -> None:
        states = []
        for pin in self.library.find(self.definition.part(refdes).number).pins:
            if pin.role not in ("unused", "power", "ground") and (only is None or pin.number in only):
                states.append(e.PinState(pin=pin.number, state=self._read(refdes, pin.number)))
        self.entries.append(made(e.PinsProbed, board="small", place=refdes, pins=tuple(states)))

    def _read(self, refdes: str, pin: int) -> str:
        net = self.definition.net_of(refdes, pin)
        state = state_of_stream(self.streams[net or f"{refdes}.{pin}"])
        slips = self.dice.random() < self.misread
        return self.dice.choice([other for other in "LHP" if other != state]) if slips else state

    def ranking(self) -> list[tuple[str, float]]:
        """Every chip with the probability stated for it, the likeliest first."""
        said = {suspect.place.refdes: suspect.probability for suspect in assess(self.moment()).suspects}
        return sorted(((p.refdes, said.get(p.refdes, 0.0)) for p in self.definition.parts), key=lambda pair: -pair[1])


def logic_board(seed: int, library: ChipLibrary, chips: int = 40, faults: int = 1) -> LogicBoard:
    """A board of registers and gates, driven by a clock and random sources; its faults spoil at least one function."""
    dice = random.Random(seed)
    while True:
        drawn, sources, feeds = _drawn(dice, library, chips)
        stimuli = _stimuli(dice, sources)
        good = StreamEngine().run(build_netlist(drawn, library), stimuli, STEPS)
        functions = _functions(dice, drawn, library, feeds)
        board = replace(drawn, functions=tuple(f for f, _ in functions))
        for _ in range(20):
            hidden = _faults(dice, board, library, faults)
            bad = StreamEngine().run(build_netlist(board, library, faults=hidden), stimuli, STEPS)
            failing = frozenset(
                f.name for f, net in functions if not np.array_equal(as_read(good[net]), as_read(bad[net]))
            )
            if failing and all(_shows(board, library, one, stimuli, good, functions) for one in hidden):
                return LogicBoard(board, hidden, good, bad, failing, dice, library)


def _shows(board, library, fault, stimuli, good, functions) -> bool:
    """Does a fault by itself spoil a function? What nobody notices is not looked for."""
    alone = StreamEngine().run(build_netlist(board, library, faults=(fault,)), stimuli, STEPS)
    return any(not np.array_equal(as_read(good[net]), as_read(alone[net])) for _, net in functions)


def _drawn(dice: random.Random, library: ChipLibrary, chips: int):
    """(board without functions, nets of the sources, refdes → refdes that feed it)."""
    sources = [f"IN{n}" for n in range(SOURCES)]
    nets: dict[str, list[tuple[str, int]]] = {}
    free = list(sources)
    feeds: dict[str, set[str]] = {}
    parts = []
    for number in range(1, chips + 1):
        refdes, name = f"U{number}", dice.choice(TYPES)
        parts.append(Part(refdes, name, "DIP-20", x=20 * (number % 8), y=20 * (number // 8), socketed=False))
        for pin in library.find(name).pins:
            if pin.role in ("power", "ground"):
                nets.setdefault("+5V" if pin.role == "power" else "GND", []).append((refdes, pin.number))
            elif pin.role == "input":
                net = _input_net(dice, pin.name, free)
                nets.setdefault(net, []).append((refdes, pin.number))
                if net in nets and nets[net][0][0] != refdes and not net.startswith(("IN", "CLK", "HIGH", "GND")):
                    feeds.setdefault(refdes, set()).add(nets[net][0][0])
        for pin in library.find(name).pins:
            if pin.role == "output":
                nets[f"N{refdes}_{pin.number}"] = [(refdes, pin.number)]
                free.append(f"N{refdes}_{pin.number}")
    board = BoardDefinition(
        id="small", name="Small", parts=tuple(parts), nets=tuple((n, tuple(p)) for n, p in nets.items())
    )
    return board, sources, feeds


def _input_net(dice: random.Random, pin: str, free: list[str]) -> str:
    if pin.upper().endswith(("CLK", "CP", "CK")) or pin.upper().startswith(("CLK", "1CLK", "2CLK")):
        return "CLK"
    tied = next((level for name, level in _TIED.items() if pin.upper().lstrip("12") == name), None)
    if tied is not None and dice.random() < 0.8:
        return "HIGH" if tied else "GND"
    # Signals go to chips near by: what was drawn last is taken sooner.
    recent = free[-40:]
    return dice.choice(recent if dice.random() < 0.85 else free)


def _stimuli(dice: random.Random, sources: list[str]) -> dict[str, Stream]:
    noise = np.random.default_rng(dice.randrange(2**32))
    found = {"CLK": (np.arange(STEPS) & 1).astype(np.uint8)}
    found |= {"HIGH": np.ones(STEPS, dtype=np.uint8), "GND": np.zeros(STEPS, dtype=np.uint8)}
    found["+5V"] = found["HIGH"]
    for place, net in enumerate(sources):
        found[net] = noise.integers(0, 2, STEPS >> (place % 4 + 1), dtype=np.uint8).repeat(2 << (place % 4))
    return found


def _functions(dice: random.Random, board: BoardDefinition, library: ChipLibrary, feeds):
    """(function with the chips that it hangs on, net of its last output)."""
    made_of = []
    for part in dice.sample(board.parts, len(board.parts)):
        found, waiting = [], [part.refdes]
        while waiting:
            refdes = waiting.pop(0)
            if refdes not in found:
                found.append(refdes)
                waiting += sorted(feeds.get(refdes, ()))
        if 3 <= len(found) <= MOST_ON_PATH:
            pin = dice.choice([p.number for p in library.find(part.number).pins if p.role == "output"])
            made_of.append(
                (
                    FunctionPath(f"function {len(made_of) + 1}", tuple(sorted(found, key=lambda r: int(r[1:])))),
                    board.net_of(part.refdes, pin),
                )
            )
        if len(made_of) == FUNCTIONS:
            break
    return made_of


def _faults(dice: random.Random, board: BoardDefinition, library: ChipLibrary, count: int) -> tuple[PinFault, ...]:
    found = []
    for part in dice.sample(board.parts, count):
        roles = ("output",) if dice.random() < 0.8 else ("input",)
        pins = [p for p in library.find(part.number).pins if p.role in roles]
        pin = dice.choice(pins)
        kind = "output-stuck" if pin.role == "output" else "input-stuck"
        found.append(PinFault(part.refdes, pin.number, kind, dice.randrange(2)))
    return tuple(found)
