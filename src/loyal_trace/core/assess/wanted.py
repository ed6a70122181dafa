"""Facts that nobody has entered yet and that would help most at a stage, each with an example of how to type it.

Only on boards that grew in the job; a board folder with its own blocks or checklist has said what it has to say.
Examples are typed text: they name parts of this board, and stay English.
"""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from itertools import islice

from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.assess.parts import worth_measuring_old
from loyal_trace.core.assess.paths import paths_of, states_now, without_path
from loyal_trace.core.boards.cells import chemistry_of
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.stages import Stage

_MOST = 3


@dataclass(frozen=True)
class WantedFact:
    """What is missing and what it would be good for; `example` is a line that can be typed."""

    why: str
    example: str


class _Known:
    """One board and what was said of it."""

    def __init__(self, moment: Moment, board: BoardDefinition) -> None:
        self.moment, self.board, self.snapshot = moment, board, moment.snapshot
        self.states = states_now(moment, board.id)
        self.failing = [name for name, state in self.states.items() if state != "works"]

    def first(self, kind: str, fallback: str) -> str:
        """The first part of a kind, or a name that such a part could have."""
        return next((part.refdes for part in self.board.parts if part.kind == kind), fallback)

    def where(self, wanted: Callable[[Part], bool]) -> str:
        """The first part that something is true of; empty for none."""
        return next((part.refdes for part in self.board.parts if wanted(part)), "")

    @property
    def chips(self) -> list[str]:
        return [part.refdes for part in self.board.chips] or ["U1", "U2"]

    def knows_pins(self, part: Part) -> bool:
        """By its type, or because a pin of it was entered."""
        place = PartRef(self.board.id, part.refdes)
        filed = any(own.part == part.refdes for own in self.board.own_pins)
        return self.moment.library.knows(part.number) or filed or place in self.snapshot.facts.pins


def _example(*words: str) -> str:
    return " ".join(words)


@once
def wanted_facts(moment: Moment, board_id: str, stage: Stage) -> tuple[WantedFact, ...]:
    """The three facts most worth entering at a stage, best first; none on a board that came with its definition."""
    board = moment.boards.get(board_id)
    if board is None:
        board = BoardDefinition(board_id, "")
    old = tuple(_old_parts(moment, board_id)) if stage in (Stage.REPAIR, Stage.PLAN) else ()
    if board.blocks or (board.checklist and not _said_checks(moment, board_id)):
        return old
    known = _Known(moment, board)
    # Nothing can be seen on, or done to, a part that is not there yet.
    found = _parts(known) if not board.parts and stage in (Stage.INSPECT, Stage.REPAIR) else _BY_STAGE[stage](known)
    return tuple(islice((*old, *found), _MOST))


_OLD_READING = {"capacitor": "measures 51u esr 5", "resistor": "measures 4k7", "fuse": "OL"}


def _old_parts(moment: Moment, board_id: str) -> Iterator[WantedFact]:
    """One part that came out unmeasured: while it lies on the bench, it tells whether the fault went with it."""
    for place in [one for one in worth_measuring_old(moment) if one.board == board_id][:1]:
        why = say("What the old {part} measures: it tells whether it was the fault", part=place.refdes)
        yield WantedFact(why, _example("old", place.refdes, _OLD_READING[moment.part(place).kind]))


def _said_checks(moment: Moment, board_id: str) -> bool:
    return any(told.board == board_id for told in moment.snapshot.facts.checks)


def _parts(known: _Known) -> Iterator[WantedFact]:
    if not known.board.parts:
        yield WantedFact(say("The parts of the board: drop a parts list, paste one, or type them"), "U1 is 74LS138")


def _is_somewhere(part: Part) -> bool:
    """Did somebody say where it is, on a photo or by row and column?"""
    return part.placed or bool(part.row or part.column)


def _intake(known: _Known) -> Iterator[WantedFact]:
    yield from _parts(known)
    if not known.snapshot.complaint:
        yield WantedFact(say("The complaint, in the owner's words"), "complaint: no sound")
    if not known.states and not known.snapshot.proving.symptoms:
        yield WantedFact(say("What fails: it decides which parts are suspected"), "fails: sound")
    unknown = known.where(lambda part: part.kind == "unknown")
    untyped = known.where(lambda part: part.is_chip and part.number in ("", "?"))
    if unknown:
        yield WantedFact(say("What {part} is; its kind is not known", part=unknown), _example(unknown, "is LM324"))
    elif untyped:
        yield WantedFact(say("The type of {part}", part=untyped), _example(untyped, "is LM324"))
    if known.failing and "works" not in known.states.values():
        yield WantedFact(say("What works: evidence for the parts that it uses"), "works: start")
    if known.board.parts and not any(map(_is_somewhere, known.board.parts)):
        yield WantedFact(
            say("Where parts are: drop a photo, or enter row and column"),
            _example(known.chips[0], "at row 2 column D"),
        )
    switch = known.where(lambda part: part.kind == "switch" or part.refdes.upper().startswith("JP"))
    if switch and not known.snapshot.facts.settings:
        yield WantedFact(
            say("How switches and jumpers are set, before they are touched"), _example(switch, "as found: 1-2")
        )
    if not known.snapshot.owner:
        yield WantedFact(say("Whose board it is, for the report"), "owner: Gannet Point Pier Collection")


