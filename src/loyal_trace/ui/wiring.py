"""Joins one open job to the window: the ten stages, the map, the logbook, the keys. Imported after the first paint."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, QObject, Qt
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox

from loyal_trace.core.assess.progress import map_marks, progress
from loyal_trace.core.job.entries import describe, stage_of
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.photo_watch import PhotoWatch
from loyal_trace.ui.shell import Shell
from loyal_trace.ui.stages.base import HELP, Stage
from loyal_trace.ui.stages.hand_back import HandBackStage
from loyal_trace.ui.stages.intake import IntakeStage
from loyal_trace.ui.stages.look import LookStage
from loyal_trace.ui.stages.plan import PlanStage
from loyal_trace.ui.stages.probe import ProbeStage
from loyal_trace.ui.stages.prove import ProveStage
from loyal_trace.ui.stages.rails import RailStage
from loyal_trace.ui.stages.roms import RomStage
from loyal_trace.ui.stages.suspects import SuspectStage
from loyal_trace.ui.stages.work import WorkStage
from loyal_trace.ui.theme import THEME
from loyal_trace.ui.widgets.board_map import Overlay
from loyal_trace.ui.widgets.finder import Command
from loyal_trace.ui.widgets.station_line import STAGE_NAMES

_STAGES: tuple[Callable[[Desk], Stage], ...] = (
    IntakeStage, LookStage, RailStage, RomStage, ProbeStage, SuspectStage, PlanStage, WorkStage, ProveStage,
    HandBackStage,
)  # fmt: skip
_LOOK = 1
_SHOWING = ("parts", "what was seen", "supplies and what needs them", "ROM verdicts", "what has been probed",
            "who is suspect", "what is renewed", "what is renewed", "what was renewed", "what was renewed")  # fmt: skip


class JobWiring(QObject):
    """One open job in the window. `close` takes it out again."""

    def __init__(self, shell: Shell, desk: Desk) -> None:
        super().__init__()
        self.shell, self.desk = shell, desk
        self.stages: list[Stage] = [make(desk) for make in _STAGES]
        for stage in self.stages:
            shell.stages.addWidget(stage.frame)
        self.current = self._where_work_left_off()
        desk.changed.connect(self._changed)
        desk.picked.connect(self._picked)
        desk.said.connect(shell.bar.say)
        desk.working.connect(shell.bar.show_progress)
        desk.stage_asked.connect(self.show_stage)
        shell.stage_asked.connect(self.show_stage)
        shell.restyled.connect(self._changed)
        shell.drawer_opened.connect(self._show_logbook)
        shell.files_dropped.connect(self._dropped)
        shell.panel.map.picked.connect(self._map_picked)
        shell.panel.map.area_drawn.connect(self._area_drawn)
        self.watch = PhotoWatch(desk)
        for stage in self.stages:
            stage.frame.entry.edit.pasted.connect(self._pasted)
        shell.panel.board_asked.connect(self._board_asked)
        shell.drawer.retract_asked.connect(desk.retract)
        shell.pages.setCurrentWidget(shell.desk_page)
        self._place_where_work_left_off()
        self.show_stage(self.current)

    def close(self) -> None:
        """Ends the job's background work and takes its pages out of the window."""
        self.watch.stop()
        self.desk.close()
        shell = self.shell
        for signal, slot in (
            (shell.stage_asked, self.show_stage), (shell.restyled, self._changed),
            (shell.drawer_opened, self._show_logbook), (shell.files_dropped, self._dropped),
            (shell.panel.map.picked, self._map_picked), (shell.panel.map.area_drawn, self._area_drawn),
            (shell.panel.board_asked, self._board_asked),
            (shell.drawer.retract_asked, self.desk.retract),
        ):  # fmt: skip
            signal.disconnect(slot)
        for stage in self.stages:
            shell.stages.removeWidget(stage.frame)
            stage.frame.deleteLater()

    def _where_work_left_off(self) -> int:
        """The stage of the newest entry that counts."""
        dead = self.desk.job.retracted
        stages = (stage_of(e) for e in reversed(self.desk.job.entries) if e.id not in dead)
        return next((s for s in stages if s is not None), 0)

    def _place_where_work_left_off(self) -> None:
        entry = self.desk.job.last_action()
        place = getattr(entry, "place", "")
        if entry is not None and place and entry.board in self.desk.job.boards:
            self.desk.pick(entry.board, place.split(".")[0].split("-")[0])

    def show_stage(self, stage: int) -> None:
        """Brings a stage to the front."""
        self.current = stage
        self.shell.stages.setCurrentWidget(self.stages[stage].frame)
        self.shell.stations.set_current(stage)
        self._changed()
        self.stages[stage].frame.entry.edit.setFocus(Qt.FocusReason.OtherFocusReason)

    def _changed(self) -> None:
        session = self.desk.job
        opened = session.snapshot.opened
        facts = [opened.number, opened.maker] if opened else []
        self.shell.stations.set_job(session.title, " · ".join(f for f in facts if f) or session.id)
        self.shell.stations.set_stations([(p.filled, p.count) for p in progress(self.desk.assessment())])
        self.stages[self.current].refresh()
        self._show_map()
        self._show_logbook()

    def _picked(self) -> None:
        self.stages[self.current].picked()
        self._show_map()

    def _show_map(self) -> None:
        desk = self.desk
        boards = [(board_id, board.title) for board_id, board in desk.job.boards.items()]
        if desk.definition is None:
            self.shell.show_board(boards, "", None, Overlay({}), "")
            return
        marks = map_marks(desk.assessment(), desk.board, self.current)
        trace, label = self.stages[self.current].overlay_trace()
        words = {r: (m.kind, m.word, m.hatched) for r, m in marks.items()}
        overlay = Overlay(words, desk.part, trace, label, desk.area)
        self.shell.show_board(boards, desk.board, desk.definition, overlay, f"showing: {_SHOWING[self.current]}")

    def _show_logbook(self) -> None:
        session = self.desk.job
        dead = session.retracted
        if self.shell.drawer.isVisible():
            lines = [(e.id, f"{e.time:%m-%d %H:%M}  {e.board:8} {describe(e)}", e.id in dead) for e in session.entries]
            self.shell.drawer.show_lines(lines)
        last = session.last_action()
        if last is not None and not self.desk.busy:
            board = f"{session.boards[last.board].name} " if last.board in session.boards else ""
            self.shell.bar.say(f"{last.time:%H:%M} {board}{describe(last)}", False)

    def _map_picked(self, part: str) -> None:
        self.desk.pick(self.desk.board, part)

    def _area_drawn(self, parts: tuple[str, ...]) -> None:
        """An area was drawn on the map: at Look, the next finding is for all of it."""
        if self.current == _LOOK and parts:
            self.desk.draw_area(parts)

    def _pasted(self) -> None:
        """A picture or files from the clipboard."""
        held = QApplication.clipboard().mimeData()
        if held.hasUrls():
            self._dropped([Path(url.toLocalFile()) for url in held.urls() if url.isLocalFile()])
        elif held.hasImage():
            stored = QBuffer()
            stored.open(QIODevice.OpenModeFlag.WriteOnly)
            QApplication.clipboard().image().save(stored, "PNG")
            now = self.desk.job.env.clock()
            self.desk.take_photo(bytes(stored.data()), f"pasted {now:%Y-%m-%d %H%M%S}.png")

    def watch_folder(self) -> None:
        """Photos that come into a folder, from a camera or a telephone that syncs there, are taken in by themselves."""
        folder = QFileDialog.getExistingDirectory(self.shell, "Watch which folder for photos?")
        if folder:
            self.watch.begin(Path(folder))

    def _board_asked(self, board: str) -> None:
        self.desk.pick(board, "")
        self._changed()

    def next_board(self) -> None:
        """The next board of the job."""
        boards = list(self.desk.job.boards)
        if boards:
            self._board_asked(boards[(boards.index(self.desk.board) + 1) % len(boards)])

    def _dropped(self, paths: list[Path]) -> None:
        from loyal_trace.ui.new_board import sum_columns  # not before the first paint

        self.desk.drop(paths, sum_columns(self.shell, paths))

    def say_why(self) -> None:
        """Opens everything behind the verdict in view."""
        meaning = self.stages[self.current].frame.meaning
        text = "\n\n".join(t for t in (meaning.why.text(), meaning.aside.text(), self._evidence()) if t)
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Why", text, QMessageBox.StandardButton.Ok, self.shell)
        box.exec()

    def _evidence(self) -> str:
        suspect = self.desk.assessment().suspect_at(self.desk.place)
        if suspect is None:
            return ""
        lines = [f"{'+' if e.weight > 0 else '−'} {abs(e.weight):.1f}  {e.text}" for e in suspect.evidence]
        return f"Evidence on {suspect.place[1]} (log-odds):\n" + "\n".join(lines)

    def help(self) -> None:
        """What this stage is for."""
        stage = self.stages[self.current]
        keys = "\n".join(f"{h.key}   {h.label}" for h in stage.hints() if h.label)
        text = f"{HELP[self.current]}\n\nKeys while the entry line is empty:\n{keys}"
        QMessageBox(
            QMessageBox.Icon.NoIcon, STAGE_NAMES[self.current], text, QMessageBox.StandardButton.Ok, self.shell
        ).exec()

    def _stage_commands(self, stage: int) -> list[Command]:
        """The keys of one stage's entry line; done from elsewhere, they lead to that stage first."""

        def there(action: Callable[[], object]) -> Callable[[], None]:
            def act() -> None:
                if stage != self.current:
                    self.show_stage(stage)
                action()

            return act

        hints = [h for h in self.stages[stage].hints() if h.action is not None and h.label]
        return [Command(f"{STAGE_NAMES[stage]}: {h.label}", h.key, there(h.action)) for h in hints]

    def commands(self) -> list[Command]:
        """Everything this job can do, for the finder."""
        going = [
            Command(f"go to {name}", f"Ctrl+{(n + 1) % 10}", lambda n=n: self.show_stage(n))
            for n, name in enumerate(STAGE_NAMES)
        ]
        others = [n for n in range(len(self.stages)) if n != self.current]
        return [
            *self._stage_commands(self.current),
            *going,
            *(command for n in others for command in self._stage_commands(n)),
            Command("take back the last entry", "Ctrl+Z", self.desk.retract_last),
            Command("open or close the logbook", "Ctrl+L", self.shell.toggle_drawer),
            Command("next board", "Ctrl+B", self.next_board),
            Command("paste a photo", "Ctrl+V", self._pasted),
            Command("watch a folder for photos", "", self.watch_folder),
            Command("stop watching for photos", "", self.watch.stop),
            Command("say why", "F2", self.say_why),
            Command("what is this stage for", "F1", self.help),
            Command("dark or light", "Ctrl+D", lambda: self.shell.set_dark(not THEME.dark)),
        ]
