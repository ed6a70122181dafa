"""The store: what is acknowledged is on disk, whatever happens."""

import io
import json
import os
import signal
import sqlite3
import subprocess
import sys
import textwrap
import zipfile
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import pytest
import sqlalchemy as sa

from loyal_trace.app.job import OpenJob, import_archive
from loyal_trace.core.job import entries as e
from loyal_trace.core.job.chain import check_chain, head_of
from loyal_trace.core.job.fold import fold
from loyal_trace.core.vocabulary.errors import LoyalTraceError, MachineError, RequestError, UserFileError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.formats.archive import _fill, read_archive, write_archive
from loyal_trace.store.connection import DATABASE, HEAD, StoreBusy, open_database
from loyal_trace.store.schema import metadata
from loyal_trace.store.store import Store
from tests.helpers.builders import made, tiny_files


@pytest.fixture
def store(tmp_path):
    with Store(tmp_path / "store") as opened:
        opened.create_job(
            "j1", "Test", "2026-01-01", {"tiny": tiny_files()}, [made(e.Opened, title="Test", boards=("tiny",))]
        )
        yield opened


def test_entries_are_there_after_reopening_and_in_order(store, tmp_path):
    new = [made(e.Note, text=f"nöte {i}") for i in range(5)]
    for entry in new:
        store.append("j1", entry)
    store.close()
    with Store(tmp_path / "store") as again:
        kept = again.entries("j1")[1:]
        assert [entry.model_copy(update={"previous": ""}) for entry in kept] == new
        assert again.jobs()[0].entries == 6 and again.board_files("j1")["tiny"] == tiny_files()


def test_the_schema_on_disk_is_the_schema_in_the_code(store):
    engine = sa.create_engine(f"sqlite:///{store.folder / DATABASE}")
    found = sa.inspect(engine)
    for table in metadata.sorted_tables:
        columns = {c["name"]: (str(c["type"]), c["nullable"]) for c in found.get_columns(table.name)}
        assert columns == {c.name: (str(c.type), bool(c.nullable)) for c in table.columns}
    with engine.connect() as connection:
        assert connection.exec_driver_sql("SELECT version_num FROM alembic_version").scalar() == HEAD
    engine.dispose()


@pytest.mark.parametrize(
    "statement",
    [
        "UPDATE entries SET body='x'",
        "DELETE FROM entries",
        "INSERT OR REPLACE INTO entries (seq, job, id, body) VALUES (1, 'j1', 'z', '{}')",
    ],
)
def test_the_logbook_cannot_be_changed_behind_its_back(store, statement):
    beside = open_database(store.folder, read_only=False)
    with closing(beside), pytest.raises(sqlite3.IntegrityError, match="append-only"):
        beside.execute(statement)
    assert len(store.entries("j1")) == 1


def test_a_connection_for_writing_syncs_every_commit_to_a_write_ahead_log(tmp_path):
    with closing(open_database(tmp_path, read_only=False)) as connection:
        assert connection.execute("PRAGMA journal_mode").fetchone() == ("wal",)
        assert connection.execute("PRAGMA synchronous").fetchone() == (2,)


def test_a_second_writer_is_refused_and_a_reader_is_welcome(store):
    with pytest.raises(StoreBusy, match="another Loyal Trace"):
        Store(store.folder)
    with Store(store.folder, read_only=True) as reader:
        assert len(reader.entries("j1")) == 1
        with pytest.raises(MachineError, match="read-only"):
            reader.append("j1", made(e.Note, text="x"))


def test_a_used_id_or_an_unknown_job_is_refused_and_nothing_of_the_batch_stays(store):
    first, second = made(e.Note, text="1"), made(e.Note, text="2")
    store.append("j1", first)
    with pytest.raises(RequestError):
        store.append_all("j1", [second, first])
    with pytest.raises(RequestError):
        store.append("nobody", second)
    assert [x.id for x in store.entries("j1")][1:] == [first.id]


