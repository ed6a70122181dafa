"""Steps for what was ticked in beyond the evidence: usual service, heat sinks, improvements, sockets for every chip."""

from loyal_trace.core.assess.at_iron import methods_for
from loyal_trace.core.assess.extras import Extra, ExtraKind, extras_of, slug
from loyal_trace.core.assess.moment import Moment, places_of
from loyal_trace.core.assess.parts import absent, replaced, spare_for
from loyal_trace.core.assess.step_cautions import cautions_at
from loyal_trace.core.parts.marking import order_marking
from loyal_trace.core.planning.choices import DIAGNOSTICS_FIRST, EVERY, SOME
from loyal_trace.core.planning.extras import BACK, Ticked, what_of
from loyal_trace.core.planning.methods import method_words
from loyal_trace.core.planning.steps import MINUTES, TALL, TOOLS, Step
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say

SOCKETS, DIAGNOSTICS = "sockets", "diagnostics"
SELF_TEST_MINUTES = 3.0
_AT_THE_IRON = (Caution.SOLDERING, Caution.LEAD, Caution.CUT_LEADS)


def sockets_choice(moment: Moment) -> str:
    """The way with sockets as decided, else sockets for what is replaced."""
    return moment.snapshot.decision(SOCKETS, SOME)


def further_steps(moment: Moment, taken: set[PartRef]) -> list[Step]:
    """The steps of what is ticked in; a place that has a step already gets no second one for its service."""
    steps = [
        _service(moment, one) for one in _ticked_in(moment, ExtraKind.SERVICE) if _has_service_step(moment, one, taken)
    ]
    steps += [reflow_step(one.place, one.why, 0.0) for one in _ticked_in(moment, ExtraKind.REFLOW)]
    made = [_sink(moment, one) for one in _ticked_in(moment, ExtraKind.SINK) if not _sink_fitted(moment, one.place)]
    made += [_improvement(moment, one) for one in _ticked_in(moment, ExtraKind.IMPROVE) if not _modified(moment, one)]
    # What was done here once is done: no reading asks for it again.
    steps += [step for step in made if step.id not in moment.snapshot.parts.steps]
    steps += [step for step in _diagnostics(moment) if step.id not in moment.snapshot.parts.steps]
    taken = taken | {step.place for step in steps}
    if sockets_choice(moment) == EVERY:
        steps += [_socketing(moment, place) for place in _to_socket(moment) if place not in taken]
    return steps


def _ticked_in(moment: Moment, kind: ExtraKind) -> list[Extra]:
    return [one for one in extras_of(moment) if one.kind is kind and one.ticked is Ticked.IN]


def _has_service_step(moment: Moment, one: Extra, taken: set[PartRef]) -> bool:
    """Capacitors have their steps from the kit; what was replaced is done."""
    of_kit = moment.part(one.place).kind == "capacitor"
    return not of_kit and one.place not in taken and not replaced(moment, one.place)


def _work_at(moment: Moment, place: PartRef, action: str) -> list[str]:
    """The details of the work of that name on a part in this job."""
    work = moment.snapshot.parts.work
    return [w.detail for w in work if w.action == action and not w.before and any(p.part == place for p in w.parts)]


def _sink_fitted(moment: Moment, place: PartRef) -> bool:
    return bool(_work_at(moment, place, "heat sink fitted"))


def _modified(moment: Moment, one: Extra) -> bool:
    """Was that improvement made, as somebody said in the line?"""
    return any(what_of(detail) in (one.what, one.name) for detail in _work_at(moment, one.place, "modified"))


def modification_words(moment: Moment, step_id: str) -> str:
    """What the improvement of a step does and the way back, as the logbook keeps it; empty for other steps."""
    for one in _ticked_in(moment, ExtraKind.IMPROVE):
        if _improvement_id(one) == step_id:
            return f"{one.what}{BACK}{one.back}" if one.back else str(one.what)
    return ""


def _improvement_id(one: Extra) -> str:
    return f"{one.place.board}/{one.place.refdes}/improve/{slug(one.name)}"


def _service(moment: Moment, one: Extra) -> Step:
    part = moment.part(one.place)
    spare = spare_for(moment, part.number)
    ways = methods_for(moment, one.place)
    way = joined(" ", method_words(ways[0])) if ways else say("Iron, fresh solder first.")
    return Step(
        f"{one.place.board}/{part.refdes}/service",
        "service",
        one.place,
        say("Replace {refdes}", refdes=part.refdes)
        if part.number in ("", "?")
        else say("Replace {refdes}, {part_number}", refdes=part.refdes, part_number=part.number),
        say("usual service: {why}", why=one.why),
        one.minutes,
        order_marking(part, moment.library),
        spare.place if spare else "",
        cautions=cautions_at(moment, one.place, "service"),
        tool=TOOLS.get(part.kind, say("by hand") if part.socketed else way),
        after=say("test what {refdes} does", refdes=part.refdes),
        socketed=part.socketed,
        height=TALL.get(part.kind, 4.0),
    )