def _inspect(known: _Known) -> Iterator[WantedFact]:
    here = [place for place in known.snapshot.seen.findings if place.board == known.board.id]
    if not here:
        capacitor = known.first("capacitor", "C1")
        yield WantedFact(say("What was seen: leaks, corrosion, cracks"), _example(capacitor, "leaking"))
    cell = known.where(lambda part: part.kind == "cell" and not part.technology and not _chemistry(known, part.refdes))
    if cell:
        yield WantedFact(say("The chemistry of {cell}: it decides how to clean", cell=cell), _example(cell, "is NiCd"))
    if not any(part.socketed for part in known.board.parts):
        yield WantedFact(
            say("Which chips are in sockets: they are tried first"), _example(known.chips[0], "is socketed")
        )
    if not any(map(_is_somewhere, known.board.parts)):
        yield WantedFact(
            say("Where parts are: until then, look at the neighbours of a leak by eye"),
            _example(known.chips[0], "at row 2 column D"),
        )


def _chemistry(known: _Known, refdes: str) -> bool:
    return chemistry_of(known.board, refdes).value != "unknown"


def _rails(known: _Known) -> Iterator[WantedFact]:
    plug, regulator = known.first("connector", "J1"), known.first("regulator", "")
    told = {key.path for key in known.snapshot.facts.supplies if key.board == known.board.id}
    if not known.board.chain and not told:
        yield WantedFact(
            say("How the supply comes in: the first of three lines"), _example("supply +5: from", plug, "5 V DC 3 A")
        )
    elif not known.board.chain:
        yield WantedFact(
            say("Where the supply ends: the last of three lines"), _example("supply +5: to", known.chips[0])
        )
    if not known.board.rails:
        fed = ", ".join(known.chips[:2])
        yield WantedFact(
            say("Which chips a rail feeds: a dead rail then explains them"), _example("rail +5 feeds", fed)
        )
    fuse = known.where(lambda part: part.kind == "fuse" and part.value is None)
    if fuse:
        yield WantedFact(say("The rating that {fuse} should have", fuse=fuse), _example(fuse, "is 2A slow"))
    if regulator and known.board.part(regulator).number in ("", "?"):
        yield WantedFact(
            say("The type of {regulator}: it says its voltage", regulator=regulator), _example(regulator, "is 7805")
        )
    if not known.snapshot.readings.measured:
        yield WantedFact(
            say("Before power: the resistance of the rail to ground"),
            "rail +5 to ground 180 ohm",
        )


def _roms(known: _Known) -> Iterator[WantedFact]:
    slots = known.board.rom_slots
    chip = slots[0].refdes if slots else known.chips[-1]
    if not slots:
        yield WantedFact(
            say("Which places are ROM sockets, with start-up number and address"),
            _example(chip, "is ROM 1, 27C64, 0000-1FFF"),
        )
    listed = any(told.board in ("", known.board.id) for told in known.snapshot.roms.lists)
    if not listed and not any(slot.sums for slot in slots):
        yield WantedFact(
            say("A checksum of the right content, or drop a list of them"), _example(chip, "sum crc32 1A2B3C4D")
        )
    if slots and not any(slot.address is not None for slot in slots):
        yield WantedFact(say("Where the sockets are in the address map"), _example(chip, "is ROM 1, 0000-1FFF"))
    if not known.board.self_tests:
        yield WantedFact(say("What a code at start-up means"), _example("code 3 =", chip))


def _probe(known: _Known) -> Iterator[WantedFact]:
    chip = known.where(lambda part: part.is_chip and not known.knows_pins(part))
    number = known.board.part(chip).number if chip else ""
    if chip and number in ("", "?"):
        yield WantedFact(
            say("The type of {chip}: its pins can then be judged", chip=chip), _example(chip, "is 74LS166")
        )
    elif chip:
        yield WantedFact(
            say(
                "A pin of {chip}, from its data sheet; its type {number} is not in the library",
                chip=chip,
                number=number,
            ),
            f"{chip}.3: RESET in",
        )
    if not known.board.nets:
        first, second = (known.chips * 2)[:2]
        yield WantedFact(
            say("Which pins are connected: drop a netlist, or check continuity"), f"{first}.3 = {second}.5"
        )
    if not known.board.siblings:
        yield WantedFact(say("Parts that do the same: they should measure alike"), _twins(known))


