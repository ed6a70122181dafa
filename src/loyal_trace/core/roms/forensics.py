"""What kind of wrong is this image? Ranked hypotheses, each with evidence, likelihood and advice.

The score of a hypothesis is a description length in bits: how surprising the kind of damage is to begin with (a prior
from a fixed table) plus what it takes to write down everything that the damage does not explain. Likelihoods are
`2^-score`, normalised over the hypotheses (minimum description length, as in Rissanen 1978). See docs/method.md.
"""

import math
import zlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from loyal_trace.core.roms.images import RomImage
from loyal_trace.core.units import count_of

PRIOR_BITS = {
    "stuck-data": 4.0,
    "stuck-address": 4.0,
    "few-bytes": 3.0,
    "blank": 3.0,
    "unknown": 10.0,
}
_FEW_SHARE, _FEW_LEAST = 0.02, 32
_MAX_LISTED = 64
_MOST_SEARCHED = 2**20


@dataclass(frozen=True)
class Hypothesis:
    """One explanation. `where` gives lines and ranges: {"data": [5]}, {"address": [9]}, {"offsets": [...]}."""

    kind: str
    verdict: str
    reason: str
    next: str
    likelihood: float = 0.0
    where: dict[str, object] = field(default_factory=dict)
    evidence: str = ""
    score: float = 0.0
    unexplained: int = 0

    @property
    def short(self) -> str:
        """A few words for a list: `A9 stuck low`, `D5 stuck high`, `few bytes`."""
        level = {0: " low", 1: " high", None: ""}[self.where.get("level")]  # type: ignore[index]
        for letter, lines in (("A", self.where.get("address")), ("D", self.where.get("data"))):
            if isinstance(lines, list) and len(lines) == 1:
                return f"{letter}{lines[0]} stuck{level}" if level else f"{letter}{lines[0]} open or stuck"
        return self.kind.replace("-", " ")


@dataclass(frozen=True)
class PinNames:
    """Turns line numbers into words with pins: `A9 (pin 24)`. Without a device, only the line is named."""

    pin_of: Callable[[str], int | None] = lambda name: None

    def line(self, name: str) -> str:
        pin = self.pin_of(name)
        return f"{name} (pin {pin})" if pin else name


NO_DEVICE = PinNames()


def rank(found: Sequence[Hypothesis]) -> tuple[Hypothesis, ...]:
    """Turns scores (bits) into likelihoods that sum to one; likeliest first."""
    best = min(h.score for h in found)
    weights = [2.0 ** -(h.score - best) for h in found]
    total = sum(weights)
    ranked = [replace(h, likelihood=w / total) for h, w in zip(found, weights, strict=True)]
    return tuple(sorted(ranked, key=lambda h: -h.likelihood))


def examine(data: bytes, truth: bytes | None, names: PinNames | None = None) -> tuple[Hypothesis, ...]:
    """Ranked explanations of an image that differs from what is expected.

    `truth` (same size) makes the sums exact; without it only the image's own structure speaks.
    """
    names = names or NO_DEVICE
    image = np.frombuffer(data, dtype=np.uint8)
    if truth is not None and len(truth) == len(data) and len(data):
        return _against_truth(image, np.frombuffer(truth, dtype=np.uint8), names)
    return _from_inside(image, names)


def _against_truth(image: np.ndarray, truth: np.ndarray, names: PinNames) -> tuple[Hypothesis, ...]:
    wrong = int(np.count_nonzero(image != truth))
    found = [_unknown(image, f"{count_of(wrong, 'byte')} of {len(image):,} differ in no pattern known here")]
    blank = _blank(image)
    if blank:
        found.append(blank)
    found += [_stuck_data_known(image, truth, line, level, names) for line in range(8) for level in (0, 1)]
    found += [
        _stuck_address_known(image, truth, line, level, names)
        for line in range(_address_lines(image))
        for level in (0, 1)
    ]
    few = _few_bytes(image, truth)
    if few:
        found.append(few)
    unexplained_cost = found[0].score
    ranked = rank([h for h in found if h.score <= unexplained_cost])
    if ranked[0].verdict == "unknown":
        inside = _from_inside(image, names)  # several lines at once still show in the image's own structure
        return inside if inside[0].verdict != "unknown" else ranked
    return tuple(h for h in ranked if h.likelihood > 1e-6)


def _address_lines(image: np.ndarray) -> int:
    size = len(image)
    return size.bit_length() - 1 if size and size & (size - 1) == 0 else 0


