"""Takes one picture of each main view, from the demo data: `python -m loyal_trace.ui.screenshots FOLDER [NAME…]`."""

import sys
import tempfile
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QTimer

from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.ui.main import Application, WindowOptions, make_application
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
    (Stage.REPAIR, ("tw-vid", "5D")),
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


# The board of docs/first-board.md: its parts list and the lines typed before the picture.
OWN_PARTS = (
    "place;part\n"
    "U1;74LS00\n"
    "U2;74LS161\n"
    "U3;27C64\n"
    "C1;1000u 16V\n"
    "C2;47u 25V\n"
    "F1;2A\n"
    "BR1;KBP2\n"
    "REG1;7805\n"
    "J1;plug\n"
    "BT1;3.6V\n"
)
OWN_BOARD = (
    "complaint: no sound, and it does not always start",
    "symptom: no sound",
    "U3 is socketed",
    "U3 is ROM 1, 27C64, 0000-1FFF",
    "BT1 is NiCd 3.6V",
    "C2 leaking",
    "socket of U3 loose",
    "supply +5: from J1 9 V AC 1 A",
    "supply +5: through F1/2A, BR1, C1 1000u",
    "supply +5: to REG1 5 V, U2.16",
    "F1 0.08 ohm",
    "F1 rating 2A slow",
    "BR1.1 diode 0.56",
    "BR1.2 diode 0.55",
    "BR1.3 diode 0.56",
    "BR1.4 diode 0.57",
    "U2.16 to ground 180 ohm",
    "J1 ac 9.2V",
    "C1 11.2V",
    "C1 ripple frequency 100Hz",
    "C1 ripple 3.4V",
    "REG1.3 5.02V",
    "U2.16 4.97V",
    "C2 measures 44u esr 9 at 100kHz out of circuit",
    "U1 1=L 2=P 3=L",
    "path tone: U3 U1",
    "path click: U3 U2",
    "fails: tone",
    "works: click",
)


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
        """One picture."""
        settle()
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
        while self.wiring.workspace.tasks.busy:
            settle(20)

    def type(self, text: str, enter: bool = True) -> None:
        """A line, recorded or only typed."""
        self.wiring.foot.edit.setText(text)
        if enter:
            self.wiring.control.enter()


def take_all(folder: Path, only: tuple[str, ...] = ()) -> None:
    """Writes the pictures into a folder."""
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as store:
        _, ours = make_application(WindowOptions(demo=True, store=Path(store) / "store"))
        wait_until_ready(ours)
        camera = Photographer(ours, folder, only)
        _stages(camera)
        _roms(camera)
        _photo(camera)
        _others(camera)
        _own_board(camera)
        ours.show_jobs()
        camera.shoot("first-page")
        ours.shell.close()


def _own_board(camera: Photographer) -> None:
    """A board known from a list and from typed lines, at Suspects."""
    from loyal_trace.app.commands import Setting, enter_line
    from loyal_trace.app.job import OpenJob, open_new_job
    from loyal_trace.formats.part_table import board_from_table, guess_columns
    from loyal_trace.formats.tables import read_table
    from loyal_trace.resources import chip_library

    store = camera.ours.store
    if store is None:
        return
    table = read_table(OWN_PARTS.encode(), "parts.csv")
    files = board_from_table(table, guess_columns(table), "sound", "Sound board", chip_library())
    job = OpenJob(store, open_new_job(store, "Sound board", [], listed=[files]))
    for line in OWN_BOARD:
        enter_line(job, line, Setting(in_view="sound"))
    camera.ours.open_job(job.id)
    settle(50)
    camera.wiring.show_stage(Stage.SUSPECTS)
    settle(50)
    camera.shoot("own-board")


def _stages(camera: Photographer) -> None:
    """Every stage of the first job."""
    for stage, place in STAGES:
        camera.go(stage, place)
        if stage is Stage.PROBE:
            camera.press("Probe all pins")
            camera.wiring.control.switch_pad()
        if stage is Stage.SUSPECTS:
            camera.type("TW-VID C20 6,800u", enter=False)
        if stage is Stage.REPAIR:
            camera.type("5D replaced with 74LS166 from drawer 7 -- pin 13 was dull", enter=False)
        if stage is Stage.PLAN:
            camera.press("Measure the capacitor")
            camera.press("Measure the capacitor")
        camera.shoot(stage.word)
        camera.wiring.foot.edit.setText("")


def _roms(camera: Photographer) -> None:
    """The further pages of ROMs, and the dark bench."""
    camera.go(Stage.ROMS, ("tw-cpu", "6C"))
    camera.ours.shell.set_dark(True)
    camera.shoot("roms-dark")
    camera.ours.shell.set_dark(False)
    camera.go(Stage.ROMS, ("tw-cpu", "6F"))
    for label in ("Show bytes", "Zoom in", "Zoom in", "Zoom in", "Next difference"):
        camera.press(label)
    camera.shoot("roms-bytes")
    camera.press("Show the sockets")
    camera.press("Plan repair")
    camera.press("Restore the contents")
    camera.shoot("roms-repair")
    camera.press("Show the sockets")


def _photo(camera: Photographer) -> None:
    """A photo with the map over it."""
    camera.go(Stage.INSPECT, ("tw-cpu", "C1"))
    camera.press("Show the next photo")
    camera.press("Map over the photo")
    camera.shoot("inspect-photo")


def _others(camera: Photographer) -> None:
    """The lamp driver at its rails, the 5 V path measured from end to end; the school computer at its clocks."""
    from loyal_trace.demo.corvane import CORVANE_BOARD, CORVANE_JOB
    from loyal_trace.demo.hollin import HOLLIN_BOARD, HOLLIN_JOB

    camera.ours.open_job(HOLLIN_JOB)
    camera.go(Stage.RAILS)
    camera.press("Next point")
    camera.press("Sign the caution")
    for _ in range(12):
        camera.press("Read the meter")
    camera.go(Stage.RAILS, (HOLLIN_BOARD, "BR1"))
    camera.shoot("rails-hollin")
    camera.ours.open_job(CORVANE_JOB)
    camera.go(Stage.RAILS)
    camera.press("Check the clock")
    while not camera.wiring.workspace.clocks_ready(CORVANE_BOARD):
        settle(20)
    settle()
    for _ in range(5):
        camera.press("Read the counter")
    camera.shoot("rails-clock")
    camera.go(Stage.INTAKE)
    camera.press("Suggest symptoms")
    camera.shoot("intake-corvane")


if __name__ == "__main__":
    take_all(Path(sys.argv[1]), tuple(sys.argv[2:]))
