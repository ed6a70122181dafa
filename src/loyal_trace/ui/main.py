"""The composition root of the window: builds what it needs and passes it down.

Nothing heavy is imported before the window has painted once; then the store is opened in the background.
"""

import gc
import sys
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QByteArray, QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from loyal_trace.app.preferences import (
    LARGEST,
    SMALLEST,
    Preferences,
    load_preferences,
    remember,
    save_preferences,
)
from loyal_trace.app.presenters.model import Overlay
from loyal_trace.core.vocabulary.stages import Stage, stage_of_word
from loyal_trace.language import tr
from loyal_trace.ui import dialogs
from loyal_trace.ui.memory import give_back, settle_memory
from loyal_trace.ui.menu_items import menu_items
from loyal_trace.ui.menus import Menus
from loyal_trace.ui.poster import Poster, WindowTimer
from loyal_trace.ui.shell import Shell
from loyal_trace.ui.theme import THEME
from loyal_trace.ui.widgets.finder import Command
from loyal_trace.ui.window_options import WindowOptions, open_store, store_folder

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping
    from datetime import datetime

    from loyal_trace.app.backups import Backups
    from loyal_trace.app.job import Environment, OpenJob
    from loyal_trace.app.pad import Timer
    from loyal_trace.store.store import Store
    from loyal_trace.ui.job_list import JobList
    from loyal_trace.ui.one_window import OneWindow
    from loyal_trace.ui.wiring import JobWiring


_RECENT = 8
_TEXT_STEP = 10


def system_is_dark() -> bool:
    """Does the desktop prefer dark windows?"""
    hints = QGuiApplication.styleHints()
    return hints is not None and hints.colorScheme() is Qt.ColorScheme.Dark


_LONG_JOB = 10_000


