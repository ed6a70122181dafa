"""What sort of content are these bytes: program, text or picture; and which ROMs of the board do they resemble?

Byte statistics only: the mean cost of a byte (bits) under the smoothed histogram of each sort. Ones at hand from the
same board speak first; without them the shape of the histogram alone tells text and pictures from programs.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.vocabulary.phrases import say, term

_TEXT_SHARE = 0.85
_EMPTY_SHARE = 0.15
_NEARER = 0.5


@dataclass(frozen=True)
class Likeness:
    """Entropy (bits a byte), the sort of content by shape, and the images it resembles, nearest first, with the cost
    in bits a byte under each one's statistics."""

    entropy: float
    sort: str
    nearest: tuple[tuple[str, float], ...]

    @property
    def words(self) -> str:
        """One clause: `6.1 bits a byte, like the program in 6A, unlike 4C`."""
        told = say("{entropy:.1f} bits a byte, by its bytes {sort}", entropy=self.entropy, sort=term(self.sort))
        if not self.nearest:
            return told
        name, cost = self.nearest[0]
        if cost > self.entropy + 2.5:
            return say("{told}; it resembles no other contents of this board", told=told)
        others = [other for other, far in self.nearest[1:] if far > cost + _NEARER]
        return say("{told}, most like {name}", told=told, name=name) + (
            say(", unlike {others}", others=others[-1]) if others else ""
        )


def likeness(image: NDArray[np.uint8], references: Mapping[str, bytes]) -> Likeness:
    """How an image compares with contents of the same board."""
    shares = np.bincount(image, minlength=256) / max(len(image), 1)
    costs = [(name, _cost(shares, data)) for name, data in references.items() if data]
    return Likeness(entropy_of(shares), _sort(image, shares), tuple(sorted(costs, key=lambda c: (c[1], c[0]))))


def entropy_of(shares: NDArray[np.float64]) -> float:
    """Bits a byte of a histogram that sums to one."""
    here = shares[shares > 0]
    return float(-(here * np.log2(here)).sum()) + 0.0


def _cost(shares: NDArray[np.float64], reference: bytes) -> float:
    counts = np.bincount(np.frombuffer(reference, dtype=np.uint8), minlength=256) + 0.5
    return float(-(shares * np.log2(counts / counts.sum())).sum())


def _sort(image: NDArray[np.uint8], shares: NDArray[np.float64]) -> str:
    printable = float(shares[0x20:0x7F].sum() + shares[10] + shares[13])
    if printable > _TEXT_SHARE:
        return "text"
    if entropy_of(shares) > min(7.8, math.log2(max(len(image), 2)) - 2.5):
        return "noise"
    rows = image[: len(image) // 8 * 8].reshape(-1, 8)
    empty = float((rows == 0).all(axis=1).mean()) if len(rows) else 0.0
    alike = np.bitwise_count(rows[:, 1:] ^ rows[:, :-1]).mean() if len(rows) else 8.0
    return "a picture" if empty > _EMPTY_SHARE or alike < 2.6 else "a program"
