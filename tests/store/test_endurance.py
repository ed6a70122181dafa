"""Power cuts and killed processes, a few of each; `make endure` runs five hundred. And media that cannot be written."""

import os
import random
import shutil
import sqlite3
from datetime import UTC, datetime
from pathlib import Path

import pytest
from benchmarks.endure import kills, power_cuts
from benchmarks.power import Disk, Event, can_record, power_cuts_below

from loyal_trace.core.job.entries import Note
from loyal_trace.core.vocabulary.errors import LoyalTraceError, MachineError, UserFileError
from loyal_trace.store import connection
from loyal_trace.store.connection import DATABASE, speaking_plainly
from loyal_trace.store.store import Store


def test_no_acknowledged_entry_is_lost_when_the_power_goes(tmp_path):
    found = power_cuts(tmp_path, 25, seed=5)
    assert (found.lost, found.wrong) == (0, ()) and found.acknowledged > 50
    with Store(tmp_path / "store") as store:
        (level,) = store._connection.execute("PRAGMA synchronous").fetchone()
        assert level == 2, "every commit is forced to the disk: what the cuts take for granted"


@pytest.mark.skipif(not can_record(), reason="the recorder between process and files needs a C compiler")
def test_nothing_acknowledged_is_lost_when_the_disk_drops_and_tears_what_was_not_forced(tmp_path):
    found = power_cuts_below(tmp_path, 50, seed=3)
    assert (found.lost, found.wrong) == (0, ()) and found.acknowledged > 100


def test_the_simulated_disk_loses_what_was_not_forced_and_keeps_what_was(tmp_path):
    def left(*events):
        """The names and contents that some cut leaves, over many cuts."""
        found = set()
        for seed in range(60):
            disk = Disk(Path("/d"))
            for sort, path, offset, data in events:
                disk.play(Event(sort, path, offset, data))
            found.add(tuple(sorted(disk.after_cut(random.Random(seed)))))
        return found

    written = [("O", "/d/f", 0, b""), ("W", "/d/f", 0, b"a" * 1024)]
    some = left(*written)
    assert () in some and (("f", b""),) in some and (("f", b"a" * 512),) in some and (("f", b"a" * 1024),) in some
    named = [*written, ("S", "/d/f", 0, b"")]
    assert left(*named) == {(), (("f", b"a" * 1024),)}, "the bytes are safe, the name is not"
    assert left(*named, ("S", "/d", 0, b"")) == {(("f", b"a" * 1024),)}
    moved = [*named, ("S", "/d", 0, b""), ("R", "/d/f", 0, b"/d/g")]
    assert left(*moved) == {(("f", b"a" * 1024),), (("g", b"a" * 1024),)}, "the old name or the new, never none"
    below = [("M", "/d/x", 0, b""), *((s, p.replace("/d/f", "/d/x/f"), o, d) for s, p, o, d in named)]
    assert () in left(*below, ("S", "/d/x", 0, b"")), "a new folder goes with all that is in it"


def test_a_process_that_is_killed_at_work_leaves_a_whole_store(tmp_path):
    found = kills(tmp_path, 4, seed=7)
    assert (found.lost, found.wrong) == (0, ())


@pytest.fixture
def left_behind(tmp_path):
    """A store whose last entries are only in the write-ahead log, as a program that was killed leaves it."""
    with Store(tmp_path / "live") as store:
        store.create_job("j", "J", "2026", {}, [])
        store._connection.execute("PRAGMA wal_autocheckpoint=0")
        for number in range(5):
            store.append("j", Note(id=f"n{number}", time=datetime(2026, 1, 1, tzinfo=UTC), text=str(number)))
        shutil.copytree(tmp_path / "live", tmp_path / "disc")
    (tmp_path / "disc" / f"{DATABASE}-shm").unlink(missing_ok=True)
    return tmp_path / "disc"


def test_a_medium_that_cannot_be_written_shows_the_entries_in_the_log_too(left_behind, monkeypatch):
    assert (left_behind / f"{DATABASE}-wal").stat().st_size > 0
    monkeypatch.setattr(connection.os, "access", lambda path, mode: mode != os.W_OK)
    before = {path.name: path.read_bytes() for path in left_behind.iterdir() if path.is_file()}
    with Store(left_behind, read_only=True) as store:
        assert [entry.text for entry in store.entries("j")] == list("01234")
    assert {path.name: path.read_bytes() for path in left_behind.iterdir() if path.is_file()} == before


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda file: file.write_bytes(b""), "is empty (0 bytes), although attachments of jobs are beside it"),
        (lambda file: file.write_bytes(b"garbage " * 600), "the store is damaged"),
        (lambda file: _other(file), "is a database, but not of Loyal Trace"),
        (lambda file: _newer(file), "written by a newer version (schema 0999)"),
        (lambda file: _gone(file), "was a store, but tables of it are gone"),
    ],
)
@pytest.mark.parametrize("read_only", [False, True])
def test_a_database_that_will_not_do_is_told_in_one_true_sentence_and_left_alone(tmp_path, spoil, words, read_only):
    with Store(tmp_path / "store") as store:
        store.put_attachment(b"x")
    for name in (f"{DATABASE}-wal", f"{DATABASE}-shm"):
        (tmp_path / "store" / name).unlink(missing_ok=True)
    file = tmp_path / "store" / DATABASE
    spoil(file)
    before = file.read_bytes()
    with pytest.raises(UserFileError) as caught:
        Store(tmp_path / "store", read_only=read_only)
    assert words in str(caught.value) and file.read_bytes() == before


def _other(file):
    file.unlink()
    with sqlite3.connect(file) as made:
        made.execute("CREATE TABLE recipes (name TEXT)")
    made.close()


def _newer(file):
    with sqlite3.connect(file) as made:
        made.execute("UPDATE alembic_version SET version_num = '0999'")
    made.close()


def _gone(file):
    with sqlite3.connect(file) as made:
        made.execute("DROP TABLE board_files")
    made.close()


def test_a_full_disk_says_what_was_kept_and_in_a_new_store_that_nothing_was_there(tmp_path):
    for new, words in ((True, "nothing was in it yet"), (False, "all earlier ones are")):
        with pytest.raises(MachineError, match=words), speaking_plainly(tmp_path, new):
            raise sqlite3.OperationalError("database or disk is full")


def test_a_store_of_the_version_before_can_be_read_and_is_brought_up_to_date_when_written(tmp_path):
    with Store(tmp_path / "store") as store:
        store.create_job("j", "J", "2026", {}, [])
    with sqlite3.connect(tmp_path / "store" / DATABASE) as made:
        made.execute("DROP TABLE job_states")
        made.execute("UPDATE alembic_version SET version_num = '0001'")
    made.close()
    with Store(tmp_path / "store", read_only=True) as old:
        assert old.states() == {} and old.has_job("j")
    with Store(tmp_path / "store") as new:
        new.set_state("j", "hidden", datetime(2026, 1, 1, tzinfo=UTC))
        assert new.states()["j"].state == "hidden"
        with pytest.raises(LoyalTraceError):
            new.set_state("nobody", "hidden", datetime(2026, 1, 1, tzinfo=UTC))
