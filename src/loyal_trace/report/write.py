"""Writes the report of an open job in the format that a file's ending names."""

from pathlib import Path

from loyal_trace.core.errors import MachineError, RequestError
from loyal_trace.report.model import build_report
from loyal_trace.session import JobSession


def report_bytes(session: JobSession, file: Path) -> bytes:
    """The report as .pdf or .html; RequestError for another ending."""
    model = build_report(session.assessment(), session.entries, session.around.clock())
    if file.suffix.lower() in (".html", ".htm"):
        from loyal_trace.report.html import to_html

        return to_html(model).encode()
    if file.suffix.lower() == ".pdf":
        from loyal_trace.report.pdf import to_pdf

        return to_pdf(model)
    raise RequestError(f"{file.name}: the report is written as .pdf or .html; give the file one of these endings")


def write_report(session: JobSession, file: Path) -> int:
    """Writes the report beside its target and moves it into place; returns its length in bytes."""
    data = report_bytes(session, file)
    temporary = file.with_name(file.name + ".part")
    try:
        temporary.write_bytes(data)
        temporary.replace(file)
    except OSError as error:
        temporary.unlink(missing_ok=True)
        raise MachineError(f"{file}: the report could not be written ({error.strerror}); nothing was changed") from None
    return len(data)
