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
def tile_image(plane: int, size: int) -> bytes:
    """One of the three planes of the tiles: the same shapes in each, filled and edged in colours of their own."""
    tiles = size // 8
    noise = np.unpackbits(_stream("tidewrack shapes", size)[:, None], axis=1).reshape(tiles, 8, 8)
    framed = np.pad(noise, ((0, 0), (1, 1), (1, 1)))
    near = [framed[:, 1 + y : 9 + y, 1 + x : 9 + x].astype(np.int64) for y in (-1, 0, 1) for x in (-1, 0, 1)]
    around = np.sum(near, axis=0)
    body = (around >= 5).astype(np.uint8)
    inside = (around >= 7).astype(np.uint8)
    colour = _stream("tidewrack colours", 2 * tiles).reshape(2, tiles, 1, 1)
    edge, fill = (colour[n] % 7 + 1 >> plane & 1 for n in (0, 1))
    drawn = np.where(inside == 1, fill, body * edge).astype(np.uint8)
    drawn[0] = 0
    return np.packbits(drawn.reshape(-1, 8), axis=1).tobytes()


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
    return palette_image() if refdes == "6E" else tile_image(TILE_SLOTS.index(refdes), 0x2000)


@lru_cache(maxsize=2)
def screen_content(attribute: bool) -> bytes:
    """What the game has drawn into tile (or attribute) RAM when the board is probed: 32 by 32 cells.

    Two lines of text, an open sky with things in it, a pier on its legs, and waves below.
    """
    cells = np.zeros((64, 32), dtype=np.uint8)
    dice = _stream("tidewrack scene", 64 * 32).reshape(64, 32).astype(np.int64)
    text, things, waves = dice % 40 + 1, dice % 60 + 64, dice % 3 + 130
    cells[1:3, 2:26] = text[1:3, 2:26]
    sky = np.where(dice < 18, things, 0)
    cells[4:18] = sky[4:18]
    cells[18] = 140
    cells[19:22, ::4] = 141
    cells[22:] = waves[22:]
    if not attribute:
        return cells.tobytes()
    colours = np.zeros((64, 32), dtype=np.uint8)
    colours[1:3], colours[18:22], colours[22:] = 1, 2, 3
    return colours.tobytes()
