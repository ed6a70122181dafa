"""The board picture and the report's table cells."""

from xml.etree import ElementTree

import pytest

from loyal_trace.core.job import entries as e
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.report.board_drawing import BAD, COPPER, draw_board, to_svg
from loyal_trace.report.html import to_html
from loyal_trace.report.model import build_report
from loyal_trace.report.pdf import to_pdf
from loyal_trace.report.write import report_bytes
from tests.helpers.builders import START, assessment_of, made, measured, probed, small_board


def test_the_svg_is_well_formed_and_marks_what_became_of_parts():
    entries = [*[probed("U1", "1=L 2=H 3=L")] * 4, made(e.Fitted, board="small", place="C1", number="new")]
    found = assessment_of(None, entries)
    drawing = draw_board("small", small_board(), found)
    assert {b.label: b.mark for b in drawing.bodies} == {"U1": "suspect", "U2": "", "C1": "replaced"}
    root = ElementTree.fromstring(to_svg(drawing))
    texts = [t.text for t in root.iter("{http://www.w3.org/2000/svg}text")]
    assert texts == ["U1", "U2", "C1"] and "1 replaced" in drawing.legend and "1 still suspect" in drawing.legend
    fills = {c.get("fill") for c in root.iter("{http://www.w3.org/2000/svg}circle")}
    assert fills == {COPPER} and BAD in to_svg(drawing)


def report(entries):
    return build_report(assessment_of(None, entries), list(entries), START)


def test_retracted_work_is_not_reported_as_done():
    note = made(e.StepDone, step="small/U1/chip", what="Replace U1", minutes=25.0)
    done = {s.title: s for s in report([note]).sections}["Done"]
    assert "step done: Replace U1" in done.lines[0] and "25 minutes" in done.lines[1]
    again = {s.title: s for s in report([note, made(e.Retracted, target=note.id)]).sections}
    assert "Done" not in again or not any("Replace U1" in line for line in again["Done"].lines)


def test_starts_are_told_with_their_bound_and_what_chance_would_do():
    before = [made(e.Started, clean=False) for _ in range(3)]
    fitted = made(e.Fitted, board="small", place="U1", number="74LS00")
    after = [made(e.Started, clean=True) for _ in range(20)]
    lines = {s.title: s for s in report([*before, fitted, *after]).sections}["Starts"].lines
    assert lines[0] == "Before the last change: 0 clean of 3 starts." and "At most 14 % of starts fail" in lines[1]
    assert "by chance alone" in lines[2]


def test_what_is_left_alone_and_advised_is_said_with_its_reason():
    skipped = made(e.StepDone, step="small/U1/chip", what="Replace U1", skipped=True, note="kept for its looks")
    found = {s.title: s for s in report([probed("U1", "1=L 2=H 3=L"), skipped]).sections}
    assert any("kept for its looks" in line for line in found["Left as it was, and why"].lines)
    assert any("C1" in line for line in found["Advice"].lines)


def test_good_enough_is_a_decision_and_reads_as_one():
    decided = made(e.Decided, what="good enough", choice="good enough", reason="one lamp stays dim")
    assert any("one lamp stays dim" in line for line in report([decided]).summary)


def test_nothing_from_the_job_can_become_markup():
    nasty = "<script>alert(1)</script> & “quotes”"
    entries = [
        made(e.Opened, title=nasty, owner=nasty, complaint=nasty),
        measured(nasty, "voltage", 5.0),
        made(e.StepDone, step="x/y/chip", what=nasty, note=nasty),
    ]
    page = to_html(report(entries))
    assert "<script>" not in page and "&lt;script&gt;" in page
    assert to_pdf(report(entries)).startswith(b"%PDF")


def test_an_unknown_ending_is_refused(tmp_path):
    class Session:
        entries: list = []
        around = type("A", (), {"clock": staticmethod(lambda: START)})

        def assessment(self):
            return assessment_of()

    with pytest.raises(RequestError, match=r"\.pdf or \.html"):
        report_bytes(Session(), tmp_path / "x.docx")
