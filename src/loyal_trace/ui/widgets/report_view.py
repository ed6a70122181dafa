"""The report as it would be written now."""

from html import escape

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QTextBrowser

from loyal_trace.language import tr
from loyal_trace.report.model import ReportModel, Section
from loyal_trace.ui.theme import THEME


class ReportView(QTextBrowser):
    """A preview to read and to copy from."""

    picked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setOpenLinks(False)
        self.setAccessibleName(tr("report preview"))
        document = self.document()
        if document is not None:
            document.setDocumentMargin(14)

    def show_view(self, report: ReportModel | None) -> None:
        """Shows a report; where one has scrolled to stays."""
        if report is None:
            return
        bar = self.verticalScrollBar()
        at = bar.value() if bar is not None else 0
        self.setHtml(_page(report))
        if bar is not None:
            bar.setValue(at)


def _page(report: ReportModel) -> str:
    """The report as rich text; Qt escapes nothing, so everything is escaped here."""
    p = THEME.palette
    head = tr("{report_number} · {owner}", report_number=escape(report.number), owner=escape(report.owner))
    parts = [f"<h2>{escape(report.title)}</h2><p style='color:{p.soft}'>{head}</p>"]
    parts += [f"<p>{escape(line)}</p>" for line in report.summary]
    parts += [_section(section) for section in report.sections]
    return "".join(parts)


def _section(section: Section) -> str:
    p = THEME.palette
    parts = [f"<h3 style='color:{p.copper}'>{escape(section.title)}</h3>"]
    parts += [f"<p>• {escape(line)}</p>" for line in section.lines]
    if section.table:
        cells = ("".join(f"<td style='padding:2px 8px'>{escape(cell)}</td>" for cell in row) for row in section.table)
        rows = "".join(f"<tr>{row}</tr>" for row in cells)
        parts.append(f"<table border='1' cellspacing='0' style='border-color:{p.line}'>{rows}</table>")
    return "".join(parts)
