"""Boards as they stand: the definition from a file, folded with everything that was said of the board in the job.

A fact that was said counts over the file; what nobody said stays unknown. The own board of a job without a definition
is made of facts alone.
"""

from collections.abc import Callable, Iterable, Mapping, Set
from contextlib import suppress
from dataclasses import replace

from loyal_trace.core.assess.told import SAID, merged
from loyal_trace.core.boards.kinds import kind_of
from loyal_trace.core.boards.layout import grid_of
from loyal_trace.core.boards.model import (
    BoardDefinition,
    CheckItem,
    Part,
    RomSlot,
    SelfTestCode,
    ServiceItem,
)
from loyal_trace.core.boards.revisions import RevisionFinding, answers_of, identify
from loyal_trace.core.boards.supplies import ChainPoint, Clock, Lamp, Rail, plain_rail
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.job.entries import (
    OWN_BOARD,
    Connected,
    LineTold,
    NamedPart,
    NetsTold,
    OutlineTold,
    RailTold,
    RomTold,
)
from loyal_trace.core.job.snapshot import Facts, JobSnapshot
from loyal_trace.core.power.described import describe_chain, with_chain
from loyal_trace.core.roms.sockets import own_sockets
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import BoardPin
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.quantities import Quantity

OWN_BOARD_NAME = say("Own board")
_RAIL_TOLERANCE = 0.05
# Pin 1 of a capacitor is its plus, as in the netlists of this program.
_PLUS, _MINUS = 1, 2
Boards = Mapping[str, BoardDefinition]


def boards_of(defined: Boards, snapshot: JobSnapshot, library: ChipLibrary) -> dict[str, BoardDefinition]:
    """The boards of a job at this moment: as defined for the revision at hand, with every fact that was said."""
    boards = {board_id: _as_built(board, snapshot) for board_id, board in defined.items()}
    facts = snapshot.facts
    for board_id in (*boards, OWN_BOARD):
        said = _FactsOf(facts, board_id)
        if said.any:
            base = boards.get(board_id) or BoardDefinition(OWN_BOARD, OWN_BOARD_NAME)
            boards[board_id] = with_facts(base, said, library)
    boards = {board_id: _with_roms(board, snapshot, library) for board_id, board in boards.items()}
    lines = [line.known for taken in snapshot.roms.lists for line in taken.lines]
    base = boards.get(OWN_BOARD) or BoardDefinition(OWN_BOARD, OWN_BOARD_NAME)
    grown = own_sockets(lines, boards, base)
    if grown is not base:
        boards[OWN_BOARD] = grown
    boards = _with_supplies(boards, facts)
    return {board_id: _in_grid(board) for board_id, board in boards.items()}


def _with_roms(board: BoardDefinition, snapshot: JobSnapshot, library: ChipLibrary) -> BoardDefinition:
    """The board with a socket for every chip that was told to be a ROM by its type, was read, or gave a signature.

    A board whose definition lists no sockets, such as a parts list, has one for each of its ROM types.
    """
    slots = {slot.refdes for slot in board.rom_slots}
    read = {place.refdes for place in (*snapshot.roms.reads, *snapshot.roms.signatures) if place.board == board.id}
    told = {place.refdes for place in snapshot.facts.parts if place.board == board.id}
    by_type = {part.refdes for part in board.parts if not slots or part.refdes in told}
    new = [
        RomSlot(part.refdes, part.number, _size_of(part.number, library))
        for part in board.parts
        if part.refdes not in slots
        and (part.refdes in read or (part.refdes in by_type and _is_rom(part.number, library)))
    ]
    return replace(board, rom_slots=(*board.rom_slots, *new)) if new else board


def _is_rom(number: str, library: ChipLibrary) -> bool:
    return library.knows(number) and library.find(number).is_rom


def revision_of(board: BoardDefinition, snapshot: JobSnapshot, of: str = "board") -> RevisionFinding:
    """What the answers given so far say of a board's revision, or of its firmware."""
    choices = {what: decided.choice for what, decided in snapshot.paper.decisions.items()}
    return identify(board, answers_of(board.id, choices), of)


def _as_built(board: BoardDefinition, snapshot: JobSnapshot) -> BoardDefinition:
    """The board with the parts of the revision that the marks settle, else of the one in the definition."""
    settled = revision_of(board, snapshot).settled
    wanted = settled or (board.revision if board.revision in board.revisions else "")
    return board.as_revision(wanted) if wanted else board


