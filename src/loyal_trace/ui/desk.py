"""The desk: the open job as the window sees it. Stages listen to it and ask it to record; it never draws."""

from collections.abc import Callable, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from threading import Event
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from loyal_trace.app.importers import Meant, import_files, import_photo
from loyal_trace.app.job import OpenJob
from loyal_trace.core.assess.assessment import Assessment
from loyal_trace.core.assess.rails import predicted_clocks
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.job.entries import AnyEntry, RomRead, describe
from loyal_trace.core.roms.candidates import Watch
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.instruments.protocols import Cancelled, Workbench


class Desk(QObject):
    """Holds the session, the picked part and the instruments; everything that happens is a signal."""

    changed = pyqtSignal()
    picked = pyqtSignal()
    said = pyqtSignal(str, bool)
    working = pyqtSignal(str, int, int)
    stage_asked = pyqtSignal(int)
    _finished = pyqtSignal(object, object)
    _clocks_done = pyqtSignal()
    _worked = pyqtSignal(object, object)

    def __init__(self, session: OpenJob, instruments: Workbench) -> None:
        super().__init__()
        self.job, self.instruments = session, instruments
        self.board = next(iter(session.boards), "")
        self.part = ""
        self.area: tuple[str, ...] = ()
        self._pool = ThreadPoolExecutor(1)
        self._cancel = Event()
        self.busy = False
        self._finished.connect(self._on_finished)
        self._clocks: dict[str, Future[object]] = {}
        self._clocks_done.connect(self.changed)
        self._worked.connect(self._on_worked)

    @property
    def place(self) -> PartRef:
        return PartRef(self.board, self.part)

    @property
    def definition(self) -> BoardDefinition | None:
        return self.job.boards.get(self.board)

    def place_name(self, place: PartRef) -> str:
        """A place as shown in lists: the board's short name before the refdes when there are several boards."""
        short = place[0].split("-")[-1].upper() + " " if len(self.job.boards) > 1 else ""
        return f"{short}{place[1]}"

    def assessment(self) -> Assessment:
        return self.job.assessment()

    def pick(self, board: str, part: str) -> None:
        """A part was picked somewhere; it is picked everywhere."""
        if board in self.job.boards and ((board, part) != self.place or self.area):
            self.board, self.part, self.area = board, part, ()
            self.picked.emit()

    def draw_area(self, parts: tuple[str, ...]) -> None:
        """Parts inside an area drawn on the map; empty ends it."""
        self.area = parts
        self.picked.emit()

    def record(self, kind: type[AnyEntry], **fields: Any) -> bool:
        """Records one entry, which is then the newest and shown as such; says what went wrong otherwise."""

        def act() -> list[str]:
            self.job.record(kind, **fields)
            return []

        return self.attempt(act)

    def record_all(self, entries: list[AnyEntry], words: str) -> bool:
        """Records several entries together."""

        def act() -> list[str]:
            self.job.record_all(entries)
            return [words]

        return self.attempt(act)

    def attempt(self, act: Callable[[], list[str]]) -> bool:
        """Does something that may fail with a sentence, and lets everyone know."""
        try:
            lines = act()
        except LoyalTraceError as error:
            self.said.emit(str(error), True)
            return False
        if self.board not in self.job.boards:
            self.board, self.part = next(iter(self.job.boards), ""), ""
        self.changed.emit()
        if lines:  # after the change, which puts the newest entry there
            self.said.emit("; ".join(lines[:3]) + (f" … {len(lines)} in all" if len(lines) > 3 else ""), False)
        return True

    def retract_last(self) -> None:
        """Undoes the last action as one."""

        def act() -> list[str]:
            undone = self.job.undo()
            return [f"undone: {describe(undone[-1])}"] if undone else ["there is nothing to undo"]

        self.attempt(act)

    def retract(self, target: str) -> None:
        """Takes back one entry by appending a retraction."""
        words = next((describe(e) for e in self.job.entries if e.id == target), "")

        def act() -> list[str]:
            self.job.retract(target)
            return [f"retracted: {words}"]

        self.attempt(act)

    def take_photo(self, data: bytes, name: str) -> None:
        """A photo that was pasted."""
        self.attempt(lambda: import_photo(self.job, data, name, self.board).done)

    def drop(self, paths: list[Path], columns: Mapping[Path, Mapping[str, str]] | None = None) -> None:
        """Files were dropped on the window; `columns` of tables whose titles had to be explained."""
        left: list[str] = []

        def act() -> list[str]:
            found = import_files(self.job, paths, Meant(in_view=self.board, columns=columns or {}))
            left.extend(f"{one.name} was not imported: {one.reason}" for one in found.left_out)
            return found.done

        self.attempt(act)
        if left:
            self.said.emit("; ".join(left), True)

    def clocks_ready(self, board: str) -> bool:
        """Are the board's dividers computed? If not, that begins in the background; `changed` tells when they are."""
        if board not in self._clocks:
            self._clocks[board] = self._pool.submit(predicted_clocks, self.job.moment, board)
            self._clocks[board].add_done_callback(lambda _: self._clocks_done.emit())
        return self._clocks[board].done()

    # long work

    def read_roms(self, places: list[PartRef], times: int) -> None:
        """Reads ROMs from the reader in the background; each finished read is an entry at once."""
        if not places:
            self.said.emit("this board lists no ROM sockets to read", True)
            return
        if self.instruments.reader is None:
            self.said.emit("no ROM reader is connected: drop files here instead", True)
            return
        if self.busy:
            self.said.emit("the reader is busy; Esc stops it", True)
            return
        self.busy = True
        self._cancel.clear()
        jobs = [place for place in places for _ in range(times)]
        self._pool.submit(self._read_all, jobs).add_done_callback(self._report_failure)

    def _read_all(self, jobs: list[PartRef]) -> None:
        for number, (board, refdes) in enumerate(jobs):
            label = f"reading {refdes}" + (f", {number + 1} of {len(jobs)}" if len(jobs) > 1 else "")
            try:
                data = self.instruments.reader.read(
                    PartRef(board, refdes),
                    lambda done, total, label=label: self.working.emit(label, done, total),
                    self._cancel,
                )
            except Cancelled:
                self._finished.emit(None, f"stopped; {count_of(number, 'read')} kept")
                return
            except LoyalTraceError as error:
                self._finished.emit(None, str(error))
                return
            last = number == len(jobs) - 1
            self._finished.emit((board, refdes, data), "" if last else "more")

    def in_background(self, words: str, work: Callable[[Watch], Any], done: Callable[[Any], None]) -> bool:
        """Does long work beside the window; `done` gets its result back in the window's own thread.

        `work` is given what it must ask (is it to stop?) and tell (how far has it come). Says so when the bench is busy
        already; what fails is said and `done` not called.
        """
        if self.busy:
            self.said.emit("the workbench is busy; Esc stops it", True)
            return False
        self.busy = True
        self._cancel.clear()
        self.working.emit(words, 0, 0)

        def said(more: str, count: int, total: int) -> None:
            self.working.emit(f"{words}: {more}" if more else words, count, total)

        future = self._pool.submit(work, Watch(self._cancel.is_set, said))
        future.add_done_callback(lambda ended: self._worked.emit(done, ended))
        return True

    def _on_worked(self, done: Callable[[Any], None], ended: "Future[Any]") -> None:
        self.busy = False
        self.working.emit("", 0, 0)
        error = ended.exception()
        if self._cancel.is_set() and (error is not None or ended.result() is None):
            self.said.emit("stopped", False)
        elif error is not None:
            self.said.emit(str(error), True)
        else:
            done(ended.result())

    def _report_failure(self, future: "Future[None]") -> None:
        error = future.exception()
        if error is not None:
            self._finished.emit(None, f"the reader failed: {error}")

    def _on_finished(self, result: tuple[str, str, bytes] | None, words: str) -> None:
        if words != "more":
            self.busy = False
            self.working.emit("", 0, 0)
        if result is None:
            self.said.emit(words, not words.startswith("stopped"))
            return
        board, refdes, data = result

        def act() -> list[str]:
            sha = self.job.store.put_attachment(data)
            self.job.record(RomRead, board=board, place=refdes, attachment=sha, size=len(data))
            return []

        self.attempt(act)

    def stop(self) -> None:
        """Stops long work."""
        self._cancel.set()

    def close(self) -> None:
        """Ends background work; call before the store is closed."""
        self.stop()
        self._pool.shutdown(wait=True)
