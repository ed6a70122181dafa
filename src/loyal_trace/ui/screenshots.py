"""Takes one picture of each main view, from the demo data: `python -m loyal_trace.ui.screenshots FOLDER [NAME…]`."""

import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QTimer

from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.demo.workshop import demo_bench
from loyal_trace.ui.main import Application
from loyal_trace.ui.run import make_application
from loyal_trace.ui.window_options import WindowOptions
from loyal_trace.ui.wiring import JobWiring

Place = tuple[str, str]
STAGES: tuple[tuple[Stage, Place | None], ...] = (
    (Stage.INTAKE, None),
    (Stage.INSPECT, ("tw-cpu", "5B")),
    (Stage.RAILS, ("tw-cpu", "C1")),
    (Stage.ROMS, ("tw-cpu", "6C")),
    (Stage.PROBE, ("tw-vid", "5D")),
    (Stage.SUSPECTS, ("tw-cpu", "6C")),
    (Stage.PLAN, ("tw-cpu", "C12")),
    (Stage.REPAIR, ("tw-cpu", "C1")),
    (Stage.VERIFY, None),
    (Stage.REPORT, None),
)


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


class Photographer:
    """The demo window, driven by its own buttons, and pictures of it."""

    def __init__(self, ours: Application, folder: Path, only: tuple[str, ...]) -> None:
        self.ours, self._folder, self._only = ours, folder, only

    @property
    def wiring(self) -> JobWiring:
        """The open job."""
        if self.ours.wiring is None:
            raise RuntimeError("no job is open in the window")
        return self.ours.wiring

    def shoot(self, name: str) -> None:
        """One picture, once the layout has come to rest."""
        settle(150)
        if not self._only or name in self._only:
            self.ours.shell.grab().save(str(self._folder / f"{name}.png"))

    def go(self, stage: Stage, place: Place | None = None) -> None:
        """To a stage, with a part picked."""
        if place:
            self.wiring.workspace.pick(*place)
        self.wiring.show_stage(stage)

    def press(self, label: str) -> None:
        """A button of the stage in view, by its words."""
        action = next(a for a in self.wiring.presenter.page().actions if a.label == label)
        self.wiring.control.run(action)
        self.wait()

    def wait(self) -> None:
        """Until the work in hand is done."""
        while self.wiring.workspace.tasks.busy:
            settle(20)

    def figure_picked(self, pin: int) -> None:
        """A pin of the chip in view."""
        self.wiring.presenter.figure_picked("", pin)

    def read_trace(self, path: Path) -> None:
        """A captured trace, without the dialog for its file."""
        action = next(a for a in self.wiring.presenter.page().actions if a.label == "Read a trace")
        action.run(str(path))
        self.wait()

    def type(self, text: str, enter: bool = True) -> None:
        """A line, recorded or only typed."""
        self.wiring.foot.edit.setText(text)
        if enter:
            self.wiring.control.enter()


_ACTIONS_SHOWN, _STEP_SHOWN = 4, ("tw-cpu", "6C")


def take_all(folder: Path, only: tuple[str, ...] = ()) -> None:
    """Writes the pictures into a folder."""
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as store:
        _, ours = make_application(WindowOptions(demo=True, store=Path(store) / "store"))
        wait_until_ready(ours)
        camera = Photographer(ours, folder, only)
        for series, names in _SERIES:
            if not only or names.intersection(only):
                series(camera, Path(store))
        ours.show_jobs()
        camera.shoot("first-page")
        ours.shell.close()


