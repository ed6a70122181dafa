"""What survives: power cuts, simulated on the log and below the database, and processes killed at any moment.

`make endure` runs 500 of each (those below the database are in `benchmarks.power`); the tests run a few. A cut keeps what was forced to the disk when an entry was
acknowledged, and of everything written since any part, torn or changed; checkpoints are cut by mixing old and new pages
of the database under the whole log, which is what SQLite guarantees to have there until the pages are safe.
"""

import json
import os
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from loyal_trace.app.store_care import check_store
from loyal_trace.core.job.entries import Note
from loyal_trace.formats.archive import read_archive
from loyal_trace.store.backup import backups_in
from loyal_trace.store.connection import DATABASE
from loyal_trace.store.store import Store

CUTS, KILLS = 500, 500
_PAGE, _FRESH = 4096, 20


@dataclass(frozen=True)
class Tally:
    """How many cuts or kills, how many acknowledged entries were lost, and what else was wrong, in sentences."""

    tried: int
    acknowledged: int
    lost: int
    wrong: tuple[str, ...]


def _note(number: int, size: int) -> Note:
    from datetime import UTC, datetime

    return Note(id=f"n{number}", time=datetime(2026, 1, 1, tzinfo=UTC), text=f"{number} " + "x" * size)


def power_cuts(folder: Path, count: int, seed: int = 1) -> Tally:
    """Cuts the power `count` times while entries are written, and reopens what the disk then holds."""
    rng, store_folder, lost, acknowledged, wrong = random.Random(seed), folder / "store", 0, 0, []
    with Store(store_folder) as store:
        store.create_job("j", "J", "2026", {}, [])
        number = 0
        for cut in range(count):
            before = _files(store_folder)
            for _ in range(rng.randint(1, 4)):
                store.append("j", _note(number, rng.choice((10, 300, 9000))))
                number += 1
            safe = _files(store_folder)
            if rng.random() < 0.2:  # a checkpoint: pages go into the database while the log still has them
                with sqlite3.connect(store_folder / DATABASE) as other:
                    other.execute("PRAGMA wal_checkpoint(PASSIVE)")
                other.close()
                state = {DATABASE: _mixed(rng, safe[DATABASE], _files(store_folder)[DATABASE]), _WAL: safe[_WAL]}
                sure = number
            else:
                store.append("j", _note(number, rng.choice((10, 300, 9000))))  # written, but never acknowledged
                state = {DATABASE: safe[DATABASE], _WAL: _torn(rng, safe[_WAL], _files(store_folder)[_WAL])}
                sure, number = number, number + 1
            acknowledged += sure
            there, said = _reopened(folder / "after", state)
            lost += max(0, sure - there)
            wrong += [f"cut {cut}: {text}" for text in said]
            assert before
    return Tally(count, acknowledged, lost, tuple(wrong))


_WAL = f"{DATABASE}-wal"


def _files(folder: Path) -> dict[str, bytes]:
    return {name: (folder / name).read_bytes() if (folder / name).exists() else b"" for name in (DATABASE, _WAL)}


def _torn(rng: random.Random, safe: bytes, later: bytes) -> bytes:
    """The log as a cut leaves it: what was forced out, and of the rest some part, perhaps with wrong bytes in it."""
    if not later.startswith(safe):
        return safe  # the log began anew in between: what it held is in the database, and safe
    tail = bytearray(later[len(safe) : len(safe) + rng.randint(0, len(later) - len(safe))])
    for _ in range(rng.randint(0, 3) if tail else 0):
        at = rng.randrange(len(tail))
        tail[at : at + 512] = rng.randbytes(len(tail[at : at + 512]))
    return safe + bytes(tail)


def _mixed(rng: random.Random, old: bytes, new: bytes) -> bytes:
    """A database in which only some pages have been written."""
    pages = [new[at : at + _PAGE] if rng.random() < 0.5 else old[at : at + _PAGE] for at in range(0, len(new), _PAGE)]
    return b"".join(page or bytes(_PAGE) for page in pages)


def _reopened(folder: Path, state: dict[str, bytes]) -> tuple[int, list[str]]:
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir()
    for name, data in state.items():
        (folder / name).write_bytes(data)
    try:
        with Store(folder) as store:
            return len(store.entries("j")), [one.what for one in check_store(store)]
    except Exception as error:
        return 0, [f"{type(error).__name__}: {error}"]


