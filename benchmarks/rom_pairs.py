"""Pairs of faults on contents of many sorts, and whether both are named: damage the forensics' own code did not make.

Every fault is worked out byte by byte in plain Python or from its definition, with nothing of `core/roms` in it.
A pair counts where neither fault hides the other: undoing either changes bytes. `TUNED` seeds were looked at while the
forensics were written, `UNSEEN` ones never.
"""

import hashlib
import zlib
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from benchmarks.rom_corpus import CONTENTS

TUNED, UNSEEN = (*range(100, 110), 903), (900, 901, 902, *range(904, 911))
Array = np.ndarray


def mirrored(rng: np.random.Generator, size: int) -> Array:
    """A program of half the size, twice: its uppermost address line changes nothing."""
    return np.tile(CONTENTS["code"](rng, size // 2), 2)


def sparse(rng: np.random.Generator, size: int) -> Array:
    """Islands of code in FF."""
    image = np.full(size, 0xFF, np.uint8)
    for start in rng.choice(size // 256, max(2, size // 1024), replace=False) * 256:
        image[start : start + 200] = CONTENTS["code"](rng, 256)[:200]
    return image


def four_bit(rng: np.random.Generator, size: int) -> Array:
    """A PROM of four outputs: the upper half of each byte reads F."""
    return (CONTENTS["code"](rng, size) | 0xF0).astype(np.uint8)


def dense(rng: np.random.Generator, size: int) -> Array:
    """As good as random: samples of sound, say, or enciphered."""
    return rng.integers(0, 256, size, dtype=np.uint8)


def squeezed(rng: np.random.Generator, size: int) -> Array:
    """Compressed text, filled up with FF."""
    packed = zlib.compress(CONTENTS["text"](rng, 2 * size).tobytes())[: size - 16]
    return np.r_[np.frombuffer(packed, np.uint8), np.full(size - len(packed), 0xFF, np.uint8)]


SORTS: dict[str, Callable[[np.random.Generator, int], Array]] = {
    **CONTENTS,
    "mirrored": mirrored,
    "sparse": sparse,
    "four-bit": four_bit,
    "dense": dense,
    "compressed": squeezed,
}


@dataclass(frozen=True)
class Injected:
    """What was done: the kind as the forensics call it, the lines, and how many bytes a fault of cells changed."""

    kind: str
    data: tuple[int, ...] = ()
    address: tuple[int, ...] = ()
    cells: bool = False


Fault = Callable[[np.random.Generator, Array], tuple[Array, Injected]]


def _stuck(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    line, level = int(rng.integers(8)), int(rng.integers(2))
    out = image | (1 << line) if level else image & (255 - (1 << line))
    return out.astype(np.uint8), Injected(f"data-stuck-{level}", (line,))


def _moving(rng: np.random.Generator, image: Array, count: int) -> list[int]:
    """Data lines that the content moves: a fault of any other one cannot be told from a stuck line."""
    bits = np.unpackbits(image[:, None], axis=1, bitorder="little").mean(axis=0)
    able = [n for n in range(8) if 0.02 < bits[n] < 0.98]
    return sorted(int(n) for n in rng.choice(able, count, replace=False)) if len(able) >= count else list(range(count))


def _bridged(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    a, b = _moving(rng, image, 2)
    one, two = (image >> a) & 1, (image >> b) & 1
    both = one & two if rng.random() < 0.5 else one | two
    out = image & (255 - (1 << a) - (1 << b)) | both << a | both << b
    return out.astype(np.uint8), Injected("data-bridged", (a, b))


def _exchanged(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    a, b = _moving(rng, image, 2)
    bits = np.unpackbits(image[:, None], axis=1, bitorder="little")
    bits[:, [a, b]] = bits[:, [b, a]]
    return np.packbits(bits, axis=1, bitorder="little").ravel(), Injected("data-swapped", (a, b))


def _turned(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    (line,) = _moving(rng, image, 1)
    return image ^ np.uint8(1 << line), Injected("inverted", (line,))


def _noisy(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    line = int(rng.integers(8))
    bits = np.unpackbits(image[:, None], axis=1, bitorder="little")
    bits[:, line] = rng.integers(0, 2, len(image))
    return np.packbits(bits, axis=1, bitorder="little").ravel(), Injected("data-noisy", (line,))


def _lines(rng: np.random.Generator, image: Array, count: int) -> list[int]:
    return sorted(int(n) for n in rng.choice(np.arange(1, len(image).bit_length() - 1), count, replace=False))


def _address(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    (line,) = _lines(rng, image, 1)
    high = rng.random() < 0.5
    order = [n | 1 << line if high else n & ~(1 << line) for n in range(len(image))]
    return image[order], Injected("address-stuck", (), (line,))


def _two_addresses(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    a, b = _lines(rng, image, 2)
    low = rng.random() < 0.5
    order = []
    for n in range(len(image)):
        one, two = n >> a & 1, n >> b & 1
        both = min(one, two) if low else max(one, two)
        order.append(n & ~(1 << a) & ~(1 << b) | both << a | both << b)
    return image[order], Injected("address-bridged", (), (a, b))


def _address_order(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    a, b = _lines(rng, image, 2)
    order = [n & ~(1 << a) & ~(1 << b) | (n >> a & 1) << b | (n >> b & 1) << a for n in range(len(image))]
    return image[order], Injected("address-swapped", (), (a, b))


def _address_noise(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    (line,) = _lines(rng, image, 1)
    order = np.arange(len(image)) & ~(1 << line) | rng.integers(0, 2, len(image)) << line
    return image[order], Injected("address-noisy", (), (line,))


def _header(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    return np.r_[rng.integers(0, 256, int(rng.choice([16, 128, 512])), dtype=np.uint8), image], Injected("header")


def _half(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    half = len(image) // 2
    return (image[:half] if rng.random() < 0.5 else image[half:]), Injected("half-read")


def _cut(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    kept = int(rng.integers(len(image) // 3, len(image) - 8))
    return (image[:kept] if rng.random() < 0.8 else image[-kept:]), Injected("half-read")


def _turned_round(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    return np.roll(image, int(rng.choice([-16, -3, 1, 64]))), Injected("shifted")


def _between(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    before, after = (rng.integers(0, 256, int(rng.integers(8, 80)), dtype=np.uint8) for _ in range(2))
    return np.r_[before, image, after], Injected("header")


def _dropped(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    place, many = int(rng.integers(len(image) // 8, len(image) * 7 // 8)), int(rng.choice([1, 2, 7]))
    return np.delete(image, range(place, place + many)), Injected("bytes-dropped")


def _inserted(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    place, many = int(rng.integers(len(image) // 8, len(image) * 7 // 8)), int(rng.choice([1, 2, 7]))
    return np.insert(image, place, rng.integers(0, 256, many, dtype=np.uint8)), Injected("bytes-inserted")


def _faded(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    bits = np.unpackbits(image)
    low = np.flatnonzero(bits == 0)
    bits[rng.choice(low, min(len(low), int(rng.integers(6, 20))), replace=False)] = 1
    return np.packbits(bits), Injected("bits-faded", cells=True)


def _faded_together(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    bits = np.unpackbits(image)
    start = int(rng.integers(len(bits) - 512))
    low = start + np.flatnonzero(bits[start : start + 512] == 0)
    bits[rng.choice(low, min(len(low), 40), replace=False)] = 1
    return np.packbits(bits), Injected("bits-faded", cells=True)


def _wrong(rng: np.random.Generator, image: Array) -> tuple[Array, Injected]:
    out = image.copy()
    for place in rng.choice(len(image), int(rng.integers(3, 9)), replace=False):
        out[place] ^= rng.integers(1, 256)
    return out, Injected("few-bytes", cells=True)


FAULTS: dict[str, Fault] = {
    "data stuck": _stuck,
    "data bridged": _bridged,
    "data exchanged": _exchanged,
    "data inverted": _turned,
    "data noisy": _noisy,
    "address stuck": _address,
    "address bridged": _two_addresses,
    "address exchanged": _address_order,
    "address noisy": _address_noise,
    "header": _header,
    "half read": _half,
    "cut short": _cut,
    "turned round": _turned_round,
    "header and tail": _between,
    "bytes dropped": _dropped,
    "bytes inserted": _inserted,
    "faded": _faded,
    "faded together": _faded_together,
    "wrong bytes": _wrong,
}
_CELLS = ("faded", "faded together", "wrong bytes")
_SIZED = ("header", "half read", "cut short", "turned round", "header and tail", "bytes dropped", "bytes inserted")
# Cells lose what they hold before lines read it, and the file is cut last.
_ORDER = (
    *_CELLS,
    *(name for name in FAULTS if name.split()[0] == "address"),
    *(name for name in FAULTS if name.split()[0] == "data"),
    *_SIZED,
)


@dataclass(frozen=True)
class Pair:
    """One damaged image: what was done in which order, what it was, and how many bytes faults of cells changed."""

    names: tuple[str, str]
    sort: str
    faults: tuple[Injected, Injected]
    damaged: bytes
    true: bytes
    cells: int


def pairs(seeds: tuple[int, ...], sizes: tuple[int, ...], sorts: tuple[str, ...]) -> Iterator[Pair]:
    """Every pair of faults of different places once for each seed, size and sort of content, where neither hides."""
    for seed in seeds:
        for size in sizes:
            for sort in sorts:
                rng = np.random.default_rng([seed, size, len(sort)])
                true = SORTS[sort](rng, size)
                yield from _of_one(rng, sort, true)


def _of_one(rng: np.random.Generator, sort: str, true: Array) -> Iterator[Pair]:
    for n, first in enumerate(_ORDER):
        for second in _ORDER[n:]:
            if {first, second} <= set(_CELLS) or {first, second} <= set(_SIZED) or rng.random() < 0.5:
                continue
            state = rng.bit_generator.state
            after_one, one = FAULTS[first](rng, true)
            both, two = FAULTS[second](rng, after_one)
            rng.bit_generator.state = state
            FAULTS[first](rng, true)  # the same draws, so that the second fault alone is the same one
            alone, _ = FAULTS[second](rng, true)
            if _hidden(both, after_one, alone) or set(one.data) & set(two.data) or set(one.address) & set(two.address):
                continue
            if {one.kind, two.kind} <= {"address-noisy", "data-noisy"} and one.kind == two.kind:
                continue
            # What the cells lost may in part be hidden by what came after: only what shows can be counted.
            cells = _differ(both, alone) if one.cells else 0
            yield Pair((first, second), sort, (one, two), both.tobytes(), true.tobytes(), cells)


def _differ(a: Array, b: Array) -> int:
    return int(np.count_nonzero(a != b)) if len(a) == len(b) else len(a)


def _hidden(both: Array, first: Array, second: Array) -> bool:
    return any(len(both) == len(one) and _differ(both, one) < 4 for one in (first, second))


def named_completely(pair: Pair, found: object) -> bool:
    """Are both faults, with their lines, in the likeliest explanation, and is what the cells lost counted?"""
    told = [(f["kind"], set(f.get("data", ())), set(f.get("address", ()))) for f in found.faults]  # type: ignore[attr-defined]
    for fault in pair.faults:
        if fault.cells:
            if found.unexplained != pair.cells and fault.kind not in [kind for kind, _, _ in told]:  # type: ignore[attr-defined]
                return False
        elif not any(
            kind == fault.kind and set(fault.data) <= data and set(fault.address) <= address
            for kind, data, address in told
        ):
            return False
    return True


def counted(seeds: tuple[int, ...], sizes: tuple[int, ...], sorts: tuple[str, ...]) -> Counter[tuple[str, str, bool]]:
    """(first fault, second fault, named completely) → how often, with the reference image at hand."""
    from loyal_trace.core.roms.forensics import examine

    counts: Counter[tuple[str, str, bool]] = Counter()
    for pair in pairs(seeds, sizes, sorts):
        counts[(*pair.names, named_completely(pair, examine(pair.damaged, pair.true)[0]))] += 1
    return counts


def sums_of(data: bytes) -> tuple[tuple[str, str], ...]:
    """CRC-32 and SHA-1, as a checksum list has them."""
    return (("crc32", f"{zlib.crc32(data):08x}"), ("sha1", hashlib.sha1(data).hexdigest()))
