"""SHA-1 of many slightly changed copies of one image, 64 of them side by side (FIPS 180-4).

The copies share the message of every block that no change touches, so its schedule is worked out once for all; blocks
with a change are done for their copy alone. Needs numba; import it through `loyal_trace.compiled`.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

Words = NDArray[np.uint32]
LANES = 64
_BLOCK = 64
_KEYS = np.repeat(np.array([0x5A827999, 0x6ED9EBA1, 0x8F1BBCDC, 0xCA62C1D6], dtype=np.uint32), 20)


@njit(cache=True, nogil=True, inline="always")
def _choose(a, b, c, d, e, m):  # type: ignore[no-untyped-def]
    for n in range(LANES):
        e[n] += ((a[n] << np.uint32(5)) | (a[n] >> np.uint32(27))) + (d[n] ^ (b[n] & (c[n] ^ d[n]))) + m
        b[n] = (b[n] << np.uint32(30)) | (b[n] >> np.uint32(2))


@njit(cache=True, nogil=True, inline="always")
def _parity(a, b, c, d, e, m):  # type: ignore[no-untyped-def]
    for n in range(LANES):
        e[n] += ((a[n] << np.uint32(5)) | (a[n] >> np.uint32(27))) + (b[n] ^ c[n] ^ d[n]) + m
        b[n] = (b[n] << np.uint32(30)) | (b[n] >> np.uint32(2))


@njit(cache=True, nogil=True, inline="always")
def _majority(a, b, c, d, e, m):  # type: ignore[no-untyped-def]
    for n in range(LANES):
        e[n] += ((a[n] << np.uint32(5)) | (a[n] >> np.uint32(27))) + ((b[n] & c[n]) | (d[n] & (b[n] | c[n]))) + m
        b[n] = (b[n] << np.uint32(30)) | (b[n] >> np.uint32(2))


@njit(cache=True, nogil=True)
def _rounds(a, b, c, d, e, s):  # type: ignore[no-untyped-def]
    """The 80 rounds on all lanes with one schedule; the five words change places instead of moving."""
    for t in range(0, 20, 5):
        _choose(a, b, c, d, e, s[t])
        _choose(e, a, b, c, d, s[t + 1])
        _choose(d, e, a, b, c, s[t + 2])
        _choose(c, d, e, a, b, s[t + 3])
        _choose(b, c, d, e, a, s[t + 4])
    for t in range(20, 40, 5):
        _parity(a, b, c, d, e, s[t])
        _parity(e, a, b, c, d, s[t + 1])
        _parity(d, e, a, b, c, s[t + 2])
        _parity(c, d, e, a, b, s[t + 3])
        _parity(b, c, d, e, a, s[t + 4])
    for t in range(40, 60, 5):
        _majority(a, b, c, d, e, s[t])
        _majority(e, a, b, c, d, s[t + 1])
        _majority(d, e, a, b, c, s[t + 2])
        _majority(c, d, e, a, b, s[t + 3])
        _majority(b, c, d, e, a, s[t + 4])
    for t in range(60, 80, 5):
        _parity(a, b, c, d, e, s[t])
        _parity(e, a, b, c, d, s[t + 1])
        _parity(d, e, a, b, c, s[t + 2])
        _parity(c, d, e, a, b, s[t + 3])
        _parity(b, c, d, e, a, s[t + 4])


@njit(cache=True, nogil=True)
def _one_block(state, w):  # type: ignore[no-untyped-def]
    """One block for one copy: `w` holds its 16 words and room for 64 more, `state` is carried on."""
    for t in range(16, 80):
        x = w[t - 3] ^ w[t - 8] ^ w[t - 14] ^ w[t - 16]
        w[t] = np.uint32((x << np.uint32(1)) | (x >> np.uint32(31)))
    a, b, c, d, e = state[0], state[1], state[2], state[3], state[4]
    for t in range(80):
        if t < 20:
            f = (d ^ (b & (c ^ d))) + np.uint32(0x5A827999)
        elif t < 40:
            f = (b ^ c ^ d) + np.uint32(0x6ED9EBA1)
        elif t < 60:
            f = ((b & c) | (d & (b | c))) + np.uint32(0x8F1BBCDC)
        else:
            f = (b ^ c ^ d) + np.uint32(0xCA62C1D6)
        x = np.uint32(((a << np.uint32(5)) | (a >> np.uint32(27))) + f + e + w[t])
        e, d, c, b, a = d, c, np.uint32((b << np.uint32(30)) | (b >> np.uint32(2))), a, x
    state[0] += a
    state[1] += b
    state[2] += c
    state[3] += d
    state[4] += e


@njit(cache=True, nogil=True)
def prefix_states(words):  # type: ignore[no-untyped-def]
    """The state before every block of an image, and after the last: shape (blocks + 1, 5)."""
    states = np.empty((len(words) + 1, 5), dtype=np.uint32)
    state, w = np.empty(5, dtype=np.uint32), np.empty(80, dtype=np.uint32)
    state[0], state[1], state[2], state[3], state[4] = 0x67452301, 0xEFCDAB89, 0x98BADCFE, 0x10325476, 0xC3D2E1F0
    states[0, :] = state
    for block in range(len(words)):
        w[:16] = words[block]
        _one_block(state, w)
        states[block + 1, :] = state
    return states


@njit(cache=True, nogil=True)
def _touches(places, row, block):  # type: ignore[no-untyped-def]
    """Whether a row of changes has one in this block of 64 bytes."""
    touched = False
    for k in range(places.shape[1]):
        touched |= places[row, k] >> 6 == block
    return touched


@njit(cache=True, nogil=True)
def _changed_block(words, block, places, flips, row, w):  # type: ignore[no-untyped-def]
    """Writes the block with the row's changes into the first 16 words of `w`."""
    w[:16] = words[block]
    for k in range(places.shape[1]):
        at = places[row, k]
        if at >> 6 == block:
            w[at >> 2 & 15] ^= np.uint32(flips[row, k]) << np.uint32(24 - 8 * (at & 3))


