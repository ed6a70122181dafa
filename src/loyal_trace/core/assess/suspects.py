"""Suspects: belief in each part being bad, with every line for and against, and the next things worth doing.

Belief is a posterior by log-odds: the prior's log-odds plus the log likelihood ratio of each line of evidence. Parts
are taken one by one, because on boards of this age several faults at once are normal. docs/method.md has the details.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from loyal_trace.core.assess.alike import common_causes
from loyal_trace.core.assess.bits import bit_verdicts, members
from loyal_trace.core.assess.chips import judged_chip
from loyal_trace.core.assess.gather import SHORTED_BELOW, gather, path_odds_of
from loyal_trace.core.assess.moment import Moment, once, tables_of
from loyal_trace.core.assess.parts import in_stock, judged_capacitors, stock
from loyal_trace.core.assess.paths import paths_of, states_now, tried_since_change, without_path
from loyal_trace.core.assess.rails import judged_rails
from loyal_trace.core.assess.roms import judged_slots
from loyal_trace.core.assess.swaps import solved_swaps
from loyal_trace.core.assess.trials import parts_tried
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.diagnosis.evidence import (
    Evidence,
    EvidenceTable,
    entropy_bits,
    expected_gain_bits,
    logit,
    sigmoid,
)
from loyal_trace.core.diagnosis.paths import PathOdds
from loyal_trace.core.diagnosis.swaps import Exchange
from loyal_trace.core.power.guard import decided_to_go_on
from loyal_trace.core.vocabulary.identity import PartRef, in_order
from loyal_trace.core.vocabulary.phrases import say, term
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.core.vocabulary.verdicts import OutputWord

# Below two in a hundred nothing is worth a minute of measuring.
SHOWN_FROM = 0.02
# Minutes as one hand works: seven seconds a pin, two to read a socketed ROM, soldered ones need the iron first.
_PER_PIN_MINUTES = 0.12
_READ_MINUTES = {True: 2.0, False: 18.0}
_SWAP_MINUTES = {True: 3.0, False: 22.0}
# Soldering can lift pads: the same bits must be worth that much more before it is advised.
_SOLDER_RISK = 1.6
# Between these an exchange can still settle something; how much one supply reading tells of eight chips at once.
_UNSETTLED = (0.1, 0.95)
_COMMON_BITS = 0.5
_TO_GROUND = (Quantity.RESISTANCE, Quantity.TO_GROUND)
_LIFT_MINUTES = 5.0
# A failing function whose path nobody told leaves about one bit open, as long as no part is clear.
_UNTOLD_BITS, _CLEAR = 1.0, 0.9
# Trying a function; below one in seven an exchange costs more than it tells; above one in four a gap is asked for.
_SIGNAL_MINUTES = 3.0
_TRY_MINUTES = 2.0
_EXCHANGE_FROM = 0.15
_GAP_FROM = 0.25


@dataclass(frozen=True)
class Suspect:
    """A part under suspicion: prior and posterior probability of being bad, and the evidence."""

    place: PartRef
    what: str
    prior: float
    probability: float
    evidence: tuple[Evidence, ...]

    @property
    def against(self) -> tuple[Evidence, ...]:
        """Lines that speak against the part, strongest first."""
        return tuple(sorted((e for e in self.evidence if e.weight > 0), key=lambda e: -e.weight))

    @property
    def in_favour(self) -> tuple[Evidence, ...]:
        """Lines that speak for the part being good, strongest first."""
        return tuple(sorted((e for e in self.evidence if e.weight < 0), key=lambda e: e.weight))


@dataclass(frozen=True)
class NextThing:
    """Something worth doing: where, at which stage, minutes, and the bits it is expected to tell."""

    stage: Stage
    place: PartRef
    text: str
    minutes: float
    bits: float
    risk: float = 1.0

    @property
    def value(self) -> float:
        """Bits per minute, divided by the risk taken."""
        return self.bits / (self.minutes * self.risk)


@once
def suspects_of(moment: Moment) -> tuple[Suspect, ...]:
    """Every part with any evidence, most suspect first. Priors are passed in and shown with each suspect."""
    tables = tables_of(moment)
    suspects = []
    for place, lines in gather(moment).items():
        part = moment.part(place)
        prior = tables.priors.of(part, moment.boards[place.board])
        probability = sigmoid(logit(prior) + sum(line.weight for line in lines))
        suspects.append(Suspect(place, part.role or part.number, prior, probability, tuple(lines)))
    return tuple(sorted(suspects, key=lambda s: (-s.probability, s.place)))


def suspect_at(moment: Moment, place: PartRef) -> Suspect | None:
    """The suspect in a place, if there is any evidence about it."""
    return next((s for s in suspects_of(moment) if s.place == place), None)


@once
def _candidates(moment: Moment) -> tuple[NextThing, ...]:
    """Everything worth thinking of, best value first."""
    table = tables_of(moment).evidence
    found = [t for s in suspects_of(moment) if s.probability >= SHOWN_FROM for t in _things_for(moment, s, table)]
    found += _open_rails(moment, table)
    for source in (_path_things, _untold_things, _short_things, _puzzle_things, _code_things, _common_things):
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
    if _is_rom(moment, suspect.place):
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
        minutes = _READ_MINUTES[part.socketed]
        return [
            NextThing(
                Stage.ROMS, suspect.place, text, minutes, _gain(suspect, table, "rom-wrong"), _risk(part.socketed)
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
    return [NextThing(Stage.INSPECT, suspect.place, slot.verdict.next, 2.0, _gain(suspect, table, "finding-bad"))]


def _risk(socketed: bool) -> float:
    return 1.0 if socketed else _SOLDER_RISK


def _chip_things(moment: Moment, suspect: Suspect, table: EvidenceTable) -> list[NextThing]:
    part, verdict = moment.part(suspect.place), judged_chip(moment, suspect.place)
    things = []
    if verdict is not None and verdict.chip.memory is None:
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
            bits = _gain(suspect, table, "output-impossible")
            things.append(NextThing(Stage.PROBE, suspect.place, text, max(0.5, left * _PER_PIN_MINUTES), bits))
        for output in verdict.impossible[:1]:
            things += _line_to_ground(moment, suspect, output.pin, table)
    # An exchange costs a part and an hour when it was needless; a ROM's twin is its reader, not a spare.
    if suspect.probability > 0.3 and not _is_rom(moment, suspect.place) and not _was_swapped(moment, suspect.place):
        spare = next((i for i in stock(moment) if i.number == part.number and in_stock(moment, i)), None)
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
                NextThing(Stage.REPAIR, suspect.place, text, _SWAP_MINUTES[part.socketed], bits, _risk(part.socketed))
            )
    return things


def _is_rom(moment: Moment, place: PartRef) -> bool:
    return any(slot.refdes == place.refdes for slot in moment.boards[place.board].rom_slots)


def _was_swapped(moment: Moment, place: PartRef) -> bool:
    return any(swap.part == place for swap in moment.snapshot.parts.swaps)


def _line_to_ground(moment: Moment, suspect: Suspect, pin: int, table: EvidenceTable) -> list[NextThing]:
    """Resistance of an impossible output to ground, power off: a shorted line speaks for a neighbour."""
    board_id, refdes = suspect.place
    place = f"{refdes}.{pin}"
    if moment.snapshot.latest(board_id, place, "resistance"):
        return []
    weight = table.weight("line-shorted-owner")
    bits = expected_gain_bits(suspect.probability, weight.bad, weight.good)
    return [NextThing(Stage.RAILS, suspect.place, say("measure {place} to ground, power off", place=place), 0.5, bits)]


def _path_things(moment: Moment) -> Iterator[NextThing]:
    """Functions to try, bodies to exchange, stages that may not have been told."""
    for board, odds in path_odds_of(moment).items():
        for name, path in paths_of(moment, board).items():
            if not tried_since_change(moment, board, name, path):
                text = say("try {function}, then type works: {function}, or fails: {function}", function=name)
                bits = odds.worlds.bits_of_function(name)
                yield NextThing(Stage.VERIFY, path[-1], text, _TRY_MINUTES, bits)
        for place, probability in odds.probability.items():
            if probability > _EXCHANGE_FROM and not _was_swapped(moment, place) and _exchangeable(moment, place):
                minutes, risk = _SWAP_MINUTES[moment.part(place).socketed], _risk(moment.part(place).socketed)
                bits = odds.worlds.bits_of_exchange(place)
                yield NextThing(Stage.REPAIR, place, _exchange_words(moment, place), minutes, bits, risk)
        yield from _signal_things(moment, board, odds)
        gap = odds.gap
        if gap is not None and gap.probability > _GAP_FROM:
            text = say(
                "look what lies between {first} and {second}, and type the path of {function} again with it",
                first=gap.first.refdes,
                second=gap.second.refdes,
                function=gap.function,
            )
            yield NextThing(Stage.SUSPECTS, gap.first, text, _TRY_MINUTES, entropy_bits(gap.probability))


def _short_things(moment: Moment) -> Iterator[NextThing]:
    """A line that measures as a short to ground: which of its pins to lift next, sockets before solder."""
    lifted = parts_tried(moment)
    for board, point, chips in _shorted_lines(moment):
        for refdes in chips:
            place, part = PartRef(board.id, refdes), board.part(refdes)
            if place in lifted:
                continue
            out = say("take {refdes} out", refdes=refdes)
            how = out if part.socketed else say("lift the pin of {refdes}", refdes=refdes)
            text = say("{how} on the line of {point}, and measure it to ground again", how=how, point=point)
            minutes = _SWAP_MINUTES[True] if part.socketed else _LIFT_MINUTES
            yield NextThing(Stage.RAILS, place, text, minutes, entropy_bits(1 / len(chips)), _risk(part.socketed))


def _shorted_lines(moment: Moment) -> Iterator[tuple[BoardDefinition, str, list[str]]]:
    """(board, point, chips on its line) of each line beside the rails that measures near nothing to ground."""
    for key, taken in moment.snapshot.readings.measured.items():
        refdes, _, pin = key.point.partition(".")
        board, value = moment.boards.get(key.board), taken[-1].value
        if board is None or not pin.isdecimal() or key.quantity not in _TO_GROUND or value is None:
            continue
        net = board.net_of(refdes, int(pin))
        if value >= SHORTED_BELOW or net is None or any(rail.net == net for rail in board.rails):
            continue
        on_line = {other for other, _ in board.others_on_net(refdes, int(pin))} | {refdes}
        chips = [r for r in in_order(on_line) if board.has(r) and board.part(r).is_chip]
        if len(chips) > 1:
            yield board, key.point, sorted(chips, key=lambda r: not board.part(r).socketed)


def _untold_things(moment: Moment) -> Iterator[NextThing]:
    """Functions that fail and have no path: while nothing is clear, the path is worth more than any measurement."""
    clear = any(suspect.probability >= _CLEAR for suspect in suspects_of(moment))
    for board_id, board in moment.boards.items():
        states = states_now(moment, board_id)
        untold = [name for name in without_path(moment, board_id) if states[name] != "works"]
        if untold and board.parts and not clear:
            text = say(
                "enter the parts that {function} needs, in the order of the signal: {example}",
                function=untold[0],
                example=f"path {untold[0]}: …",
            )
            yield NextThing(Stage.SUSPECTS, PartRef(board_id, board.parts[0].refdes), text, _TRY_MINUTES, _UNTOLD_BITS)


def _signal_things(moment: Moment, board: str, odds: PathOdds) -> Iterator[NextThing]:
    """The place on each failing path where looking at the signal halves what is still possible."""
    best: dict[str, tuple[float, PartRef]] = {}
    for name, part in odds.worlds.stages:
        bits = odds.worlds.bits_of_signal(name, part)
        if bits > best.get(name, (0.0, part))[0]:
            best[name] = (bits, part)
    for name, (bits, part) in best.items():
        text = say(
            "look at the signal of {function} after {refdes}, then type works: {function} at {refdes}, or fails: …",
            function=name,
            refdes=part.refdes,
        )
        yield NextThing(Stage.PROBE, part, text, _SIGNAL_MINUTES, bits)


def _exchange_words(moment: Moment, place: PartRef) -> str:
    """An exchange with a part of the same type on the board, which tells the part from its place; else with a spare."""
    part, board = moment.part(place), moment.boards[place.board]
    twin = next((p.refdes for p in board.parts if p.number == part.number and p.refdes != part.refdes), "")
    if twin and part.socketed:
        return say("exchange {refdes} and {twin}, then type swap {refdes} and {twin}: …", refdes=part.refdes, twin=twin)
    return say(
        "exchange {refdes} with a {number} that is known to be good, then type swap {refdes} with {spare}: …",
        refdes=part.refdes,
        number=part.number,
        spare=unused_spare(moment),
    )


def unused_spare(moment: Moment) -> str:
    """A name for a spare that was not tried yet: one that changed nothing may be bad."""
    used = {" ".join(swap.spare.lower().split()) for swap in moment.snapshot.parts.swaps}
    return next(f"spare {number}" for number in range(1, len(used) + 2) if f"spare {number}" not in used)


def _puzzle_things(moment: Moment) -> Iterator[NextThing]:
    """After an exchange: the next one that settles most, with another spare or with a twin."""
    for board_id, solved in solved_swaps(moment).items():
        board, spare = moment.boards[board_id], unused_spare(moment)
        for name in solved.places:
            if not board.has(name) or not _UNSETTLED[0] < solved.of_part(name) < _UNSETTLED[1]:
                continue
            part, place = board.part(name), PartRef(board_id, name)
            minutes, risk = _SWAP_MINUTES[part.socketed], _risk(part.socketed)
            words = say("exchange {refdes} with {spare}", refdes=name, spare=spare)
            bits = solved.bits_of(Exchange(name, spare, "", "stays", name))
            yield NextThing(Stage.REPAIR, place, words, minutes, bits, risk)
            for twin in [p.refdes for p in board.parts if p.number and p.number == part.number and p.refdes != name][
                :2
            ]:
                words = say("exchange {refdes} and {twin}", refdes=name, twin=twin)
                bits = solved.bits_of(Exchange(name, twin, twin, "stays", name))
                yield NextThing(Stage.REPAIR, place, words, minutes, bits, risk)


def _code_things(moment: Moment) -> Iterator[NextThing]:
    """The code to send next, where those sent so far do not settle the line."""
    for board_id, verdict in bit_verdicts(moment).items():
        worst = max(range(verdict.width), key=lambda line: verdict.lines[line])
        on_line = members(moment, moment.boards.get(board_id), worst)
        if verdict.settled or verdict.likeliest.kind == "right" or not on_line:
            continue
        text = say("send the code {code} and type sent {code} shown …", code=f"{verdict.send:0{verdict.width // 4}X}")
        yield NextThing(Stage.SUSPECTS, PartRef(board_id, on_line[0]), text, _TRY_MINUTES, verdict.bits)


def _common_things(moment: Moment) -> Iterator[NextThing]:
    """Several alike parts accused at once: their supply is measured before any of them is replaced."""
    accused = {s.place: s for s in suspects_of(moment) if any(line.kind == "common-cause" for line in s.evidence)}
    for board_id, board in moment.boards.items():
        here = {place.refdes: suspect for place, suspect in accused.items() if place.board == board_id}
        for hit in common_causes(board, here):
            chip = moment.chip_type(PartRef(board_id, hit[0]))
            pin = next((pin.number for pin in chip.pins if pin.role == "power"), 0) if chip is not None else 0
            text = say(
                "measure the supply at {where}: {count} alike parts seem faulty at once",
                where=f"{hit[0]}.{pin}" if pin else hit[0],
                count=len(hit),
            )
            yield NextThing(Stage.RAILS, PartRef(board_id, hit[0]), text, 1.0, _COMMON_BITS)


def _exchangeable(moment: Moment, place: PartRef) -> bool:
    """Worth an exchange in one piece: a chip that is no ROM, an amplifier, a part of unknown kind."""
    part = moment.part(place)
    return (
        bool(part.number)
        and not _is_rom(moment, place)
        and part.kind in ("chip", "amplifier", "transistor", "unknown", "other")
    )


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


def cleared(suspects: tuple[Suspect, ...]) -> list[str]:
    """Parts whose evidence speaks for them so far."""
    return in_order(s.place[1] for s in suspects if s.probability < s.prior)