def _residual_bits(image: np.ndarray, predicted: np.ndarray) -> tuple[int, float]:
    """Bytes a prediction gets wrong, and the bits needed to write them down (place and value of each)."""
    wrong = int(np.count_nonzero(image != predicted))
    return wrong, wrong * (math.log2(max(len(image), 2)) + 8)


def _stuck_data_known(image: np.ndarray, truth: np.ndarray, line: int, level: int, names: PinNames) -> Hypothesis:
    mask = np.uint8(1 << line)
    predicted = (truth | mask) if level else (truth & ~mask)
    left, cost = _residual_bits(image, predicted)
    explained = int(np.count_nonzero(truth != predicted))
    evidence = f"explains {count_of(explained, 'wrong byte')}, leaves {left:,}"
    return replace(_stuck_data(line, level, names, evidence, cost), unexplained=left)


def _stuck_data(line: int, level: int, names: PinNames, evidence: str, cost: float) -> Hypothesis:
    word = "high" if level else "low"
    return Hypothesis(
        f"data-stuck-{level}",
        "stuck-data",
        f"data line D{line} reads {word} at every address, the other seven carry content",
        f"Look at {names.line(f'D{line}')}: leg and socket contact first, then read it in another socket or reader.",
        where={"data": [line], "level": level},
        evidence=evidence,
        score=PRIOR_BITS["stuck-data"] + 4 + cost,
    )


def _stuck_address_known(image: np.ndarray, truth: np.ndarray, line: int, level: int, names: PinNames) -> Hypothesis:
    index = np.arange(len(image))
    source = (index | (1 << line)) if level else (index & ~(1 << line))
    predicted = truth[source]
    left, cost = _residual_bits(image, predicted)
    explained = int(np.count_nonzero(truth != predicted))
    word = "high" if level else "low"
    evidence = f"explains {count_of(explained, 'wrong byte')}, leaves {left:,}"
    return replace(_stuck_address(line, f"stuck {word}", names, evidence, cost, level), unexplained=left)


def _stuck_address(
    line: int, how: str, names: PinNames, evidence: str, cost: float, level: int | None = None
) -> Hypothesis:
    where: dict[str, object] = {"address": [line]}
    if level is not None:
        where["level"] = level
    return Hypothesis(
        "address-stuck",
        "stuck-address",
        f"address line A{line} does not reach the cells ({how}): blocks of {1 << line:,} bytes come out twice",
        f"Look at {names.line(f'A{line}')}: a leg folded under or a tired contact is the usual reason. "
        "Straighten, seat, read again.",
        where=where,
        evidence=evidence,
        score=PRIOR_BITS["stuck-address"] + 5 + cost,
    )


def _few_bytes(image: np.ndarray, truth: np.ndarray) -> Hypothesis | None:
    places = np.flatnonzero(image != truth)
    if not len(places) or len(places) > max(_FEW_LEAST, _FEW_SHARE * len(image)):
        return None
    raised = int(np.unpackbits(image[places] & ~truth[places]).sum())
    dropped = int(np.unpackbits(truth[places] & ~image[places]).sum())
    per_byte = math.log2(len(image)) + (3 if raised + dropped == len(places) else 8)
    listed = [{"offset": int(i), "is": int(image[i]), "should_be": int(truth[i])} for i in places[:_MAX_LISTED]]
    return Hypothesis(
        "bits-faded" if dropped == 0 else "few-bytes",
        "few-bytes",
        _few_reason(listed, len(places), raised, dropped),
        _few_advice(dropped, raised),
        where={"offsets": [int(i) for i in places[:_MAX_LISTED]], "bytes": listed},
        evidence=f"{count_of(raised, 'bit')} turned to 1, {dropped:,} to 0; every other byte is right",
        score=PRIOR_BITS["few-bytes"] + len(places) * per_byte,
    )


def _few_reason(listed: list[dict[str, int]], count: int, raised: int, dropped: int) -> str:
    shown = ", ".join(f"{b['offset']:04X} is {b['is']:02X} not {b['should_be']:02X}" for b in listed[:3])
    more = f" and {count - 3:,} more" if count > 3 else ""
    cause = "cells have faded to 1" if dropped == 0 else "cells read 0 that should be 1" if raised == 0 else ""
    differ = "differs" if count == 1 else "differ"
    return f"{count_of(count, 'byte')} {differ} ({shown}{more})" + (f": {cause}" if cause else "")


def _few_advice(dropped: int, raised: int) -> str:
    if dropped == 0:
        return "Programme the true image over it: only bits from 1 to 0 are needed. Then verify twice."
    if raised == 0:
        return "Check seating and read again; if it stays, erase and programme anew (eyes away from the lamp)."
    return "Read it again, twice. If the same bytes stay wrong, erase and programme anew, or compare as a patched copy."


