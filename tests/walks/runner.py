"""Reads a walk and walks it: in the open job, or through `loyal-trace job enter`.

A walk is a text file. Lines of it:

    > C1 replaced with 6800u 35V           a line as typed; `{…}` is read off the simulated bench first
    = recorded removed fitted              what the line before came to: status, then the kinds of its entries
    ? 2                                    the second of the choices of the line before is meant
    job TITLE / demo JOB                   a new job without any board / a job of the demo workshop
    boards tw-cpu tw-vid                   a new job with these boards of the demo
    list NAME U1 74LS138, C1 100u 16V      a parts list of that name is imported
    nets NAME D0 U1.9 U2.11, D1 U1.8 U2.12 a table of pins is imported
    again TITLE                            the board is saved, and a new job of it begun
    try own                                every function of the board, as the bench plays it
    stage probe · at 5D · board TW-VID     where the next lines are typed; alone (`at`) they end it
    image 6C tw-cpu 6C B [stuck 5]         a read of a socket: the demo's own content, with a data line stuck or bytes off
    starts 59                              so many starts on the bench
    pass                                   every item of the checklist that can be tested passes
    undo · redo                            of the last action
    check WHAT …                           see `Checks`
"""

import itertools
import json
import re
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

from loyal_trace.app.board_saving import save_board
from loyal_trace.app.commands import enter_line, setting_at
from loyal_trace.app.importers import Meant, import_files
from loyal_trace.app.job import Environment, OpenJob, open_new_job
from loyal_trace.cli.main import main
from loyal_trace.core.assess.parts import changes_made
from loyal_trace.core.assess.paths import paths_of, states_now
from loyal_trace.core.job.fold import fold
from loyal_trace.core.vocabulary.identity import PartRef, PinRef
from loyal_trace.core.vocabulary.stages import stage_of_word
from loyal_trace.core.vocabulary.units import typed_quantity
from loyal_trace.demo.common import board_files_of
from loyal_trace.demo.images import reference_image
from loyal_trace.demo.workshop import DEMO_BENCHES
from loyal_trace.instruments.simulated import simulated_workbench
from loyal_trace.store.store import Store
from tests.walks.checks import CHECKS

_BENCH = re.compile(r"\{([^}]*)\}")
_UNITS = {"capacitance": "F", "esr": "Ω", "voltage": "V", "resistance": "Ω", "frequency": "Hz"}


@dataclass
class At:
    """Where lines are typed."""

    stage: str = ""
    board: str = ""
    place: str = ""


@dataclass
class Outcome:
    """What became of one line."""

    status: str
    kinds: list[str]
    choices: list[str] = field(default_factory=list)


def ticking():
    """A clock of its own for a walk, twenty seconds on at every look: what depends on the year stays as it is."""
    seconds = itertools.count(step=20)
    return Environment(clock=lambda: datetime(2026, 12, 1, 9, tzinfo=UTC) + timedelta(seconds=next(seconds)))


class InTheJob:
    """Lines go to the open job, as from the window."""

    def __init__(self, store):
        self.store = store
        self.env = ticking()

    def open(self, job):
        self.job = OpenJob(self.store, job, self.env)

    def enter(self, text, at, choice=None):
        stage = stage_of_word(at.stage) if at.stage else None
        found = enter_line(self.job, text, setting_at(self.job, stage, at.board, at.place), choice)
        return Outcome(found.status.value, [e.kind for e in found.entries], list(found.choices))

    def enter_all(self, lines):
        for line in lines:
            self.enter(line, At())

    def choose(self, text, at, number, choices):
        return self.enter(text, at, number)

    def add(self, path, at):
        setting = setting_at(self.job, None, at.board, at.place)
        import_files(self.job, [path], Meant(setting.board, setting.in_view, setting.picked))

    def undo(self):
        self.job.undo()

    def redo(self):
        self.job.redo()


class CommandLine:
    """Lines go through `loyal-trace job enter`, as from a script. It has no undo."""

    def __init__(self, store, capsys):
        self.store, self.capsys = store, capsys

    def open(self, job):
        self.id = job

    @property
    def job(self):
        return OpenJob(Store(self.store.folder, read_only=True), self.id)

    def _run(self, *arguments):
        self.capsys.readouterr()
        main([*arguments[:3], "--store", str(self.store.folder), "--json", *arguments[3:]])
        return json.loads(self.capsys.readouterr().out)

    def enter(self, text, at, choice=None):
        where = [
            word
            for flag, value in (("--stage", at.stage), ("--board", at.board), ("--at", at.place))
            if value
            for word in (flag, value)
        ]
        (line,) = self._run("job", "enter", self.id, *where, "--", text)["lines"]
        return Outcome(line["status"], [e["kind"] for e in line["entries"]], line["choices"])

    def enter_all(self, lines):
        found = self._run("job", "enter", self.id, "--", *lines)["lines"]
        assert all(line["status"] == "recorded" for line in found), found

    def choose(self, text, at, number, choices):
        return self.enter(choices[number], at)

    def add(self, path, at):
        where = ["--board", at.board] if at.board else []
        self._run("job", "add", self.id, str(path), *where, *(["--at", at.place] if at.place else []))


