import re

import pytest

from loyal_trace.core.job import entries as e
from loyal_trace.demo.workshop import JOB_ID, build_demo, demo_bench
from loyal_trace.report.html import to_html
from loyal_trace.report.model import build_report
from loyal_trace.report.pdf import to_pdf
from loyal_trace.store.store import Store
from tests.helpers.builders import START
from tests.helpers.jobs import demo_job


@pytest.fixture
def session(tmp_path):
    with Store(tmp_path / "store") as store:
        yield demo_job(store, build_demo, demo_bench(), JOB_ID)


def sections(session):
    report = build_report(session.assessment(), session.entries, START)
    return {s.title: s for s in report.sections}, report


def test_the_report_says_what_was_found_measured_done_and_not_tested(session):
    session.record(e.Fitted, board="tw-cpu", place="C1", number="6800u 35V", origin="tray F", note="<b>tight</b> fit")
    session.record(e.Measured, board="tw-cpu", place="C1", quantity="ripple", value=2.0, powered=True)
    found, report = sections(session)
    assert any("6C" in line and "A9" in line for line in found["Found"].lines)
    ripple = next(
        row for row in found["Measured, before and after"].table if row[0] == "TW-CPU C1" and row[1] == "ripple"
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


def test_the_report_tells_serials_assumptions_and_what_does_not_go_home(session):
    record = session.record
    record(e.Decided, board="tw-cpu", what="serial tw-cpu", choice="TW-1042")
    for refdes, label in (("6A", "TW-0 A"), ("6B", "TW-1 B")):
        record(e.Decided, board="tw-cpu", what=f"label tw-cpu/{refdes}", choice=label)
    record(e.Assumed, board="tw-cpu", name="spare gate", together=(("1B.5", "1B.9"),))
    record(e.Measured, board="tw-cpu", place="1B.5 1B.9", quantity="continuity", value=None, overload=True)
    record(e.TakenApart, board="tw-cpu", sort="fastener", what="screws", count=4, size="M3x8", place="shield")
    record(e.Removed, board="tw-cpu", place="2B", number="LK80", reason="taken out to safety", shelf="box 3")
    record(e.Fitted, board="tw-vid", place="5A", number="74LS166", origin="spare set", lender="spare set")
    found, _ = sections(session)
    (line,) = found["Boards"].lines
    assert "serial TW-1042" in line and "6B labelled “TW-1 B”" in line and "6A say A; 6B say B" in line
    assert found["Assumptions about the board"].lines == (
        "spare gate: does not hold, 1B.5 and 1B.9 are not connected.",
    )
    assert found["Not complete"].lines == (
        "4 × screws, shield.",
        "2B is stored at box 3.",
        "5A is borrowed from spare set and has to go back.",
    )
    assert not any("5A: repaired" in text for text in found["Found"].lines), "a stand-in repairs nothing"


def test_modifications_stand_with_their_way_back_and_what_was_left_out_with_its_reason(session):
    reg = e.NamedPart(board="tw-cpu", refdes="REG1")
    fields = {"board": "tw-cpu", "parts": (reg,)}
    session.record(e.Worked, action="modified", detail="diode from output to input; back: unsolder it", **fields)
    session.record(e.ExtraTicked, board="tw-cpu", place="J1", sort="usual service", choice="out", note="new last year")
    found, _ = sections(session)
    assert ("TW-CPU REG1", "diode from output to input", "unsolder it") in found["Modifications and the way back"].table
    assert "TW-CPU J1, usual service: left out. new last year" in found["Left as it was, and why"].lines
    session.record(e.Worked, action="modification undone", **fields)
    assert sections(session)[0]["Modifications and the way back"].table[1][2].startswith("undone ")


def test_a_capacitors_readings_stand_with_what_they_were_taken_under(session):
    fields = {"board": "tw-cpu", "place": "C12", "quantity": "esr", "value": 4.0}
    session.record(e.Measured, **fields, frequency=100e3, celsius=5.0, in_circuit=False)
    session.record(e.Measured, **{**fields, "value": 0.5}, frequency=120.0)
    found, _ = sections(session)
    rows = {row[:2]: row[2:] for row in found["Measured, before and after"].table}
    assert rows["TW-CPU C12", "esr"] == ("4.00 Ω at 100 kHz at 5 °C, out of circuit", "500 mΩ at 120 Hz")
