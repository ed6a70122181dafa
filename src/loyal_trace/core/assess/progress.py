"""How far each of the ten stages has come, and the marks that a stage lays over the board map."""

from dataclasses import dataclass

from loyal_trace.core.assess.assessment import Assessment
from loyal_trace.core.assess.away import away
from loyal_trace.core.assess.looking import leaks_on
from loyal_trace.core.assess.moment import places_of
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.job.snapshot import JobSnapshot
from loyal_trace.core.planning.steps import Plan
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say, term
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import format_percent
from loyal_trace.core.vocabulary.verdicts import OutputWord

SUSPECT_FROM = 0.2


@dataclass(frozen=True)
class StageProgress:
    """One station: how full it is (0 to 1) and its count in words (`5/6`, `12`, or empty)."""

    stage: Stage
    filled: float
    count: str


@dataclass(frozen=True)
class Mark:
    """What the map shows at a part: good, bad, doubtful or unknown, hatched when suspect, and a word for it."""

    kind: str
    word: str
    hatched: bool = False


def _share(done: int, total: int) -> tuple[float, str]:
    return (done / total if total else 0.0), f"{done}/{total}" if total else ""


def progress(found: Assessment) -> tuple[StageProgress, ...]:
    """The ten stations."""
    moment, state = found.moment, found.moment.snapshot
    parts = len(places_of(moment))
    vias = {PartRef(board_id, via.refdes) for board_id, board in moment.boards.items() for via in board.vias}
    seen = sum(1 for place in state.seen.findings if place[0] in moment.boards and place not in vias)
    points = [p for report in found.rails.values() for p in report.points]
    slots = list(found.roms.values())
    strong = [s for s in found.suspects if s.probability >= SUSPECT_FROM]
    plan = found.plan
    chips = sum(1 for place in places_of(moment) if moment.chip_type(place))
    items = found.proof.items
    numbers = [
        (_intake_filled(state), ""),
        _share(seen, parts),
        _share(sum(p.reading is not None for p in points), len(points)),
        _share(sum(s.verdict is not None for s in slots), len(slots)),
        _share(len(found.chips), max(chips, len(found.chips))),
        (0.5 if strong else 1.0 if plan.steps else 0.0, str(len(strong)) if strong else ""),
        (_plan_filled(plan), str(len(plan.steps)) if plan.steps else ""),
        _share(plan.done, len(plan.steps)),
        _share(found.proof.done, len(items)),
        (1.0 if state.paper.handed_back else 0.0, ""),
    ]
    return tuple(StageProgress(stage, filled, count) for stage, (filled, count) in zip(Stage, numbers, strict=True))


def _intake_filled(state: JobSnapshot) -> float:
    if state.opened is None:
        return 0.0
    return 1.0 if state.proving.symptoms or state.paper.decisions else 0.5


def _plan_filled(plan: Plan) -> float:
    if not plan.steps:
        return 0.0
    return 1.0 if plan.done == len(plan.steps) else 0.5


_KIND_OF_WORD = {
    "matches": "good",
    "possible": "good",
    "good": "good",
    "differs": "bad",
    "impossible": "bad",
    "bad": "bad",
    "unstable": "doubtful",
    "unusual": "doubtful",
    "doubtful": "doubtful",
    "follows": "doubtful",
}


def mark_for_word(word: str, hatched: bool = False) -> Mark:
    """The mark for a plain verdict word; anything else is unknown."""
    return Mark(_KIND_OF_WORD.get(word, "unknown"), term(word), hatched)


def map_marks(found: Assessment, board_id: str, stage: Stage) -> dict[str, Mark]:
    """What a stage knows of each part of one board: refdes → mark."""
    return _MARKS[stage](found, board_id, found.moment.boards[board_id])


def _intake_marks(found: Assessment, board_id: str, board: BoardDefinition) -> dict[str, Mark]:
    here = [item for item in away(found.moment) if item.place[0] == board_id]
    return {a.place[1]: Mark("bad" if a.what == "missing" else "doubtful", a.what, True) for a in here}


