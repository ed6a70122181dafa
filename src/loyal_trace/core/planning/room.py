"""How much room there is beside a part on its board, for fingers and tools."""

from collections.abc import Collection

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.outline import smallest_body
from loyal_trace.core.planning.methods import Access


class RoomBeside:
    """What there is of room beside the parts of a board whose places are known, seen from above.

    Sizes that nobody said are taken small: room is never found lacking only because a size was assumed. A room that
    was told for a part (`room_diameter`, with its own diameter) counts before the places of others. `out`: designators
    of what has been taken off, and stands in nobody's way.
    """

    def __init__(self, board: BoardDefinition, out: Collection[str] = ()) -> None:
        self._board = board
        self._placed = [part for part in board.parts if part.placed and part.refdes not in out]
        self._known: dict[str, Access | None] = {}
        self._index = {part.refdes: index for index, part in enumerate(self._placed)}
        self._at = np.array([(part.x, part.y) for part in self._placed]).reshape(-1, 2)
        self._size = np.array([smallest_body(part) for part in self._placed]).reshape(-1, 2)
        self._not_cans = np.array([part.kind != "capacitor" or not part.polarised for part in self._placed], dtype=bool)

    def of(self, refdes: str) -> Access | None:
        """The room beside one part; None where nobody said anything of it."""
        if refdes not in self._known:
            self._known[refdes] = self._of(refdes)
        return self._known[refdes]

    def _of(self, refdes: str) -> Access | None:
        part = self._board.part(refdes)
        gaps = self._gaps(part) if part.placed else np.empty(0)
        gap, beside = self._nearest(gaps)
        can_gap, can = self._nearest(np.where(self._not_cans, np.inf, gaps) if gaps.size else gaps)
        if part.room_diameter is not None and part.diameter is not None:
            return Access(max(0.0, part.room_diameter - part.diameter) / 2, "", can_gap, can)
        return None if gap is None else Access(gap, beside, can_gap, can)

    def _gaps(self, part: Part) -> NDArray[np.float64]:
        """Millimetres from the body of a part to those of all placed ones; none from itself."""
        clear = np.abs(self._at - (part.x, part.y)) - (self._size + smallest_body(part)) / 2
        gaps: NDArray[np.float64] = np.hypot(*np.maximum(clear, 0.0).T)
        if part.refdes in self._index:
            gaps[self._index[part.refdes]] = np.inf
        return gaps

    def _nearest(self, gaps: NDArray[np.float64]) -> tuple[float | None, str]:
        """(gap in millimetres, designator) of the nearest part; (None, "") where there is none."""
        if not gaps.size or not np.isfinite(gaps).any():
            return None, ""
        at = int(gaps.argmin())
        return float(gaps[at]), self._placed[at].refdes
