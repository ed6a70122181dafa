"""A line entered: recorded as one action, undone and redone as one, with what its step would have done."""

import pytest

from loyal_trace.app.commands import Setting, enter_line, preview, setting_at
from loyal_trace.app.job import OpenJob, new_id, open_new_job
from loyal_trace.core.job.entries import Decided
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.demo.workshop import JOB_ID, build_demo, demo_bench
from loyal_trace.store.store import Store
from tests.helpers.builders import BOARD_TOML, tiny_files


@pytest.fixture
def job(tmp_path):
    with Store(tmp_path) as store:
        folder = tmp_path / "tiny"
        folder.mkdir()
        for name, data in tiny_files().items():
            (folder / name).write_bytes(data)
        yield OpenJob(store, open_new_job(store, "A board", [folder]))


@pytest.fixture
def tidewrack(tmp_path):
    with Store(tmp_path) as store:
        build_demo(store, demo_bench(), new_id)
        yield OpenJob(store, JOB_ID)


def live(job):
    """The kinds of the entries that count."""
    return [entry.kind for entry in job.entries if entry.id not in job.retracted and entry.kind != "retracted"]


def test_a_preview_records_nothing_and_enter_records_just_what_it_said(job):
    before = len(job.entries)
    shown = preview(job, "U1 removed", Setting())
    assert len(job.entries) == before and shown.says == "U1 removed" and shown.status == "recorded"
    done = enter_line(job, "U1 removed", Setting())
    assert done.says == shown.says and [e.kind for e in done.entries] == ["removed"] and len(job.entries) == before + 1


def test_unclear_and_refused_lines_leave_nothing(job):
    before = len(job.entries)
    for line, status in [("C1 6,800u", "unclear"), ("U9 removed", "refused"), ("C1 6,800u", "unclear")]:
        assert enter_line(job, line, Setting()).status == status
    assert len(job.entries) == before
    chosen = preview(job, "C1 6,800u", Setting()).choices.index("C1 measures 6800u")
    done = enter_line(job, "C1 6,800u", Setting(), chosen)
    assert done.status == "recorded" and done.says == "C1 measures 6800u" and len(job.entries) == before + 1


def test_what_one_line_recorded_is_undone_and_redone_as_one(job):
    enter_line(job, "C1 replaced with 220n from tray F -- worn", Setting())
    assert live(job)[-2:] == ["removed", "fitted"] and {e.note for e in job.entries[-2:]} == {"worn"}
    assert [e.kind for e in job.undo()] == ["removed", "fitted"] and live(job) == ["opened"]
    assert [e.kind for e in job.redo()] == ["removed", "fitted"] and live(job) == ["opened", "removed", "fitted"]
    assert job.redo() == []
    assert [e.kind for e in job.undo()] == ["removed", "fitted"]
    enter_line(job, "U1 removed", Setting())
    assert job.redo() == []


def test_redo_goes_back_through_several_undos_in_their_order(job):
    for line in ("U1 removed", "U1 fitted with 74LS00", "start ok"):
        enter_line(job, line, Setting())
    for _ in range(3):
        job.undo()
    assert live(job) == ["opened"] and job.undo() == []
    for _ in range(3):
        job.redo()
    assert live(job) == ["opened", "removed", "fitted", "started"]
    assert job.store.entries(job.id)[-1].kind == "started"


def test_an_action_said_does_what_its_step_would_do(tidewrack):
    job = tidewrack
    step = next(s for s in job.assessment().plan.steps if s.kind == "capacitor" and not s.done)
    enter_line(job, "TW-CPU C2 removed", Setting())
    assert not any(e.kind == "step_done" for e in job.entries)
    board = job.boards[step.place.board].name
    done = enter_line(job, f"{board} {step.place.refdes} replaced with 470u 35V from tray F", Setting())
    kinds = [e.kind for e in done.entries]
    assert kinds[:2] == ["removed", "fitted"] and "step_done" in kinds
    assert next(s for s in job.assessment().plan.steps if s.id == step.id).done
    job.undo()
    assert not next(s for s in job.assessment().plan.steps if s.id == step.id).done


def test_a_replaced_chip_retires_the_evidence_gathered_before(tidewrack):
    job = tidewrack
    suspect = max((s for s in job.assessment().suspects if s.place.board == "tw-vid"), key=lambda s: s.probability)
    enter_line(job, f"TW-VID {suspect.place.refdes} replaced", Setting())
    after = {s.place: s.probability for s in job.assessment().suspects}
    assert after.get(suspect.place, 0.0) < suspect.probability / 3


def test_a_powered_measurement_tells_its_caution_and_stops_nothing(tidewrack):
    job = tidewrack
    points = [p for b in job.boards.values() for p in b.chain if p.powered]
    assert points
    results = [
        enter_line(job, f"{job.boards[b].name} {p.point} 5V", Setting())
        for b in job.boards
        for p in job.boards[b].chain
        if p.powered and p.quantity == "voltage"
    ]
    assert all(r.status == "recorded" for r in results) and any(r.cautions for r in results)


def test_a_bench_that_was_said_is_the_bench_of_the_next_job(job):
    enter_line(job, "bench lacks: 12 V AC, harness", Setting())
    assert isinstance(job.entries[-1], Decided)
    other = OpenJob(job.store, open_new_job(job.store, "Another", [job.store.folder / "tiny"]))
    assert other.workshop.bench is not None and "harness" in str(other.workshop.bench)


def test_a_place_is_picked_from_outside_by_its_name(tidewrack):
    found = setting_at(tidewrack, Stage.PROBE, "TW-VID", "5d.13")
    assert found.picked == PartRef("tw-vid", "5D") and found.asked.pins[0] == 13
    assert enter_line(tidewrack, "L", found).entries[0].pins[0].pin == 13
    for board, place, why in [("", "5D", "TW-CPU 5D or TW-VID 5D"), ("nope", "", "no board"), ("TW-VID", "9Z", "9Z")]:
        with pytest.raises(RequestError, match=why):
            setting_at(tidewrack, Stage.PROBE, board, place)


def test_a_job_without_a_board_grows_one_from_what_is_said(tmp_path):
    with Store(tmp_path) as store:
        job = OpenJob(store, open_new_job(store, "Unknown board", []))
        for line in ("U1 is 74LS00", "U2 is 74LS04", "U1.3 = U2.1", "U1 1=H 2=H 3=H"):
            assert enter_line(job, line, Setting()).status == "recorded", line
        (board,) = job.boards.values()
        assert {p.refdes for p in board.parts} == {"U1", "U2"} and BOARD_TOML
        assert job.assessment().chips[PartRef(board.id, "U1")].word == "impossible"
        again = OpenJob(store, job.id)
        assert again.boards.keys() == job.boards.keys() and again.assessment().chips == job.assessment().chips
