"""500 made-up logic boards, one or two hidden faults: how soon advice finds them, and what a percentage is worth.

The reliability table of docs/method.md is written by this run.
"""

import math
import os
import statistics
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from tests.helpers.builders import chip_library
from tests.helpers.logic_boards import logic_board

from benchmarks.measure import Figure

_BOARDS, _MEASUREMENTS = 250, 15
_METHOD = Path("docs/method.md")
_BEGIN, _END = "<!-- reliability, written by make bench -->", "<!-- end of reliability -->"
# Of 2,000 draws of boards, the middle 99.5 %.
_DRAWS, _OUTSIDE = 2000, 0.25
_LEAST_IN_ROW = 8


@dataclass(frozen=True)
class Found:
    """One board after the measurements: (probability, guilty) of each part from the likeliest down, and when it led."""

    ranking: tuple[tuple[float, bool], ...]
    first_at: int

    @property
    def first(self) -> bool:
        return self.ranking[0][1]

    def among(self, count: int) -> int:
        """How many guilty parts are among the likeliest ones."""
        return sum(guilty for _, guilty in self.ranking[:count])


def run() -> list[Figure]:
    """The advice is followed for 15 measurements; 2 % of pins and of looks at signals are mistaken."""
    jobs = [(faults, looks, seed) for faults, looks in ((1, True), (2, True), (1, False)) for seed in range(_BOARDS)]
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        found = list(pool.map(_searched, jobs, chunksize=10))
    one, two, probe = (found[n * _BOARDS : (n + 1) * _BOARDS] for n in range(3))
    _write_table([*one, *two])
    about = f"{_BOARDS} boards of 40 chips"
    return [
        Figure("one fault: first", _share(f.first for f in one), 0.80, "", False, about),
        Figure("one fault: among three", _share(f.among(3) > 0 for f in one), 0.95, "", False, about),
        Figure(
            "one fault: measurements until first", statistics.median(f.first_at for f in one), 9, "", True, "median"
        ),
        Figure("two faults: one first", _share(f.first for f in two), 0.80, "", False, about),
        Figure("two faults: both among five", _share(f.among(5) == 2 for f in two), 0.65, "", False, about),
        Figure("by probe alone: among three", _share(f.among(3) > 0 for f in probe), 0.75, "", False, about),
    ]


def _share(held) -> float:
    values = [bool(one) for one in held]
    return sum(values) / len(values)


def _searched(job: tuple[int, bool, int]) -> Found:
    faults, looks, seed = job
    # Weights were looked at on boards below 2,000.
    board = logic_board(10_000 * faults + seed, chip_library(), faults=faults)
    board.complain()
    first_at = 0
    for count in range(1, _MEASUREMENTS + 1):
        if not board.follow(looks):
            break
        if not first_at and board.ranking()[0][0] in board.guilty:
            first_at = count
    ranking = tuple((probability, refdes in board.guilty) for refdes, probability in board.ranking())
    return Found(ranking, first_at or _MEASUREMENTS + 1)


def reliability(boards: Sequence[Found]) -> list[tuple[str, int, float, float, float, float]]:
    """(tenth, parts, mean stated, share guilty, bounds of that share), bounds by drawing whole boards again."""
    dice = np.random.default_rng(5)
    draws = dice.integers(0, len(boards), (_DRAWS, len(boards)))
    rows = []
    for tenth in range(10):
        inside = [[(p, g) for p, g in board.ranking if min(int(p * 10), 9) == tenth] for board in boards]
        parts = np.array([len(one) for one in inside])
        guilty = np.array([sum(g for _, g in one) for one in inside])
        stated = sum(p for one in inside for p, _ in one)
        if parts.sum() < _LEAST_IN_ROW:
            continue
        drawn = guilty[draws].sum(axis=1) / np.maximum(1, parts[draws].sum(axis=1))
        low, high = np.percentile(drawn, (_OUTSIDE, 100 - _OUTSIDE))
        name = f"{tenth * 10}–{tenth * 10 + 10} %"
        rows.append((name, int(parts.sum()), stated / parts.sum(), guilty.sum() / parts.sum(), float(low), float(high)))
    return rows


def _write_table(boards: Sequence[Found]) -> None:
    lines = ["| stated | parts | mean stated | guilty | 99.5 % interval |", "|---|---|---|---|---|"]
    for name, parts, stated, share, low, high in reliability(boards):
        lines.append(f"| {name} | {parts} | {stated:.1%} | {share:.1%} | {low:.1%} to {high:.1%} |")
    every = [(min(max(p, 1e-3), 1 - 1e-3), guilty) for board in boards for p, guilty in board.ranking]
    score = -sum(math.log2(p if guilty else 1 - p) for p, guilty in every) / len(boards)
    lines += ["", f"Log score: {score:.2f} bit a board ({len(boards)} boards of 40 chips, one or two faults)."]
    text = _METHOD.read_text()
    before, rest = text.split(_BEGIN)
    _METHOD.write_text(f"{before}{_BEGIN}\n\n" + "\n".join(lines) + f"\n\n{_END}{rest.split(_END)[1]}")
