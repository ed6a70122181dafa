"""All benchmarks in one run: each figure is a ratio to a named yardstick measured here and now, with its limit.

`python -m benchmarks.run` prints a table and writes bench.json; the exit code is 1 when a limit is broken.
"""

import json
import sys
from collections.abc import Callable
from pathlib import Path

from benchmarks import (
    chip_verdicts,
    dictionary,
    forensics,
    keystroke,
    logbook,
    logic_faults,
    long_job,
    planning,
    records,
    repairs,
    roms,
    startup,
)
from benchmarks.measure import Figure

_BENCHMARKS: tuple[Callable[[], list[Figure]], ...] = (
    startup.run,
    roms.run,
    forensics.run,
    logbook.run,
    keystroke.run,
    long_job.run,
    planning.run,
    records.run,
    repairs.run,
    chip_verdicts.run,
    dictionary.run,
    logic_faults.run,
)


def main() -> int:
    """Runs everything and prints it."""
    figures = [figure for benchmark in _BENCHMARKS for figure in benchmark()]
    width = max(len(f.name) for f in figures)
    for figure in figures:
        print(f"{figure.name:{width}}  {figure.value:9.3f} {figure.unit:3}  {figure.limit_words:12}  {figure.detail}")
    document = {"figures": [f.as_dict() for f in figures], "all_within": all(f.within for f in figures)}
    Path("bench.json").write_text(json.dumps(document, indent=2) + "\n")
    print("all within their limits" if document["all_within"] else "some figures are outside their limits")
    return 0 if document["all_within"] else 1


if __name__ == "__main__":
    sys.exit(main())
