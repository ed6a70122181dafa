"""The case: everything known of a job at one moment, and every verdict computed from it.

This is the arrow's last stretch: `JobState` (the fold of the logbook) and the board definitions go in, assessments come
out. All of it is pure; the only memory is a cache of verdicts keyed by exactly what they were computed from.
"""

from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import TypeVar

from loyal_trace.core.boards.alignment import Alignment, align
from loyal_trace.core.boards.leaks import DEFAULT_REACH, SIDES, Leak, leaks
from loyal_trace.core.boards.model import BoardDefinition, Part, RomSlot, SelfTestCode
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.errors import RequestError
from loyal_trace.core.logbook.entries import PhotoAligned
from loyal_trace.core.logbook.state import JobState, Place
from loyal_trace.core.parts.capacitors import PartVerdict, StockItem, verdict_from_log
from loyal_trace.core.power.clock_tree import ClockNode, judge_tree, predict
from loyal_trace.core.power.consumption import CurrentTable, Draw
from loyal_trace.core.power.expected import GROUND
from loyal_trace.core.power.rails import RailReport, judge_rails
from loyal_trace.core.power.shorts import TRACK, ShortHunt, hunt
from loyal_trace.core.power.under_load import COMPOUND_MISSING, Around
from loyal_trace.core.probing.check import ChipVerdict, check_chip
from loyal_trace.core.probing.states import PinReading
from loyal_trace.core.proving.bench import BenchProfile, Shortfall, profile_of, shortfalls
from loyal_trace.core.roms.by_sums import Expected
from loyal_trace.core.roms.hypotheses import PinNames
from loyal_trace.core.roms.images import RomImage, SumList, prevailing_firmware
from loyal_trace.core.roms.sets import RevisionMix, board_sums, revision_mix
from loyal_trace.core.roms.signature import HEX_SYMBOLS, register_from
from loyal_trace.core.roms.slots import expected_complaint
from loyal_trace.core.roms.triage import Socket, Triage, triage
from loyal_trace.core.roms.verdicts import RomVerdict, judge

Result = TypeVar("Result")
MISSING = "missing"


@dataclass(frozen=True)
class SlotAssessment:
    """One ROM slot: what was read, what was expected, and the verdict (None when it was not read)."""

    board: str
    slot: RomSlot
    reads: int
    verdict: RomVerdict | None
    image: bytes | None = None
    truth: bytes | None = None

    @property
    def word(self) -> str:
        """matches, differs, unstable or not read: the plain word for the screens."""
        if self.verdict is None:
            return "not read"
        if self.verdict.verdict in ("matches", "unstable"):
            return self.verdict.verdict
        return "differs"


def _aligned(entry: PhotoAligned) -> Alignment | None:
    try:
        return align([(p.x, p.y) for p in entry.points], [(p.u, p.v) for p in entry.points])
    except RequestError:
        return None


