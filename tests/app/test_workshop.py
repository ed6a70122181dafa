"""What a workshop keeps beside its jobs: offers become its own, damaged lists are named, and a donor comes last."""

import pytest

from loyal_trace.app.commands import Setting, enter_line
from loyal_trace.app.job import OpenJob, open_new_job
from loyal_trace.app.repairs import entries_of_step, spares_for
from loyal_trace.app.workshop import OFFERS_FILE, keep_offers, load_workshop
from loyal_trace.core.assess.parts import spare_for
from loyal_trace.core.job.entries import Fitted, Worked
from loyal_trace.core.line.context import Status
from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.formats.part_table import board_from_table, guess_columns
from loyal_trace.formats.tables import read_table
from loyal_trace.resources import chip_library
from loyal_trace.store.store import Store

LIST = "refdes,value\nU1,74LS00\nU2,74LS04\nREG1,7805\nC1,100u 16V\n"
OFFERS = b"shop,number,price,days\nQuay,100u 25V,0.4,3\nQuay,74LS00,0.8,3\n"


@pytest.fixture
def job(tmp_path):
    with Store(tmp_path / "store") as store:
        table = read_table(LIST.encode(), "parts.csv")
        files = board_from_table(table, guess_columns(table), "parts", "Own board", chip_library())
        yield OpenJob(store, open_new_job(store, "Own", [], listed=[files]))


def say(job, *lines):
    for line in lines:
        found = enter_line(job, line, Setting(Stage.REPAIR))
        assert found.status is Status.RECORDED, (line, found.status, found.why)


def steps(job, kind):
    return [step for step in job.assessment().plan.steps if step.kind == kind and not step.done]


def test_offers_become_the_workshops_own_whole_or_not_at_all(job):
    folder = job.store.folder
    assert keep_offers(folder, OFFERS, "quay.csv") == 2
    job.read_workshop()
    assert [offer.number for offer in job.moment.offers] == ["100u 25V", "74LS00"]
    with pytest.raises(UserFileError, match="number"):
        keep_offers(folder, b"a,b\n1,2\n", "other.csv")
    assert (folder / OFFERS_FILE).read_bytes() == OFFERS, "what was there stays"


def test_damaged_offers_are_named_and_nothing_else_is_lost(job):
    (job.store.folder / OFFERS_FILE).write_bytes(b"shop,number,price\nQuay,100u,cheap\n")
    found = load_workshop(job.store.folder)
    assert found.offers == () and any("shop offers were not read" in text for text in found.warnings)
    assert any("cheap" in text for text in found.warnings)


def test_a_part_on_a_donor_board_comes_after_one_in_the_drawer_and_its_risk_is_said(job):
    say(job, "donor: 74LS00 at 3F of GP-7, risk 20 %", "donor: 74LS00 at 1A of GP-8, risk 5 %", "U1 missing")
    assert spare_for(job.moment, "74LS00").place == "donor GP-8 1A", "the one with less risk"
    say(job, "drawer: 1x 74LS00 in tray 2")
    assert spare_for(job.moment, "74LS00").place == "tray 2"
    say(job, "U1 replaced with 74LS00 from tray 2")
    assert spare_for(job.moment, "74LS00").place == "donor GP-8 1A", "what was taken is gone"
    say(job, "U2 replaced with 74LS00 from donor GP-8 1A")
    assert spare_for(job.moment, "74LS00").place == "donor GP-7 3F"


def test_a_finished_heat_sink_and_a_finished_improvement_are_work_on_the_part_and_their_steps_are_gone(job):
    say(job, "REG1 dissipates 4 W", "REG1 has no heat sink", "improve REG1: a label; back: peel it off")
    for kind, action in (("sink", "heat sink fitted"), ("improve", "modified")):
        (step,) = steps(job, kind)
        assert spares_for(job, step) == []
        entries = entries_of_step(job, step)
        job.record_all(entries)
        assert isinstance(entries[0], Worked) and entries[0].action == action and steps(job, kind) == []
    assert entries[0].detail == "a label; back: peel it off"


def test_a_socket_for_every_chip_is_fitted_and_the_chip_stays_the_same(job):
    say(job, "decide sockets: socket everything")
    first, *_ = steps(job, "socketing")
    entries = entries_of_step(job, first)
    assert isinstance(entries[0], Fitted) and entries[0].number == "74LS00" and entries[0].place == "U1"
    job.record_all(entries)
    assert [step.place.refdes for step in steps(job, "socketing")] == ["U2"]


def test_a_repaired_pad_is_recorded_at_its_pin(job):
    say(job, "C1.2 pad lifted")
    (step,) = steps(job, "track")
    work, _ = entries_of_step(job, step)
    assert work.action == "track repaired" and work.parts[0].pin == 2
    job.record_all([work])
    assert steps(job, "track") == []