class _FactsOf:
    """The facts about one board."""

    def __init__(self, facts: Facts, board: str) -> None:
        self.board = board
        self.parts = {place.refdes: told for place, told in facts.parts.items() if place.board == board}
        self.pins = {place.refdes: told for place, told in facts.pins.items() if place.board == board}
        self.outlines = list(facts.outlines.get(board, ()))
        self.nets = [told for told in facts.nets if told.board == board]
        self.connections = [c for c in facts.connections if c.joined and c.first.board == board]
        self.apart = [c for c in facts.connections if not c.joined and c.first.board == board]
        self.lines = [line for line in facts.lines if line.board == board]
        self.rails = [rail for rail in facts.rails if rail.board == board]
        self.sockets = {place.refdes: told for place, told in facts.sockets.items() if place.board == board}
        self.clocks = {key.refdes: told for key, told in facts.clocks.items() if key.board == board == told.at.board}
        self.lamps = [told for place, told in facts.lamps.items() if place.board == board]
        self.twins = [told for told in facts.twins if told.board == board]
        self.codes = [told for key, told in facts.codes.items() if key.board == board]
        self.paths = [told for key, told in facts.paths.items() if key.board == board]
        self.checks = [told for told in facts.checks if told.board == board]
        self.settings = {place.refdes for place in facts.settings if place.board == board}
        self.service = [told for told in facts.service if told.board == board]

    @property
    def any(self) -> bool:
        return bool(
            self.parts
            or self.outlines
            or self.nets
            or self.connections
            or self.apart
            or self.lines
            or self.rails
            or self.sockets
            or self.pins
            or self.clocks
            or self.lamps
            or self.twins
            or self.codes
            or self.paths
            or self.service
            or self.checks
            or self.settings
        )

    def named(self) -> Iterable[str]:
        """Every part of this board that a fact names."""
        groups: list[tuple[NamedPart, ...]] = [(told.first, told.second) for told in (*self.connections, *self.apart)]
        groups += [told.members for told in self.lines]
        groups += [told.members for told in self.rails]
        groups += [told.members for told in self.twins]
        groups += [told.members for told in self.lamps]
        groups += [(told.at,) for told in self.clocks.values()]
        groups += [told.members for told in self.codes]
        groups += [told.members for told in self.paths]
        groups += [told.members for told in self.service]
        yield from self.parts
        yield from (refdes for told in self.nets for net in told.nets for refdes, _ in net.pins)
        yield from self.pins
        yield from self.settings
        yield from (told.place for told in self.lamps)
        yield from self.sockets
        yield from (part.refdes for group in groups for part in group if part.board == self.board)


def with_facts(board: BoardDefinition, said: _FactsOf, library: ChipLibrary) -> BoardDefinition:
    """A board with the facts said of it."""
    parts = {part.refdes: part for part in board.parts}
    for refdes in dict.fromkeys(said.named()):
        if not board.has(refdes):
            parts[refdes] = Part(refdes, "", kind=kind_of(refdes), placed=False)
    for refdes, told in said.parts.items():
        if refdes in parts:
            parts[refdes] = merged(parts[refdes], told, library)
    for refdes, socket in said.sockets.items():
        parts[refdes] = _in_socket(parts[refdes], socket, library)
    pins = _pins_of(parts, library)
    nets = _joined(_with_nets(dict(board.nets), said.nets), said.connections)
    nets = _with_lines(nets, said.lines, pins)
    nets = _taken_apart(nets, said)
    nets, rails = _with_rails(nets, board.rails, said.rails, parts, library)
    nets, clocks = _with_clocks(nets, board.clocks, said, parts)
    outline = _outline(board, said.outlines)
    return replace(
        board,
        width=outline[0],
        height=outline[1],
        parts=tuple(parts.values()),
        nets=tuple((net, tuple(sorted(set(members)))) for net, members in nets.items()),
        rails=rails,
        clocks=clocks,
        lamps=(*board.lamps, *_lamps(said)),
        rom_slots=_with_sockets(board, said.sockets, library),
        siblings=(*board.siblings, *(tuple(p.refdes for p in told.members) for told in said.twins)),
        self_tests=_with_codes(board, said),
        service=(*board.service, *_service(said)),
        checklist=(*board.checklist, *_checks(board, said)),
    )


def _outline(board: BoardDefinition, said: list[OutlineTold]) -> tuple[float, float]:
    """(width, height) of a board: what a person said last, else its file, else the first source that says it."""
    typed = [told for told in said if told.origin == SAID]
    if typed or (said and not any(part.placed for part in board.parts)):
        told = typed[-1] if typed else said[-1]
        return told.width, told.height
    return board.width, board.height


def _checks(board: BoardDefinition, said: _FactsOf) -> list[CheckItem]:
    known = {check.name for check in board.checklist}
    items = dict.fromkeys(item for told in said.checks for item in told.items)
    return [CheckItem(item) for item in items if item not in known]


def _service(said: _FactsOf) -> list[ServiceItem]:
    return [ServiceItem(p.refdes, told.reason or "said") for told in said.service for p in told.members]


