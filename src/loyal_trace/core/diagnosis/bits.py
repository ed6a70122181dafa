"""Codes that went in and came out: which line of a bus is stuck, tied, exchanged or inverted, and what to send next.

Every fault of one or two lines is a function from the code sent to the code shown; each is weighed by the likelihood of
the whole code, because single bits of one code are not independent. Shares of the kinds of fault are assumptions.
"""

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

_SHARES = {"right": 0.10, "stuck": 0.45, "inverted": 0.05, "follows": 0.10, "bridged": 0.22, "exchanged": 0.08}
# A code that was read or typed wrongly: any other, one bit off, or as it was sent.
_MISREAD, _ANY, _ONE_OFF, _AS_SENT = 0.03, 0.5, 0.25, 0.25
_TOGETHER = 0.2
_ONE_WRONG = 0.6
_CHOSEN_FROM = 256


@dataclass(frozen=True)
class BitFault:
    """One hypothesis: its kind (`stuck`, `inverted`, `follows`, `bridged`, `exchanged`, `right`), its lines, its way.

    `way`: low or high of a stuck line; copy, and, or of a line that follows another or of two that are bridged.
    """

    kind: str
    lines: tuple[int, ...] = ()
    way: str = ""

    def shown(self, sent: int) -> int:
        """The code that comes out when this one goes in."""
        return _SHOWN[self.kind](sent, self.lines, self.way)


def _bit(code: int, line: int) -> int:
    return code >> line & 1


def _with(code: int, line: int, value: int) -> int:
    return code & ~(1 << line) | value << line


def _joined(first: int, second: int, way: str) -> int:
    return second if way == "copy" else first & second if way == "and" else first | second


def _stuck(sent: int, lines: tuple[int, ...], way: str) -> int:
    return _with(sent, lines[0], int(way == "high"))


def _inverted(sent: int, lines: tuple[int, ...], way: str) -> int:
    return sent ^ 1 << lines[0]


def _follows(sent: int, lines: tuple[int, ...], way: str) -> int:
    return _with(sent, lines[0], _joined(_bit(sent, lines[0]), _bit(sent, lines[1]), way))


def _bridged(sent: int, lines: tuple[int, ...], way: str) -> int:
    level = _joined(_bit(sent, lines[0]), _bit(sent, lines[1]), way)
    return _with(_with(sent, lines[0], level), lines[1], level)


def _exchanged(sent: int, lines: tuple[int, ...], way: str) -> int:
    return _with(_with(sent, lines[0], _bit(sent, lines[1])), lines[1], _bit(sent, lines[0]))


_SHOWN: dict[str, Callable[[int, tuple[int, ...], str], int]] = {
    "right": lambda sent, lines, way: sent,
    "stuck": _stuck,
    "inverted": _inverted,
    "follows": _follows,
    "bridged": _bridged,
    "exchanged": _exchanged,
}


def hypotheses(width: int) -> list[BitFault]:
    """Every fault of one or two of `width` lines: 277 of eight."""
    return [BitFault("right"), *_single(width), *_double(width)]


def _single(width: int) -> Iterator[BitFault]:
    for line in range(width):
        yield BitFault("stuck", (line,), "low")
        yield BitFault("stuck", (line,), "high")
        yield BitFault("inverted", (line,))
        for other in range(width):
            if other != line:
                yield from (BitFault("follows", (line, other), way) for way in ("copy", "and", "or"))


def _double(width: int) -> Iterator[BitFault]:
    for line in range(width):
        for other in range(line + 1, width):
            yield from (BitFault("bridged", (line, other), way) for way in ("and", "or"))
            yield BitFault("exchanged", (line, other))


@dataclass(frozen=True)
class BitVerdict:
    """What the pairs come to: faults with their probabilities, likeliest first; of each line, that it is touched.

    `together` are the faults that the pairs cannot tell from the likeliest; `send` the code that tells most next.
    """

    width: int
    pairs: int
    wrong: int
    faults: tuple[tuple[BitFault, float], ...]
    lines: tuple[float, ...]
    together: tuple[BitFault, ...]
    send: int
    bits: float

    @property
    def likeliest(self) -> BitFault:
        return self.faults[0][0]

    @property
    def settled(self) -> bool:
        """Two wrong codes at least, and one fault clear of all others: one misread code can make any fault likely."""
        return (self.wrong > 1 or self.likeliest.kind == "right") and self.pairs > 1 and self.faults[0][1] >= 0.9


def judge_bits(pairs: Sequence[tuple[int, int]], width: int) -> BitVerdict:
    """Weighs all faults of a bus of `width` lines (1 to 16) by (sent, shown) pairs."""
    every = hypotheses(width)
    counts = {kind: sum(one.kind == kind for one in every) for kind in _SHARES}
    weights = [_SHARES[one.kind] / counts[one.kind] for one in every]
    for sent, shown in pairs:
        weights = [w * _likelihood(one.shown(sent), sent, shown, width) for w, one in zip(weights, every, strict=True)]
        total = sum(weights)
        weights = [weight / total for weight in weights]
    total = sum(weights)
    found = sorted(
        ((one, weight / total) for one, weight in zip(every, weights, strict=True)), key=lambda item: -item[1]
    )
    wrong = sum(sent != shown for sent, shown in pairs)
    # A single wrong code is as well a misreading: it accuses a line by no more than this.
    most = _ONE_WRONG if wrong < 2 else 1.0
    lines = tuple(most * sum(p for one, p in found if line in _touched(one)) for line in range(width))
    first, top = found[0]
    alike = tuple(one for one, p in found[1:] if p >= _TOGETHER * top and _same(one, first, pairs))
    send, bits = _next_code(found, {sent for sent, _ in pairs}, width)
    return BitVerdict(width, len(pairs), wrong, tuple(found[:6]), lines, alike, send, bits)


def _touched(fault: BitFault) -> tuple[int, ...]:
    """The lines whose driver or track a fault is on: one that follows another is the one that is wrong."""
    return fault.lines[:1] if fault.kind == "follows" else fault.lines


def _same(one: BitFault, other: BitFault, pairs: Sequence[tuple[int, int]]) -> bool:
    return all(one.shown(sent) == other.shown(sent) for sent, _ in pairs)


def _likelihood(expected: int, sent: int, shown: int, width: int) -> float:
    misread = _ANY / 2**width
    if bin(expected ^ shown).count("1") == 1:
        misread += _ONE_OFF / width
    if shown == sent:
        misread += _AS_SENT
    return float((1 - _MISREAD) * (expected == shown) + _MISREAD * misread)


def _next_code(found: Sequence[tuple[BitFault, float]], sent_before: set[int], width: int) -> tuple[int, float]:
    """The code whose answer is expected to tell most (bit), not one that was sent already unless all were."""
    kept = [(one, p) for one, p in found if p > 1e-3]
    codes = range(2**width) if width <= 8 else [0x5555, 0xAAAA, 0x3333, 0xCCCC, 0x0F0F, 0xF0F0, 0x00FF, 0xFF00]
    best, most = 0, -1.0
    for code in codes:
        if code >= 2**width or (code in sent_before and len(sent_before) < _CHOSEN_FROM):
            continue
        answers: dict[int, float] = {}
        for one, p in kept:
            answers[one.shown(code)] = answers.get(one.shown(code), 0.0) + p
        bits = -sum(p * math.log2(p) for p in answers.values() if p > 0)
        if bits > most + 1e-9:
            best, most = code, bits
    return best, max(0.0, most)
