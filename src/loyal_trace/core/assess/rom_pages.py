"""What the ROM pages show of a job: its set as a table, the reads of one chip beside each other, and its repair.

Pure functions of a case, as everything on the screens.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.roms import SlotAssessment, judged_slots, known_sums, reference_of
from loyal_trace.core.roms.devices import VERIFY, Fit, MemoryTypes, access_budget
from loyal_trace.core.roms.images import RomImage
from loyal_trace.core.roms.programming import CHANGED, Programming, erase_minutes, programming
from loyal_trace.core.roms.signature import Learned, learn
from loyal_trace.core.roms.sites import WORDS
from loyal_trace.core.roms.slots import SlotLine, slot_table
from loyal_trace.core.roms.voting import Vote, moving_bits, vote
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import parse_quantity

NO_REFERENCE = say("no reference image is available yet: restore it from its checksums, or import it")
_MOST_FITS = 4
_NOT_THE_CELLS = ("pins", "adapter", "set-up", "file", "contact")


@dataclass(frozen=True)
class SetLine:
    """One socket in the table of a set: what it should be, the firmware its read proves, and the plain verdict word."""

    line: SlotLine
    word: str
    firmware: str


def set_lines(moment: Moment, board_id: str) -> tuple[SetLine, ...]:
    """The sockets of a board with what was read in each."""
    sums, roms = known_sums(moment), judged_slots(moment)
    found = []
    for line in slot_table(moment.boards[board_id]):
        slot = roms[PartRef(board_id, line.slot.refdes)]
        matching = sums.matching(RomImage("", slot.image)) if slot.image else ()
        firmwares = sorted({e.firmware for e in matching if e.place.lower() in ("", line.slot.refdes.lower())} - {""})
        found.append(SetLine(line, slot.word, joined("=", firmwares)))
    return tuple(found)


@dataclass(frozen=True)
class ReadLine:
    """One read of a chip: number, source and sums, the number of the first read like it, and whether it is right."""

    number: int
    source: str
    size: int
    crc32: str
    like: int
    right: bool


def reads_of(moment: Moment, place: PartRef) -> tuple[ReadLine, ...]:
    """All reads of one chip, oldest first."""
    known = known_sums(moment).for_place(place.refdes, place.board)
    found: list[ReadLine] = []
    first: dict[str, int] = {}
    for number, read in enumerate(moment.snapshot.roms.reads.get(place, ()), start=1):
        image = RomImage(place[1], moment.blobs(read.attachment))
        like = first.setdefault(read.attachment, number)
        source = read.file_name or read.source
        right = any(entry.accepts(image) for entry in known)
        found.append(ReadLine(number, source, image.size, image.digest("crc32"), like, right))
    return tuple(found)


def vote_of(moment: Moment, place: PartRef) -> Vote | None:
    """The vote over the reads of one chip; None for a single read or reads of different sizes."""
    try:
        return vote(_images(moment, place))
    except RequestError:
        return None


def flicker_of(moment: Moment, place: PartRef) -> NDArray[np.uint8] | None:
    """Which bits changed between reads, shape (8, size); None unless there are two reads of one size."""
    images = _images(moment, place)
    if len(images) < 2 or len({len(image) for image in images}) > 1:
        return None
    moved = moving_bits(images)
    return np.stack([(moved >> lane) & 1 for lane in range(8)])


def _images(moment: Moment, place: PartRef) -> list[bytes]:
    return [moment.blobs(read.attachment) for read in moment.snapshot.roms.reads.get(place, ())]


@dataclass(frozen=True)
class Repair:
    """How the right content gets back into a socket: the way, what the type allows, minutes under the lamp (None unless
    the lamp's irradiance was told), the cautions that go with it, and what could take the chip's place."""

    device: str
    technology: str
    way: Programming | None
    minutes: float | None
    cautions: tuple[Caution, ...]
    proof: str
    fits: tuple[Fit, ...]

    @property
    def words(self) -> str:
        """One sentence for the head of the page."""
        if self.way is not None:
            return self.way.words
        return NO_REFERENCE


def repair_of(moment: Moment, place: PartRef, types: MemoryTypes) -> Repair:
    """What is known of putting one socket right; `types` are the memories that could serve."""
    slot = judged_slots(moment)[place]
    number = moment.part(place).number
    printed = next((n for n in (number, slot.slot.device) if types.knows(n)), "")
    kind = types.find(printed) if printed else None
    technology = kind.technology if kind else "eprom"
    way = _way(slot, technology)
    erases = technology == "eprom" and (way is None or way.how == "erase")
    fits = types.substitutes(kind, _budget(moment))[:_MOST_FITS] if kind else ()
    known = reference_of(moment, place)
    proof = known.proof if known else ""
    cautions = (Caution.UV,) if erases else (Caution.AGED_CELLS,) if way is not None and way.how == "over" else ()
    return Repair(printed or number, technology, way, _lamp_minutes(moment) if erases else None, cautions, proof, fits)


def _way(slot: SlotAssessment, technology: str) -> Programming | None:
    """Programming helps against wrong cells only: what sits in pins, wiring or set-up is put right there first."""
    verdict = slot.verdict
    site = verdict.hypotheses[0].site if verdict is not None and not verdict.good else ""
    if site in _NOT_THE_CELLS:
        words = say("the fault is not in the cells: repair the {words} first, then read it again", words=WORDS[site])
        return Programming("elsewhere", words)
    if slot.image is None or slot.reference is None:
        return None
    return programming(slot.image, slot.reference, technology)


def allowed_words(technology: str) -> str:
    """What a technology allows, and how a written chip is verified."""
    return say("{changed}. {verify}", changed=CHANGED[technology], verify=VERIFY)


def _budget(moment: Moment) -> float | None:
    """Seconds the processor leaves its memory, once its clock was told (`clock 4MHz`)."""
    told = moment.snapshot.decision("processor clock")
    return access_budget(parse_quantity(told, "Hz")) if told else None


def _lamp_minutes(moment: Moment) -> float | None:
    """Minutes under this workshop's lamp, as told by `lamp 12m` (W/cm² at 253.7 nm)."""
    told = moment.snapshot.decision("lamp")
    return erase_minutes(parse_quantity(told)) if told else None


def learn_register(moment: Moment) -> Learned:
    """The tester's own register from all signatures of sockets whose true image is at hand.

    RequestError says how many more are needed, or that they do not fit one register.
    """
    roms, pairs = judged_slots(moment), []
    for place, taken in sorted(moment.snapshot.roms.signatures.items()):
        reference = roms[place].reference if place in roms else None
        if taken.value is not None and reference is not None:
            pairs.append((reference, taken.value))
    if len(pairs) < 3:
        have = len(pairs)
        raise RequestError(
            say(
                "{have} signatures of chips with a reference image: 3 of one size, or 4 of mixed sizes, are needed",
                have=have,
            )
        )
    return learn(pairs)
