"""Ways of working in figures: sockets for all, some or none, and how power is first applied."""

from loyal_trace.app.presenters.model import Cell, Row, Rows, heading
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.compare import School, open_tasks, schools_of
from loyal_trace.core.assess.extra_steps import SOCKETS, sockets_choice
from loyal_trace.core.assess.first_power import first_power_choice
from loyal_trace.core.job.entries import Decided
from loyal_trace.core.vocabulary.phrases import say, term
from loyal_trace.core.vocabulary.units import format_percent

FIRST = "first power"


def _listed(workspace: Workspace) -> list[tuple[str, School]]:
    sockets, first_power = schools_of(workspace.moment)
    return [*((SOCKETS, school) for school in sockets), *((FIRST, school) for school in first_power)]


def _chosen(workspace: Workspace, what: str) -> str:
    if what == FIRST:
        return first_power_choice(workspace.moment)
    return sockets_choice(workspace.moment)


def school_rows(workspace: Workspace) -> Rows:
    """Each way with the minutes that it adds, the chance of damage, and why; the one decided on is marked."""
    if not open_tasks(workspace.moment):
        return Rows()
    rows = [heading(say("Ways of working; a click decides"), 26)]
    for what, school in _listed(workspace):
        decided = _chosen(workspace, what) == school.name
        cells = (
            Cell(36, 168, term(school.name), bold=decided),
            Cell(200, 92, say("+{minutes:.0f} min", minutes=school.minutes), mono=True),
            Cell(296, 96, say("damage {share}", share=format_percent(school.damage))),
            Cell(396, 0, school.why),
        )
        rows.append(Row("good" if decided else "unknown", cells, height=24))
    return Rows(tuple(rows), acts=True)


def choose_school(workspace: Workspace, index: int) -> None:
    """The job decides for the way in that row."""
    listed = _listed(workspace)
    if 0 < index <= len(listed):
        what, school = listed[index - 1]
        workspace.record(Decided, what=what, choice=str(school.name), reason=str(school.why))