def _twins(known: _Known) -> str:
    """Two chips of one type, else the first two."""
    by_type: dict[str, list[str]] = {}
    for part in known.board.chips:
        by_type.setdefault(part.number, []).append(part.refdes)
    alike = next((names for number, names in by_type.items() if number and len(names) > 1), known.chips)
    return _example("twins", *(alike * 2)[:2])


def _suspects(known: _Known) -> Iterator[WantedFact]:
    untold = without_path(known.moment, known.board.id)
    members = " ".join((*known.chips[:2], known.first("connector", "J2")))
    failing = [name for name in untold if name in known.failing]
    for name in (failing or list(untold))[:1]:
        why = say("The parts that {function} needs, in the order of the signal", function=name)
        yield WantedFact(why, f"path {name}: {members}")
    if not known.states:
        yield WantedFact(say("A function that fails, and the parts that it needs"), "fails: gun")
    if not known.states and not paths_of(known.moment, known.board.id):
        yield WantedFact(say("The path of a function, part by part"), _example("path gun:", members))
    if "works" not in known.states.values():
        name = next((n for n in paths_of(known.moment, known.board.id) if n not in known.states), "speech")
        yield WantedFact(say("A function that works: evidence for its parts"), _example("works:", name))
    if not known.board.siblings:
        yield WantedFact(say("Parts that do the same: one that differs is the odd one out"), _twins(known))
    if not known.snapshot.parts.swaps:
        swapped = _twins(known).split()[1:]
        yield WantedFact(
            say("What an exchange did: it tells the part from its place"), f"swap {swapped[0]} and {swapped[1]}: moves"
        )
    if not known.snapshot.readings.pairs:
        yield WantedFact(say("A code that was sent, and what came out: it finds a bad bit"), "sent 41 shown 45")


def _plan(known: _Known) -> Iterator[WantedFact]:
    bare = known.where(lambda part: part.kind == "capacitor" and part.value is None)
    unrated = known.where(lambda part: part.kind == "capacitor" and part.polarised and part.voltage is None)
    if bare:
        yield WantedFact(
            say("Value and voltage of {part}: an order needs them", part=bare), _example(bare, "is", "1000u", "25V")
        )
    if unrated:
        told = known.board.part(unrated).number
        yield WantedFact(
            say("The voltage of {part}: a replacement needs at least as much", part=unrated),
            _example(unrated, "is", told if told and told != "?" else "100u", "16V"),
        )
    if not known.board.service:
        capacitor = known.first("capacitor", "C1")
        yield WantedFact(say("What is replaced as a matter of course here"), _example("service:", capacitor))
    if not known.moment.drawer:
        number = known.board.part(known.chips[0]).number if known.board.has(known.chips[0]) else "74LS166"
        yield WantedFact(
            say("What is in the drawer: it need not be ordered"),
            _example("drawer: 2x", number or "74LS166", "in tray 3"),
        )


def _repair(known: _Known) -> Iterator[WantedFact]:
    if not any(work.before for work in known.snapshot.parts.work):
        capacitor = known.first("capacitor", "C1")
        yield WantedFact(
            say("What was replaced before this job: it is no longer as old as the rest"),
            _example("before:", capacitor, "replaced"),
        )
    if not known.snapshot.parts.changes:
        yield WantedFact(
            say("What you replace, as soon as it is done: readings before it no longer count"),
            _example(known.chips[0], "replaced"),
        )


def _verify(known: _Known) -> Iterator[WantedFact]:
    if not known.board.checklist:
        yield WantedFact(say("What kind of board it is: the usual checks join the list"), "board is a sound board")
    if not known.snapshot.proving.tests:
        name = next(iter(known.states), "picture")
        yield WantedFact(say("A check of your own, with its result"), _example("check:", name, "ok"))
    if not known.snapshot.proving.starts and not known.snapshot.proving.starts_before:
        yield WantedFact(say("Each start that you try, clean or failed"), "start ok")


def _report(known: _Known) -> Iterator[WantedFact]:
    if not known.snapshot.owner:
        yield WantedFact(say("Whose board it is"), "owner: Gannet Point Pier Collection")
    if not known.snapshot.decision(f"serial {known.board.id}"):
        yield WantedFact(say("The serial number of the board"), "serial: 1042")


_BY_STAGE: Mapping[Stage, Callable[[_Known], Iterator[WantedFact]]] = {
    Stage.INTAKE: _intake,
    Stage.INSPECT: _inspect,
    Stage.RAILS: _rails,
    Stage.ROMS: _roms,
    Stage.PROBE: _probe,
    Stage.SUSPECTS: _suspects,
    Stage.PLAN: _plan,
    Stage.REPAIR: _repair,
    Stage.VERIFY: _verify,
    Stage.REPORT: _report,
}
