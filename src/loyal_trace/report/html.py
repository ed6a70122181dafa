"""The report as one HTML file that stands alone."""

import base64
from collections.abc import Iterable

from jinja2 import Environment

from loyal_trace.language import localised, tr, used
from loyal_trace.report.board_drawing import to_svg
from loyal_trace.report.model import ReportModel
from loyal_trace.report.pictures import Picture
from loyal_trace.resources import read_text


def to_html(report: ReportModel, pictures: Iterable[Picture] = ()) -> str:
    """The whole page, its photographs within it; every text from the job is escaped."""
    report = localised(report)
    template = Environment(autoescape=True).from_string(read_text("data/report.html.j2"))
    drawings = [(drawing, to_svg(drawing)) for drawing in report.drawings]
    photographs = [(picture.title, base64.b64encode(picture.jpeg).decode("ascii")) for picture in pictures]
    titles = {"maps": tr("Board maps"), "photographs": tr("Photographs")}
    return template.render(report=report, drawings=drawings, pictures=photographs, code=used().code, **titles)
