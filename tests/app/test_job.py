"""An open job: record, undo, redo; what is in memory is always what is on disk."""

from dataclasses import replace
from threading import Event, Thread

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from loyal_trace.app.job import OpenJob, find_job, open_new_job
from loyal_trace.app.workshop import DRAWER_FILE
from loyal_trace.core.assess.assessment import assess
from loyal_trace.core.assess.moment import Memo
from loyal_trace.core.job import entries as e
from loyal_trace.core.job.fold import fold
from loyal_trace.core.proving.bench import LACKS, SUPPLIES
from loyal_trace.core.vocabulary.errors import RequestError, UserFileError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.formats.bench_profile import BENCH_FILE
from loyal_trace.store.store import Store
from tests.helpers.builders import BOARD_TOML, tiny_files
from tests.helpers.entries import logbooks


def board_folder(path, **changes):
    path.mkdir()
    for name, data in tiny_files(**changes).items():
        (path / name).write_bytes(data)
    return path


@pytest.fixture
def store(tmp_path):
    with Store(tmp_path / "store") as opened:
        yield opened


@pytest.fixture
def job(store, tmp_path):
    return OpenJob(store, open_new_job(store, "Job", [board_folder(tmp_path / "tiny")]))


def test_memory_and_disk_hold_the_same_after_every_step(job, store):
    note = job.record(e.Note, text="one")
    job.record(e.Started, clean=True)
    job.retract(note.id)
    assert list(job.entries) == list(store.entries(job.id, lean=True)) and job.snapshot == fold(job.entries)
    assert job.snapshot.paper.notes == ()


def test_a_moment_is_of_one_moment(job):
    first = job.moment
    assert job.moment is first
    job.record(e.PinsProbed, board="tiny", place="U1", pins=tuple(e.PinState(pin=n, state="L") for n in (1, 3)))
    assert job.moment is not first and PartRef("tiny", "U1") not in first.snapshot.readings.pins
    assert job.assessment().chips[PartRef("tiny", "U1")].word == "impossible"


def test_retracting_twice_or_nothing_is_refused(job):
    note = job.record(e.Note, text="x")
    job.retract(note.id)
    for target in (note.id, "nobody"):
        with pytest.raises(RequestError):
            job.retract(target)


def test_undo_walks_back_action_by_action_and_redo_records_again(job):
    job.record(e.Note, text="first")
    job.record_all([job.make(e.Observed, board="tiny", place=p, finding="clean") for p in ("U1", "U2", "C1")])
    assert len(job.undo()) == 3 and not job.snapshot.seen.findings
    assert job.undo()[0].text == "first" and job.undo() == []
    assert [entry.text for entry in job.redo()] == ["first"]
    assert len(job.redo()) == 3 and len(job.snapshot.seen.findings) == 3 and job.redo() == []
    assert len(job.undo()) == 3, "what was recorded again is one action too"
    job.redo()
    ids = [entry.id for entry in job.entries]
    assert len(ids) == len(set(ids)) and list(job.entries) == list(job.store.entries(job.id, lean=True))


def test_something_new_ends_what_can_be_redone(job):
    job.record(e.Note, text="a")
    job.undo()
    job.record(e.Note, text="b")
    assert job.redo() == [] and [note.text for note in job.snapshot.paper.notes] == ["b"]


def test_after_reopening_undo_still_takes_a_whole_action_back(job, store):
    job.record_all(
        [job.make(e.Removed, board="tiny", place="U1"), job.make(e.Fitted, board="tiny", place="U1", number="74LS00")]
    )
    again = OpenJob(store, job.id)
    again.undo()
    assert not again.snapshot.parts.removed and not again.snapshot.parts.fitted


@settings(max_examples=25)
@given(st.lists(st.sampled_from(["note", "two", "undo", "redo"]), max_size=14))
def test_any_row_of_actions_undos_and_redos_is_what_a_list_with_a_cursor_would_hold(tmp_path_factory, acts):
    with Store(tmp_path_factory.mktemp("s")) as store:
        job = OpenJob(store, open_new_job(store, "Job", []))
        done, undone, count = [], [], 0
        for act in acts:
            if act in ("note", "two"):
                names = [f"{act} {count} {n}" for n in range(1 if act == "note" else 2)]
                count += 1
                job.record_all([job.make(e.Note, text=name) for name in names])
                done, undone = [*done, names], []
            elif act == "undo":
                job.undo()
                if done:
                    undone.append(done.pop())
            else:
                job.redo()
                if undone:
                    done.append(undone.pop())
        shown = [note.text for note in job.snapshot.paper.notes]
        assert shown == [name for group in done for name in group]
        assert OpenJob(store, job.id).snapshot == job.snapshot


def test_a_job_needs_valid_boards_with_ids_of_their_own(store, tmp_path):
    board_folder(tmp_path / "a")
    board_folder(tmp_path / "b")
    with pytest.raises(RequestError, match="same id"):
        open_new_job(store, "x", [tmp_path / "a", tmp_path / "b"])
    board_folder(tmp_path / "bad", toml=BOARD_TOML.replace('id = "tiny"', ""))
    with pytest.raises(UserFileError):
        open_new_job(store, "x", [tmp_path / "bad"])
    assert store.jobs() == ()


