"""The plan: what to renew, with which part, in which order, how long it takes and what can hurt.

Steps come from the verdicts (bad capacitors, suspects beyond doubt, ROMs to mend) and from the board's usual service
list; each names its reason. Order is a named school and can be chosen.
"""

import re
from collections.abc import Mapping
from dataclasses import replace

from loyal_trace.core.assess.assumptions import not_holding
from loyal_trace.core.assess.at_iron import methods_for
from loyal_trace.core.assess.away import away, rare_in_place
from loyal_trace.core.assess.damage import damage_steps
from loyal_trace.core.assess.extra_steps import further_steps, reflow_step, sockets_choice
from loyal_trace.core.assess.first_power import repair_order
from loyal_trace.core.assess.kit import candidates_for, kit_of, wanted_capacitors
from loyal_trace.core.assess.looking import photographed
from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.assess.orders import STEP_ORDER_DECISION, own_moves, tasks_for
from loyal_trace.core.assess.parts import in_stock, spare_for, stock
from loyal_trace.core.assess.plan_roms import rom_steps
from loyal_trace.core.assess.step_cautions import cautions_at
from loyal_trace.core.assess.suspects import Suspect, suspects_of
from loyal_trace.core.boards.model import Part
from loyal_trace.core.parts.fitting import SubstituteCheck
from loyal_trace.core.parts.marking import order_marking
from loyal_trace.core.parts.stock import StockItem
from loyal_trace.core.planning.choices import NEVER
from loyal_trace.core.planning.methods import method_words
from loyal_trace.core.planning.orders import repair_order as best_order
from loyal_trace.core.planning.orders import replanned
from loyal_trace.core.planning.sequencing import Grouping
from loyal_trace.core.planning.steps import (
    DECIDE_FROM,
    MINUTES,
    PROVE_FROM,
    REPAIR_ORDERS,
    REPLACE_FROM,
    SOONEST,
    TALL,
    TOOLS,
    PartNeed,
    Plan,
    Step,
    order_key,
)
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.findings import OF_SOCKETS, Finding
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.units import format_percent

REPLACE_FROM_DECISION = "replace from"
_JOINT = 0.4


@once
def plan_of(moment: Moment) -> Plan:
    """The whole plan from the verdicts; an unknown repair order falls back on least invasive first.

    What was done or skipped stays as it was recorded; what the evidence asks for now is open. A place against which
    there is evidence again after its step gets a further one.
    """
    needed: dict[str, Step] = {}
    suspects = suspects_of(moment)
    found = _capacitor_steps(moment) + rom_steps(moment) + _suspect_steps(moment, suspects)
    found += _socket_steps(moment) + _reflow_steps(moment) + damage_steps(moment)
    found += _away_steps(moment, {step.place for step in found})
    found += further_steps(moment, {step.place for step in found})
    doubts = not_holding(moment.snapshot)
    for step in found:
        if step.place in doubts:
            step = replace(step, before=(say("{doubts}.", doubts=doubts[step.place]), *step.before))
        open_id = _open_id(moment, step)
        if open_id:
            needed.setdefault(open_id, _as_learnt(moment, replace(step, id=open_id)))
    wanted = repair_order(moment)
    order = wanted if wanted in REPAIR_ORDERS else say("least invasive")
    ordered = _recorded(moment) + _promised_once(moment, _in_order(moment, list(needed.values()), order))
    left = sum(s.minutes for s in ordered if not s.done)
    return Plan(tuple(ordered), _parts(moment, ordered), order, left)


def _promised_once(moment: Moment, steps: list[Step]) -> list[Step]:
    """Each item of the drawer goes to one step, in their order; a step that comes too late has its part ordered.

    The kit has shared out the capacitors already.
    """
    left = {(item.number, item.place): in_stock(moment, item) for item in stock(moment)}
    found = []
    for step in steps:
        if step.kind == "capacitor" or not step.from_drawer:
            found.append(step)
            continue
        places = [place for (number, place), count in left.items() if number == step.part_number and count > 0]
        place = step.from_drawer if step.from_drawer in places else next(iter(places), "")
        if place:
            left[step.part_number, place] -= 1
        found.append(step if place == step.from_drawer else replace(step, from_drawer=place, checks=()))
    return found


