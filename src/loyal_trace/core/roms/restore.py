"""Restoring an image from its sums alone: a few wrong bytes or bits anywhere, from the linear CRC, proved by a hash.

One byte: the difference of the sums, carried back over k bytes, must be a table entry. Two bytes: with d the distance
between them, Z^(d−1)·T[e] and the difference carried back must agree in their upper 24 bits, and the low byte then
gives the other error, so one pass over 255·n values against a table of 2^24 finds all pairs; a table of 2^20 before it
stays in the processor's cache and turns most of them away. Three bits and stuck stretches: see `restore_bits`.
"""

from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from loyal_trace.core.roms.candidates import UNWATCHED, Candidates, Change, Prover, Watch, changed
from loyal_trace.core.roms.crc_algebra import TABLE, backwards, syndromes
from loyal_trace.core.roms.digests import digest
from loyal_trace.core.roms.restore_bits import single_bits, stuck_stretches, three_bits
from loyal_trace.core.vocabulary.phrases import joined, say

# Image sizes (bytes) up to which one wrong byte, two, and what takes longer still are searched for.
MOST_SEARCHED = 2**23
MOST_PAIRS = 2**19
MOST_DEEP = 2**17
_SMALL = 1 << 14
_WORKERS = 2  # array work lets another thread run


@dataclass(frozen=True)
class Restored:
    """Changes that make the sums right, by which sum that is proved, and how many other solutions fit as well.

    `words` says what kind of change it was: bytes, bits, or a data line stuck over a stretch.
    """

    changes: tuple[Change, ...]
    data: bytes
    proof: str
    solutions: int = 1
    words: str = ""

    @property
    def certain(self) -> bool:
        """Is it proved by a hash, or by a CRC that only one change fits?"""
        return self.solutions == 1

    @property
    def told(self) -> str:
        """What was changed, in a few words; long lists of bytes are cut short."""
        shown = joined(
            ", ",
            (
                say("{offset:04X} from {read:02X} to {meant:02X}", offset=c.offset, read=c.read, meant=c.meant)
                for c in self.changes[:3]
            ),
        )
        more = say(" and {count} more", count=len(self.changes) - 3) if len(self.changes) > 3 else ""
        return joined(": ", (part for part in (self.words, say("{shown}{more}", shown=shown, more=more)) if part))


def restore(
    data: bytes, digests: Mapping[str, str], watch: Watch = UNWATCHED, deep: bool = False, most: int = 2
) -> Restored | None:
    """One or two wrong bytes put right, the fewest first; None when none fit or it was cancelled.

    `most` is 1 or 2 bytes; `deep` goes on to a data line stuck over a stretch and to one wrong bit in each of three
    bytes, which only a hash can prove. Without a CRC-32 single wrong bits are tried against the hash.
    """
    if not digests or not 0 < len(data) <= MOST_SEARCHED:
        return None
    if "crc32" not in digests:
        return _by_hash_alone(data, digests, watch)
    delta = int(digest(data, "crc32"), 16) ^ int(digests["crc32"], 16)
    if delta == 0:
        return None
    found = proved(data, one_byte(data, delta), digests, watch, say("one byte"))
    if found is None and most > 1 and len(data) <= MOST_PAIRS and not watch.cancelled():
        found = proved(data, two_bytes(data, delta), digests, watch)
    if found is not None or not deep or len(data) > MOST_DEEP:
        return found
    return _deep(data, delta, digests, watch)


def _deep(data: bytes, delta: int, digests: Mapping[str, str], watch: Watch) -> Restored | None:
    prover = Prover(data, digests, watch)
    for words, batches in (
        (say("a data line was stuck"), stuck_stretches(data, delta)),
        (say("one bit in each of three bytes"), three_bits(data, delta)),
    ):
        if not prover.proof:
            return None
        for batch in batches:
            if watch.cancelled():
                return None
            changes = prover.first_right(batch, words)
            if changes is not None:
                return Restored(changes, changed(data, changes), prover.proof, words=_lanes_of(changes, words))
    return None


def _lanes_of(changes: tuple[Change, ...], words: str) -> str:
    """Which data line was stuck where, or the words as they are."""
    flips = {change.read ^ change.meant for change in changes}
    if not words.startswith("a data line") or len(flips) != 1:
        return words
    (flip,) = flips
    level = say("high") if changes[0].read & flip else say("low")
    first, last = changes[0].offset, changes[-1].offset
    return say(
        "D{bit_length} was stuck {level} between {first:04X} and {last:04X}",
        bit_length=flip.bit_length() - 1,
        level=level,
        first=first,
        last=last,
    )


def _by_hash_alone(data: bytes, digests: Mapping[str, str], watch: Watch) -> Restored | None:
    prover = Prover(data, digests, watch)
    if not prover.proof:
        return None
    for batch in single_bits(data):
        changes = prover.first_right(batch, say("one bit"))
        if changes is not None:
            return Restored(changes, changed(data, changes), prover.proof)
        if watch.cancelled():
            return None
    return None


