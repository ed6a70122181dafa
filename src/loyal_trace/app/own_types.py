"""Chip types that a workshop describes itself, kept beside its jobs in `chips/` of the store folder."""

from collections.abc import Callable
from pathlib import Path

from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.vocabulary.errors import RequestError, UserFileError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.chip_types import read_chip_types
from loyal_trace.formats.whole_file import write_whole

FOLDER = "chips"


def library_with_own(folder: Path, shipped: Callable[[], ChipLibrary]) -> tuple[ChipLibrary, tuple[str, ...]]:
    """(the library with the workshop's own types, what could not be read of them). A bad file is left out and named."""
    library, warnings = shipped(), []
    for path in sorted((folder / FOLDER).glob("*.toml")):
        try:
            library = library.with_types(path.read_text(encoding="utf-8"))
        except (RequestError, UserFileError, OSError, UnicodeDecodeError) as error:
            warnings.append(say("The chip types of {file} were not read: {error}", file=path.name, error=error))
    return library, tuple(warnings)


def add_types(folder: Path, path: Path, shipped: Callable[[], ChipLibrary]) -> tuple[str, ...]:
    """Checks a file of types and keeps it in the workshop; the names of the types. UserFileError keeps nothing."""
    text = read_chip_types(path)
    try:
        names = shipped().names_in(text)
        shipped().with_types(text)
    except RequestError as error:
        raise UserFileError(str(path), str(error)) from None
    target = folder / FOLDER / f"{path.stem}.toml"
    target.parent.mkdir(parents=True, exist_ok=True)
    write_whole(target, text.encode("utf-8"), say("chip types"))
    return names
