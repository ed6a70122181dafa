"""What is worth doing next, over all stages: most expected bits per minute and risk first."""

from loyal_trace.core.assess.capacitors import judged_capacitors
from loyal_trace.core.assess.chips import judged_chip, odds_of_chip
from loyal_trace.core.assess.moment import Moment, once, tables_of
from loyal_trace.core.assess.next_puzzles import SHARED
from loyal_trace.core.assess.next_thing import (
    PER_PIN_MINUTES,
    READ_MINUTES,
    SWAP_MINUTES,
    NextThing,
    is_rom,
    risk_of,
    was_swapped,
)
from loyal_trace.core.assess.parts import spare_for
from loyal_trace.core.assess.rails import judged_rails
from loyal_trace.core.assess.roms import judged_slots, line_of_several
from loyal_trace.core.assess.suspects import SHOWN_FROM, Suspect, suspects_of
from loyal_trace.core.diagnosis.evidence import (
    EvidenceTable,
    expected_gain_bits,
)
from loyal_trace.core.power.guard import decided_to_go_on
from loyal_trace.core.roms.across import READ_GOOD
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.core.vocabulary.verdicts import OutputWord

# A reading taken three times alike is not taken again; how often the same comes out, faulty and healthy.
_ENOUGH, _MOST_AGAIN, _AGAIN = 3, 6, (0.97, 0.2)


@once
def _candidates(moment: Moment) -> tuple[NextThing, ...]:
    """Everything worth thinking of, best value first."""
    table = tables_of(moment).evidence
    found = [t for s in suspects_of(moment) if s.probability >= SHOWN_FROM for t in _things_for(moment, s, table)]
    found += _open_rails(moment, table)
    for source in SHARED:
        found += source(moment)
    return tuple(sorted(found, key=lambda t: (-t.value, t.place, t.text)))


@once
def boards_without_power(moment: Moment) -> frozenset[str]:
    """The boards on which a reading with the power off is missing or bad, and nobody decided to go on."""
    decisions = moment.snapshot.paper.decisions
    reports = judged_rails(moment).items()
    return frozenset(b for b, report in reports if not report.may_power(decided_to_go_on(decisions, b)))


@once
def next_things(moment: Moment, count: int = 3, stages: tuple[Stage, ...] = ()) -> tuple[NextThing, ...]:
    """The things worth doing next: most expected bits per minute and risk.

    At most one for each part and two for each stage, so that a row of like measurements does not hide everything else.
    With `stages`, only things to do at these stages, without that limit.
    """
    chosen: list[NextThing] = []
    unpowered = () if stages else boards_without_power(moment)
    for thing in _candidates(moment):
        # At Probe the person has decided to put power on; elsewhere the power-off readings are advised first.
        needs_power = thing.stage in (Stage.PROBE, Stage.VERIFY)
        if (stages and thing.stage not in stages) or (needs_power and thing.place.board in unpowered):
            continue
        free = stages or sum(c.stage == thing.stage for c in chosen) < 2
        if thing.place not in {c.place for c in chosen} and free and thing.bits > 0.005:
            chosen.append(thing)
        if len(chosen) == count:
            break
    return tuple(chosen)


def _things_for(moment: Moment, suspect: Suspect, table: EvidenceTable) -> list[NextThing]:
    part = moment.part(suspect.place)
    things = []
    if is_rom(moment, suspect.place):
        things += _rom_things(moment, suspect, table)
    if part.is_chip:
        things += _chip_things(moment, suspect, table)
    if part.kind == "capacitor" and judged_capacitors(moment)[suspect.place].verdict == "not measured":
        bits = _gain(suspect, table, "capacitor-bad")
        things.append(
            NextThing(
                Stage.PLAN, suspect.place, say("measure {refdes}: capacitance and ESR", refdes=part.refdes), 1.5, bits
            )
        )
    return things


def _gain(suspect: Suspect, table: EvidenceTable, kind: str) -> float:
    weight = table.weight(kind)
    return expected_gain_bits(suspect.probability, weight.bad, weight.good)


def _rom_things(moment: Moment, suspect: Suspect, table: EvidenceTable) -> list[NextThing]:
    slot = judged_slots(moment)[suspect.place]
    part = moment.part(suspect.place)
    if slot.verdict is None:
        text = say("read {refdes} out of circuit", refdes=part.refdes)
        minutes = READ_MINUTES[part.socketed]
        return [
            NextThing(
                Stage.ROMS, suspect.place, text, minutes, _gain(suspect, table, "rom-wrong"), risk_of(part.socketed)
            )
        ]
    if suspect.place in moment.snapshot.seen.findings:
        return []
    if slot.verdict.good:
        text = say(
            "{refdes} reads right but fails in circuit: inspect its pins and socket, then press and wobble it",
            refdes=part.refdes,
        )
        return [NextThing(Stage.INSPECT, suspect.place, text, 2.0, _gain(suspect, table, "finding-bad"))]
    shared = line_of_several(moment, suspect.place)
    if shared is not None:  # one good chip answers for all of them
        if shared.shown_by[0] != part.refdes:
            return []
        return [NextThing(Stage.ROMS, suspect.place, READ_GOOD, 2.0, _gain(suspect, table, "rom-line-of-several"))]
    text = slot.verdict.next.removesuffix(".")
    return [NextThing(Stage.INSPECT, suspect.place, text, 2.0, _gain(suspect, table, "finding-bad"))]


