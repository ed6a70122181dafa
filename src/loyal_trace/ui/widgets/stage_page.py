"""A stage in the window: question, evidence, meaning, caution. All ten are made of it; it computes nothing."""

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QLabel, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from loyal_trace.app.presenters.model import NO_ROWS, WANTED, Page, Presenter
from loyal_trace.ui.theme import THEME, font, px
from loyal_trace.ui.widgets.meaning import CautionBox, MeaningBox
from loyal_trace.ui.widgets.rows import RowList

_GROWS = 100


class StagePage(QWidget):
    """One stage. `parts` are the names of its lists, and its drawings, from top to bottom.

    A drawing has `show_view` and a signal `picked` with numbers: what was picked, or where.
    """

    menu_asked = pyqtSignal(str, QPoint)

    def __init__(
        self,
        presenter: Presenter,
        parts: Sequence[str | tuple[str, QWidget]],
        steady: bool = False,
        fills: bool = False,
    ) -> None:
        super().__init__()
        self.presenter = presenter
        self.question, self.subtitle = QLabel(), QLabel()
        self.question.setFont(font(18, bold=True))
        self.subtitle.setFont(font(12.5))
        self.subtitle.setTextFormat(Qt.TextFormat.PlainText)
        for label in (self.question, self.subtitle):
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.meaning, self.caution = MeaningBox(), CautionBox()
        if steady:
            self.meaning.keep_steady()
        self.lists: dict[str, RowList] = {}
        self.figures: dict[str, Any] = {}
        self.area = self._scrolled(self._evidence(parts, fills))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 9, 22, 0)
        layout.setSpacing(5)
        layout.addWidget(self.question)
        layout.addWidget(self.subtitle)
        layout.addWidget(self.area, 1)
        layout.addWidget(self.meaning)
        layout.addWidget(self.caution)
        self.restyle()

    def _evidence(self, parts: Sequence[str | tuple[str, QWidget]], fills: bool) -> QWidget:
        holder = QWidget()
        layout = QVBoxLayout(holder)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        for part in parts if WANTED in parts else (*parts, WANTED):
            name, widget = (part, RowList(part)) if isinstance(part, str) else part
            if isinstance(widget, RowList):
                self.lists[name] = widget
                widget.picked.connect(lambda index, name=name: self._row_picked(name, index))
                widget.moved.connect(lambda index, to, name=name: self.presenter.row_moved(name, index, to))
                widget.menu_asked.connect(self.menu_asked)
            else:
                self.figures[name] = widget
                if hasattr(widget, "menu_asked"):
                    widget.menu_asked.connect(self.menu_asked)
                for signal in _signals(widget):
                    signal.connect(self._picker(name))
            layout.addWidget(widget, _GROWS if fills or getattr(widget, "grows", False) else 0)
        if not fills:
            layout.addStretch(1)
        return holder

    def _row_picked(self, name: str, index: int) -> None:
        if name == WANTED:
            self.presenter.wanted_picked(index)
        else:
            self.presenter.row_picked(name, index)

    def _picker(self, name: str) -> Callable[..., None]:
        return lambda *at: self.presenter.figure_picked(name, *at)

    def _scrolled(self, evidence: QWidget) -> QScrollArea:
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(evidence)
        scroll.setMinimumHeight(px(78))
        return scroll

    def restyle(self) -> None:
        """Colours that the style sheet cannot know."""
        self.subtitle.setStyleSheet(f"color: {THEME.palette.soft};")

    def show_page(self, page: Page) -> None:
        """Paints a page."""
        self.question.setText(page.question)
        self.subtitle.setText(page.subtitle)
        self.subtitle.setToolTip(page.subtitle)
        for name, figure in self.figures.items():
            view = page.figures.get(name)
            figure.show_view(view)
            figure.setVisible(view is not None)
        for name, rows in self.lists.items():
            found = page.lists.get(name, NO_ROWS)
            moved = rows.show_rows(found)
            rows.setVisible(bool(found.rows))
            if moved and found.current >= 0:
                self._reveal(rows, found.current)
        self.meaning.say(page.meaning)
        self.caution.say(page.caution)

    def _reveal(self, rows: RowList, index: int) -> None:
        """Scrolls so that a row is in view."""
        holder = self.area.widget()
        if holder is not None and holder.height() > self.area.height():
            top = rows.mapTo(holder, QPoint(0, rows.top_of(index))).y()
            self.area.ensureVisible(10, top + rows.rows[index].height // 2, 0, 50)


def _signals(figure: Any) -> Iterator[Any]:
    """What a drawing tells: that something was picked, and for some that more or less should be seen."""
    yield figure.picked
    if hasattr(figure, "zoomed"):
        yield figure.zoomed
