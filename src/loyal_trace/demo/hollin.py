"""Hollin 3, the score and lamp driver: three supplies from one transformer, with hidden faults in them."""

from collections.abc import Callable
from datetime import UTC, datetime

from loyal_trace.core.job.entries import Decided, Entry, Observed, SymptomSeen
from loyal_trace.core.simulation.bench import Drive, SimulatedBench, SupplyModel
from loyal_trace.demo.common import DemoJob, boards_of, hidden_table, read_fault
from loyal_trace.resources import chip_library
from loyal_trace.store.store import Store

HOLLIN_JOB = "gp-0151"
HOLLIN_BOARD = "hl-main"
_WORKED_FROM = datetime(2026, 11, 20, 9, 30, tzinfo=UTC)


def hollin_bench(seed: int = 1981) -> SimulatedBench:
    """The simulated bench with Hollin 3 on it: what its supplies really carry, and what is wrong with them."""
    boards = (HOLLIN_BOARD,)
    at_plug = {HOLLIN_BOARD: 0.05}
    supplies = (
        SupplyModel(8.6, 1.2, nominal=5.02, reservoir="C1", path="+5 V", board=HOLLIN_BOARD, drop_to=at_plug),
        SupplyModel(15.3, 0.3, nominal=12.05, reservoir="C3", path="+12 V", board=HOLLIN_BOARD),
        SupplyModel(20.4, 1.8, nominal=0.0, reservoir="C2", path="+24 V", board=HOLLIN_BOARD),
    )
    drives = {HOLLIN_BOARD: Drive(clock="PINCLK")}
    faults = tuple(read_fault(row) for row in hidden_table("hollin"))
    return SimulatedBench(boards_of(boards), chip_library(), {}, faults, drives, supplies, seed)


def build_hollin(store: Store, bench: SimulatedBench, ids: Callable[[], str]) -> None:
    """Makes the Hollin job in a store: taken in and looked over, nothing measured yet."""
    job = DemoJob(
        store,
        ids,
        HOLLIN_JOB,
        _WORKED_FROM,
        boards=(HOLLIN_BOARD,),
        maker="Hollin Lanes 1981",
        title="Hollin 3 score and lamp driver",
        complaint="No lamp lights, and the score comes up scrambled.",
    )
    make = job.make
    screw = "the screw was put in after the joints"
    entries: list[Entry] = [
        make(SymptomSeen, board=HOLLIN_BOARD, text="score display scrambled"),
        make(SymptomSeen, board=HOLLIN_BOARD, text="no lamp lights"),
        make(Decided, what="first power", choice="decide by risk", reason="rails first, with a current limit"),
        make(Decided, what="bench lacks", choice="harness", reason="the lane stayed where it was"),
        make(Observed, board=HOLLIN_BOARD, place="J1", finding="clean"),
        make(
            Observed,
            board=HOLLIN_BOARD,
            place="REG1",
            finding="previous work",
            note=screw,
        ),
    ]
    job.record_all(entries)
