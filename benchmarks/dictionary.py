"""The fault dictionary of a board of 78 chips, against one event-driven run a fault; and what its readings find.

The yardstick is the event-driven simulator of the tests, run over some clocks with five faults and extrapolated.
"""

import os
import resource
import tempfile
import time
from pathlib import Path

from tests.helpers.event_driven import EventDriven
from tests.helpers.free_run_boards import free_run_board

from benchmarks.measure import Figure
from loyal_trace.app.dictionaries import fault_dictionary
from loyal_trace.core.simulation.free_run import DEFAULT_CLOCKS, all_faults, free_run
from loyal_trace.core.simulation.netlist import build_netlist
from loyal_trace.resources import chip_library

_FAULTS, _CLOCKS = 5, 60
_MIB = 1024


def run() -> list[Figure]:
    """First run, next run from the disk, half as many clocks, memory."""
    library = chip_library()
    board, contents = free_run_board(library)
    faults = all_faults(board, library)
    with tempfile.TemporaryDirectory() as folder:
        first = _timed(board, library, contents, Path(folder), DEFAULT_CLOCKS)
        again = _timed(board, library, contents, Path(folder), DEFAULT_CLOCKS)
        half = _timed(board, library, contents, None, DEFAULT_CLOCKS // 2)
    yardstick = _event_driven(board, library, contents, faults) * len(faults) * DEFAULT_CLOCKS / _CLOCKS
    peak = max(resource.getrusage(who).ru_maxrss for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)) / _MIB
    about = f"{len(faults)} faults, {len(board.nets)} nets, {DEFAULT_CLOCKS} clocks: {first:.1f} s"
    return [
        Figure("fault dictionary, first run", yardstick / first, 1500, "×", False, about),
        Figure("fault dictionary, kept on disk", yardstick / again, 6000, "×", False, f"{again * 1e3:.0f} ms"),
        Figure("fault dictionary, twice the clocks", first / half, 2.5, "×", True, "time"),
        Figure("fault dictionary, memory", peak, 400, "MiB", True, "of the largest process"),
    ]


def _timed(board, library, contents, folder, clocks) -> float:
    start = time.perf_counter()
    fault_dictionary(board, library, contents, folder, clocks, workers=os.cpu_count() or 1)
    return time.perf_counter() - start


def _event_driven(board, library, contents, faults) -> float:
    """Seconds of one run over some clocks, the mean of five faults."""
    spent = 0.0
    for fault in faults[:: len(faults) // _FAULTS][:_FAULTS]:
        stimuli = free_run(board, library, _CLOCKS, (), contents).stimuli
        simulator = EventDriven(build_netlist(board, library, contents, (fault,)), stimuli)
        start = time.perf_counter()
        simulator.run(2 * _CLOCKS)
        spent += time.perf_counter() - start
    return spent / _FAULTS