def test_attachments_are_verified_on_read(store):
    sha = store.put_attachment(b"\x00\x01" * 500)
    assert store.attachment(sha) == b"\x00\x01" * 500 and store.put_attachment(b"\x00\x01" * 500) == sha
    path = next((store.folder / "attachments").rglob(sha))
    path.write_bytes(b"damaged")
    with pytest.raises(UserFileError, match="damaged"):
        store.attachment(sha)
    path.unlink()
    with pytest.raises(UserFileError, match="missing"):
        store.attachment(sha)


def test_a_job_leaves_and_comes_back_whole(store, tmp_path):
    sha = store.put_attachment(b"rom")
    store.append("j1", made(e.RomRead, board="tiny", place="U2", attachment=sha, size=3))
    write_archive(store.export("j1"), tmp_path / "job.ltjob")
    with Store(tmp_path / "other") as other:
        job = import_archive(other, read_archive(tmp_path / "job.ltjob"))
        assert job == "j1" and fold(other.entries(job)[:-1]) == fold(store.entries("j1"))
        assert other.lines(job)[0][1] == store.lines("j1")[0][1], "the lines are kept as they were written"
        assert other.entries(job)[-1].head == store.head("j1") == other.entries(job)[-1].previous
        assert other.attachment(sha) == b"rom" and other.board_files(job) == store.board_files("j1")
        second = import_archive(other, read_archive(tmp_path / "job.ltjob"))
        assert second != job and other.entries(second)[:-1] == other.entries(job)[:-1]


def test_every_line_names_the_one_before_it_also_after_an_import_and_a_failed_write(store, tmp_path):
    used = store.append("j1", made(e.Note, text="1"))
    with pytest.raises(RequestError):
        store.append("j1", used)
    store.append_all("j1", [made(e.Note, text="2"), made(e.Note, text="3")])
    write_archive(store.export("j1"), tmp_path / "job.ltjob")
    with Store(tmp_path / "other") as other:
        import_archive(other, read_archive(tmp_path / "job.ltjob"))
        other.append("j1", made(e.Note, text="4"))
        for kept in (store, other):
            lines = [line for _, line in kept.lines("j1")]
            assert check_chain(lines, kept.head("j1")) == () and all(
                f'"previous":"{"" if n == 0 else head_of(lines[:n])}"' in line for n, line in enumerate(lines)
            )


def test_an_archive_whose_logbook_was_changed_or_cut_is_refused(store, tmp_path):
    for text in ("one", "two", "three"):
        store.append("j1", made(e.Note, text=text))
    whole = store.export("j1")
    for lines in (whole.lines[:-1], (*whole.lines[:1], *whole.lines[2:])):
        forged = replace(whole, lines=lines)
        with pytest.raises(UserFileError, match=r"changed, removed|come back"):
            write_archive(replace(forged, lines=whole.lines[1:]), tmp_path / "forged.ltjob")
        with (tmp_path / "forged.ltjob").open("wb") as stream:
            _fill(forged, stream)
        data = (tmp_path / "forged.ltjob").read_bytes().replace(forged.head.encode(), whole.head.encode())
        (tmp_path / "forged.ltjob").write_bytes(_stored(data, whole.head))
        with pytest.raises(UserFileError, match=r"changed, removed|does not end"):
            read_archive(tmp_path / "forged.ltjob")


def _stored(archive, head):
    """The archive with the head that the whole logbook had."""
    source, target = zipfile.ZipFile(io.BytesIO(archive)), io.BytesIO()
    with zipfile.ZipFile(target, "w") as out:
        for name in source.namelist():
            data = source.read(name)
            out.writestr(name, json.dumps({**json.loads(data), "head": head}) if name == "job.json" else data)
    return target.getvalue()


def test_stores_and_archives_of_version_1_open_and_go_on(tmp_path):
    data = Path(__file__).parents[1] / "data" / "v1"
    (tmp_path / "old").mkdir()
    (tmp_path / "old" / DATABASE).write_bytes((data / DATABASE).read_bytes())
    with Store(tmp_path / "old") as old:
        (job,) = old.jobs()
        assert job.title == "Written by version 1" and len(old.entries(job.id)) == 43
        old.append(job.id, made(e.Note, text="written by this version"))
        assert check_chain([line for _, line in old.lines(job.id)]) == ()
    with Store(tmp_path / "new") as new:
        imported = OpenJob(new, import_archive(new, read_archive(data / "job.ltjob")))
        assert len(imported.entries) == 44 and imported.title == "Written by version 1"
        assert imported.boards["own"].has("U5") and imported.assessment().suspects
        slot = imported.assessment().roms[PartRef("tiny", "U2")]
        assert (slot.reads == 0 and imported.snapshot.roms.earlier_reads == {}) or slot.verdict


