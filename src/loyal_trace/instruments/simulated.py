"""The stand-ins: each asks the simulated bench, and takes about as long as a device would, so that progress is real."""

import time
from collections.abc import Callable
from threading import Event, Lock

from loyal_trace.core.probing.states import PinReading
from loyal_trace.core.simulation.bench import SimulatedBench
from loyal_trace.instruments.protocols import Cancelled, Progress

_BLOCK = 256


class SimulatedInstruments:
    """Reader, probe, meter and switch of one simulated bench, safe to use from a worker thread.

    The bench is built by `build` at first use. `seconds_per_read` spreads a ROM read over that time.
    """

    def __init__(self, build: Callable[[], SimulatedBench], seconds_per_read: float = 0.6) -> None:
        self._build, self._seconds = build, seconds_per_read
        self._bench: SimulatedBench | None = None
        self._lock = Lock()

    def _ready(self) -> SimulatedBench:
        if self._bench is None:
            self._bench = self._build()
        return self._bench

    def read(self, board: str, refdes: str, progress: Progress, cancel: Event) -> bytes:
        """One read of a ROM, block by block."""
        with self._lock:
            data = self._ready().read_rom(board, refdes)
        for done in range(0, len(data), _BLOCK):
            if cancel.is_set():
                raise Cancelled
            progress(done, len(data))
            time.sleep(self._seconds * _BLOCK / max(len(data), 1))
        progress(len(data), len(data))
        return data

    def probe(self, board: str, refdes: str, pin: int) -> PinReading:
        """One touch of the logic probe."""
        with self._lock:
            return self._ready().probe(board, refdes, pin)

    def measure(self, board: str, place: str, quantity: str) -> float:
        """One reading of the meter."""
        with self._lock:
            return self._ready().measure(board, place, quantity)

    def to_ground(self, board: str, place: str, lifted: tuple[str, ...]) -> float:
        """Resistance of a pin's net to ground (ohm), power off, with parts lifted off it."""
        with self._lock:
            return self._ready().to_ground(board, place, lifted=lifted)

    def start(self) -> tuple[bool, str]:
        """One power-up."""
        with self._lock:
            return self._ready().start()

    def renew(self, board: str, refdes: str, spare: str = "") -> None:
        """A part was exchanged or put right on the simulated board."""
        with self._lock:
            self._ready().renew(board, refdes, spare)
