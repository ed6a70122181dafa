"""The board map as plain shapes (millimetres), so that HTML (SVG) and PDF draw the very same picture."""

from dataclasses import dataclass
from xml.sax.saxutils import escape

from loyal_trace.core.assess.assessment import Assessment
from loyal_trace.core.assess.suspects import SHOWN_FROM
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.outline import body_size
from loyal_trace.core.vocabulary.phrases import say

INK, PAPER, LINE, COPPER, GOOD, BAD = "#22303C", "#FBF8F1", "#D5CAB8", "#A0541A", "#2C7554", "#B0342A"


@dataclass(frozen=True)
class Body:
    """One part: centre, size, label, and what became of it (replaced, suspect, or nothing)."""

    x: float
    y: float
    width: float
    height: float
    round: bool
    label: str
    mark: str = ""


@dataclass(frozen=True)
class Drawing:
    """A board seen from the component side."""

    title: str
    width: float
    height: float
    bodies: tuple[Body, ...]
    legend: str


def draw_board(board_id: str, board: BoardDefinition, assessment: Assessment) -> Drawing:
    """The board with replaced parts and remaining suspects marked."""
    fitted = {refdes for b, refdes in assessment.moment.snapshot.parts.fitted if b == board_id}
    suspects = {s.place[1] for s in assessment.suspects if s.place[0] == board_id and s.probability >= 10 * SHOWN_FROM}
    bodies = tuple(_body(part, fitted, suspects) for part in board.parts if part.placed)
    legend = say(
        "{count} replaced (filled), {count2} still suspect (crossed)", count=len(fitted), count2=len(suspects - fitted)
    )
    return Drawing(board.title, board.width, board.height, bodies, legend)


def _body(part: Part, fitted: set[str], suspects: set[str]) -> Body:
    width, height = body_size(part)
    mark = "replaced" if part.refdes in fitted else "suspect" if part.refdes in suspects else ""
    return Body(part.x, part.y, width, height, part.kind == "capacitor" and part.polarised, part.refdes, mark)


def to_svg(drawing: Drawing) -> str:
    """The drawing as an SVG element."""
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="-3 -3 {drawing.width + 6:g} {drawing.height + 6:g}" '
        f'role="img" aria-label="{escape(drawing.title)}" class="board">',
        f'<rect width="{drawing.width:g}" height="{drawing.height:g}" rx="4" fill="{PAPER}" stroke="{INK}" '
        'stroke-width="0.8"/>',
    ]
    parts += [_svg_body(body) for body in drawing.bodies]
    return "".join(parts) + "</svg>"


def _svg_body(body: Body) -> str:
    fill = COPPER if body.mark == "replaced" else "#FFFFFF"
    stroke = BAD if body.mark == "suspect" else INK
    left, top = body.x - body.width / 2, body.y - body.height / 2
    if body.round:
        shape = f'<circle cx="{body.x:g}" cy="{body.y:g}" r="{body.width / 2:g}" fill="{fill}" stroke="{stroke}"/>'
    else:
        shape = (
            f'<rect x="{left:g}" y="{top:g}" width="{body.width:g}" height="{body.height:g}" fill="{fill}" '
            f'stroke="{stroke}" stroke-width="0.6"/>'
        )
    if body.mark == "suspect":
        shape += (
            f'<path d="M{left:g} {top:g}L{left + body.width:g} {top + body.height:g}M{left + body.width:g} {top:g}'
            f'L{left:g} {top + body.height:g}" stroke="{BAD}" stroke-width="0.5"/>'
        )
    colour = "#FFFFFF" if body.mark == "replaced" else INK
    text = f'<text x="{body.x:g}" y="{body.y + 1.6:g}" font-size="4.6" text-anchor="middle" fill="{colour}">'
    return shape + text + f"{escape(body.label)}</text>"
