import re

import pytest

from loyal_trace.core.logbook import entries as e
from loyal_trace.demo.workshop import build_demo, demo_bench
from loyal_trace.report.html import to_html
from loyal_trace.report.model import build_report
from loyal_trace.report.pdf import to_pdf
from loyal_trace.session import Surroundings
from loyal_trace.store.store import Store
from tests.helpers.builders import START


@pytest.fixture
def session(tmp_path):
    with Store(tmp_path / "store") as store:
        yield build_demo(store, demo_bench(), Surroundings())


def sections(session):
    report = build_report(session.assessment(), session.entries, START)
    return {s.title: s for s in report.sections}, report


def test_the_report_says_what_was_found_measured_done_and_not_tested(session):
    session.record(e.Fitted, board="tw-cpu", place="C1", number="6800u 35V", origin="tray F", note="<b>tight</b> fit")
    session.record(e.Measured, board="tw-cpu", place="C1", quantity="ripple", value=2.0, powered=True)
    found, report = sections(session)
    assert any("6C" in line and "A9" in line for line in found["Found"].lines)
    ripple = next(
        row for row in found["Measured, before and after"].table if row[0] == "tw-cpu C1" and row[1] == "ripple"
    )
    assert ripple[2] != "–" and ripple[3] == "2.00 V"
    assert found["Parts out and in"].table[1][2:4] == ("6800u 35V", "tray F")
    assert any("harness" in line for line in found["Not tested"].lines)
    page = to_html(report)
    assert "&lt;b&gt;tight" in page and "<b>tight" not in page and page.count("<svg") == 2


def test_html_and_pdf_hold_the_same_sections(session):
    _, report = sections(session)
    page = to_html(report)
    titles = [s.title for s in report.sections]
    assert re.findall("<h2>(.*?)</h2>", page) == [*titles, "Board maps"]
    first, second = to_pdf(report), to_pdf(report)
    assert first == second and first.startswith(b"%PDF") and len(first) > 20_000
