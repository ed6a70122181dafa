"""What the owner reads and the next repairer uses, gathered from an assessment. Both writers take only this."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from loyal_trace.core.assess.assessment import Assessment
from loyal_trace.core.assess.assumptions import assumptions
from loyal_trace.core.assess.away import away
from loyal_trace.core.assess.extras import extras_of
from loyal_trace.core.assess.parts import old_parts, outdated, replaced
from loyal_trace.core.assess.teardown import left_over, still_out
from loyal_trace.core.boards.names import board_prefix
from loyal_trace.core.boards.revisions import label_words
from loyal_trace.core.job.entries import (
    KEEPS_PART,
    KEPT_WORDS,
    Entry,
    Fitted,
    Measured,
    conditions_words,
    describe,
    reading_words,
)
from loyal_trace.core.job.fold import live_of
from loyal_trace.core.planning.extras import Ticked, back_of, what_of
from loyal_trace.core.vocabulary.identity import PartRef, in_order
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.units import count_of, format_percent
from loyal_trace.report.board_drawing import Drawing, draw_board
from loyal_trace.report.times import local_time

GOOD_ENOUGH = say("good enough")
_WORK = ("step_done", "removed", "fitted", "gave_back", "swapped", "trial", "worked")


@dataclass(frozen=True)
class Section:
    """A heading with paragraphs and at most one table (header row first)."""

    title: str
    lines: tuple[str, ...] = ()
    table: tuple[tuple[str, ...], ...] = ()
    widths: tuple[int, ...] = ()


@dataclass(frozen=True)
class ReportModel:
    """The whole report, in order."""

    title: str
    number: str
    owner: str
    made: str
    summary: tuple[str, ...]
    sections: tuple[Section, ...]
    drawings: tuple[Drawing, ...]


def build_report(assessment: Assessment, entries: Sequence[Entry], made: datetime, head: str = "") -> ReportModel:
    """The report of a job at this moment; `made` is the time printed on it, `head` the hash its logbook ends with."""
    state = assessment.moment.snapshot
    opened = state.opened
    live = [e for e in live_of(entries) if e.kind != "retracted"]
    return ReportModel(
        opened.title if opened else say("Job"),
        opened.number if opened else "",
        state.owner,
        local_time(made),
        _summary(assessment),
        tuple(s for s in _sections(assessment, live, head) if s.lines or s.table),
        tuple(
            draw_board(board_id, board, assessment)
            for board_id, board in assessment.moment.boards.items()
            if any(part.placed for part in board.parts)
        ),
    )


def _summary(assessment: Assessment) -> tuple[str, ...]:
    state = assessment.moment.snapshot
    lines = [
        say("Complaint: {complaint}", complaint=state.complaint) if state.complaint else say("No complaint noted.")
    ]
    gone = [s.text for s in state.proving.symptoms.values() if not s.present]
    still = [s.text for s in state.proving.symptoms.values() if s.present]
    if gone:
        lines.append(say("Gone: {gone}.", gone=joined("; ", gone)))
    if still:
        lines.append(say("Still present or not tested again: {still}.", still=joined("; ", still)))
    decided = state.paper.decisions.get(GOOD_ENOUGH)
    if decided:
        lines.append(
            say("Good enough, by decision: {choice}. {reason}", choice=term(decided.choice), reason=decided.reason)
        )
    return tuple(lines)


def _sections(assessment: Assessment, live: Sequence[Entry], head: str) -> list[Section]:
    return [
        _boards(assessment),
        _found(assessment),
        _roms(assessment),
        _measured(assessment),
        _done(assessment, live),
        _parts(assessment),
        _modified(assessment),
        _starts(assessment),
        _tested(assessment),
        Section(
            say("Not tested"),
            tuple(say("{name}: {reason}", name=name, reason=reason) for name, reason in assessment.proof.not_tested),
        ),
        _assumed(assessment),
        _left_alone(assessment),
        _not_home(assessment),
        _advice(assessment),
        _notes(live),
        Section(say("Logbook"), (say("Ends with {head}.", head=head),) if head else ()),
    ]


def _at(assessment: Assessment, board_id: str, place: str) -> str:
    """A place as the owner reads it: with the name of its board where there are several."""
    return say("{board_prefix}{place}", board_prefix=board_prefix(assessment.moment.boards, board_id), place=place)


def _boards(assessment: Assessment) -> Section:
    """What came in: revision, serial and labels of every board."""
    choices = {what: decided.choice for what, decided in assessment.moment.snapshot.paper.decisions.items()}
    lines = []
    for board_id, board in assessment.moment.boards.items():
        serial = choices.get(f"serial {board_id}", "")
        labels, warning = label_words(board, board_id, choices)
        told = [
            say("serial {serial}", serial=serial) if serial else "",
            *(say("{refdes} labelled “{text}”", refdes=refdes, text=text) for refdes, text in labels.items()),
        ]
        told += [
            say("{refdes} as found: {setting}", refdes=place.refdes, setting=entry.setting)
            for place, entry in assessment.moment.snapshot.facts.settings.items()
            if place.board == board_id
        ]
        words = [piece for piece in (*told, warning) if piece]
        if words:
            lines.append(say("{title}: {words}.", title=board.title, words=joined("; ", words)))
    return Section(say("Boards"), tuple(lines))


def _assumed(assessment: Assessment) -> Section:
    """What the plan rested on, and whether ringing it out bore that out."""
    found = assumptions(assessment.moment.snapshot)
    return Section(
        say("Assumptions about the board"),
        tuple(say("{a}: {verdict}, {reason}.", a=a.name, verdict=term(a.verdict), reason=a.reason) for a in found),
    )


def _not_home(assessment: Assessment) -> Section:
    """What is left over, still off, missing, on a shelf or on loan."""
    state = assessment.moment.snapshot
    lines = dict.fromkeys((*left_over(state), *still_out(state), *(a.words for a in away(assessment.moment))))
    return Section(say("Not complete"), tuple(say("{line}.", line=line) for line in lines))


def _found(assessment: Assessment) -> Section:
    lines = []
    for suspect in assessment.suspects:
        if suspect.probability >= 0.2 and suspect.against:
            where = _at(assessment, *suspect.place)
            what = say("{place} ({suspect})", place=where, suspect=suspect.what) if suspect.what else where
            lines.append(
                say(
                    "{what}, {probability}: {text}.",
                    what=what,
                    probability=format_percent(suspect.probability),
                    text=suspect.against[0].text,
                )
            )
    fitted = assessment.moment.snapshot.parts.fitted
    for place, entry in fitted.items():
        if place[0] in assessment.moment.boards and replaced(assessment.moment, place):
            words = {"place": _at(assessment, *place), "done": _all_done(assessment, place), "note": entry.note}
            old = old_parts(assessment.moment).get(place)
            told = say(" The old part was {verdict}: {why}.", verdict=term(old.verdict), why=old.reason) if old else ""
            lines.append(say("{place}: {done}.{told} {note}", told=told, **words).strip())
    return Section(say("Found"), tuple(lines))


def _put_in(assessment: Assessment, place: PartRef) -> list[Fitted]:
    """Everything that was put into a place, in its order."""
    changes = assessment.moment.snapshot.parts.changes
    return [entry for entry in changes if isinstance(entry, Fitted) and entry.part == place]


def _all_done(assessment: Assessment, place: PartRef) -> str:
    """What was done in a place, in its order."""
    found = [KEPT_WORDS.get(entry.origin) or _replaced_with(entry) for entry in _put_in(assessment, place)]
    return joined(", ", dict.fromkeys(found))


def _replaced_with(entry: Fitted) -> str:
    """What went in, and where it came from."""
    if not entry.number:
        return say("replaced")
    if entry.origin:
        return say("replaced with {number} from {origin}", number=entry.number, origin=term(entry.origin))
    return say("replaced with {number}", number=entry.number)


def _roms(assessment: Assessment) -> Section:
    rows = [(say("slot"), say("device"), say("verdict"), say("why"))]
    for place, slot in assessment.roms.items():
        why = slot.verdict.reason if slot.verdict else ""
        rows.append((_at(assessment, *place), slot.slot.device, slot.word, why))
    title = say("ROM contents") + (
        say(", firmware {firmware}", firmware=assessment.firmware) if assessment.firmware else ""
    )
    return Section(title, (), tuple(rows) if len(rows) > 1 else (), (16, 14, 14, 56))


def _measured(assessment: Assessment) -> Section:
    """First and last reading of every quantity: before and after, where there are two."""
    rows = [(say("place"), say("quantity"), say("before"), say("after"))]
    for key, taken in assessment.moment.snapshot.readings.measured.items():
        old = assessment.moment.snapshot.readings.old_parts.get(key)
        # What was read before the part came out is of the old one too.
        newer = len(taken) > 1 if old is None else not outdated(assessment.moment, key.part, taken[-1].time)
        after = _reading(taken[-1]) if newer else "–"
        rows.append((_at(assessment, key.board, key.point), key.quantity, _reading(old or taken[0]), after))
    for key, reading in assessment.moment.snapshot.readings.old_parts.items():
        if key not in assessment.moment.snapshot.readings.measured:
            rows.append((_at(assessment, key.board, key.point), key.quantity, _reading(reading), "–"))
    return Section(say("Measured, before and after"), (), tuple(rows) if len(rows) > 1 else (), (30, 30, 20, 20))


def _reading(entry: Measured) -> str:
    """A reading with what it was taken under: without that two of them cannot be compared."""
    return reading_words(entry) + conditions_words(entry)


def _done(assessment: Assessment, live: Sequence[Entry]) -> Section:
    work = [e for e in live if e.kind in _WORK]
    minutes = sum(record.minutes for record in assessment.moment.snapshot.parts.steps.values() if not record.skipped)
    lines = [
        say("{local_time} {at}", local_time=local_time(e.time), at=_at(assessment, e.board, describe(e))) for e in work
    ]
    if minutes:
        lines.append(say("Bench time recorded for steps: {minutes:.0f} minutes.", minutes=minutes))
    return Section(say("Done"), tuple(lines))


def _parts(assessment: Assessment) -> Section:
    state = assessment.moment.snapshot
    rows = [(say("place"), say("out"), say("in"), say("from"), say("note"))]
    for place in sorted(set(state.parts.removed) | set(state.parts.fitted)):
        out = state.parts.removed.get(place)
        put_in = _put_in(assessment, place)
        renewed = [entry for entry in put_in if entry.origin not in KEEPS_PART]
        new = renewed[-1] if renewed and place in state.parts.fitted else state.parts.fitted.get(place)
        number = out.number if out else ""
        rows.append(
            (
                _at(assessment, *place),
                number or "–",
                new.number if new else "–",
                new.origin if new else "–",
                (new.note if new else out.reason if out else ""),
            )
        )
    return Section(say("Parts out and in"), (), tuple(rows) if len(rows) > 1 else (), (16, 18, 18, 16, 32))


def _modified(assessment: Assessment) -> Section:
    """What was changed from how the board was made, and the way back; what was undone again is said so."""
    work = [w for w in assessment.moment.snapshot.parts.work if w.parts]
    undone = {named.part: w.time for w in work if w.action == "modification undone" for named in w.parts}
    rows = [(say("place"), say("modification"), say("way back"))]
    for one in work:
        place = one.parts[0].part
        if one.action != "modified":
            continue
        back = back_of(one.detail) or say("not entered")
        if place in undone and undone[place] > one.time:
            back = say("undone {local_time}", local_time=local_time(undone[place]))
        rows.append((_at(assessment, *place), what_of(one.detail) or say("not described"), back))
    return Section(say("Modifications and the way back"), (), tuple(rows) if len(rows) > 1 else (), (16, 44, 40))


def _notes(live: Sequence[Entry]) -> Section:
    """What was said in free words and of functions, as it was said."""
    said = [e for e in live if e.kind in ("note", "function", "pair", "control")]
    return Section(
        say("Noted"),
        tuple(say("{local_time} {describe}", local_time=local_time(e.time), describe=describe(e)) for e in said),
    )


def _starts(assessment: Assessment) -> Section:
    tally = assessment.proof.starts
    before = tally.clean_before + tally.failed_before
    lines = []
    if before:
        lines.append(
            say(
                "Before the last change: {clean_before} clean of {starts}.",
                clean_before=tally.clean_before,
                starts=count_of(before, "start"),
            )
        )
    if tally.clean + tally.failed:
        bound = format_percent(tally.upper)
        since = say(
            "Since then: {clean} clean of {starts}.",
            clean=tally.clean,
            starts=count_of(tally.clean + tally.failed, "start"),
        )
        since += say(" At most {bound} of starts fail, with 95 % confidence.", bound=bound) if tally.tells else ""
        lines.append(since)
        if before:
            chance = format_percent(tally.chance)
            lines.append(say("Probability of such an improvement by chance alone: {chance}.", chance=chance))
    return Section(say("Starts"), tuple(lines))


def _tested(assessment: Assessment) -> Section:
    rows = [(say("item"), say("how"), say("result"), say("note"))]
    for item in assessment.proof.items:
        if item.status in ("passed", "failed"):
            rows.append((item.name, item.how, term(item.status), item.note))
    return Section(say("Tested"), (), tuple(rows) if len(rows) > 1 else (), (30, 36, 12, 22))


def _left_alone(assessment: Assessment) -> Section:
    skipped = [s for s in assessment.plan.steps if s.skipped]
    lines = [
        say("{step}: skipped. {note}", step=s.what, note=assessment.moment.snapshot.parts.steps[s.id].note).strip()
        for s in skipped
    ]
    lines += [
        say("{step}: not done. {reason}", step=s.what, reason=s.reason) for s in assessment.plan.steps if not s.done
    ]
    lines += [
        say(
            "{at}, {kind}: left out. {reason}",
            at=_at(assessment, *one.place),
            kind=term(one.kind),
            reason=one.reason or say("No reason entered."),
        )
        for one in extras_of(assessment.moment)
        if one.ticked is Ticked.OUT
    ]
    return Section(say("Left as it was, and why"), tuple(lines))


def _advice(assessment: Assessment) -> Section:
    lines = [say("{thing} ({at}).", thing=thing.text, at=_at(assessment, *thing.place)) for thing in assessment.next]
    boards = assessment.moment.boards
    for board_id, board in boards.items():
        untouched = [
            part.refdes
            for part in board.capacitors
            if part.technology == "aluminium"
            and assessment.capacitors[PartRef(board_id, part.refdes)].verdict == "not measured"
            and PartRef(board_id, part.refdes) not in assessment.moment.snapshot.parts.fitted
            and PartRef(board_id, part.refdes) not in assessment.moment.snapshot.parts.removed
        ]
        if untouched:
            places = joined(", ", in_order(untouched))
            lines.append(
                say(
                    "{title}: measure these electrolytics at the next service ({places}).",
                    title=board.title,
                    places=places,
                )
            )
    return Section(say("Advice"), tuple(lines))
