"""When Python may walk over what is in memory: never over all of it while someone types."""

import gc
from functools import cache


def settle_memory() -> None:
    """What was loaded stays: later collections need not walk it while someone types."""
    _freeze_once()
    gc.enable()


@cache
def _freeze_once() -> None:
    # Asking Python how much is frozen already walks all of it.
    gc.freeze()


def give_back() -> None:
    """A very long job was left: what was frozen with it is collected, and the rest is as it was after the start."""
    gc.unfreeze()
    gc.collect()
    gc.freeze()
