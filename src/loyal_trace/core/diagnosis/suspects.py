"""Suspects: belief in each part being bad, with every line for and against, and the next things worth doing.

Belief is a posterior by log-odds: the prior's log-odds plus the log likelihood ratio of each line of evidence. Parts
are taken one by one, because on boards of this age several faults at once are normal. docs/method.md has the details.
"""

from dataclasses import dataclass

from loyal_trace.core.boards.model import in_order
from loyal_trace.core.case import Case
from loyal_trace.core.diagnosis.evidence import (
    Evidence,
    EvidenceTable,
    Priors,
    expected_gain_bits,
    logit,
    sigmoid,
)
from loyal_trace.core.diagnosis.gather import gather
from loyal_trace.core.logbook.state import Place
from loyal_trace.core.units import count_of

SHOWN_FROM = 0.02
_PER_PIN_MINUTES = 0.12
_READ_MINUTES = {True: 2.0, False: 18.0}
_SWAP_MINUTES = {True: 3.0, False: 22.0}
_SOLDER_RISK = 1.6


@dataclass(frozen=True)
class Suspect:
    """A part under suspicion: prior and posterior probability of being bad, and the evidence."""

    place: Place
    what: str
    prior: float
    belief: float
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

    stage: int
    place: Place
    text: str
    minutes: float
    bits: float
    risk: float = 1.0

    @property
    def value(self) -> float:
        """Bits per minute, divided by the risk taken."""
        return self.bits / (self.minutes * self.risk)


def rank_suspects(case: Case, table: EvidenceTable, priors: Priors) -> tuple[Suspect, ...]:
    """Every part with any evidence, most suspect first. Priors are passed in and shown with each suspect."""
    suspects = []
    for place, lines in gather(case, table).items():
        part = case.part(place)
        prior = priors.of(part, case.boards[place[0]])
        belief = sigmoid(logit(prior) + sum(line.weight for line in lines))
        suspects.append(Suspect(place, part.role or part.number, prior, belief, tuple(lines)))
    return tuple(sorted(suspects, key=lambda s: (-s.belief, s.place)))


def next_things(
    case: Case,
    suspects: tuple[Suspect, ...],
    table: EvidenceTable,
    count: int = 3,
    stages: tuple[int, ...] = (),
) -> tuple[NextThing, ...]:
    """The things worth doing next: most expected bits per minute and risk.

    At most one for each part and two for each stage, so that a row of like measurements does not hide everything else.
    With `stages`, only things to do at these stages, without that limit.
    """
    candidates = [thing for s in suspects if s.belief >= SHOWN_FROM for thing in _things_for(case, s, table)]
    candidates += _open_rails(case, table)
    chosen: list[NextThing] = []
    for thing in sorted(candidates, key=lambda t: (-t.value, t.place, t.text)):
        same_stage = sum(c.stage == thing.stage for c in chosen)
        if stages and thing.stage not in stages:
            continue
        free = stages or same_stage < 2
        if thing.place not in {c.place for c in chosen} and free and thing.bits > 0.005:
            chosen.append(thing)
        if len(chosen) == count:
            break
    return tuple(chosen)


def _things_for(case: Case, suspect: Suspect, table: EvidenceTable) -> list[NextThing]:
    part = case.part(suspect.place)
    things = []
    if any(slot.refdes == part.refdes for slot in case.boards[suspect.place[0]].rom_slots):
        things += _rom_things(case, suspect, table)
    if part.is_chip:
        things += _chip_things(case, suspect, table)
    if part.kind == "capacitor" and case.capacitors()[suspect.place].verdict == "not measured":
        bits = _gain(suspect, table, "capacitor-bad")
        things.append(NextThing(6, suspect.place, f"measure {part.refdes}: capacitance and ESR", 1.5, bits))
    return things


def _gain(suspect: Suspect, table: EvidenceTable, kind: str) -> float:
    weight = table.weight(kind)
    return expected_gain_bits(suspect.belief, weight.bad, weight.good)