def _in_order(moment: Moment, steps: list[Step], order: str) -> list[Step]:
    """The open steps by the repair order, then as somebody moved them."""
    ordered = sorted(steps, key=lambda s: order_key(s, order))
    if order == SOONEST:
        tasks, before = tasks_for(moment, ordered), moment.snapshot.decision(STEP_ORDER_DECISION).split()
        found = replanned(before, tasks) if before else best_order(tasks, Grouping.ONE).tasks
        place = {task.id: n for n, task in enumerate(found)}
        ordered = sorted(ordered, key=lambda s: -1 if s.kind == "diagnose" else place.get(s.id, len(place)))
    for first, second in own_moves(moment):
        here = [s for s in ordered if s.place == first]
        rest = [s for s in ordered if s.place != first]
        at = next((n for n, s in enumerate(rest) if s.place == second), len(rest) if second is None else None)
        if here and at is not None:
            ordered = [*rest[:at], *here, *rest[at:]]
    return ordered


def _as_learnt(moment: Moment, step: Step) -> Step:
    """A step with the minutes that its kind took on boards of this kind before."""
    board = moment.boards.get(step.place.board)
    learnt = next((m for m in board.minutes if m.step == step.kind), None) if board is not None else None
    return replace(step, minutes=learnt.minutes) if learnt is not None else step


def _open_id(moment: Moment, step: Step) -> str:
    """The id of a needed step: numbered on when the same was done before, empty when it was skipped."""
    records = [r for key, r in moment.snapshot.parts.steps.items() if key == step.id or key.startswith(step.id + "-")]
    if not records:
        return step.id
    # A skipped step stays skipped: the same evidence must not bring it back with every entry.
    return "" if records[-1].skipped else say("{id}-{count}", id=step.id, count=len(records) + 1)


def _recorded(moment: Moment) -> list[Step]:
    """The steps that were done or skipped, in the order it happened."""
    steps = []
    for key, record in moment.snapshot.parts.steps.items():
        board, _, rest = key.partition("/")
        refdes, _, kind = rest.partition("/")
        done = Step(
            key, re.split("[-/]", kind)[0], PartRef(board, refdes), record.what, record.note or "done", record.minutes
        )
        steps.append(replace(done, done=True, skipped=record.skipped))
    return steps


def _capacitor_steps(moment: Moment) -> list[Step]:
    return [_capacitor(moment, one.place, one.reason, one.probability) for one in wanted_capacitors(moment)]


def _capacitor(moment: Moment, place: PartRef, reason: str, probability: float) -> Step:
    part, board = moment.part(place), moment.boards[place.board]
    choice, checks, order = _choice(moment, place)
    unseen = part.polarised and not photographed(moment, place)
    photo = say(
        "No aligned photo shows {refdes}: photograph its polarity mark before it comes out.", refdes=part.refdes
    )
    limit = board.height_limit_at(part)
    return Step(
        f"{place.board}/{part.refdes}/capacitor",
        "capacitor",
        place,
        _named(say("Replace {refdes}", refdes=part.refdes), part),
        reason,
        MINUTES["capacitor"],
        choice.number if choice else order,
        choice.place if choice else "",
        checks,
        (photo,) if unseen else (),
        cautions_at(moment, place, "capacitor"),
        _removal(moment, place),
        say("measure the new part before you fit it, then the rail or signal of {refdes}", refdes=part.refdes),
        # Without a limit on the board, cans are about 1.6 times as tall as they are wide.
        height=limit[0] if limit else (part.diameter or 5) * 1.6,
        probability=probability,
    )


def _removal(moment: Moment, place: PartRef) -> str:
    """How the part comes off, whole while it is still evidence, with settings to begin with."""
    ways = methods_for(moment, place)
    if not ways:
        return say("Iron, fresh solder first.")
    return moment.remembered(("words of", ways[0]), lambda: joined(" ", method_words(ways[0])))


def _choice(moment: Moment, place: PartRef) -> tuple[StockItem | None, tuple[SubstituteCheck, ...], str]:
    """What the kit puts into a capacitor's place, with its checks; else the nearest miss, for its reasons.

    The last is what to order where the drawer has nothing.
    """
    group, choice = kit_of(moment).group_of(place), kit_of(moment).choice_at(place)
    part, library = moment.part(place), moment.library
    order = moment.memo.of(("order marking", part, library), lambda: order_marking(part, library))
    if group is not None and group.spec.value and not moment.part(place).value:
        order = group.order
    if choice is not None and choice.item is not None and choice.judged is not None:
        return choice.item, choice.judged.checks, order
    missed = candidates_for(moment, place)
    return None, missed[0].judged.checks if missed else (), order


