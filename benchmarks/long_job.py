"""Long jobs: one reading and one undo among fifty thousand entries, in the window; opening two hundred thousand."""

import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from PyQt6.QtCore import QEventLoop
from PyQt6.QtWidgets import QApplication

from benchmarks.logbook import entry_number
from benchmarks.measure import Figure, timed
from loyal_trace.app.job import OpenJob
from loyal_trace.core.job.entries import Opened
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.demo.common import board_files_of
from loyal_trace.store.store import Store
from loyal_trace.ui.main import Application
from loyal_trace.ui.run import make_application
from loyal_trace.ui.window_options import WindowOptions

_ENTRIES, _TO_OPEN = 50_000, 200_000
_TIMES = 9


def long_store(folder: Path, count: int) -> None:
    """A store with one job of that many entries, called `long`."""
    opened = Opened(id="o", time=datetime(2025, 1, 1, tzinfo=UTC), title="A long job", boards=("tw-cpu",))
    with Store(folder) as store:
        store.create_job("long", "A long job", "2025", board_files_of(("tw-cpu",)), [opened])
        entries = [entry_number(n) for n in range(count)]
        for start in range(0, count, 1000):
            store.append_all("long", entries[start : start + 1000])


def _opening() -> list[Figure]:
    """How long a job opens that was never kept, and one that was left by a window or the command line before."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "store"
        long_store(folder, _TO_OPEN)
        with Store(folder) as store:
            start = time.perf_counter()
            job = OpenJob(store, "long")
            without = time.perf_counter() - start
            job.keep_checkpoint()
            del job
            start = time.perf_counter()
            OpenJob(store, "long")
            kept = time.perf_counter() - start
    return [
        Figure("200,000 entries opened without a checkpoint", without, 5, "s"),
        Figure("200,000 entries opened from a checkpoint", kept, 2, "s"),
    ]


def run() -> list[Figure]:
    """All figures of long jobs."""
    return [*_at_work(), *_opening()]


def at_work(ours: Application) -> tuple[list[float], list[float]]:
    """Readings and undos in a window on a long job, logbook open (ms, until painted, quickest first)."""
    loop = QEventLoop()
    ours.ready.connect(loop.quit)
    ours.shell.show()
    loop.exec()
    ours.open_job("long")
    wiring = ours.wiring
    assert wiring is not None
    wiring.workspace.pick("tw-cpu", "3D")
    wiring.show_stage(Stage.PROBE)
    ours.shell.toggle_drawer()
    QApplication.processEvents()

    def painted(act: Callable[[], object]) -> float:
        return 1000 * timed(lambda: (act(), QApplication.processEvents()))

    def reading() -> None:
        wiring.foot.edit.setText("3D.2 high")
        wiring.control.enter()

    painted(reading)
    readings = sorted(painted(reading) for _ in range(_TIMES))
    return readings, sorted(painted(wiring.control.undo) for _ in range(_TIMES))


def _at_work() -> list[Figure]:
    """The median of several readings, and of several undos."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "store"
        long_store(folder, _ENTRIES)
        _app, ours = make_application(WindowOptions(store=folder))  # without the first the second is gone
        readings, undos = at_work(ours)
        ours.shell.close()
    middle = _TIMES // 2
    worst = f"slowest of {_TIMES}: "
    return [
        Figure(
            "one reading on 50,000 entries, logbook open",
            readings[middle],
            60,
            "ms",
            detail=f"{worst}{readings[-1]:.0f} ms",
        ),
        Figure("Ctrl+Z on 50,000 entries, logbook open", undos[middle], 100, "ms", detail=f"{worst}{undos[-1]:.0f} ms"),
    ]
