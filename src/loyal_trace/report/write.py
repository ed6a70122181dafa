"""Writes the report of an open job in the format that a file's ending names."""

from collections.abc import Iterable
from pathlib import Path

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.whole_file import write_whole
from loyal_trace.report.model import ReportModel
from loyal_trace.report.pictures import Picture


def report_bytes(model: ReportModel, file: Path, pictures: Iterable[Picture] = ()) -> bytes:
    """The report as .pdf or .html; RequestError for another ending."""
    if file.suffix.lower() in (".html", ".htm"):
        from loyal_trace.report.html import to_html

        return to_html(model, pictures).encode()
    if file.suffix.lower() == ".pdf":
        from loyal_trace.report.pdf import to_pdf

        return to_pdf(model, pictures)
    raise RequestError(
        say("{file}: the report is written as .pdf or .html; give the file one of these endings", file=file.name)
    )


def write_report(model: ReportModel, file: Path, make_folders: bool = False, pictures: Iterable[Picture] = ()) -> int:
    """Writes the report whole or not at all, with its photographs; returns its length in bytes."""
    data = report_bytes(model, file, pictures)
    write_whole(file, data, "report", make_folders)
    return len(data)
