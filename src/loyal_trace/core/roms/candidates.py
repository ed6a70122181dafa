"""Proposed changes to an image, as arrays, and the proof of the one that makes every sum right.

Hashing begins at a checkpoint before the first changed byte, so what changes late in the image is cheap to try. Plain
sums are worked out from the changes alone and turn most candidates away before anything is hashed.
"""

import hashlib
from collections.abc import Callable, Iterable, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.roms.digests import HASHES, digest

_CHECKPOINT = 1024
_WORKERS, _AT_ONCE = 2, 1024  # hashing lets another thread run
_QUICK_AT_ONCE, _WORTH_QUICK = 8192, 400 << 20  # bytes: about half a second of plain hashing
_MOST_LISTED, _MOST_IN_ORDER = 64, 1 << 17


@dataclass(frozen=True)
class Change:
    """One byte: where, what it is, what it was meant to be."""

    offset: int
    read: int
    meant: int


@dataclass(frozen=True)
class Candidates:
    """Sets of changes of one size: `places` rising along each row, `meant` the bytes that belong there."""

    places: NDArray[np.int64]
    meant: NDArray[np.uint8]

    def __len__(self) -> int:
        return len(self.places)

    def picked(self, which: NDArray[np.generic]) -> "Candidates":
        return Candidates(self.places[which], self.meant[which])

    def changes(self, row: int, data: bytes) -> tuple[Change, ...]:
        """One row in full, without bytes that stay as they are."""
        pairs = zip(self.places[row].tolist(), self.meant[row].tolist(), strict=True)
        return tuple(Change(place, data[place], meant) for place, meant in pairs if data[place] != meant)


class Sha1Lanes(Protocol):
    """A faster search over changed copies of one image than hashing each."""

    def first(self, places: NDArray[np.int64], flips: NDArray[np.uint8], digest: bytes) -> int:
        """The first row of changes that gives the SHA-1; −1 for none."""
        ...


Sha1Search = Callable[[bytes], "Sha1Lanes | None"]


@dataclass(frozen=True)
class Watch:
    """What long work is told and asked: is it to stop, how far has it come, and a faster SHA-1 if there is one."""

    cancelled: Callable[[], bool] = lambda: False
    said: Callable[[str, int, int], None] = lambda words, done, total: None
    sha1: Sha1Search = lambda data: None


UNWATCHED = Watch()


def changed(data: bytes, changes: Iterable[Change]) -> bytes:
    """The image with some bytes changed."""
    out = bytearray(data)
    for change in changes:
        out[change.offset] = change.meant
    return bytes(out)


_Search = Callable[[Candidates, range, bytes], "int | None"]