class Application(QObject):
    """Owns the window, the store and the open job."""

    opened = pyqtSignal(object)
    ready = pyqtSignal()

    def __init__(self, options: WindowOptions) -> None:
        super().__init__()
        gc.disable()  # what is loaded now stays: walking it again and again would take a fifth of the start
        self.ready.connect(settle_memory)
        self.options = options
        self.shell = Shell()
        self.store: Store | None = None
        self.backups: Backups | None = None
        self.wiring: JobWiring | None = None
        self.clock: Callable[[], datetime] | None = None
        self.timer: Callable[[QObject], Timer] = WindowTimer
        self.poster = Poster()
        self.one_window: OneWindow | None = None
        self._pool = ThreadPoolExecutor(1)
        self.opened.connect(self._on_opened)
        self.shell.first_painted.connect(self._start)
        self.shell.closing.connect(self.close)
        self.shell.may_close = self.may_leave
        first = self.shell.first
        first.demo_asked.connect(self.open_demo)
        first.new_asked.connect(self.new_job)
        first.board_asked.connect(self.new_from_board)
        first.list_asked.connect(self.new_from_list)
        first.job_asked.connect(self.open_job)
        self.job_list: JobList | None = None
        self.shell.commands = self.commands
        self.menus = Menus(self.shell, menu_items(self), self._stage_commands, self._recent)
        self.shell.files_dropped.connect(self._dropped_without_job)

    def with_job(self, act: "Callable[[JobWiring], object]") -> None:
        """Does something with the open job, if there is one."""
        if self.wiring is not None:
            act(self.wiring)

    def _stage_commands(self) -> list[Command]:
        return self.wiring.stage_commands() if self.wiring is not None else []

    def copy(self) -> None:
        """What is selected where the keyboard is, else the verdict in view."""
        from loyal_trace.ui.job_commands import copy

        copy(self.wiring)

    def environment(self) -> "Environment":
        """What an open job needs from outside."""
        from loyal_trace.app.job import Environment, utc_now
        from loyal_trace.demo.common import DEMO_AUTHOR

        return Environment(author=DEMO_AUTHOR if self.options.demo else "", clock=self.clock or utc_now)

    def _recent(self) -> list[Command]:
        """The newest jobs of the store, for the menu."""
        jobs = self.store.jobs()[:_RECENT] if self.store is not None else ()
        return [Command(job.title, "", partial(self.open_job, job.id)) for job in jobs]

    def may_leave(self) -> bool:
        """Asks before typed text that is not recorded would be lost."""
        text = self.wiring.foot.edit.text().strip() if self.wiring is not None else ""
        if not text:
            return True
        words = tr("“{text}” stands in the line and is not recorded. What was recorded stays.", text=text[:80])
        return dialogs.confirmed(self.shell, tr("Leave without the typed text?"), words, tr("Leave"))

    def close_job(self) -> None:
        """Back to the job list, after asking about typed text."""
        if self.may_leave():
            self.show_jobs()

    def drawer(self) -> None:
        """Shows the spare parts of the workshop; the open job sees what changed."""
        from loyal_trace.core.vocabulary.errors import LoyalTraceError
        from loyal_trace.ui.drawer_dialog import DrawerDialog

        if self.store is None:
            return
        try:
            dialog = DrawerDialog(self.store.folder, self.shell)
        except LoyalTraceError as error:
            self.shell.bar.say(str(error), True)
            return
        dialog.exec()
        if self.wiring is not None:
            self.wiring.workspace.job.read_workshop()
            self.wiring.workspace.changed.emit()

    def settings(self) -> None:
        """Name, colours and text size of this store."""
        if self.store is None:
            return
        from loyal_trace.ui.settings_dialog import SettingsDialog

        dialog = SettingsDialog(load_preferences(self.store.folder), self.shell)
        if dialog.exec():
            chosen = dialog.chosen
            save_preferences(self.store.folder, chosen)
            if self.backups is not None:
                self.backups.read_settings()
            if self.wiring is not None and chosen.name:
                self.wiring.workspace.job.author = chosen.name
            self.apply_looks()

    def apply_looks(self) -> None:
        """Colours and text size as remembered for this store; the command line's --dark goes before."""
        known = self._known()
        dark = self.options.dark or (known.colours == "dark" if known.colours != "system" else system_is_dark())
        self.shell.set_looks(dark, known.text_size / 100)

    def switch_dark(self) -> None:
        """Light or dark, from now on for this store."""
        self.options = replace(self.options, dark=False)
        self._remember(colours="light" if THEME.dark else "dark")
        self.apply_looks()

    def text_size(self, step: int) -> None:
        """Larger (+1), smaller (−1) or the usual size (0)."""
        now = self._known().text_size
        wanted = 100 if step == 0 else min(LARGEST, max(SMALLEST, now + step * _TEXT_STEP))
        self._remember(text_size=wanted)
        self.apply_looks()

    def _known(self) -> Preferences:
        """What is remembered for the open store; the usual without one."""
        return load_preferences(self.store.folder) if self.store is not None else Preferences()

    def _remember(self, **changes: object) -> None:
        if self.store is not None and not self.store.read_only:
            remember(self.store.folder, **changes)

    def _start(self) -> None:
        """After the first paint: open the store without holding up the window."""
        folder = store_folder(self.options)
        missing = self.options.demo and not (folder / "workshop.sqlite3").exists()
        words = (
            tr("setting up the demo workshop: simulating the Tidewrack boards")
            if missing
            else tr("opening the workshop")
        )
        self.shell.first.say(words + " …")
        self._load(folder, self.options.demo)

    def _load(self, folder: Path, demo: bool) -> None:
        future = self._pool.submit(open_store, folder, demo)
        future.add_done_callback(lambda f: self.opened.emit(f))

    def _on_opened(self, future: "Future[tuple[Store, OpenJob | None]]") -> None:
        from loyal_trace.core.vocabulary.errors import LoyalTraceError

        try:
            self.store, session = future.result()
        except LoyalTraceError as error:
            self.shell.first.say(tr("Not opened: {error}", error=error))
            self.ready.emit()
            return
        self.shell.first.say("")
        self._look_after_store(self.store)
        self._list_jobs()
        if self.store.read_only:
            self.shell.bar.say(tr("The store is in use or read-only. You can view it, but nothing is recorded."), True)
        self.apply_looks()
        known = load_preferences(self.store.folder)
        if known.geometry:
            self.shell.restoreGeometry(QByteArray.fromHex(known.geometry.encode()))
        if session is not None:
            self.show_session(session, with_bench=self.options.demo)
        elif known.job and self.store.has_job(known.job) and not self.options.files:
            self.open_job(known.job)
            stage = stage_of_word(self.options.stage or known.stage)
            if stage is not None and self.wiring is not None:
                self.wiring.show_stage(stage)
        for path in self.options.files:
            self._dropped_without_job([path])
        self.ready.emit()

    def _look_after_store(self, store: "Store") -> None:
        """Begins to watch when a backup is due; what was deleted thirty days ago goes."""
        from loyal_trace.app.backups import Backups
        from loyal_trace.app.job import utc_now
        from loyal_trace.ui.job_list import JobList

        self.backups = Backups(store, utc_now)
        if self.job_list is None:
            self.job_list = JobList(self.shell, utc_now)
        if not store.read_only:
            store.purge(utc_now())

    def _back_up_when_due(self) -> None:
        """Every so many entries a copy is made, beside the work."""
        if self.store is not None and self.backups is not None and self.backups.due(self.store):
            self.backups.begin(self.store)
            made = self._pool.submit(self.backups.make)
            made.add_done_callback(lambda _: self.poster.post(self._say_backup))

    def _say_backup(self) -> None:
        if self.backups is not None and self.backups.failed:
            self.shell.bar.say(tr("No backup was made. {why}", why=self.backups.failed), True)

    def _list_jobs(self) -> None:
        if self.job_list is not None:
            self.job_list.show(self.store)

    def show_session(self, session: "OpenJob", with_bench: bool) -> None:
        """Puts an open job into the window."""
        from loyal_trace.app.workspace import Workspace
        from loyal_trace.instruments.protocols import Workbench
        from loyal_trace.ui.wiring import JobWiring

        instruments = Workbench()
        if with_bench:
            from loyal_trace.core.assess.parts import changes_made
            from loyal_trace.demo.workshop import DEMO_BENCHES
            from loyal_trace.instruments.simulated import simulated_workbench

            instruments = simulated_workbench(DEMO_BENCHES[session.id], lambda: changes_made(session.snapshot))
        self._leave()
        self.wiring = JobWiring(self.shell, Workspace(session, instruments, self.poster.post), self.timer)
        self.wiring.workspace.changed.connect(self._back_up_when_due)
        wanted = stage_of_word(self.options.stage)
        if wanted is not None:
            self.wiring.show_stage(wanted)

    def open_job(self, job: str) -> None:
        """Opens a job of the list."""
        from loyal_trace.app.job import OpenJob
        from loyal_trace.core.vocabulary.errors import LoyalTraceError
        from loyal_trace.demo.workshop import DEMO_BENCHES

        if self.store is None:
            return
        self._leave()
        try:
            session = OpenJob(self.store, job, self.environment())
        except LoyalTraceError as error:
            self.show_jobs()
            self.shell.first.say(tr("Not opened: {error}", error=error))
            return
        if len(session.entries) > _LONG_JOB:
            gc.freeze()  # else each walk over its entries stops the hand for a third of a second
        self.show_session(session, with_bench=self.options.demo and job in DEMO_BENCHES)

    def _leave(self) -> None:
        """Lets the open job go before another is read, so that very long ones do not add up in memory."""
        if self.wiring is None:
            return
        was_long = len(self.wiring.workspace.job.entries) > _LONG_JOB
        self.wiring.close()
        self.wiring = None
        if was_long:
            give_back()
            QTimer.singleShot(0, give_back)  # its pages go with the next turn of the loop, and what they held on to

    def show_jobs(self) -> None:
        """Back to the job list."""
        self._leave()
        self._list_jobs()
        self.shell.stations.set_job("Loyal Trace", tr("jobs of this workshop"))
        self.shell.stations.set_stations([(0.0, "")] * len(Stage))
        self.shell.stations.set_current(-1)
        self.shell.panel.map.show_board(None, Overlay({}))
        self.shell.bar.say("", False)
        self.shell.pages.setCurrentWidget(self.shell.welcome)

    def open_demo(self) -> None:
        """Closes this store and opens the demo's."""
        self._close_store()
        self.options = WindowOptions(True, None, self.options.stage, None, self.options.dark)
        self._start()

    def _close_store(self) -> None:
        """Closes the store, with a last backup of what was written; the demo's can be made anew at any time."""
        if self.store is None:
            return
        if self.backups is not None and not self.options.demo and self.backups.due(self.store, closing=True):
            self.backups.make()
            if self.backups.failed:  # the window is going, so the terminal is told
                print(f"loyal-trace: {self.backups.failed}", file=sys.stderr)
        self.store.close()
        self.store = None

    def new_job(self, boards: tuple[Path, ...] = (), listed: "tuple[Mapping[str, bytes], ...]" = ()) -> None:
        """Asks for a title and opens a new job, with boards from folders and from parts lists."""
        from loyal_trace.app.job import open_new_job
        from loyal_trace.core.vocabulary.errors import LoyalTraceError

        if self.store is None:
            self.shell.first.say(tr("The workshop is still opening."))
            return
        title, accepted = QInputDialog.getText(self.shell, tr("New job"), tr("Title of the job"))
        if not accepted or not title.strip():
            return
        try:
            job = open_new_job(self.store, title.strip(), boards or (), environment=self.environment(), listed=listed)
        except LoyalTraceError as error:
            self.shell.first.say(tr("Not opened: {error}", error=error))
            return
        self.open_job(job)

    def new_from_board(self) -> None:
        """Asks for a board folder, then for a title."""
        folder = QFileDialog.getExistingDirectory(self.shell, tr("Choose a board folder"), self._saved_boards())
        if folder:
            self.new_job((Path(folder),))

    def _saved_boards(self) -> str:
        """Where boards of earlier jobs were saved; empty before the first."""
        from loyal_trace.app.board_saving import saved_boards

        folder = saved_boards(self.store.folder) if self.store is not None else None
        return str(folder) if folder is not None and folder.is_dir() else ""

    def new_from_list(self, path: Path | None = None) -> None:
        """A parts list, its columns, then a title."""
        from loyal_trace.core.vocabulary.errors import LoyalTraceError
        from loyal_trace.ui.new_board import board_from_list, choose_list

        chosen = path or choose_list(self.shell)
        if chosen is None:
            return
        try:
            files = board_from_list(self.shell, chosen)
        except LoyalTraceError as error:
            self.shell.first.say(tr("Not imported: {error}", error=error))
            return
        if files is not None:
            self.new_job(listed=(files,))

    def add_board(self, from_list: bool = False) -> None:
        """Another board for the open job: a sub-board, the next of a stack."""
        from loyal_trace.formats.board_folder import board_files
        from loyal_trace.ui.new_board import board_from_list, choose_list

        if self.wiring is None:
            return
        workspace = self.wiring.workspace
        chosen = choose_list(self.shell) if from_list else None
        start = self._saved_boards()
        folder = "" if from_list else QFileDialog.getExistingDirectory(self.shell, tr("Choose a board folder"), start)
        if not chosen and not folder:
            return

        def act() -> list[str]:
            path = chosen or Path(folder)
            files = board_from_list(self.shell, path) if chosen else board_files(path)
            return (
                [tr("board {title} added to this job", title=workspace.job.add_board(files, str(path)).title)]
                if files
                else []
            )

        workspace.attempt(act)

    def choose_files(self) -> None:
        """Files by dialog instead of by dropping."""
        names, _ = QFileDialog.getOpenFileNames(self.shell, tr("ROM images, checksums, job archives"))
        if names:
            self.shell.files_dropped.emit([Path(n) for n in names])

    def _dropped_without_job(self, paths: list[Path]) -> None:
        """Archives open anywhere; a board folder begins a job when none is open."""
        from loyal_trace.app.job import import_archive
        from loyal_trace.core.vocabulary.errors import LoyalTraceError
        from loyal_trace.formats.archive import read_archive
        from loyal_trace.formats.part_table import is_part_list

        if self.wiring is not None or self.store is None:
            return
        for path in paths:
            try:
                if path.suffix == ".ltjob":
                    self.open_job(import_archive(self.store, read_archive(path), self.environment()))
                elif (path / "board.toml").exists():
                    self.new_job((path,))
                elif is_part_list(path):
                    self.new_from_list(path)
                else:
                    self.shell.first.say(tr("Open a job first; then drop images and checksums."))
            except LoyalTraceError as error:
                self.shell.first.say(tr("Not imported: {error}", error=error))

    def come_to_front(self, files: list[Path]) -> None:
        """A later start was refused: this window comes to the front, with the files that it brought."""
        self.shell.showNormal() if self.shell.isMinimized() else self.shell.show()
        self.shell.raise_()
        self.shell.activateWindow()
        if files:
            self.shell.files_dropped.emit(files)

    def commands(self) -> list[Command]:
        """What the finder offers now."""
        found = self.wiring.commands() if self.wiring else []
        return [*found, *self.menus.commands()]

    def close(self) -> None:
        """Remembers job, stage and place of the window; ends background work and closes the store."""
        if self.wiring is not None:
            self._remember(job=self.wiring.workspace.job.id, stage=self.wiring.current.word)
        self._remember(geometry=bytes(self.shell.saveGeometry().toHex().data()).decode())
        if self.one_window is not None:
            self.one_window.close()
            self.one_window = None
        if self.wiring is not None:
            self.wiring.close()
            self.wiring = None
        self._pool.shutdown(wait=True)
        self._close_store()
