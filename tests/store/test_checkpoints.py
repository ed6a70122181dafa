"""A checkpoint saves time and nothing else: with or without it, damaged or outdated, a job shows the same."""

import json
import shutil
import sqlite3
from datetime import timedelta

import pytest

from loyal_trace.app.job import OpenJob, import_archive, open_new_job, utc_now
from loyal_trace.cli import main
from loyal_trace.core.job import fold, stretch
from loyal_trace.core.job.entries import Measured, Note, Observed, PinsProbed, PinState, Retracted, RomRead, Unread
from loyal_trace.core.vocabulary.errors import MachineError
from loyal_trace.demo.common import board_files_of
from loyal_trace.formats.archive import read_archive, write_archive
from loyal_trace.store import checkpoints
from loyal_trace.store.connection import DATABASE
from loyal_trace.store.states import DELETED
from loyal_trace.store.store import Store

FEW = 8


@pytest.fixture(autouse=True)
def few_entries(monkeypatch):
    """Stretches of eight entries, and a job of thirty-two is a long one."""
    for module in (stretch, fold, checkpoints):
        monkeypatch.setattr(module, "STRETCH", FEW)
    monkeypatch.setattr(checkpoints, "LONG_JOB", 4 * FEW)


@pytest.fixture
def store(tmp_path):
    with Store(tmp_path / "store") as made:
        yield made


def work(job, count, start=0):
    for n in range(start, start + count):
        place, pin = f"{n % 5 + 1}A", n % 14 + 1
        read = job.make(Measured, board="tw-cpu", place=f"{place}.{pin}", quantity="voltage", value=n / 7)
        probed = job.make(PinsProbed, board="tw-cpu", place=place, pins=(PinState(pin=pin, state="L"),))
        job.record_all([read, probed])
        job.record(Observed, board="tw-cpu", place=place, finding="looks good")


@pytest.fixture
def job(store):
    made = OpenJob(store, open_new_job(store, "A long job", [], listed=[board_files_of(["tw-cpu"])["tw-cpu"]]))
    sha = store.put_attachment(bytes(range(256)) * 32)
    made.record(RomRead, board="tw-cpu", place="6C", attachment=sha, size=8192, source="6c.bin")
    work(made, 20)
    made.keep_checkpoint()
    return made


def used(store, job):
    return checkpoints.read_checkpoint(store, job.id) is not None


def same(store, job):
    """The job opened again shows what it shows without any checkpoint."""
    again = OpenJob(store, job.id)
    folder = store.checkpoints(job.id)
    aside = folder.with_name("aside")
    folder.rename(aside)
    plain = OpenJob(store, job.id)
    aside.rename(folder)
    assert list(again.entries) == list(plain.entries) and again.retracted == plain.retracted
    assert again.snapshot == plain.snapshot
    return again


def files_of(store, job):
    return sorted(store.checkpoints(job.id).iterdir())


def behind_its_back(store, statement, *values):
    with sqlite3.connect(store.folder / DATABASE) as connection:
        connection.execute("DROP TRIGGER IF EXISTS entries_no_update")
        connection.execute(statement, values)
    connection.close()


def test_a_job_is_opened_from_its_checkpoint_and_goes_on(store, job):
    assert used(store, job) and len(files_of(store, job)) == len(job.entries) // FEW - 1 + 1
    assert all(path.stat().st_mode & 0o077 == 0 for path in files_of(store, job))
    again = same(store, job)
    again.undo()
    again.redo()
    work(again, 2, start=20)
    again.retract(again.entries[3].id)
    assert same(store, job).snapshot == again.snapshot


def test_what_was_undone_in_the_checkpoint_is_given_back(store, job):
    gone = next(entry for entry in job.entries if isinstance(entry, Observed))
    job.retract(gone.id)
    work(job, 20, start=20)
    job.keep_checkpoint()
    assert same(store, job).retracted == {gone.id}
    back = next(entry for entry in job.entries if isinstance(entry, Retracted))
    job.retract(back.id)
    assert same(store, job).retracted == {back.id}


def test_a_short_job_and_a_read_only_store_keep_none(store, tmp_path):
    short = OpenJob(store, open_new_job(store, "Short", [], listed=[board_files_of(["tw-cpu"])["tw-cpu"]]))
    work(short, 5)
    short.keep_checkpoint()
    assert not store.checkpoints(short.id).exists()
    work(short, 20)
    with Store(store.folder, read_only=True) as beside:
        OpenJob(beside, short.id).keep_checkpoint()
    assert not store.checkpoints(short.id).exists()


def test_a_checkpoint_is_written_again_only_when_much_was_added(store, job):
    before = {path: path.stat().st_mtime_ns for path in files_of(store, job)}
    again = OpenJob(store, job.id)
    work(again, 1, start=20)
    again.keep_checkpoint()
    assert {path: path.stat().st_mtime_ns for path in files_of(store, job)} == before
    work(again, 20, start=21)
    again.keep_checkpoint()
    after = {path: path.stat().st_mtime_ns for path in files_of(store, job)}
    assert len(after) > len(before)
    assert [path for path in before if after[path] != before[path]] == [store.checkpoints(job.id) / "state"]
    same(store, job)


