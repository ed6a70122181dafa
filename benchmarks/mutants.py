"""`make mutants`: does a test notice when a comparison, a constant, a sign or a return in the core is changed?

A seeded sample of such changes is made, one at a time and in memory only; each is run against the tests that run its
line (`benchmarks.test_map`): those of the core, then those of what stands on it (application, command line, demo,
walks, report), quickest first. What no test noticed is listed; what was read before and shown to change nothing is left
out (`benchmarks/equivalent.toml`).

The known libraries leave out what survived most often by hand: module-level constants and decorated functions, or
they rewrite the files in place and know only one test command for all. The places come from Python's own parser.
"""

import argparse
import ast
import importlib.abc
import importlib.machinery
import io
import multiprocessing
import os
import random
import re
import sys
import time
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from types import CodeType

from benchmarks import equivalent
from benchmarks.equivalent import Key
from benchmarks.test_map import CORE, ROOT, TestMap, kept, made, options_for

WANTED_SHARE = 0.9
# Of very many tests that run a line, those that fit into this: the quickest, and some of the others.
_MOST_SECONDS = 90.0
KINDS = ("comparison", "constant", "sign", "return")

# Each comparison at its bound, and turned round.
_COMPARISONS: dict[type[ast.cmpop], tuple[str, ...]] = {
    ast.Lt: ("<=", ">="),
    ast.LtE: ("<", ">"),
    ast.Gt: (">=", "<="),
    ast.GtE: (">", "<"),
    ast.Eq: ("!=",),
    ast.NotEq: ("==",),
    ast.In: ("not in",),
    ast.NotIn: ("in",),
    ast.Is: ("is not",),
    ast.IsNot: ("is",),
}
_SIGNS: dict[type[ast.operator], tuple[str, str]] = {
    ast.Add: ("+", "-"),
    ast.Sub: ("-", "+"),
    ast.Mult: ("*", "/"),
    ast.Div: ("/", "*"),
}


# Arguments that decide nothing a test could see: how classes are made, how much is remembered.
_NO_DECISION = ("frozen", "eq", "repr", "compare", "maxsize", "strict", "default_factory")


@dataclass(frozen=True)
class Change:
    """One change: the file and its text, from where to where (characters), and what stands there instead."""

    file: Path
    source: str = field(repr=False)
    kind: str
    start: int
    end: int
    new: str
    line: int

    @property
    def applied(self) -> str:
        """The whole text with the change made."""
        return self.source[: self.start] + self.new + self.source[self.end :]

    @property
    def key(self) -> Key:
        """What the change is called in the list of those that change nothing."""
        before, after = (text.splitlines()[self.line - 1].strip() for text in (self.source, self.applied))
        return self.file.relative_to(CORE).as_posix(), _function_at(self.source, self.line), before, after

    def words(self) -> str:
        """Where it is, and the line before and after."""
        *_, before, after = self.key
        return f"{self.file.relative_to(ROOT)}:{self.line}: {self.kind}\n    - {before}\n    + {after}"


def _function_at(source: str, line: int) -> str:
    """The innermost function that a line stands in; empty for none."""
    around = [
        (node.lineno, node.name)
        for node in ast.walk(ast.parse(source))
        if isinstance(node, ast.FunctionDef) and node.lineno <= line <= (node.end_lineno or node.lineno)
    ]
    return max(around, default=(0, ""))[1]