def test_a_damaged_archive_changes_nothing(store, tmp_path):
    store.append("j1", made(e.RomRead, board="tiny", place="U2", attachment=store.put_attachment(b"rom"), size=3))
    write_archive(store.export("j1"), tmp_path / "job.ltjob")
    whole = (tmp_path / "job.ltjob").read_bytes()
    with Store(tmp_path / "other") as other:
        for cut in range(0, len(whole), 97):
            (tmp_path / "cut.ltjob").write_bytes(whole[:cut])
            with pytest.raises(LoyalTraceError):
                import_archive(other, read_archive(tmp_path / "cut.ltjob"))
        assert other.jobs() == ()


def test_a_store_from_a_newer_program_is_left_alone(store, tmp_path):
    store.close()
    path = tmp_path / "store" / DATABASE
    with sqlite3.connect(path) as connection:
        connection.execute("UPDATE alembic_version SET version_num='9999'")
    connection.close()
    with pytest.raises(UserFileError, match="newer version"):
        Store(tmp_path / "store")


def test_a_damaged_store_says_so(tmp_path):
    (tmp_path / DATABASE).write_bytes(b"this is no database, not at all" * 100)
    with pytest.raises(UserFileError, match="damaged"):
        Store(tmp_path)


def test_a_full_disk_loses_only_the_entry_that_did_not_fit(tmp_path, monkeypatch):
    opened: list[sqlite3.Connection] = []
    monkeypatch.setattr(
        "loyal_trace.store.store.open_database", lambda *given: opened.append(open_database(*given)) or opened[-1]
    )
    with Store(tmp_path) as store:
        store.create_job("j1", "Test", "2026-01-01", {}, [made(e.Opened, title="Test", boards=())])
        (pages,) = opened[0].execute("PRAGMA page_count").fetchone()
        opened[0].execute(f"PRAGMA max_page_count={pages + 2}")
        with pytest.raises(MachineError, match="disk is full"):
            for _ in range(100):
                store.append("j1", made(e.Note, text="x" * 2000))
        kept = len(store.entries("j1"))
        opened[0].execute("PRAGMA max_page_count=100000")
        store.append("j1", made(e.Note, text="after"))
        assert len(store.entries("j1")) == kept + 1 and kept >= 1


def test_a_folder_that_cannot_be_made_is_one_sentence(tmp_path):
    (tmp_path / "file").write_text("x")
    with pytest.raises(MachineError, match="cannot be made"):
        Store(tmp_path / "file" / "store")


WRITER = """
import sys
from pathlib import Path
from loyal_trace.core.job.entries import Note
from loyal_trace.app.job import new_id, utc_now
from loyal_trace.store.store import Store
with Store(Path(sys.argv[1])) as store:
    store.create_job("j", "t", "2026", {})
    for n in range(100000):
        store.append("j", Note(id=new_id(), time=utc_now(), text=str(n)))
        print(n, flush=True)
"""


@pytest.mark.parametrize("lines", [1, 7, 40])
def test_every_acknowledged_entry_survives_a_kill(tmp_path, lines):
    child = subprocess.Popen(
        [sys.executable, "-c", textwrap.dedent(WRITER), str(tmp_path / "s")], stdout=subprocess.PIPE, text=True
    )
    acknowledged = [int(child.stdout.readline()) for _ in range(lines)]
    os.kill(child.pid, signal.SIGKILL)
    acknowledged += [int(line) for line in child.stdout.read().splitlines()[:-1] if line]
    child.wait()
    child.stdout.close()
    with Store(tmp_path / "s") as store:
        kept = [int(entry.text) for entry in store.entries("j")]
    assert kept[: len(acknowledged)] == acknowledged and len(kept) <= len(acknowledged) + 2
