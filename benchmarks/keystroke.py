"""A key of the pad from its save until verdict and map are painted; a line parsed and previewed on a large board."""

import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEventLoop, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from benchmarks.measure import Figure, timed
from loyal_trace.app.commands import Setting, preview
from loyal_trace.app.job import Environment, OpenJob, new_id, open_new_job
from loyal_trace.core.line.grammar import examples
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.demo.common import board_files_of
from loyal_trace.store.store import Store
from loyal_trace.ui.run import make_application
from loyal_trace.ui.window_options import WindowOptions

_SENTENCES = (
    "Was dropped by the courier and has been in a damp shed for ten years",
    "5D.13 low badly and again",
    "C1 51u 5 12%",
)


class Held:
    """The pad's clock, which goes on when the benchmark says so: what is measured begins with the save."""

    def __init__(self) -> None:
        self._call: Callable[[], None] | None = None

    def start(self, seconds: float, call: Callable[[], None]) -> None:
        self._call = call

    def stop(self) -> None:
        self._call = None

    def go(self) -> None:
        call, self._call = self._call, None
        if call is not None:
            call()


def _keys() -> Figure:
    """The slowest and the median key of a chip probed by hand, in milliseconds."""
    with tempfile.TemporaryDirectory() as folder:
        _, ours = make_application(WindowOptions(demo=True, store=Path(folder) / "store"))
        clock = Held()
        ours.timer = lambda parent: clock
        loop = QEventLoop()
        ours.ready.connect(loop.quit)
        ours.shell.show()
        loop.exec()
        wiring = ours.wiring
        assert wiring is not None
        wiring.control.switch_pad()
        QTest.qWait(200)
        taken = []
        for letter in "plplhppplpphplphpphhpplp":
            QTest.keyClick(wiring.foot.edit, getattr(Qt.Key, f"Key_{letter.upper()}"))
            QApplication.processEvents()
            start = time.perf_counter()
            clock.go()
            QApplication.processEvents()
            taken.append(1000 * (time.perf_counter() - start))
        ours.shell.close()
    slowest, middle = max(taken), statistics.median(taken)
    return Figure("keystroke to verdict and map, slowest of 24", slowest, 35, "ms", detail=f"median {middle:.0f} ms")


def _lines() -> Figure:
    """The slowest line parsed and previewed on two boards with a hundred parts, in milliseconds."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        boards = []
        for board, files in board_files_of(("tw-cpu", "tw-vid")).items():
            (folder / board).mkdir()
            boards.append(folder / board)
            for file, data in files.items():
                (folder / board / file).write_bytes(data)
        with Store(folder / "store") as store:
            job = OpenJob(store, open_new_job(store, "Lines", boards), Environment(ids=new_id))
            setting = Setting(Stage.PROBE, "", "tw-vid", PartRef("tw-vid", "5D"))
            lines = [*_SENTENCES, *(example for _, example in examples())]
            preview(job, lines[0], setting)
            taken = {
                line: min(1000 * timed(lambda line=line: preview(job, line, setting)) for _ in range(3))
                for line in lines
            }
    slowest = max(taken, key=lambda line: taken[line])
    detail = f"median {statistics.median(taken.values()):.2f} ms; slowest “{slowest}”"
    return Figure("a line parsed and previewed, slowest", taken[slowest], 5, "ms", detail=detail)


def run() -> list[Figure]:
    """Typing and pressing."""
    return [_lines(), _keys()]
