"""The stand-ins: each asks the simulated bench, and takes about as long as a device would, so that progress is real.

The board on the simulated bench follows the logbook: before every reading it is brought to the changes that are on
disk by then. An undone replacement is undone on the bench as well, and nothing is changed before it was recorded.
"""

import time
from collections.abc import Callable
from threading import Event, Lock

from loyal_trace.core.probing.states import PinReading
from loyal_trace.core.simulation.bench import SimulatedBench
from loyal_trace.core.vocabulary.identity import PartRef, PinRef
from loyal_trace.instruments.protocols import Cancelled, Progress, Workbench

_BLOCK = 256
Change = tuple[PartRef, str]  # a place where a part was replaced or put right, and where the new part came from


class SimulatedInstruments:
    """Reader, probe, meter and switch of one simulated bench, safe to use from a worker thread.

    The bench is built by `build` at first use; `changes` gives what was done to its boards, as recorded so far.
    `seconds_per_read` spreads a ROM read over that time.
    """

    def __init__(
        self,
        build: Callable[[], SimulatedBench],
        changes: Callable[[], tuple[Change, ...]] = tuple,
        seconds_per_read: float = 0.6,
    ) -> None:
        self._build, self._changes, self._seconds = build, changes, seconds_per_read
        self.bench: SimulatedBench | None = None
        self._applied: tuple[Change, ...] = ()
        self._lock = Lock()

    def _ready(self) -> SimulatedBench:
        wanted = self._changes()
        # What was undone cannot be taken out of a bench: it is built again and given what still counts.
        if self.bench is None or wanted[: len(self._applied)] != self._applied:
            self.bench, self._applied = self._build(), ()
        for place, origin in wanted[len(self._applied) :]:
            if self.bench.has(*place):
                self.bench.replace_part(*place, origin)
        self._applied = wanted
        return self.bench

    def read(self, place: PartRef, progress: Progress, cancel: Event) -> bytes:
        """One read of a ROM, block by block."""
        with self._lock:
            data = self._ready().read_rom(*place)
        for done in range(0, len(data), _BLOCK):
            if cancel.is_set():
                raise Cancelled
            progress(done, len(data))
            # Outside the lock: the meter may be used while a ROM is being read.
            time.sleep(self._seconds * _BLOCK / max(len(data), 1))
        progress(len(data), len(data))
        return data

    def probe(self, pin: PinRef) -> PinReading:
        """One touch of the logic probe."""
        with self._lock:
            return self._ready().probe(*pin)

    def measure(self, board: str, point: str, quantity: str) -> float:
        """One reading of the meter."""
        with self._lock:
            return self._ready().measure(board, point, quantity)

    def to_ground(self, board: str, point: str, lifted: tuple[str, ...]) -> float:
        """Resistance of a pin's net to ground (ohm), power off, with parts lifted off it."""
        with self._lock:
            return self._ready().to_ground(board, point, lifted=lifted)

    def start(self) -> tuple[bool, str]:
        """One power-up."""
        with self._lock:
            return self._ready().start()

    def try_function(self, board: str, name: str) -> str:
        """One try of a function, as somebody beside the board would hear or see it."""
        with self._lock:
            return self._ready().try_function(board, name)


def simulated_workbench(
    build: Callable[[], SimulatedBench], changes: Callable[[], tuple[Change, ...]], seconds_per_read: float = 0.6
) -> Workbench:
    """A workbench whose every instrument asks one simulated bench."""
    one = SimulatedInstruments(build, changes, seconds_per_read)
    return Workbench(one, one, one, one, one)
