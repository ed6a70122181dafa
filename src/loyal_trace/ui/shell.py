"""The main window: menus and station line above, board map beside the stage, logbook below. Light to import."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from loyal_trace.ui.theme import THEME, apply_style, font, rescale
from loyal_trace.ui.widgets.board_map import BoardMap
from loyal_trace.ui.widgets.finder import Command, Finder
from loyal_trace.ui.widgets.first_page import FirstPage
from loyal_trace.ui.widgets.heights import least_height
from loyal_trace.ui.widgets.logbook import LogbookBar, LogbookDrawer
from loyal_trace.ui.widgets.outline import Outline
from loyal_trace.ui.widgets.station_line import StationLine

if TYPE_CHECKING:  # nothing of the core before the first paint
    from loyal_trace.app.presenters.overview import MapView

_MAP_WIDTH, _STAGE_WIDTH = 430, 420


class BoardPanel(QWidget):
    """Board tabs above the map, and what the map is showing."""

    board_asked = pyqtSignal(str)
    keeps_lengths = True

    def __init__(self) -> None:
        super().__init__()
        self.map, self.outline, self.showing = BoardMap(), Outline(), QLabel()
        self.outline.hide()
        self.showing.setFont(font(12))
        self._tabs_row = QHBoxLayout()
        self._tabs_row.setSpacing(16)
        self._tabs: list[QPushButton] = []
        self._ids: list[str] = []
        head = QHBoxLayout()
        head.setContentsMargins(18, 12, 10, 0)
        head.addLayout(self._tabs_row)
        self.showing.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.showing.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        head.addWidget(self.showing, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 8)
        layout.setSpacing(4)
        layout.addLayout(head)
        layout.addWidget(self.map, 1)
        layout.addWidget(self.outline, 1)

    def show_tabs(self, boards: list[tuple[str, str]], current: str, showing: str) -> None:
        """(id, title) of each board; the current one is underlined in copper."""
        while len(self._tabs) < len(boards):
            tab = QPushButton()
            tab.setObjectName("tab")
            tab.setCheckable(True)
            tab.setCursor(Qt.CursorShape.PointingHandCursor)
            tab.clicked.connect(lambda _, number=len(self._tabs): self.board_asked.emit(self._ids[number]))
            self._tabs.append(tab)
            self._tabs_row.addWidget(tab)
        self._ids = [board for board, _ in boards]
        for tab in self._tabs[len(boards) :]:
            tab.hide()
        for tab, (board, title) in zip(self._tabs, boards, strict=False):
            tab.show()
            tab.setText(title)
            tab.setChecked(board == current)
        self.showing.setToolTip(showing)
        self._elide()
        self.showing.setStyleSheet(f"color: {THEME.palette.soft};")

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._elide()

    def _elide(self) -> None:
        """What the map shows, as far as it fits beside the tabs; all of it under the pointer."""
        room = max(0, self.showing.width() - 4)
        words = self.showing.toolTip()
        self.showing.setText(self.showing.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, room))


class PageStack(QStackedWidget):
    """Pages of which only the one in view needs room."""

    def minimumSizeHint(self) -> QSize:
        page = self.currentWidget()
        return page.minimumSizeHint() if page is not None else QSize()

    def least_height(self, width: int) -> int:
        """That of the page in view."""
        page = self.currentWidget()
        return least_height(page, width) if page is not None else 0


class Column(QWidget):
    """The stage above its foot, as tall as what is in them needs at this width."""

    def __init__(self, layout: QVBoxLayout) -> None:
        super().__init__()
        self.setLayout(layout)

    def minimumSizeHint(self) -> QSize:
        return QSize(_STAGE_WIDTH, least_height(self, self.width()))

    def heightForWidth(self, width: int) -> int:
        # What the scroll area takes for the least height.
        return least_height(self, width)


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
    outlined = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Loyal Trace")
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.stations, self.panel, self.first = StationLine(), BoardPanel(), FirstPage()
        self.stages, self.pages = PageStack(), PageStack()
        self.drawer, self.bar = LogbookDrawer(), LogbookBar()
        self.commands: Callable[[], list[Command]] = list
        self.may_close: Callable[[], bool] = lambda: True
        self._painted = False
        self._lay_out()
        self.stations.stage_asked.connect(self.stage_asked)
        self.bar.asked.connect(self.toggle_drawer)

    def _lay_out(self) -> None:
        stage_and_map = QWidget()
        row = QHBoxLayout(stage_and_map)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self.panel.setFixedWidth(_MAP_WIDTH)
        row.addWidget(self.panel)
        self.right = QVBoxLayout()
        self.right.setContentsMargins(0, 0, 0, 0)
        # With large text in a small window the stage is taller than its room: then it scrolls as a whole.
        self.column = QScrollArea()
        self.column.setWidgetResizable(True)
        self.column.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.column.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.right.setSpacing(0)
        self.right.addWidget(self.stages, 1)
        self.column.setWidget(Column(self.right))
        row.addWidget(self.column, 1)
        self.desk_page = stage_and_map
        self.welcome = QScrollArea()  # the first page scrolls where large text makes it taller than the window
        self.welcome.setWidgetResizable(True)
        self.welcome.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.welcome.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.welcome.setWidget(self.first)
        self.pages.addWidget(self.welcome)
        self.pages.addWidget(self.desk_page)
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
        self._share_room()

    def _share_room(self) -> None:
        # Larger text takes room from the map, down to what a map needs.
        share = 0.4375 / max(1.0, THEME.scale) ** 0.5
        self.panel.setFixedWidth(max(_MAP_WIDTH, round(self.width() * share)))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if not self._painted:
            self._painted = True
            QTimer.singleShot(0, self.first_painted.emit)

    def show_board(self, view: "MapView", showing: str) -> None:
        """The board map and its tabs."""
        self.panel.show_tabs(list(view.tabs), view.current, showing)
        self.panel.map.show_board(view.board, view.overlay, view.tray)

    def toggle_drawer(self) -> None:
        """Opens or closes the logbook."""
        self.drawer.setVisible(not self.drawer.isVisible())
        if self.drawer.isVisible():
            self.drawer_opened.emit()
            self.drawer.list.setFocus()

    def show_entry(self, entry: str) -> None:
        """Opens the logbook at an entry."""
        if not self.drawer.isVisible():
            self.toggle_drawer()
        self.drawer.show_entry(entry)

    def toggle_outline(self) -> None:
        """The tree of boards and parts in place of the drawn map, or the map again."""
        shown = self.panel.outline.isHidden()
        self.panel.outline.setVisible(shown)
        self.panel.map.setVisible(not shown)
        if shown:
            self.outlined.emit()
            self.panel.outline.setFocus()

    def toggle_full_screen(self) -> None:
        """The whole screen, or a window again."""
        if self.isFullScreen():
            self.showNormal()
        else:
            self.showFullScreen()

    def find_command(self) -> None:
        """Opens the finder and runs what was picked."""
        finder = Finder(self.commands(), self)
        chosen = finder.chosen if finder.exec() else None
        self.activateWindow()
        if chosen is not None:
            chosen.run()

    def set_looks(self, dark: bool, scale: float) -> None:
        """Colours and text size together; nothing happens when both are as they were."""
        if scale != THEME.scale or dark is not THEME.dark:
            before, THEME.scale, size = THEME.scale, scale, self.size()
            self.set_dark(dark, scale / before)
            self._share_room()
            # Lengths change one after the other, and the window would keep the widest of what was in between.
            QTimer.singleShot(0, lambda: self.resize(size))

    def set_dark(self, dark: bool, larger: float = 1.0) -> None:
        """Changes between paper and the dim bench; `larger` by how much the text has grown with it."""
        THEME.set_dark(dark)
        app = QApplication.instance()
        if isinstance(app, QApplication):
            apply_style(app)
        rescale(self, larger)  # after the style sheet, which puts every font back as it first was
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
        if not self.may_close():
            event.ignore()
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
