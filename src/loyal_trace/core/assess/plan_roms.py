"""Steps for ROMs that read wrong: a pin to straighten, a chip to program again, each with its cautions."""

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.roms import judged_slots
from loyal_trace.core.planning.steps import (
    MINUTES,
    Step,
)
from loyal_trace.core.roms.devices import is_uv_erased
from loyal_trace.core.roms.programming import programming
from loyal_trace.core.roms.verdicts import RomVerdict
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say


def rom_steps(moment: Moment) -> list[Step]:
    steps = []
    for place, slot in judged_slots(moment).items():
        verdict = slot.verdict.verdict if slot.verdict else ""
        if slot.verdict and verdict in ("stuck-address", "stuck-data", "unstable"):
            steps.append(_leg_step(place, slot.verdict))
        elif slot.verdict and verdict in ("few-bytes", "blank", "unknown"):
            steps.append(_program_step(moment, place, slot.verdict.reason, bool(slot.reference)))
    return steps


def _leg_step(place: PartRef, verdict: RomVerdict) -> Step:
    what = say("Repair the contact of {refdes}", refdes=place.refdes)
    return Step(
        f"{place.board}/{place.refdes}/leg",
        "leg",
        place,
        what,
        verdict.reason,
        MINUTES["leg"],
        cautions=(Caution.STATIC, Caution.ALCOHOL),
        tool=say("{advice} Flat pliers, isopropyl alcohol ≥ 90 %", advice=verdict.next),
        after=say("read {refdes} again, three times", refdes=place.refdes),
        socketed=True,
        height=0.0,
        probability=0.9,
    )


def _program_step(moment: Moment, place: PartRef, reason: str, reference: bool) -> Step:
    part = moment.part(place)
    how = say("with the reference image") if reference else say("when its reference image is found")
    return Step(
        f"{place.board}/{place.refdes}/program",
        "program",
        place,
        say("Re-program {refdes} {how}", refdes=place.refdes, how=how),
        reason,
        MINUTES["program"],
        part_number=part.number,
        cautions=_programming_cautions(moment, place),
        tool=say("eraser if bits must change from 0 to 1, programmer, window label"),
        after=say("verify twice, then read {refdes} again", refdes=place.refdes),
        socketed=part.socketed,
        height=1.0,
        probability=0.9,
    )


def _programming_cautions(moment: Moment, place: PartRef) -> tuple[Caution, ...]:
    """An EPROM is erased under a lamp or programmed over with its other cells as old; other memories need neither."""
    slot = judged_slots(moment)[place]
    number = moment.part(place).number or slot.slot.device
    if not is_uv_erased(number):
        return (Caution.STATIC,)
    known = slot.image is not None and bool(slot.reference)
    over = known and programming(slot.image or b"", slot.reference or b"").how == "over"
    return (Caution.AGED_CELLS if over else Caution.UV, Caution.STATIC)
