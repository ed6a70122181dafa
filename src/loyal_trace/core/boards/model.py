"""A board as it was built: parts, nets, rails, ROM slots, and the questions asked of them.

Everything but the parts is optional; the program is useful with a bare list of chips and places.
Lengths are millimetres on the component side, x to the right and y down from the top left corner of the board.
"""

from dataclasses import dataclass, field, replace
from functools import cached_property

from loyal_trace.core.boards.supplies import Cell, ChainPoint, Clock, Lamp, Rail, Reset, Supply
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import BoardPin
from loyal_trace.core.vocabulary.phrases import say


@dataclass(frozen=True)
class Part:
    """One part in its place. `value` in SI units of its kind (farad, ohm, henry, hertz, ampere for fuses).

    Not `placed`: nobody said where it is, and `x`, `y` only lay it out on the map; `row` and `column` are its grid
    place as far as that was said. `heat` is in watt, `sink` its heat sink in kelvin per
    watt (0: none).
    """

    refdes: str
    number: str
    package: str = ""
    kind: str = "chip"
    x: float = 0.0
    y: float = 0.0
    rotation: int = 0
    socketed: bool = False
    value: float | None = None
    voltage: float | None = None
    polarised: bool = False
    technology: str = ""
    pitch: float | None = None
    diameter: float | None = None
    room_diameter: float | None = None
    room_height: float | None = None
    role: str = ""
    revisions: tuple[str, ...] = ()
    rare: bool = False
    placed: bool = True
    row: str = ""
    column: str = ""
    heat: float | None = None
    sink: float | None = None

    @property
    def short_number(self) -> str:
        """What fits under the refdes on the map: LS161 for 74LS161."""
        return self.number[2:] if self.number.startswith("74") and len(self.number) > 5 else self.number

    @property
    def is_chip(self) -> bool:
        return self.kind == "chip"


@dataclass(frozen=True)
class RomSlot:
    """A ROM socket: device, image size (byte), CPU address, start-up number, byte lane, sums by firmware revision."""

    refdes: str
    device: str
    size: int
    number: int | None = None
    label: str = ""
    address: int | None = None
    sums: tuple[tuple[str, tuple[tuple[str, str], ...]], ...] = ()
    lane: int = 0
    lanes: int = 1

    def expected(self, firmware: str) -> dict[str, str]:
        """Digest name → hex digest for one firmware revision; empty when unknown."""
        return dict(dict(self.sums).get(firmware, ()))

    @property
    def firmwares(self) -> tuple[str, ...]:
        return tuple(name for name, _ in self.sums)


@dataclass(frozen=True)
class Block:
    """A function of the board: which parts do it, which rails it needs, what fails when it is dead."""

    name: str
    parts: tuple[str, ...] = ()
    rails: tuple[str, ...] = ()
    symptoms: tuple[str, ...] = ()


@dataclass(frozen=True)
class Screen:
    """What a board shows on a monitor: its nets of each colour, least weight first, one pixel a clock, line by line.

    `planes` are the nets with one bit of every pixel each, before they become colours.
    """

    pixels: int
    lines: int
    red: tuple[str, ...] = ()
    green: tuple[str, ...] = ()
    blue: tuple[str, ...] = ()
    planes: tuple[str, ...] = ()
    sync: tuple[str, ...] = ()


@dataclass(frozen=True)
class CheckItem:
    """One thing to prove before the board goes home, and what the bench needs for it."""

    name: str
    how: str = ""
    needs: tuple[str, ...] = ()
    symptoms: tuple[str, ...] = ()


@dataclass(frozen=True)
class SelfTestCode:
    """What the board says of itself at start-up, and the parts that such a code points at.

    `firmware` when the test behind it knows the sums of that one revision only.
    """

    code: str
    meaning: str
    parts: tuple[str, ...] = ()
    firmware: str = ""


@dataclass(frozen=True)
class KeepOut:
    """A rectangle (mm) in which nothing may be taller than `height` (mm)."""

    x: float
    y: float
    width: float
    height_limit: float
    depth: float
    why: str = ""


@dataclass(frozen=True)
class ServiceItem:
    """A part renewed as a matter of course on this board, with the reason."""

    refdes: str
    why: str


@dataclass(frozen=True)
class FunctionPath:
    """A function and the parts that it needs, in the order of the signal."""

    name: str
    parts: tuple[str, ...] = ()


