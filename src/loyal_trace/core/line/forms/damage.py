"""What got hurt on the way: `C4 knocked off`, `C2.1 pad lifted`, `track C2.1 to U1.3 cut`, `5D cut out`."""

from collections.abc import Iterable

from loyal_trace.core.job.entries import Connected, NamedPart, Observed, Removed
from loyal_trace.core.line.context import Planned, Said
from loyal_trace.core.line.forms.changes import number_of
from loyal_trace.core.line.registry import Match, Scope, about, at, form, said
from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.stages import Stage


def _damaged(part: NamedPart, note: str) -> Planned:
    return at(Observed, part, finding=Finding.TRACK_DAMAGED, pin=part.pin, note=note)


@form(
    r"(?P<parts><parts>)\s+(?:was\s+|were\s+)?(?P<how>(?:knocked|broken|fell|came)\s+off|cut\s+out)",
    "C4 knocked off",
    "5D cut out",
    stage=Stage.REPAIR,
)
def came_off(m: Match, scope: Scope) -> Iterable[Said]:
    """Parts that came off unasked, or whose pins were cut: they are out, and something has to go in again."""
    how = "cut out" if m["how"].lower().startswith("cut") else "knocked off"
    for one in scope.places.several(m["parts"]):
        entries = (at(Removed, part, number=number_of(scope, part), reason=how) for part in one.parts)
        yield said(f"{scope.listed(one.parts)} {how}", *entries)


@form(
    r"(?:(?:the\s+)?pad\s+(?:of\s+|at\s+)?(?P<first><pin>)|(?P<second><pin>)\s+pad)\s+(?:is\s+|was\s+|has\s+)?"
    r"(?:lifted|gone|torn\s+off|come\s+off)",
    "C1.1 pad lifted",
    stage=Stage.REPAIR,
)
def pad_lifted(m: Match, scope: Scope) -> Iterable[Said]:
    """A pad that came off the board: its repair joins the plan."""
    for one in scope.places.find(m["first"] or m["second"]):
        yield said(f"{scope.named(one.one)} pad lifted", _damaged(one.one, "pad lifted"))


@form(
    r"(?:the\s+)?track\s+(?P<first><pin>)\s*(?:-|to)\s*(?P<second><pin>)\s+(?:is\s+|was\s+)?(?P<how>cut|broken|open)",
    "track 5D.13 to 4E.15 cut",
    stage=Stage.REPAIR,
)
def track_cut(m: Match, scope: Scope) -> Iterable[Said]:
    """A track that no longer connects two pins: the netlist follows, and its repair joins the plan."""
    for one in scope.places.find(m["first"]):
        others = [
            other for other in scope.places.find(m["second"]) if other.board == one.board and other.one != one.one
        ]
        for other in others:
            apart = about(Connected, one.board, first=one.one, second=other.one, joined=False)
            note = f"track to {other.one.name} {m['how'].lower()}"
            canonical = f"track {scope.named(one.one)} to {other.one.name} {m['how'].lower()}"
            yield said(canonical, apart, _damaged(one.one, note))
