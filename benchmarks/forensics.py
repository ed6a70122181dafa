"""ROM forensics measured: the confusion table over a generated corpus, and times beside named yardsticks."""

import hashlib
import resource
import time
import zlib
from collections import Counter

import numpy as np

from benchmarks.measure import Figure, best_of
from benchmarks.rom_corpus import CONTENTS, EVERY, SIZES, confusion, from_checksums, named_right, samples
from benchmarks.rom_pairs import SORTS, UNSEEN, counted, sums_of

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


def _damaged(size: int, seed: int) -> tuple[bytes, bytes, dict[str, str]]:
    """An image with two wrong bytes, the true one, and its sums."""
    rng = np.random.default_rng(seed)
    true = rng.integers(0, 256, size, dtype=np.uint8)
    bad = true.copy()
    for place in rng.choice(size, 2, replace=False):
        bad[place] ^= np.uint8(rng.integers(1, 256))
    sums = {"crc32": f"{zlib.crc32(true.tobytes()):08x}", "sha1": hashlib.sha1(true.tobytes()).hexdigest()}
    return bad.tobytes(), true.tobytes(), sums


def _two_bytes_of_much(size: int) -> float:
    """Seconds to restore two wrong bytes of a large image, once."""
    from loyal_trace.compiled import sha1_lanes
    from loyal_trace.core.roms.candidates import Watch
    from loyal_trace.core.roms.restore import restore

    data, true, sums = _damaged(size, 0)
    began = time.perf_counter()
    found = restore(data, sums, Watch(sha1=sha1_lanes))
    assert found is not None and found.data == true
    return time.perf_counter() - began


def _two_bytes(size: int) -> tuple[float, float, int, float]:
    """Seconds to restore two wrong bytes and seconds hashlib needs for all candidates (means over five images), how
    many candidates, and seconds of the very first run, which loads what is compiled."""
    from loyal_trace.compiled import sha1_lanes
    from loyal_trace.core.roms.candidates import Watch
    from loyal_trace.core.roms.restore import restore, two_bytes

    watch = Watch(sha1=sha1_lanes)
    spent, alone, count = [], [], 0
    for seed in (0, 0, 1, 2, 3, 4):
        data, true, sums = _damaged(size, seed)
        began = time.perf_counter()
        found = restore(data, sums, watch)
        spent.append(time.perf_counter() - began)
        assert found is not None and found.data == true
        count = len(two_bytes(data, zlib.crc32(data) ^ zlib.crc32(true)))
        alone.append(count * best_of(50, lambda data=data: hashlib.sha1(data).digest()))
    return float(np.mean(spent[1:])), float(np.mean(alone[1:])), count, spent[0] / float(np.mean(spent[1:]))


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


