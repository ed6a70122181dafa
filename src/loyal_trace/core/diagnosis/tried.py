"""What a trial that moves no part does to the fault: taken out, lifted, touched, cooled, a good chip held on top.

How often the fault changes with each when the body is at fault, when its place (socket, pins, track) is, and when
neither is. The figures are assumptions of the bench, named in docs/method.md.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.vocabulary.identity import PartRef

NEITHER, PLACE, BODY = 0, 1, 2
# Cause (neither, place, body) → how often the fault changes.
CHANGES: Mapping[str, NDArray[np.float64]] = {
    # Out: a body that holds a line lets go of it; so does a short inside the socket, seldom.
    "out": np.array([0.05, 0.12, 0.50]),
    # One pin lifted: it held the line. A good part that is lifted makes matters worse, not better.
    "lifted": np.array([0.02, 0.15, 0.55]),
    # Pressed, wobbled, tapped: contacts of the place far more often than bond wires; a board that bends moves others.
    "touched": np.array([0.04, 0.70, 0.20]),
    # Cold reaches the neighbours too; a cracked joint opens with heat.
    "heat": np.array([0.04, 0.15, 0.45]),
    # A good chip on top shows an open output and hides a shorted one; a contact between leg and socket stays open.
    "on top": np.array([0.02, 0.08, 0.42]),
}
SORT_OF = {
    "out": "out",
    "lifted": "lifted",
    **dict.fromkeys(("pressed", "wobbled", "tapped", "flexed"), "touched"),
    **dict.fromkeys(("cooled", "warmed", "heated"), "heat"),
    "piggyback": "on top",
}
# With a second fault beside it the change shows half as often.
BESIDE_ANOTHER = 0.5


@dataclass(frozen=True)
class Tried:
    """Parts with which something was tried at once, how (a key of `CHANGES`), whether the fault changed, and when."""

    parts: tuple[PartRef, ...]
    sort: str
    changed: bool
    time: datetime


def chance(sort: str, cause: NDArray[np.intp], another: NDArray[np.bool_]) -> NDArray[np.float64]:
    """How often the fault changes, for each world: the worst cause at the parts tried, and whether another is left."""
    table = CHANGES[sort]
    own = np.where(another, np.maximum(table[cause] * BESIDE_ANOTHER, table[NEITHER]), table[cause])
    return np.asarray(own, dtype=np.float64)
