"""The main window: menus and station line above, board map beside the stage, logbook below. Light to import."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QLabel, QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from loyal_trace.app.presenters.model import Overlay
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.ui.theme import THEME, apply_style, font
from loyal_trace.ui.widgets.board_map import BoardMap
from loyal_trace.ui.widgets.finder import Command, Finder
from loyal_trace.ui.widgets.first_page import FirstPage
from loyal_trace.ui.widgets.logbook import LogbookBar, LogbookDrawer
from loyal_trace.ui.widgets.station_line import StationLine

_MAP_WIDTH = 430


class BoardPanel(QWidget):
    """Board tabs above the map, and what the map is showing."""

    board_asked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.map, self.showing = BoardMap(), QLabel()
        self.showing.setFont(font(12))
        self._tabs_row = QHBoxLayout()
        self._tabs_row.setSpacing(16)
        self._tabs: list[QLabel] = []
        head = QHBoxLayout()
        head.setContentsMargins(18, 12, 10, 0)
        head.addLayout(self._tabs_row)
        head.addStretch(1)
        head.addWidget(self.showing)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 8)
        layout.setSpacing(4)
        layout.addLayout(head)
        layout.addWidget(self.map, 1)

    def show_tabs(self, boards: list[tuple[str, str]], current: str, showing: str) -> None:
        """(id, title) of each board; the current one is underlined in copper."""
        while len(self._tabs) < len(boards):
            label = QLabel()
            label.setTextFormat(Qt.TextFormat.RichText)
            label.linkActivated.connect(self.board_asked)
            self._tabs.append(label)
            self._tabs_row.addWidget(label)
        for label in self._tabs[len(boards) :]:
            label.hide()
        for label, (board, title) in zip(self._tabs, boards, strict=False):
            label.show()
            here = board == current
            p = THEME.palette
            style = f"color:{p.ink if here else p.soft};text-decoration:none;font-weight:{'bold' if here else 'normal'}"
            label.setText(f"<a href='{board}' style='{style}'>{title}</a>")
            label.setStyleSheet(f"padding-bottom:3px;border-bottom:3px solid {p.copper if here else 'transparent'};")
        self.showing.setText(showing)
        self.showing.setStyleSheet(f"color: {THEME.palette.soft};")


class PageStack(QStackedWidget):
    """Pages of which only the one in view needs room."""

    def minimumSizeHint(self) -> QSize:
        page = self.currentWidget()
        return page.minimumSizeHint() if page is not None else QSize()


class Shell(QMainWindow):
    """The window. What it does with a job is wired by `ui.wiring`; it only asks and shows."""

    stage_asked = pyqtSignal(int)
    files_dropped = pyqtSignal(list)
    closing = pyqtSignal()
    restyled = pyqtSignal()
    drawer_opened = pyqtSignal()
    first_painted = pyqtSignal()
    typed = pyqtSignal(str)
    escaped = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Loyal Trace")
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.stations, self.panel, self.first = StationLine(), BoardPanel(), FirstPage()
        self.stages, self.pages = PageStack(), QStackedWidget()
        self.drawer, self.bar = LogbookDrawer(), LogbookBar()
        self.commands: Callable[[], list[Command]] = list
        self._painted = False
        self._lay_out()
        self.stations.stage_asked.connect(self.stage_asked)

    def _lay_out(self) -> None:
        workspace = QWidget()
        row = QHBoxLayout(workspace)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self.panel.setFixedWidth(_MAP_WIDTH)
        row.addWidget(self.panel)
        self.right = QVBoxLayout()
        self.right.setSpacing(0)
        self.right.addWidget(self.stages, 1)
        row.addLayout(self.right, 1)
        self.desk_page = workspace
        self.pages.addWidget(self.first)
        self.pages.addWidget(workspace)
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.stations)
        column.addWidget(self.pages, 1)
        column.addWidget(self.drawer)
        column.addWidget(self.bar)
        self.setCentralWidget(body)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.panel.setFixedWidth(max(_MAP_WIDTH, round(self.width() * 0.4375)))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if not self._painted:
            self._painted = True
            QTimer.singleShot(0, self.first_painted.emit)

    def show_board(
        self,
        boards: list[tuple[str, str]],
        current: str,
        board: BoardDefinition | None,
        overlay: Overlay,
        showing: str,
    ) -> None:
        """The board map and its tabs."""
        self.panel.show_tabs(boards, current, showing)
        self.panel.map.show_board(board, overlay)

    def toggle_drawer(self) -> None:
        """Opens or closes the logbook."""
        self.drawer.setVisible(not self.drawer.isVisible())
        if self.drawer.isVisible():
            self.drawer_opened.emit()
            self.drawer.list.setFocus()

    def find_command(self) -> None:
        """Opens the finder and runs what was picked."""
        finder = Finder(self.commands(), self)
        chosen = finder.chosen if finder.exec() else None
        self.activateWindow()
        if chosen is not None:
            chosen.run()

    def set_dark(self, dark: bool) -> None:
        """Changes between paper and the dim bench."""
        THEME.set_dark(dark)
        app = QApplication.instance()
        if isinstance(app, QApplication):
            apply_style(app)
        for widget in self.findChildren(QWidget):
            restyle = getattr(widget, "restyle", None)
            if callable(restyle):
                restyle()
            widget.update()
        self.restyled.emit()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is None:
            return
        held = event.mimeData()
        if held is not None and held.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        if event is None:
            return
        held = event.mimeData()
        paths = [Path(url.toLocalFile()) for url in held.urls() if url.isLocalFile()] if held is not None else []
        if paths:
            event.acceptProposedAction()
            self.files_dropped.emit(paths)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        self.closing.emit()
        super().closeEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Keys that nothing took: letters belong to the line, wherever the focus is."""
        if event is None:
            return
        held = event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
        if event.key() == Qt.Key.Key_Escape:
            self.escaped.emit()
        elif event.text() and event.text().isprintable() and not held:
            self.typed.emit(event.text())
        else:
            super().keyPressEvent(event)
