"""Figures and timing shared by the benchmarks."""

import statistics
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass


@dataclass(frozen=True)
class Figure:
    """One measured figure with its limit. `at_most` False means that more is better."""

    name: str
    value: float
    limit: float
    unit: str = "×"
    at_most: bool = True
    detail: str = ""

    @property
    def within(self) -> bool:
        return self.value <= self.limit if self.at_most else self.value >= self.limit

    @property
    def limit_words(self) -> str:
        return f"{'≤' if self.at_most else '≥'} {self.limit:g} {'ok' if self.within else 'NO'}"

    def as_dict(self) -> dict[str, object]:
        return {**asdict(self), "within": self.within}


def best_of(times: int, act: Callable[[], object]) -> float:
    """The shortest of several runs, in seconds."""
    return min(timed(act) for _ in range(times))


def median_of(times: int, act: Callable[[], object]) -> float:
    """The median of several runs, in seconds."""
    return statistics.median(timed(act) for _ in range(times))


def timed(act: Callable[[], object]) -> float:
    """Seconds that one run takes."""
    start = time.perf_counter()
    act()
    return time.perf_counter() - start
