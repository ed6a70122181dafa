"""Appending an entry against a bare SQLite insert of the same durability; folding against json.loads."""

import json
import sqlite3
import tempfile
from datetime import UTC, datetime, timedelta
from pathlib import Path

from benchmarks.measure import Figure, best_of, median_of
from loyal_trace.core.job.entries import AnyEntry, Measured, Observed, PinsProbed, PinState, read_entry, write_entry
from loyal_trace.core.job.fold import fold
from loyal_trace.store.store import Store

_START = datetime(2026, 1, 1, tzinfo=UTC)
_APPENDS = 200
_ENTRIES = 20_000


def entry_number(n: int) -> AnyEntry:
    """The n-th of many made-up entries."""
    common = {"id": f"e{n:015}", "time": _START + timedelta(seconds=n), "author": "bench", "board": "tw-cpu"}
    place = f"{n % 7 + 1}{'ABCDEFGH'[n % 8]}"
    if n % 3 == 0:
        return PinsProbed(**common, place=place, pins=(PinState(pin=n % 14 + 1, state="P"),))
    if n % 3 == 1:
        return Measured(**common, place=place, quantity="voltage", value=n / 1000)
    return Observed(**common, place=place, finding="looks good")


def _bare_inserts(path: Path, lines: list[str]) -> None:
    connection = sqlite3.connect(path)
    connection.execute("PRAGMA journal_mode=WAL")
    connection.execute("PRAGMA synchronous=FULL")
    connection.execute("CREATE TABLE IF NOT EXISTS entries (seq INTEGER PRIMARY KEY, job TEXT, id TEXT, body TEXT)")
    connection.commit()
    for n, line in enumerate(lines):
        connection.execute("INSERT INTO entries (job, id, body) VALUES (?, ?, ?)", ("j", f"e{n}", line))
        connection.commit()
    connection.close()


def _append() -> Figure:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        entries = [entry_number(n) for n in range(_APPENDS * 8)]
        lines = [write_entry(e) for e in entries[:_APPENDS]]
        bare = median_of(5, lambda: _bare_inserts(folder / "bare.sqlite3", lines)) / _APPENDS
        with Store(folder / "store") as store:
            store.create_job("j", "bench", "2026", {})
            batches = iter([entries[i : i + _APPENDS] for i in range(0, len(entries), _APPENDS)])

            def append_batch() -> None:
                for entry in next(batches):
                    store.append("j", entry)

            ours = median_of(5, append_batch) / _APPENDS
    detail = f"{ours * 1e6:.0f} µs against {bare * 1e6:.0f} µs"
    return Figure("append of one entry, durable", ours / bare, 2, detail=detail)


def _folding() -> list[Figure]:
    lines = [write_entry(entry_number(n)) for n in range(_ENTRIES)]
    loads = best_of(5, lambda: [json.loads(line) for line in lines])
    parsed = [read_entry(line) for line in lines]
    folding = best_of(5, lambda: fold(parsed))
    both = best_of(5, lambda: fold(read_entry(line) for line in lines))
    alone = f"{loads * 1e3:.0f} ms"
    return [
        Figure("fold of 20,000 entries", folding / loads, 6, detail=f"{folding * 1e3:.0f} ms against {alone}"),
        Figure("reading and folding 20,000 lines", both / loads, 6, detail=f"{both * 1e3:.0f} ms against {alone}"),
    ]


def run() -> list[Figure]:
    """All logbook figures."""
    return [_append(), *_folding()]
