"""The job list of the workshop; with no job at all, three lines that teach and three ways to begin."""

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.language import shown, tr
from loyal_trace.ui.theme import THEME, font
from loyal_trace.ui.widgets.flow import FlowLayout
from loyal_trace.ui.widgets.heights import least_height

TEACHING = (
    say(
        "Every reading and every action is one line in a logbook. Every verdict is computed from it and "
        "gives its reasons."
    ),
    say("Ten stages lead from intake to the report. Use them in any order: none blocks another."),
    say(
        "Any board can be used: drop its ROM files, probe a chip pin by pin, or type what is on it, such as "
        "U3 is 74LS00."
    ),
)


class FirstPage(QWidget):
    """Shown before a job is open."""

    demo_asked = pyqtSignal()
    new_asked = pyqtSignal()
    board_asked = pyqtSignal()
    list_asked = pyqtSignal()
    job_asked = pyqtSignal(str)
    menu_asked = pyqtSignal(str, QPoint)

    def __init__(self) -> None:
        super().__init__()
        self.title = QLabel("Loyal Trace")
        self.title.setFont(font(30, bold=True))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(140, 60, 140, 40)
        layout.setSpacing(14)
        layout.addWidget(self.title)
        self.lines = [QLabel(shown(text)) for text in TEACHING]
        for number, line in enumerate(self.lines, start=1):
            line.setText(f"{number}   {line.text()}")
            line.setFont(font(15))
            line.setWordWrap(True)
            # As tall as its words: what is left of the page stays below, not between the lines.
            line.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
            layout.addWidget(line)
        layout.addSpacing(10)
        layout.addWidget(self._buttons())
        self.jobs_title = QLabel(tr("Jobs of this workshop"))
        self.jobs_title.setFont(font(15, bold=True))
        self.jobs = QListWidget()
        self.jobs.setFont(font(14))
        self.jobs.setAccessibleName(tr("jobs"))
        self.jobs.itemActivated.connect(self._open)
        self.jobs.itemClicked.connect(self._open)
        self.jobs.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.jobs.customContextMenuRequested.connect(self._menu)
        layout.addWidget(self.jobs_title)
        layout.addWidget(self.jobs, 1)
        self.state = QLabel()
        self.state.setFont(font(14))
        self.state.setStyleSheet(f"color: {THEME.palette.copper};")
        layout.addWidget(self.state)
        layout.addStretch()
        self.show_jobs([])

    def _buttons(self) -> QWidget:
        holder = QWidget()
        row = FlowLayout(holder, 12)
        self.demo = QPushButton(tr("Open the demo workshop"))
        self.demo.setObjectName("main")
        self.new = QPushButton(tr("New job"))
        self.board = QPushButton(tr("… from a board folder"))
        self.parts = QPushButton(tr("… from a parts list"))
        for button, signal in (
            (self.demo, self.demo_asked),
            (self.new, self.new_asked),
            (self.board, self.board_asked),
            (self.parts, self.list_asked),
        ):
            button.setFont(font(14))
            button.clicked.connect(signal)
            row.addWidget(button)
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        holder.setSizePolicy(policy)
        return holder

    def _open(self, item: QListWidgetItem) -> None:
        self.job_asked.emit(str(item.data(Qt.ItemDataRole.UserRole)))

    def _menu(self, place: QPoint) -> None:
        item, viewport = self.jobs.itemAt(place), self.jobs.viewport()
        if item is not None and viewport is not None:
            self.menu_asked.emit(str(item.data(Qt.ItemDataRole.UserRole)), viewport.mapToGlobal(place))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Narrow windows keep their width for the words."""
        super().resizeEvent(event)
        side = min(140, max(24, (self.width() - 760) // 4))
        layout = self.layout()
        if layout is not None and layout.contentsMargins().left() != side:
            layout.setContentsMargins(side, 60, side, 40)
        # Qt asks a wrapped label for its height without a width, and would scroll too early or not at all.
        self.setMinimumHeight(least_height(self, self.width()))

    def show_jobs(self, jobs: list[tuple[str, str]]) -> None:
        """(id, words) of every job."""
        self.jobs.clear()
        for job, words in jobs:
            item = QListWidgetItem(words)
            item.setData(Qt.ItemDataRole.UserRole, job)
            self.jobs.addItem(item)
        self.jobs_title.setVisible(bool(jobs))
        self.jobs.setVisible(bool(jobs))
        if jobs:
            self.jobs.setCurrentRow(0)

    def say(self, text: str) -> None:
        """One line at the foot: what is going on."""
        self.state.setText(shown(text))
