"""Digests of images: hashes, CRC-32, plain sums of bytes, and any parametric CRC by its name or its parameters.

Plain sums are those that programmers print: all bytes added, kept to 8, 16 or 32 bits. A parametric CRC is written as
in the public catalogue (`crc16-arc`) or in full: `crc16 poly=8005 init=0 xorout=0 refin refout` (hexadecimal).
"""

import hashlib
import re
from collections.abc import Callable, Iterable, Mapping
from functools import lru_cache

import anycrc

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say

DIGEST_LENGTHS = {"sum8": 2, "sum16": 4, "sum32": 8, "crc32": 8, "md5": 32, "sha1": 40, "sha256": 64}
HASHES = ("sha256", "sha1", "md5")
PROOF_BITS = 24
_SUM_BITS = {"sum8": 8, "sum16": 16, "sum32": 20}  # the sum of a ROM's bytes seldom passes 2^23: its top bits are known
_CRC32 = anycrc.Model("CRC32")  # two to three times as fast as zlib's
_CONSTRUCTORS = {"md5": hashlib.md5, "sha1": hashlib.sha1, "sha256": hashlib.sha256}  # by name costs a search each time
_IN_FULL = re.compile(r"crc(\d+) (poly=.*)")


def canonical(name: str) -> str | None:
    """The one way an algorithm is written here (`CRC-16/ARC` becomes `crc16-arc`); None for what is none."""
    text = joined(" ", name.strip().lower().split())
    plain = text.replace("-", "").replace("_", "").replace(" ", "")
    if plain in DIGEST_LENGTHS:
        return plain
    if plain in ("checksum", "checksum16", "bytesum"):
        return "sum16"
    key = re.sub(r"[^a-z0-9]+", "-", re.sub(r"^crc[-_ /]*(\d+)", r"crc\1", text)).strip("-")
    if key.upper() in anycrc.models:
        return "crc32" if key == "crc32" else key
    return text if _parameters(text) is not None else None


@lru_cache(maxsize=256)
def _parameters(name: str) -> tuple[int, int, int, int, bool, bool] | None:
    """Width, polynomial, start, final XOR and both reflections of a parametric CRC in its canonical writing."""
    model = anycrc.models.get(name.upper())
    if model is not None:
        return model.width, model.poly, model.init, model.xorout, model.refin, model.refout
    match = _IN_FULL.fullmatch(name)
    if match is None:
        return None
    width, words = int(match[1]), match[2].split()
    values = {"poly": 0, "init": 0, "xorout": 0}
    for word in words:
        key, _, number = word.partition("=")
        if key in values and re.fullmatch(r"(0x)?[0-9a-f]{1,16}", number):
            values[key] = int(number, 16)
        elif word not in ("refin", "refout"):
            return None
    if not 3 <= width <= 64 or not values["poly"] or any(value >> width for value in values.values()):
        return None
    return width, values["poly"], values["init"], values["xorout"], "refin" in words, "refout" in words


@lru_cache(maxsize=64)
def _calculator(name: str) -> "anycrc.CRC | None":
    found = _parameters(name)
    if found is None:
        return None
    width, poly, init, xorout, refin, refout = found
    return anycrc.CRC(width, poly, init, refin, refout, xorout)


def digest_length(algorithm: str) -> int | None:
    """How many hex digits a digest has; None for an algorithm unknown here. `algorithm` as `canonical` writes it."""
    if algorithm in DIGEST_LENGTHS:
        return DIGEST_LENGTHS[algorithm]
    found = _parameters(algorithm)
    return (found[0] + 3) // 4 if found else None


def known_algorithms() -> str:
    """The algorithms in words, for a message."""
    return say(
        "{digest_lengths}, and CRCs of the catalogue such as crc16-arc", digest_lengths=joined(", ", DIGEST_LENGTHS)
    )


def checked_digest(value: str, algorithm: str, filled: bool = True) -> str | None:
    """A hex digest as it is kept: lower case, None when it is no such; `filled` adds the zeros that tables drop."""
    length = digest_length(algorithm)
    text = value.strip().lower().removeprefix("0x")
    if length is None or not re.fullmatch("[0-9a-f]+", text):
        return None
    text = text.zfill(length) if filled and algorithm not in HASHES else text
    return text if len(text) == length else None


def digest(data: bytes | memoryview, algorithm: str) -> str:
    """The hex digest of `data`; RequestError for an algorithm that is unknown here."""
    if algorithm == "crc32":
        return say("{calc:08x}", calc=_CRC32.calc(data))
    make = _CONSTRUCTORS.get(algorithm)
    if make is not None:
        return str(make(data, usedforsecurity=False).hexdigest())
    length = digest_length(algorithm)
    if length is None:
        raise RequestError(
            say(
                "unknown checksum algorithm “{algorithm}” (known: {known_algorithms})",
                algorithm=algorithm,
                known_algorithms=known_algorithms(),
            )
        )
    value = _sum(data) if algorithm in _SUM_BITS else _calc(algorithm)(data)
    return f"{value & (1 << 4 * length) - 1:0{length}x}"


def agrees(data: bytes, digests: Mapping[str, str]) -> bool:
    """Has an image every one of these sums?"""
    return all(digest(data, name) == value for name, value in sorted(digests.items()))


def _calc(algorithm: str) -> Callable[[bytes | memoryview], int]:
    found = _calculator(algorithm)
    if found is None:
        raise RequestError(say("unknown checksum algorithm “{algorithm}”", algorithm=algorithm))
    return lambda data: int(found.calc(data))


def _sum(data: bytes | memoryview) -> int:
    import numpy as np  # only lists with plain sums need it

    return int(np.frombuffer(data, dtype=np.uint8).sum(dtype=np.uint64))


def proof_bits(algorithms: Iterable[str]) -> int:
    """How much agreement in these digests proves: the bits a wrong image would have to meet by chance."""
    bits = 0
    for algorithm in algorithms:
        found = None if algorithm in DIGEST_LENGTHS else _parameters(algorithm)
        bits += _SUM_BITS.get(algorithm, 0) or (found[0] if found else 4 * DIGEST_LENGTHS.get(algorithm, 0))
    return bits
