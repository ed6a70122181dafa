"""One damaged thing in a store takes neither its job nor another one down: what is readable opens, the rest is named."""

import sqlite3

import pytest

from loyal_trace.app.job import OpenJob, import_archive, open_new_job
from loyal_trace.app.known import known_of_store
from loyal_trace.cli import main
from loyal_trace.core.job.entries import Note, RomRead, Unread
from loyal_trace.demo.common import board_files_of
from loyal_trace.formats.archive import read_archive, write_archive
from loyal_trace.resources import chip_library
from loyal_trace.store.connection import DATABASE
from loyal_trace.store.store import Store


@pytest.fixture
def store(tmp_path):
    with Store(tmp_path / "store") as made:
        yield made


@pytest.fixture
def job(store):
    made = OpenJob(store, open_new_job(store, "Two boards", [], listed=[board_files_of(["tw-cpu"])["tw-cpu"]]))
    made.record(Note, text="before")
    sha = store.put_attachment(bytes(range(256)) * 32)
    made.record(RomRead, board="tw-cpu", place="6C", attachment=sha, size=8192, source="6c.bin")
    made.record(Note, text="after")
    return made


def rewrite(folder, number, body):
    """Changes a line behind the program's back, past its triggers."""
    with sqlite3.connect(folder / DATABASE) as connection:
        connection.execute("DROP TRIGGER entries_no_update")
        (seq,) = connection.execute("SELECT seq FROM entries ORDER BY seq LIMIT 1 OFFSET ?", (number,)).fetchone()
        connection.execute("UPDATE entries SET body = ? WHERE seq = ?", (body, seq))
    connection.close()


def notes(job):
    return [entry.text for entry in job.entries if isinstance(entry, Note)]


@pytest.mark.parametrize("body", ['{"kind":"note","te', "", b"\xff\xfe\x00", '{"kind": 5}', "[]", "9" * 5000])
def test_a_damaged_entry_is_named_and_the_others_stand(store, job, body):
    rewrite(store.folder, 1, body)
    again = OpenJob(store, job.id)
    assert notes(again) == ["after"] and [type(e) for e in again.entries].count(Unread) == 1
    assert any("1 entry not read" in text and "store check" in text for text in again.workshop.warnings)
    assert again.assessment().next is not None
    again.record(Note, text="more")
    assert notes(OpenJob(store, job.id)) == ["after", "more"]


def test_an_entry_of_a_later_version_is_kept_shown_and_comes_through_an_archive(store, job, tmp_path):
    body = '{"kind":"hologram","id":"h1","time":"2031-05-01T10:00:00Z","author":"Ada","v":9,"depth":4,"previous":""}'
    rewrite(store.folder, 1, body)
    found = next(entry for entry in OpenJob(store, job.id).entries if isinstance(entry, Unread))
    assert (found.id, found.author, found.newer) == ("h1", "Ada", True) and "newer version (9)" in found.why
    assert [line for _, line in store.lines(job.id)][1] == body, "the line itself stays as it was written"


def test_a_lost_image_is_no_image_and_is_named(store, job):
    read = next(e for e in job.entries if isinstance(e, RomRead))
    path = store.folder / "attachments" / read.attachment[:2] / read.attachment
    whole = path.read_bytes()
    for damage in (whole[:-1] + b"\0", b"", None):
        path.write_bytes(damage) if damage is not None else path.unlink()
        again = OpenJob(store, job.id)
        assert notes(again) == ["before", "after"] and not again.snapshot.roms.reads
        assert any("attachment is" in text for text in again.workshop.warnings)
        assert again.assessment().next is not None
        known_of_store(store, chip_library())
    path.write_bytes(whole)
    assert OpenJob(store, job.id).snapshot.roms.reads


@pytest.mark.parametrize("name", ["board.toml", "parts.csv", "nets.csv"])
def test_a_damaged_board_file_costs_that_file_and_is_named(store, job, name):
    with sqlite3.connect(store.folder / DATABASE) as connection:
        changed = connection.execute("UPDATE board_files SET data = ? WHERE name = ?", (b"\xff\x00 [[", name)).rowcount
    connection.close()
    assert changed == 1
    again = OpenJob(store, job.id)
    assert list(again.boards) == ["tw-cpu"] and notes(again) == ["before", "after"]
    assert any("The board tw-cpu was read only in part" in text for text in again.workshop.warnings)
    assert again.assessment().next is not None


@pytest.mark.parametrize("body", ['{"kind":"note","te', "", b"\xff\xfe\x00", "a\nb", '{"kind": 5}'])
def test_a_damaged_job_can_be_taken_away_and_what_is_wrong_with_it_goes_with_it(store, job, tmp_path, body, capsys):
    rewrite(store.folder, 1, body)
    read = next(e for e in job.entries if isinstance(e, RomRead))
    (store.folder / "attachments" / read.attachment[:2] / read.attachment).unlink()
    store.close()
    target = tmp_path / "job.ltjob"
    assert main(["job", "export", job.id, str(target), "--store", str(store.folder)]) == 1
    told = capsys.readouterr().out
    assert "1 entry cannot be read" in told and "1 attachment missing" in told and "the logbook was changed" in told
    archive = read_archive(target)
    assert archive.damage.unread == (2,) and archive.damage.lost == (read.attachment,) and 3 in archive.damage.chain
    with Store(tmp_path / "other") as other:
        again = OpenJob(other, import_archive(other, archive))
        assert notes(again) == ["after"] and not again.snapshot.roms.reads
        assert any("2 entries not read" in text for text in again.workshop.warnings), (
            "the line, and the read without its file"
        )
        again.record(Note, text="more")
        assert notes(OpenJob(other, again.id)) == ["after", "more"]


def test_odd_line_ends_in_a_text_come_back_from_an_archive(store, job, tmp_path):
    text = "one\u2028two\u2029three\u0085four\x0bfive"
    job.record(Note, text=text)
    write_archive(store.export(job.id), tmp_path / "job.ltjob")
    lines = read_archive(tmp_path / "job.ltjob").lines
    assert lines == tuple(line for _, line in store.lines(job.id)) and "one\u2028two" in lines[-1]


def test_bytes_that_are_no_text_are_recorded_as_question_marks(store, job, capsys):
    store.close()
    where = str(store.folder)
    assert main(["job", "enter", job.id, "seen \udcff here -- \ud800", "--store", where]) == 0
    with Store(store.folder, read_only=True) as again:
        note = [entry for entry in again.entries(job.id) if isinstance(entry, Note)][-1]
    assert "seen ? here" in note.text
