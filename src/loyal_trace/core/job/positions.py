"""Which place in the logbook an id has, in little memory where there are very many."""

from collections.abc import Sequence
from typing import Protocol

# Up to here a dictionary is as good.
_MANY = 10_000


class _Named(Protocol):
    @property
    def id(self) -> str: ...


class Positions:
    """Id → place; of an id that stands twice the last one.

    The ids that a long job is opened with are kept as sorted hashes, in an eighth of the memory of a dictionary; which
    of those with the same hash is meant, the entries themselves say.
    """

    def __init__(self, ids: Sequence[str], entries: Sequence[_Named]) -> None:
        """`ids` of the `entries`, as many and in their order."""
        self._entries = entries
        self._new: dict[str, int] = {}
        self._long = len(ids) > _MANY
        if not self._long:
            self._new = {name: place for place, name in enumerate(ids)}
            return
        import numpy as np

        hashes = np.fromiter(map(hash, ids), dtype=np.int64, count=len(ids))
        order = np.argsort(hashes, kind="stable")
        self._hashes, self._places = hashes[order], order.astype(np.uint32)

    def __contains__(self, name: str) -> bool:
        return self.get(name) is not None

    def __getitem__(self, name: str) -> int:
        """KeyError when there is none of that id."""
        found = self.get(name)
        if found is None:
            raise KeyError(name)
        return found

    def __setitem__(self, name: str, place: int) -> None:
        self._new[name] = place

    def get(self, name: str) -> int | None:
        """The place; None when there is none of that id."""
        if name in self._new or not self._long:
            return self._new.get(name)
        at = int(self._hashes.searchsorted(hash(name), side="right"))
        while at and self._hashes[at - 1] == hash(name):
            at -= 1
            place = int(self._places[at])
            if self._entries[place].id == name:
                return place
        return None
