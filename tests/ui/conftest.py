"""The real window on the demo, with its store in a temporary folder."""

import pytest

from loyal_trace.demo.workshop import build_demo, demo_bench
from loyal_trace.session import Surroundings
from loyal_trace.store.store import Store
from loyal_trace.ui.main import WindowOptions, make_application
from tests.ui.driver import Driver


@pytest.fixture(scope="session")
def demo_template(tmp_path_factory):
    """The demo store, built once; tests copy it."""
    folder = tmp_path_factory.mktemp("template") / "store"
    with Store(folder) as store:
        build_demo(store, demo_bench(), Surroundings())
    return folder


@pytest.fixture
def window(qtbot, tmp_path, demo_template):
    """The demo window, open at the stage where work left off."""
    import shutil

    folder = tmp_path / "store"
    shutil.copytree(demo_template, folder)
    _, ours = make_application(WindowOptions(demo=True, store=folder))
    with qtbot.waitSignal(ours.ready, timeout=20_000):
        ours.shell.show()
    qtbot.waitExposed(ours.shell)
    driver = Driver(qtbot, ours)
    yield driver
    ours.shell.set_dark(False)
    ours.shell.close()
