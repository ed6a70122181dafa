"""Joins one open job to the window: the ten stages, the foot, the map, the logbook. Imported after the first paint."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QBuffer, QIODevice, QObject, QPoint
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox

from loyal_trace.app.dictionaries import cache_folder
from loyal_trace.app.job_dictionaries import JobDictionaries
from loyal_trace.app.pad import Pad, Timer
from loyal_trace.app.preferences import load_preferences, remember
from loyal_trace.app.presenters.logbook import line_of, newest
from loyal_trace.app.presenters.model import WANTED, Action, Presenter
from loyal_trace.app.presenters.overview import (
    PURPOSE,
    evidence_words,
    job_words,
    map_view,
    outline,
    pick_where_work_left_off,
    stage_where_work_left_off,
    stations,
)
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.vocabulary.phrases import joined
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.language import localised, shown, tr
from loyal_trace.ui import job_commands
from loyal_trace.ui.line_control import LineControl
from loyal_trace.ui.photo_watch import PhotoWatch
from loyal_trace.ui.shell import Shell
from loyal_trace.ui.stages import Stages
from loyal_trace.ui.widgets.finder import Command, Finder
from loyal_trace.ui.widgets.foot import Foot
from loyal_trace.ui.widgets.stage_page import StagePage


class JobWiring(QObject):
    """One open job in the window. `close` takes it out again."""

    def __init__(self, shell: Shell, workspace: Workspace, timer: Callable[[QObject], Timer]) -> None:
        super().__init__()
        self.shell, self.workspace = shell, workspace
        self.stages = Stages(workspace, self._page_made)
        self.current = stage_where_work_left_off(workspace)
        self.foot = Foot()
        shell.right.addWidget(self.foot)
        self._folder = workspace.job.store.folder
        self.pad = Pad(timer(self), self._press, load_preferences(self._folder).pads)
        self.control = LineControl(workspace, self.foot, self.pad, lambda: self.presenter)
        self.control.leave = self._leave
        self.watch = PhotoWatch(workspace)
        self.dictionaries = JobDictionaries(workspace.job, cache_folder())
        pick_where_work_left_off(workspace)
        self._connect()
        shell.pages.setCurrentWidget(shell.desk_page)
        self.show_stage(self.current)
        if workspace.job.workshop.warnings:
            workspace.say(joined(" ", workspace.job.workshop.warnings), True)

    def _connect(self) -> None:
        workspace, shell = self.workspace, self.shell
        workspace.changed.connect(self._changed)
        workspace.picked.connect(self._picked)
        workspace.said.connect(shell.bar.say)
        workspace.tasks.working.connect(shell.bar.show_progress)
        workspace.stage_asked.connect(self.show_stage)
        for signal, slot in self._signals():
            signal.connect(slot)
        self.foot.edit.pasted.connect(self.paste)
        self.foot.buttons.pad_switched.connect(self._remember_pads)  # after the control, which switches it

    def _signals(self) -> tuple[tuple[Any, Callable[..., None]], ...]:
        """What the window tells, and who listens; taken apart again when the job is closed."""
        shell = self.shell
        return (
            (shell.stage_asked, self._stage_asked),
            (shell.restyled, self._changed),
            (shell.drawer_opened, self._show_logbook),
            (shell.files_dropped, self._dropped),
            (shell.panel.map.picked, self._map_picked),
            (shell.panel.map.area_drawn, self._area_drawn),
            (shell.panel.board_asked, self._board_asked),
            (shell.drawer.retract_asked, self.workspace.retract),
            (shell.typed, self.control.take_key),
            (shell.escaped, self.control.escape),
            (shell.panel.map.menu_asked, self._part_menu),
            (shell.panel.outline.menu_asked, self._part_menu),
            (shell.panel.outline.picked, self.workspace.pick),
            (shell.outlined, self._picked),
            (shell.drawer.list.menu_asked, self._entry_menu),
        )

    def close(self) -> None:
        """A lit key still counts; then the job's background work ends and its pages leave the window."""
        self.pad.flush()
        self.watch.stop()
        self.workspace.close()
        self.shell.drawer.model.forget()
        for signal, slot in self._signals():
            signal.disconnect(slot)
        for page in self.stages:
            self.shell.stages.removeWidget(page)
            page.deleteLater()
        # The foot belongs to the job: the next one brings its own, with its own line and undo.
        self.shell.right.removeWidget(self.foot)
        self.foot.hide()
        self.foot.deleteLater()

    def _page_made(self, page: StagePage) -> None:
        self.shell.stages.addWidget(page)
        page.menu_asked.connect(self._row_menu)

    def _leave(self) -> None:
        """Esc with nothing typed: the drawer that has the keyboard, else a further page, else the drawer."""
        drawer = self.shell.drawer
        if drawer.isVisible() and (drawer.list.hasFocus() or not self.presenter.leave()):
            drawer.hide()
        elif not drawer.isVisible():
            self.presenter.leave()
        self.control.focus()

    # what is in view

    @property
    def page(self) -> StagePage:
        """The page in view."""
        return self.stages[self.current]

    @property
    def presenter(self) -> Presenter:
        """The presenter of the stage in view."""
        return self.page.presenter

    def show_stage(self, stage: Stage) -> None:
        """Brings a stage to the front."""
        self.pad.flush()
        self.current = stage
        self.foot.put_pad_away()  # first, or a small window would grow for a page with another stage's pad
        self.shell.stages.setCurrentWidget(self.page)
        self.shell.stations.set_current(stage)
        self._changed()
        self.control.focus()
        self.shell.column.ensureWidgetVisible(self.foot.edit)

    def _stage_asked(self, stage: int) -> None:
        self.show_stage(Stage(stage))

    def _changed(self) -> None:
        """Something was recorded, or another stage is in view: everything is shown anew."""
        self.shell.stations.set_job(*localised(job_words(self.workspace)))
        self.shell.stations.set_stations(localised(stations(self.workspace)))
        self._picked()
        self._show_logbook()
        self.dictionaries.search(self.workspace)

    def _picked(self) -> None:
        """Something else is in view on the same page."""
        presented = self.presenter.page()
        page = localised(replace(presented, lists={**presented.lists, WANTED: self.presenter.wanted()}))
        self.page.show_page(page)
        self.control.show_page(page)
        view = localised(map_view(self.workspace, self.current, self.presenter.trace()))
        if not self.shell.panel.outline.isHidden():
            self.shell.panel.outline.show_boards(localised(outline(self.workspace, self.current)), self.workspace.place)
        self.shell.show_board(view, tr("showing: {showing}", showing=view.showing))

    def _show_logbook(self) -> None:
        job = self.workspace.job
        if self.shell.drawer.isVisible():
            self.shell.drawer.follow(job.entries, lambda entry: localised(line_of(job, entry)))
        # While work runs, the bar shows its progress.
        if not self.workspace.tasks.busy:
            self.shell.bar.say(newest(job), False)

    def _press(self, key: str) -> None:
        """A key of the pad counts."""
        with self.workspace.together():
            self.presenter.press(key)

    def _remember_pads(self) -> None:
        remember(self._folder, pads=self.pad.switched_on)

    # what the window asks for

    def _map_picked(self, part: str) -> None:
        self.pad.flush()
        self.workspace.pick(self.workspace.board, part)

    def _area_drawn(self, parts: tuple[str, ...]) -> None:
        """An area was drawn on the map: at Inspect, the next finding is for all of it."""
        if self.current is Stage.INSPECT and parts:
            self.workspace.draw_area(parts)

    def paste(self) -> None:
        """A picture or files from the clipboard."""
        clipboard = QApplication.clipboard()
        held = clipboard.mimeData() if clipboard is not None else None
        if clipboard is None or held is None:
            return
        if held.hasUrls():
            self._dropped([Path(url.toLocalFile()) for url in held.urls() if url.isLocalFile()])
        elif held.hasImage():
            stored = QBuffer()
            stored.open(QIODevice.OpenModeFlag.WriteOnly)
            clipboard.image().save(stored, "PNG")
            now = self.workspace.job.env.clock()
            self.workspace.take_photo(bytes(stored.data().data()), f"pasted {now:%Y-%m-%d %H%M%S}.png")
        elif held.hasText():
            self._paste_text(held.text())

    def _paste_text(self, text: str) -> None:
        """Several lines with places are a parts list, with its columns shown; anything else goes into the line."""
        from loyal_trace.ui.new_board import pasted_columns, pasted_table  # not before the first paint

        table = pasted_table(text)
        if table is None:
            self.foot.edit.insert(" ".join(text.split()))
            return
        columns = pasted_columns(self.shell, table)
        if columns is not None:
            self.workspace.import_list(table, columns, tr("pasted list"))

    def watch_folder(self) -> None:
        """Photos that come into a folder, from a camera or a telephone that syncs there, are imported by themselves."""
        folder = QFileDialog.getExistingDirectory(self.shell, tr("Watch which folder for photos?"))
        if folder:
            self.watch.begin(Path(folder))

    def _board_asked(self, board: str) -> None:
        self.pad.flush()
        self.workspace.pick(board, "")
        self._changed()

    def next_board(self) -> None:
        """The next board of the job."""
        boards = list(self.workspace.job.boards)
        if boards:
            self._board_asked(boards[(boards.index(self.workspace.board) + 1) % len(boards)])

    def _dropped(self, paths: list[Path]) -> None:
        from loyal_trace.ui.new_board import (  # not before the first paint
            checksum_columns,
            part_columns,
            refused_netlists,
        )

        lists = part_columns(self.shell, paths)
        refused = [path for path, chosen in lists.items() if chosen is None]
        refused += refused_netlists(self.shell, paths, self.workspace.job.library)
        kept = [path for path in paths if path not in refused]
        chosen = {path: one for path, one in lists.items() if one is not None}
        self.workspace.drop(kept, checksum_columns(self.shell, kept), chosen)

    # menus under the pointer

    def _part_menu(self, refdes: str, at: QPoint) -> None:
        job_commands.popup(job_commands.part_menu(self, refdes), at)

    def _row_menu(self, words: str, at: QPoint) -> None:
        job_commands.popup(job_commands.row_menu(self, words), at)

    def _entry_menu(self, entry: str, words: str, at: QPoint) -> None:
        job_commands.popup(job_commands.entry_menu(self, entry, words), at)

    # help

    def say_why(self) -> None:
        """Opens everything behind the verdict in view."""
        meaning = self.page.meaning
        more = shown(self.presenter.why_in_full())
        parts = (meaning.why.text(), meaning.aside.text(), more, shown(evidence_words(self.workspace)))
        text = joined("\n\n", (part for part in parts if part))
        QMessageBox(QMessageBox.Icon.NoIcon, "Why", text, QMessageBox.StandardButton.Ok, self.shell).exec()

    def help(self) -> None:
        """What this stage is for, its commands, and everything that can be said; picking an example puts it in."""
        about = tr(
            "{purpose} A click or Enter on an example puts it into the line; nothing is recorded yet.",
            purpose=PURPOSE[self.current],
        )
        finder = Finder(
            [*self._sayable(), *self.stage_commands()],
            self.shell,
            tr("{title}: what can be said", title=self.current.title),
            about,
        )
        chosen = finder.chosen if finder.exec() else None
        self.shell.activateWindow()
        if chosen is not None:
            chosen.run()

    def _sayable(self) -> list[Command]:
        from loyal_trace.app.presenters.sayable import sayable  # the grammar: not before the job is shown

        return [
            Command(one.example, shown(one.words), partial(self.control.put, one.example))
            for one in sayable(self.current)
        ]

    def stage_commands(self) -> list[Command]:
        """The buttons of the stage in view."""
        return [self._command(self.current, action) for action in localised(self.presenter.page()).actions]

    def _command(self, stage: Stage, action: Action) -> Command:
        def run() -> None:
            if stage is not self.current:
                self.show_stage(stage)
            self.control.run(action)

        return Command(tr("{title}: {label}", title=stage.title, label=action.label), f"Alt+{action.key}", run)

    def commands(self) -> list[Command]:
        """Everything that this job can do and everything that can be said, for the finder."""
        others = [stage for stage in Stage if stage is not self.current]
        return [
            *self.stage_commands(),
            *(
                self._command(stage, action)
                for stage in others
                for action in localised(self.stages[stage].presenter.page()).actions
            ),
            *self._sayable(),
        ]
