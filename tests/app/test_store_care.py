"""A store is looked over, copied, saved from damage; jobs are put away, deleted and brought back."""

import json
import os
import sqlite3
import stat
from datetime import UTC, datetime, timedelta

import pytest

from loyal_trace.app.backups import Backups, backup_place
from loyal_trace.app.job import OpenJob, import_archive, open_new_job
from loyal_trace.app.preferences import remember
from loyal_trace.app.store_care import check_store, salvage
from loyal_trace.cli import main
from loyal_trace.core.job.entries import Note, RomRead
from loyal_trace.demo.common import board_files_of
from loyal_trace.formats.archive import read_archive, write_archive
from loyal_trace.store.backup import back_up, backups_in, rotate
from loyal_trace.store.connection import DATABASE
from loyal_trace.store.store import Store

NOW = datetime(2026, 5, 1, 12, 0, tzinfo=UTC)
IMAGES = [bytes([n]) * 5000 for n in range(4)]


@pytest.fixture
def folder(tmp_path):
    with Store(tmp_path / "store") as store:
        for number in range(2):
            files = board_files_of(("cs-8",))["cs-8"]
            job = OpenJob(store, open_new_job(store, f"Job {number}", [], listed=[files]))
            for image in IMAGES[2 * number : 2 * number + 2]:
                sha = store.put_attachment(image)
                job.record(RomRead, board="cs-8", place="U5", attachment=sha, size=5000, source="x.bin")
            for n in range(40):
                job.record(Note, text=f"note {n} of {number} – äöü €")
    return tmp_path / "store"


def texts(folder):
    with Store(folder, read_only=True) as store:
        return {j.title: [e.text for e in store.entries(j.id) if isinstance(e, Note)] for j in store.jobs()}


def troubles(folder, backups=None):
    with Store(folder, read_only=True) as store:
        return [f"{one.place}: {one.what}" for one in check_store(store, backups)]


def test_a_whole_store_is_said_to_be_whole_and_every_kind_of_damage_is_found(folder, capsys):
    assert troubles(folder) == [] and main(["store", "check", "--store", str(folder)]) == 0
    paths = sorted((folder / "attachments").glob("*/*"))
    paths[0].write_bytes(b"other")
    paths[1].unlink()
    with sqlite3.connect(folder / DATABASE) as connection:
        connection.execute("DROP TRIGGER entries_no_update")
        connection.execute("UPDATE entries SET body = replace(body, 'note 7 of 0', 'note 8 of 0')")
        connection.execute("UPDATE board_files SET data = x'ff' WHERE name = 'board.toml'")
    connection.close()
    found = troubles(folder)
    for words in ("does not have the content", "missing, of job", "the line before it was changed", "board cs-8"):
        assert any(words in text for text in found), (words, found)
    capsys.readouterr()
    assert main(["store", "check", "--store", str(folder), "--json"]) == 1
    assert len(json.loads(capsys.readouterr().out)["troubles"]) == len(found)


def test_a_logbook_that_was_cut_short_shows_against_the_last_backup(folder, tmp_path):
    with Store(folder) as store:
        rotate(store, tmp_path / "copies", 3, NOW)
    with sqlite3.connect(folder / DATABASE) as connection:
        connection.execute("DROP TRIGGER entries_no_delete")
        connection.execute("DELETE FROM entries WHERE seq = (SELECT MAX(seq) FROM entries)")
    connection.close()
    assert troubles(folder) == [], "by itself the shorter logbook is as good as any"
    assert any("cut off or changed" in text for text in troubles(folder, tmp_path / "copies"))


def test_a_backup_is_a_store_with_everything_and_links_what_the_one_before_has(folder, tmp_path):
    with Store(folder) as store:
        first = back_up(store, tmp_path / "one")
        second = back_up(store, tmp_path / "two", first)
    assert texts(second) == texts(folder) and troubles(second) == []
    assert all(path.stat().st_nlink == 2 for path in (second / "attachments").glob("*/*"))
    (path,) = [p for p in (second / "attachments").glob("*/*") if p.read_bytes() == IMAGES[0]]
    assert stat.S_IMODE(path.stat().st_mode) == 0o600
    with Store(second) as restored:  # it can be worked on
        job = OpenJob(restored, restored.jobs()[0].id)
        job.record(Note, text="after the disk died")
    assert any("after the disk died" in notes for notes in texts(second).values())


def test_backups_rotate_by_number_of_entries_and_on_closing(folder, tmp_path):
    remember(folder, backups_kept=2, backup_every=10, backup_place=str(tmp_path / "elsewhere"))
    times = iter(NOW + timedelta(minutes=n) for n in range(9))
    with Store(folder) as store:
        keeper, job = Backups(store, lambda: next(times)), OpenJob(store, store.jobs()[0].id)
        assert keeper.due(store), "the first one is due at once"
        keeper.begin(store)
        assert not keeper.due(store), "begun is not begun again"
        assert keeper.make() and not keeper.due(store)
        for number in range(30):
            job.record(Note, text=str(number))
            if keeper.due(store):
                keeper.make()
        there = backups_in(backup_place(folder))
        assert [path.name for path in there] == ["2026-05-01_120200", "2026-05-01_120300"]
        assert not keeper.due(store, closing=True)
        job.record(Note, text="one more")
        assert keeper.due(store, closing=True) and not keeper.due(store)
    assert not list(folder.glob("backups/*"))