def _chip_things(moment: Moment, suspect: Suspect, table: EvidenceTable) -> list[NextThing]:
    part, verdict = moment.part(suspect.place), judged_chip(moment, suspect.place)
    things = []
    if verdict is not None and not is_rom(moment, suspect.place):
        open_pins = [o.pin for o in verdict.outputs if o.verdict == OutputWord.NOT_PROBED]
        all_pins = sum(1 for p in verdict.chip.pins if p.role not in ("unused", "ground"))
        # Inputs decide what an output can be, so they count as work to be done too.
        left = max(all_pins - verdict.probed, len(open_pins))
        if open_pins:
            text = say(
                "probe {refdes}: {pins}, {outputs} not judged",
                refdes=part.refdes,
                pins=count_of(left, "pin"),
                outputs=count_of(len(open_pins), "output"),
            )
            # Of a memory, only a line that stays at a level among moving ones tells anything.
            kind = "output-impossible" if verdict.chip.memory is None else "steady-bit"
            bits = _gain(suspect, table, kind)
            things.append(NextThing(Stage.PROBE, suspect.place, text, max(0.5, left * PER_PIN_MINUTES), bits))
        again = odds_of_chip(moment, suspect.place).read_again
        repeats = moment.snapshot.readings.repeats.get(suspect.place, {})
        often = min((repeats.get(pin, 1) for pin in again), default=_ENOUGH)
        if verdict.impossible and often < _ENOUGH:
            pins = joined(", ", (str(pin) for pin in again[:_MOST_AGAIN]))
            text = say(
                "read {refdes} again at pins {pins}: a misreading would explain it", refdes=part.refdes, pins=pins
            )
            bits = expected_gain_bits(suspect.probability, *_AGAIN)
            things.append(NextThing(Stage.PROBE, suspect.place, text, 0.3 + len(again) * PER_PIN_MINUTES, bits))
        for output in verdict.impossible[:1]:
            things += _line_to_ground(moment, suspect, output.pin, table)
    # An exchange costs a part and an hour when it was needless; a ROM's twin is its reader, not a spare.
    if suspect.probability > 0.3 and not is_rom(moment, suspect.place) and not was_swapped(moment, suspect.place):
        spare = spare_for(moment, part.number)
        if spare:
            weight = table.weight("swap-cured")
            bits = expected_gain_bits(suspect.probability, weight.bad, weight.good)
            text = say(
                "exchange {refdes} with the {spare_number} from {place}",
                refdes=part.refdes,
                spare_number=spare.number,
                place=spare.place or say("the drawer"),
            )
            things.append(
                NextThing(Stage.REPAIR, suspect.place, text, SWAP_MINUTES[part.socketed], bits, risk_of(part.socketed))
            )
    return things


def _line_to_ground(moment: Moment, suspect: Suspect, pin: int, table: EvidenceTable) -> list[NextThing]:
    """Resistance of an impossible output to ground, power off: a shorted line speaks for a neighbour."""
    board_id, refdes = suspect.place
    place = f"{refdes}.{pin}"
    if moment.snapshot.latest(board_id, place, "resistance"):
        return []
    weight = table.weight("line-shorted-owner")
    bits = expected_gain_bits(suspect.probability, weight.bad, weight.good)
    return [NextThing(Stage.RAILS, suspect.place, say("measure {place} to ground, power off", place=place), 0.5, bits)]


def _open_rails(moment: Moment, table: EvidenceTable) -> list[NextThing]:
    weight = table.weight("rail-bad")
    things = []
    for board_id, report in judged_rails(moment).items():
        powered = report.may_power(decided_to_go_on(moment.snapshot.paper.decisions, board_id))
        for point in report.points:
            if point.reading is None and point.point.part and (powered or not point.point.powered):
                # Nothing is known of an unmeasured rail: about one in twelve was bad on the boards that the weights
                # come from.
                bits = expected_gain_bits(0.08, weight.bad, weight.good)
                off = "" if point.point.powered else say(", power off")
                text = say(
                    "measure {quantity} at {point}{off}",
                    quantity=term(point.point.quantity),
                    point=point.point.point,
                    off=off,
                )
                things.append(NextThing(Stage.RAILS, PartRef(board_id, point.point.part), text, 1.0, bits))
    return things
