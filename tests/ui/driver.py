"""Drives the window as a person does: keys, clicks, and reading what the widgets say."""

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QLabel

from loyal_trace.store.store import Store
from loyal_trace.ui.widgets.rows import RowList

NAMED = {"Enter": Qt.Key.Key_Return, "Down": Qt.Key.Key_Down, "Up": Qt.Key.Key_Up, "Space": Qt.Key.Key_Space,
         "Esc": Qt.Key.Key_Escape, "Delete": Qt.Key.Key_Delete}  # fmt: skip


class Driver:
    """The demo window with hands."""

    def __init__(self, qtbot, ours):
        self.qtbot, self.ours, self.shell = qtbot, ours, ours.shell

    @property
    def desk(self):
        return self.ours.wiring.desk

    @property
    def frame(self):
        return self.shell.stages.currentWidget()

    @property
    def edit(self):
        return self.frame.entry.edit

    def keys(self, *names):
        """Presses keys in the entry line: single letters, or Enter, Down, Space…"""
        for name in names:
            key = NAMED.get(name)
            if key is not None:
                self.qtbot.keyClick(self.edit, key)
            else:
                self.qtbot.keyClicks(self.edit, name.lower())

    def type(self, text):
        """Types a text and Enter."""
        self.qtbot.keyClicks(self.edit, text)
        self.qtbot.keyClick(self.edit, Qt.Key.Key_Return)

    def ctrl(self, letter):
        """A Ctrl shortcut of the window."""
        self.qtbot.keyClick(self.shell, getattr(Qt.Key, f"Key_{letter.upper()}"), Qt.KeyboardModifier.ControlModifier)
        QApplication.processEvents()

    def stage(self, number):
        """Ctrl+1 … Ctrl+0."""
        self.ctrl(str(number % 10))
        assert self.ours.wiring.current == number - 1

    def click_part(self, refdes):
        """Clicks a part on the board map."""
        board_map = self.shell.panel.map
        centre = board_map.rect_of(board_map.board.part(refdes)).center().toPoint()
        self.qtbot.mouseClick(board_map, Qt.MouseButton.LeftButton, pos=QPoint(centre.x(), centre.y()))

    def click_row(self, name, index):
        """Clicks a row of a list in the current stage."""
        rows = self.rows(name)
        y = rows.top_of(index) + rows.rows[index].height // 2
        self.qtbot.mouseClick(rows, Qt.MouseButton.LeftButton, pos=QPoint(60, y))

    def rows(self, name):
        return next(r for r in self.frame.findChildren(RowList) if r.accessibleName() == name)

    def row_texts(self, name):
        return [row.words for row in self.rows(name).rows]

    @property
    def why(self):
        return self.frame.meaning.why.text()

    @property
    def next(self):
        return self.frame.meaning.next.text()

    @property
    def message(self):
        return self.shell.bar.findChildren(QLabel)[1].text()

    def on_disk(self):
        """The logbook as another process would read it."""
        with Store(self.desk.job.store.folder, read_only=True) as store:
            return store.entries(self.desk.job.id)

    def open_job(self, title):
        """Picks a job of the list by its title, as Enter on it does."""
        jobs = self.shell.first.jobs
        found = next(jobs.item(n) for n in range(jobs.count()) if title in jobs.item(n).text())
        jobs.itemActivated.emit(found)

    def wait_idle(self):
        """Until background work has ended."""
        self.qtbot.waitUntil(lambda: not self.desk.busy, timeout=20_000)

    def belief(self, board, refdes):
        suspect = self.desk.assessment().suspect_at((board, refdes))
        return suspect.belief if suspect else 0.0
