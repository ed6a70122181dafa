"""The menu bar: what users expect where they expect it, and the commands of the stage in view under Board."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMainWindow, QMenu

from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.language import shown, tr
from loyal_trace.ui.widgets.finder import Command

MENUS = {
    "File": say("&File"),
    "Edit": say("&Edit"),
    "Go": say("&Go"),
    "Board": say("&Board"),
    "View": say("&View"),
    "Help": say("&Help"),
}


@dataclass(frozen=True)
class Item:
    """One entry of a menu: under which, its words, its key, what it does; a line may be drawn above it."""

    menu: str
    words: str
    key: str
    run: Callable[[], object]
    line_above: bool = False


class Menus:
    """Fills the menu bar of a window."""

    def __init__(
        self,
        window: QMainWindow,
        items: Sequence[Item],
        stage_commands: Callable[[], list[Command]],
        recent: Callable[[], list[Command]] = list,
    ) -> None:
        self._items, self._stage_commands = items, stage_commands
        bar = window.menuBar()
        self._menus: dict[str, QMenu] = {}
        self._fixed: dict[str, int] = {}
        for name, title in MENUS.items():
            menu = bar.addMenu(shown(title)) if bar is not None else None
            if menu is not None:
                self._menus[name] = menu
        for item in items:
            self._add(window, item)
        files = self._menus.get("File")
        if files is not None:
            jobs = QMenu(tr("Recent jobs"), files)
            files.insertMenu(next((a for a in files.actions() if a.isSeparator()), None), jobs)
            jobs.aboutToShow.connect(lambda: self._fill_recent(jobs, recent()))
        board = self._menus.get("Board")
        if board is not None:
            self._own = list(board.actions())
            board.aboutToShow.connect(lambda: self._fill(board))

    def _add(self, window: QMainWindow, item: Item) -> None:
        menu = self._menus.get(item.menu)
        if menu is None:
            return
        if item.line_above:
            menu.addSeparator()
        action = QAction(item.words, window)
        if item.key:
            action.setShortcut(QKeySequence(item.key))
        action.triggered.connect(lambda _: item.run())
        menu.addAction(action)

    def _fill_recent(self, menu: QMenu, jobs: list[Command]) -> None:
        """The newest jobs; a click opens one."""
        menu.clear()
        for command in jobs:
            made = menu.addAction(command.words)
            if made is not None:
                made.triggered.connect(lambda _, run=command.run: run())

    def _fill(self, board: QMenu) -> None:
        """The commands of the stage in view, below the fixed ones."""
        for action in board.actions():
            if action not in self._own:
                board.removeAction(action)
        board.addSeparator()
        for command in self._stage_commands():
            made = board.addAction(f"{command.words}\t{command.key}")
            if made is not None:
                made.triggered.connect(lambda _, run=command.run: run())

    def commands(self) -> list[Command]:
        """The same for the finder."""
        return [Command(item.words.replace("&", "").rstrip("…"), item.key, item.run) for item in self._items]