_WORK = """
import os, random, sys
from pathlib import Path
from loyal_trace.app.job import import_archive
from loyal_trace.app.store_care import salvage
from loyal_trace.core.job.entries import RomRead
from loyal_trace.formats.archive import read_archive, write_archive
from loyal_trace.store.backup import rotate
from loyal_trace.store.store import Store
from benchmarks.endure import _note
from datetime import UTC, datetime
folder, begin, seed = Path(sys.argv[1]), int(sys.argv[2]), int(sys.argv[3])
rng = random.Random(seed)
with Store(folder / "store") as store:
    if not store.has_job("j"):
        store.create_job("j", "J", "2026", {}, [])
    print("ready", flush=True)
    for number in range(begin, begin + 100000):
        what = rng.randrange(12)
        if what < 7:
            store.append("j", _note(number, rng.choice((10, 5000))))
        elif what < 9:
            sha = store.put_attachment(rng.randbytes(200_000))
            store.append("j", RomRead(id=f"n{number}", time=datetime(2026, 1, 1, tzinfo=UTC), board="b", place="U1", attachment=sha, size=200_000))
        elif what == 9:
            write_archive(store.export("j"), folder / "job.ltjob")
            store.append("j", _note(number, 5))
        elif what == 10:
            rotate(store, folder / "backups", 3, datetime(2026, 1, 1, tzinfo=UTC))
            store.append("j", _note(number, 5))
        else:
            if (folder / "job.ltjob").exists() and rng.random() < 0.3:
                from loyal_trace.app.job import Environment
                import_archive(store, read_archive(folder / "job.ltjob"))
            else:
                import shutil
                shutil.rmtree(folder / "saved", ignore_errors=True)
                salvage(folder / "store", folder / "saved")
            store.append("j", _note(number, 5))
        print(number, flush=True)
"""


def kills(folder: Path, count: int, seed: int = 1) -> Tally:
    """Kills a process at work `count` times, and after each looks at everything it left."""
    rng, done, lost, total, wrong = random.Random(seed), 0, 0, 0, []
    acknowledged: set[str] = set()
    for number in range(count):
        if number % _FRESH == 0:  # a small store shows as much, and is looked over sooner
            total, acknowledged, done = total + len(acknowledged), set(), 0
            place = folder / str(number)
            place.mkdir()
        command = [sys.executable, "-c", _WORK, str(place), str(done), str(rng.randrange(1 << 30))]
        child = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert child.stdout is not None
        child.stdout.readline()
        time.sleep(rng.uniform(0.0, 0.25))
        os.kill(child.pid, signal.SIGKILL)
        said = [int(line) for line in child.stdout.read().split("\n")[:-1] if line.strip().isdecimal()]
        child.wait()
        child.stdout.close()
        acknowledged |= {f"n{one}" for one in said}
        done = max([done, *(one + 1 for one in said)]) + 1
        found, troubles = _left(place)
        lost += len(acknowledged - found)
        wrong += [f"kill {number}: {text}" for text in troubles]
    return Tally(count, total + len(acknowledged), lost, tuple(wrong))


def _left(folder: Path) -> tuple[set[str], list[str]]:
    """The ids of the entries that are there, and everything that is not as it should be."""
    wrong = []
    with Store(folder / "store") as store:
        found = {json.loads(line)["id"] for _, line in store.lines("j")}
        wrong += [f"{one.place}: {one.what}" for one in check_store(store)]
    if (folder / "job.ltjob").exists():
        read_archive(folder / "job.ltjob")
    for backup in backups_in(folder / "backups"):
        with Store(backup, read_only=True) as copy:
            wrong += [f"{backup.name}: {one.what}" for one in check_store(copy)]
    return found, wrong


def told(name: str, tally: Tally) -> Iterator[str]:
    """A line of figures, and what was wrong."""
    yield f"{name}: {tally.tried} times, {tally.acknowledged:,} acknowledged, {tally.lost} lost, {len(tally.wrong)} wrong"
    yield from (f"  {text}" for text in tally.wrong[:10])


def main() -> int:
    """Both, in full; the argument divides the numbers."""
    share = int(sys.argv[1]) if len(sys.argv) > 1 else 1
    from benchmarks.power import can_record, power_cuts_below

    runs = {"power cut": lambda folder: power_cuts(folder, CUTS // share)}
    if can_record():
        runs["power cut below the database"] = lambda folder: power_cuts_below(folder, CUTS // share)
    runs["killed"] = lambda folder: kills(folder, KILLS // share)
    failed = False
    for name, run in runs.items():
        with tempfile.TemporaryDirectory() as folder:
            found = run(Path(folder))
        failed = failed or bool(found.lost or found.wrong)
        for line in told(name, found):
            print(line, flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
