"""A key in the entry line of the demo until verdict and map are painted again."""

import statistics
import tempfile
import time
from pathlib import Path

from PyQt6.QtCore import QEventLoop, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from benchmarks.measure import Figure
from loyal_trace.ui.main import WindowOptions, make_application, settle_memory


def run() -> list[Figure]:
    """The slowest and the median key of a chip probed by hand, in milliseconds."""
    with tempfile.TemporaryDirectory() as folder:
        _, ours = make_application(WindowOptions(demo=True, store=Path(folder) / "store"))
        loop = QEventLoop()
        ours.ready.connect(settle_memory)
        ours.ready.connect(loop.quit)
        ours.shell.show()
        loop.exec()
        edit = ours.wiring.stages[4].frame.entry.edit
        QTest.qWait(200)
        taken = []
        for letter in "plplhppplpphplphpphhpplp":
            start = time.perf_counter()
            QTest.keyClick(edit, getattr(Qt.Key, f"Key_{letter.upper()}"))
            QApplication.processEvents()
            taken.append(1000 * (time.perf_counter() - start))
        ours.shell.close()
    slowest, middle = max(taken), statistics.median(taken)
    return [
        Figure("keystroke to verdict and map, slowest of 24", slowest, 50, "ms", detail=f"median {middle:.0f} ms"),
    ]
