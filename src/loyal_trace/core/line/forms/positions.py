"""Where parts are and how large the board is, in millimetres: `U7 at 88, 50 mm`, `board 168 x 122 mm`."""

from collections.abc import Iterable

from loyal_trace.core.job.entries import OutlineTold, PartTold
from loyal_trace.core.line.context import Refusal, Said
from loyal_trace.core.line.registry import Match, Scope, about, at, form, said
from loyal_trace.core.vocabulary.stages import Stage

_MM = r"\d{1,4}(?:[.,]\d{1,2})?"
_LARGEST = 2000.0


def _length(text: str, quantity: str) -> float:
    found = float(text.replace(",", "."))
    if not 0 < found <= _LARGEST:
        raise Refusal("impossible-value", value=text, quantity=quantity)
    return found


@form(
    rf"(?P<at><part>)\s+(?:is\s+)?at\s+(?P<x>{_MM})\s*(?:mm)?\s*(?:[x×]\s*|,\s+|\s)\s*(?P<y>{_MM})\s*mm"
    r"(?:\s+turned\s+(?P<turned>0|90|180|270))?",
    "U7 at 88, 50 mm",
    "U7 at 88, 50 mm turned 90",
    stage=Stage.INTAKE,
)
def part_position(m: Match, scope: Scope) -> Iterable[Said]:
    """The middle of a part: millimetres from the left and from the top of the board, and how it is turned."""
    x, y = _length(m["x"], "position"), _length(m["y"], "position")
    turned = int(m["turned"] or 0)
    tail = f" turned {turned}" if turned else ""
    for one in scope.places.find(m["at"], new_ok=True):
        entry = at(PartTold, one.one, x=x, y=y, rotation=turned)
        yield said(f"{scope.named(one.one)} at {x:g}, {y:g} mm{tail}", entry, new=one)


@form(
    rf"(?:(?P<on><board>)\s+)?board\s+(?:is\s+)?(?P<width>{_MM})\s*(?:mm)?\s*[x×]\s*(?P<height>{_MM})\s*mm",
    "board 168 x 122 mm",
    stage=Stage.INTAKE,
)
def board_size(m: Match, scope: Scope) -> Iterable[Said]:
    """The width and height of a board."""
    width, height = _length(m["width"], "width"), _length(m["height"], "height")
    for board in scope.boards(m["on"], free=False):
        entry = about(OutlineTold, board, width=width, height=height)
        yield said(f"{scope.board_words(board)}board {width:g} x {height:g} mm", entry)
