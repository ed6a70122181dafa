"""Compiled helpers for the heaviest sums; everything works without them, only slower.

They are compiled once for a machine and kept on disk beside the program (or in the user's cache). `sha1_lanes` gives
them only when that has been done: compiling takes some seconds, the first work of a day does not wait for it. `make
setup` does it; elsewhere the first long restoration has it done by a process of its own for the next time.
"""

import subprocess
import sys
from functools import cache
from importlib.util import find_spec
from pathlib import Path

from loyal_trace.core.roms.candidates import Sha1Lanes


@cache
def compiled_on_disk() -> bool:
    """Is the compiled code of every helper on disk? Asked once; if not, it is compiled for the next time."""
    if find_spec("numba") is None:
        return False
    from loyal_trace.compiled import sha1

    folder = Path(str(sha1.first_match.stats.cache_path))
    kept = all(any(folder.glob(f"sha1.{name}-*.nbc")) for name in ("first_match", "prefix_states"))
    if not kept:
        _compile_elsewhere()
    return kept


def sha1_lanes(data: bytes) -> Sha1Lanes | None:
    """The compiled search over changed copies of an image, if it need not be compiled first; None otherwise."""
    if not compiled_on_disk():
        return None
    from loyal_trace.compiled import sha1

    return sha1.Lanes(data)


def _compile_elsewhere() -> None:
    """Has the helpers compiled by another process, out of the way of this one and outliving it if need be."""
    command = ["nice", "-n", "19", sys.executable, "-m", "loyal_trace.compiled.sha1"]
    subprocess.Popen(
        command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
    )
