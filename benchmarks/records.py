"""Records at their limits: very long jobs, very many jobs, more photographs than fit into memory, awkward files.

Each is done by a process of its own, so that its peak of memory is its own. Figures are seconds and MiB as the limits
are; nothing here is a ratio.
"""

import json
import subprocess
import sys
import tempfile
import time
from datetime import UTC, datetime
from pathlib import Path

import numpy as np

from benchmarks.logbook import entry_number
from benchmarks.long_job import long_store
from benchmarks.measure import Figure, timed
from loyal_trace.core.job.entries import Note, Opened, Photographed
from loyal_trace.demo.common import board_files_of
from loyal_trace.store.store import Store

_LONG, _JOBS, _OF_EACH = 200_000, 2_000, 500
_PHOTOS, _PHOTO_BYTES, _PICTURES = 52, 10 << 20, 60
_NOTES = 1_000  # notes that, with sixty photographs, make fifty pages
_BEGUN = datetime(2025, 1, 1, tzinfo=UTC)

# What a child does before it prints what it measured, with its own peak of memory.
_CHILD = """
import json, sys
from benchmarks import records
print(json.dumps({**getattr(records, sys.argv[1])(*sys.argv[2:]), "peak": records.peak()}))
"""


def peak() -> float:
    """The most memory this process has held (MiB); what its parent held before it began does not count."""
    status = Path("/proc/self/status").read_text(encoding="ascii")
    return next(int(line.split()[1]) for line in status.splitlines() if line.startswith("VmHWM")) / 1024


def _of_child(what: str, *arguments: object) -> dict[str, float]:
    command = [sys.executable, "-c", _CHILD, what, *map(str, arguments)]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    found: dict[str, float] = json.loads(done.stdout.splitlines()[-1])
    return found


def _opened(job: str) -> Opened:
    return Opened(id="o", time=_BEGUN, title=f"Job {job}", boards=("tw-cpu",))


