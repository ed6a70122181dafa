"""Saves a board of a job as a folder of the workshop, which the next job of its kind begins with."""

import re
from pathlib import Path

from loyal_trace.app.job import OpenJob
from loyal_trace.core.assess.learnt import learnt_board
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.board_folder import parse_board
from loyal_trace.formats.board_writer import write_board
from loyal_trace.formats.whole_file import write_whole

SAVED_BOARDS = "boards"


def saved_boards(store: Path) -> Path:
    """The folder of a store in which boards are saved."""
    return store / SAVED_BOARDS


def board_to_save(job: OpenJob, board_id: str) -> BoardDefinition:
    """The board as it will be saved: one that grew in the job gets the job's title as its name."""
    if board_id not in job.boards:
        raise RequestError(say("there is no board to save yet"))
    if board_id in job.defined:
        return learnt_board(job.moment, board_id, board_id, job.boards[board_id].name)
    slug = re.sub(r"[^a-z0-9]+", "-", job.title.lower()).strip("-") or "board"
    return learnt_board(job.moment, board_id, slug, job.title)


def save_board(job: OpenJob, board_id: str, folder: Path | None = None) -> Path:
    """Writes the board into a folder (its own in the workshop when none is given) and returns it.

    What is written is read again first: a folder that cannot be read is never left behind.
    """
    board = board_to_save(job, board_id)
    files = write_board(board)
    parse_board(files, board.id, job.library)
    target = folder or saved_boards(job.store.folder) / board.id
    for name, data in files.items():
        write_whole(target / name, data, say("board"), make_folders=True)
    if "nets.csv" not in files:
        (target / "nets.csv").unlink(missing_ok=True)
    return target


def board_folder_named(store: Path, name: Path) -> Path:
    """A folder as given, else the saved board of that name."""
    saved = saved_boards(store) / name.name
    return name if name.exists() or not (saved / "board.toml").exists() else saved
