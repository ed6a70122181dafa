"""docs/first-board.md as it stands: its list opens a job, every one of its lines is recorded, and what it says is so."""

import re
from pathlib import Path

import pytest

from loyal_trace.app.commands import Setting, enter_line, guard_words
from loyal_trace.app.job import OpenJob, open_new_job
from loyal_trace.core.assess.looking import leak_cautions
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.formats.part_table import board_from_table, guess_columns
from loyal_trace.formats.tables import read_table
from loyal_trace.resources import chip_library
from loyal_trace.store.store import Store

DOC = (Path(__file__).resolve().parents[2] / "docs" / "first-board.md").read_text(encoding="utf-8")
BLOCKS = re.findall(r"```line\n(.*?)```", DOC, flags=re.DOTALL)
PARTS = re.search(r"```csv\n(.*?)```", DOC, flags=re.DOTALL)[1]


@pytest.fixture
def job(tmp_path):
    table = read_table(PARTS.encode(), "parts.csv")
    files = board_from_table(table, guess_columns(table), "sound", "Sound board", chip_library())
    with Store(tmp_path) as store:
        yield OpenJob(store, open_new_job(store, "Sound board", [], listed=[files]))


def enter(job, *blocks):
    for line in (line for block in blocks for line in block.strip().splitlines()):
        found = enter_line(job, line, Setting(in_view="sound"))
        assert found.status == "recorded", f"{line}: {found.status} {found.why}"


def test_the_list_keeps_every_part_and_the_voltage_in_the_same_cell(job):
    (board,) = job.boards.values()
    assert [p.refdes for p in board.parts] == ["BR1", "BT1", "C1", "C2", "F1", "J1", "REG1", "U1", "U2", "U3"]
    assert (board.part("C2").value, board.part("C2").voltage) == (pytest.approx(47e-6), 25.0)


def test_every_line_of_the_page_is_recorded_and_leads_where_the_page_says(job):
    enter(job, *BLOCKS[:2])
    assert Caution.LEAKED_ELECTROLYTE in leak_cautions(job.moment, "sound")
    assert any(step.kind == "socket" and step.place.refdes == "U3" for step in job.assessment().plan.steps)
    enter(job, BLOCKS[2])
    assert "Unplug the board" in guard_words(job, "sound")
    enter(job, BLOCKS[3])
    assert guard_words(job, "sound") == "" and job.assessment().rails["sound"].may_power()
    enter(job, *BLOCKS[4:7])
    found = job.assessment()
    assert found.capacitors["sound", "C2"].verdict == "bad" and "100 kHz" in found.capacitors[
        "sound", "C2"
    ].reason.replace("100.0", "100")
    assert {s.place.refdes for s in found.suspects[:2]} == {"U1", "C2"}
    enter(job, *BLOCKS[7:])
    found = job.assessment()
    assert {s.place.refdes for s in found.suspects if s.probability >= 0.5} == set()
    assert (found.proof.starts.clean, found.proof.starts.failed) == (3, 1) and found.proof.starts.still_needed > 59