@dataclass(frozen=True)
class OwnPin:
    """The name of a pin of a part that no library has; direction in, out, both, power, ground or empty."""

    part: str
    pin: int
    name: str
    direction: str = ""


@dataclass(frozen=True)
class GoodReading:
    """What a board of this kind measured at a point while it worked (SI units of the quantity; None is OL)."""

    point: str
    quantity: str
    value: float | None = None


@dataclass(frozen=True)
class KnownFault:
    """A part that was replaced on boards of this kind, and how often."""

    part: str
    count: int = 1


@dataclass(frozen=True)
class StepMinutes:
    """How long a kind of step took on boards of this kind: mean of `count` steps."""

    step: str
    minutes: float
    count: int = 1


@dataclass(frozen=True)
class RevisionMark:
    """Something that tells revisions apart: where to look, and which revisions (space between) each answer allows.

    `of` is `board` or `firmware`. An answer listed in `warn` carries a warning, such as labels of two firmwares.
    """

    name: str
    answers: dict[str, str] = field(hash=False)
    where: str = ""
    of: str = "board"
    warn: dict[str, str] = field(default_factory=dict, hash=False)

    def allowed(self, answer: str) -> tuple[str, ...]:
        """The revisions that an answer leaves; empty for an answer the board does not list."""
        return tuple(self.answers.get(answer, "").split())


