"""Which test runs which line of the core: the tests are run once under coverage, each under its own name.

A change in the core is then tried against the tests that run its line, quickest first, and against no others.
"""

import ast
import json
import os
import subprocess
import sys
import tempfile
import time
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
CORE = ROOT / "src" / "loyal_trace" / "core"
# What stands on the core notices much that the core's own tests do not: lines, walks, command line, reports.
FOLDERS = ("core", "app", "cli", "demo", "walks", "report", "ledgers")
_KEPT = ROOT / "build" / "test-map.json"


class Plugin:
    """Tells coverage which test runs, and how long each took."""

    def __init__(self, coverage: Any) -> None:
        self.coverage = coverage
        self.seconds: dict[str, float] = defaultdict(float)

    def pytest_runtest_logstart(self, nodeid: str, location: object) -> None:
        self.coverage.switch_context(nodeid)
        self._began = time.perf_counter()

    def pytest_runtest_logfinish(self, nodeid: str, location: object) -> None:
        self.seconds[nodeid] += time.perf_counter() - self._began
        self.coverage.switch_context("")


@dataclass(frozen=True)
class TestMap:
    """(file, line) → the tests that run it; how many seconds each takes."""

    lines: dict[str, dict[int, list[str]]] = field(default_factory=dict)
    seconds: dict[str, float] = field(default_factory=dict)

    def tests_at(self, file: Path, line: int) -> list[str]:
        """The tests that run a line, quickest first; of one that loading the module runs, all of the module.

        Such a line belongs to whichever test loaded the module first, and to all that use what it defines.
        """
        of_file = self.lines.get(str(file.relative_to(ROOT)), {})
        inside = of_file.get(line) if line in _inside_functions(file) else None
        found = set(inside or (test for tests in of_file.values() for test in tests))
        return sorted(found, key=lambda test: (self.seconds.get(test, 0.0), test))


@cache
def _inside_functions(file: Path) -> frozenset[int]:
    """The lines of a file that run when a function is called, not when the module is loaded."""
    found = set[int]()
    for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            found.update(range(node.body[0].lineno, (node.end_lineno or node.lineno) + 1))
    return frozenset(found)


def _run(folder: str, out: Path) -> None:
    """One folder's tests under coverage, in a process of its own."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}"}
    if folder == "core":
        environment["LOYAL_TRACE_BLOCK_QT"] = "1"
    subprocess.run(
        [sys.executable, "-m", "benchmarks.test_map", folder, str(out)], cwd=ROOT, env=environment, check=True
    )


def options_for(folder: str) -> list[str]:
    """How the tests of a folder are run: those of the core with their own settings."""
    if folder != "core":
        return ["-q", f"--rootdir={ROOT}"]
    return ["-q", "-c", "tests/core_alone.ini", f"--rootdir={ROOT}", "--confcutdir=.", "-p", "no:pytest-qt"]


def record(folder: str, out: Path) -> int:
    """Runs the tests of a folder and writes what each ran; the exit status of the tests."""
    import coverage
    import pytest

    watch = coverage.Coverage(data_file=None, source=[str(CORE)], branch=False)
    plugin = Plugin(watch)
    watch.start()
    status = int(pytest.main([*options_for(folder), f"tests/{folder}"], plugins=[plugin]))
    watch.stop()
    out.write_text(json.dumps({"lines": _lines(watch.get_data()), "seconds": dict(plugin.seconds)}))
    return status


def _lines(data: Any) -> dict[str, dict[int, list[str]]]:
    found = {}
    for file in data.measured_files():
        by_line = {line: [one for one in tests if one] for line, tests in data.contexts_by_lineno(file).items()}
        found[str(Path(file).relative_to(ROOT))] = {line: tests for line, tests in by_line.items() if tests}
    return found


def made() -> TestMap:
    """Runs all tests and keeps the map beside what is built."""
    lines: dict[str, dict[int, list[str]]] = defaultdict(lambda: defaultdict(list))
    seconds: dict[str, float] = {}
    with tempfile.TemporaryDirectory() as name:
        for folder in FOLDERS:
            out = Path(name) / f"{folder}.json"
            _run(folder, out)
            told = json.loads(out.read_text())
            seconds |= told["seconds"]
            for file, line, tests in _each(told["lines"]):
                lines[file][line] += tests
    found = TestMap({file: dict(by_line) for file, by_line in lines.items()}, seconds)
    _KEPT.parent.mkdir(exist_ok=True)
    _KEPT.write_text(json.dumps({"lines": found.lines, "seconds": found.seconds}))
    return found


def kept() -> TestMap | None:
    """The map of an earlier run."""
    if not _KEPT.exists():
        return None
    told = json.loads(_KEPT.read_text())
    lines: dict[str, dict[int, list[str]]] = defaultdict(dict)
    for file, line, tests in _each(told["lines"]):
        lines[file][line] = tests
    return TestMap(dict(lines), told["seconds"])


def _each(told: dict[str, dict[str, list[str]]]) -> Iterator[tuple[str, int, list[str]]]:
    return ((file, int(line), tests) for file, by_line in told.items() for line, tests in by_line.items())


if __name__ == "__main__":
    sys.exit(record(sys.argv[1], Path(sys.argv[2])))
