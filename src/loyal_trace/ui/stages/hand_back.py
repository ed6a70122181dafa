"""Hand back: the report for the owner and the next repairer."""

from pathlib import Path

from PyQt6.QtWidgets import QTextBrowser, QVBoxLayout, QWidget

from loyal_trace.core.assess.away import away
from loyal_trace.core.assess.teardown import left_over, still_out
from loyal_trace.core.job.entries import Decided, HandedBack
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.report.model import ReportModel, build_report
from loyal_trace.report.write import write_report
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.theme import THEME
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame


class HandBackStage:
    """The report as it would be written now, and the keys that write it."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.preview = QTextBrowser()
        self.preview.setOpenLinks(False)
        self.preview.document().setDocumentMargin(14)
        self.preview.setAccessibleName("report preview")
        evidence = QWidget()
        layout = QVBoxLayout(evidence)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.preview)
        self.frame = StageFrame(evidence)
        self.frame.entry.submitted.connect(self._submitted)

    def hints(self) -> tuple[KeyHint, ...]:
        return (
            KeyHint("P", "write PDF", lambda: self._write(".pdf")),
            KeyHint("M", "write HTML", lambda: self._write(".html")),
            KeyHint("G", "good enough", self._good_enough),
            KeyHint("B", "handed back", lambda: self.desk.record(HandedBack)),
            KeyHint('"', "file name"),
        )

    def overlay_trace(self) -> tuple[tuple[tuple[str, int], ...], str]:
        return (), ""

    def picked(self) -> None:
        """The report does not follow the picked part."""

    def folder(self) -> Path:
        """Where reports go: beside the store."""
        return self.desk.job.store.folder / "reports"

    def refresh(self) -> None:
        session = self.desk.job
        report = build_report(session.assessment(), session.entries, session.env.clock())
        proof = session.assessment().proof
        untested = len(proof.not_tested)
        written = count_of(len(session.entries), "logbook entry", "logbook entries")
        facts = f"{written} · {count_of(untested, 'item')} not tested"
        self.frame.head("What does the owner get, and the next repairer?", facts)
        self.preview.setHtml(_page(report))
        open_steps = [s for s in session.assessment().plan.steps if not s.done]
        left = (*left_over(session.snapshot), *still_out(session.snapshot), *(a.words for a in away(session.moment)))
        if left and not session.snapshot.paper.handed_back:
            why = f"Not as it should go home: {'; '.join(dict.fromkeys(left))[:230]}."
            self.frame.meaning.say(why, "Put back what came off (Ctrl+2, D), and what is away (Ctrl+8).", "bad")
        elif session.snapshot.paper.handed_back:
            when = f"Handed back on {session.snapshot.paper.handed_back.time:%Y-%m-%d}."
            self.frame.meaning.say(when, "Write the report again if you need it.", "good")
        elif open_steps or untested:
            why = f"{count_of(len(open_steps), 'step')} open, {count_of(untested, 'item')} not tested."
            self.frame.meaning.say(why, "Go on proving, or decide that it is good enough (G).", "doubtful")
        else:
            why = "Everything planned is done and everything listed is tested."
            self.frame.meaning.say(why, "Write the report (P).", "good")
        self.frame.entry.set_target("report", "a file name, or P for the PDF, M for HTML")
        self.frame.entry.set_hints(self.hints())

    def _write(self, ending: str) -> None:
        opened = self.desk.job.snapshot.opened
        name = (opened.number if opened and opened.number else self.desk.job.id).lower()
        self.write_to(self.folder() / f"{name}{ending}")

    def write_to(self, file: Path) -> None:
        """Writes the report and says where it is."""

        def act() -> list[str]:
            job = self.desk.job
            model = build_report(job.assessment(), job.entries, job.env.clock(), job.store.head(job.id))
            size = write_report(model, file, make_folders=True)
            return [f"{file} written ({size:,} bytes)"]

        self.desk.attempt(act)

    def _good_enough(self) -> None:
        self.desk.record(Decided, what="good enough", choice="good enough", reason="see what is not tested")

    def _submitted(self, text: str) -> None:
        name = text.strip()
        if name:
            self.frame.entry.edit.clear()
            self.write_to(self.folder() / name)


def _page(report: ReportModel) -> str:
    """The report as rich text; Qt escapes nothing, so everything is escaped here."""
    from html import escape

    p = THEME.palette
    head = f"{escape(report.number)} · {escape(report.owner)}"
    parts = [f"<h2>{escape(report.title)}</h2><p style='color:{p.soft}'>{head}</p>"]
    parts += [f"<p>{escape(line)}</p>" for line in report.summary]
    for section in report.sections:
        parts.append(f"<h3 style='color:{p.copper}'>{escape(section.title)}</h3>")
        parts += [f"<p>• {escape(line)}</p>" for line in section.lines]
        if section.table:
            rows = "".join(
                "<tr>" + "".join(f"<td style='padding:2px 8px'>{escape(cell)}</td>" for cell in row) + "</tr>"
                for row in section.table
            )
            parts.append(f"<table border='1' cellspacing='0' style='border-color:{p.line}'>{rows}</table>")
    return "".join(parts)
