"""ROMs: is in each socket what should be there, and if not, what kind of wrong is it?"""

from dataclasses import dataclass, replace

from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.boards.model import BoardDefinition, RomSlot, SelfTestCode
from loyal_trace.core.job.entries import ImageKnown
from loyal_trace.core.job.snapshot import ImageKey
from loyal_trace.core.roms.across import Shared, across
from loyal_trace.core.roms.by_checksums import Expected
from loyal_trace.core.roms.hypotheses import PinNames
from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage, base_name, prevailing_firmware
from loyal_trace.core.roms.sets import RevisionMix, board_sums, revision_mix
from loyal_trace.core.roms.signature import HEX_SYMBOLS, register_from
from loyal_trace.core.roms.slots import expected_complaint
from loyal_trace.core.roms.triage import Socket, Triage, triage
from loyal_trace.core.roms.verdicts import RomVerdict, judge
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.verdicts import RomWord

# What a fault of one line reads as; another verdict has its own reason.
_OF_A_LINE = ("stuck-data", "stuck-address", "unknown")
NOT_SAID = "?"  # the board of a checksum line that two sockets could claim: it speaks for neither


@dataclass(frozen=True)
class SlotAssessment:
    """One ROM socket: what was read, what was expected, and the verdict (None when it was not read)."""

    board: str
    slot: RomSlot
    reads: int
    verdict: RomVerdict | None
    image: bytes | None = None
    reference: bytes | None = None

    @property
    def place(self) -> PartRef:
        """The socket."""
        return PartRef(self.board, self.slot.refdes)

    @property
    def word(self) -> RomWord:
        """matches, differs, unstable or not read: the plain word for the screens."""
        if self.verdict is None:
            return RomWord.NOT_READ
        return {"matches": RomWord.MATCHES, "unstable": RomWord.UNSTABLE}.get(self.verdict.verdict, RomWord.DIFFERS)


def sockets_for(name: str, size: int | None, boards: dict[str, BoardDefinition]) -> list[PartRef]:
    """The sockets that a name (place, label, file name) of an image of a size can mean, on all boards.

    The size decides between sockets of one name as far as it can; it never takes the last one away.
    """
    whole = base_name(name)
    spellings = {whole, whole.rsplit(".", 1)[0]}
    named = [
        (PartRef(board_id, slot.refdes), slot.size)
        for board_id, board in boards.items()
        for slot in board.rom_slots
        if spellings & {slot.refdes.lower(), slot.label.lower()} - {""}
    ]
    # A file of the wrong length is still a read of that socket: its length is the finding.
    fitting = [place for place, wanted in named if size is None or not wanted or wanted == size]
    return fitting or [place for place, _ in named]


def bound(entry: KnownChecksum, boards: dict[str, BoardDefinition]) -> KnownChecksum:
    """A checksum line with the board of the socket that it means; `NOT_SAID` when two boards could claim it."""
    if entry.board:
        return entry
    found = sockets_for(entry.place or entry.name, entry.size, boards)
    if not found:
        return entry
    # Two boards with a 6E each: the line is kept, but it proves nothing until somebody says which.
    return replace(entry, board=found[0].board if len({p.board for p in found}) == 1 else NOT_SAID)


@once
def known_sums(moment: Moment) -> ChecksumList:
    """All checksums of the job: those of the boards and those of imported lists, each bound to its board."""
    boards, lists = dict(moment.boards), moment.snapshot.roms.lists

    def gathered() -> ChecksumList:
        entries = [entry for board in boards.values() for entry in board_sums(board)]
        entries += [bound(line.known, boards) for taken in lists for line in taken.lines]
        return ChecksumList(entries, say("boards and lists of this job"))

    slots = tuple((board_id, board.rom_slots) for board_id, board in boards.items())
    return moment.memo.of(("sums", slots, tuple(taken.id for taken in lists)), gathered)


def _image(moment: Moment, place: PartRef) -> RomImage:
    read = moment.snapshot.roms.reads[place][-1]
    return moment.memo.of(
        ("image", read.attachment), lambda: RomImage(place.refdes, moment.blobs(read.attachment), read.source)
    )