@dataclass(frozen=True)
class Case:
    """The inputs of all assessments: boards, the folded state, the chip library, attachment bytes, the drawer.

    A case is of one moment: make a new one when the state has changed.
    """

    boards: Mapping[str, BoardDefinition]
    state: JobState
    library: ChipLibrary
    blobs: Callable[[str], bytes]
    drawer: tuple[StockItem, ...] = ()
    cache: dict[Hashable, object] = field(default_factory=dict, compare=False)
    currents: CurrentTable | None = None
    workshop: BenchProfile | None = None

    def part(self, place: Place) -> Part:
        """The part in a place (board id, refdes)."""
        return self.boards[place[0]].part(place[1])

    def chip_type(self, place: Place) -> ChipType | None:
        """The chip type now in a place (a fitted replacement counts), or None when the library does not know it."""
        fitted = self.state.fitted.get(place)
        number = fitted.number if fitted and self.library.knows(fitted.number) else self.part(place).number
        return self.library.find(number) if self.library.knows(number) else None

    def _cached(self, key: Hashable, compute: Callable[[], Result]) -> Result:
        if key not in self.cache:
            self.cache[key] = compute()
        return self.cache[key]  # type: ignore[return-value]

    # ROMs

    def known_sums(self) -> SumList:
        """All sums of the job: those of the boards and those taken in from lists."""

        def gathered() -> SumList:
            entries = [entry for board in self.boards.values() for entry in board_sums(board)]
            entries += [line.known for taken in self.state.sums for line in taken.lines]
            return SumList(entries, "boards and lists of this job")

        return self._cached(("sums", tuple(self.boards), tuple(s.id for s in self.state.sums)), gathered)

    def firmware(self) -> str:
        """The firmware revision the set should be: as decided, else the one most reads belong to."""
        decided = self.state.decision("firmware")
        if decided:
            return decided
        sums = self.known_sums()
        matches = [sums.matching(self._image(place)) for place in self.state.rom_reads]
        return prevailing_firmware(m for m in matches if m)

    def expected_signature(self, place: Place) -> int | None:
        """What the tester of this job should show for the true image of a slot; None without that image."""
        slot = self.roms().get(place)
        if slot is None or slot.truth is None:
            return None
        try:
            return register_from(self.state.decision("register")).of(slot.truth)
        except RequestError:
            return None

    def symbols(self) -> str:
        """The sixteen symbols in which this job's tester prints a signature."""
        return self.state.decision("symbols") or HEX_SYMBOLS

    def shown_signature(self, value: int) -> str:
        """A signature as the tester prints it."""
        return register_from(self.state.decision("register")).shown(value, self.symbols())

    def complaint_expected(self, place: Place) -> str:
        """Why a self-test code that was seen had to complain of a slot that is right; empty when it had not."""
        seen = {start.code for start in (*self.state.starts_before, *self.state.starts) if start.code}
        codes = [c for c in self.boards[place[0]].self_tests if c.code in seen and place[1] in c.parts]
        return next((words for code in codes if (words := self.expected_complaint(code, place))), "")

    def triage(self, place: Place) -> Triage | None:
        """Whom a signature taken in circuit accuses; None when none was taken here or none is expected."""
        if place not in self.state.signatures:
            return None
        sockets = [self._socket(p) for p in self.roms() if p[0] == place[0]]
        here = next((s for s in sockets if s.refdes == place[1]), None)
        return triage(here, sockets) if here is not None and here.in_circuit else None

    def _socket(self, place: Place) -> Socket:
        """One socket as the triage sees it: what selects it and what shares its data lines, from the netlist."""
        taken, wanted = self.state.signatures.get(place), self.expected_signature(place)
        slot = self.roms()[place]
        in_circuit = ""
        if taken is not None:
            in_circuit = (
                "none"
                if taken.value is None
                else ""
                if wanted is None
                else "right"
                if taken.value == wanted
                else "wrong"
            )
        read = slot.word if slot.verdict is not None else ""
        return Socket(place[1], in_circuit, read, self._neighbour(place, "/CE"), self._neighbour(place, "D0"))

    def _neighbour(self, place: Place, pin_name: str) -> str:
        """The chip, no memory itself, that shares a pin's net: it selects the socket, or carries its data."""
        chip, board = self.chip_type(place), self.boards[place[0]]
        number = next((p.number for p in chip.pins if p.name == pin_name), None) if chip is not None else None
        for refdes, _ in board.others_on_net(place[1], number) if number is not None else ():
            other = self.chip_type((place[0], refdes)) if board.part(refdes).is_chip else None
            if other is not None and other.memory is None and not other.cpu_address:
                return refdes
        return ""

    def expected_complaint(self, code: SelfTestCode, place: Place) -> str:
        """Why a self-test that knows one firmware only must complain of this slot; empty when it need not."""
        if not code.firmware:
            return ""
        slot = next((s for s in self.boards[place[0]].rom_slots if s.refdes == place[1]), None)
        return expected_complaint(code, slot, self.firmware()) if slot is not None else ""

    def revision_mix(self, board_id: str) -> RevisionMix:
        """Are the ROMs of a board, as read, of one firmware revision?"""
        sums = self.known_sums()
        read = {p[1]: sums.matching(self._image(p)) for p in self.state.rom_reads if p[0] == board_id}
        own = {
            slot: tuple(e for e in found if not e.place or e.place.lower() == slot.lower())
            for slot, found in read.items()
        }
        return revision_mix(own)

    def _image(self, place: Place) -> RomImage:
        read = self.state.rom_reads[place][-1]
        return self._cached(
            ("image", read.attachment), lambda: RomImage(place[1], self.blobs(read.attachment), read.source)
        )

    def roms(self) -> dict[Place, SlotAssessment]:
        """Every ROM slot of the job, judged."""
        return self._roms

    @cached_property
    def _roms(self) -> dict[Place, SlotAssessment]:
        firmware = self.firmware()
        return {
            (board_id, slot.refdes): self._slot(board_id, slot, firmware)
            for board_id, board in self.boards.items()
            for slot in board.rom_slots
        }

    def _slot(self, board_id: str, slot: RomSlot, firmware: str) -> SlotAssessment:
        place = (board_id, slot.refdes)
        reads = self.state.rom_reads.get(place, [])
        known = self.state.images.get((*place, firmware)) or self.state.images.get((*place, ""))
        truth_sha = known.attachment if known else ""
        if not reads:
            truth = self.blobs(truth_sha) if truth_sha else None
            return SlotAssessment(board_id, slot, 0, None, truth=truth)
        key = ("rom", place, tuple(r.attachment for r in reads), firmware, truth_sha, len(self.state.sums))
        return self._cached(key, lambda: self._judged(board_id, slot, firmware, truth_sha))

    def _judged(self, board_id: str, slot: RomSlot, firmware: str, truth_sha: str) -> SlotAssessment:
        place = (board_id, slot.refdes)
        reads = self.state.rom_reads[place]
        image = self._image(place)
        truth = self.blobs(truth_sha) if truth_sha else None
        sums = self.known_sums()
        own = sums.for_place(slot.refdes)
        chip = self.chip_type(place)
        names = PinNames(lambda line: chip.pin(line).number if chip and line in {p.name for p in chip.pins} else None)
        expected = Expected(own, firmware, slot.size or None, truth, names, lambda: self._true_images(board_id))
        verdict = judge(image, expected, sums, [self.blobs(r.attachment) for r in reads[:-1]])
        return SlotAssessment(board_id, slot, len(reads), verdict, image.data, truth)

    def _true_images(self, board_id: str) -> dict[str, bytes]:
        """The true images at hand of a board, by slot and firmware."""
        known = self.state.images.items()
        return {
            f"{p} {fw}".strip(): self.blobs(entry.attachment) for (board, p, fw), entry in known if board == board_id
        }

    # chips

    def readings(self, place: Place) -> dict[int, PinReading]:
        """All pin readings of a chip."""
        pins = self.state.pins.get(place, {})
        return {n: PinReading(p.state, p.voltage, p.frequency) for n, p in pins.items()}

    def chip(self, place: Place) -> ChipVerdict | None:
        """The verdict on one chip, or None when the library does not know its type."""
        chip = self.chip_type(place)
        if chip is None:
            return None
        readings = self.readings(place)
        key = ("chip", place, chip.name, tuple(sorted(readings.items(), key=lambda item: item[0])))
        return self._cached(key, lambda: check_chip(chip, readings))

    def chips(self) -> dict[Place, ChipVerdict]:
        """Every chip with at least one probed pin, judged."""
        return self._chips

    @cached_property
    def _chips(self) -> dict[Place, ChipVerdict]:
        verdicts = ((place, self.chip(place)) for place in self.state.pins if place[0] in self.boards)
        return {place: verdict for place, verdict in verdicts if verdict is not None}

    # supplies and capacitors

    def rails(self) -> dict[str, RailReport]:
        """The supply chain of each board under the chosen school."""
        return self._rails

    @cached_property
    def _rails(self) -> dict[str, RailReport]:
        school = self.state.decision("rail school", "maker")
        return {
            board_id: judge_rails(board_id, board, self.state, school, self.draw(board_id))
            for board_id, board in self.boards.items()
        }

    def draw(self, board_id: str) -> Draw | None:
        """What the chips on a board should take together from its logic supply; missing parts take nothing."""
        if self.currents is None:
            return None
        board = self.boards[board_id]
        return self.currents.draw(p for p in board.chips if not self.absent((board_id, p.refdes)))

    def around(self, board_id: str) -> Around:
        """What the rules of the supplies may know besides the readings of their path."""
        verdicts = {place[1]: verdict for place, verdict in self.capacitors().items() if place[0] == board_id}
        dry = {
            r for (b, r), seen in self.state.findings.items() if b == board_id and seen[-1].finding == COMPOUND_MISSING
        }
        return Around(verdicts, self.draw(board_id), frozenset(dry))

    def clock_tree(self, board_id: str) -> tuple[ClockNode, ...]:
        """The board's clocks as predicted, held against the frequencies that were measured or probed."""
        board = self.boards[board_id]
        key = ("clock tree", board_id, board.revision)
        nodes = self._cached(key, lambda: predict(board, self.library)) if board.clocks else ()
        return judge_tree(nodes, self.frequencies(board_id))

    def frequencies(self, board_id: str) -> dict[str, float]:
        """Net → hertz, from the counter and from the probe; the counter's word counts where both spoke."""
        board, found = self.boards[board_id], {}
        for (where, refdes), pins in self.state.pins.items():
            for number, pin in pins.items() if where == board_id else ():
                if pin.frequency is not None:
                    found[board.net_of(refdes, number) or f"{refdes}.{number}"] = pin.frequency
        for (where, place), by_quantity in self.state.measured.items():
            part, _, leg = place.partition(".")
            if where == board_id and "frequency" in by_quantity and leg.isdigit():
                net = board.net_of(part, int(leg)) or place
                found[net] = by_quantity["frequency"][-1].value or 0.0
        return found

    def hunt(self, board_id: str, net: str) -> ShortHunt | None:
        """Where the short on a net is, once its resistance to ground is known to be low; None before that."""
        board, state = self.boards[board_id], self.state
        at = {f"{refdes}.{pin}" for refdes, pin in dict(board.nets).get(net, ())}
        read = [state.latest(board_id, place, GROUND[0]) for place in at]
        taken = [m for m in read if m is not None and m.value is not None]
        if not taken:
            return None
        baseline = max(taken, key=lambda m: m.time)
        track = {}
        for place in sorted(at):
            entry = state.latest(board_id, place, TRACK)
            if entry is not None and entry.value is not None:
                track[place.partition(".")[0]] = entry.value
        return hunt(board, net, baseline.value or 0.0, state.lifts.get((board_id, net), ()), track)

    def absent(self, place: Place) -> bool:
        """Is the part of this place missing, robbed, or taken out and not put back?"""
        seen, out, back = (self.state.findings.get(place), self.state.removed.get(place), self.state.fitted.get(place))
        if back is not None:
            return False
        return out is not None or bool(seen and seen[-1].finding == MISSING)

    def capacitors(self) -> dict[Place, PartVerdict]:
        """Every capacitor of the job with its verdict."""
        return self._capacitors

    @cached_property
    def _capacitors(self) -> dict[Place, PartVerdict]:
        return {
            (board_id, part.refdes): verdict_from_log(board_id, part, self.state)
            for board_id, board in self.boards.items()
            for part in board.capacitors
        }

    # the bench

    def bench(self) -> BenchProfile:
        """What the bench of this job can do."""
        return profile_of(self.state, self.workshop)

    def shortfalls(self) -> tuple[Shortfall, ...]:
        """What the job asks of the bench beyond that."""
        taken = {quantity for by_quantity in self.state.measured.values() for quantity in by_quantity}
        return shortfalls(self.boards, self.bench(), {b: self.draw(b) for b in self.boards}, taken)

    # what was seen

    def leaks(self, board_id: str) -> tuple[Leak, ...]:
        """The leaks seen on a board, what they reach, and what of that was inspected."""
        findings = {refdes: seen for (where, refdes), seen in self.state.findings.items() if where == board_id}
        down = self.state.decision("lowest side", "")
        renewed = {refdes for where, refdes in self.state.fitted if where == board_id}
        reach, side = self.leak_reach(), down if down in SIDES else ""
        return leaks(self.boards[board_id], findings, reach, side, renewed)

    def leak_reach(self) -> float:
        """How far (mm) electrolyte is taken to creep in this job."""
        try:
            return float(self.state.decision("leak reach", str(DEFAULT_REACH)).split()[0])
        except (ValueError, IndexError):
            return DEFAULT_REACH

    # photos

    def alignment(self, sha: str) -> Alignment | None:
        """How a photo lies over its board, or None when it was not aligned (or its points fix nothing)."""
        entry = self.state.alignments.get(sha)
        if entry is None:
            return None
        return self._cached(("alignment", entry.id), lambda: _aligned(entry))

    def photographed(self, place: Place) -> bool:
        """Does any aligned photo of the board show this place?"""
        return any(self.shows(sha, place) for sha in self.state.photos)

    def shows(self, sha: str, place: Place) -> bool:
        """Does an aligned photo show a place?"""
        photo = self.state.photos[sha]
        found = self.alignment(sha) if photo.board == place[0] else None
        if found is None:
            return False
        part = self.part(place)
        u, v = found.on_photo(part.x, part.y)
        return 0 <= u < photo.width and 0 <= v < photo.height

    # the drawer

    def renewed(self, place: Place) -> bool:
        """Was the part in this place changed or put right in this job? A borrowed stand-in is neither."""
        fitted = self.state.fitted.get(place)
        return fitted is not None and not fitted.lender

    def in_stock(self, item: StockItem) -> int:
        """How many of a drawer item are left: what this job took is gone, what is known bad does not count."""
        return 0 if item.state == "bad" else max(0, item.count - self.state.taken.get((item.number, item.place), 0))