def _blank(image: np.ndarray) -> Hypothesis | None:
    if not len(image) or not (image == image[0]).all():
        return None
    value = int(image[0])
    what = "erased (all FF)" if value == 0xFF else f"the same byte everywhere ({value:02X})"
    advice = (
        "Check chip select, output enable and supply pins of the socket; if it is blank elsewhere too, programme it."
        if value in (0xFF, 0)
        else "Check output enable and the reader's contacts, then read again."
    )
    return Hypothesis(
        "blank" if value == 0xFF else "all-zero" if value == 0 else "pattern",
        "blank",
        f"the image is {what}: empty, or the chip never drove its outputs",
        advice,
        where={"value": value},
        evidence=f"all {len(image):,} bytes are {value:02X}",
        score=-4.0 * math.log2(max(len(image), 2)),
    )


def _unknown(image: np.ndarray, evidence: str) -> Hypothesis:
    return Hypothesis(
        "unknown",
        "unknown",
        "the content differs from what is expected, in no pattern that names a cause",
        "Read it again twice and compare; ask which board or revision it could come from.",
        evidence=evidence,
        score=PRIOR_BITS["unknown"] + 5.0 * len(image),
    )


def _from_inside(image: np.ndarray, names: PinNames) -> tuple[Hypothesis, ...]:
    """Internal evidence only: constant bit lanes, repeating blocks, blank."""
    if not len(image):
        return rank([_unknown(image, "the image is empty")])
    blank = _blank(image)
    if blank:
        return rank([blank])
    unknown = _unknown(image, "no line is constant and no block repeats")
    found = [unknown]
    ones = np.array([int((image >> line & 1).sum()) for line in range(8)])
    for line in range(8):
        if ones[line] in (0, len(image)):
            level = int(ones[line] > 0)
            evidence = f"D{line} is {level} in all {len(image):,} bytes"
            found.append(_stuck_data(line, level, names, evidence, _steady_lane_cost(image, line)))
    for line in range(_address_lines(image)):
        half = image.reshape(-1, 2, 1 << line)
        if np.array_equal(half[:, 0], half[:, 1]) and not _repeats_below(image, line):
            evidence = f"every byte equals the one {1 << line:,} further on"
            found.append(_stuck_address(line, "open or stuck", names, evidence, 0.0))
    lines_found = [h for h in found if h is not unknown]
    if lines_found:
        return tuple(h for h in rank(found) if h.likelihood > 1e-6)
    return (Hypothesis(**{**unknown.__dict__, "likelihood": 1.0}),)


def _steady_lane_cost(image: np.ndarray, line: int) -> float:
    """Text keeps its upper bits steady by nature: in plain text a steady D5, D6 or D7 explains nothing."""
    printable = np.count_nonzero((image >= 0x20) & (image < 0x7F)) / len(image)
    return 6.0 * len(image) if line >= 5 and printable > 0.95 else 0.0


def _repeats_below(image: np.ndarray, line: int) -> bool:
    """A constant or short-period image repeats at every distance: that is no line fault."""
    period = image[: 1 << min(line, 3)]
    return bool(np.array_equal(np.resize(period, len(image)), image))


def restore_one_byte(image: RomImage, digests: dict[str, str]) -> tuple[int, int] | None:
    """The one byte that, changed, makes the image match its CRC-32 (and every other sum known): offset and value.

    CRC is linear: the difference of the two sums, run backwards over k zero bytes, equals a table entry exactly when
    one byte, k places from the end, is wrong (Koopman 2002; reflected polynomial EDB88320). None when no byte does.
    """
    if "crc32" not in digests or not 0 < image.size <= _MOST_SEARCHED:
        return None
    table = [zlib.crc32(bytes([e])) ^ zlib.crc32(b"\0") for e in range(256)]
    error_of = {value: e for e, value in enumerate(table) if e}
    inverse = {value >> 24: e for e, value in enumerate(table)}
    state = zlib.crc32(image.data) ^ int(digests["crc32"], 16)
    for offset in range(image.size - 1, -1, -1):
        error = error_of.get(state)
        if error is not None:
            mended = bytearray(image.data)
            mended[offset] ^= error
            candidate = RomImage(image.name, bytes(mended))
            if all(candidate.digest(a) == value for a, value in digests.items()):
                return offset, mended[offset]
        index = inverse[state >> 24]
        state = ((state ^ table[index]) << 8 | index) & 0xFFFFFFFF
    return None
