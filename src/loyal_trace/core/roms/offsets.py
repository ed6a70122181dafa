"""Where in a file the contents begin, found although lines of them read wrong: by correlation of each data line.

A header, lost bytes at an end or a count that began elsewhere move all eight lines alike. What one line shows of its
own line of the reference peaks at that offset; a stuck, exchanged or floating line takes its share away and leaves the
others theirs, an inverted one only turns the sign. All offsets at once by the fast Fourier transform.
"""

import numpy as np
from numpy.typing import NDArray

Bytes = NDArray[np.uint8]
# From their beginnings: 0.2 s, and what is moved by more than this is not found.
_LOOKED_AT = 1 << 17
# How far the sum of the lines must stand above what offsets give by chance, in their standard deviations.
_STANDS_OUT = 8.0
_MOST = 2


def likely_offsets(data: Bytes, reference: Bytes) -> list[int]:
    """Places in the file (negative: before it) of the first byte of the reference, as far as they stand out; likeliest
    first. There are two alike where an address line is at fault, half the bytes fitting at each."""
    data, reference = data[:_LOOKED_AT], reference[:_LOOKED_AT]
    if not len(data) or not len(reference):
        return []
    size = 1 << (len(data) + len(reference) - 1).bit_length()
    summed = np.zeros(size, dtype=np.float32)
    for line in range(8):
        ours, theirs = (_balanced(image, line) for image in (data, reference))
        spectrum = np.fft.rfft(ours, size) * np.fft.rfft(theirs, size).conj()
        summed += np.abs(np.fft.irfft(spectrum, size))
    enough = summed.mean() + _STANDS_OUT * summed.std()
    first = [int(n) for n in np.argsort(-summed, kind="stable")[:_MOST] if summed[n] >= enough]
    return [place if place < len(data) else place - size for place in first]


def _balanced(image: Bytes, line: int) -> NDArray[np.float32]:
    """A line's levels about their mean: what is high or low throughout tells nothing."""
    levels = (image >> line & 1).astype(np.float32)  # transformed in single precision, which tells enough
    return np.asarray(levels - levels.mean())