@njit(cache=True, nogil=True)
def _lane_with(h, target, lanes):  # type: ignore[no-untyped-def]
    """The first lane whose state is the target; −1 for none."""
    for lane in range(lanes):
        right = True
        for i in range(5):
            right &= h[i, lane] == target[i]
        if right:
            return lane
    return -1


@njit(cache=True, nogil=True)
def _first_block(places, group, lanes, blocks):  # type: ignore[no-untyped-def]
    """The first block that any of the lanes changes: all before it is shared."""
    first = blocks
    for lane in range(lanes):
        first = min(first, places[group + lane, 0] >> 6)
    return first


@njit(cache=True, nogil=True)
def first_match(words, schedule, states, places, flips, target):  # type: ignore[no-untyped-def]
    """The first row of changes after which the digest is `target`, −1 for none. Places rise along each row."""
    count = len(places)
    a, b, c = np.empty(LANES, np.uint32), np.empty(LANES, np.uint32), np.empty(LANES, np.uint32)
    d, e = np.empty(LANES, np.uint32), np.empty(LANES, np.uint32)
    h, one, w = np.empty((5, LANES), np.uint32), np.empty(5, np.uint32), np.empty(80, np.uint32)
    for group in range(0, count, LANES):
        lanes = min(LANES, count - group)
        first = _first_block(places, group, lanes, len(words))
        for i in range(5):
            h[i, :] = states[first, i]
        for block in range(first, len(words)):
            for n in range(LANES):
                a[n], b[n], c[n], d[n], e[n] = h[0, n], h[1, n], h[2, n], h[3, n], h[4, n]
            _rounds(a, b, c, d, e, schedule[block])
            for lane in range(lanes):
                if _touches(places, group + lane, block):
                    one[:] = h[:, lane]
                    _changed_block(words, block, places, flips, group + lane, w)
                    _one_block(one, w)
                    a[lane], b[lane], c[lane] = one[0] - h[0, lane], one[1] - h[1, lane], one[2] - h[2, lane]
                    d[lane], e[lane] = one[3] - h[3, lane], one[4] - h[4, lane]
            for n in range(LANES):
                h[0, n] += a[n]
                h[1, n] += b[n]
                h[2, n] += c[n]
                h[3, n] += d[n]
                h[4, n] += e[n]
        lane = _lane_with(h, target, lanes)
        if lane >= 0:
            return group + lane
    return -1


class Lanes:
    """The search for one image: what all its changed copies share is prepared once."""

    def __init__(self, data: bytes) -> None:
        padded = data + b"\x80" + bytes((55 - len(data)) % _BLOCK) + (8 * len(data)).to_bytes(8, "big")
        self._words = np.frombuffer(padded, ">u4").astype(np.uint32).reshape(-1, 16)
        schedule = np.empty((len(self._words), 80), dtype=np.uint32)
        schedule[:, :16] = self._words
        for t in range(16, 80):
            x = schedule[:, t - 3] ^ schedule[:, t - 8] ^ schedule[:, t - 14] ^ schedule[:, t - 16]
            schedule[:, t] = (x << np.uint32(1)) | (x >> np.uint32(31))
        self._schedule = schedule + _KEYS
        self._states = prefix_states(self._words)

    def first(self, places: NDArray[np.int64], flips: NDArray[np.uint8], digest: bytes) -> int:
        """The first row whose changes (places, and what is flipped there) give the digest; −1 for none."""
        target = np.frombuffer(digest, ">u4").astype(np.uint32)
        rows, marks = np.ascontiguousarray(places, dtype=np.int64), np.ascontiguousarray(flips, dtype=np.uint8)
        return int(first_match(self._words, self._schedule, self._states, rows, marks, target))


if __name__ == "__main__":
    Lanes(bytes(64)).first(np.zeros((1, 1), dtype=np.int64), np.ones((1, 1), dtype=np.uint8), bytes(20))