def test_a_bad_drawer_or_bench_file_is_named_and_stops_no_job(store):
    (store.folder / DRAWER_FILE).write_text("number,count\n74LS00,3\n")
    job = open_new_job(store, "x", [])
    assert OpenJob(store, job).workshop.drawer[0].count == 3
    (store.folder / DRAWER_FILE).write_text("number,value\n74LS00,lots\n")
    (store.folder / BENCH_FILE).write_text("supplies = ")
    found = OpenJob(store, job).workshop
    assert found.drawer == () and found.bench is None
    assert "drawer.csv, line 2" in found.warnings[0] and "bench.toml" in found.warnings[1]


def test_words_with_quotation_marks_come_back_from_the_bench_file(job, store):
    job.record(e.Decided, what=LACKS, choice='a "long" harness, back\\slash')
    job.record(e.Decided, what=SUPPLIES, choice="+5 V 3 A")
    job.save_bench()
    again = OpenJob(store, open_new_job(store, "next", [])).workshop
    assert again.bench.lacks == {'a "long" harness', "back\\slash"} and again.warnings == ()


def test_a_job_is_found_by_id_or_title_and_two_of_one_title_are_told_apart_by_id(store):
    first = open_new_job(store, "My board", [])
    assert find_job(store, first) == find_job(store, "my board ") == first
    second = open_new_job(store, "My board", [])
    with pytest.raises(RequestError) as told:
        find_job(store, "My board")
    assert first in str(told.value) and second in str(told.value)
    with pytest.raises(RequestError, match="id or title"):
        find_job(store, "Nobody")


def test_a_chip_that_was_read_or_gave_a_signature_is_a_socket_at_once_and_after_reopening(job, store):
    job.record(e.PartTold, board="tiny", place="U7", number="HYB-3", sort="chip")
    assert [slot.refdes for slot in job.boards["tiny"].rom_slots] == ["U2"]
    job.record(e.SignatureTaken, board="tiny", place="U7", value=0x7A5F)
    job.record(e.PartTold, board="tiny", place="U8", number="HYB-4", sort="chip")
    job.record(e.RomRead, board="tiny", place="U8", attachment=store.put_attachment(b"x" * 16), size=16)
    assert [slot.refdes for slot in job.boards["tiny"].rom_slots] == ["U2", "U7", "U8"]
    again = OpenJob(store, job.id)
    assert again.boards == job.boards and set(again.assessment().roms) == set(job.assessment().roms)
    job.undo()
    assert [slot.refdes for slot in job.boards["tiny"].rom_slots] == ["U2", "U7"]


@settings(max_examples=30)
@given(logbooks())
def test_whatever_is_recorded_the_open_job_shows_what_a_fresh_opening_shows(tmp_path_factory, log):
    """Entries of any kind and retractions, judged after each: no cache of the open job is older than its logbook."""
    with Store(tmp_path_factory.mktemp("any")) as store:
        job = OpenJob(store, open_new_job(store, "Job", []))
        job.add_board(tiny_files(BOARD_TOML.replace('"tiny"', '"small"')), "small")
        blobs = {store.put_attachment(data): data for data in (bytes(8), b"12345678")}
        for entry in log:
            if getattr(entry, "attachment", None):
                entry = entry.model_copy(update={"attachment": next(iter(blobs))})
            job.record_all([entry.model_copy(update={"part_of": ""})])
            boards, roms = job.boards, job.assessment().roms
        if log:
            again = OpenJob(store, job.id)
            assert (again.boards, again.assessment().roms) == (boards, roms)
            assert again.assessment().plan == job.assessment().plan


def test_verdicts_are_worked_out_beside_while_entries_are_recorded(job):
    """A moment is frozen: a worker that judges one never sees it grow."""
    failures: list[BaseException] = []
    done = Event()

    def judge():
        try:
            while not done.is_set():
                moment = job.moment
                found = assess(moment)
                before = (len(moment.snapshot.readings.pins), len(found.suspects), len(found.chips), found.proof.items)
                again = assess(replace(moment, memo=Memo()))
                after = (len(moment.snapshot.readings.pins), len(again.suspects), len(again.chips), again.proof.items)
                assert before == after
        except BaseException as error:  # handed to the test, which fails with it
            failures.append(error)

    worker = Thread(target=judge)
    worker.start()
    for n in range(60):
        pins = (e.PinState(pin=1 + n % 6, state="LHP"[n % 3]),)
        job.record_all([job.make(e.PinsProbed, board="tiny", place=f"U{1 + n % 2}", pins=pins)])
        job.record_all([job.make(e.Observed, board="tiny", place=f"U{n}", finding="corroded")])
    done.set()
    worker.join(20)
    assert not failures and not worker.is_alive()
