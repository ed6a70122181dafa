"""The wall around the core, read from its source."""

import ast
from pathlib import Path

import loyal_trace.core

CORE = Path(loyal_trace.core.__file__).parent
FORBIDDEN_CALLS = {"open", "input", "print", "exec"}


def test_the_core_opens_no_file_and_reads_no_clock():
    found = []
    for path in CORE.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in FORBIDDEN_CALLS:
                found.append(f"{path.name}: {node.func.id}()")
            call = node.func if isinstance(node, ast.Call) else None
            if isinstance(call, ast.Attribute) and call.attr in ("now", "utcnow", "today", "default_rng"):
                found.append(f"{path.name}: .{call.attr}")
    # A loop of signals runs as a function written for it, which has `zip` and nothing else of the language's own.
    assert [f for f in found if f not in ("bench.py: .default_rng", "loops.py: exec()")] == []
    assert '{"__builtins__": {"zip": zip}}' in (CORE / "simulation" / "loops.py").read_text()


def test_the_bench_draws_noise_only_from_the_seed_it_is_given():
    source = (CORE / "simulation" / "bench.py").read_text()
    assert source.count("default_rng(seed)") == source.count("default_rng") == 1
