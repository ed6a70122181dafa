"""ROM forensics measured: the confusion table over a generated corpus, and times beside named yardsticks."""

import hashlib
import time
import zlib
from collections import Counter

import numpy as np

from benchmarks.measure import Figure, best_of
from benchmarks.rom_corpus import CONTENTS, EVERY, SIZES, confusion, named_right, samples

_SEED = 20261


def table(counts: Counter[tuple[str, str]]) -> str:
    """The confusion table as lines: injected kind, how often named right, and what it was called instead."""
    lines = []
    for damage in EVERY:
        row = {named: n for (injected, named), n in counts.items() if injected == damage}
        kind = damage.split()[0]
        total, right = sum(row.values()), row.get(kind, 0)
        others = ", ".join(f"{named} {n}" for named, n in sorted(row.items()) if named != kind)
        lines.append(f"{damage:27} {right:4} of {total:4}  {others}".rstrip())
    return "\n".join(lines)


def _two_bytes(size: int) -> tuple[float, float, int]:
    """Seconds to restore two wrong bytes, seconds hashlib needs for all candidates, and how many those are."""
    from loyal_trace.compiled import sha1_lanes
    from loyal_trace.core.roms.candidates import Watch
    from loyal_trace.core.roms.restore import restore, two_bytes

    watch = Watch(sha1=sha1_lanes)
    spent, alone, count = [], [], 0
    for seed in range(3):
        rng = np.random.default_rng(seed)
        true = rng.integers(0, 256, size, dtype=np.uint8)
        bad = true.copy()
        for place in rng.choice(size, 2, replace=False):
            bad[place] ^= np.uint8(rng.integers(1, 256))
        data = bad.tobytes()
        sums = {"crc32": f"{zlib.crc32(true.tobytes()):08x}", "sha1": hashlib.sha1(true.tobytes()).hexdigest()}
        began = time.perf_counter()
        found = restore(data, sums, watch)
        spent.append(time.perf_counter() - began)
        assert found is not None and found.data == true.tobytes()
        count = len(two_bytes(data, zlib.crc32(data) ^ zlib.crc32(true.tobytes())))
        alone.append(count * best_of(50, lambda data=data: hashlib.sha1(data).digest()))
    return float(np.mean(spent)), float(np.mean(alone)), count


def _learned(size: int) -> float:
    from loyal_trace.core.roms.signature import Register, learn

    rng, register = np.random.default_rng(7), Register(16, 0x3D65, 0, 0xFFFF, True, False)
    images = [rng.integers(0, 256, size, dtype=np.uint8).tobytes() for _ in range(3)]
    return best_of(1, lambda: learn([(image, register.of(image)) for image in images]))


def _examined(size: int) -> float:
    """The slowest kind on code-like content of one size (second)."""
    from loyal_trace.core.roms.forensics import examine

    return max(best_of(1, lambda d=d, t=t: examine(d, t)) for _, d, t in list(samples(_SEED, (size,)))[: len(EVERY)])


def _sums_only(size: int) -> float:
    from loyal_trace.core.roms.undo import undo

    true = CONTENTS["code"](np.random.default_rng(3), size).tobytes()
    lost = np.random.default_rng(4).integers(0, 256, size, dtype=np.uint8).tobytes()
    sums = {"crc32": f"{zlib.crc32(true):08x}", "sha1": hashlib.sha1(true).hexdigest()}
    return best_of(1, lambda: undo(lost, sums))


def run() -> list[Figure]:
    """Share named right, and times."""
    counts = confusion(_SEED, SIZES)
    right = named_right(counts)
    total = sum(counts.values())
    share = right / total
    print(table(counts))
    small, small_alone, _ = _two_bytes(8 * 1024)
    large, large_alone, candidates = _two_bytes(64 * 1024)
    return [
        Figure("damage named right, true image there", share, 0.98, at_most=False, detail=f"{right} of {total}"),
        Figure("two wrong bytes in 8 KiB", small, 0.1, "s", detail=f"hashing all candidates {small_alone:.3f} s"),
        Figure("two wrong bytes in 64 KiB", large / large_alone, 0.3,
               detail=f"{large:.2f} s against {large_alone:.2f} s to hash all {candidates:,} candidates"),
        Figure("register learnt from 3 × 2 KiB", _learned(2048), 1.0, "s"),
        Figure("register learnt from 3 × 16 KiB", _learned(16384), 5.0, "s"),
        Figure("forensics of 32 KiB, slowest kind", _examined(32768), 0.3, "s"),
        Figure("forensics of 512 KiB, slowest kind", _examined(524288), 3.0, "s"),
        Figure("sums only, 32 KiB", _sums_only(32768), 1.0, "s"),
    ]  # fmt: skip
