"""Writes a file whole or not at all."""

import os
from contextlib import suppress
from pathlib import Path

from loyal_trace.core.vocabulary.errors import MachineError
from loyal_trace.core.vocabulary.phrases import say


def write_whole(path: Path, data: bytes, what: str, make_folders: bool = False) -> None:
    """Writes beside the target, forces it to disk and moves it into place.

    MachineError (“the `what` could not be written”) leaves the target as it was and nothing beside it.
    """
    temporary = path.with_name(path.name + ".part")
    try:
        if make_folders:
            path.parent.mkdir(parents=True, exist_ok=True)
        with temporary.open("wb") as stream:
            stream.write(data)
            stream.flush()
            os.fsync(stream.fileno())
        temporary.replace(path)
        # Without it the name may be gone after a power cut although the bytes are there.
        _sync_folder(path.parent)
    except OSError as error:
        with suppress(OSError):
            temporary.unlink()
        raise MachineError(
            say(
                "{path}: the {what} could not be written ({strerror}); nothing was changed",
                path=path,
                what=what,
                strerror=error.strerror,
            )
        ) from None


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
