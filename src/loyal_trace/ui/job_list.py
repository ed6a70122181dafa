"""The list of jobs: which are shown, and what can be done with one of them from its menu."""

from collections.abc import Callable
from datetime import datetime
from functools import partial

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QMenu

from loyal_trace.core.vocabulary.phrases import term
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.language import tr
from loyal_trace.store.states import ARCHIVED, DELETED, HIDDEN, KEPT_FOR, OPEN, JobState
from loyal_trace.store.store import JobSummary, Store
from loyal_trace.ui import dialogs
from loyal_trace.ui.job_commands import popup
from loyal_trace.ui.shell import Shell


class JobList:
    """Fills the first page with the jobs of a store, and changes their states."""

    def __init__(self, shell: Shell, now: Callable[[], datetime]) -> None:
        self._shell, self._now = shell, now
        self._store: Store | None = None
        self._all = False
        self.menu: QMenu | None = None
        shell.first.menu_asked.connect(self._show_menu)

    def show(self, store: Store | None) -> None:
        """Lists the jobs of a store; those put away only when asked for."""
        self._store = store
        if store is None:
            self._shell.first.show_jobs([])
            return
        states = store.states()
        open_ones = [job for job in store.jobs() if job.id not in states]
        # A list without a job could not be right-clicked: where all are put away, all are shown.
        self._all = self._all or not open_ones
        jobs = list(store.jobs()) if self._all else open_ones
        self._shell.first.show_jobs([(job.id, self._words(job, states.get(job.id))) for job in jobs])
        away = len(states) if not self._all else 0
        self._shell.first.say(
            tr("{count} put away: right-click a job to show them.", count=count_of(away, "job")) if away else ""
        )

    def _words(self, job: JobSummary, state: JobState | None) -> str:
        words = tr(
            "{title}    opened {opened}, {entrys}",
            title=job.title,
            opened=job.opened[:10],
            entrys=count_of(job.entries, "entry", "entries"),
        )
        if state is None:
            return words
        if state.state == DELETED:
            days = count_of(state.days_left(self._now()), "day")
            return tr("{words}    deleted, gone in {days}", words=words, days=days)
        return tr("{words}    {state}", words=words, state=term(state.state))

    def _show_menu(self, job: str, place: QPoint) -> None:
        if self._store is None:
            return
        away = job in self._store.states()
        menu = self.menu = QMenu(self._shell)
        if not self._store.read_only:
            if away:
                _add(menu, tr("Reopen"), partial(self._set, job, OPEN))
            else:
                _add(menu, tr("Archive"), partial(self._set, job, ARCHIVED))
                _add(menu, tr("Hide"), partial(self._set, job, HIDDEN))
                _add(menu, tr("Delete…"), partial(self._delete, job))
            menu.addSeparator()
        words = tr("Show open jobs only") if self._all else tr("Show archived, hidden and deleted jobs")
        _add(menu, words, self._switch)
        popup(menu, place)

    def _switch(self) -> None:
        self._all = not self._all
        self.show(self._store)

    def _set(self, job: str, state: str) -> None:
        if self._store is not None:
            self._store.set_state(job, state, self._now())
            self.show(self._store)

    def _delete(self, job: str) -> None:
        title = next((summary.title for summary in self._store.jobs() if summary.id == job), "") if self._store else ""
        words = tr(
            "It leaves the list. For {days} days it can be reopened from there, then its logbook is removed.",
            days=KEPT_FOR.days,
        )
        if dialogs.confirmed(self._shell, tr("Delete “{title}”?", title=title), words, tr("Delete the job")):
            self._set(job, DELETED)


def _add(menu: QMenu, words: str, act: Callable[[], None]) -> None:
    action = menu.addAction(words)
    if action is not None:
        action.triggered.connect(lambda: act())
