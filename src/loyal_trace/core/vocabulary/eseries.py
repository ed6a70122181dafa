"""Preferred values of resistors and capacitors (IEC 60063): which of a series is nearest."""

import math
from collections.abc import Sequence

E6 = (1.0, 1.5, 2.2, 3.3, 4.7, 6.8)
E12 = (1.0, 1.2, 1.5, 1.8, 2.2, 2.7, 3.3, 3.9, 4.7, 5.6, 6.8, 8.2)


def nearest_in(series: Sequence[float], value: float) -> float:
    """The preferred value nearest by ratio to a positive one, in its unit."""
    decade = 10.0 ** math.floor(math.log10(value))
    step = min((*series, 10.0), key=lambda one: abs(math.log(one * decade / value)))
    return float(f"{step * decade:.3g}")