def _suspect_steps(moment: Moment, suspects: tuple[Suspect, ...]) -> list[Step]:
    steps = []
    slots = {PartRef(b, s.refdes) for b, board in moment.boards.items() for s in board.rom_slots}
    for suspect in suspects:
        part = moment.part(suspect.place)
        # Capacitors have steps of their own, from measured values.
        if part.kind == "capacitor" or suspect.probability < PROVE_FROM:
            continue
        if suspect.place not in slots:
            steps += _chip_step(moment, suspect, part)
        elif suspect.probability >= DECIDE_FROM and any(line.kind == "fails-in-circuit" for line in suspect.evidence):
            steps.append(_socket_step(suspect.place, part, suspect.against[0].text))
    return steps


def _what(part: Part, proved: bool) -> str:
    return say("Replace {refdes}" if proved else "Exchange {refdes} to prove it", refdes=part.refdes)


def replace_from(moment: Moment) -> str:
    """The probability from which this job replaces a chip."""
    chosen = moment.snapshot.decision(REPLACE_FROM_DECISION, "50 %")
    return chosen if chosen in REPLACE_FROM else "50 %"


def _chip_step(moment: Moment, suspect: Suspect, part: Part) -> list[Step]:
    """Replace it, or exchange it to prove it where a spare is at hand; below that, measure on."""
    proved = suspect.probability >= float(replace_from(moment).removesuffix(" %")) / 100
    spare = spare_for(moment, part.number)
    reason = say(
        "probability {probability}: {text}",
        probability=format_percent(suspect.probability),
        text=suspect.against[0].text,
    )
    # Evidence after the replacement speaks against the new part or the line: twice the same chip is no plan.
    fitted = moment.snapshot.parts.fitted.get(suspect.place)
    if fitted:
        reason = say(
            "the part from {origin} shows the same fault, so that part is bad too, or the fault is on the "
            "line; {reason}",
            origin=term(fitted.origin),
            reason=reason,
        )
    loose = say("chip puller") if part.is_chip else say("by hand")
    iron = _removal(moment, suspect.place)
    iron += say(" Then a turned-pin socket goes in.") if part.is_chip and sockets_choice(moment) != NEVER else ""
    tool = TOOLS.get(part.kind, loose if part.socketed else iron)
    checks: tuple[SubstituteCheck, ...] = ()
    if spare:
        verdict = "good" if spare.state == "proven" else "doubtful"
        checks = (
            SubstituteCheck(
                "spare",
                verdict,
                say(
                    "{spare_number} from {place}: {state} until proven",
                    spare_number=spare.number,
                    place=spare.place,
                    state=term(spare.state),
                ),
            ),
        )
    if not proved and (spare is None or suspect.probability < PROVE_FROM):
        return []
    minutes = MINUTES["chip-socketed" if part.socketed else "chip-soldered"]
    # What still sits on a donor has to come off there first, as carefully.
    minutes += MINUTES["chip-soldered"] if spare is not None and spare.donor else 0.0
    step = Step(
        f"{suspect.place.board}/{part.refdes}/chip",
        "chip",
        suspect.place,
        _named(_what(part, proved), part),
        reason,
        minutes,
        order_marking(part, moment.library),
        spare.place if spare else "",
        checks,
        donor_words(spare),
        cautions_at(moment, suspect.place, "chip"),
        tool,
        say("probe {refdes} again", refdes=part.refdes),
        part.socketed,
        TALL.get(part.kind, 4.0),
        suspect.probability,
    )
    return [step]


def _socket_steps(moment: Moment) -> list[Step]:
    steps = []
    for place, findings in moment.snapshot.seen.findings.items():
        if place.board not in moment.boards or not moment.boards[place.board].has(place.refdes):
            continue
        worn = findings[-1].finding in OF_SOCKETS
        fitted = moment.snapshot.parts.fitted.get(place)
        if worn and not (fitted and fitted.time >= findings[-1].time):
            steps.append(
                _socket_step(place, moment.part(place), say("seen: {finding}", finding=term(findings[-1].finding)))
            )
    return steps


def _reflow_steps(moment: Moment) -> list[Step]:
    """Dull or cracked joints that were seen and not reflowed since: a repair with its own proof."""
    done = {
        named.part: entry.time
        for entry in moment.snapshot.parts.work
        if entry.action == "reflowed" and not entry.before
        for named in entry.parts
    }
    steps = []
    for place, findings in moment.snapshot.seen.findings.items():
        seen = findings[-1]
        if seen.finding is not Finding.JOINT or not moment.has(place):
            continue
        if max(done.get(place, seen.time), seen.time) > seen.time:
            continue
        steps.append(reflow_step(place, say("seen: {finding}", finding=term(seen.finding)), _JOINT))
    return steps