def _rom_things(case: Case, suspect: Suspect, table: EvidenceTable) -> list[NextThing]:
    slot = case.roms()[suspect.place]
    part = case.part(suspect.place)
    if slot.verdict is None:
        text = f"read {part.refdes} out of circuit"
        minutes = _READ_MINUTES[part.socketed]
        return [NextThing(3, suspect.place, text, minutes, _gain(suspect, table, "rom-wrong"), _risk(part.socketed))]
    if suspect.place in case.state.findings:
        return []
    if slot.verdict.good:
        text = f"{part.refdes} reads right but fails in circuit: look at its legs and socket, press and wobble it"
        return [NextThing(1, suspect.place, text, 2.0, _gain(suspect, table, "finding-bad"))]
    return [NextThing(1, suspect.place, slot.verdict.next, 2.0, _gain(suspect, table, "finding-bad"))]


def _risk(socketed: bool) -> float:
    return 1.0 if socketed else _SOLDER_RISK


def _chip_things(case: Case, suspect: Suspect, table: EvidenceTable) -> list[NextThing]:
    part, verdict = case.part(suspect.place), case.chip(suspect.place)
    things = []
    if verdict is not None and verdict.chip.memory is None:
        open_pins = [o.pin for o in verdict.outputs if o.verdict == "not probed"]
        all_pins = sum(1 for p in verdict.chip.pins if p.role not in ("unused", "ground"))
        left = max(all_pins - verdict.probed, len(open_pins))
        if open_pins:
            text = f"probe {part.refdes}: {count_of(left, 'pin')}, {count_of(len(open_pins), 'output')} unjudged"
            bits = _gain(suspect, table, "output-impossible")
            things.append(NextThing(4, suspect.place, text, max(0.5, left * _PER_PIN_MINUTES), bits))
        for output in verdict.impossible[:1]:
            things += _line_to_ground(case, suspect, output.pin, table)
    is_rom = any(slot.refdes == part.refdes for slot in case.boards[suspect.place[0]].rom_slots)
    if suspect.belief > 0.3 and not is_rom and not any((s.board, s.place) == suspect.place for s in case.state.swaps):
        spare = next((i for i in case.drawer if i.number == part.number and case.in_stock(i)), None)
        if spare:
            weight = table.weight("swap-cured")
            bits = expected_gain_bits(suspect.belief, weight.bad, weight.good)
            text = f"exchange {part.refdes} with the {spare.number} from {spare.place or 'the drawer'}"
            things.append(NextThing(7, suspect.place, text, _SWAP_MINUTES[part.socketed], bits, _risk(part.socketed)))
    return things


def _line_to_ground(case: Case, suspect: Suspect, pin: int, table: EvidenceTable) -> list[NextThing]:
    """Resistance of an impossible output to ground, power off: a shorted line speaks for a neighbour."""
    board_id, refdes = suspect.place
    place = f"{refdes}.{pin}"
    if case.state.latest(board_id, place, "resistance"):
        return []
    weight = table.weight("line-shorted-owner")
    bits = expected_gain_bits(suspect.belief, weight.bad, weight.good)
    return [NextThing(2, suspect.place, f"measure {place} to ground, power off", 0.5, bits)]


def _open_rails(case: Case, table: EvidenceTable) -> list[NextThing]:
    weight = table.weight("rail-bad")
    things = []
    for board_id, report in case.rails().items():
        for point in report.points:
            if point.reading is None and point.point.part:
                bits = expected_gain_bits(0.08, weight.bad, weight.good)
                text = f"measure {point.point.quantity} at {point.point.point}"
                things.append(NextThing(2, (board_id, point.point.part), text, 1.0, bits))
    return things


def cleared(suspects: tuple[Suspect, ...]) -> list[str]:
    """Parts whose evidence speaks for them so far."""
    return in_order(s.place[1] for s in suspects if s.belief < s.prior)
