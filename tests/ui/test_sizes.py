"""Every page at the corners of its range: 1024×700 to 2560×1440, text of 80 to 200 %, both themes, nothing lost."""

import os
import subprocess
import sys

import pytest
from PyQt6.QtCore import QRect
from PyQt6.QtGui import QFontMetrics
from PyQt6.QtWidgets import QAbstractButton, QLabel, QScrollArea

from loyal_trace import language
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.ui.screenshots import STAGES
from tests.helpers.pseudo import pseudo_language

CORNERS = [(1024, 700, 80), (1024, 700, 200), (1280, 800, 100), (2560, 1440, 100), (2560, 1440, 200)]


pytestmark = pytest.mark.usefixtures("usual_looks")


def seen(window):
    """The labels and buttons on the screen, with where they are in the window."""
    for widget in window.shell.findChildren(QLabel) + window.shell.findChildren(QAbstractButton):
        if widget.isVisible() and widget.text() and not widget.visibleRegion().isEmpty():
            shown = widget.visibleRegion().boundingRect()  # what is scrolled out of view overlaps nothing
            yield widget, QRect(widget.mapTo(window.shell, shown.topLeft()), shown.size())


def lost(widget):
    """Is a part of the words of a label neither on the screen nor in its tooltip?"""
    if isinstance(widget, QAbstractButton) or widget.toolTip() or "<a" in widget.text():
        return False
    metrics = QFontMetrics(widget.font())
    if widget.wordWrap():
        return widget.heightForWidth(widget.width()) > widget.height() + 2
    return max(metrics.horizontalAdvance(line) for line in widget.text().splitlines()) > widget.width() + 2


def in_scroll(window, widget):
    """Is it in a list that scrolls by itself (not in the page, which scrolls as a whole)?"""
    while widget is not None:
        if isinstance(widget, QScrollArea):
            return widget is not window.shell.column
        widget = widget.parentWidget()
    return False


# The dark theme has other colours and no other sizes: one corner shows that it is so.
LOOKS = [("light", corner) for corner in CORNERS] + [("dark", CORNERS[1])] + [("made-up language", c) for c in CORNERS]


@pytest.fixture
def corner(request):
    """A theme, or the light one with every sentence a third longer, with the size of the window and of the text."""
    looks, sizes = request.param
    if looks == "made-up language":
        language.use(pseudo_language())
    yield (looks == "dark", *sizes)
    language.use(language.Language())


@pytest.mark.parametrize("corner", LOOKS, indirect=True, ids=[f"{looks}-{w}-{t}-{s}" for looks, (w, t, s) in LOOKS])
def test_no_page_loses_or_overlaps_its_text(corner, window):
    dark, wide, tall, text = corner
    window.shell.set_looks(dark, text / 100)
    window.qtbot.wait(20)
    wrong = []
    for stage, place in STAGES:
        if place:
            window.pick(*place)
        window.stage(stage)
        window.shell.resize(wide, tall)
        window.wait_idle()
        window.qtbot.wait(1)
        assert (window.shell.width(), window.shell.height()) == (wide, tall), f"{stage.title} will not fit"
        boxes = [(w, box) for w, box in seen(window) if not in_scroll(window, w)]
        wrong += [f"{stage.title}: {w.text()[:50]!r} is cut" for w, _ in boxes if lost(w)]
        wrong += [
            f"{stage.title}: {w.text()[:30]!r} over {o.text()[:30]!r}"
            for n, (w, box) in enumerate(boxes)
            for o, other in boxes[n + 1 :]
            if box.adjusted(3, 3, -3, -3).intersects(other.adjusted(3, 3, -3, -3)) and not w.isAncestorOf(o)
        ]
        assert window.page.area.height() >= 60, f"{stage.title}: no room for the evidence"
    assert not wrong, "\n".join(dict.fromkeys(wrong))


def test_no_message_can_widen_the_window(window):
    window.stage(Stage.RAILS)
    window.shell.resize(1024, 700)
    window.workspace.say("a message that never ends " * 60, True)
    window.qtbot.keyClicks(window.edit, "a note that never ends either, whatever is typed " * 4)
    window.qtbot.wait(1)
    assert window.shell.width() == 1024


@pytest.mark.parametrize(("factor", "corner"), [("1.5", "1024-700-200"), ("2", "1280-800-100")])
def test_the_pages_hold_their_words_at_other_scale_factors_of_the_screen(factor, corner):
    """Sizes are logical pixels, so the same test runs in a process whose screen has the factor."""
    command = [sys.executable, "-m", "pytest", "-q", __file__, "-k", f"light and {corner}", "-p", "no:cacheprovider"]
    environment = {**os.environ, "QT_SCALE_FACTOR": factor, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(command, capture_output=True, text=True, env=environment, timeout=300, check=False)
    assert done.returncode == 0, done.stdout[-3000:]


def test_the_first_page_scrolls_where_large_text_makes_it_taller_than_the_window(open_window, tmp_path, qtbot):
    ours = open_window(store=tmp_path / "empty")
    ours.shell.set_looks(False, 2.0)
    qtbot.wait(20)
    ours.shell.resize(1024, 700)
    qtbot.wait(20)
    assert (ours.shell.width(), ours.shell.height()) == (1024, 700)
    lines = ours.shell.first.lines
    assert all(line.height() >= line.heightForWidth(line.width()) - 2 for line in lines)
    bar = ours.shell.welcome.verticalScrollBar()
    assert bar.maximum() > 0
    bar.setValue(bar.maximum())
    assert not ours.shell.first.new.visibleRegion().isEmpty()
