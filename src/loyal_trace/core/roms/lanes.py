"""The data and address lines of an image by themselves: which never change, are always alike, or have no effect."""

from collections.abc import Sequence
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.roms.maps import Bytes

Lane = NDArray[np.bool_]
# The smallest PROM of four outputs.
_FEWEST_WORDS = 256
_TEXT_SHARE, _TEXT_LINE = 0.95, 5


def data_bits(image: Bytes) -> int:
    """The width of the words of an image: 4 for a PROM whose upper halves all read 0, or all F; otherwise 8.

    Four lines do not get stuck at one level together: upper halves that never change over lower ones that do are the
    four outputs that such a PROM does not have, whatever size the reader made of it.
    """
    if len(image) < _FEWEST_WORDS:
        return 8
    upper, lower = image >> 4, image & 15
    narrow = bool((upper == upper[0]).all()) and int(upper[0]) in (0, 15) and bool((lower != lower[0]).any())
    return 4 if narrow else 8


def lanes_of(image: Bytes) -> list[Lane]:
    """Each data line over all addresses, D0 first."""
    return [(image >> line & 1).astype(bool) for line in range(data_bits(image))]


def steady_lines(lanes: Sequence[Lane]) -> dict[int, int]:
    """Lines that never change, with their level."""
    return {line: int(lane[0]) for line, lane in enumerate(lanes) if lane.all() or not lane.any()}


def tied_pairs(lanes: Sequence[Lane]) -> list[tuple[int, int]]:
    """Pairs of lines that change and are always equal."""
    steady = steady_lines(lanes)
    moving = [line for line in range(len(lanes)) if line not in steady]
    return [(a, b) for a, b in combinations(moving, 2) if np.array_equal(lanes[a], lanes[b])]


def kept_steady_by_text(image: Bytes, line: int) -> bool:
    """Text keeps its upper bits steady by nature: in plain text a steady D5, D6 or D7 explains nothing."""
    printable = np.count_nonzero((image >= 0x20) & (image < 0x7F) | (image == 10) | (image == 13)) / len(image)
    return bool(line >= _TEXT_LINE and printable > _TEXT_SHARE)


def without_effect(image: Bytes, line: int) -> bool:
    """Is every byte equal to the one across an address line?"""
    half = image.reshape(-1, 2, 1 << line)
    return bool(np.array_equal(half[:, 0], half[:, 1]))
