"""The fault dictionaries of one job: which of its boards need one, and what it is computed from."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

from loyal_trace.app.dictionaries import fault_dictionary, quiet
from loyal_trace.app.job import OpenJob
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.job.free_run import free_run_is_on, window_of
from loyal_trace.core.roms.candidates import Watch
from loyal_trace.core.roms.signature import Register, register_from
from loyal_trace.core.simulation.dictionary import Dictionary
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.instruments.protocols import Cancelled

_Key = tuple[object, ...]


def contents_of(job: OpenJob, board: str) -> dict[str, bytes]:
    """What the memories of a board hold: as last read, else as their reference image says."""
    roms = job.snapshot.roms
    found = {key.refdes: image.attachment for key, image in roms.images.items() if key.board == board}
    found |= {place.refdes: reads[-1].attachment for place, reads in roms.reads.items() if place.board == board}
    return {refdes: job.store.attachment(name) for refdes, name in found.items()}


@dataclass(frozen=True)
class Wanted:
    """A board whose dictionary the readings of a job ask for, with what it follows from."""

    board: BoardDefinition
    contents: Mapping[str, bytes]
    clocks: int
    register: Register


class JobDictionaries:
    """The dictionaries of one job's boards: which are wanted, which are there."""

    def __init__(self, job: OpenJob, folder: Path | None) -> None:
        self._job, self._folder = job, folder
        self._known: dict[str, _Key] = {}

    def wanted(self) -> tuple[Wanted, ...]:
        """Boards with readings in free run, or in free run now, whose dictionary is missing or of something else."""
        snapshot = self._job.snapshot
        read = {place.board for place in (*snapshot.readings.pin_signatures, *snapshot.readings.free_run_pins)}
        found = []
        for board_id, board in self._job.boards.items():
            # A dictionary of another moment would judge readings by what is no longer so.
            if self._known.get(board_id) not in (None, self._key(board)):
                self._forget(board_id)
            if board_id not in self._known and (board_id in read or free_run_is_on(snapshot)) and board.nets:
                found.append(self._wanted(board))
        return tuple(found)

    def _key(self, board: BoardDefinition) -> _Key:
        snapshot = self._job.snapshot
        return (board, snapshot.roms.reads, snapshot.roms.images, snapshot.decision("register"), window_of(snapshot))

    def _wanted(self, board: BoardDefinition) -> Wanted:
        snapshot = self._job.snapshot
        return Wanted(
            board, contents_of(self._job, board.id), window_of(snapshot), register_from(snapshot.decision("register"))
        )

    def compute(self, wanted: Wanted, workers: int = 1, tell: Callable[[int, int], None] = quiet) -> Dictionary | None:
        """The dictionary; None where nothing moves on the board, or a loop of gates oscillates."""
        try:
            return fault_dictionary(
                wanted.board,
                self._job.library,
                wanted.contents,
                self._folder,
                wanted.clocks,
                wanted.register,
                workers,
                tell,
            )
        except RequestError:
            return None

    def put(self, wanted: Wanted, dictionary: Dictionary | None) -> None:
        """From now on the moments of the job carry it; a board without one is not asked for again."""
        self._known[wanted.board.id] = self._key(self._job.boards[wanted.board.id])
        if dictionary is not None:
            self._job.use_dictionaries({**self._job.dictionaries, wanted.board.id: dictionary})

    def _forget(self, board_id: str) -> None:
        del self._known[board_id]
        self._job.use_dictionaries({b: d for b, d in self._job.dictionaries.items() if b != board_id})

    def search(self, workspace: Workspace) -> None:
        """Computes the first one that is wanted beside the window, which shows how far it has come."""
        wanted = next(iter(self.wanted()), None)
        if wanted is None or workspace.tasks.busy:
            return
        # Stopped by hand, it is not begun again by the next reading.
        self._known[wanted.board.id] = self._key(wanted.board)

        def work(watch: Watch) -> Dictionary | None:
            def told(done: int, faults: int) -> None:
                if watch.cancelled():
                    raise Cancelled(say("stopped"))
                watch.said("", done, faults)

            return self.compute(wanted, tell=told)

        def done(found: Dictionary | None) -> None:
            self.put(wanted, found)
            workspace.changed.emit()

        words = say("what every fault of {board} would show in free run", board=wanted.board.name)
        workspace.tasks.run(words, work, done)

    def complete(self, workers: int, begun: Callable[[str], None]) -> None:
        """Computes all that are wanted, here and now; `begun` is told the board of each that takes a while."""
        for wanted in self.wanted():
            name, told = wanted.board.name, False

            def tell(done: int, faults: int, name: str = name) -> None:
                nonlocal told
                if not told:
                    begun(name)
                told = True

            self.put(wanted, self.compute(wanted, workers, tell))
