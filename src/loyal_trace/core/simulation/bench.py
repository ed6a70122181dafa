"""The simulated bench: it alone knows the hidden faults, and answers reader, probe, meter and power switch.

Everything it says is computed from netlist, contents and supply with seeded noise. The diagnosing side never sees it.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from itertools import takewhile

import numpy as np

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.power.formulas import Reservoir, charge_time, peak_voltage, regulator_output, ripple_voltage
from loyal_trace.core.probing.states import PinReading
from loyal_trace.core.simulation.clock_tree import clock_frequency
from loyal_trace.core.simulation.engine import Engine, StreamEngine
from loyal_trace.core.simulation.netlist import FIGHT, FLOATING, PinFault, Stream, as_read, build_netlist
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say

STEPS = 1 << 17
_MAINS = 50.0
_LEAKY_READS = 2.1


@dataclass(frozen=True)
class HiddenFault:
    """One thing wrong that nobody has been told.

    `kind`: pin-input-stuck, pin-open, cells, stuck-bit (of a 1-bit RAM), dried, leaking, worn-socket, blown (also a
    missing fuse), wrong-fuse (`factor` the rating fitted, ampere), diode-open and transistor-open (`pin` the leg), flat
    (a cell; `factor` its volts), shorted (to ground; `factor` its ohms), section-dead (spoils the functions in `code`,
    separated by commas; all that need the part when it is empty), leaky (a capacitor: they work partly).
    """

    board: str
    refdes: str
    kind: str
    pin: int = 0
    level: int = 1
    offsets: tuple[int, ...] = ()
    bit: int = 0
    factor: float = 1.0
    rate: float = 0.0
    code: str = ""


@dataclass(frozen=True)
class SupplyModel:
    """One supply as it really is: AC (volt RMS), load (ampere), regulator, and the plug drop to each board (volt).

    `board` and `path` say whose it is; empty ones fit any. `nominal` 0 is an unregulated supply; `dc` feeds the
    regulator directly, without winding and reservoir.
    """

    ac_rms: float = 10.4
    load: float = 1.45
    diode_drop: float = 0.85
    nominal: float = 5.02
    dropout: float = 2.0
    reservoir: str = "C1"
    drop_to: Mapping[str, float] = field(default_factory=dict)
    board: str = ""
    path: str = ""
    dc: float = 0.0


@dataclass(frozen=True)
class Drive:
    """How a board is stimulated when it runs: nets held, the net with the crystal, the CPU that counts, mated nets."""

    held: Mapping[str, int] = field(default_factory=dict)
    clock: str = ""
    cpu: str = ""
    mated: tuple[tuple[str, str, str], ...] = ()


class SimulatedBench:
    """A set of boards on a bench, with faults. `seed` fixes all noise."""

    def __init__(
        self,
        boards: Mapping[str, BoardDefinition],
        library: ChipLibrary,
        contents: Mapping[tuple[str, str], bytes],
        faults: tuple[HiddenFault, ...],
        drives: Mapping[str, Drive],
        supply: SupplyModel | tuple[SupplyModel, ...],
        seed: int = 1984,
        engine: Engine | None = None,
        bad_spares: Mapping[str, HiddenFault] | None = None,
    ) -> None:
        self.boards, self._library, self._contents = boards, library, dict(contents)
        self.faults, self._drives = list(faults), drives
        self._supplies = supply if isinstance(supply, tuple) else (supply,)
        self._engine = engine or StreamEngine()
        self._noise = np.random.default_rng(seed)
        self._bad_spares = dict(bad_spares or {})
        self._streams: dict[str, dict[str, Stream]] = {}

    def _part(self, board: str, refdes: str) -> Part:
        if board not in self.boards:
            raise RequestError(say("there is no board {board} on this bench", board=board))
        return self.boards[board].part(refdes)

    def _faults_at(self, board: str, refdes: str, kind: str = "") -> list[HiddenFault]:
        return [f for f in self.faults if (f.board, f.refdes) == (board, refdes) and (not kind or f.kind == kind)]

    # the reader

    def rom_in_chip(self, board: str, refdes: str) -> bytes:
        """What the cells hold now: the programmed content with faded cells."""
        data = bytearray(self._contents[(board, refdes)])
        for fault in self._faults_at(board, refdes, "cells"):
            for offset in fault.offsets:
                data[offset] |= 1 << fault.bit
        return bytes(data)

    def read_rom(self, board: str, refdes: str) -> bytes:
        """One read out of circuit, through the chip's own legs. RequestError when the part holds no ROM."""
        part = self._part(board, refdes)
        if (board, refdes) not in self._contents:
            raise RequestError(say("{refdes} is not a ROM on this bench", refdes=refdes))
        memory = self._library.find(part.number).memory
        data = np.frombuffer(self.rom_in_chip(board, refdes), dtype=np.uint8)
        index = np.arange(len(data))
        lanes = data
        for fault in self._faults_at(board, refdes, "pin-open"):
            name = self._library.find(part.number).pin_number(fault.pin).name
            if memory is not None and name in memory.address:
                line = 1 << memory.address.index(name)
                index = (index | line) if fault.level else (index & ~line)
            elif memory is not None and name in memory.data:
                lane = np.uint8(1 << memory.data.index(name))
                lanes = (lanes | lane if fault.level else lanes & ~lane).astype(np.uint8)
        return lanes[index % len(lanes)].tobytes()

    # the probe

    def _board_streams(self, board: str) -> dict[str, Stream]:
        if board not in self._streams:
            definition, drive = self.boards[board], self._drives.get(board, Drive())
            faults = tuple(
                PinFault(f.refdes, f.pin, f.kind.removeprefix("pin-"), f.level)
                for f in self.faults
                if f.board == board and f.kind.startswith("pin-")
            )
            contents = {r: self.rom_in_chip(b, r) for b, r in self._contents if b == board}
            netlist = build_netlist(definition, self._library, contents, faults)
            self._streams[board] = self._engine.run(netlist, self._stimuli(definition, drive), STEPS)
        return self._streams[board]

    def _stimuli(self, board: BoardDefinition, drive: Drive) -> dict[str, Stream]:
        stimuli = {net: np.full(STEPS, level, dtype=np.uint8) for net, level in drive.held.items()}
        clock = (np.arange(STEPS) & 1).astype(np.uint8)
        if drive.clock:
            stimuli[drive.clock] = clock
        stimuli |= self._one_bit_memories(board)
        for here, other_board, there in drive.mated:
            stimuli[here] = self._board_streams(other_board)[there]
        if drive.cpu:
            chip = self._library.find(board.part(drive.cpu).number)
            count = (np.arange(STEPS, dtype=np.uint32) + 1) >> 1
            for position, name in enumerate(chip.cpu_address):
                net = board.net_of(drive.cpu, chip.pin(name).number)
                if net:
                    stimuli[net] = ((count >> position) & 1).astype(np.uint8)
            high = np.ones_like(clock)
            for name, stream in (("/MREQ", clock), ("/RD", clock), ("/WR", high), ("/HALT", high)):
                number = chip.pin(name).number
                stimuli[board.line_of(drive.cpu, number)] = stream
        return stimuli

    def _one_bit_memories(self, board: BoardDefinition) -> dict[str, Stream]:
        """What 1-bit RAMs put out while a program runs: data that comes and goes, or the stuck bit of a bad one."""
        found: dict[str, Stream] = {}
        for part in board.chips:
            chip = self._library.find(part.number) if self._library.knows(part.number) else None
            if chip is None or "DOUT" not in {p.name for p in chip.pins}:
                continue
            net = board.net_of(part.refdes, chip.pin("DOUT").number)
            stuck = self._faults_at(board.id, part.refdes, "stuck-bit")
            varied = self._noise.integers(0, 2, STEPS // 8, dtype=np.uint8).repeat(8)
            if net:
                found[net] = np.full(STEPS, stuck[0].level, dtype=np.uint8) if stuck else varied
        return found

    def probe(self, board: str, refdes: str, pin: int) -> PinReading:
        """What a logic probe shows at a pin; supply pins are read as voltages."""
        part = self._part(board, refdes)
        chip = self._library.find(part.number)
        role = chip.pin_number(pin).role
        if role == "power":
            return PinReading("H", voltage=round(self.measure(board, f"{refdes}.{pin}", "voltage"), 2))
        net = self.boards[board].net_of(refdes, pin)
        stream = self._board_streams(board).get(net or f"{refdes}.{pin}")
        if role == "ground":
            return PinReading("L")
        return PinReading("Z" if stream is None else state_of_stream(stream))

    def capture(self, board: str, refdes: str, steps: int) -> dict[str, Stream]:
        """What an analyser clipped on a chip sees: pin name → level (0, 1) at each of some steps."""
        part = self._part(board, refdes)
        streams, found = self._board_streams(board), {}
        for pin in self._library.find(part.number).pins:
            stream = streams.get(self.boards[board].line_of(refdes, pin.number))
            if stream is not None and pin.role not in ("power", "ground", "unused"):
                found[pin.name] = as_read(stream[:steps])
        return found

    # the meter

    def measure(self, board: str, place: str, quantity: str) -> float:
        """One reading in SI units, with a little noise; infinity is an open line. RequestError when it cannot be."""
        refdes = place.split(".", maxsplit=1)[0].split("-", maxsplit=1)[0]
        part = self._part(board, refdes)
        value = self._exact(board, part, place, quantity)
        if np.isinf(value) or quantity in ("rating", "reset pulses"):
            return value
        spread = 2e-5 if quantity == "frequency" else 0.002
        return float(value * (1 + self._noise.normal(0, spread)))

    def _path_at(self, board: str, place: str, quantity: str) -> str:
        """The supply path that a chain point belongs to; empty when the board has only one."""
        points = [p for p in self.boards[board].chain if p.point == place]
        return next((p.path for p in points if p.quantity == quantity), points[0].path if points else "")

    def _supply(self, board: str, path: str) -> SupplyModel:
        fits = (s for s in self._supplies if s.board in ("", board) and s.path in ("", path))
        found = next(fits, None)
        if found is None:
            raise RequestError(say("this bench has no supply {path} for {board}", path=path, board=board))
        return found

    def _exact(self, board: str, part: Part, place: str, quantity: str) -> float:
        of_part = self._of_part(board, part, place, quantity)
        if of_part is not None:
            return of_part
        if quantity.startswith("resistance to ground"):
            return self.to_ground(board, place, reverse=quantity.endswith("reversed"))
        if quantity == "track resistance":
            return self._track(board, part)
        if quantity.startswith("reset") or place in {r.point for r in self.boards[board].resets}:
            return self._reset(board, place, quantity)
        if quantity == "frequency":
            return self._frequency(board, part, place)
        if quantity == "current":
            return self._supply(board, self._path_at(board, place, quantity)).load
        if quantity in ("voltage", "ripple", "ripple frequency"):
            return self._powered(board, part, place, quantity)
        raise _not_measured(quantity, place)

    def _of_part(self, board: str, part: Part, place: str, quantity: str) -> float | None:
        """What is measured on a part by itself, most of it with the power off; None for what the board decides."""
        match part.kind, quantity:
            case "capacitor", "capacitance":
                return self._capacitor(board, part)[0]
            case "capacitor", "esr":
                return self._capacitor(board, part)[1]
            case "connector", "ac voltage":
                return self._supply(board, self._path_at(board, place, quantity)).ac_rms
            case "fuse", "resistance" | "rating":
                return self._fuse(board, part, quantity)
            case "cell", "voltage" | "current":
                return self._cell(board, part, quantity)
            case "bridge" | "transistor", "diode":
                leg = place.rpartition(".")[2]
                dead = leg.isdigit() and int(leg) in self._open_legs(board, part.refdes)
                return float("inf") if dead else 0.56
        if quantity == "resistance" and part.is_chip:
            return 2.4 if self._faults_at(board, part.refdes, "shorted") else 4300.0
        return None

    def _open_legs(self, board: str, refdes: str) -> set[int]:
        return {f.pin for f in self._faults_at(board, refdes) if f.kind in ("diode-open", "transistor-open")}

    def _fuse(self, board: str, part: Part, quantity: str) -> float:
        """Resistance (ohm) or the rating on the cap (ampere); nothing to be read where none is fitted."""
        if self._faults_at(board, part.refdes, "blown"):
            return float("inf")
        wrong = self._faults_at(board, part.refdes, "wrong-fuse")
        return 0.08 if quantity == "resistance" else wrong[0].factor if wrong else part.value or 0.0

    def _cell(self, board: str, part: Part, quantity: str) -> float:
        cell = next((c for c in self.boards[board].cells if c.part == part.refdes), None)
        if cell is None:
            raise _not_measured(quantity, part.refdes)
        if quantity == "current":
            return cell.current * 1.1
        flat = self._faults_at(board, part.refdes, "flat")
        return flat[0].factor if flat else cell.nominal * 1.02

    def _shorted(self, board: str, net: str) -> list[tuple[Part, float]]:
        """Parts on a net that are shorted to ground, with their resistance (ohm)."""
        definition = self.boards[board]
        on_net = {refdes for refdes, _ in dict(definition.nets).get(net, ())}
        bad = [f for f in self.faults if f.board == board and f.kind == "shorted" and f.refdes in on_net]
        return [(definition.part(f.refdes), f.factor) for f in bad]

    def to_ground(self, board: str, place: str, reverse: bool = False, lifted: tuple[str, ...] = ()) -> float:
        """Resistance (ohm) of a pin's net to ground, power off, with some parts lifted off it."""
        definition = self.boards[board]
        refdes, _, pin = place.partition(".")
        net = definition.net_of(refdes, int(pin)) if pin.isdigit() else None
        chips = [
            r for r, _ in dict(definition.nets).get(net or "", ()) if definition.part(r).is_chip and r not in lifted
        ]
        healthy = 9000.0 / max(1, len(set(chips))) * (0.7 if reverse else 1.0)
        shorts = [ohms for part, ohms in self._shorted(board, net or "") if part.refdes not in lifted]
        return 1 / (1 / healthy + sum(1 / ohms for ohms in shorts))

    def _track(self, board: str, part: Part) -> float:
        """A milliohm meter between a part's pin on the +5 V net and ground: least at the short."""
        definition = self.boards[board]
        if not definition.rails:
            raise _not_measured("track resistance", part.refdes)
        net = definition.rails[0].net
        shorts = self._shorted(board, net)
        if not shorts:
            raise RequestError(say("there is no short on {net}; a milliohm meter finds nothing", net=net))
        return min(ohms + 2e-4 * float(np.hypot(part.x - p.x, part.y - p.y)) for p, ohms in shorts)

    def _reset(self, board: str, place: str, quantity: str) -> float:
        """A reset as its parts make it; it pulses with the watchdog while the set does not start."""
        definition = self.boards[board]
        reset = next((r for r in definition.resets if r.point == place), None)
        if reset is None:
            raise _not_measured(quantity, place)
        if quantity == "voltage":
            return 4.6 if reset.active == "low" else 0.1
        if quantity == "reset pulses":
            return 0.0
        ohms = definition.part(reset.resistor).value or 0.0
        farads, _ = self._capacitor(board, definition.part(reset.capacitor))
        return charge_time(ohms, farads, reset.threshold, reset.supply)

    def _frequency(self, board: str, part: Part, place: str) -> float:
        """A counter on a pin: rising edges of its net against those of the clock."""
        definition = self.boards[board]
        clock = next((c for c in definition.clocks), None)
        pin = place.rpartition(".")[2]
        if clock is None or not pin.isdigit():
            raise RequestError(say("this bench has no clock to count at {place}", place=place))
        net = definition.net_of(part.refdes, int(pin)) or place
        hertz = clock_frequency(definition, clock)
        if net == clock.net:
            return hertz
        stream = self._board_streams(board).get(net)
        levels = stream == 1 if stream is not None else np.zeros(2, dtype=bool)
        rises = np.flatnonzero(levels[1:] & ~levels[:-1])
        return hertz * 2 * (len(rises) - 1) / (rises[-1] - rises[0]) if len(rises) > 2 else 0.0

    def seen(self, board: str) -> dict[str, str]:
        """What an eye would see: refdes → finding, of the parts whose fault shows."""
        return {f.refdes: "leaking" for f in self.faults if f.board == board and f.kind == "leaking"}

    def _capacitor(self, board: str, part: Part) -> tuple[float, float]:
        """(farad, ohm) of a capacitor as it is now: dried ones lose capacitance, leaky ones seem to gain it."""
        nominal = part.value or 1e-7
        healthy_esr = 0.02 + 1.2e-5 / nominal if part.technology == "aluminium" else 0.01
        for fault in self._faults_at(board, part.refdes, "dried"):
            return nominal * fault.factor, healthy_esr * 14
        if self._faults_at(board, part.refdes, "leaky"):
            return nominal * _LEAKY_READS, healthy_esr * 1.4  # a simple tester takes its leakage for capacitance
        return nominal * 0.96, healthy_esr

    def _reservoir(self, supply: SupplyModel, path: str) -> Reservoir:
        """What stands on the reservoir of a supply under load; with a diode of its bridge open, half of it."""
        if supply.dc:
            return Reservoir(supply.dc, supply.dc, 0.0, 2 * _MAINS)
        home = supply.board or next(b for b, d in self.boards.items() if d.has(supply.reservoir))
        definition = self.boards[home]
        capacitance, _ = self._capacitor(home, definition.part(supply.reservoir))
        points = [p for p in definition.chain if p.path == path]
        before = takewhile(lambda p: p.part != supply.reservoir, points)
        on_path = {p.part for p in before if p.part}
        if any(self._faults_at(home, refdes, "blown") for refdes in on_path):
            return Reservoir(0.0, 0.0, 0.0, 2 * _MAINS)
        halved = any(self._faults_at(home, refdes, "diode-open") for refdes in on_path)
        frequency = _MAINS if halved else 2 * _MAINS
        peak = peak_voltage(supply.ac_rms, supply.diode_drop)
        ripple = min(peak, ripple_voltage(supply.load, capacitance, frequency))
        return Reservoir(peak, peak - ripple, ripple, frequency)

    def _powered(self, board: str, part: Part, place: str, quantity: str) -> float:
        path = self._path_at(board, place, quantity)
        supply = self._supply(board, path)
        stored = self._reservoir(supply, path)
        if supply.dc and part.kind == "connector":
            return supply.dc
        if quantity == "ripple frequency":
            return stored.ripple_frequency
        if part.refdes == supply.reservoir:
            return stored.mean_voltage if quantity == "voltage" else stored.ripple_voltage
        held = regulator_output(stored.trough_voltage, supply.nominal, supply.dropout)
        dip = supply.nominal - held
        if quantity == "ripple":
            return 0.012 + max(0.0, dip)
        mean = supply.nominal - dip * min(1.0, dip / (2 * stored.ripple_voltage)) if stored.ripple_voltage else held
        at_source = part.kind == "regulator"
        return mean - (0.0 if at_source else supply.drop_to.get(board, 0.0))

    # the switch

    def start(self) -> tuple[bool, str]:
        """Powers the set up once: (clean, self-test code or empty)."""
        for fault in self.faults:
            if fault.kind == "worn-socket" and self._noise.random() < fault.rate:
                return False, fault.code
            if fault.kind in ("cells", "pin-open", "stuck-bit") and fault.code:
                return False, fault.code
        return True, ""

    # the hands

    def has(self, board: str, refdes: str) -> bool:
        """Is there such a part on this bench?"""
        return board in self.boards and self.boards[board].has(refdes)

    def replace_part(self, board: str, refdes: str, spare: str = "") -> None:
        """A part is exchanged or its leg, joint or socket put right; a bad spare brings its own fault along."""
        self._part(board, refdes)
        self.faults = [f for f in self.faults if (f.board, f.refdes) != (board, refdes)]
        if spare in self._bad_spares:
            self.faults.append(replace(self._bad_spares[spare], board=board, refdes=refdes))
        self._streams.clear()

    # functions

    def try_function(self, board: str, name: str) -> str:
        """How a function does: works, partly or fails; RequestError for one that the board does not have."""
        function = next((f for f in self.boards[board].functions if f.name == name), None)
        if function is None:
            raise RequestError(say("there is no function {name} on this board", name=name))
        spoilt = [f for f in self.faults if f.board == board and f.refdes in function.parts and _spoils(f, name)]
        if any(fault.kind == "section-dead" for fault in spoilt):
            return "fails"
        return "partly" if spoilt else "works"

    def try_exchange(self, board: str, refdes: str, spare: str) -> str:
        """What an exchange does to the functions that fail: gone, partly or stays. The part is put back afterwards."""
        names = [function.name for function in self.boards[board].functions]
        before = {name: self.try_function(board, name) for name in names}
        kept, self.faults = self.faults, list(self.faults)
        self.replace_part(board, refdes, spare)
        after = {name: self.try_function(board, name) for name in names}
        self.faults = kept
        bad = [name for name in names if before[name] != "works"]
        cured = [name for name in bad if after[name] == "works"]
        return "gone" if bad and len(cured) == len(bad) else "partly" if cured else "stays"


def _spoils(fault: HiddenFault, function: str) -> bool:
    listed = [name.strip() for name in fault.code.split(",") if name.strip()]
    return fault.kind in ("section-dead", "leaky") and (not listed or function in listed)


def _not_measured(quantity: str, place: str) -> RequestError:
    return RequestError(say("this bench cannot measure {quantity} at {place}", quantity=quantity, place=place))


def state_of_stream(stream: Stream) -> str:
    """The probe's lamp for a net that does this: L, H, P, X (two outputs fight part of the time) or Z.

    The first moments after power-up do not count.
    """
    stream = stream[min(len(stream) // 4, 1024) :]
    counts = np.bincount(stream, minlength=4)
    if counts[FIGHT] > len(stream) // 50:
        return "X"
    if counts[FLOATING] == len(stream):
        return "Z"
    if counts[0] and (counts[1] or counts[FLOATING]):
        return "P"
    return "L" if counts[0] else "H"
