"""Fault dictionaries, computed once for what they follow from and kept on disk."""

from collections.abc import Callable, Mapping
from concurrent.futures import ProcessPoolExecutor
from contextlib import suppress
from multiprocessing import get_context
from pathlib import Path

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.roms.signature import Register
from loyal_trace.core.simulation.dictionary import Dictionary, Rows, assembled, compute, content_key, fault_rows
from loyal_trace.core.simulation.free_run import DEFAULT_CLOCKS, all_faults, free_run
from loyal_trace.core.simulation.machine import Machine
from loyal_trace.core.simulation.netlist import PinFault
from loyal_trace.core.vocabulary.errors import MachineError
from loyal_trace.formats.dictionary_file import read_dictionary, write_dictionary

# Shorter work (faults times clocks) is done sooner by one process than two are begun.
_WORTH_SHARING = 5_000_000
_MOST_KEPT = 24


def cache_folder() -> Path:
    """Where dictionaries are kept: the cache of the person who works here."""
    from platformdirs import user_cache_path

    return user_cache_path("loyal-trace") / "dictionaries"


def quiet(done: int, faults: int) -> None:
    """Tells nobody."""


def fault_dictionary(
    board: BoardDefinition,
    library: ChipLibrary,
    contents: Mapping[str, bytes],
    folder: Path | None,
    clocks: int = DEFAULT_CLOCKS,
    register: Register | None = None,
    workers: int = 1,
    tell: Callable[[int, int], None] = quiet,
) -> Dictionary:
    """The dictionary of a board, from `folder` where the same was computed before, and kept there.

    `workers` processes share the work. `tell` is called with (faults done, faults). RequestError when nothing moves on
    the board.
    """
    used = register or Register()
    path = folder / f"{content_key(board, library, contents, clocks, used)}.npz" if folder else None
    known = read_dictionary(path) if path else None
    if known is not None:
        return known
    machine = free_run(board, library, clocks, (), contents)
    faults = all_faults(board, library)
    if workers > 1 and len(faults) * clocks >= _WORTH_SHARING:
        found = _shared(machine, faults, used, workers, tell)
    else:
        found = compute(machine, faults, used, lambda done: tell(done, len(faults)))
    if path:
        # A full disk costs the time of the next computation, nothing else.
        with suppress(MachineError):
            write_dictionary(path, found)
        _forget_oldest(path.parent)
    return found


def _shared(
    machine: Machine, faults: tuple[PinFault, ...], register: Register, workers: int, tell: Callable[[int, int], None]
) -> Dictionary:
    """Each process takes a share of the faults; processes are copies of this one, machine included."""
    share = max(1, -(-len(faults) // (8 * workers)))
    shares = [faults[at : at + share] for at in range(0, len(faults), share)]
    rows: list[Rows] = []
    _Work.machine, _Work.register = machine, register
    with ProcessPoolExecutor(workers, mp_context=get_context("fork")) as pool:
        for part in pool.map(_Work.of, shares):
            rows += part
            tell(len(rows), len(faults))
    return assembled(machine, faults, register, rows)


class _Work:
    """What a forked process finds: the machine does not travel, it is there already."""

    machine: Machine
    register: Register

    @staticmethod
    def of(faults: tuple[PinFault, ...]) -> list[Rows]:
        return fault_rows(_Work.machine, faults, _Work.register)


def _forget_oldest(folder: Path) -> None:
    """Keeps the newest dictionaries only."""
    with suppress(OSError):
        kept = sorted(folder.glob("*.npz"), key=lambda path: path.stat().st_mtime, reverse=True)
        for path in kept[_MOST_KEPT:]:
            path.unlink()
