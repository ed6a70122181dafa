"""Commands on an open job that window and command line share: a line entered, a step done or skipped."""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from loyal_trace.app.cautions import caution_words
from loyal_trace.app.job import OpenJob, printable
from loyal_trace.app.words import sentence
from loyal_trace.core.assess.at_iron import off_words, wet_words
from loyal_trace.core.assess.plan import plan_of
from loyal_trace.core.boards.names import names_of
from loyal_trace.core.job.entries import (
    CONTACT_REPAIRED,
    GOOD_BOARD,
    NEW_SOCKET,
    OWN_PART,
    RE_PROGRAMMED,
    Decided,
    Entry,
    Fitted,
    GaveBack,
    Measured,
    Removed,
    StepDone,
    Worked,
)
from loyal_trace.core.line.asked import asked_at
from loyal_trace.core.line.context import Asked, Context, Parsed, Planned, Refusal, Said, Status
from loyal_trace.core.line.places import Places
from loyal_trace.core.planning.steps import Step
from loyal_trace.core.power.guard import (
    cautions_of,
    decided_to_go_on,
    drives_monitor,
    guard_decision,
    power_guard,
    to_sign,
)
from loyal_trace.core.proving.bench import LACKS, SUPPLIES
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.stages import Stage

_STEP_OF_ORIGIN = {
    RE_PROGRAMMED: ("program",),
    NEW_SOCKET: ("socket",),
    CONTACT_REPAIRED: ("leg",),
    OWN_PART: ("put-back",),
}
_NEW_PART = ("capacitor", "chip", "missing")
_NAMED = 5
_ETCHANT = re.compile(
    r"\b(?:etchants?|etching|ferric|iron chloride|persulphate|persulfate|(?:oxalic|hydrochloric|muriatic|sulphuric|"
    r"sulfuric|phosphoric) acid|rust remover)\b",
    re.IGNORECASE,
)


@dataclass(frozen=True)
class Setting:
    """Where a line is typed: the stage, a board said explicitly, the board in view, what is picked and asked for."""

    stage: Stage | None = None
    board: str = ""
    in_view: str = ""
    picked: PartRef | None = None
    asked: Asked | None = None


@dataclass(frozen=True)
class LineResult:
    """What became of a line, or would. `says` can be typed again; `why` is a sentence for a person."""

    text: str
    status: Status
    says: str = ""
    why: str = ""
    board: str = ""
    place: str = ""
    entries: tuple[Entry, ...] = ()
    choices: tuple[str, ...] = ()
    said: tuple[Said, ...] = ()
    cautions: tuple[str, ...] = ()
    new: tuple[PartRef, ...] = ()

    @property
    def document(self) -> dict[str, Any]:
        """As JSON says it."""
        found: dict[str, Any] = {
            "text": self.text,
            "status": self.status.value,
            "says": self.says or self.why,
            "board": self.board,
            "place": self.place,
            "entries": [entry.model_dump(mode="json", exclude={"previous", "v"}) for entry in self.entries],
            "choices": list(self.choices),
        }
        return {**found, "why": self.why} if self.why else found


def context_of(job: OpenJob, setting: Setting) -> Context:
    """What the line is read against."""
    return Context(
        job.boards,
        job.snapshot,
        job.library,
        job.env.clock(),
        setting.stage,
        setting.board,
        setting.in_view,
        setting.picked,
        setting.asked,
    )


def preview(job: OpenJob, text: str, setting: Setting) -> LineResult:
    """What Enter would record; nothing is recorded."""
    from loyal_trace.core.line.grammar import parse_line  # all forms: a window shows its job before it needs them

    return _result(job, parse_line(printable(text), context_of(job, setting)))


def enter_line(job: OpenJob, text: str, setting: Setting, choice: int | None = None) -> LineResult:
    """Records a line, when it is clear what it means (or which of its choices is meant).

    Nothing of an unclear or refused line is stored. MachineError when it could not be written.
    """
    found = preview(job, text, setting)
    # The command line has no choice to make: there an unclear line stays unclear and nothing is stored.
    if found.status is Status.UNCLEAR and choice is not None and 0 <= choice < len(found.said):
        return record_said(job, text, found.said[choice])
    if found.status is Status.RECORDED or (found.status is Status.NOTE and found.said):
        return record_said(job, text, found.said[0], found.status, found.why)
    return found