def test_a_backup_that_cannot_be_made_is_said_and_leaves_nothing_half_done(folder, tmp_path):
    (tmp_path / "file").write_text("in the way")
    remember(folder, backup_place=str(tmp_path / "file" / "below"))
    with Store(folder) as store:
        keeper = Backups(store, lambda: NOW)
        assert keeper.make() is None and "could not be written" in keeper.failed
    assert main(["store", "backup", str(tmp_path / "file"), "--store", str(folder)]) == 2


@pytest.mark.parametrize("damage", ["page", "header", "log", "attachment"])
def test_salvage_saves_what_can_be_read_and_names_the_rest(folder, tmp_path, damage):
    before, database = texts(folder), folder / DATABASE
    data = bytearray(database.read_bytes())
    if damage == "page":
        middle = data.index(b"note 20 of 1")
        data[middle : middle + 30] = bytes(30)
    elif damage == "header":
        data[:100] = os.urandom(100)
    database.write_bytes(bytes(data))
    if damage == "attachment":
        next(iter((folder / "attachments").glob("*/*"))).write_bytes(b"?")
    saved, missing = salvage(folder, tmp_path / "new")
    after = texts(tmp_path / "new")
    kept, all_of = sum(len(v) for v in after.values()), sum(len(v) for v in before.values())
    assert kept >= all_of - (2 if damage == "page" else 0) and sum(saved.values()) >= kept
    assert bool(missing) == (damage in ("header", "attachment")) or damage == "page"
    with Store(tmp_path / "new") as store:
        for job in store.jobs():
            OpenJob(store, job.id).record(Note, text="goes on")


def test_salvage_never_writes_over_something_nor_into_the_damaged_store(folder, tmp_path, capsys):
    before = (folder / DATABASE).read_bytes()
    assert main(["store", "salvage", str(folder), "--store", str(folder)]) == 2
    assert main(["store", "salvage", str(tmp_path / "new"), "--store", str(tmp_path / "nowhere")]) == 2
    assert main(["store", "salvage", str(tmp_path / "new"), "--store", str(folder)]) == 0
    assert (folder / DATABASE).read_bytes() == before and texts(tmp_path / "new") == texts(folder)


def test_an_import_heals_a_damaged_attachment(folder, tmp_path):
    with Store(folder) as store:
        write_archive(store.export(store.jobs()[0].id), tmp_path / "job.ltjob")
        for path in (folder / "attachments").glob("*/*"):
            path.write_bytes(b"?" * path.stat().st_size)
        import_archive(store, read_archive(tmp_path / "job.ltjob"))
        assert store.export(store.jobs()[0].id).attachments
    assert sum("does not have the content" in text for text in troubles(folder)) == 2, "the other job's two"


def test_jobs_are_put_away_deleted_with_their_title_and_come_back(folder, capsys):
    def run(*words):
        code = main(["job", *words, "--store", str(folder), "--json"])
        return code, json.loads(capsys.readouterr().out or "null")

    assert run("archive", "Job 0")[0] == 0 and run("hide", "Job 1")[0] == 0
    assert run("list")[1]["jobs"] == []
    assert {j["title"]: j["state"] for j in run("list", "--all")[1]["jobs"]} == {"Job 0": "archived", "Job 1": "hidden"}
    assert run("delete", "Job 0", "--title", "job 0")[0] == 2, "not its title"
    assert run("delete", "Job 0", "--title", "Job 0")[0] == 0 and run("reopen", "Job 1")[0] == 0
    with Store(folder) as store:
        ids = {j.title: j.id for j in store.jobs()}
        assert store.purge(datetime.now(UTC) + timedelta(days=29)) == [] and len(store.entries(ids["Job 0"])) == 43
        store.set_state(ids["Job 0"], "open", NOW)
        assert store.states() == {}
        store.set_state(ids["Job 0"], "deleted", NOW)
        assert store.purge(NOW + timedelta(days=30)) == [ids["Job 0"]] and [j.title for j in store.jobs()] == ["Job 1"]
        with pytest.raises(sqlite3.DatabaseError, match="append-only"):
            store._connection.execute("DELETE FROM entries")


def test_the_store_is_nobody_elses_and_unfinished_files_go(folder):
    (folder / "attachments" / "ab").mkdir(exist_ok=True)
    (folder / "attachments" / "ab" / "x.part").write_bytes(b"half")
    (folder / "drawer.csv.part").write_bytes(b"half")
    (folder / DATABASE).chmod(0o644)
    with Store(folder):
        assert stat.S_IMODE(folder.stat().st_mode) == 0o700
        assert all(
            not path.stat().st_mode & 0o077 for path in folder.iterdir() if path.is_file() and path.name != "lock"
        )
    assert not list(folder.rglob("*.part"))