def _in_socket(part: Part, told: RomTold, library: ChipLibrary) -> Part:
    number = told.device or part.number or "ROM"
    package = f"DIP-{len(library.find(number).pins)}" if library.knows(number) else part.package or "DIP-28"
    return replace(part, number=number, kind="chip", package=package, socketed=True)


def _pins_of(parts: Mapping[str, Part], library: ChipLibrary) -> Callable[[str, str], int | None]:
    """Looks up the number of a named pin of a part, as far as the library knows its type."""

    def number(refdes: str, name: str) -> int | None:
        part = parts.get(refdes)
        if part is None or not library.knows(part.number):
            return None
        chip = library.find(part.number)
        return next((pin.number for pin in chip.pins if name in (pin.name, pin.role)), None)

    return number


def _fed_pins(part: Part, nominal: float | None, library: ChipLibrary) -> tuple[int, ...]:
    """The pins at which a rail feeds a part; none where nothing says which."""
    if part.kind == "capacitor":
        return (_MINUS if nominal is not None and nominal < 0 else _PLUS,)
    return library.find(part.number).supply_pins(nominal) if library.knows(part.number) else ()


Nets = dict[str, tuple[BoardPin, ...]]


def _pin(named: NamedPart) -> BoardPin:
    return BoardPin(named.refdes, named.pin or 0)


def _joined(nets: Nets, connections: Iterable[Connected]) -> Nets:
    """The nets with further connections: two nets that are joined become one, under the first one's name."""
    for told in connections:
        first, second = _pin(told.first), _pin(told.second)
        names = [name for name, members in nets.items() if first in members or second in members]
        kept = names[0] if names else told.first.name
        members = [pin for name in names for pin in nets[name]]
        for name in names[1:]:
            del nets[name]
        nets[kept] = tuple(dict.fromkeys((*members, first, second)))
    return nets


def _with_nets(nets: Nets, said: Iterable[NetsTold]) -> Nets:
    """The nets with those of imported netlists; a pin that is on a net already stays there."""
    taken = {pin for members in nets.values() for pin in members}
    for told in said:
        for net in told.nets:
            members = tuple(pin for pin in (BoardPin(*one) for one in net.pins) if pin not in taken)
            if members:
                nets[net.name] = tuple(dict.fromkeys((*nets.get(net.name, ()), *members)))
                taken |= set(members)
    return nets


def _taken_apart(nets: Nets, said: _FactsOf) -> Nets:
    """Pins that a person found not connected are on no net together, whatever a netlist says."""
    in_order = sorted((*said.connections, *said.apart), key=lambda one: one.time)
    newest = {frozenset((one.first, one.second)): one for one in in_order}
    for told in said.apart:
        first, second = _pin(told.first), _pin(told.second)
        if newest[frozenset((told.first, told.second))] is told:
            nets = {
                name: tuple(pin for pin in members if pin != second) if first in members else members
                for name, members in nets.items()
            }
    return nets


def _with_lines(nets: Nets, lines: Iterable[LineTold], pin_of: Callable[[str, str], int | None]) -> Nets:
    """Data and address lines: a member without a pin is taken at the pin of that name, if its type has one."""
    for line in lines:
        found = [(p.refdes, p.pin or pin_of(p.refdes, line.name)) for p in line.members]
        members = tuple(BoardPin(refdes, pin) for refdes, pin in found if pin)
        if members:
            nets[line.name] = tuple(dict.fromkeys((*nets.get(line.name, ()), *members)))
    return nets


def _with_rails(
    nets: Nets, known: tuple[Rail, ...], said: Iterable[RailTold], parts: Mapping[str, Part], library: ChipLibrary
) -> tuple[Nets, tuple[Rail, ...]]:
    """Rails with what they feed: the supply pins of a chip, the plus of a capacitor, when only the part was named."""
    rails = {rail.name: rail for rail in known}
    for told in said:
        members = [
            BoardPin(one.refdes, pin)
            for one in told.members
            if one.refdes in parts  # an archive may name a part of another board
            for pin in ((one.pin,) if one.pin else _fed_pins(parts[one.refdes], told.nominal, library))
        ]
        # The voltage is measured at a chip, where there is one.
        chips = [pin for pin in members if parts[pin.refdes].kind != "capacitor"]
        far = (chips or members)[-1].name if members else ""
        rail = rails.get(told.name)
        net = (rail.net if rail else "") or told.name
        if members:
            nets[net] = tuple(dict.fromkeys((*nets.get(net, ()), *members)))
        if rail is None and told.nominal is not None:
            low, high = sorted((told.nominal * (1 - _RAIL_TOLERANCE), told.nominal * (1 + _RAIL_TOLERANCE)))
            rails[told.name] = Rail(told.name, told.nominal, low, high, net=net, far=far)
        elif rail is not None and not rail.far:
            rails[told.name] = replace(rail, net=net, far=far)
    return nets, tuple(rails.values())


