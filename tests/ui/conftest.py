"""The real window, with its store in a temporary folder."""

import shutil

import pytest
from PyQt6 import sip
from PyQt6.QtWidgets import QInputDialog

from loyal_trace.app.job import new_id
from loyal_trace.core.assess.moment import Memo
from loyal_trace.demo.workshop import build_workshop
from loyal_trace.store.store import Store
from loyal_trace.ui.run import make_application
from loyal_trace.ui.theme import THEME
from loyal_trace.ui.window_options import WindowOptions
from tests.helpers.timers import HandTimer
from tests.ui.driver import Driver

_MEMO = Memo()


@pytest.fixture(scope="session")
def demo_template(tmp_path_factory):
    """The demo store, built once; tests copy it."""
    folder = tmp_path_factory.mktemp("template") / "store"
    with Store(folder) as store:
        build_workshop(store, new_id)
    return folder


@pytest.fixture(autouse=True)
def one_memo(monkeypatch):
    """What was computed for one window serves the next, as its keys hold all that went in; saves a third of the time."""
    monkeypatch.setattr("loyal_trace.app.job.Memo", lambda: _MEMO)


class Asked:
    """What the window asked before something that cannot simply be undone; yes is answered unless a test says no."""

    def __init__(self):
        self.questions, self.answer = [], True

    def answer_no(self):
        self.answer = False

    def confirmed(self, parent, question, consequence, button):
        self.questions.append((question, consequence))
        return self.answer


@pytest.fixture(autouse=True)
def asked(monkeypatch):
    """Answers the questions of the window."""
    hand = Asked()
    monkeypatch.setattr("loyal_trace.ui.dialogs.confirmed", hand.confirmed)
    return hand


@pytest.fixture
def usual_looks():
    """Light, at 100 %, again after a test that changes how things look."""
    yield
    THEME.set_dark(False)
    THEME.scale = 1.0


@pytest.fixture
def open_window(qtbot):
    """Opens windows with the options given, and destroys them afterwards."""
    opened = []

    def opening(**options):
        _, ours = make_application(WindowOptions(**options))
        ours.timer = lambda parent: HandTimer()
        opened.append(ours)
        with qtbot.waitSignal(ours.ready, timeout=20_000):
            ours.shell.show()
        return ours

    yield opening
    for ours in opened:
        ours.shell.close()
        sip.delete(ours.shell)


@pytest.fixture
def window(qtbot, tmp_path, demo_template, open_window):
    """The demo window, open at the stage where work left off."""
    folder = tmp_path / "store"
    shutil.copytree(demo_template, folder)
    return Driver(qtbot, open_window(demo=True, store=folder))


@pytest.fixture
def bare(qtbot, open_window, tmp_path, monkeypatch):
    """A window on an empty store with one new job that has no board at all."""
    ours = open_window(store=tmp_path / "store")
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Loose chips", True))
    ours.new_job()
    return Driver(qtbot, ours)