@pytest.mark.parametrize("name", ["state", "000000", "000003"])
@pytest.mark.parametrize("damage", ["cut", "bit", "gone", "other", "empty"])
def test_a_damaged_checkpoint_is_as_if_it_were_not_there(store, job, name, damage):
    path = store.checkpoints(job.id) / name
    data = path.read_bytes()
    if damage == "gone":
        path.unlink()
    else:
        middle = len(data) // 2
        bit = data[:middle] + bytes([data[middle] ^ 1]) + data[middle + 1 :]
        changed = {"cut": data[:middle], "bit": bit, "other": b'{"program": 5}\n[]', "empty": b""}
        path.write_bytes(changed[damage])
    assert not used(store, job)
    again = same(store, job)
    again.keep_checkpoint()
    assert used(store, job)
    same(store, job)


def test_what_a_write_left_unfinished_is_cleared_away(store, job):
    left = store.checkpoints(job.id) / "000001.part"
    left.write_bytes(b"half")
    store.close()
    with Store(store.folder) as again:
        assert not left.exists() and used(again, job)


def test_a_disk_that_takes_no_checkpoint_is_not_in_the_way(store, job, monkeypatch):
    shutil.rmtree(store.checkpoints(job.id))

    def full(*args, **more):
        raise MachineError("the disk is full")

    monkeypatch.setattr(checkpoints, "write_whole", full)
    again = OpenJob(store, job.id)
    again.keep_checkpoint()
    assert not used(store, job) and OpenJob(store, job.id).snapshot == again.snapshot


def test_a_line_changed_lost_or_put_in_since_is_seen(store, job):
    rows = store.lines(job.id)
    seq, line = rows[5]
    behind_its_back(store, "UPDATE entries SET body = ? WHERE seq = ?", line.replace('"value":', '"value":1'), seq)
    assert not used(store, job)
    same(store, job)
    behind_its_back(store, "UPDATE entries SET body = ? WHERE seq = ?", line, seq)
    assert used(store, job)
    behind_its_back(store, "UPDATE entries SET body = ? WHERE seq = ?", '{"kind":"note","te', rows[0][0])
    again = same(store, job)
    assert isinstance(again.entries[0], Unread) and any("1 entry not read" in one for one in again.workshop.warnings)


def test_a_line_before_the_first_stretch_is_seen(store, job):
    first = store.lines(job.id)[0]
    line = json.loads(first[1]) | {"id": "put-in", "kind": "note", "text": "never written"}
    note = json.dumps({key: line[key] for key in ("kind", "id", "time", "author", "text", "v")})
    behind_its_back(store, "INSERT INTO entries (seq, job, id, body) VALUES (0, ?, 'put-in', ?)", job.id, note)
    assert not used(store, job)
    assert same(store, job).entries[0].id == "put-in"


def test_an_image_lost_since_is_not_judged(store, job):
    shutil.rmtree(store.folder / "attachments")
    again = same(store, job)
    assert not again.snapshot.roms.reads and any("attachment is missing" in text for text in again.workshop.warnings)


def test_another_program_does_not_read_it(store, job, monkeypatch):
    monkeypatch.setattr(checkpoints, "_program", lambda: "another")
    assert not used(store, job)
    again = same(store, job)
    again.keep_checkpoint()
    assert used(store, job)


def test_two_jobs_whose_lines_alternate_keep_one_each(store, job):
    other = OpenJob(store, open_new_job(store, "Another", [], listed=[board_files_of(["tw-cpu"])["tw-cpu"]]))
    first = OpenJob(store, job.id)
    for n in range(40):
        work(first, 1, start=20 + n)
        work(other, 1, start=n)
    for one in (first, other):
        one.keep_checkpoint()
        assert used(store, one)
        same(store, one)


def test_a_deleted_job_leaves_no_checkpoint_behind(store, job):
    store.set_state(job.id, DELETED, utc_now() - timedelta(days=31))
    assert store.purge(utc_now()) == [job.id] and not store.checkpoints(job.id).exists()


def test_a_checkpoint_leaves_with_no_archive(store, job, tmp_path):
    write_archive(store.export(job.id), tmp_path / "job.zip")
    with Store(tmp_path / "elsewhere") as elsewhere:
        name = import_archive(elsewhere, read_archive(tmp_path / "job.zip"))
        assert not elsewhere.checkpoints(name).exists()
        moved = OpenJob(elsewhere, name)
        assert moved.snapshot.readings == job.snapshot.readings
        moved.keep_checkpoint()
        same(elsewhere, moved)


def test_the_command_line_leaves_a_long_job_quick_to_open(store, job, capsys):
    shutil.rmtree(store.checkpoints(job.id))
    store.close()
    assert main(["job", "enter", job.id, "a note", "--store", str(store.folder)]) == 0
    with Store(store.folder) as again:
        assert used(again, job)
        assert [one.text for one in same(again, job).snapshot.paper.notes] == ["a note"]
        assert isinstance(OpenJob(again, job.id).entries[-1], Note)
