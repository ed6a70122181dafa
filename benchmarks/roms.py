"""ROM check of 256 MiB against zlib.crc32 plus hashlib.sha1 alone on the same bytes, and its memory."""

import hashlib
import statistics
import subprocess
import sys
import tempfile
import zlib
from pathlib import Path

import numpy as np

from benchmarks.measure import Figure, best_of

_TOTAL = 256 * 2**20
_ROUNDS = 7
_SIZES = (32 * 2**10, 64 * 2**10, 256 * 2**10, 2**20)

_PEAK = """
import resource, sys
from pathlib import Path
from loyal_trace.formats.rom_check import RomChecker
from loyal_trace.formats.checksum_lists import read_checksums
def peak():
    return int(next(line for line in open("/proc/self/status") if line.startswith("VmHWM")).split()[1])
sums = read_checksums(Path(sys.argv[2]))
idle = peak()
result = RomChecker(sums).check([Path(sys.argv[1])])
assert result.all_good
workers = 2 * max(0, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss - idle)
print(idle, peak() + workers)
"""


def make_files(folder: Path) -> list[Path]:
    """Files of 32 KiB to 1 MiB, 256 MiB in all, the same share of bytes in each size."""
    rng = np.random.default_rng(4)
    paths = []
    for size in _SIZES:
        for _ in range(_TOTAL // len(_SIZES) // size):
            path = folder / f"rom{len(paths):05}.bin"
            path.write_bytes(rng.integers(0, 256, size, dtype=np.uint8).tobytes())
            paths.append(path)
    return paths


def _yardstick(blocks: list[bytes]) -> None:
    for block in blocks:
        zlib.crc32(block)
        hashlib.sha1(block)


def run() -> list[Figure]:
    """Speed as a share of the yardstick's, and peak memory over the idle process."""
    from loyal_trace.formats.checksum_lists import read_checksums
    from loyal_trace.formats.rom_check import RomChecker

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "roms"
        folder.mkdir()
        paths = make_files(folder)
        blocks: list[bytes] = [p.read_bytes() for p in paths]
        lines = [f"{hashlib.sha1(b).hexdigest()}  {p.name}\n" for p, b in zip(paths, blocks, strict=True)]
        sums_file = Path(name) / "all.sha1"
        sums_file.write_text("".join(lines))
        sums = read_checksums(sums_file)
        rounds = []
        for _ in range(_ROUNDS):  # in turn, so that a busy moment of the machine falls on both
            alone_now = best_of(1, lambda: _yardstick(blocks))
            rounds.append((alone_now, best_of(1, lambda: RomChecker(sums).check([folder]))))
        alone, checked = (statistics.median(times) for times in zip(*rounds, strict=True))
        output = subprocess.run(
            [sys.executable, "-c", _PEAK, str(folder), str(sums_file)], check=True, capture_output=True, text=True
        ).stdout
    idle, peak = (int(word) / 1024 for word in output.split())
    return [
        Figure(
            "ROM check of 256 MiB, speed",
            alone / checked,
            0.8,
            at_most=False,
            detail=f"{256 / checked:.0f} MiB/s against {256 / alone:.0f} MiB/s for crc32 and sha1 alone",
        ),
        Figure(
            "ROM check, peak memory over idle",
            peak - idle,
            150,
            "MiB",
            detail=f"{idle:.0f} MiB idle, {peak:.0f} MiB peak",
        ),
    ]
