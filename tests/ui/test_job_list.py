"""Jobs are put away and brought back from the list; a backup is made on closing; damage is named, not fatal."""

import sqlite3

import pytest
from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QApplication

from loyal_trace.app.job import OpenJob, open_new_job
from loyal_trace.app.preferences import remember
from loyal_trace.core.job.entries import Note
from loyal_trace.demo.common import board_files_of
from loyal_trace.store.backup import backups_in
from loyal_trace.store.connection import DATABASE
from loyal_trace.store.store import Store
from loyal_trace.ui import dialogs, job_list
from tests.ui.driver import Driver


@pytest.fixture
def folder(tmp_path):
    with Store(tmp_path / "store") as store:
        for title in ("First board", "Second board"):
            job = open_new_job(store, title, [], listed=[board_files_of(("cs-8",))["cs-8"]])
            OpenJob(store, job).record(Note, text=f"a note about {title}")
    return tmp_path / "store"


def titles(ours):
    jobs = ours.shell.first.jobs
    return [jobs.item(n).text() for n in range(jobs.count())]


@pytest.fixture(autouse=True)
def no_popup(monkeypatch):
    monkeypatch.setattr(job_list, "popup", lambda menu, at: None)


def choose(ours, title, words):
    """Right-clicks a job and takes an item of its menu."""
    jobs = ours.shell.first.jobs
    item = next(jobs.item(n) for n in range(jobs.count()) if title in jobs.item(n).text())
    jobs.customContextMenuRequested.emit(jobs.visualItemRect(item).center())
    QApplication.processEvents()
    menu = ours.job_list.menu
    next(action for action in menu.actions() if words in action.text()).trigger()
    QApplication.processEvents()


def test_jobs_are_archived_deleted_and_reopened_from_the_list(open_window, folder, monkeypatch):
    ours = open_window(store=folder)
    choose(ours, "First", "Archive")
    assert len(titles(ours)) == 1 and "1 job put away" in ours.shell.first.state.text()
    asked = []
    monkeypatch.setattr(dialogs, "confirmed", lambda *words: asked.append(words) or len(asked) > 1)
    choose(ours, "Second", "Delete")
    assert len(titles(ours)) == 1, "not confirmed, nothing is done"
    assert "Delete “Second board”?" in str(asked[0][1]) and "30 days" in str(asked[0][2])
    choose(ours, "Second", "Delete")
    assert any("archived" in text for text in titles(ours)) and any(
        "gone in 2" in text or "gone in 3" in text for text in titles(ours)
    )
    choose(ours, "Second", "Reopen")
    choose(ours, "First", "Reopen")
    choose(ours, "First", "Show open jobs only")
    assert len(titles(ours)) == 2 and ours.shell.first.state.text() == ""
    assert ours.shell.first.jobs.itemAt(QPoint(5000, 5000)) is None


def test_closing_the_window_makes_a_backup_that_opens(open_window, folder):
    ours = open_window(store=folder)
    ours.shell.close()
    (made,) = backups_in(folder / "backups")
    with Store(made, read_only=True) as copy:
        assert {job.title for job in copy.jobs()} == {"First board", "Second board"}


def test_a_job_with_a_damaged_line_opens_and_the_window_says_so(open_window, folder):
    with sqlite3.connect(folder / DATABASE) as connection:
        connection.execute("DROP TRIGGER entries_no_update")
        connection.execute("UPDATE entries SET body = 'rubbish' WHERE body LIKE '%a note about First%'")
    connection.close()
    ours = open_window(store=folder)
    ours.open_job(next(job.id for job in ours.store.jobs() if job.title == "First board"))
    assert ours.wiring is not None and "1 entry not read" in ours.shell.bar.last.text()


def test_a_backup_that_fails_beside_the_work_is_said_and_the_work_goes_on(open_window, folder, tmp_path, qtbot):
    (tmp_path / "file").write_text("in the way")
    remember(folder, backup_place=str(tmp_path / "file" / "below"), backup_every=1)
    ours = open_window(store=folder)
    ours.open_job(ours.store.jobs()[0].id)
    hand = Driver(qtbot, ours)
    hand.type("the first of the day")
    hand.keys("Enter")
    qtbot.waitUntil(lambda: "No backup was made" in ours.shell.bar.last.text())
    assert "could not be written" in ours.shell.bar.last.text()
    assert any("the first of the day" in str(entry) for entry in ours.wiring.workspace.job.entries)