def _stages(camera: Photographer, folder: Path) -> None:
    """Every stage of the first job."""
    for stage, place in STAGES:
        camera.go(stage, place)
        if stage is Stage.PROBE:
            camera.press("Probe all pins")
            camera.wiring.control.switch_pad()
        if stage is Stage.SUSPECTS:
            camera.type("TW-VID C20 6,800u", enter=False)
        if stage is Stage.REPAIR:
            for _ in range(_ACTIONS_SHOWN):
                camera.press("Finish action")
            camera.type("C1 replaced with 6800u 35V from tray F", enter=False)
        if stage is Stage.PLAN:
            camera.press("Measure the capacitor")
            camera.press("Measure the capacitor")
            camera.go(stage, _STEP_SHOWN)
        camera.shoot(stage.word)
        camera.wiring.foot.edit.setText("")
        if stage is Stage.PLAN:
            camera.type("kit: all electrolytics")
            camera.press("Show the capacitor kit")
            camera.shoot("kit")
            camera.press("Show the repair plan")


def _probe(camera: Photographer, folder: Path) -> None:
    """The further pages of Probe: the picture of a stuck pin, signatures in free run, a captured trace."""
    camera.go(Stage.PROBE, ("tw-vid", "1B"))
    camera.wiring.control.switch_pad()
    camera.figure_picked(12)
    camera.press("Show the screen")
    camera.shoot("probe-screen")
    camera.press("Show the chip")
    camera.go(Stage.PROBE, ("tw-cpu", "3B"))
    camera.type("free run: on")
    camera.wait()
    camera.type("3B.16 sig E269")
    camera.type("3B.14 sig 6A11")
    camera.shoot("probe-signatures")
    camera.type("free run: off")
    camera.go(Stage.PROBE, ("tw-vid", "5D"))
    captured = demo_bench().capture("tw-vid", "5D", 16_000)
    lines = [
        f"{step * 8e-8:.8f}," + ",".join(map(str, row)) for step, row in enumerate(zip(*captured.values(), strict=True))
    ]
    (folder / "5d.csv").write_text("\n".join([f"time,{','.join(captured)}", *lines]) + "\n")
    camera.read_trace(folder / "5d.csv")
    camera.shoot("probe-trace")
    camera.press("Show the chip")


def _roms(camera: Photographer, folder: Path) -> None:
    """The further pages of ROMs."""
    camera.go(Stage.ROMS, ("tw-cpu", "6F"))
    for label in ("Show bytes", "Zoom in", "Zoom in", "Zoom in", "Next difference"):
        camera.press(label)
    camera.press("Show the sockets")
    camera.press("Plan repair")
    camera.press("Restore the contents")
    camera.shoot("roms-repair")
    camera.press("Show the sockets")


def _photo(camera: Photographer, folder: Path) -> None:
    """The sound board known from a list and two photos: parts placed by two clicks, and what fails."""
    from loyal_trace.demo.gullcry import GULLCRY_JOB

    camera.ours.open_job(GULLCRY_JOB)
    camera.go(Stage.INSPECT, ("own", "U7"))
    camera.press("Show the next photo")
    camera.press("Place parts")
    camera.shoot("board-from-photo")
    camera.go(Stage.SUSPECTS, ("own", "U7"))
    camera.type("fails: thunder at U6", enter=False)
    camera.shoot("own-board")


def _others(camera: Photographer, folder: Path) -> None:
    """The school computer at its clocks."""
    from loyal_trace.demo.corvane import CORVANE_BOARD, CORVANE_JOB

    camera.ours.open_job(CORVANE_JOB)
    camera.go(Stage.RAILS)
    camera.press("Check the clock")
    while not camera.wiring.workspace.clocks_ready(CORVANE_BOARD):
        settle(20)
    settle()
    for _ in range(5):
        camera.press("Read the counter")
    camera.shoot("rails-clock")


# Each series walks on by itself; the pictures it takes.
_SERIES: tuple[tuple[Callable[[Photographer, Path], None], frozenset[str]], ...] = (
    (_stages, frozenset({*(stage.word for stage, _ in STAGES), "kit"})),
    (_probe, frozenset({"probe-screen", "probe-signatures", "probe-trace"})),
    (_roms, frozenset({"roms-repair"})),
    (_photo, frozenset({"board-from-photo", "own-board"})),
    (_others, frozenset({"rails-clock"})),
)


if __name__ == "__main__":
    take_all(Path(sys.argv[1]), tuple(sys.argv[2:]))
