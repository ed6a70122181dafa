"""Computed pictures as PNG files."""

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image

_GAP = 8


def png_of(*pictures: NDArray[np.uint8]) -> bytes:
    """Pictures of one height (lines × pixels × 3) side by side, grey between them."""
    gap = np.full((pictures[0].shape[0], _GAP, 3), 128, dtype=np.uint8)
    row = [pictures[0]]
    for picture in pictures[1:]:
        row += [gap, picture]
    buffer = io.BytesIO()
    Image.fromarray(np.concatenate(row, axis=1)).save(buffer, format="PNG")
    return buffer.getvalue()
