"""The report as one HTML file that stands alone."""

from jinja2 import Environment

from loyal_trace.language import localised, tr, used
from loyal_trace.report.board_drawing import to_svg
from loyal_trace.report.model import ReportModel
from loyal_trace.resources import read_text


def to_html(report: ReportModel) -> str:
    """The whole page; every text from the job is escaped."""
    report = localised(report)
    template = Environment(autoescape=True).from_string(read_text("data/report.html.j2"))
    drawings = [(drawing, to_svg(drawing)) for drawing in report.drawings]
    return template.render(report=report, drawings=drawings, maps=tr("Board maps"), code=used().code)