def _swapped_in_a_range(size: int) -> float:
    """Two data lines exchanged over some stretch, put back from the sums (second)."""
    from loyal_trace.core.roms.undo import undo

    true = CONTENTS["code"](np.random.default_rng(3), size)
    turned = true.copy()
    part = turned[size // 5 : size // 2]
    turned[size // 5 : size // 2] = (part & 0xED) | (part >> 3 & 2) | (part << 3 & 16)
    sums = {"crc32": f"{zlib.crc32(true.tobytes()):08x}", "sha1": hashlib.sha1(true.tobytes()).hexdigest()}
    began = time.perf_counter()
    found = undo(turned.tobytes(), sums, thorough=True)
    assert found is not None and found.data == true.tobytes()
    return time.perf_counter() - began


def _three_bits(size: int, faded: bool = False) -> float:
    from loyal_trace.compiled import sha1_lanes
    from loyal_trace.core.roms.candidates import Watch
    from loyal_trace.core.roms.restore import restore

    rng = np.random.default_rng(5)
    true = CONTENTS["code"](rng, size)
    bad, left = true.copy(), 3
    while left:
        place, bit = int(rng.integers(size)), np.uint8(1 << rng.integers(8))
        if bad[place] == true[place] and not (faded and true[place] & bit):
            bad[place] ^= bit
            left -= 1
    sums = {"crc32": f"{zlib.crc32(true.tobytes()):08x}", "sha1": hashlib.sha1(true.tobytes()).hexdigest()}
    began = time.perf_counter()
    found = restore(bad.tobytes(), sums, Watch(sha1=sha1_lanes), deep=True)
    assert found is not None and found.data == true.tobytes()
    return time.perf_counter() - began


def _one_byte(size: int) -> float:
    """One wrong byte, by the way that the command line takes (second)."""
    from loyal_trace.core.roms.correcting import correct
    from loyal_trace.core.roms.images import KnownChecksum

    true = CONTENTS["code"](np.random.default_rng(8), size)
    bad = true.copy()
    bad[size // 3] ^= 0x5A
    began = time.perf_counter()
    found = correct([bad.tobytes()], [KnownChecksum("x", sums_of(true.tobytes()), size)])
    assert found is not None and found.data == true.tobytes()
    return time.perf_counter() - began


def _foreign(size: int, count: int) -> tuple[float, float, str]:
    """(mean seconds, share accused) of images that belong elsewhere, with only the checksums at hand; what was said."""
    from loyal_trace.core.roms.by_checksums import Expected
    from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage
    from loyal_trace.core.roms.verdicts import judge

    rng, spent, accused = np.random.default_rng(12), [], Counter[str]()
    sorts = [name for name in SORTS if name != "mirrored"]  # one line without effect is told both ways
    for number in range(count):
        here, there = (SORTS[sorts[(number + n) % len(sorts)]](rng, size).tobytes() for n in (0, 3))
        known = KnownChecksum("u1", sums_of(there), size)
        began = time.perf_counter()
        found = judge(RomImage("u1", here), Expected((known,)), ChecksumList([known]))
        spent.append(time.perf_counter() - began)
        if found.hypotheses[0].kind != "unknown":
            accused[found.hypotheses[0].kind] += 1
    return float(np.mean(spent)), sum(accused.values()) / count, str(dict(accused))


def _identified() -> tuple[float, float]:
    """Seconds to index 10,000 images of 8 KiB, and to find a damaged one among them (the slowest of some damages)."""
    from loyal_trace.core.roms.identify import KnownImages

    rng, known = np.random.default_rng(6), KnownImages()
    images = [CONTENTS["code"](rng, 8192) for _ in range(10_000)]
    for number, image in enumerate(images):
        known.add_image(f"u{number}", "store", image.tobytes())
    indexed = best_of(1, known.prepare)
    spent = []
    for damage in ("data-stuck-1", "address-stuck", "address-swapped", "half-read", "shifted", "byte-swapped"):
        dump = EVERY[damage](rng, images[4321]).tobytes()
        began = time.perf_counter()
        assert known.identify(dump)[0].name == "u4321"
        spent.append(time.perf_counter() - began)
    return indexed, max(spent)


def _peak() -> float:
    """The most memory this process has held so far (MiB)."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def run() -> list[Figure]:
    """Share named right, and times."""
    counts = confusion(_SEED, SIZES)
    right = named_right(counts)
    total = sum(counts.values())
    share = right / total
    print(table(counts))
    sums = from_checksums(_SEED, SIZES[:5])
    by_checksums = named_right(sums) / sum(sums.values())
    indexed, found = _identified()
    small, small_alone, _, _ = _two_bytes(8 * 1024)
    large, large_alone, candidates, first = _two_bytes(64 * 1024)
    named = counted(UNSEEN[:1], (2048, 16384), tuple(SORTS))
    complete, pairs = sum(n for (_, _, good), n in named.items() if good), sum(named.values())
    each, accused, said = _foreign(32768, 200)
    return [
        Figure(
            "pairs of faults named completely", complete / pairs, 0.9, at_most=False, detail=f"{complete} of {pairs}"
        ),
        Figure("foreign images accused, checksums only", accused, 0.01, detail=said),
        Figure("foreign image of 32 KiB, checksums only", 1000 * each, 60, "ms"),
        Figure("one wrong byte in 2 MiB", _one_byte(1 << 21), 2.0, "s"),
        Figure("three faded bits in 64 KiB", _three_bits(65536, faded=True), 10.0, "s"),
        Figure("three wrong bits in 64 KiB", _three_bits(65536), 60.0, "s"),
        Figure("checksums only, 512 KiB", _sums_only(524288), 3.0, "s"),
        Figure("damage named right, reference image there", share, 0.98, at_most=False, detail=f"{right} of {total}"),
        Figure(
            "damage named right, checksums only",
            by_checksums,
            0.9,
            at_most=False,
            detail=f"{named_right(sums)} of {sum(sums.values())}",
        ),
        Figure("10,000 images searched", found, 0.5, "s", detail=f"indexed in {indexed:.1f} s"),
        Figure("two wrong bytes in 8 KiB", small, 0.1, "s", detail=f"hashing all candidates {small_alone:.3f} s"),
        Figure("two wrong bytes in 512 KiB", _two_bytes_of_much(1 << 19), 150, "s"),
        Figure(
            "two wrong bytes in 64 KiB",
            large / large_alone,
            0.3,
            detail=f"{large:.2f} s against {large_alone:.2f} s to hash all {candidates:,} candidates",
        ),
        Figure("the same, first use in a process", first, 1.5, detail="against the mean of the next five"),
        Figure("three wrong bits in 8 KiB", _three_bits(8192), 5.0, "s"),
        Figure("lines exchanged over a stretch of 64 KiB", _swapped_in_a_range(65536), 1.0, "s"),
        Figure("register learnt from 3 × 2 KiB", _learned(2048), 1.0, "s"),
        Figure("register learnt from 3 × 16 KiB", _learned(16384), 5.0, "s"),
        Figure("forensics of 32 KiB, slowest kind", _examined(32768), 0.3, "s"),
        Figure("forensics of 512 KiB, slowest kind", _examined(524288), 3.0, "s"),
        Figure("checksums only, 32 KiB", _sums_only(32768), 1.0, "s"),
        Figure("peak memory of ROM work", _peak(), 600, "MiB"),
    ]
