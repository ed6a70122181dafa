"""What one conclusion about a supply looks like, and the small questions every rule asks of a reading."""

from dataclasses import dataclass

from loyal_trace.core.power.rails import PointVerdict


@dataclass(frozen=True)
class Explanation:
    """One conclusion: the part it names, `bad`, `good` or `doubtful`, the sentence, and whether parts may run hot."""

    part: str
    kind: str
    text: str
    hot: bool = False


def value_of(point: PointVerdict | None) -> float | None:
    """The reading of a point that is a number; None when it was not taken or is OL."""
    return point.reading.value if point is not None and point.reading is not None else None
