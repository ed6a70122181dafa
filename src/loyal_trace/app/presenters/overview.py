"""What surrounds the pages: the stations, the map's overlay, where work left off, everything behind a verdict."""

from collections.abc import Mapping
from dataclasses import dataclass

from loyal_trace.app.presenters.model import Overlay, Trace
from loyal_trace.app.presenters.tray import Tray, tray_of
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.progress import map_marks, progress
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.job.entries import OWN_BOARD, stage_of
from loyal_trace.core.vocabulary.identity import natural_key
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.stages import Stage

SHOWING: Mapping[Stage, str] = {
    Stage.INTAKE: say("what is away"),
    Stage.INSPECT: say("what was seen"),
    Stage.RAILS: say("supplies and what needs them"),
    Stage.ROMS: say("ROM verdicts"),
    Stage.PROBE: say("what has been probed"),
    Stage.SUSPECTS: say("what is suspect"),
    Stage.PLAN: say("what is to be replaced"),
    Stage.REPAIR: say("what is to be replaced"),
    Stage.VERIFY: say("what was replaced"),
    Stage.REPORT: say("what was replaced"),
}
PURPOSE: Mapping[Stage, str] = {
    Stage.INTAKE: say("Owner, complaint, boards and their revisions, first power, job settings."),
    Stage.INSPECT: say("The board part by part: findings, photos, leaks, teardown, before anything is removed."),
    Stage.RAILS: say("Supply voltages from the plug to the far chip: where the first fault is."),
    Stage.ROMS: say("The contents of every ROM socket: do they match, and if not, which fault explains it."),
    Stage.PROBE: say("Logic levels pin by pin: which outputs are possible, unusual or impossible."),
    Stage.SUSPECTS: say("Probability that each part is faulty, with all evidence for and against."),
    Stage.PLAN: say("What to replace, with which part, in which order, and what to buy."),
    Stage.REPAIR: say("One step at a time, with tool, cautions and the check afterwards."),
    Stage.VERIFY: say("Counted starts, the checklist, and what was not tested."),
    Stage.REPORT: say("The report for the owner and the next repairer."),
}


@dataclass(frozen=True)
class MapView:
    """The boards as tabs (id, title), the one in view, what lies over it, and what that shows."""

    tabs: tuple[tuple[str, str], ...]
    current: str
    board: BoardDefinition | None
    overlay: Overlay
    showing: str
    tray: Tray | None = None


def map_view(workspace: Workspace, stage: Stage, trace: Trace) -> MapView:
    """The map at a stage."""
    boards = workspace.job.boards
    # The only board of a job, grown in it, goes by the job's title; beside others it needs a name that can be typed.
    alone = len(boards) == 1 and OWN_BOARD in boards
    tabs = tuple((board_id, workspace.job.title if alone else board.title) for board_id, board in boards.items())
    board = workspace.definition
    if board is None:
        return MapView(tabs, "", None, Overlay({}), "")
    marks = map_marks(workspace.assessment(), workspace.board, stage)
    words = {refdes: (mark.kind, mark.word, mark.hatched) for refdes, mark in marks.items()}
    pins, label = trace
    over = Overlay(words, workspace.part, pins, label, workspace.area)
    return MapView(tabs, workspace.board, board, over, SHOWING[stage], tray_of(board))


OutlineRow = tuple[str, str, tuple[tuple[str, str], ...]]


def outline(workspace: Workspace, stage: Stage) -> tuple[OutlineRow, ...]:
    """(id, title, (refdes, words) of each part) of every board: what the map shows at a stage, in words."""
    found = []
    for board_id, board in workspace.job.boards.items():
        marks = map_marks(workspace.assessment(), board_id, stage)
        parts = []
        for part in sorted(board.parts, key=lambda p: natural_key(p.refdes)):
            word = (
                marks[part.refdes].word or term(marks[part.refdes].kind)
                if part.refdes in marks
                else say("nothing known")
            )
            parts.append(
                (
                    part.refdes,
                    say("{refdes} {part_number}: {word}", refdes=part.refdes, part_number=part.number, word=word),
                )
            )
        found.append((board_id, board.title, tuple(parts)))
    return tuple(found)


def stations(workspace: Workspace) -> list[tuple[float, str]]:
    """How full each of the ten stations is (0 to 1), and its count."""
    return [(one.filled, one.count) for one in progress(workspace.assessment())]


def job_words(workspace: Workspace) -> tuple[str, str]:
    """The title of the job and a line of facts about it."""
    opened = workspace.snapshot.opened
    facts = [opened.number, opened.maker] if opened else []
    return workspace.job.title, joined(" · ", (fact for fact in facts if fact)) or workspace.job.id


def stage_where_work_left_off(workspace: Workspace) -> Stage:
    """The stage of the newest entry that counts."""
    dead = workspace.job.retracted
    stages = (stage_of(entry) for entry in reversed(workspace.job.entries) if entry.id not in dead)
    return next((stage for stage in stages if stage is not None), Stage.INTAKE)


def pick_where_work_left_off(workspace: Workspace) -> None:
    """Picks the part that the newest action is about."""
    entry = workspace.job.last_action()
    place = str(getattr(entry, "place", "") or "")
    board = workspace.job.boards.get(entry.board) if entry is not None else None
    if entry is None or board is None:
        return
    refdes = place if board.has(place) else place.split(".")[0]
    if board.has(refdes):
        workspace.pick(entry.board, refdes)


def evidence_words(workspace: Workspace) -> str:
    """Everything behind the verdict on the picked part."""
    suspect = workspace.assessment().suspect_at(workspace.place)
    if suspect is None:
        return ""
    lines = [
        say("{it} {weight:.1f}  {e}", it="+" if e.weight > 0 else "−", weight=abs(e.weight), e=e.text)
        for e in suspect.evidence
    ]
    return say("Evidence about {refdes} (log-odds):\n", refdes=suspect.place.refdes) + joined("\n", lines)