def long_job_in_the_window(folder: str) -> dict[str, float]:
    """A reading and an undo with the logbook open (ms, the median of nine), every page seen, and the job left."""
    from PyQt6.QtWidgets import QApplication

    from benchmarks.long_job import at_work
    from loyal_trace.core.vocabulary.stages import Stage
    from loyal_trace.ui.run import make_application
    from loyal_trace.ui.window_options import WindowOptions

    _app, ours = make_application(WindowOptions(store=Path(folder)))  # without the first the second is gone
    readings, undos = at_work(ours)
    for stage in Stage:
        assert ours.wiring is not None
        ours.wiring.show_stage(stage)
        QApplication.processEvents()
    ours.shell.close()
    return {"reading": readings[len(readings) // 2], "undo": undos[len(undos) // 2]}


def one_of_many_jobs(folder: str) -> dict[str, float]:
    """Listing all jobs, finding one by its title and opening it (s)."""
    from loyal_trace.app.job import OpenJob

    with Store(Path(folder), read_only=True) as store:
        start = time.perf_counter()
        jobs = store.jobs()
        listed = time.perf_counter() - start
        start = time.perf_counter()
        found = next(job for job in jobs if "1500" in job.title)
        searched = listed + time.perf_counter() - start
        opened = timed(lambda: OpenJob(store, found.id))
    assert sum(job.entries for job in jobs) > 1_000_000 and found.id == "j1500"
    return {"listed": listed, "searched": searched, "opened": opened}


def by_command_line(*arguments: str) -> dict[str, float]:
    """One command (s)."""
    from loyal_trace.cli.main import main

    start = time.perf_counter()
    assert main(arguments) == 0
    return {"seconds": time.perf_counter() - start}


def awkward_files() -> dict[str, float]:
    """Readers on files that were slow once (s): many plain lines, one line of spaces, records of one byte."""
    from loyal_trace.core.vocabulary.errors import UserFileError
    from loyal_trace.formats.checksum_lists import parse_sums
    from loyal_trace.formats.rom_files import decode_image

    def refused() -> None:
        try:
            parse_sums(b"a" + b" " * 20_000 + b"zz", "x.sfv")
        except UserFileError:
            return
        raise AssertionError("it was read")

    plain = b"".join(b"%08X rom %d.bin\n" % (n * 0x9E3779B1 & 0xFFFFFFFF, n) for n in range(6_000))
    records = b"".join(_hex_record(n) for n in range(20_000)) + b":00000001FF\n"
    return {
        "lines": timed(lambda: parse_sums(plain, "sums.txt")),
        "spaces": timed(refused),
        "records": timed(lambda: decode_image("x.hex", records, "x")),
    }


def _hex_record(number: int) -> bytes:
    body = bytes([1, 2 * number >> 8 & 255, 2 * number & 255, 0, number & 255])  # each apart from the next
    return b":%s%02X\n" % (body.hex().upper().encode(), -sum(body) & 255)


def _many_jobs(folder: Path) -> None:
    files, entries = board_files_of(("tw-cpu",)), [entry_number(n) for n in range(_OF_EACH)]
    with Store(folder) as store:
        for number in range(_JOBS):
            store.create_job(f"j{number}", f"Job {number}", "2025", files, [_opened(str(number))])
            store.append_all(f"j{number}", entries)


def _photo_store(folder: Path, pictures: list[bytes], notes: int = 0) -> None:
    with Store(folder) as store:
        store.create_job("photos", "Photos", "2025", board_files_of(("tw-cpu",)), [_opened("photos")])
        told = [f"note {n}: the socket was cleaned, the chip put back, and the board tried again" for n in range(notes)]
        store.append_all("photos", [Note(id=f"n{n}", time=_BEGUN, text=text) for n, text in enumerate(told)])
        for number, data in enumerate(pictures):
            sha = store.put_attachment(data)
            photo = Photographed(
                id=f"p{number}",
                time=_BEGUN,
                board="tw-cpu",
                attachment=sha,
                file_name=f"{number}.jpg",
                width=4000,
                height=3000,
            )
            store.append("photos", photo)


def _noise_photo(draw: np.random.Generator) -> bytes:
    """A photograph of 12 million pixels that does not compress to nothing."""
    import io

    from PIL import Image

    coarse = draw.integers(0, 256, (300, 400, 3), dtype=np.uint8)
    data = io.BytesIO()
    Image.fromarray(coarse).resize((4000, 3000), Image.Resampling.BICUBIC).save(data, "JPEG", quality=80)
    return data.getvalue()


def _large_png(path: Path) -> None:
    from PIL import Image

    rows = np.arange(9450, dtype=np.uint32)
    Image.fromarray((rows[:, None] * 7 + rows[None, :] * 3 & 255).astype(np.uint8)).convert("RGB").save(path, "PNG")


def run() -> list[Figure]:
    """All figures of records at their limits."""
    return [*_long(), *_many(), *_photographs(), *_readers()]


def _long() -> list[Figure]:
    with tempfile.TemporaryDirectory() as name:
        long_store(Path(name) / "store", _LONG)
        found = _of_child("long_job_in_the_window", Path(name) / "store")
    return [
        Figure("one reading on 200,000 entries, logbook open", found["reading"], 60, "ms"),
        Figure("Ctrl+Z on 200,000 entries, logbook open", found["undo"], 100, "ms"),
        Figure("window on 200,000 entries, every page seen and left", found["peak"], 300, "MiB"),
    ]


def _many() -> list[Figure]:
    with tempfile.TemporaryDirectory() as name:
        _many_jobs(Path(name) / "store")
        found = _of_child("one_of_many_jobs", Path(name) / "store")
    return [
        Figure("2,000 jobs with 1,000,000 entries listed", found["listed"], 0.3, "s"),
        Figure("one of 2,000 jobs found by its title", found["searched"], 0.3, "s"),
        Figure("one of 2,000 jobs opened", found["opened"], 0.3, "s"),
    ]


def _photographs() -> list[Figure]:
    draw = np.random.default_rng(52)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        _photo_store(folder / "many", [draw.bytes(_PHOTO_BYTES) for _ in range(_PHOTOS)])
        away = _of_child("by_command_line", "job", "export", "photos", folder / "out.ltjob", "--store", folder / "many")
        back = _of_child("by_command_line", "job", "import", folder / "out.ltjob", "--store", folder / "again")
        _photo_store(folder / "report", [_noise_photo(draw) for _ in range(_PICTURES)], _NOTES)
        report = ("job", "report", "photos", folder / "out.pdf", "--store", folder / "report")
        pages = _of_child("by_command_line", *report)
        _photo_store(folder / "png", [])
        _large_png(folder / "large.png")
        taken = _of_child("by_command_line", "job", "add", "photos", folder / "large.png", "--store", folder / "png")
        shown = _of_child("by_command_line", "job", "report", "photos", folder / "png.pdf", "--store", folder / "png")
    return [
        Figure("52 photos of 10 MB exported", away["peak"], 150, "MiB", detail=f"{away['seconds']:.1f} s"),
        Figure("52 photos of 10 MB imported", back["peak"], 150, "MiB", detail=f"{back['seconds']:.1f} s"),
        Figure("report of 50 pages with 60 photos of 12 million pixels", pages["seconds"], 10, "s"),
        Figure("the same, memory", pages["peak"], 300, "MiB"),
        Figure("PNG of 9450 × 9450 imported", taken["peak"], 300, "MiB"),
        Figure("the same in a report", shown["peak"], 300, "MiB"),
    ]


def _readers() -> list[Figure]:
    found = _of_child("awkward_files")
    return [
        Figure("6,000 plain lines read as checksums", found["lines"], 1, "s"),
        Figure("a line of 20,000 spaces refused", found["spaces"], 1, "s"),
        Figure("20,000 records of one byte", found["records"], 1, "s"),
    ]
