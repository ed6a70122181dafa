"""Writes a file whole or not at all."""

import os
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import IO

from loyal_trace.core.vocabulary.errors import MachineError
from loyal_trace.core.vocabulary.phrases import say


def write_whole(path: Path, data: bytes, what: str, make_folders: bool = False, private: bool = False) -> None:
    """Writes beside the target, forces it to disk and moves it into place.

    `private`: for the user alone. MachineError (“the `what` could not be written”) leaves the target as it was and
    nothing beside it.
    """
    write_by(path, what, lambda stream: stream.write(data), make_folders, private)


def write_by(
    path: Path,
    what: str,
    fill: Callable[[IO[bytes]], object],
    make_folders: bool = False,
    private: bool = False,
    check: Callable[[Path], None] | None = None,
) -> None:
    """The same for a file that is written piece by piece; `check` reads it before it counts as written."""
    path = _through_links(path, what)
    temporary = path.with_name(path.name + ".part")
    try:
        if make_folders:
            folders_for(path.parent)
        with temporary.open("wb") as stream:
            if private:
                os.fchmod(stream.fileno(), 0o600)
            fill(stream)
            stream.flush()
            os.fsync(stream.fileno())
        if check is not None:
            check(temporary)
        temporary.replace(path)
        # Without it the name may be gone after a power cut although the bytes are there.
        force_out(path.parent)
    except OSError as error:
        raise MachineError(
            say(
                "{path}: the {what} could not be written ({strerror}); nothing was changed",
                path=path,
                what=what,
                strerror=error.strerror,
            )
        ) from None
    finally:
        with suppress(OSError):
            temporary.unlink()


def _through_links(path: Path, what: str) -> Path:
    """The file that is meant: what a link points to is written, the link stays; only regular files are."""
    target = path.resolve() if path.is_symlink() else path
    if target.exists() and not target.is_file():
        raise MachineError(say("{path}: the {what} needs a regular file; nothing was changed", path=path, what=what))
    return target


def folders_for(folder: Path) -> None:
    """Makes a folder, the user's alone, and those above it, each forced to the disk in the one above.

    Without that a power cut can take a new folder away with all that was safely written into it. OSError as by mkdir.
    """
    missing = [one for one in (folder, *folder.parents) if not one.exists()]
    for one in reversed(missing):
        one.mkdir(exist_ok=True, mode=0o700)
        force_out(one.parent)


def force_out(path: Path) -> None:
    """Forces a file, or the names in a folder, to the disk."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
