"""The report as PDF: the same model, set in B612, the same bytes for the same job."""

import io
from collections.abc import Iterable
from typing import Any

from reportlab import rl_config
from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.lib.utils import ImageReader
from reportlab.platypus import CondPageBreak, Flowable, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from loyal_trace.core.vocabulary.phrases import joined
from loyal_trace.language import localised, tr
from loyal_trace.report.board_drawing import BAD, COPPER, INK, LINE, PAPER, Body, Drawing
from loyal_trace.report.lettering import BOLD, MONO, REGULAR, breaks_anywhere, markup, register_fonts, runs
from loyal_trace.report.model import ReportModel, Section
from loyal_trace.report.pictures import Picture

_WIDTH = A4[0] - 40 * mm
# Below a heading there is room for its first lines, or it begins a new page.
_ROOM = 60.0


def _style(name: str, size: float, bold: bool = False, before: float = 0, colour: str = INK) -> ParagraphStyle:
    font = BOLD if bold else REGULAR
    return ParagraphStyle(
        name, fontName=font, fontSize=size, leading=size * 1.4, spaceBefore=before, textColor=HexColor(colour)
    )


class _BoardFlowable(Flowable):  # type: ignore[misc]
    """A board map, as wide as half a page."""

    def __init__(self, drawing: Drawing, width: float) -> None:
        super().__init__()
        self.drawing, self.width = drawing, width
        self.scale = width / drawing.width
        self.height = drawing.height * self.scale + 14

    def wrap(self, available_width: float, available_height: float) -> tuple[float, float]:
        return self.width, self.height

    def draw(self) -> None:
        canvas, drawing = self.canv, self.drawing
        canvas.saveState()
        canvas.setFillColor(HexColor(INK))
        _draw(canvas, 0, 2, f"{drawing.title}: {drawing.legend}", REGULAR, 7)
        canvas.translate(0, 14)
        canvas.scale(self.scale, self.scale)
        canvas.setLineWidth(0.8)
        canvas.setFillColor(HexColor(PAPER))
        canvas.setStrokeColor(HexColor(INK))
        canvas.roundRect(0, 0, drawing.width, drawing.height, 4, fill=1)
        for body in drawing.bodies:
            self._body(body)
        canvas.restoreState()

    def _body(self, body: Body) -> None:
        canvas = self.canv
        y = self.drawing.height - body.y
        canvas.setLineWidth(0.6)
        canvas.setStrokeColor(HexColor(BAD if body.mark == "suspect" else INK))
        canvas.setFillColor(HexColor(COPPER if body.mark == "replaced" else "#FFFFFF"))
        left, bottom = body.x - body.width / 2, y - body.height / 2
        if body.round:
            canvas.circle(body.x, y, body.width / 2, fill=1)
        else:
            canvas.rect(left, bottom, body.width, body.height, fill=1)
        if body.mark == "suspect":
            canvas.line(left, bottom, left + body.width, bottom + body.height)
            canvas.line(left, bottom + body.height, left + body.width, bottom)
        canvas.setFillColor(HexColor("#FFFFFF" if body.mark == "replaced" else INK))
        width = sum(canvas.stringWidth(text, font, 4.6) for font, text in runs(body.label, MONO))
        _draw(canvas, body.x - width / 2, y - 1.6, body.label, MONO, 4.6)


class _Photograph(Flowable):  # type: ignore[misc]
    """A photograph as wide as half a page, decoded only while it is drawn."""

    def __init__(self, picture: Picture) -> None:
        super().__init__()
        self._jpeg = picture.jpeg
        self.height = min((_WIDTH / 2 - 8) * picture.height / picture.width, _WIDTH / 2)
        self.width = self.height * picture.width / picture.height

    def wrap(self, available_width: float, available_height: float) -> tuple[float, float]:
        return self.width, self.height

    def draw(self) -> None:
        reader = ImageReader(io.BytesIO(self._jpeg))
        self.canv.drawImage(reader, 0, 0, self.width, self.height)
        reader._data = reader._image = None  # the library keeps the reader, and with it the decoded picture