class _Places(ast.NodeVisitor):
    """Collects the possible changes of one file."""

    def __init__(self, file: Path, source: str) -> None:
        self.file, self.source, self.found = file, source, list[Change]()
        starts = [0]
        for line in source.splitlines(keepends=True):
            starts.append(starts[-1] + len(line))
        self._starts, self._lines = starts, source.splitlines()

    def _at(self, line: int, column: int) -> int:
        # The parser counts columns in bytes; the text has °, Ω and dashes.
        return self._starts[line - 1] + len(self._lines[line - 1].encode()[:column].decode())

    def _start(self, node: ast.expr) -> int:
        return self._at(node.lineno, node.col_offset)

    def _end(self, node: ast.expr) -> int:
        return self._at(node.end_lineno or node.lineno, node.end_col_offset or 0)

    def _add(self, kind: str, start: int, end: int, new: str, line: int) -> None:
        self.found.append(Change(self.file, self.source, kind, start, end, new, line))

    def _between(self, left: ast.expr, right: ast.expr, pattern: str, kind: str, new: str) -> None:
        start = self._end(left)
        gap = re.search(pattern, self.source[start : self._start(right)])
        if gap:
            line = self.source.count("\n", 0, start + gap.start()) + 1
            self._add(kind, start + gap.start(), start + gap.end(), new, line)

    def visit_Compare(self, node: ast.Compare) -> None:
        for left, op, right in zip([node.left, *node.comparators], node.ops, node.comparators, strict=False):
            for new in _COMPARISONS[type(op)]:
                self._between(left, right, r"[<>=!]=?|is not|is|not in|in", "comparison", new)
        self.generic_visit(node)

    def visit_BinOp(self, node: ast.BinOp) -> None:
        if type(node.op) in _SIGNS:
            old, new = _SIGNS[type(node.op)]
            self._between(node.left, node.right, re.escape(old), "sign", new)
        self.generic_visit(node)

    def visit_UnaryOp(self, node: ast.UnaryOp) -> None:
        start = self._start(node)
        if isinstance(node.op, ast.USub):
            self._add("sign", start, start + len("-"), "", node.lineno)
        if isinstance(node.op, ast.Not):
            self._add("comparison", start, start + len("not "), "", node.lineno)
        self.generic_visit(node)

    def visit_Constant(self, node: ast.Constant) -> None:
        for new in _other_values(node.value):
            self._add("constant", self._start(node), self._end(node), repr(new), node.lineno)

    def visit_Return(self, node: ast.Return) -> None:
        if node.value is not None and not (isinstance(node.value, ast.Constant) and node.value.value is None):
            self._add("return", self._start(node.value), self._end(node.value), "None", node.lineno)
        self.generic_visit(node)

    def visit_keyword(self, node: ast.keyword) -> None:
        if node.arg not in _NO_DECISION:
            self.generic_visit(node)

    def visit_JoinedStr(self, node: ast.JoinedStr) -> None:
        """Words for people are no decisions, and their columns are not known."""

    def visit_AnnAssign(self, node: ast.AnnAssign) -> None:
        if node.value is not None:
            self.visit(node.value)


def _other_values(value: object) -> tuple[object, ...]:
    """What a number or a yes may be changed into; nothing for words."""
    if isinstance(value, bool):
        return (not value,)
    if isinstance(value, int):
        return (value + 1, value - 1) if value > 0 else (value + 1,)
    if isinstance(value, float):
        return (value * 1.5, value * 0.5) if value else (1.0,)
    return ()


def changes_of(file: Path) -> list[Change]:
    """All changes that can be made in a file of the core."""
    source = file.read_text(encoding="utf-8")
    places = _Places(file, source)
    places.visit(ast.parse(source))
    return places.found


def sample(count: int, seed: int, only: str = "") -> list[Change]:
    """As many changes of each kind as of the others, drawn from the whole core or from paths that contain `only`."""
    files = sorted(f for f in CORE.rglob("*.py") if only in str(f.relative_to(CORE)))
    every = [change for file in files for change in changes_of(file)]
    draw = random.Random(seed)
    chosen: list[Change] = []
    for n, kind in enumerate(KINDS):
        pool = [change for change in every if change.kind == kind]
        share = count // len(KINDS) + (n < count % len(KINDS))
        chosen += draw.sample(pool, min(share, len(pool)))
    return chosen


def tests_of(change: Change, known: TestMap) -> list[str]:
    """The tests that run the changed line, the core's own first, as far as there is time for them."""
    found = known.tests_at(change.file, change.line)
    chosen, left = list[str](), _MOST_SECONDS
    for test in sorted(found, key=lambda one: not one.startswith("tests/core/")):
        if known.seconds.get(test, 0.0) <= left:
            chosen.append(test)
            left -= known.seconds.get(test, 0.0)
    return chosen


class _Changed(importlib.abc.MetaPathFinder):
    """Finds one module of the core with a change in it; nothing is written to disk."""

    def __init__(self, change: Change) -> None:
        parts = change.file.relative_to(ROOT / "src").with_suffix("").parts
        self.name = ".".join(parts[:-1] if parts[-1] == "__init__" else parts)
        self.change = change

    def find_spec(
        self, fullname: str, path: Sequence[str] | None, target: object = None
    ) -> importlib.machinery.ModuleSpec | None:
        if fullname != self.name:
            return None
        loader = _ChangedLoader(fullname, str(self.change.file), self.change)
        return importlib.machinery.ModuleSpec(
            fullname, loader, origin=str(self.change.file), is_package=self.change.file.stem == "__init__"
        )