def record_said(job: OpenJob, text: str, said: Said, status: Status = Status.RECORDED, why: str = "") -> LineResult:
    """Records one reading of a line, with the open step of the plan that it completes."""
    cautions = cautions_for(job, said.entries)
    entries = [job.make(one.kind, **one.fields) for one in said.entries]
    # Asked before the entries are recorded: afterwards the plan would no longer have the step open.
    entries += steps_completed(job, entries)
    job.record_all(entries)
    if any(isinstance(entry, Decided) and entry.what in (LACKS, SUPPLIES) for entry in entries):
        job.save_bench()
    return _described(text, status, said, tuple(entries), cautions, why)


def _result(job: OpenJob, parsed: Parsed) -> LineResult:
    why = sentence(parsed.message) if parsed.message is not None else ""
    if parsed.said is not None:
        # Made only to be described; a preview must not use up an id.
        entries = tuple(one.kind(id="0", time=job.env.clock(), **one.fields) for one in parsed.said.entries)
        cautions = cautions_for(job, parsed.said.entries)
        return _described(parsed.text, parsed.status, parsed.said, entries, cautions, why)
    choices = tuple(said.canonical for said in parsed.choices)
    return LineResult(parsed.text, parsed.status, "", why, choices=choices, said=parsed.choices)


def _described(
    text: str, status: Status, said: Said, entries: tuple[Entry, ...], cautions: tuple[str, ...], why: str
) -> LineResult:
    first = entries[0]
    return LineResult(
        text,
        status,
        said.canonical,
        why,
        first.board,
        _place(first),
        entries,
        said=(said,),
        cautions=cautions,
        new=said.new,
    )


def _place(entry: Entry) -> str:
    """The place that an entry is about; the first of several."""
    place = getattr(entry, "place", "")
    if place:
        return str(place)
    parts = getattr(entry, "parts", ()) or getattr(entry, "members", ()) or (getattr(entry, "first", None),)
    return str(getattr(parts[0], "name", ""))


@dataclass(frozen=True)
class Hold:
    """What stands before a reading of a supply: a caution to be signed; with power on, readings that come first.

    `name` is the caution, or the decision by which the person goes on without those readings.
    """

    name: str
    words: str
    board: str
    caution: bool


def holds_for(job: OpenJob, planned: Sequence[Planned]) -> tuple[Hold, ...]:
    """What the window asks before these entries are recorded: each thing once, cautions first.

    The command line tells the cautions and stops no line.
    """
    found: dict[str, Hold] = {}
    for one in planned:
        for hold in _holds_of(job, one):
            found.setdefault(hold.name, hold)
    return tuple(sorted(found.values(), key=lambda hold: not hold.caution))


def _holds_of(job: OpenJob, one: Planned) -> Iterator[Hold]:
    fields = one.fields
    if one.kind is not Measured:
        return
    board_id = str(fields["board"])
    board = job.boards.get(board_id)
    here = (fields["place"], fields["quantity"])
    # A reading beside the described points is somebody's own look round: nothing is held against it.
    paths = [p.path for p in board.chain if (p.point, p.quantity) == here] if board is not None else []
    if board is None or not paths:
        return
    for caution in to_sign(cautions_of(board, paths[0])):
        if caution not in job.snapshot.paper.cautions:
            yield Hold(caution, caution_words((caution,)), board_id, True)
    # Readings with the power off are what the guard asks for; AC at the plug needs the plug in, as all others do.
    if not fields.get("powered") or fields.get("source") == GOOD_BOARD:
        return
    first = guard_words(job, board_id)
    if first:
        yield Hold(guard_decision(board_id), first, board_id, False)


def went_on(job: OpenJob, board_id: str) -> bool:
    """Did the person decide to put power on a board without the readings that come before?"""
    return decided_to_go_on(job.snapshot.paper.decisions, board_id)


def guard_words(job: OpenJob, board_id: str) -> str:
    """What comes before power goes on a board: unplugging, the power-off readings, and what their lack risks.

    Empty when nothing stands before, or when the person decided to go on.
    """
    wet = wet_words(job.moment, board_id, job.env.clock())
    if wet:
        return wet
    report = job.assessment().rails.get(board_id)
    if report is None or report.may_power(went_on(job, board_id)):
        return ""
    if not report.power_off_missing and report.hazard is not None:
        bad = report.hazard
        return say(
            "Unplug the board: {why}. Repair that and measure {point} again, power off",
            why=bad.why,
            point=bad.point.point,
        )
    guard = power_guard(report)
    named = joined(", ", guard.missing[:_NAMED])
    more = say(" and {count} more", count=len(guard.missing) - _NAMED) if len(guard.missing) > _NAMED else ""
    return say(
        "Unplug the board and measure with the power off: {named}{more}. Unknown until then: {risk}",
        named=named,
        more=more,
        risk=guard.risk,
    )


