"""Start to the first painted window with the demo, against a bare PyQt6 window that imports numpy as well."""

import subprocess
import sys
import tempfile
from pathlib import Path

from benchmarks.measure import Figure, median_of

_BARE = """
import sys
import numpy
from PyQt6.QtWidgets import QApplication, QMainWindow
from PyQt6.QtCore import QTimer
class Window(QMainWindow):
    def paintEvent(self, event):
        super().paintEvent(event)
        QTimer.singleShot(0, app.quit)
app = QApplication(sys.argv)
window = Window()
window.resize(1280, 800)
window.show()
app.exec()
"""

_FIRST_PAINT = """
import sys, os
from pathlib import Path
from PyQt6.QtCore import QTimer
from loyal_trace.ui.run import make_application
from loyal_trace.ui.window_options import WindowOptions
app, ours = make_application(WindowOptions(demo=True, store=Path(sys.argv[1])))
ours.shell.first_painted.connect(lambda: os._exit(0))
ours.shell.show()
app.exec()
"""

_JOB_SHOWN = """
import sys, os
from pathlib import Path
from PyQt6.QtCore import QTimer
from loyal_trace.ui.run import make_application
from loyal_trace.ui.window_options import WindowOptions
app, ours = make_application(WindowOptions(demo=True, store=Path(sys.argv[1])))
ours.ready.connect(lambda: (ours.shell.repaint(), os._exit(0)))
ours.shell.show()
app.exec()
"""


def _run(code: str, *arguments: str) -> None:
    subprocess.run([sys.executable, "-c", code, *arguments], check=True, stderr=subprocess.DEVNULL)


def run() -> list[Figure]:
    """First paint, and (for information) the demo job itself on the screen."""
    with tempfile.TemporaryDirectory() as folder:
        store = str(Path(folder) / "store")
        _run(_JOB_SHOWN, store)
        _run(_BARE)
        bare = median_of(5, lambda: _run(_BARE))
        first = median_of(5, lambda: _run(_FIRST_PAINT, store))
        shown = median_of(3, lambda: _run(_JOB_SHOWN, store))
    detail = f"{first:.2f} s against {bare:.2f} s"
    return [
        Figure("start to first painted window", first / bare, 4, detail=detail),
        Figure("start to the demo job on the screen", shown / bare, 4, detail=f"{shown:.2f} s against {bare:.2f} s"),
    ]
