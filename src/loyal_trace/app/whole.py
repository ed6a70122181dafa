"""What of a job can be used: entries whose files are lost are marked, damaged boards are opened as far as they go.

One damaged thing never takes the job down with it. Everything left out is named.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations

import tomli_w

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.job.checkpoint import Checkpoint
from loyal_trace.core.job.entries import Entry, Unread, marked_unread
from loyal_trace.core.job.stretch import image_of
from loyal_trace.core.vocabulary.errors import LoyalTraceError, UserFileError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.formats.board_folder import parse_board
from loyal_trace.store.checkpoints import Kept, read_checkpoint
from loyal_trace.store.store import Store


@dataclass(frozen=True)
class Usable:
    """The entries and boards of a job as far as they can be used, and in sentences what cannot.

    A long job may have a checkpoint of its beginning; then `entries` are those behind it.
    """

    entries: tuple[Entry, ...]
    boards: Mapping[str, BoardDefinition]
    warnings: tuple[str, ...] = ()
    checkpoint: Checkpoint | None = None


def usable(store: Store, job: str, library: ChipLibrary) -> Usable:
    """Everything of a job that can be read; never fails for what a file of it holds."""
    checked: dict[str, str] = {}
    kept = _kept(store, job, checked)
    behind = store.entries(job, lean=True, after=kept.last if kept else None)
    entries, lost = _with_files(store, behind, checked)
    boards, damaged = _boards(store.board_files(job), library)
    return Usable(entries, boards, (*_unread(entries), *lost, *damaged), kept.checkpoint if kept else None)


def _kept(store: Store, job: str, checked: dict[str, str]) -> Kept | None:
    """The checkpoint of a job, unless a file that its entries need is lost: then every one of them is looked at."""
    kept = read_checkpoint(store, job)
    return None if kept is None or any(_lost(store, sha, checked) for sha in kept.checkpoint.outline.files) else kept


def _with_files(store: Store, entries: Sequence[Entry], checked: dict[str, str]) -> tuple[tuple[Entry, ...], list[str]]:
    """Entries about ROM contents whose file is lost are marked: an image that is not there must not be judged."""
    found = list(entries)
    for number, entry in enumerate(entries):
        sha = image_of(entry)
        if sha and (why := _lost(store, sha, checked)):
            found[number] = marked_unread(entry.model_dump(mode="json"), why, number + 1, entry)
    return tuple(found), [why for why in checked.values() if why]


def _lost(store: Store, sha: str, checked: dict[str, str]) -> str:
    if sha not in checked:
        try:
            store.attachment(sha)
            checked[sha] = ""
        except LoyalTraceError as error:
            checked[sha] = str(error)
    return checked[sha]


def _unread(entries: Sequence[Entry]) -> list[str]:
    marked = [entry for entry in entries if isinstance(entry, Unread)]
    newer, rest = [e for e in marked if e.newer], [e for e in marked if not e.newer]
    told = []
    if newer:
        told.append(
            say(
                "{entries} from a newer version: kept, but not used here. Update Loyal Trace to use them.",
                entries=count_of(len(newer), "entry", "entries"),
            )
        )
    if rest:
        told.append(
            say(
                "{entries} not read: {why} (see `loyal-trace store check`).",
                entries=count_of(len(rest), "entry", "entries"),
                why=rest[0].why,
            )
        )
    return told


def _boards(
    folders: Mapping[str, Mapping[str, bytes]], library: ChipLibrary
) -> tuple[dict[str, BoardDefinition], list[str]]:
    boards, warnings = {}, []
    for name, files in folders.items():
        try:
            boards[name] = _parsed(tuple(sorted(files.items())), name, library)
        except UserFileError as error:
            warnings.append(say("The board {name} was read only in part: {error}", name=name, error=error))
            boards[name] = _as_far_as_it_goes(name, files, library)
    return boards, warnings


@lru_cache(maxsize=32)
def _parsed(files: tuple[tuple[str, bytes], ...], name: str, library: ChipLibrary) -> BoardDefinition:
    """A board by the bytes of its files: jobs on boards of one kind, and one job opened again, read them once."""
    return parse_board(dict(files), name, library)


def _as_far_as_it_goes(name: str, files: Mapping[str, bytes], library: ChipLibrary) -> BoardDefinition:
    """The board without the files that stop it: an empty one stands for each in turn, for all of them at last."""
    board = tomli_w.dumps({"board": {"format": 1, "id": name, "name": name}}).encode()
    bare = {"board.toml": board, "parts.csv": b"refdes,part\n", "nets.csv": b""}
    empty = {"board.toml": board, "parts.csv": b"refdes,part\n"}
    damaged = sorted((some for n in range(1, 4) for some in combinations(bare, n)), key=len)
    for some in damaged:
        kept = {file: data for file, data in files.items() if file not in some}
        try:
            return parse_board({**empty, **kept}, name, library)
        except UserFileError:
            continue
    return BoardDefinition(name, name)