@dataclass(frozen=True)
class BoardDefinition:
    """Everything known of one board. Immutable; read from an open-text folder by `formats.board_folder`."""

    id: str
    name: str
    revision: str = ""
    maker: str = ""
    year: int | None = None
    width: float = 250.0
    height: float = 300.0
    columns: tuple[str, ...] = ()
    rows: tuple[str, ...] = ()
    firmwares: tuple[str, ...] = ()
    parts: tuple[Part, ...] = ()
    vias: tuple[Part, ...] = ()
    nets: tuple[tuple[str, tuple[BoardPin, ...]], ...] = ()
    rails: tuple[Rail, ...] = ()
    chain: tuple[ChainPoint, ...] = ()
    supplies: tuple[Supply, ...] = ()
    clocks: tuple[Clock, ...] = ()
    screens: tuple[Screen, ...] = ()
    lamps: tuple[Lamp, ...] = ()
    cells: tuple[Cell, ...] = ()
    resets: tuple[Reset, ...] = ()
    rom_slots: tuple[RomSlot, ...] = ()
    blocks: tuple[Block, ...] = ()
    checklist: tuple[CheckItem, ...] = ()
    self_tests: tuple[SelfTestCode, ...] = ()
    keep_outs: tuple[KeepOut, ...] = ()
    service: tuple[ServiceItem, ...] = ()
    symptoms: tuple[tuple[str, str], ...] = ()
    siblings: tuple[tuple[str, ...], ...] = ()
    mates: tuple[tuple[str, str], ...] = ()
    revision_marks: tuple[str, ...] = ()
    revisions: tuple[str, ...] = ()
    marks: tuple[RevisionMark, ...] = ()
    cautions: tuple[str, ...] = field(default=())
    functions: tuple[FunctionPath, ...] = ()
    own_pins: tuple[OwnPin, ...] = ()
    good: tuple[GoodReading, ...] = ()
    faults: tuple[KnownFault, ...] = ()
    minutes: tuple[StepMinutes, ...] = ()

    @property
    def title(self) -> str:
        return say("{name} rev {revision}", name=self.name, revision=self.revision) if self.revision else self.name

    @cached_property
    def _by_refdes(self) -> dict[str, Part]:
        return {part.refdes: part for part in (*self.parts, *self.vias)}

    @cached_property
    def _net_pins(self) -> dict[str, tuple[BoardPin, ...]]:
        return dict(self.nets)

    @cached_property
    def _pin_net(self) -> dict[BoardPin, str]:
        return {pin: net for net, pins in self.nets for pin in pins}

    def has(self, refdes: str) -> bool:
        return refdes in self._by_refdes

    def part(self, refdes: str) -> Part:
        """The part with that reference designator; RequestError when the board has none."""
        try:
            return self._by_refdes[refdes]
        except KeyError:
            raise RequestError(say("{title} has no part {refdes}", title=self.title, refdes=refdes)) from None

    def net_of(self, refdes: str, pin: int) -> str | None:
        """The net a pin is on, or None when the netlist does not say."""
        return self._pin_net.get(BoardPin(refdes, pin))

    def line_of(self, refdes: str, pin: int) -> str:
        """The line a pin is on: its net, or the pin itself (`U1.3`) where the netlist does not say."""
        return self.net_of(refdes, pin) or f"{refdes}.{pin}"

    def others_on_net(self, refdes: str, pin: int) -> tuple[BoardPin, ...]:
        """The pins that share a net with this one, without itself."""
        net = self.net_of(refdes, pin)
        return tuple(p for p in self._net_pins[net] if p != (refdes, pin)) if net else ()

    def neighbours(self, refdes: str, distance: float) -> tuple[Part, ...]:
        """Parts whose centre lies within `distance` (mm) of this part's centre, nearest first."""
        here = self.part(refdes)
        found = []
        for other in self.parts:
            apart = ((other.x - here.x) ** 2 + (other.y - here.y) ** 2) ** 0.5
            if other.refdes != refdes and apart <= distance:
                found.append((apart, other.refdes, other))
        return tuple(part for _, _, part in sorted(found, key=lambda item: item[:2]))

    @cached_property
    def chips(self) -> tuple[Part, ...]:
        return tuple(part for part in self.parts if part.is_chip)

    @cached_property
    def capacitors(self) -> tuple[Part, ...]:
        return tuple(part for part in self.parts if part.kind == "capacitor")

    @cached_property
    def paths(self) -> tuple[str, ...]:
        """The supply paths in the order of the chain; one empty name when there is only one."""
        return tuple(dict.fromkeys(point.path for point in self.chain))

    def supply(self, path: str) -> Supply | None:
        """How a path is fed, or None when the definition does not say."""
        return next((supply for supply in self.supplies if supply.path == path), None)

    def slot(self, refdes: str) -> RomSlot:
        """The ROM slot in that place; RequestError when there is none."""
        for slot in self.rom_slots:
            if slot.refdes == refdes:
                return slot
        raise RequestError(say("{title} has no ROM slot {refdes}", title=self.title, refdes=refdes))

    def fitted(self, revision: str) -> tuple[Part, ...]:
        """The parts that one board revision carries (parts without a list are on all of them)."""
        return tuple(part for part in self.parts if not part.revisions or revision in part.revisions)

    def as_revision(self, revision: str) -> "BoardDefinition":
        """The board with the parts of one revision only, and nothing said of the others."""
        fitted = self.fitted(revision)
        here = {part.refdes for part in fitted}
        if len(fitted) == len(self.parts):
            return self if revision == self.revision else replace(self, revision=revision)
        kept = tuple((net, tuple(pin for pin in pins if pin[0] in here)) for net, pins in self.nets)
        return replace(
            self,
            revision=revision,
            parts=fitted,
            nets=tuple((net, pins) for net, pins in kept if pins),
            chain=tuple(p for p in self.chain if not p.part or p.part in here),
            supplies=tuple(s for s in self.supplies if not s.reservoir or s.reservoir in here),
            clocks=tuple(c for c in self.clocks if not c.part or c.part in here),
            lamps=tuple(lamp for lamp in self.lamps if lamp.part in here),
            cells=tuple(c for c in self.cells if c.part in here),
            resets=tuple(r for r in self.resets if not r.part or r.part in here),
            rom_slots=tuple(s for s in self.rom_slots if s.refdes in here),
            blocks=tuple(replace(b, parts=tuple(p for p in b.parts if p in here)) for b in self.blocks),
            self_tests=tuple(replace(t, parts=tuple(p for p in t.parts if p in here)) for t in self.self_tests),
            service=tuple(s for s in self.service if s.refdes in here),
            functions=tuple(replace(f, parts=tuple(p for p in f.parts if p in here)) for f in self.functions),
            own_pins=tuple(p for p in self.own_pins if p.part in here),
            faults=tuple(f for f in self.faults if f.part in here),
            siblings=tuple(tuple(p for p in group if p in here) for group in self.siblings),
        )

    def height_limit_at(self, part: Part) -> tuple[float, str] | None:
        """The lowest height limit (mm) over a part's place with its reason, or None."""
        limits = [
            (zone.height_limit, zone.why)
            for zone in self.keep_outs
            if zone.x <= part.x <= zone.x + zone.width and zone.y <= part.y <= zone.y + zone.depth
        ]
        if part.room_height is not None:
            limits.append((part.room_height, say("room noted for this part")))
        return min(limits) if limits else None
