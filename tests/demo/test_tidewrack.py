"""The demo job end to end without a window: readings from the simulated bench, faults found by the program."""

import random

import pytest

from loyal_trace.app.job import OpenJob, open_new_job
from loyal_trace.core.assess.chips import judged_chips, odds_of_chip
from loyal_trace.core.job import entries as e
from loyal_trace.core.job.entries import number_or_overload, pin_state
from loyal_trace.core.probing.states import PinReading
from loyal_trace.demo.common import board_files_of
from loyal_trace.demo.workshop import JOB_ID, build_demo, demo_bench
from loyal_trace.store.store import Store
from tests.helpers.jobs import demo_job


class Bench:
    """A person at the bench: takes readings from the simulated instruments and writes them down."""

    def __init__(self, session, bench):
        self.session, self.bench = session, bench

    def measure(self, board, place, *quantities):
        for quantity in quantities:
            value, overload = number_or_overload(self.bench.measure(board, place, quantity))
            self.session.record(e.Measured, board=board, place=place, quantity=quantity, value=value, overload=overload)

    def probe(self, board, refdes):
        chip = self.session.library.find(self.session.boards[board].part(refdes).number)
        pins = [pin_state(p.number, self.bench.probe(board, refdes, p.number)) for p in chip.pins if p.role != "unused"]
        self.session.record(e.PinsProbed, board=board, place=refdes, pins=tuple(pins))

    def read(self, board, refdes):
        data = self.bench.read_rom(board, refdes)
        sha = self.session.store.put_attachment(data)
        self.session.record(e.RomRead, board=board, place=refdes, attachment=sha, size=len(data))

    def fit(self, board, refdes, number, origin="own part"):
        self.bench.replace_part(board, refdes, origin)
        self.session.record(e.Fitted, board=board, place=refdes, number=number, origin=origin)

    def starts(self, count):
        for _ in range(count):
            clean, code = self.bench.start()
            self.session.record(e.Started, clean=clean, code=code)


@pytest.fixture
def person(tmp_path):
    with Store(tmp_path / "store") as store:
        bench = demo_bench()
        yield Bench(demo_job(store, build_demo, bench, JOB_ID), bench)


def probability(person, board, refdes):
    suspect = person.session.assessment().suspect_at((board, refdes))
    return suspect.probability if suspect else 0.0


def test_the_whole_job_finds_every_hidden_fault_and_proves_the_repair(person):
    found = person.session.assessment()
    roms = {place[1]: slot.verdict.verdict for place, slot in found.roms.items() if place[0] == "tw-cpu"}
    assert roms == {
        "6A": "matches",
        "6B": "matches",
        "6C": "stuck-address",
        "6D": "matches",
        "6E": "matches",
        "6F": "few-bytes",
    }
    assert found.roms[("tw-cpu", "6C")].verdict.hypotheses[0].where["address"] == [9]
    assert "A9 (pin 24)" in found.roms[("tw-cpu", "6C")].verdict.next
    assert probability(person, "tw-cpu", "C1") > 0.5

    person.probe("tw-vid", "5D")
    assert [o.pin for o in person.session.assessment().chips[("tw-vid", "5D")].unusual] == [13]
    assert (
        max(person.session.assessment().suspects, key=lambda s: s.probability * (s.place[0] == "tw-vid")).place[1]
        == "5D"
    )
    assert probability(person, "tw-vid", "5D") > 0.5 and probability(person, "tw-vid", "5A") < 0.1

    person.measure("tw-cpu", "C12", "capacitance", "esr")
    person.measure("tw-cpu", "C13", "capacitance", "esr")
    assert probability(person, "tw-cpu", "C12") > 0.9 and probability(person, "tw-cpu", "C13") < 0.1

    kinds = {step.id for step in person.session.assessment().plan.steps}
    assert {
        "tw-cpu/6C/leg",
        "tw-cpu/6F/program",
        "tw-cpu/C1/capacitor",
        "tw-cpu/C12/capacitor",
        "tw-vid/5D/chip",
    } <= kinds

    person.fit("tw-cpu", "6C", "27C64", "own part, leg straightened")
    person.fit("tw-cpu", "6F", "27C64", "own part, programmed anew")
    person.fit("tw-cpu", "C1", "6800u 35V", "tray F")
    person.fit("tw-cpu", "C12", "10u 25V", "tray A")
    for refdes in ("6C", "6F"):
        person.read("tw-cpu", refdes)
    assert all(s.word == "matches" for s in person.session.assessment().roms.values())

    person.fit("tw-vid", "5D", "74LS166", "drawer 3")
    person.probe("tw-vid", "5D")
    assert person.session.assessment().chips[("tw-vid", "5D")].word == "unusual", "the spare is bad, and is found out"
    person.fit("tw-vid", "5D", "74LS166", "drawer 7")
    person.probe("tw-vid", "5D")
    assert (
        person.session.assessment().chips[("tw-vid", "5D")].word == "possible"
        and probability(person, "tw-vid", "5D") < 0.1
    )

    person.starts(12)
    failed = [s for s in person.session.snapshot.proving.starts if not s.clean]
    assert failed and {s.code for s in failed} == {"ROM 3"}
    assert probability(person, "tw-cpu", "6D") > 0.5, "right content, yet named by the self-test: its socket"
    assert "tw-cpu/6D/socket" in {step.id for step in person.session.assessment().plan.steps}
    person.fit("tw-cpu", "6D", "27C64", "own part, socket renewed")
    person.starts(59)
    tally = person.session.assessment().proof.starts
    assert tally.failed == 0 and tally.upper < 0.05 and tally.still_needed == 0 and tally.failed_before > 0


