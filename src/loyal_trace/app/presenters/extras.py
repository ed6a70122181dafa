"""What is done beyond the evidence, line by line: in the plan, offered, or left out, each with its reason."""

from loyal_trace.app.presenters.model import Cell, Row, Rows, heading
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.extras import Extra, ExtraKind, extras_of
from loyal_trace.core.job.entries import ExtraTicked
from loyal_trace.core.planning.extras import Ticked
from loyal_trace.core.vocabulary.phrases import capital, say

EXTRAS = say("usual service and improvements")
_WORDS = {Ticked.IN: say("in the plan"), Ticked.OFFERED: say("offered"), Ticked.OUT: say("left out")}
_GLYPHS = {Ticked.IN: "good", Ticked.OFFERED: "unknown", Ticked.OUT: "bad"}
# Just higher than one line: such a row grows with its words.
WRAPPED, _ONE_LINE = 31, 58


def extra_rows(workspace: Workspace) -> Rows:
    """Each line of the list of the board in view; the lines of the picked part first."""
    rows = [heading(say("Usual service and improvements; a click takes one in, or out with a reason"), 26)]
    for one in _listed(workspace):
        why = say("{why}. Way back: {back}", why=one.why, back=one.back) if one.back else one.why
        words = say("{what}: {why}", what=capital(one.what), why=why)
        if one.ticked is Ticked.OUT:
            words = say("{what}: {why}", what=capital(one.what), why=one.reason or say("no reason entered"))
        cells = (
            Cell(36, 84, workspace.place_name(one.place), bold=True, mono=True),
            Cell(124, 84, _WORDS[one.ticked], bold=one.ticked is Ticked.IN),
            Cell(212, 0, words),
        )
        rows.append(Row(_GLYPHS[one.ticked], cells, height=24 if len(words) <= _ONE_LINE else WRAPPED))
    return Rows(tuple(rows), acts=True) if len(rows) > 1 else Rows()


def _listed(workspace: Workspace) -> list[Extra]:
    """The lines of the board in view, those of the picked part first."""
    found = [one for one in extras_of(workspace.moment) if one.place.board == workspace.board]
    return sorted(found, key=lambda one: one.place != workspace.picked_part)


def tick_extra(workspace: Workspace, index: int) -> None:
    """Takes a line in; one that is in goes into the line to be left out, where its reason is typed behind."""
    listed = _listed(workspace)
    if not 0 < index <= len(listed):
        return
    one = listed[index - 1]
    if one.ticked is Ticked.IN:
        workspace.line_asked.emit(_out_line(workspace, one))
        return
    fields = {"sort": one.kind.value, "what": one.name, "back": str(one.back)}
    workspace.record(ExtraTicked, board=one.place.board, place=one.place.refdes, choice="in", **fields)


def _out_line(workspace: Workspace, one: Extra) -> str:
    """What leaves it out, up to where the reason begins."""
    place = workspace.place_name(one.place)
    if one.kind is ExtraKind.SERVICE:
        return " ".join(("service out:", place, "-- "))
    if one.kind is ExtraKind.REFLOW:
        return " ".join(("reflow out:", place, "-- "))
    if one.kind is ExtraKind.SINK:
        return " ".join(("heat sink out:", place, "-- "))
    return " ".join(("improve out", f"{place}:", one.name, "-- "))