class Prover:
    """Tries candidates for one image against all its sums. A CRC-32 among them is taken as met already."""

    def __init__(self, data: bytes, digests: Mapping[str, str], watch: Watch = UNWATCHED) -> None:
        self._data, self._digests, self._watch = data, digests, watch
        self.proof = next((name for name in HASHES if name in digests), "")
        self._others = [name for name in digests if name not in (self.proof, "crc32")]
        self._marks = list(self._checkpoints()) if self.proof else []
        self._lanes: Sha1Lanes | None = None
        self.fitting: list[tuple[Change, ...]] = []
        self.count = 0

    def _checkpoints(self) -> Iterator["hashlib._Hash"]:
        state = hashlib.new(self.proof, usedforsecurity=False)
        yield state
        for start in range(0, len(self._data), _CHECKPOINT):
            state = state.copy()
            state.update(self._data[start : start + _CHECKPOINT])
            yield state

    def first_right(self, candidates: Candidates, words: str = "") -> tuple[Change, ...] | None:
        """The first candidate that a hash proves; without one, all that fit are kept in `fitting` and counted."""
        left = candidates.picked(self._by_plain_sums(candidates))
        if not self.proof:
            self._collect(left)
            return None
        wanted = bytes.fromhex(self._digests[self.proof])
        search = self._quick_search() if self._quick(left) else self._search
        size = _AT_ONCE if search == self._search else _QUICK_AT_ONCE
        # What changes late is cheap, and neighbours share the most of what came before.
        left = left.picked(np.argsort(-left.places[:, 0], kind="stable")) if self._worth_sorting(left) else left
        with ThreadPoolExecutor(_WORKERS) as pool:
            for start in range(0, len(left), size):
                if self._watch.cancelled():
                    return None
                self._watch.said(words, start, len(left))
                stop = min(start + size, len(left))
                rows = [range(start + number, stop, _WORKERS) for number in range(_WORKERS)]
                parts = [pool.submit(search, left, some, wanted) for some in rows]
                right = [row for part in parts if (row := part.result()) is not None]
                if right:
                    return left.changes(min(right), self._data)
        return None

    def _worth_sorting(self, candidates: Candidates) -> bool:
        """So many that the likelier kinds first (single bits) gain less than hashing in the order of their places."""
        return len(candidates) > _MOST_IN_ORDER

    def _quick(self, candidates: Candidates) -> bool:
        """Is there so much to hash that the compiled helper is worth its loading, and is it there?"""
        if self.proof != "sha1" or len(candidates) * len(self._data) < _WORTH_QUICK:
            return False
        if self._lanes is None:
            self._lanes = self._watch.sha1(self._data)
        return self._lanes is not None

    def _quick_search(self) -> "_Search":
        """Many candidates at once, by the compiled helper; what it finds is hashed once more by the plain way."""
        lanes, image = self._lanes, np.frombuffer(self._data, dtype=np.uint8)

        def search(candidates: Candidates, rows: range, digest_wanted: bytes) -> int | None:
            some = candidates.picked(np.arange(rows.start, rows.stop, rows.step))
            flips = some.meant ^ image[some.places]
            found = lanes.first(some.places, flips, digest_wanted) if lanes is not None else -1
            return self._search(candidates, rows[found : found + 1], digest_wanted) if found >= 0 else None

        return search

    def _search(self, candidates: Candidates, rows: range, wanted: bytes) -> int | None:
        view, marks = memoryview(self._data), self._marks
        places, meant = candidates.places[rows].tolist(), candidates.meant[rows]
        for row, at_places, bytes_meant in zip(rows, places, meant, strict=True):
            number = at_places[0] // _CHECKPOINT
            state, at, values = marks[number].copy(), number * _CHECKPOINT, bytes_meant.tobytes()
            for which, place in enumerate(at_places):
                state.update(view[at:place])
                state.update(values[which : which + 1])
                at = place + 1
            state.update(view[at:])
            if state.digest() == wanted and self._meets_others(candidates.changes(row, self._data)):
                return row
        return None

    def _by_plain_sums(self, candidates: Candidates) -> NDArray[np.int64]:
        """The rows whose sum of bytes is right, for each plain sum given."""
        image = np.frombuffer(self._data, dtype=np.uint8)
        moved = candidates.meant.astype(np.int64).sum(axis=1) - image[candidates.places].astype(np.int64).sum(axis=1)
        keep = np.ones(len(candidates), dtype=bool)
        for name, bits in (("sum8", 8), ("sum16", 16), ("sum32", 32)):
            if name in self._digests:
                wanted = int(self._digests[name], 16) - int(digest(self._data, name), 16)
                keep &= (moved - wanted) % (1 << bits) == 0
        return np.flatnonzero(keep)

    def _collect(self, candidates: Candidates) -> None:
        exact = [name for name in self._others if not name.startswith("sum")]
        for row in range(len(candidates)):
            if exact and not self._meets_others(candidates.changes(row, self._data)):
                continue
            self.count += 1
            if len(self.fitting) < _MOST_LISTED:
                self.fitting.append(candidates.changes(row, self._data))

    def _meets_others(self, changes: tuple[Change, ...]) -> bool:
        corrected = changed(self._data, changes)
        return all(digest(corrected, name) == self._digests[name] for name in self._others)
