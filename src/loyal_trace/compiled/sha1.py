"""The compiled search over changed copies of an image, called through ctypes: no other package is needed for it."""

import ctypes
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

_BLOCK = 64
_KEYS = np.repeat(np.array([0x5A827999, 0x6ED9EBA1, 0x8F1BBCDC, 0xCA62C1D6], dtype=np.uint32), 20)
_SIZE, _POINTER = ctypes.c_size_t, ctypes.c_void_p


class Library:
    """The two functions of `sha1.c`, from the compiled file."""

    def __init__(self, path: Path) -> None:
        """OSError when the file is no library for this machine."""
        library = ctypes.CDLL(str(path))
        self.prefix_states = library.prefix_states
        self.prefix_states.argtypes, self.prefix_states.restype = [_POINTER, _SIZE, _POINTER], None
        self.first_match = library.first_match
        image, changes = (_POINTER, _POINTER, _POINTER, _SIZE), (_POINTER, _POINTER, _SIZE, _SIZE)
        self.first_match.argtypes, self.first_match.restype = (*image, *changes, _POINTER), ctypes.c_long


class Lanes:
    """The search for one image: what all its changed copies share is prepared once."""

    def __init__(self, data: bytes, library: Library) -> None:
        padded = data + b"\x80" + bytes((55 - len(data)) % _BLOCK) + (8 * len(data)).to_bytes(8, "big")
        self._library = library
        self._words = np.ascontiguousarray(np.frombuffer(padded, ">u4").astype(np.uint32).reshape(-1, 16))
        schedule = np.empty((80, len(self._words)), dtype=np.uint32)
        schedule[:16] = self._words.T
        for t in range(16, 80):
            x = schedule[t - 3] ^ schedule[t - 8] ^ schedule[t - 14] ^ schedule[t - 16]
            schedule[t] = (x << np.uint32(1)) | (x >> np.uint32(31))
        self._schedule = np.ascontiguousarray((schedule + _KEYS[:, None]).T)
        self._states = np.empty((len(self._words) + 1, 5), dtype=np.uint32)
        library.prefix_states(self._words.ctypes.data, len(self._words), self._states.ctypes.data)

    def first(self, places: NDArray[np.int64], flips: NDArray[np.uint8], digest: bytes) -> int:
        """The first row whose changes (places, and what is flipped there) give the digest; −1 for none."""
        target = np.frombuffer(digest, ">u4").astype(np.uint32)
        rows, marks = np.ascontiguousarray(places, dtype=np.int64), np.ascontiguousarray(flips, dtype=np.uint8)
        if not rows.size:
            return -1
        return int(
            self._library.first_match(
                self._words.ctypes.data,
                self._schedule.ctypes.data,
                self._states.ctypes.data,
                len(self._words),
                rows.ctypes.data,
                marks.ctypes.data,
                *rows.shape,
                target.ctypes.data,
            )
        )
