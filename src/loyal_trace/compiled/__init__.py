"""A compiled helper for the heaviest sums; everything works without it, only slower.

It is compiled once by the machine's own C compiler, if it has one, and kept beside the program (or in the user's
cache). `sha1_lanes` gives it only when that has been done: `make setup` does it; elsewhere the first long restoration
has it done by a process of its own for the next time.
"""

import hashlib
import os
import shutil
import subprocess
import sys
from functools import cache
from importlib.resources import files
from pathlib import Path

from platformdirs import user_cache_path

from loyal_trace.core.roms.candidates import Sha1Lanes

_SOURCE = "sha1.c"
_FLAGS = ("-O3", "-shared", "-fPIC", "-Wno-psabi")
_COMPILE_SECONDS = 120


def _places() -> list[Path]:
    """Where the compiled file may be: beside the program first, then in the user's cache; named by its source."""
    source = files(__name__).joinpath(_SOURCE).read_bytes()
    name = f"sha1-{hashlib.sha256(source).hexdigest()[:16]}-{os.uname().machine}.so"
    return [Path(__file__).with_name(name), user_cache_path("loyal-trace") / "compiled" / name]


def _compiler() -> str | None:
    return shutil.which("cc") or shutil.which("gcc") or shutil.which("clang")


def compile_helper() -> Path | None:
    """Compiles the helper and says where it is; None without a compiler, or when it cannot be done."""
    compiler = _compiler()
    if compiler is None:
        return None
    for target in _places():
        made = target.with_name(f"{target.name}.{os.getpid()}.part")
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            # For several processors at once if the compiler can, else for the plainest.
            done = any(_compiled(compiler, made, more) for more in (("-DCLONES",), ()))
            if done:
                made.replace(target)
                return target
        except OSError:
            continue  # the program's own folder may be read-only: the cache is tried next
        finally:
            made.unlink(missing_ok=True)
    return None


def _compiled(compiler: str, made: Path, more: tuple[str, ...]) -> bool:
    source = files(__name__).joinpath(_SOURCE).read_bytes()
    command = [compiler, *_FLAGS, *more, "-x", "c", "-", "-o", str(made)]
    try:
        return subprocess.run(command, input=source, capture_output=True, timeout=_COMPILE_SECONDS).returncode == 0
    except subprocess.TimeoutExpired:
        return False


# Kept, for Python warns of a process that still runs when nothing refers to it any more.
_elsewhere: list[subprocess.Popen[bytes]] = []


@cache
def _on_disk() -> Path | None:
    """Where the compiled helper is. Asked once; if it is nowhere, it is compiled for the next time."""
    for place in _places():
        if place.is_file():
            return place
    if _compiler() is not None:
        _compile_elsewhere()
    return None


def sha1_lanes(data: bytes) -> Sha1Lanes | None:
    """The compiled search over changed copies of an image, if it need not be compiled first; None otherwise."""
    place = _on_disk()
    if place is None:
        return None
    from loyal_trace.compiled import sha1

    try:
        return sha1.Lanes(data, sha1.Library(place))
    except OSError:
        return None


def _compile_elsewhere() -> None:
    """Has the helper compiled by another process, out of the way of this one and outliving it if need be."""
    command = ["nice", "-n", "19", sys.executable, "-m", "loyal_trace.compiled"]
    started = subprocess.Popen(
        command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
    )
    _elsewhere.append(started)