def _inspect_marks(found: Assessment, board_id: str, board: BoardDefinition) -> dict[str, Mark]:
    marks = {part.refdes: Mark("unknown", say("not inspected")) for part in board.parts}
    vias = {via.refdes for via in board.vias}
    for (where, refdes), findings in found.moment.snapshot.seen.findings.items():
        if where == board_id and (refdes in marks or refdes in vias):
            word = findings[-1].finding
            marks[refdes] = Mark("good" if word.good else "bad" if word.bad else "unknown", word)
    for leak in leaks_on(found.moment, board_id):
        for part in leak.open:
            marks[part.refdes] = Mark(
                "doubtful", say("{status}: {refdes} leaks", status=term(part.status), refdes=leak.refdes), True
            )
    return marks


def _rail_marks(found: Assessment, board_id: str, board: BoardDefinition) -> dict[str, Mark]:
    order = ("bad", "follows", "doubtful", say("not measured"), "good")
    report, words = found.rails[board_id], dict[str, str]()
    for point in report.points:
        part = point.point.part
        word = "follows" if point.verdict == "bad" and point not in report.against_own_part else point.verdict
        if part and (part not in words or order.index(word) < order.index(words[part])):
            words[part] = word
    return {part: mark_for_word(word, hatched=word == "bad") for part, word in words.items()}


def _rom_marks(found: Assessment, board_id: str, board: BoardDefinition) -> dict[str, Mark]:
    marks = {}
    for (where, refdes), slot in found.roms.items():
        if where == board_id:
            small = slot.verdict is not None and slot.verdict.verdict in ("few-bytes", "other-revision")
            mark = mark_for_word(slot.word, hatched=slot.word in ("differs", "unstable"))
            marks[refdes] = Mark("doubtful", slot.word, True) if small else mark
    return marks


def _probe_marks(found: Assessment, board_id: str, board: BoardDefinition) -> dict[str, Mark]:
    return {
        refdes: mark_for_word(verdict.word, hatched=verdict.word == OutputWord.IMPOSSIBLE)
        for (where, refdes), verdict in found.chips.items()
        if where == board_id
    }


def _suspect_marks(found: Assessment, board_id: str, board: BoardDefinition) -> dict[str, Mark]:
    marks = {}
    for suspect in found.suspects:
        if suspect.place[0] == board_id:
            if suspect.probability >= 0.5:
                marks[suspect.place[1]] = Mark(
                    "bad", say("suspect, {probability}", probability=format_percent(suspect.probability)), True
                )
            elif suspect.probability >= SUSPECT_FROM:
                marks[suspect.place[1]] = Mark(
                    "doubtful", say("suspect, {probability}", probability=format_percent(suspect.probability)), True
                )
            elif suspect.probability < suspect.prior:
                marks[suspect.place[1]] = Mark("good", say("evidence for it"))
    return marks


def _plan_marks(found: Assessment, board_id: str, board: BoardDefinition) -> dict[str, Mark]:
    marks = {}
    for step in found.plan.steps:
        if step.place[0] == board_id:
            mark = Mark("good", say("done")) if step.done else Mark("doubtful", say("to be done"), True)
            if step.place[1] not in marks or not step.done:
                marks[step.place[1]] = mark
    return marks


def _work_marks(found: Assessment, board_id: str, board: BoardDefinition) -> dict[str, Mark]:
    return {
        refdes: Mark("good", say("replaced"))
        for where, refdes in found.moment.snapshot.parts.fitted
        if where == board_id
    }


_MARKS = {
    Stage.INTAKE: _intake_marks,
    Stage.INSPECT: _inspect_marks,
    Stage.RAILS: _rail_marks,
    Stage.ROMS: _rom_marks,
    Stage.PROBE: _probe_marks,
    Stage.SUSPECTS: _suspect_marks,
    Stage.PLAN: _plan_marks,
    Stage.REPAIR: _plan_marks,
    Stage.VERIFY: _work_marks,
    Stage.REPORT: _work_marks,
}
