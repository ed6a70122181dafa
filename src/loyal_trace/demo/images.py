"""Invented ROM contents for the demo boards: code-like, text-like and picture-like bytes, the same on every machine.

The stream of choices comes from SHA-256 in counter mode, so that no library's generator can change the sums.
"""

import hashlib
from functools import lru_cache

import numpy as np

_OPCODES = bytes.fromhex("3e06210e110032c30ac9cd7e2377fe20281813e5d5c5f1e1d1c13ae6f6b7")
_SCHOOL_WORDS = (
    b"CORVANE CS-8",
    b"READY",
    b"TYPE AND ENTER",
    b"NO SUCH LINE",
    b"TIME",
    b"LESSON",
    b"DISC",
    b"RAM TEST",
)
_WORDS = (
    b"TIDEWRACK",
    b"LARKFIELD",
    b"INSERT TOKEN",
    b"HIGH WATER",
    b"TIDE",
    b"WRECK",
    b"SALVAGE",
    b"PLAYER ONE",
    b"PLAYER TWO",
    b"GAME OVER",
    b"SOUND TEST",
    b"SWITCH TEST",
    b"CREDIT",
)


def _stream(seed: str, count: int) -> np.ndarray:
    """`count` pseudo-random bytes that depend on the seed text alone."""
    blocks = [hashlib.sha256(f"{seed}:{n}".encode()).digest() for n in range(count // 32 + 1)]
    return np.frombuffer(b"".join(blocks)[:count], dtype=np.uint8)


@lru_cache(maxsize=64)
def program_image(seed: str, size: int) -> bytes:
    """Looks like a program: opcodes with operands, runs of tables, texts, and unused space at the end."""
    choice, operand = _stream(seed + "/op", size), _stream(seed + "/arg", size)
    opcodes = np.frombuffer(_OPCODES, dtype=np.uint8)
    image = np.where(choice < 150, opcodes[choice % len(opcodes)], operand).astype(np.uint8)
    words, told = _stream(seed + "/text", size), _SCHOOL_WORDS if seed.startswith("corvane") else _WORDS
    place = 0x80
    while place < size - 0x400:
        word = told[int(words[place]) % len(told)]
        image[place : place + len(word)] = np.frombuffer(word, dtype=np.uint8)
        place += 0x100 + int(words[place + 1])
    used = size - 0x40 - int(words[0])
    image[used:] = 0xFF
    return image.tobytes()


@lru_cache(maxsize=64)
def picture_image(seed: str, size: int) -> bytes:
    """Looks like tiles: eight rows a tile, soft shapes, the first tile empty."""
    tiles = size // 8
    raw = _stream(seed, size).reshape(tiles, 8)
    rows = raw & np.roll(raw, 1, axis=1) | (raw >> 1) & np.roll(raw, -1, axis=1)
    rows[0] = 0
    return rows.astype(np.uint8).tobytes()


@lru_cache(maxsize=8)
def palette_image() -> bytes:
    """Thirty-two colours as red, green and blue bits."""
    return bytes((i * 37 + (i >> 3) * 19) & 0xFF for i in range(32))


SAME_IN_BOTH = ("6A", "6E")
CPU_SLOTS = ("6A", "6B", "6C", "6D", "6E", "6F")
TILE_SLOTS = ("4A", "4C", "4E")


def reference_image(board: str, refdes: str, firmware: str) -> bytes:
    """The right content of a demo slot for a firmware revision."""
    if board == "cs-8":
        return program_image(f"corvane {refdes} {firmware}", 0x4000)
    if board == "tw-cpu":
        revision = "AB" if refdes in SAME_IN_BOTH else firmware
        return program_image(f"tidewrack {refdes} {revision}", 0x2000)
    return palette_image() if refdes == "6E" else picture_image(f"tidewrack tiles {refdes}", 0x2000)


@lru_cache(maxsize=2)
def screen_content(attribute: bool) -> bytes:
    """What the game has drawn into tile (or attribute) RAM when the board is probed: 32 by 32 cells."""
    return bytes(_stream("tidewrack attribute" if attribute else "tidewrack screen", 0x800))
