"""A sensible path over the parts of a board: row by row, back and forth, as an eye goes."""

from loyal_trace.core.boards.model import BoardDefinition, Part

_BAND = 32.0


def walking_path(board: BoardDefinition) -> tuple[Part, ...]:
    """All parts in walking order; every second row is walked from the right, so that no step crosses the board."""

    def key(part: Part) -> tuple[int, float, str]:
        row = int(part.y // _BAND)
        return row, part.x if row % 2 == 0 else -part.x, part.refdes

    return tuple(sorted(board.parts, key=key))
