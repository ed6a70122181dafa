"""Keys of an image that survive damage: one for each data line of each aligned block of 256 bytes.

The 256 bits that one line shows over a block are hashed without their line number and without regard to inversion, so
a block is found again when other lines are stuck, tied, exchanged or inverted, and wherever it stands. Lines that
hardly change over a block say nothing and get no key.
"""

import numpy as np
from numpy.typing import NDArray

BLOCK = 256
NO_KEY = np.uint64(0)
_LEAST_ONES = 20
_MASKS = (
    (np.uint64(7), np.uint64(0x00AA00AA00AA00AA)),
    (np.uint64(14), np.uint64(0x0000CCCC0000CCCC)),
    (np.uint64(28), np.uint64(0x00000000F0F0F0F0)),
)
_FACTORS = np.array([0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9, 0xD6E8FEB86659FD93], dtype=np.uint64)


def lane_keys(image: NDArray[np.uint8]) -> NDArray[np.uint64]:
    """Shape (blocks, 8): the key of each line in each whole block; 0 where a line says nothing."""
    blocks = len(image) // BLOCK
    if not blocks:
        return np.zeros((0, 8), dtype=np.uint64)
    words = np.ascontiguousarray(image[: blocks * BLOCK]).view(np.uint64).copy()
    for shift, mask in _MASKS:  # eight bytes become eight lines of eight bits (a bit matrix is turned over)
        swapped = (words ^ (words >> shift)) & mask
        words ^= swapped ^ (swapped << shift)
    lines = words.view(np.uint8).reshape(blocks, BLOCK // 8, 8).transpose(0, 2, 1)
    quarters = np.ascontiguousarray(lines).view(np.uint64)  # (blocks, 8, 4)
    quarters ^= (np.uint64(0) - (quarters[:, :, :1] & np.uint64(1))).astype(np.uint64)  # the first bit always reads 0
    ones = np.bitwise_count(quarters).sum(axis=2, dtype=np.int64)
    keys = ((quarters ^ (quarters >> np.uint64(29))) * _FACTORS).sum(axis=2, dtype=np.uint64)
    keys ^= keys >> np.uint64(32)
    dull = (ones < _LEAST_ONES) | (ones > BLOCK - _LEAST_ONES) | (quarters == quarters[:, :, :1]).all(axis=2)
    keys[dull] = NO_KEY
    return np.asarray(keys, dtype=np.uint64)


def every_phase(image: NDArray[np.uint8]) -> NDArray[np.uint64]:
    """The keys of blocks that begin at any address: for an image that was shifted or has a header."""
    found = [lane_keys(image[phase:]).ravel() for phase in range(min(BLOCK, max(len(image) - BLOCK + 1, 0)))]
    return np.concatenate(found) if found else np.zeros(0, dtype=np.uint64)
