"""What the boards of a job are called: in full, and in short where a short name is clear."""

import re
from collections.abc import Mapping

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.vocabulary.phrases import say

_LOOKS_LIKE_A_PLACE = re.compile(r"[A-Z]{0,4}\d+[A-Z]?\d?")


def short_names(boards: Mapping[str, BoardDefinition]) -> dict[str, str]:
    """Board id → the last piece of its name (VID for TW-VID); the whole name where that piece is not its alone.

    A piece that could be taken for a part of a board stays part of the whole name (MAIN-2).
    """
    pieces = {board_id: re.split(r"[-\s]+", board.name)[-1].upper() for board_id, board in boards.items()}
    taken = list(pieces.values())
    clear = {b: piece for b, piece in pieces.items() if piece and taken.count(piece) == 1}
    clear = {b: piece for b, piece in clear.items() if not _LOOKS_LIKE_A_PLACE.fullmatch(piece)}
    return {board_id: clear.get(board_id, board.name) for board_id, board in boards.items()}


def board_prefix(boards: Mapping[str, BoardDefinition], board_id: str) -> str:
    """What stands before a place of a board: its name and a blank where there are several boards, else nothing."""
    return say("{name} ", name=boards[board_id].name) if len(boards) > 1 and board_id in boards else ""


def names_of(boards: Mapping[str, BoardDefinition]) -> dict[str, tuple[str, ...]]:
    """Board id → everything that it can be called in a line: its name, its title, its id, its short name."""
    short = short_names(boards)
    return {b: tuple(dict.fromkeys((board.name, board.title, b, short[b]))) for b, board in boards.items()}