def _socket_step(place: PartRef, part: Part, reason: str) -> Step:
    return Step(
        f"{place.board}/{place.refdes}/socket",
        "socket",
        place,
        say("Replace the socket of {refdes}", refdes=place.refdes),
        say("{reason}; a worn contact is intermittent", reason=reason),
        MINUTES["socket"],
        say("turned-pin socket, {package}", package=part.package or "same size"),
        cautions=(Caution.SOLDERING, Caution.LEAD, Caution.STATIC),
        tool=say("take the chip out first; never solder a socket with the chip in it"),
        after=say("count clean starts again"),
        height=5.0,
        probability=0.8,
    )


def _away_steps(moment: Moment, taken: set[PartRef]) -> list[Step]:
    """Rare parts out first, missing ones fitted, and at the end everything back where it belongs."""
    steps = []
    for place in rare_in_place(moment):
        what = say("Take {refdes} out, store it safely and enter its shelf", refdes=place.refdes)
        steps.append(
            _moved(
                moment,
                place,
                "rescue",
                what,
                say("rare: stored before any risk is taken"),
                say("{refdes} shelf …", refdes=place.refdes),
            )
        )
    for item in away(moment):
        refdes = item.place.refdes
        if item.what == "missing":
            steps.append(_fit_missing(moment, item.place, say("it is missing")))
        elif item.what == "off":
            # Whoever replaces the part anyway puts one in.
            if item.place not in taken:
                steps.append(_fit_missing(moment, item.place, say("it was {how}", how=term(item.where))))
        elif item.what == "on the shelf":
            what = say("Refit {refdes} from {where}", refdes=refdes, where=item.where)
            steps.append(
                _moved(
                    moment,
                    item.place,
                    "put-back",
                    what,
                    say("it was stored safely"),
                    say("{refdes} put back", refdes=refdes),
                )
            )
        else:
            what = say("Give {refdes} back to {where}", refdes=refdes, where=item.where)
            steps.append(
                _moved(
                    moment,
                    item.place,
                    "give-back",
                    what,
                    say("a borrowed part"),
                    say("{refdes} given back", refdes=refdes),
                )
            )
    return steps


def _moved(moment: Moment, place: PartRef, kind: str, what: str, reason: str, after: str) -> Step:
    return Step(
        say("{board}/{refdes}/{kind}", board=place.board, refdes=place.refdes, kind=kind),
        kind,
        place,
        what,
        reason,
        MINUTES["chip-socketed"],
        cautions=cautions_at(moment, place, kind),
        tool=say("chip puller, conductive foam"),
        after=say("type “{after}”", after=after),
        socketed=True,
        height=0.0,
        probability=1.0,
    )


def donor_words(spare: StockItem | None) -> tuple[str, ...]:
    """What has to be done first where the spare still sits on a donor board."""
    if spare is None or not spare.donor:
        return ()
    risk = format_percent(spare.risk)
    return (
        say("Take it off the {place} first (risk of spoiling it {risk}) and test it.", place=spare.place, risk=risk),
    )


def _fit_missing(moment: Moment, place: PartRef, reason: str) -> Step:
    part = moment.part(place)
    spare = spare_for(moment, part.number)
    return Step(
        f"{place.board}/{part.refdes}/missing",
        "missing",
        place,
        _named(say("Fit {refdes}", refdes=part.refdes), part),
        reason,
        MINUTES["chip-socketed" if part.socketed else "capacitor"],
        order_marking(part, moment.library),
        spare.place if spare else "",
        cautions=cautions_at(moment, place, "missing"),
        tool=say("by hand, pin 1 to the mark") if part.socketed else "iron",
        after=say("inspect {refdes}: pin 1, all pins in their contacts", refdes=part.refdes),
        socketed=part.socketed,
        probability=1.0,
    )


def _named(what: str, part: Part) -> str:
    """What is to be done, with the type of the part where it is known."""
    if part.number in ("", "?"):
        return say("{what} (its type is not entered)", what=what)
    return say("{what}, {part_number}", what=what, part_number=part.number)


def _parts(moment: Moment, steps: list[Step]) -> tuple[PartNeed, ...]:
    needed: dict[str, list[str]] = {}
    for step in steps:
        if step.part_number and not step.done and step.kind != "program":
            needed.setdefault(step.part_number, []).append(step.place.refdes)
    in_drawer: Mapping[str, int] = {
        number: sum(in_stock(moment, i) for i in stock(moment) if i.number == number) for number in needed
    }
    return tuple(PartNeed(n, len(places), in_drawer[n], tuple(places)) for n, places in sorted(needed.items()))