class Walker:
    """One walk on one store."""

    def __init__(self, hands, store, folder):
        self.hands, self.store, self.folder = hands, store, folder
        self.at, self.last, self.line = At(), Outcome("", []), ""
        self.bench = None

    def walk(self, text):
        """Every line of a walk, in order."""
        for number, line in enumerate(text.splitlines(), start=1):
            if line.strip() and not line.startswith("#"):
                try:
                    self._step(line.strip())
                except AssertionError as wrong:
                    raise AssertionError(f"line {number}: {line}\n{wrong}") from wrong

    def _step(self, line):
        word, _, rest = line.partition(" ")
        if word == ">":
            self.line = _BENCH.sub(lambda m: self._measure(*m[1].split()), rest)
            self.last = self.hands.enter(self.line, self.at)
        elif word == "=":
            status, *kinds = rest.split()
            assert self.last.status == status, f"it was {self.last}"
            assert not kinds or self.last.kinds == kinds, f"it was {self.last}"
        elif word == "?":
            self.last = self.hands.choose(self.line, self.at, int(rest) - 1, self.last.choices)
            assert self.last.status == "recorded", self.last
        elif word in ("stage", "board", "at"):
            setattr(self.at, "place" if word == "at" else word, rest)
        elif word == "check":
            what, *arguments = rest.split()
            CHECKS[what](self.hands.job, *arguments)
        else:
            getattr(self, f"_{word}")(*rest.split())

    def _job(self, *title):
        self.hands.open(open_new_job(self.store, " ".join(title), [], environment=ticking()))

    def _list(self, name, *rest):
        rows = [row.strip().partition(" ")[::2] for row in " ".join(rest).split(",")]
        path = self.folder / f"{name}.csv"
        path.write_text("\n".join(["Ref;Part", *(f"{place};{part}" for place, part in rows)]))
        self.hands.add(path, self.at)

    def _nets(self, name, *rest):
        rows = [row.split() for row in " ".join(rest).split(",")]
        path = self.folder / f"{name}.csv"
        path.write_text("\n".join(["net;pins", *(f"{net};{' '.join(pins)}" for net, *pins in rows)]))
        self.hands.add(path, self.at)

    def _again(self, *title):
        board = next(iter(self.hands.job.boards))
        folder = save_board(self.hands.job, board)
        self.hands.open(open_new_job(self.store, " ".join(title), [folder], environment=ticking()))

    def _try(self, board):
        job = self.hands.job
        for name in {**paths_of(job.moment, board), **states_now(job.moment, board)}:
            self.hands.enter(f"{self.bench.ear.try_function(board, name)}: {name}", self.at)

    def _boards(self, *names):
        paths = []
        for name, files in board_files_of(names).items():
            (self.folder / name).mkdir()
            paths.append(self.folder / name)
            for file, data in files.items():
                (self.folder / name / file).write_bytes(data)
        self.hands.open(open_new_job(self.store, "A job", paths, environment=ticking()))

    def _demo(self, job):
        self.hands.open(job)
        self.bench = simulated_workbench(DEMO_BENCHES[job], lambda: changes_made(fold(self._entries(job))), 0.0)

    def _entries(self, job):
        with Store(self.store.folder, read_only=True) as store:
            return store.entries(job)

    def _measure(self, what, *where):
        """A reading of the simulated bench as it is typed: `{pins tw-vid 5D}`, `{meter tw-cpu C12 capacitance}`."""
        if what == "pins":
            place = PartRef(*where)
            chip = self.hands.job.moment.chip_type(place)
            numbers = [pin.number for pin in chip.pins if pin.role != "unused"]
            return " ".join(f"{n}={_typed(self.bench.probe.probe(PinRef(*place, n)))}" for n in numbers)
        if what == "start":
            clean, code = self.bench.power.start()
            return "ok" if clean else f"failed code {code}" if code else "failed"
        board, point, *quantity = where
        value = self.bench.meter.measure(board, point, " ".join(quantity))
        return "OL" if value == float("inf") else typed_quantity(value)

    def _image(self, place, board, refdes, firmware, how="", number="0"):
        data = bytearray(reference_image(board, refdes, firmware))
        if how == "stuck":
            data = bytearray(byte & ~(1 << int(number)) & 0xFF for byte in data)
        elif how == "off":
            for at in range(int(number)):
                data[at * 37 + 5] ^= 0x08
        self._take(place, bytes(data))

    def _read(self, board, place, times="1"):
        """Reads of a socket from the simulated bench."""
        from threading import Event

        for _ in range(int(times)):
            data = self.bench.reader.read(PartRef(board, place), lambda done, total: None, Event())
            self._take(place, data, board)

    def _take(self, place, data, board=""):
        path = self.folder / f"{place.lower()}.bin"
        path.write_bytes(data)
        self.hands.add(path, At(board=board or self.at.board, place=place))

    def _starts(self, number):
        self.hands.enter_all([f"start {self._measure('start')}" for _ in range(int(number))])

    def _pass(self):
        job = self.hands.job
        lines = []
        for item in job.assessment().proof.items:
            board = f"{job.boards[item.board].name} " if len(job.boards) > 1 and item.board in job.boards else ""
            if item.name.startswith("symptom gone: "):
                lines.append(f"{board}{item.name}")
            elif item.status != "not testable":
                lines.append(f"{board}check: {item.name} ok")
        self.hands.enter_all(lines)

    def _undo(self):
        self.hands.undo()

    def _redo(self):
        self.hands.redo()


def _typed(reading):
    """A probe's reading as it is typed."""
    if reading.voltage is not None:
        return f"{reading.voltage:.2f}V"
    return reading.state
