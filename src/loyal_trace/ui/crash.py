"""An unexpected error: said in a window, with what is safe and what can be done; never a silent trace in a terminal."""

import platform
import re
import sys
import traceback
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import PYQT_VERSION_STR, QT_VERSION_STR
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox

from loyal_trace import __version__
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.language import shown, tr

TITLE = say("Unexpected error in Loyal Trace")
SAFE = say(
    "Nothing that was recorded is lost: every entry is on disk. "
    "You can go on working, or close the job and open it again."
)
_SUGGESTED = "loyal-trace-diagnostics.txt"


def diagnostics(kind: type[BaseException], value: BaseException, trace: TracebackType | None) -> str:
    """What helps to find the error: versions and the places in the program. No entry, no name, no path of the user.

    The message of the error is left out, because it can quote what was typed.
    """
    frames = traceback.extract_tb(trace)
    lines = [f"  {_inside(frame.filename)}:{frame.lineno} in {frame.name}" for frame in frames]
    head = [
        f"Loyal Trace {__version__}",
        f"Python {platform.python_version()}, Qt {QT_VERSION_STR}, PyQt {PYQT_VERSION_STR}",
        f"{platform.system()} {platform.machine()}",
        f"{kind.__name__}",
    ]
    return "\n".join([*head, *lines]) + "\n"


def _inside(file: str) -> str:
    """The path inside the package, or the bare name of a file elsewhere."""
    found = re.search(r"loyal_trace[/\\].*", file)
    return found[0] if found else Path(file).name


def report_error(kind: type[BaseException], value: BaseException, trace: TracebackType | None) -> None:
    """The exception hook: writes the trace to the terminal as ever, and says in a window what happened."""
    sys.__excepthook__(kind, value, trace)
    if QApplication.instance() is None or issubclass(kind, KeyboardInterrupt):
        return
    box = error_box(kind, value, trace)
    box.exec()
    clicked = box.clickedButton()
    if clicked is not None and clicked.text() == _SAVE:
        save_diagnostics(diagnostics(kind, value, trace))


_SAVE = say("Save diagnostics…")


def error_box(kind: type[BaseException], value: BaseException, trace: TracebackType | None) -> QMessageBox:
    """The window: what happened, that nothing acknowledged is lost, and a button for the diagnostics file."""
    box = QMessageBox(
        QMessageBox.Icon.Critical, shown(TITLE), tr("An action could not be completed ({kind}).", kind=kind.__name__)
    )
    box.setInformativeText(shown(SAFE))
    box.setDetailedText(diagnostics(kind, value, trace))
    box.addButton(_SAVE, QMessageBox.ButtonRole.ActionRole)
    box.setStandardButtons(QMessageBox.StandardButton.Ok)
    return box


def save_diagnostics(text: str) -> None:
    """Asks for a file and writes the diagnostics there."""
    name, _ = QFileDialog.getSaveFileName(None, tr("Save diagnostics"), _SUGGESTED)
    if name:
        Path(name).write_text(text, encoding="utf-8")