class _ChangedLoader(importlib.machinery.SourceFileLoader):
    def __init__(self, fullname: str, path: str, change: Change) -> None:
        super().__init__(fullname, path)
        self._change = change

    def get_code(self, fullname: str) -> CodeType:
        return compile(self._change.applied, self.path, "exec")


def _run(change: Change, tests: Sequence[str], folder: str) -> bool:
    """Whether the tests pass with the change made. Runs in a child of its own, which ends afterwards."""
    import pytest

    sys.meta_path.insert(0, _Changed(change))
    with redirect_stdout(io.StringIO()), redirect_stderr(io.StringIO()):
        return pytest.main(["-x", "--no-header", *options_for(folder), *tests]) == 0


def _child(change: Change, tests: Sequence[str], folder: str) -> None:
    if folder == "core":
        os.environ["LOYAL_TRACE_BLOCK_QT"] = "1"
    os._exit(0 if _run(change, tests, folder) else 1)


def survives(change: Change, known: TestMap, limit: float) -> bool:
    """Whether no test notices the change; one that makes the tests hang is noticed."""
    tests = tests_of(change, known)
    own = [test for test in tests if test.startswith("tests/core/")]
    above = [test for test in tests if test not in own]
    return _unnoticed(change, own, "core", limit) and _unnoticed(change, above, "above", limit)


def _unnoticed(change: Change, tests: Sequence[str], folder: str, limit: float) -> bool:
    if not tests:
        return True
    child = multiprocessing.get_context("fork").Process(target=_child, args=(change, tests, folder))
    child.start()
    child.join(limit)
    if child.is_alive():
        child.kill()
        child.join()
        return False
    return child.exitcode == 0


def _warm() -> None:
    """What every child needs and no change touches is loaded once, before the children are made."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    os.environ["OMP_NUM_THREADS"] = os.environ["OPENBLAS_NUM_THREADS"] = "1"
    os.chdir(ROOT)
    sys.dont_write_bytecode = True
    for name in ("numpy", "scipy.optimize", "scipy.sparse", "pydantic", "pytest"):
        importlib.import_module(name)


def _results(chosen: Sequence[Change], known: TestMap, jobs: int, limit: float) -> Iterator[tuple[Change, bool]]:
    context = multiprocessing.get_context("fork")
    with ProcessPoolExecutor(jobs, mp_context=context, initializer=_warm) as pool:
        yield from zip(chosen, pool.map(partial(survives, known=known, limit=limit), chosen), strict=True)


def main() -> int:
    """Prints the survivors and the share that was caught; 1 when it is below the wanted share."""
    parser = argparse.ArgumentParser(description="Changes the core and looks whether its tests notice.")
    parser.add_argument("--count", type=int, default=200)
    parser.add_argument("--seed", type=int, default=9)
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 1)
    parser.add_argument("--limit", type=float, default=300.0, help="seconds until a change that hangs counts as caught")
    parser.add_argument("--again", action="store_true", help="use the map of an earlier run, of the same tests")
    parser.add_argument("--only", default="", help="only files of the core whose path contains this")
    options = parser.parse_args()
    began, survivors = time.monotonic(), list[Change]()
    known = (kept() if options.again else None) or made()
    drawn, nothing = sample(options.count, options.seed, options.only), equivalent.read()
    chosen = [change for change in drawn if change.key not in nothing]
    for number, (change, survived) in enumerate(_results(chosen, known, options.jobs, options.limit), 1):
        if survived:
            survivors.append(change)
            print(change.words(), flush=True)
        if number % 20 == 0:
            print(f"{number} of {len(chosen)} run, {number - len(survivors)} caught", flush=True)
    caught = len(chosen) - len(survivors)
    minutes = (time.monotonic() - began) / 60
    share = f"{caught} of {len(chosen)} changes caught ({caught / len(chosen):.0%})"
    print(f"seed {options.seed}: {share}, {minutes:.1f} min")
    print(f"left out: {len(drawn) - len(chosen)} that change nothing (benchmarks/equivalent.toml says why)")
    return 0 if caught >= WANTED_SHARE * len(chosen) else 1


if __name__ == "__main__":
    sys.exit(main())