def proved(
    data: bytes, candidates: Candidates, digests: Mapping[str, str], watch: Watch, said: str = "", words: str = ""
) -> Restored | None:
    """The candidate that every other sum accepts; with no hash, the only one, or the first of several.

    `said` is told while it works, `words` what kind of change it is.
    """
    prover = Prover(data, digests, watch)
    right = prover.first_right(candidates, said)
    if right is not None:
        return Restored(right, changed(data, right), prover.proof, words=words)
    if prover.proof or not prover.fitting:
        return None
    proof = joined(say(" and "), sorted(digests))
    return Restored(prover.fitting[0], changed(data, prover.fitting[0]), proof, prover.count, words)


def one_byte(data: bytes, delta: int) -> Candidates:
    """Every single byte that explains the difference; at most one a place."""
    back = np.r_[np.uint32(delta), backwards(delta, len(data))[:-1]]
    order = np.argsort(TABLE)
    place = np.minimum(np.searchsorted(TABLE[order], back), 255)
    k = np.flatnonzero(TABLE[order][place] == back)
    errors = order[place[k]]
    offsets, errors = len(data) - 1 - k[errors > 0], errors[errors > 0]
    image = np.frombuffer(data, dtype=np.uint8)
    return Candidates(offsets[:, None], (image[offsets] ^ errors.astype(np.uint8))[:, None])


def two_bytes(data: bytes, delta: int) -> Candidates:
    """Every pair of bytes that explains the difference: single bits first, then the latest place first."""
    size = len(data)
    back = backwards(delta, size)
    upper = back >> np.uint32(8)
    coarse = np.zeros(1 << 20, dtype=bool)
    present = np.zeros(1 << 24 if size > _SMALL else 0, dtype=bool)  # for a small image the coarse table is enough
    if len(present):
        present[upper] = True
    coarse[back >> np.uint32(12)] = True
    basis = np.ascontiguousarray(syndromes(size).T)

    def search(first: int, last: int) -> list[tuple[np.ndarray, np.ndarray, int]]:
        """Places whose value may meet the difference, for a run of left errors in the order of the Gray code: each
        differs from the one before by one bit."""
        values, index = np.zeros(size, dtype=np.uint32), np.empty(size, dtype=np.intp)
        kept, before = [], 0
        for number in range(first, last):
            gray = number ^ (number >> 1)
            for bit in _bits_of(gray ^ before):
                np.bitwise_xor(values, basis[bit], out=values)
            before = gray
            np.right_shift(values, np.uint32(12), out=index, casting="unsafe")
            hits = np.flatnonzero(coarse.take(index))
            if len(present):
                hits = hits[present[values[hits] >> np.uint32(8)]]
            kept.append((hits, values[hits], gray))
        return kept

    with ThreadPoolExecutor(_WORKERS) as pool:
        halves = [pool.submit(search, 1, 128), pool.submit(search, 128, 256)]
        kept = [some for half in halves for some in half.result()]
    hits, values = np.concatenate([h for h, _, _ in kept]), np.concatenate([v for _, v, _ in kept])
    lefts = np.repeat(np.array([gray for _, _, gray in kept]), [len(h) for h, _, _ in kept])
    found = _matches(hits, values, lefts, upper, back)
    errors = found[:, 1::2].astype(np.uint8)
    single = (np.bitwise_count(errors) == 1).all(axis=1)
    ranked = np.lexsort((-found[:, 0], ~single))
    places = np.ascontiguousarray(found[ranked][:, 0::2])
    return Candidates(places, np.frombuffer(data, dtype=np.uint8)[places] ^ errors[ranked])


def _bits_of(value: int) -> Iterator[int]:
    return (bit for bit in range(8) if value >> bit & 1)


def _matches(
    hits: np.ndarray, values: np.ndarray, lefts: np.ndarray, upper: np.ndarray, back: np.ndarray
) -> np.ndarray:
    """Rows (left place, its error, right place, its error) for left errors whose contribution meets the difference."""
    order = np.argsort(upper, kind="stable")
    ordered, asked = upper[order], values >> np.uint32(8)
    first, last = np.searchsorted(ordered, asked, "left"), np.searchsorted(ordered, asked, "right")
    count = last - first
    which = np.repeat(np.arange(len(hits)), count)
    within = np.arange(len(which)) - np.repeat(np.cumsum(count) - count, count)
    k = order[first[which] + within]
    other = (back[k] ^ values[which]) & np.uint32(0xFF)
    right = len(back) - 1 - k
    left = right - (hits[which] + 1)
    keep = (left >= 0) & (other != 0)
    return np.column_stack((left[keep], lefts[which][keep], right[keep], other[keep].astype(np.int64)))