def reflow_step(place: PartRef, reason: str, probability: float) -> Step:
    """The joints of a part made anew, with the proof that belongs to it."""
    return Step(
        f"{place.board}/{place.refdes}/reflow",
        "reflow",
        place,
        say("Reflow the joints of {refdes}", refdes=place.refdes),
        reason,
        MINUTES["reflow"],
        cautions=(Caution.SOLDERING, Caution.LEAD),
        tool=say("iron 330 °C, flux, old solder off, fresh solder on; replace pins that do not take it"),
        after=say("check continuity while you press {refdes}, then count clean starts", refdes=place.refdes),
        height=1.0,
        probability=probability,
    )


def _sink(moment: Moment, one: Extra) -> Step:
    name = one.place.refdes
    return Step(
        f"{one.place.board}/{name}/sink",
        "sink",
        one.place,
        say("Fit a heat sink at {refdes}", refdes=name),
        one.why,
        one.minutes,
        cautions=cautions_at(moment, one.place, "sink"),
        tool=say(
            "compound and an insulating sheet; measure from the sink to ground and to the tab before power; "
            "screw it so that the part can still be changed and the lid closes"
        ),
        after=say("measure its temperature after 20 minutes under load, with a thermometer, not by hand"),
        height=TALL["regulator"] + 1,
    )


def _improvement(moment: Moment, one: Extra) -> Step:
    name = one.place.refdes
    return Step(
        _improvement_id(one),
        "improve",
        one.place,
        say("Modify {refdes}: {what}", refdes=name, what=one.what),
        one.why,
        one.minutes,
        before=(one.caution,) if one.caution else (),
        cautions=tuple(dict.fromkeys((*cautions_at(moment, one.place, "improve"), *_AT_THE_IRON))),
        tool=say("leave every track and pad whole; photograph it before and after. Way back: {back}.", back=one.back)
        if one.back
        else say("leave every track and pad whole; photograph it. The way back is not entered"),
        after=say("test what {refdes} does", refdes=name),
        height=TALL["regulator"] + 1,
    )


def _diagnostics(moment: Moment) -> list[Step]:
    """A self-test, or a test program in the boot socket, before everything else; only where that was decided."""
    if moment.snapshot.decision(DIAGNOSTICS) != DIAGNOSTICS_FIRST:
        return []
    steps = []
    for board_id, board in moment.boards.items():
        slot = min(board.rom_slots, key=lambda s: (s.address is None, s.address or 0, s.number or 0), default=None)
        if slot is None:
            continue
        own = bool(board.self_tests)
        what = (
            say("Run the self-test and write down its code")
            if own
            else say("Put a test program into {refdes} and run it", refdes=slot.refdes)
        )
        steps.append(
            Step(
                f"{board_id}/{slot.refdes}/diagnose",
                "diagnose",
                PartRef(board_id, slot.refdes),
                what,
                say("as decided: diagnostics first; silence proves nothing"),
                SELF_TEST_MINUTES if own else MINUTES["diagnose"],
                cautions=() if own else (Caution.STATIC,),
                tool=say("power and display; compare what each code means") if own else say("chip puller, by hand"),
                after=say("enter the code: start failed code 3, or start ok"),
                socketed=True,
                height=0.0,
            )
        )
    return steps


def _to_socket(moment: Moment) -> list[PartRef]:
    """Chips that are soldered in, with a package that sockets are made for, and not replaced already."""
    found = []
    for place in places_of(moment):
        part = moment.part(place)
        dip = part.package.upper().startswith("DIP")
        if part.is_chip and dip and not part.socketed and not absent(moment, place) and not replaced(moment, place):
            found.append(place)
    return found


def _socketing(moment: Moment, place: PartRef) -> Step:
    part = moment.part(place)
    ways = methods_for(moment, place)
    return Step(
        f"{place.board}/{part.refdes}/socketing",
        "socketing",
        place,
        say("Fit a socket at {refdes}", refdes=part.refdes),
        say("as decided: a socket for every chip, also those without evidence against them"),
        MINUTES["socketing"],
        say("turned-pin socket, {package}", package=part.package),
        cautions=cautions_at(moment, place, "chip"),
        tool=(joined(" ", method_words(ways[0])) if ways else say("Iron, fresh solder first."))
        + say(" Then a turned-pin socket goes in, and the same chip back."),
        after=say("probe {refdes} again", refdes=part.refdes),
        height=5.0,
    )