def _draw(canvas: Any, x: float, y: float, text: str, font: str, size: float) -> None:
    """One line of text, each stretch in the font that prints it."""
    for name, part in runs(text.replace("\n", " "), font):
        canvas.setFont(name, size)
        canvas.drawString(x, y, part)
        x += canvas.stringWidth(part, name, size)


def _words(text: str, style: ParagraphStyle, **more: Any) -> Paragraph:
    """A text as a paragraph; long words and Japanese break where the line ends."""
    if breaks_anywhere(text):
        style = style.clone(f"{style.name}-anywhere", wordWrap="CJK")
    return Paragraph(markup(text, style.fontName), style, **more)


def _table(section: Section) -> Table:
    cell, head = _style("cell", 8), _style("head", 8, bold=True)
    rows = [[_words(text, head if n == 0 else cell) for text in row] for n, row in enumerate(section.table)]
    widths = [_WIDTH * share / sum(section.widths) for share in section.widths]
    table = Table(rows, colWidths=widths, repeatRows=1, splitInRow=1)
    table.setStyle(
        TableStyle(
            [
                ("GRID", (0, 0), (-1, -1), 0.5, HexColor(LINE)),
                ("BACKGROUND", (0, 0), (-1, 0), HexColor("#EDE3D0")),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("TOPPADDING", (0, 0), (-1, -1), 2),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
            ]
        )
    )
    return table


def to_pdf(report: ReportModel, pictures: Iterable[Picture] = ()) -> bytes:
    """The report as the bytes of a PDF file, its photographs two in a row."""
    register_fonts()
    report = localised(report)
    body, grey = _style("body", 9.5), _style("grey", 9, colour="#56636F")
    heading = _style("heading", 12.5, bold=True, before=12, colour=COPPER)
    bullet = ParagraphStyle("bullet", parent=body, leftIndent=10, bulletIndent=0)
    head = joined(" · ", (text for text in (report.number, report.owner, report.made) if text))
    story: list[Any] = [_words(report.title, _style("title", 18, bold=True)), Spacer(1, 4)]
    story += [_words(head, grey), Spacer(1, 6)]
    story += [_words(line, body) for line in report.summary]
    for section in report.sections:
        story += [CondPageBreak(_ROOM), _words(section.title, heading), Spacer(1, 3)]
        story += [_words(line, bullet, bulletText="•") for line in section.lines]
        if section.table:
            story.append(_table(section))
    story += _titled(tr("Board maps"), [_BoardFlowable(one, _WIDTH / 2 - 6) for one in report.drawings], heading)
    photographs = [[_Photograph(one), _words(one.title, _style("caption", 7))] for one in pictures]
    story += _titled(tr("Photographs"), photographs, heading)
    return _built(story, report.title)


def _titled(title: str, flowables: list[Any], heading: ParagraphStyle) -> list[Any]:
    """Pictures two in a row under a heading that stays with the first of them; nothing without pictures."""
    if not flowables:
        return []
    shown = _in_twos(flowables)
    return [CondPageBreak(_height_of_first_row(shown) + _ROOM), _words(title, heading), Spacer(1, 4), shown]


def _built(story: list[Any], title: str) -> bytes:
    target = io.BytesIO()
    document = SimpleDocTemplate(
        target,
        pagesize=A4,
        leftMargin=20 * mm,
        rightMargin=20 * mm,
        topMargin=18 * mm,
        bottomMargin=18 * mm,
        title=title,
        author="Loyal Trace",
        invariant=1,
    )
    rl_config.useA85 = 0  # photographs as they are, not a quarter longer as letters
    document.build(story)
    return target.getvalue()


def _in_twos(flowables: list[Any]) -> Table:
    rows = [flowables[i : i + 2] for i in range(0, len(flowables), 2)]
    rows = [row + [""] * (2 - len(row)) for row in rows] or [["", ""]]
    return Table(rows, colWidths=[_WIDTH / 2] * 2, style=[("LEFTPADDING", (0, 0), (-1, -1), 0)])


def _height_of_first_row(table: Table) -> float:
    table.wrap(_WIDTH, A4[1])
    return float(table._rowHeights[0])
