"""Corvane CS-8, a school computer: a stuck bit, leaking capacitors, a flat cell, marks and labels that disagree."""

from collections.abc import Callable
from datetime import UTC, datetime

from loyal_trace.core.boards.revisions import decision_name
from loyal_trace.core.job.entries import Decided, Entry, Photographed, Started, SymptomSeen
from loyal_trace.core.simulation.bench import Drive, SimulatedBench, SupplyModel
from loyal_trace.demo.camera import photograph
from loyal_trace.demo.common import DemoJob, boards_of, hidden_table, read_fault
from loyal_trace.demo.images import reference_image
from loyal_trace.formats.photos import upright
from loyal_trace.resources import chip_library
from loyal_trace.store.store import Store

CORVANE_JOB = "gp-0153"
CORVANE_BOARD = "cs-8"
_WORKED_FROM = datetime(2026, 11, 23, 15, 20, tzinfo=UTC)
_FITTED_FIRMWARE = {"3A": "A", "3B": "B"}


def corvane_bench(seed: int = 1986) -> SimulatedBench:
    """The simulated bench with the CS-8 on it: ROMs of two firmware revisions, and what else is wrong."""
    contents = {(CORVANE_BOARD, slot): reference_image(CORVANE_BOARD, slot, f) for slot, f in _FITTED_FIRMWARE.items()}
    supply = SupplyModel(
        0.0, 0.78, nominal=5.01, reservoir="", dc=9.1, board=CORVANE_BOARD, drop_to={CORVANE_BOARD: 0.04}
    )
    faults = tuple(read_fault(row) for row in hidden_table("corvane"))
    drives = {CORVANE_BOARD: Drive(clock="XT1", cpu="2C")}
    return SimulatedBench(boards_of((CORVANE_BOARD,)), chip_library(), contents, faults, drives, supply, seed)


def build_corvane(store: Store, bench: SimulatedBench, ids: Callable[[], str]) -> None:
    """Makes the CS-8 job in a store: taken in, its marks read, a photo taken, switched on once; not looked over yet."""
    job = DemoJob(
        store,
        ids,
        CORVANE_JOB,
        _WORKED_FROM,
        boards=(CORVANE_BOARD,),
        maker="Corvane 1986",
        title="Corvane CS-8 school computer",
        complaint="It stops with a message about RAM, some keys come twice, and it forgets the time every night.",
    )
    make, board = job.make, job.boards[CORVANE_BOARD]
    data = photograph(board, leaking=bench.seen(CORVANE_BOARD))
    taken = upright(data, CORVANE_BOARD)
    sha = job.store.put_attachment(data)
    marks = {
        "etched under the keyboard port": "CS-8/1",
        "capacitors below the keyboard port": "five, a large one at the left",
        "letter on the ROM labels": "one A, one B",
    }
    clean, code = bench.start()
    entries: list[Entry] = [
        *(
            make(Decided, board=CORVANE_BOARD, what=decision_name(CORVANE_BOARD, name), choice=answer)
            for name, answer in marks.items()
        ),
        make(SymptomSeen, board=CORVANE_BOARD, text="stops with a RAM message"),
        make(
            Photographed,
            board=CORVANE_BOARD,
            attachment=sha,
            file_name="cs-8 from above.jpg",
            width=taken.width,
            height=taken.height,
        ),
        make(Started, clean=clean, code=code, off_seconds=300.0),
    ]
    job.record_all(entries)
