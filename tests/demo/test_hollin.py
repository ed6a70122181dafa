"""Hollin 3: every hidden fault of its supplies is found from simulated readings, in few of them."""

import pytest

from loyal_trace.core.job.entries import Measured, number_or_overload
from loyal_trace.core.power.explain import explain
from loyal_trace.demo.hollin import HOLLIN_BOARD, HOLLIN_JOB, build_hollin, hollin_bench
from loyal_trace.demo.workshop import DEMO_BENCHES
from loyal_trace.resources import chip_library
from loyal_trace.store.store import Store
from tests.helpers.jobs import demo_job


@pytest.fixture
def job(tmp_path):
    with Store(tmp_path / "store") as store:
        yield demo_job(store, build_hollin, hollin_bench(), HOLLIN_JOB), hollin_bench()


def walk(session, bench, path):
    """Measures along one path until the program names a culprit; how many readings it took, and what it said."""
    board = session.boards[HOLLIN_BOARD]
    points = [p for p in board.chain if p.path == path]
    for number, point in enumerate(points, start=1):
        value, overload = number_or_overload(bench.measure(board.id, point.point, point.quantity))
        session.record(
            Measured, board=board.id, place=point.point, quantity=point.quantity, value=value, overload=overload
        )
        report = next(p for p in session.assessment().rails[board.id].paths if p.path == path)
        bad = [line for line in explain(board, report) if line.kind == "bad"]
        if report.first_bad and bad:
            return number, bad[0]
    return len(points), None


@pytest.mark.parametrize(
    ("path", "part", "words"),
    [
        ("+5 V", "BR1", "diode 3 is open"),
        ("+12 V", "F3", "2.00 A fuse where the board needs 0.5 A"),
        ("+24 V", "F2", "blown or missing"),
        ("lamp drivers", "3E", "3E.3 of 3E read differently"),
    ],
)
def test_each_fault_is_located_in_under_ten_readings(job, path, part, words):
    count, said = walk(*job, path)
    assert count < 10 and said.part == part and words in said.text


def test_after_all_readings_the_right_parts_lead_and_healthy_ones_are_cleared(job):
    session, bench = job
    for point in session.boards[HOLLIN_BOARD].chain:
        value, overload = number_or_overload(bench.measure(HOLLIN_BOARD, point.point, point.quantity))
        session.record(
            Measured, board=HOLLIN_BOARD, place=point.point, quantity=point.quantity, value=value, overload=overload
        )
    found = session.assessment()
    tables = {s.place[1]: s.probability for s in found.suspects}
    assert {p for p, probability in tables.items() if probability > 0.5} == {"BR1", "F2", "F3", "F4", "3E"}
    assert all(tables[part] < 0.3 for part in ("C1", "REG1", "REG2", "F1") if part in tables)
    said = explain(session.boards[HOLLIN_BOARD], found.rails[HOLLIN_BOARD].paths[0])
    assert any("REG1 drops out in every cycle because of its input" in line.text for line in said)
    assert any(line.part == "C1" and line.kind == "good" for line in said)


def test_renewing_the_bridge_and_the_fuses_makes_every_point_good(job):
    session, bench = job
    for part in ("BR1", "F2", "F3", "F4", "3E"):
        bench.replace_part(HOLLIN_BOARD, part)
    for point in session.boards[HOLLIN_BOARD].chain:
        value, overload = number_or_overload(bench.measure(HOLLIN_BOARD, point.point, point.quantity))
        session.record(
            Measured, board=HOLLIN_BOARD, place=point.point, quantity=point.quantity, value=value, overload=overload
        )
    assert {p.verdict for p in session.assessment().rails[HOLLIN_BOARD].points} == {"good"}


@pytest.mark.parametrize("seed", range(5))
def test_the_noise_of_the_meter_never_changes_a_verdict(seed):
    bench = hollin_bench(seed)
    assert bench.measure(HOLLIN_BOARD, "C1", "ripple frequency") == pytest.approx(50, rel=0.01)
    assert bench.measure(HOLLIN_BOARD, "F3", "rating") == 2.0
    assert bench.measure(HOLLIN_BOARD, "REG1.3", "voltage") < 4.85 < bench.measure(HOLLIN_BOARD, "C1", "voltage")


def test_every_pin_of_every_chip_of_the_workshop_can_be_probed():
    for make in DEMO_BENCHES.values():
        bench = make()
        for board_id, board in bench.boards.items():
            if not board.nets:
                continue  # the sound board is tried by its functions
            chips = [p for p in board.chips if chip_library().knows(p.number)]
            states = {
                bench.probe(board_id, p.refdes, pin.number).state
                for p in chips
                for pin in chip_library().find(p.number).pins
                if pin.role not in ("unused", "power")
            }
            assert {"L", "H", "P"} <= states, board_id
