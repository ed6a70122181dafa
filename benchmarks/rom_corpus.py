"""Generated damage of every kind on code-like, text-like and picture-like images, and what forensics makes of each.

`confusion(...)` runs it and counts; used by `make bench` and, in small, by the tests.
"""

from collections import Counter
from collections.abc import Callable, Iterator

import numpy as np

from loyal_trace.core.roms.forensics import examine

SIZES = tuple(1 << n for n in range(11, 20))
Damage = Callable[[np.random.Generator, np.ndarray], np.ndarray]


def code_like(rng: np.random.Generator, size: int) -> np.ndarray:
    """Opcodes that prefer a few values, operands, a table and an unused end."""
    favourite = rng.integers(0, 256, 40, dtype=np.uint8)
    image = np.where(rng.random(size) < 0.6, favourite[rng.integers(0, 40, size)], rng.integers(0, 256, size))
    image[size - rng.integers(16, size // 8) :] = 0xFF
    return image.astype(np.uint8)


def text_like(rng: np.random.Generator, size: int) -> np.ndarray:
    """Words, spaces and line ends."""
    letters = np.frombuffer(b"etaoinshrdlucmfwypvbgkjqxz  ..,\r\n0123456789ETAOIN", dtype=np.uint8)
    weight = 1.0 / np.arange(1, len(letters) + 1)
    return rng.choice(letters, size, p=weight / weight.sum()).astype(np.uint8)


def picture_like(rng: np.random.Generator, size: int) -> np.ndarray:
    """Soft shapes of eight rows, some of them empty."""
    rows = rng.integers(0, 256, (size // 8, 8), dtype=np.uint8)
    rows = rows & np.roll(rows, 1, axis=1) | rows >> 1 & np.roll(rows, -1, axis=1)
    rows[rng.random(size // 8) < 0.2] = 0
    return rows.ravel().astype(np.uint8)


CONTENTS = {"code": code_like, "text": text_like, "picture": picture_like}


def _index(image: np.ndarray) -> np.ndarray:
    return np.arange(len(image))


def _lines(rng: np.random.Generator, image: np.ndarray, count: int) -> list[int]:
    bits = len(image).bit_length() - 1
    return sorted(int(n) for n in rng.choice(np.arange(2, bits), count, replace=False))


def _bit(image: np.ndarray, line: int) -> np.ndarray:
    return (image >> line & 1).astype(np.uint8)


def _set(image: np.ndarray, line: int, values: np.ndarray) -> np.ndarray:
    return (image & ~np.uint8(1 << line) | values << line).astype(np.uint8)


def _data_stuck(level: int) -> Damage:
    return lambda rng, image: _set(image, int(rng.integers(8)), np.full(len(image), level, np.uint8))


def _data_bridged(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    a, b = rng.choice(8, 2, replace=False)
    joined = _bit(image, a) & _bit(image, b) if rng.random() < 0.5 else _bit(image, a) | _bit(image, b)
    return _set(_set(image, a, joined), b, joined)


def _data_swapped(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    a, b = rng.choice(8, 2, replace=False)
    return _set(_set(image, a, _bit(image, b)), b, _bit(image, a))


def _address_stuck(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    (line,) = _lines(rng, image, 1)
    mask = 1 << line
    return image[_index(image) | mask if rng.random() < 0.5 else _index(image) & ~mask]


def _address_bridged(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    a, b = _lines(rng, image, 2)
    i = _index(image)
    both = (i >> a & 1) & (i >> b & 1) if rng.random() < 0.5 else (i >> a & 1) | (i >> b & 1)
    return image[i & ~((1 << a) | (1 << b)) | both << a | both << b]


def _address_swapped(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    a, b = _lines(rng, image, 2)
    i = _index(image)
    return image[i & ~((1 << a) | (1 << b)) | (i >> a & 1) << b | (i >> b & 1) << a]


def _bits(level: int, share: float) -> Damage:
    def damage(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
        bits = np.unpackbits(image)
        able = np.flatnonzero(bits != level)
        count = max(2, min(len(able), int(share * len(bits) * rng.uniform(0.2, 1))))
        bits[rng.choice(able, count, replace=False)] = level
        return np.packbits(bits)

    return damage


def _few(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    out = image.copy()
    for place in rng.choice(len(image), int(rng.integers(2, 9)), replace=False):
        out[place] ^= rng.integers(1, 256)
    places = np.flatnonzero(out != image)[:2]
    out[places[0]], out[places[-1]] = image[places[0]] ^ 0x55, image[places[-1]] ^ 0xFF
    return out


def _part_blank(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    out, length = image.copy(), len(image) // 4
    start = int(rng.integers(0, 3)) * length
    out[start : start + length] = 0xFF
    return out


def _patched(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    out = image.copy()
    for start in rng.choice(len(image) // 64, 2, replace=False) * 64:
        out[start : start + 12] = rng.integers(0, 256, 12)
    return out


def _lanes(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    half = len(image) // 2
    woven = np.empty_like(image)
    woven[0::2], woven[1::2] = image[:half], image[half:]
    return woven


def _header(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    return np.r_[rng.integers(0, 256, int(rng.choice([16, 64, 128, 512])), dtype=np.uint8), image]


def _overdump(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    return np.r_[image, rng.integers(0, 256, len(image), dtype=np.uint8)]


def _text_mode(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    return np.frombuffer(image.tobytes().replace(b"\n", b"\r\n"), dtype=np.uint8)


def _pattern(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    return np.resize(rng.permutation(256)[: int(rng.choice([2, 4, 8, 16]))].astype(np.uint8), len(image))


def _in_part(damage: Damage) -> Damage:
    """The same damage in one half or quarter only, as a line with an address line in it does."""

    def partly(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
        length = len(image) // int(rng.choice([2, 4]))
        start = int(rng.integers(len(image) // length)) * length
        out = image.copy()
        out[start : start + length] = damage(rng, image)[start : start + length]
        return out

    return partly


def _with_fading(damage: Damage) -> Damage:
    return lambda rng, image: _bits(1, 0.0004)(rng, damage(rng, image))


def _follows(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    line = int(rng.integers(7))
    return _set(image, line, _bit(image, line + 1))


def _shuffled_lines(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    order = rng.permutation(8)
    bits = np.unpackbits(image[:, None], axis=1, bitorder="little")
    return np.packbits(bits[:, order], axis=1, bitorder="little").ravel()


def _shuffled_addresses(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    bits = len(image).bit_length() - 1
    order = np.arange(bits)
    some = rng.choice(np.arange(2, bits), 3, replace=False)
    order[some] = np.roll(some, 1)
    i, source = _index(image), np.zeros(len(image), dtype=np.int64)
    for line in range(bits):
        source |= (i >> line & 1) << int(order[line])
    return image[source]


def _slow_outputs(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    late = rng.random(len(image)) < 0.3
    return np.where(late, np.roll(image, 1), image).astype(np.uint8)


def _record_gaps(rng: np.random.Generator, image: np.ndarray) -> np.ndarray:
    out = image.copy()
    first = int(rng.integers(1, len(out) // 32 - 6))
    out[32 * first : 32 * (first + 4)] = 0xFF
    return out


DAMAGES: dict[str, Damage] = {
    "data-stuck-0": _data_stuck(0),
    "data-stuck-1": _data_stuck(1),
    "data-bridged": _data_bridged,
    "data-swapped": _data_swapped,
    "address-stuck": _address_stuck,
    "address-bridged": _address_bridged,
    "address-swapped": _address_swapped,
    "bits-faded": _bits(1, 0.01),
    "bits-lost": _bits(0, 0.01),
    "few-bytes": _few,
    "blank": lambda rng, image: np.full_like(image, 0xFF),
    "all-zero": lambda rng, image: np.zeros_like(image),
    "part-blank": _part_blank,
    "pattern": _pattern,
    "patched": _patched,
    "garbage": lambda rng, image: rng.integers(0, 256, len(image), dtype=np.uint8),
    "half-read": lambda rng, image: image[: len(image) // 2] if rng.random() < 0.5 else image[len(image) // 2 :],
    "doubled": lambda rng, image: np.r_[image, image],
    "overdump": _overdump,
    "header": _header,
    "byte-swapped": lambda rng, image: image[_index(image) ^ 1],
    "lane-wrong": _lanes,
    "bit-reversed": lambda rng, image: np.packbits(np.unpackbits(image[:, None], axis=1)[:, ::-1], axis=1).ravel(),
    "inverted": lambda rng, image: image ^ np.uint8(255),
    "text-mode": _text_mode,
    "shifted": lambda rng, image: np.roll(image, int(rng.choice([1, 2, 16, 256, -1]))),
}
VARIANTS: dict[str, Damage] = {
    "data-stuck-0 in part": _in_part(_data_stuck(0)),
    "data-stuck-1 in part": _in_part(_data_stuck(1)),
    "data-bridged in part": _in_part(_data_bridged),
    "data-swapped in part": _in_part(_data_swapped),
    "address-stuck in part": _in_part(_address_stuck),
    "address-swapped in part": _in_part(_address_swapped),
    "data-stuck-1 and faded": _with_fading(_data_stuck(1)),
    "address-stuck and faded": _with_fading(_address_stuck),
    "data-bridged open line": _follows,
    "data-swapped any order": _shuffled_lines,
    "address-swapped three lines": _shuffled_addresses,
    "shifted slow outputs": _slow_outputs,
    "part-blank record gap": _record_gaps,
    "half-read quarter": lambda rng, image: image[: len(image) // 4],
}
EVERY = {**DAMAGES, **VARIANTS}


def samples(
    seed: int, sizes: tuple[int, ...], kinds: tuple[str, ...] = tuple(EVERY)
) -> Iterator[tuple[str, bytes, bytes]]:
    """(kind, damaged, true) for every kind on every content at every size; damage that changes nothing is left out."""
    rng = np.random.default_rng(seed)
    for size in sizes:
        for make in CONTENTS.values():
            true = make(rng, size)
            for kind in kinds:
                damaged = EVERY[kind](rng, true)
                if damaged.tobytes() != true.tobytes():
                    yield kind, damaged.tobytes(), true.tobytes()


def confusion(seed: int, sizes: tuple[int, ...], rounds: int = 1) -> Counter[tuple[str, str]]:
    """(injected damage, named kind) → how often, with the true image at hand. Damage is a kind, or `kind and more`."""
    counts: Counter[tuple[str, str]] = Counter()
    for number in range(rounds):
        for kind, damaged, true in samples(seed + number, sizes):
            counts[(kind, examine(damaged, true)[0].kind)] += 1
    return counts


def named_right(counts: Counter[tuple[str, str]]) -> int:
    """How often the name given is the kind injected, the first word of the damage."""
    return sum(n for (injected, named), n in counts.items() if injected.split()[0] == named)


# Noise and compressed contents look alike; what cells lost or hands changed leaves no trace without the contents.
_UNDECIDABLE = ("bits-faded", "bits-lost", "few-bytes", "patched", "garbage")
DECIDABLE = tuple(kind for kind in DAMAGES if kind not in _UNDECIDABLE)


def from_checksums(seed: int, sizes: tuple[int, ...], rounds: int = 1) -> Counter[tuple[str, str]]:
    """(injected kind, named kind) with only sums and size at hand, for kinds that leave a trace or lose nothing.

    Damage of a lane or a line that the content hides (a steady lane of plain text) cannot be told and is left out.
    """
    import hashlib
    import zlib

    from loyal_trace.core.roms.by_checksums import Expected
    from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage
    from loyal_trace.core.roms.verdicts import judge

    counts: Counter[tuple[str, str]] = Counter()
    for number in range(rounds):
        for kind, damaged, true in samples(seed + number, sizes, DECIDABLE):
            digests = (("crc32", f"{zlib.crc32(true):08x}"), ("sha1", hashlib.sha1(true).hexdigest()))
            known = KnownChecksum("u1", digests, len(true))
            found = judge(RomImage("u1", damaged), Expected((known,)), ChecksumList([known]))
            counts[(kind, found.hypotheses[0].kind)] += 1
    return counts
