"""Corvane CS-8: its evidence disagrees, and each of its hidden faults is found from what the bench says."""

import pytest

from loyal_trace.core.assess.looking import leaks_on
from loyal_trace.core.assess.roms import mixed_revisions
from loyal_trace.core.job.entries import Measured, Observed, RomRead, number_or_overload
from loyal_trace.core.power.explain import explain
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.demo.corvane import CORVANE_BOARD, CORVANE_JOB, build_corvane, corvane_bench
from loyal_trace.store.store import Store
from tests.helpers.jobs import demo_job


@pytest.fixture
def job(tmp_path):
    bench = corvane_bench()
    with Store(tmp_path / "store") as store:
        yield demo_job(store, build_corvane, bench, CORVANE_JOB), bench


def test_the_marks_disagree_and_nothing_is_settled_until_one_is_looked_at_again(job):
    session, _ = job
    board, firmware = session.revision(CORVANE_BOARD), session.revision(CORVANE_BOARD, "firmware")
    assert "the marks disagree" in board.warnings[0] and board.settled == ""
    assert "labels of two firmware revisions" in firmware.warnings[0]
    assert session.boards[CORVANE_BOARD].has("C37") and not session.boards[CORVANE_BOARD].has("C35"), (
        "as in the definition"
    )


def test_the_revisions_have_different_capacitor_maps(job):
    defined = job[0].defined[CORVANE_BOARD]
    maps = [{p.refdes for p in defined.as_revision(r).capacitors} for r in ("1", "2")]
    assert maps[0] - maps[1] == {"C35", "C36"} and maps[1] - maps[0] == {"C37"}


def test_the_roms_are_of_two_firmwares_and_the_sums_say_which(job):
    session, bench = job
    for slot in ("3A", "3B"):
        data = bench.read_rom(CORVANE_BOARD, slot)
        sha = session.store.put_attachment(data)
        session.record(RomRead, board=CORVANE_BOARD, place=slot, attachment=sha, size=len(data))
    verdicts = {place[1]: slot.verdict.verdict for place, slot in session.assessment().roms.items()}
    assert sorted(verdicts.values()) == ["matches", "other-revision"]
    mix = mixed_revisions(session.moment, CORVANE_BOARD)
    assert mix.mixed and "3A of A; 3B of B" in mix.words and "the chips can be good" in mix.words


def test_the_flat_cell_the_stuck_bit_and_the_leaks_are_found(job):
    session, bench = job
    board = session.boards[CORVANE_BOARD]
    for point in board.chain:
        value, overload = number_or_overload(bench.measure(board.id, point.point, point.quantity))
        session.record(
            Measured, board=board.id, place=point.point, quantity=point.quantity, value=value, overload=overload
        )
    for refdes, finding in bench.seen(board.id).items():
        session.record(Observed, board=board.id, place=refdes, finding=finding)
    found = session.assessment()
    strong = {s.place[1] for s in found.suspects if s.probability > 0.5}
    assert {"BT1", "5F", "C32", "C34"} <= strong and not strong & {"5A", "5H", "REG1", "C12"}
    cell = next(p for p in found.rails[board.id].paths if p.path == "back-up cell")
    assert any("BT1 is flat" in line.text for line in explain(board, cell))
    reached = {part.refdes for leak in leaks_on(session.moment, board.id) for part in leak.open}
    assert {"V2", "V3", "C31", "J2"} <= reached, "vias are within reach too"
    assert bench.probe(board.id, "5F", 14).state == "H" and bench.probe(board.id, "5E", 14).state == "P"
    steps = {s.place[1]: s for s in found.plan.steps}
    assert Caution.CELL_LITHIUM in steps["BT1"].cautions and "socket" not in steps["BT1"].tool


def test_the_photo_shows_the_stains_that_the_bench_hides(job):
    session, _ = job
    (photo,) = session.snapshot.seen.photos.values()
    import numpy as np

    from loyal_trace.demo.camera import camera_matrix
    from loyal_trace.formats.photos import upright

    pixels = upright(session.store.attachment(photo.attachment), "photo")
    picture = np.frombuffer(pixels.rgb, np.uint8).reshape(pixels.height, pixels.width, 3).astype(int)
    board = session.boards[CORVANE_BOARD]

    def below(refdes):
        part = board.part(refdes)
        u, v, w = camera_matrix(board) @ np.array([part.x + 1.5, part.y + 10.5, 1.0])
        return picture[int(v / w), int(u / w)]

    for stained, clean in (("C32", "C31"), ("C34", "C1")):
        assert below(stained)[0] > below(clean)[0] + 25, "yellowish where it leaked, green elsewhere"