@once
def firmware(moment: Moment) -> str:
    """The firmware revision the set should be: as decided, else the one most reads belong to."""
    decided = moment.snapshot.decision("firmware")
    if decided:
        return decided
    sums = known_sums(moment)
    matches = [
        sums.matching(_image(moment, place)) for place in moment.snapshot.roms.reads if place.board in moment.boards
    ]
    return prevailing_firmware(m for m in matches if m)


@once
def judged_slots(moment: Moment) -> dict[PartRef, SlotAssessment]:
    """Every ROM socket of the job, judged."""
    return {
        PartRef(board_id, slot.refdes): _slot(moment, board_id, slot)
        for board_id, board in moment.boards.items()
        for slot in board.rom_slots
    }


def reference_of(moment: Moment, place: PartRef) -> ImageKnown | None:
    """The reference image of a socket for the firmware of the set, else one for any; None when none is at hand."""
    images = moment.snapshot.roms.images
    return images.get(ImageKey(*place, firmware(moment))) or images.get(ImageKey(*place, ""))


def _slot(moment: Moment, board_id: str, slot: RomSlot) -> SlotAssessment:
    place = PartRef(board_id, slot.refdes)
    reads, known = moment.snapshot.roms.reads.get(place, ()), reference_of(moment, place)
    reference = known.attachment if known is not None else ""
    if not reads:
        return SlotAssessment(board_id, slot, 0, None, reference=moment.blobs(reference) if reference else None)
    chip = moment.chip_type(place)
    others = tuple(
        sorted((key, entry.attachment) for key, entry in moment.snapshot.roms.images.items() if key.board == board_id)
    )
    # Everything that goes into the verdict stands in the key, so a list that was undone gives the old verdict back.
    key = (
        "rom",
        place,
        slot,
        tuple(r.attachment for r in reads),
        firmware(moment),
        reference,
        known_sums(moment),
        chip.name if chip else "",
        others,
    )
    return moment.memo.of(key, lambda: _judged(moment, place, slot, reference))


def _judged(moment: Moment, place: PartRef, slot: RomSlot, attachment: str) -> SlotAssessment:
    reads = moment.snapshot.roms.reads[place]
    image, sums, chip = _image(moment, place), known_sums(moment), moment.chip_type(place)
    reference = moment.blobs(attachment) if attachment else None
    named = {pin.name: pin.number for pin in chip.pins} if chip else {}
    expected = Expected(
        sums.for_place(slot.refdes, place.board),
        firmware(moment),
        slot.size or None,
        reference,
        PinNames(named.get),
        lambda: _references(moment, place.board),
        place.board,
    )
    # The newest read is judged; the earlier ones only say whether reads agree.
    verdict = judge(image, expected, sums, [moment.blobs(r.attachment) for r in reads[:-1]])
    return SlotAssessment(place.board, slot, len(reads), verdict, image.data, reference)


def _references(moment: Moment, board_id: str) -> dict[str, bytes]:
    """The reference images at hand of a board, by socket and firmware."""
    return {
        say("{refdes} {firmware}", refdes=key.refdes, firmware=key.firmware).strip(): moment.blobs(entry.attachment)
        for key, entry in moment.snapshot.roms.images.items()
        if key.board == board_id
    }


def mixed_revisions(moment: Moment, board_id: str) -> RevisionMix:
    """Are the ROMs of a board, as read, of one firmware revision?"""
    sums = known_sums(moment)
    read = {p.refdes: sums.matching(_image(moment, p)) for p in moment.snapshot.roms.reads if p.board == board_id}
    return revision_mix({slot: tuple(e for e in found if e.is_for(board_id, slot)) for slot, found in read.items()})


def shared_line_faults(moment: Moment, board_id: str) -> tuple[Shared, ...]:
    """What the unproved reads of a board show of their lines: in several chips at once, or in one of them alone."""
    read = {
        place.refdes: slot
        for place, slot in judged_slots(moment).items()
        if place.board == board_id and slot.image is not None
    }
    right = {name: slot.image or b"" for name, slot in read.items() if slot.word == RomWord.MATCHES}
    wrong = {name: slot.image or b"" for name, slot in read.items() if name not in right}
    key = ("across", tuple(wrong.items()), tuple(right.items()))
    return moment.memo.of(key, lambda: across(wrong, right))


