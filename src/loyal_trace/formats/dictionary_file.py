"""A fault dictionary on disk: its arrays in one compressed file, named by what it follows from."""

import io
import zipfile
from dataclasses import fields
from pathlib import Path

import numpy as np

from loyal_trace.core.simulation.dictionary import Dictionary
from loyal_trace.formats.whole_file import write_whole

_NAMES = tuple(field.name for field in fields(Dictionary))


def write_dictionary(path: Path, dictionary: Dictionary) -> None:
    """Writes it whole or not at all; MachineError when the disk does not take it."""
    buffer = io.BytesIO()
    np.savez_compressed(buffer, allow_pickle=False, **{name: getattr(dictionary, name) for name in _NAMES})
    write_whole(path, buffer.getvalue(), "fault dictionary", make_folders=True)


def read_dictionary(path: Path) -> Dictionary | None:
    """What `write_dictionary` wrote; None where there is no such file, or it is damaged: it is then computed again."""
    try:
        with path.open("rb") as stream, np.load(stream, allow_pickle=False) as arrays:
            return Dictionary(**{name: arrays[name] for name in _NAMES})
    except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile):
        return None
