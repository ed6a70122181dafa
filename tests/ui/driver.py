"""Drives the window as a person does: keys, clicks, and reading what the widgets say."""

from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtWidgets import QApplication

from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.store.store import Store

NAMED = {
    "Enter": Qt.Key.Key_Return,
    "Down": Qt.Key.Key_Down,
    "Up": Qt.Key.Key_Up,
    "Space": Qt.Key.Key_Space,
    "Esc": Qt.Key.Key_Escape,
    "Delete": Qt.Key.Key_Delete,
    "Tab": Qt.Key.Key_Tab,
    "F8": Qt.Key.Key_F8,
}
CONTROL, ALT, SHIFT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ShiftModifier,
)


class Driver:
    """The window with hands. Time for the pad passes only when a test says so."""

    def __init__(self, qtbot, ours):
        self.qtbot, self.ours, self.shell = qtbot, ours, ours.shell

    # what is there

    @property
    def wiring(self):
        return self.ours.wiring

    @property
    def workspace(self):
        return self.wiring.workspace

    @property
    def page(self):
        """The page of the stage in view."""
        return self.wiring.page

    @property
    def foot(self):
        return self.wiring.foot

    @property
    def edit(self):
        return self.foot.edit

    @property
    def about(self):
        """What stands in large type beside the line, and what of it."""
        line = self.foot.line
        return f"{line.place.text()} {line.detail.toolTip()}".strip()

    @property
    def place(self):
        return self.foot.line.place.text()

    @property
    def strip(self):
        """The strip as text: its head and what it says."""
        return f"{self.foot.strip.head.text()}: {self.foot.strip.text.text()}"

    @property
    def hint(self):
        return self.foot.strip.text.toolTip()

    @property
    def why(self):
        return self.page.meaning.why.text()

    @property
    def next(self):
        return self.page.meaning.next.text()

    @property
    def message(self):
        return self.shell.bar.last.text()

    def figure(self, name):
        return self.page.figures[name]

    def rows(self, name):
        return self.page.lists[name]

    def row_texts(self, name):
        return [row.words for row in self.rows(name).rows]

    def buttons(self):
        return [button.text() for button in self.foot.buttons.buttons]

    # what is done

    def focus(self):
        """Where a key goes."""
        return QApplication.focusWidget() or self.edit

    def keys(self, *names):
        """Presses keys where the focus is: Enter, Down, Space … or letters."""
        for name in names:
            if name in NAMED:
                self.qtbot.keyClick(self.focus(), NAMED[name])
            else:
                self.qtbot.keyClicks(self.focus(), name)

    def pad(self, *names, after=0.3):
        """Keys of the pad, each given the time to count."""
        if not self.wiring.pad.on:
            self.keys("F8")
        for name in names:
            self.keys(name if name in NAMED else name.lower())
            self.wait(after)

    def wait(self, seconds):
        """Lets the pad's clock go on."""
        self.wiring.pad.timer.advance(seconds)

    def type(self, text):
        """Types a line and Enter."""
        self.edit.setFocus()
        self.qtbot.keyClicks(self.edit, text)
        self.qtbot.keyClick(self.edit, Qt.Key.Key_Return)

    def clear(self):
        """Esc clears the line."""
        self.qtbot.keyClick(self.edit, Qt.Key.Key_Escape)

    def press(self, *labels):
        """Clicks buttons of the stage by their words."""
        for label in labels:
            button = next(b for b in self.foot.buttons.buttons if b.text() == label)
            self.qtbot.mouseClick(button, Qt.MouseButton.LeftButton)

    def alt(self, *letters):
        """Alt and a letter, where the focus is."""
        for letter in letters:
            self.qtbot.keyClick(self.focus(), getattr(Qt.Key, f"Key_{letter.upper()}"), ALT)

    def ctrl(self, letter, shift=False):
        """A Ctrl key of the window, pressed where the focus is."""
        held = CONTROL | SHIFT if shift else CONTROL
        self.qtbot.keyClick(self.focus(), getattr(Qt.Key, f"Key_{letter.upper()}"), held)
        QApplication.processEvents()

    def stage(self, stage):
        """Ctrl+1 … Ctrl+0."""
        self.ctrl(stage.key.removeprefix("Ctrl+"))
        assert self.wiring.current is Stage(stage)

    def pick(self, board, part=""):
        """As a click on the part somewhere."""
        self.workspace.pick(board, part)

    def click_part(self, refdes):
        """Clicks a part on the board map."""
        board_map = self.shell.panel.map
        centre = board_map.rect_of(board_map.board.part(refdes)).center().toPoint()
        self.qtbot.mouseClick(board_map, Qt.MouseButton.LeftButton, pos=QPoint(centre.x(), centre.y()))

    def click_row(self, name, index):
        """Clicks a row of a list in the current stage."""
        rows = self.rows(name)
        QApplication.processEvents()
        box: QRect = rows.visualRect(rows.model().index(index))
        self.qtbot.mouseClick(rows.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(60, box.center().y()))

    def click_row_of(self, name, words):
        """Clicks the first row that has these words."""
        self.click_row(name, next(n for n, text in enumerate(self.row_texts(name)) if words in text))

    def open_job(self, title):
        """Picks a job of the list by its title, as Enter on it does."""
        jobs = self.shell.first.jobs
        found = next(jobs.item(n) for n in range(jobs.count()) if title in jobs.item(n).text())
        jobs.itemActivated.emit(found)

    def wait_idle(self):
        """Until background work has ended."""
        self.qtbot.waitUntil(lambda: not self.workspace.tasks.busy, timeout=20_000)

    # what is kept

    def on_disk(self):
        """The logbook as another process would read it."""
        with Store(self.workspace.job.store.folder, read_only=True) as store:
            return store.entries(self.workspace.job.id)

    @property
    def last(self):
        """The newest entry on disk."""
        return self.on_disk()[-1]

    def probability(self, board, refdes):
        suspect = self.workspace.assessment().suspect_at((board, refdes))
        return suspect.probability if suspect else 0.0