def monitor_near(job: OpenJob, board_id: str) -> bool:
    """Can a monitor be part of the work on a board, by its definition, the complaint or a symptom entered?"""
    told = [s.text for s in job.snapshot.proving.symptoms.values() if s.board in ("", board_id)]
    board = job.boards.get(board_id)
    return board is not None and drives_monitor(board, [*told, job.snapshot.complaint])


def cautions_for(job: OpenJob, planned: Sequence[Planned]) -> tuple[str, ...]:
    """What stands before the readings of a line: cautions not signed, power-off readings; etchants that it names."""
    told = [str(value) for one in planned for value in one.fields.values() if isinstance(value, str)]
    corrosive = [caution_words((Caution.CORROSIVE,))] if any(_ETCHANT.search(text) for text in told) else []
    washed = [str(one.fields["board"]) for one in planned if one.fields.get("action") == "board washed"]
    off = [words for board in washed if (words := off_words(job.moment, board))]
    return (*(hold.words for hold in holds_for(job, planned)), *corrosive, *off)


def steps_completed(job: OpenJob, entries: Sequence[Entry]) -> list[Entry]:
    """The open steps of the plan that these entries do, as done: an action said does all that its step would do."""
    wanted: dict[PartRef, tuple[str, ...]] = {}
    for entry in entries:
        # A borrowed stand-in completes nothing: the part itself is still to be replaced.
        if isinstance(entry, Fitted) and not entry.lender:
            wanted[entry.part] = _STEP_OF_ORIGIN.get(entry.origin, _NEW_PART)
        elif isinstance(entry, GaveBack):
            wanted[entry.part] = ("give-back",)
        elif isinstance(entry, Removed) and entry.shelf:
            wanted[entry.part] = ("rescue",)
        elif isinstance(entry, Worked) and entry.action == "reflowed" and not entry.before:
            wanted |= {named.part: ("reflow",) for named in entry.parts}
    if not wanted:
        return []
    steps = [step for step in plan_of(job.moment).steps if not step.done and step.kind in wanted.get(step.place, ())]
    return [step_entry(job, step) for step in steps]


def step_entry(job: OpenJob, step: Step, note: str = "") -> StepDone:
    """A step as done."""
    return job.make(StepDone, step=step.id, what=step.title, minutes=step.minutes, note=note)


def setting_at(job: OpenJob, stage: Stage | None, board: str = "", place: str = "") -> Setting:
    """The setting of a line entered from outside the window: a stage, a board and a place by their names.

    RequestError when the job has no such board or place, or when two boards have the place.
    """
    board_id = _board_named(job, board)
    plain = Setting(stage, board_id)
    if not place:
        return plain
    places = Places(context_of(job, plain))
    try:
        found = places.find(place)
    except Refusal as refusal:
        raise RequestError(sentence(refusal.message)) from None
    if len(found) > 1:
        names = joined(
            " or ", (say("{name} {refdes}", name=job.boards[one.board].name, refdes=one.one.refdes) for one in found)
        )
        raise RequestError(say("“{place}” could mean {names}; say which board", place=place, names=names))
    part = found[0].one
    at = Setting(stage, board_id, part.board, part.part)
    return Setting(stage, board_id, part.board, part.part, asked_at(context_of(job, at), part.part, part.pin))


def _board_named(job: OpenJob, name: str) -> str:
    """The id of a board by any of its names; RequestError for none."""
    if not name:
        return ""
    for board_id, names in names_of(job.boards).items():
        if name.casefold() in {known.casefold() for known in names}:
            return board_id
    known = joined(", ", job.boards) or say("none yet")
    raise RequestError(say("this job has no board “{name}”; it has: {known}", name=name, known=known))


EXIT: Mapping[Status, int] = {Status.RECORDED: 0, Status.NOTE: 0, Status.UNCLEAR: 1, Status.REFUSED: 2}


@dataclass
class Tally:
    """The lines of one run and the worst that became of them."""

    lines: list[LineResult] = field(default_factory=list)

    @property
    def exit_code(self) -> int:
        return max((EXIT[line.status] for line in self.lines), default=0)
