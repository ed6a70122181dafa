"""Takes one picture of each main view, from the demo data: `python -m loyal_trace.ui.screenshots FOLDER`."""

import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QTimer

from loyal_trace.ui.main import Application, WindowOptions, make_application

SHOTS = (
    ("intake", 0, None), ("look", 1, ("tw-cpu", "5B")), ("rails", 2, ("tw-cpu", "C1")), ("roms", 3, ("tw-cpu", "6C")),
    ("probe", 4, ("tw-vid", "5D")), ("suspects", 5, ("tw-cpu", "6C")), ("plan", 6, ("tw-cpu", "C12")),
    ("work", 7, ("tw-vid", "5D")), ("prove", 8, None), ("hand-back", 9, None),
)  # fmt: skip


def wait_until_ready(ours: Application) -> None:
    """Runs the event loop until the store is open and the demo is there."""
    loop = QEventLoop()
    ours.ready.connect(lambda: QTimer.singleShot(50, loop.quit))
    ours.shell.show()
    loop.exec()


def settle(milliseconds: int = 60) -> None:
    """Lets pending paints happen."""
    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def take_all(folder: Path, only: tuple[str, ...] = ()) -> None:
    """Writes the pictures into a folder."""
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as store:
        _, ours = make_application(WindowOptions(demo=True, store=Path(store) / "store"))
        wait_until_ready(ours)
        wiring = ours.wiring

        def shoot(name: str) -> None:
            settle()
            if not only or name in only:
                ours.shell.grab().save(str(folder / f"{name}.png"))

        for name, stage, place in SHOTS:
            if place:
                wiring.desk.pick(*place)
            wiring.show_stage(stage)
            if name == "probe":
                _probe_all(ours)
            if name == "plan":
                _measure(ours)
            shoot(name)
        wiring.desk.pick("tw-cpu", "6C")
        wiring.show_stage(3)
        ours.shell.set_dark(True)
        shoot("roms-dark")
        ours.shell.set_dark(False)
        for name, key in _rom_pages(ours):
            shoot(name)
            press(ours, 3, key)
        wiring.desk.pick("tw-cpu", "C1")
        wiring.show_stage(1)
        wiring.stages[1].photos_next()
        wiring.stages[1].photos.fade()
        shoot("look-photo")
        _open_hollin(ours)
        shoot("rails-hollin")
        _open_corvane(ours)
        shoot("rails-clock")
        ours.wiring.show_stage(0)
        shoot("intake-corvane")
        ours.show_jobs()
        shoot("first-page")
        ours.shell.close()


def press(ours: Application, stage: int, key: str) -> None:
    """A key of a stage, as at its entry line."""
    next(hint for hint in ours.wiring.stages[stage].hints() if hint.key == key).action()


def _until_idle(ours: Application) -> None:
    while ours.wiring.desk.busy:
        settle(20)


def _rom_pages(ours: Application) -> Iterator[tuple[str, str]]:
    """The further pages of the ROM stage: (name of the picture, key that leads back from the page)."""
    press(ours, 3, "M")
    press(ours, 3, "I")
    _until_idle(ours)
    yield "roms-set", "M"
    ours.wiring.desk.pick("tw-cpu", "6F")
    for key in ("B", "+", "+", "+", "N"):
        press(ours, 3, key)
    yield "roms-bytes", "B"
    for key in ("U", "P"):
        press(ours, 3, key)
    _until_idle(ours)
    yield "roms-repair", "U"


def _probe_all(ours: Application) -> None:
    """Every pin of the picked chip, by key."""
    press(ours, 4, "A")


def _measure(ours: Application) -> None:
    """The aging capacitors, by key."""
    for _ in range(2):
        press(ours, 6, "M")


def _open_hollin(ours: Application) -> None:
    """The second job at its rails: the 5 V path measured from end to end, by key."""
    from loyal_trace.demo.hollin import HOLLIN_BOARD, HOLLIN_JOB

    ours.open_job(HOLLIN_JOB)
    ours.wiring.show_stage(2)
    for key in ("K", *"M" * 12):
        press(ours, 2, key)
    ours.wiring.desk.pick(HOLLIN_BOARD, "BR1")
    for _ in range(7):
        press(ours, 2, "↑")


def _open_corvane(ours: Application) -> None:
    """The school computer at its clock tree, the first nets counted, by key."""
    from loyal_trace.demo.corvane import CORVANE_BOARD, CORVANE_JOB

    ours.open_job(CORVANE_JOB)
    ours.wiring.show_stage(2)
    press(ours, 2, "C")
    while not ours.wiring.desk.clocks_ready(CORVANE_BOARD):
        settle(20)
    for _ in range(5):
        press(ours, 2, "M")
    press(ours, 0, "Y")


if __name__ == "__main__":
    take_all(Path(sys.argv[1]), tuple(sys.argv[2:]))
