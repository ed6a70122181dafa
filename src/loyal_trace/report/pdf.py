"""The report as PDF: the same model, set in B612, the same bytes for the same job."""

import io
from functools import cache
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase.pdfmetrics import registerFont, registerFontFamily
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from loyal_trace.core.vocabulary.phrases import joined
from loyal_trace.language import localised, tr
from loyal_trace.report.board_drawing import BAD, COPPER, INK, LINE, PAPER, Body, Drawing
from loyal_trace.report.model import ReportModel, Section
from loyal_trace.resources import read_bytes

_WIDTH = A4[0] - 40 * mm


@cache
def register_fonts() -> None:
    """Makes B612 known to the PDF library, once."""
    for name, file in (("B612", "B612-Regular"), ("B612-Bold", "B612-Bold"), ("B612Mono", "B612Mono-Regular")):
        registerFont(TTFont(name, io.BytesIO(read_bytes(f"fonts/{file}.ttf"))))
    registerFontFamily("B612", normal="B612", bold="B612-Bold")


def _style(name: str, size: float, bold: bool = False, before: float = 0, colour: str = INK) -> ParagraphStyle:
    font = "B612-Bold" if bold else "B612"
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
        canvas.setFont("B612", 7)
        canvas.setFillColor(HexColor(INK))
        canvas.drawString(0, 2, f"{drawing.title}: {drawing.legend}")
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
        canvas.setFont("B612Mono", 4.6)
        canvas.drawCentredString(body.x, y - 1.6, body.label)


def _table(section: Section) -> Table:
    cell, head = _style("cell", 8), _style("head", 8, bold=True)
    rows = [[Paragraph(escape(text), head if n == 0 else cell) for text in row] for n, row in enumerate(section.table)]
    widths = [_WIDTH * share / sum(section.widths) for share in section.widths]
    table = Table(rows, colWidths=widths, repeatRows=1)
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


def to_pdf(report: ReportModel) -> bytes:
    """The report as the bytes of a PDF file."""
    register_fonts()
    report = localised(report)
    body, grey = _style("body", 9.5), _style("grey", 9, colour="#56636F")
    heading = _style("heading", 12.5, bold=True, before=12, colour=COPPER)
    bullet = ParagraphStyle("bullet", parent=body, leftIndent=10, bulletIndent=0)
    head = joined(" · ", (text for text in (report.number, report.owner, report.made) if text))
    story: list[Any] = [Paragraph(escape(report.title), _style("title", 18, bold=True)), Spacer(1, 4)]
    story += [Paragraph(escape(head), grey), Spacer(1, 6)]
    story += [Paragraph(escape(line), body) for line in report.summary]
    for section in report.sections:
        story += [Paragraph(escape(section.title), heading), Spacer(1, 3)]
        story += [Paragraph(escape(line), bullet, bulletText="•") for line in section.lines]
        if section.table:
            story.append(_table(section))
    if report.drawings:
        story += [Paragraph(tr("Board maps"), heading), Spacer(1, 4), _maps(report)]
    target = io.BytesIO()
    document = SimpleDocTemplate(
        target,
        pagesize=A4,
        leftMargin=20 * mm,
        rightMargin=20 * mm,
        topMargin=18 * mm,
        bottomMargin=18 * mm,
        title=report.title,
        author="Loyal Trace",
        invariant=1,
    )
    document.build(story)
    return target.getvalue()


def _maps(report: ReportModel) -> Table:
    """Board maps two in a row."""
    width = _WIDTH / 2 - 6
    flowables: list[Any] = [_BoardFlowable(drawing, width) for drawing in report.drawings]
    rows = [flowables[i : i + 2] for i in range(0, len(flowables), 2)]
    rows = [row + [""] * (2 - len(row)) for row in rows] or [["", ""]]
    return Table(rows, colWidths=[_WIDTH / 2] * 2, style=[("LEFTPADDING", (0, 0), (-1, -1), 0)])