@pytest.fixture
def healthy(tmp_path):
    """The boards of the demo without a fault, on a job in which nothing was said yet."""
    for board, files in board_files_of(("tw-cpu", "tw-vid")).items():
        (tmp_path / board).mkdir()
        for name, data in files.items():
            (tmp_path / board / name).write_bytes(data)
    bench = demo_bench()
    bench.faults.clear()
    with Store(tmp_path / "store") as store:
        job = OpenJob(store, open_new_job(store, "healthy", [tmp_path / "tw-cpu", tmp_path / "tw-vid"]))
        yield Bench(job, bench)


def most_suspect(person):
    return max((s.probability for s in person.session.assessment().suspects), default=0.0)


@pytest.mark.parametrize("seed", [None, 1, 6])
def test_healthy_boards_probed_completely_accuse_nobody_after_the_advised_readings(healthy, seed):
    dice = random.Random(seed)

    def misread(reading):
        slips = seed is not None and reading.state in "LHP" and dice.random() < 0.02
        return PinReading(dice.choice([s for s in "LHP" if s != reading.state])) if slips else reading

    def probe(board, refdes, only=()):
        chip = healthy.session.library.find(healthy.session.boards[board].part(refdes).number)
        pins = [p.number for p in chip.pins if p.role != "unused" and (not only or p.number in only)]
        states = tuple(pin_state(pin, misread(healthy.bench.probe(board, refdes, pin))) for pin in pins)
        healthy.session.record(e.PinsProbed, board=board, place=refdes, pins=states)

    for board_id, board in healthy.session.boards.items():
        for part in board.chips:
            probe(board_id, part.refdes)
    assert seed is not None or most_suspect(healthy) < 0.2
    for _ in range(2):
        for place, verdict in judged_chips(healthy.session.moment).items():
            if verdict.impossible:
                probe(*place, odds_of_chip(healthy.session.moment, place).read_again)
    assert most_suspect(healthy) < 0.2


def test_healthy_boards_accuse_nobody(library):
    """Every chip of the undamaged set, probed on every pin, can do what it does."""
    from loyal_trace.core.probing.check import check_chip

    bench = demo_bench()
    for board, refdes in (("tw-cpu", "6C"), ("tw-cpu", "6F"), ("tw-vid", "5D")):
        bench.replace_part(board, refdes)
    for board_id, board in bench.boards.items():
        for part in board.chips:
            chip = library.find(part.number)
            readings = {p.number: bench.probe(board_id, part.refdes, p.number) for p in chip.pins if p.role != "unused"}
            assert [o.reason for o in check_chip(chip, readings).outputs if o.verdict == "impossible"] == []


def test_evidence_moves_belief_the_right_way_and_a_measured_short_accuses_the_neighbour(person):
    person.probe("tw-vid", "5D")
    before = probability(person, "tw-vid", "5F")
    person.session.record(e.Measured, board="tw-vid", place="5D.13", quantity="resistance", value=2.0)
    assert probability(person, "tw-vid", "5F") > before
    undone = person.session.last_action()
    person.session.retract(undone.id)
    assert probability(person, "tw-vid", "5F") == pytest.approx(before)


def test_the_next_things_are_ordered_by_what_they_tell_a_minute(person):
    things = person.session.assessment().next
    assert len(things) == 3 and [t.value for t in things] == sorted((t.value for t in things), reverse=True)
    assert len({t.place for t in things}) == 3 and all(t.bits > 0 for t in things)


@pytest.mark.parametrize("choice", ["least invasive", "likely first", "capacitors first"])
def test_plan_order_follows_its_school_and_parts_add_up(person, choice):
    person.session.record(e.Decided, what="repair order", choice=choice)
    plan = person.session.assessment().plan
    assert plan.order == choice and plan.minutes_left == sum(s.minutes for s in plan.steps)
    assert sum(need.needed for need in plan.parts) == sum(
        1 for s in plan.steps if s.part_number and s.kind != "program"
    )
    kinds = [s.kind for s in plan.steps]
    if choice == "capacitors first":
        assert kinds.index("capacitor") == 0
    if choice == "least invasive":
        assert kinds.index("leg") < kinds.index("capacitor")


def test_untestable_items_come_from_what_the_bench_lacks(person):
    reasons = dict(person.session.assessment().proof.not_tested)
    assert reasons["switch inputs"] == "this bench has no harness"