def _lamps(said: _FactsOf) -> list[Lamp]:
    return [Lamp(told.place, tuple(p.refdes for p in told.members if p.board == said.board)) for told in said.lamps]


def _with_clocks(
    nets: Nets, known: tuple[Clock, ...], said: _FactsOf, parts: Mapping[str, Part]
) -> tuple[Nets, tuple[Clock, ...]]:
    """Clocks with the frequency that was said, on the net of their pin; a pin without a net gets one of its own."""
    clocks = {clock.net: clock for clock in known}
    for told in said.clocks.values():
        pin = BoardPin(told.at.refdes, told.at.pin or 1)
        net = next((name for name, members in nets.items() if pin in members), "") or f"clock {pin.name}"
        nets.setdefault(net, (pin,))
        crystal = pin.refdes if parts[pin.refdes].kind == "crystal" and parts[pin.refdes].value else ""
        clocks[net] = Clock(net, crystal, told.frequency)
    return nets, tuple(clocks.values())


def _with_sockets(board: BoardDefinition, sockets: Mapping[str, RomTold], library: ChipLibrary) -> tuple[RomSlot, ...]:
    slots = {slot.refdes: slot for slot in board.rom_slots}
    for refdes, told in sockets.items():
        slot = slots.get(refdes) or RomSlot(refdes, "", 0)
        size = told.size
        if size is None and told.address is not None and told.last is not None:
            size = told.last - told.address + 1
        slots[refdes] = replace(
            slot,
            device=told.device or slot.device,
            size=size or slot.size or _size_of(told.device, library),
            number=slot.number if told.number is None else told.number,
            label=told.label or slot.label,
            address=slot.address if told.address is None else told.address,
        )
    return tuple(slots.values())


def _size_of(device: str, library: ChipLibrary) -> int:
    """The bytes of a memory type that the library has as one of eight bits; 0 when it does not say."""
    memory = library.find(device).memory if device and library.knows(device) else None
    return 2 ** len(memory.address) if memory is not None and len(memory.data) == 8 else 0


def _with_codes(board: BoardDefinition, said: _FactsOf) -> tuple[SelfTestCode, ...]:
    codes = {code.code: code for code in board.self_tests}
    for told in said.codes:
        parts = tuple(p.refdes for p in told.members if p.board == said.board)
        known = codes.get(told.code)
        codes[told.code] = replace(known, parts=parts) if known else SelfTestCode(told.code, say("as said"), parts)
    return tuple(codes.values())


def _in_grid(board: BoardDefinition) -> BoardDefinition:
    """Parts without a place have the row and column that their names give, unless others were said."""
    loose = {part.refdes: part.kind for part in board.parts if not part.placed}
    named = grid_of(loose) if loose else {}
    if not named:
        return board
    parts = (
        replace(p, row=p.row or named[p.refdes][0], column=p.column or named[p.refdes][1]) if p.refdes in named else p
        for p in board.parts
    )
    return replace(board, parts=tuple(parts))


def _with_supplies(boards: dict[str, BoardDefinition], facts: Facts) -> dict[str, BoardDefinition]:
    """Supply chains described by hand join their boards once all their lines are there."""
    for key, lines in facts.supplies.items():
        if "from" in lines and "to" in lines:
            base = boards.get(key.board) or BoardDefinition(OWN_BOARD, OWN_BOARD_NAME)
            with suppress(RequestError):  # lines that do not fit together yet describe nothing
                boards[base.id] = with_chain(base, describe_chain(lines, key.path, base))
    told = {(rail.board, rail.name) for rail in facts.rails}
    return {name: _with_plain_rails(board, {rail for b, rail in told if b == name}) for name, board in boards.items()}


def _with_plain_rails(board: BoardDefinition, told: Set[str]) -> BoardDefinition:
    """A rail that was only named, with what it feeds perhaps, is measured to ground and in volts, at its far chip."""
    described = {plain_rail(path) for path in board.paths}
    points = {point.point for point in board.chain}
    new: list[ChainPoint] = []
    for rail in board.rails:
        if rail.name not in told or plain_rail(rail.name) in described or rail.far in points:
            continue
        at, path = rail.far or rail.name, rail.name
        new.append(ChainPoint(at, Quantity.TO_GROUND, note=say("the rail, power off"), powered=False, path=path))
        note = say("the supply at a chip")
        new.append(ChainPoint(at, Quantity.VOLTAGE, rail.low, rail.high, note=note, path=path))
    return replace(board, chain=(*board.chain, *new)) if new else board
