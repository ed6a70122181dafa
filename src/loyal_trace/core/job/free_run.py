"""What was said of free run: whether the processor only counts now, and over how many clocks a tester signs."""

from loyal_trace.core.job.snapshot import JobSnapshot

FREE_RUN, WINDOW = "free run", "signature window"
MOST_CLOCKS, DEFAULT_WINDOW = 1 << 20, 65_664


def free_run_is_on(snapshot: JobSnapshot) -> bool:
    """Is what is probed now probed in free run?"""
    return snapshot.decision(FREE_RUN) == "on"


def free_run_goes_on(snapshot: JobSnapshot) -> bool:
    """Is it worth saying what a board shows in free run? Who takes signatures has it there, until told otherwise."""
    return free_run_is_on(snapshot) or (not snapshot.decision(FREE_RUN) and bool(snapshot.readings.pin_signatures))


def window_of(snapshot: JobSnapshot) -> int:
    """Clocks of the processor over which a signature is taken."""
    return int(snapshot.decision(WINDOW) or DEFAULT_WINDOW)