def line_of_several(moment: Moment, place: PartRef) -> Shared | None:
    """The line fault that a read shares with others that were read the same way; None when there is none."""
    slot = judged_slots(moment).get(place)
    if slot is None or slot.verdict is None or slot.verdict.verdict not in _OF_A_LINE:
        return None
    found = [one for one in shared_line_faults(moment, place.board) if one.fault.kind != "periodic"]
    return next((one for one in found if len(one.shown_by) > 1 and place.refdes in one.shown_by), None)


# a tester's signature


def expected_signature(moment: Moment, place: PartRef) -> int | None:
    """What the tester of this job should show for the reference image of a socket; None without that image."""
    slot = judged_slots(moment).get(place)
    if slot is None or slot.reference is None:
        return None
    try:
        return register_from(moment.snapshot.decision("register")).of(slot.reference)
    except RequestError:
        return None


def symbols(moment: Moment) -> str:
    """The sixteen symbols in which this job's tester prints a signature."""
    return moment.snapshot.decision("symbols") or HEX_SYMBOLS


def shown_signature(moment: Moment, value: int) -> str:
    """A signature as the tester prints it."""
    return register_from(moment.snapshot.decision("register")).shown(value, symbols(moment))


def triage_of(moment: Moment, place: PartRef) -> Triage | None:
    """What a signature taken in circuit points at; None when none was taken here or none is expected."""
    if place not in moment.snapshot.roms.signatures:
        return None
    sockets = [_socket(moment, p) for p in judged_slots(moment) if p.board == place.board]
    here = next((s for s in sockets if s.refdes == place.refdes), None)
    return triage(here, sockets) if here is not None and here.in_circuit else None


def _in_circuit(moment: Moment, place: PartRef) -> str:
    """`none` when no signature came, `right`, `wrong`, or empty when nothing can be said."""
    taken, wanted = moment.snapshot.roms.signatures.get(place), expected_signature(moment, place)
    if taken is None:
        return ""
    if taken.value is None:
        return "none"
    if wanted is None:
        return ""
    return "right" if taken.value == wanted else "wrong"


def _socket(moment: Moment, place: PartRef) -> Socket:
    """One socket as the triage sees it: what selects it and what shares its data lines, from the netlist."""
    slot = judged_slots(moment)[place]
    read = slot.word if slot.verdict is not None else ""
    selects, shares = _neighbour(moment, place, "/CE"), _neighbour(moment, place, "D0")
    return Socket(place.refdes, _in_circuit(moment, place), read, selects, shares)


def _neighbour(moment: Moment, place: PartRef, pin_name: str) -> str:
    """The chip, no memory itself, that shares a pin's net: it selects the socket, or carries its data."""
    chip, board = moment.chip_type(place), moment.boards[place.board]
    number = next((p.number for p in chip.pins if p.name == pin_name), None) if chip is not None else None
    for refdes, _ in board.others_on_net(place.refdes, number) if number is not None else ():
        other = moment.chip_type(PartRef(place.board, refdes)) if board.part(refdes).is_chip else None
        # Other memories share the bus as well and processors drive it: neither selects the socket or buffers its
        # data.
        if other is not None and other.memory is None and not other.cpu_address:
            return refdes
    return ""


# self-test codes that know one firmware only


def complaint_of_code(moment: Moment, code: SelfTestCode, place: PartRef) -> str:
    """Why a self-test that knows one firmware only must complain of this socket; empty when it need not."""
    if not code.firmware:
        return ""
    slot = next((s for s in moment.boards[place.board].rom_slots if s.refdes == place.refdes), None)
    return expected_complaint(code, slot, firmware(moment)) if slot is not None else ""


def complaint_expected(moment: Moment, place: PartRef) -> str:
    """Why a self-test code that was seen had to complain of a socket that is right; empty when it had not."""
    proving = moment.snapshot.proving
    seen = {start.code for start in (*proving.starts_before, *proving.starts) if start.code}
    codes = [c for c in moment.boards[place.board].self_tests if c.code in seen and place.refdes in c.parts]
    return next((words for code in codes if (words := complaint_of_code(moment, code, place))), "")
