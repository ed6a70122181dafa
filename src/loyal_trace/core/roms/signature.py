"""A tester's signature of an image, for the tester's own algorithm; and working that algorithm out from known chips.

A signature is a register of some width that divides the image, bit after bit, by a polynomial over GF(2). Parameters:
the usual six (width, polynomial, start value, input and output reflected, final XOR), as in the public catalogue of
parametrised CRC algorithms. A *division* register holds the remainder R; a *feedback* register, into which the data are
shifted through an XOR of its taps, holds the last bits Q of the quotient, and R = Q·P modulo x^w ties the two together.
Learning: of two images of one length start value and final XOR cancel, so the polynomial
divides `D(x)·x^w + d(x)`, D the difference of the images, d that of the signatures; the greatest common divisor of a
few such gives it. One difference alone leaves its divisors to be tried. For a feedback register P stands on both sides,
so every odd polynomial is tried on the shortest difference, side by side, and the few left are solved.
"""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import anycrc
import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say, say_count

HEX_SYMBOLS = "0123456789ABCDEF"
_MOST_MIXED, _BY_CHANCE = 4, 10
# So many bits that agree beyond the first relation: of 4 × 2^(width − 1) registers one does so in 8,000 cases.
_BITS_THAT_SETTLE = 14


@dataclass(frozen=True)
class Register:
    """The six parameters; `poly` without its leading 1. `feedback` registers show the shifted-in stream."""

    width: int = 16
    poly: int = 0x1021
    init: int = 0xFFFF
    xorout: int = 0
    refin: bool = False
    refout: bool = False
    feedback: bool = False

    @cached_property
    def _model(self) -> "anycrc.CRC":
        if self.feedback:
            start = _times(self.init, self.poly, self.width)
            return anycrc.CRC(self.width, self.poly, start, self.refin, False, 0)
        return anycrc.CRC(self.width, self.poly, self.init, self.refin, self.refout, self.xorout)

    def of(self, data: bytes) -> int:
        """The signature of an image."""
        found = int(self._model.calc(data))
        if not self.feedback:
            return found
        stream = _times(found, _inverse(self.poly, self.width), self.width)
        return (_reflected(stream, self.width) if self.refout else stream) ^ self.xorout

    @property
    def style(self) -> str:
        """`division`, as CRCs are, or `feedback`."""
        return "feedback" if self.feedback else "division"

    def shown(self, value: int, symbols: str = HEX_SYMBOLS) -> str:
        """A signature in the tester's own sixteen printing symbols."""
        if symbols != HEX_SYMBOLS:
            check_symbols(symbols)
        digits = (self.width + 3) // 4
        return "".join(symbols[value >> 4 * place & 15] for place in range(digits - 1, -1, -1))


def register_from(text: str) -> Register:
    """The register of a decision: `CRC16-ARC` from the catalogue, or `0x1021 0xFFFF` and more as `init`, `xorout`,
    `refin`, `refout`, `feedback`; the default for an empty text. RequestError for what is neither."""
    words = text.split()
    if not words:
        return Register()
    model = anycrc.models.get(words[0].upper().replace("CRC-", "CRC"))
    if model is not None:
        return Register(model.width, model.poly, model.init, model.xorout, model.refin, model.refout)
    numbers = [word for word in words if word not in ("refin", "refout", "feedback")]
    try:
        poly, init, xorout = (int(word, 0) for word in (*numbers, "0", "0")[:3])
    except ValueError:
        raise RequestError(
            say("“{text}” is not a register; write CRC16-ARC, or 0x1021 0xFFFF 0 refin refout", text=text)
        ) from None
    found = Register(16, poly, init, xorout, "refin" in words, "refout" in words, "feedback" in words)
    if any(value >> 16 or value < 0 for value in (poly, init, xorout)) or len(numbers) > 3:
        raise RequestError(say("“{text}” is not a register of 16 bits", text=text))
    return found


def _times(a: int, b: int, width: int) -> int:
    """The product of two polynomials, only its lowest `width` powers."""
    return multiply(a, b) & (1 << width) - 1


def _inverse(poly: int, width: int) -> int:
    """What a polynomial with a constant term must be multiplied by to give 1, modulo x^width."""
    found = 1
    for _ in range(width.bit_length()):  # each step doubles the powers that are right (Newton)
        found = _times(found, _times(found, poly, width), width)
    return found


def check_symbols(text: str) -> str:
    """The sixteen printing symbols of a tester, the one for 0 first; RequestError when they are not sixteen."""
    symbols = "".join(text.split()) or HEX_SYMBOLS
    if len(symbols) != 16 or len({symbol.lower() for symbol in symbols}) != 16:
        raise RequestError(say("sixteen different symbols are needed, the one for 0 first"))
    return symbols


def read_signature(text: str, symbols: str = HEX_SYMBOLS) -> int:
    """The number that a signature in some symbols stands for; RequestError names the symbol that is none of them."""
    body = text.strip().removeprefix("0x").removeprefix("0X")
    table = {symbol.lower(): value for value, symbol in enumerate(symbols)}
    value = 0
    for symbol in body:
        if symbol.lower() not in table:
            raise RequestError(
                say(
                    "“{symbol}” in “{text}” is not one of the symbols {symbols}",
                    symbol=symbol,
                    text=text.strip(),
                    symbols=symbols,
                )
            )
        value = value << 4 | table[symbol.lower()]
    if not body:
        raise RequestError(say("a signature is missing"))
    return value


@dataclass(frozen=True)
class Learned:
    """The register found, how many pairs it explains, equivalent settings, and the pair that does not fit, if any."""

    register: Register
    explained: int
    pairs: int
    equivalents: tuple[str, ...] = ()
    odd: int | None = None
    settled: bool = True

    @property
    def check(self) -> str:
        """How many pairs agree, and whether one more could still give another register."""
        told = say("{explained} of {pairs} pairs", explained=self.explained, pairs=self.pairs)
        return told if self.settled else say("{told}, one more pair could still give another register", told=told)


Pair = tuple[bytes, int]


def learn(pairs: Sequence[Pair], width: int = 16) -> Learned:
    """The register that gives every image its signature.

    RequestError says how many more pairs are needed, or that no register fits; with one pair out of line the others
    are explained and `odd` is its number.
    """
    if len(pairs) < 2:
        raise RequestError(
            say("{count} pair is not enough: 3 of one length, or 4 of mixed lengths, settle it", count=len(pairs))
        )
    if any(value >> width for _, value in pairs):
        raise RequestError(say("a signature is wider than {width} bits", width=width))
    for fitting in (_fitting, _fitting_feedback):
        found = fitting(pairs, width)
        if found:
            return _told(found, pairs)
    if len(pairs) > 3:
        for number in range(len(pairs)):
            rest = [pair for n, pair in enumerate(pairs) if n != number]
            found = _fitting(rest, width)
            if found:
                return replace(_told(found, rest), pairs=len(pairs), odd=number)
    missing = _missing(pairs, width)
    if missing:
        raise RequestError(
            say_count(
                missing,
                "not enough pairs: {count} more settles it, of a length that is there already",
                "not enough pairs: {count} more settle it, of a length that is there already",
            )
        )
    raise RequestError(say("no register of this width gives these signatures; check them, or give another width"))


def _relations(sizes: Sequence[int]) -> int:
    """How many independent relations between images do not depend on start value and final XOR: one for each image
    beyond the first of its length, and one for each length beyond the second."""
    lengths = len(set(sizes))
    return len(sizes) - lengths + max(0, lengths - 2)


def _missing(pairs: Sequence[Pair], width: int) -> int:
    """How many more pairs, of a length that is there, settle it; 0 where “no register” can be said as it is.

    That takes two relations, or one up to 16 bits; up to there feedback registers are looked for as well, which needs
    three pairs, two of them of one length.
    """
    sizes = [len(data) for data, _ in pairs]
    have = _relations(sizes)
    if width > 16:
        enough = have >= 2
    else:
        enough = have >= 1 and len(pairs) >= 3 and len(set(sizes)) < len(sizes)
    return 0 if enough else max(1, 1 + math.ceil(_BITS_THAT_SETTLE / width) - have)


def _told(found: list[Register], pairs: Sequence[Pair]) -> Learned:
    best, *others = sorted(
        found, key=lambda r: (r.xorout not in (0, (1 << r.width) - 1), r.refin != r.refout, r.xorout)
    )
    polynomials = {(r.poly, r.refin, r.refout) for r in found}
    if len(polynomials) > 1 and len({len(data) for data, _ in pairs}) == 1 and len(pairs) < 3:
        raise RequestError(
            say(
                "{count} registers fit these pairs; one more pair of the same length would settle it",
                count=len(polynomials),
            )
        )
    same = [
        say("init {init:#x} with xorout {xorout:#x}", init=r.init, xorout=r.xorout)
        for r in others
        if (r.poly, r.refin, r.refout) == (best.poly, best.refin, best.refout)
    ]
    if len({len(data) for data, _ in pairs}) == 1:
        same.append(
            say("every other start value with the final XOR that goes with it: the images are all of one length")
        )
    turned = [
        say("poly {poly:#x}, refin {refin}, refout {refout}", poly=r.poly, refin=r.refin, refout=r.refout)
        for r in others
        if (r.poly, r.refin, r.refout) != (best.poly, best.refin, best.refout)
    ]
    # One relation leaves as many polynomials as divide it; that one fits the others by chance must be unlikely too.
    beyond = _relations([len(data) for data, _ in pairs]) - 1
    settled = beyond * best.width >= _BITS_THAT_SETTLE and len(polynomials) == 1
    return Learned(best, len(pairs), len(pairs), (*same[:3], *turned[:3]), settled=settled)


def _fitting(pairs: Sequence[Pair], width: int) -> list[Register]:
    """Every register that explains all pairs, over both bit orders in and out."""
    found = []
    for refin in (False, True):
        numbers = [_polynomial(data, refin) for data, _ in pairs]
        for refout in (False, True):
            signed = [_reflected(value, width) if refout else value for _, value in pairs]
            for poly in _polynomials(numbers, [len(data) for data, _ in pairs], signed, width):
                found += _completed(pairs, signed, Register(width, poly, 0, 0, refin, refout))
    return found


def _fitting_feedback(pairs: Sequence[Pair], width: int) -> list[Register]:
    """Every feedback register that explains all pairs; needs two images of one length, and a width up to 16."""
    sizes = [len(data) for data, _ in pairs]
    alike = sorted((size, a, b) for a, size in enumerate(sizes) for b in range(a + 1, len(sizes)) if sizes[b] == size)
    if not alike or width > 16 or len(pairs) < 3:
        return []
    _, first, other = alike[0]
    found = []
    for refin in (False, True):
        difference = _polynomial(pairs[first][0], refin) ^ _polynomial(pairs[other][0], refin)
        if not difference:
            continue
        polys, left = _remainders(difference << width, width)
        for refout in (False, True):
            signed = [_reflected(value, width) if refout else value for _, value in pairs]
            wanted = _all_times(signed[first] ^ signed[other], polys, width)
            for poly in polys[left == wanted].tolist():
                found += _completed_feedback(pairs, signed, Register(width, poly, 0, 0, refin, refout, True))
    return found


def _completed_feedback(pairs: Sequence[Pair], signed: list[int], register: Register) -> list[Register]:
    """Start value and final XOR of a feedback register, found where its stream is turned into a remainder."""
    width, poly = register.width, register.poly
    remainders = [_times(value, poly, width) for value in signed]
    plain = [(data, value) for (data, _), value in zip(pairs, remainders, strict=True)]
    ones = _times((1 << width) - 1, poly, width)
    back = _inverse(poly, width)
    found = []
    for solved in _completed(plain, remainders, replace(register, feedback=False, refout=False), (0, ones)):
        xorout = _times(solved.xorout, back, width)
        turned = _reflected(xorout, width) if register.refout else xorout
        candidate = replace(register, init=_times(solved.init, back, width), xorout=turned)
        if all(candidate.of(data) == value for data, value in pairs):
            found.append(candidate)
    return found


def _all_times(value: int, polys: NDArray[np.uint16], width: int) -> NDArray[np.uint16]:
    """A value times each polynomial, only the lowest powers."""
    found = np.zeros(len(polys), dtype=np.uint16)
    for bit in range(width):
        if value >> bit & 1:
            found ^= polys << np.uint16(bit)
    return np.asarray(found & np.uint16((1 << width) - 1), dtype=np.uint16)


def _polynomial(data: bytes, refin: bool) -> int:
    """The image as one polynomial over GF(2), its first bit the highest power."""
    if refin:
        data = np.packbits(np.unpackbits(np.frombuffer(data, np.uint8)[:, None], axis=1)[:, ::-1], axis=1).tobytes()
    return int.from_bytes(data, "big")


def _reflected(value: int, width: int) -> int:
    return int(f"{value:0{width}b}"[::-1], 2)


def _polynomials(numbers: list[int], sizes: list[int], signed: list[int], width: int) -> Iterator[int]:
    """Candidates for the polynomial (without its leading 1) from all differences of images of one length."""
    differences = []
    for size in set(sizes):
        group = [n for n, s in enumerate(sizes) if s == size]
        first = group[0]
        for other in group[1:]:
            differences.append((numbers[first] ^ numbers[other]) << width ^ signed[first] ^ signed[other])
    multiples = [*differences, *_mixed(numbers, sizes, signed, width)]
    multiples = sorted((d for d in multiples if d), key=int.bit_length)
    if not multiples:
        return
    common = multiples[0]
    for other in multiples[1:]:
        common = gcd(common, other)
    yield from _divisors(common, width)


def _mixed(numbers: list[int], sizes: list[int], signed: list[int], width: int) -> Iterator[int]:
    """Multiples of the polynomial from images of three different lengths: start value and final XOR are eliminated.

    With E_i = M_i·x^w + s_i = init·x^(8n_i) + xorout (mod P), the differences from the shortest are u·q_i, where
    u = init·x^(8n)·(1 + x^(8g)), g what all differences of lengths have in common, and q_i the rest of the factor that
    the length brings: products of differences with each other's q cancel u without bringing a factor of their own.
    """
    residues = [number << width ^ sign for number, sign in zip(numbers, signed, strict=True)]
    first_of = {size: n for n, size in reversed(list(enumerate(sizes)))}
    order = [first_of[size] for size in sorted(first_of)]
    if len(order) < 3:
        return
    a, b, *rest = order
    apart = math.gcd(*(size - sizes[a] for size in sizes))
    length = {n: sum(1 << place for place in range(0, 8 * (sizes[n] - sizes[a]), 8 * apart)) for n in order}
    for c in rest[:_MOST_MIXED]:
        yield multiply(residues[a] ^ residues[b], length[c]) ^ multiply(residues[a] ^ residues[c], length[b])


def multiply(a: int, b: int) -> int:
    """The product of two polynomials over GF(2); quick when `b` has few terms."""
    found = 0
    while b:
        low = b & -b
        found ^= a << low.bit_length() - 1
        b ^= low
    return found


def gcd(a: int, b: int) -> int:
    """The greatest common divisor of two polynomials over GF(2)."""
    while b:
        a, b = b, remainder(a, b)
    return a


def remainder(a: int, b: int) -> int:
    """What is left of polynomial a after division by b."""
    length = b.bit_length()
    while (over := a.bit_length() - length) >= 0:
        a ^= b << over
    return a


def _divisors(common: int, width: int) -> Iterator[int]:
    """Divisors of degree `width` with a constant term: the common divisor itself, or found among all of that degree."""
    while common and not common & 1:
        common >>= 1
    if width <= 16 and common.bit_length() - 1 > width:
        yield from _dividing(common, width)
    else:
        yield from _nearly(common, width)


def _nearly(common: int, width: int) -> Iterator[int]:
    """The divisors of degree `width` of one that has a little more by chance."""
    over = common.bit_length() - 1 - width
    for chance in range(1 << over | 1, 2 << over, 2) if 0 < over <= _BY_CHANCE else ():
        if remainder(common, chance) == 0:
            yield _quotient(common, chance) ^ (1 << width)
    if over == 0:
        yield common ^ (1 << width)


def _quotient(a: int, b: int) -> int:
    """Polynomial a divided by b, without the rest."""
    found, length = 0, b.bit_length()
    while (over := a.bit_length() - length) >= 0:
        a ^= b << over
        found |= 1 << over
    return found


def _dividing(number: int, width: int) -> list[int]:
    """All odd polynomials of that degree that divide a number."""
    polys, left = _remainders(number, width)
    return [int(p) for p in polys[left == 0]]


def _remainders(number: int, width: int) -> tuple[NDArray[np.uint16], NDArray[np.uint16]]:
    """All odd polynomials of that degree and what each leaves of a number, side by side, one bit of it at a time."""
    polys = np.arange(1, 1 << width, 2, dtype=np.uint32).astype(np.uint16)
    state, carry = np.zeros(len(polys), dtype=np.uint16), np.empty(len(polys), dtype=np.uint16)
    mask, top = np.uint16((1 << width) - 1), np.uint16(width - 1)
    for bit in f"{number:b}":
        np.right_shift(state, top, out=carry)
        np.multiply(carry, polys, out=carry)
        np.left_shift(state, np.uint16(1), out=state)
        if bit == "1":
            np.bitwise_or(state, np.uint16(1), out=state)
        np.bitwise_xor(state, carry, out=state)
        if width < 16:
            np.bitwise_and(state, mask, out=state)
    return polys, state


def _completed(
    pairs: Sequence[Pair], signed: list[int], register: Register, usual: tuple[int, ...] = ()
) -> list[Register]:
    """Start value and final XOR for a polynomial: solved from what the images leave, checked against every pair."""
    width = register.width
    full = (1 << width) - 1 | 1 << width
    modulus = register.poly | 1 << width
    plain = replace(register, init=0, xorout=0, refout=False)
    left = [plain.of(data) ^ sign for (data, _), sign in zip(pairs, signed, strict=True)]
    powers = [_power(8 * len(data), modulus) for data, _ in pairs]
    found = []
    for xorout in dict.fromkeys((*usual, *_final_xors(left, powers, modulus, width))):
        start = _solve([left[0] ^ xorout], [powers[0]], modulus, width)
        if start is None:
            continue
        out = _reflected(xorout, width) if register.refout else xorout
        candidate = replace(register, init=start & full >> 1, xorout=out)
        if all(candidate.of(data) == value for data, value in pairs):
            found.append(candidate)
    return found


def _final_xors(left: list[int], powers: list[int], modulus: int, width: int) -> Iterator[int]:
    """The usual final values, and one that images of all lengths together fix."""
    yield 0
    yield (1 << width) - 1
    others = [(left[0] ^ value, powers[0] ^ power) for value, power in zip(left, powers, strict=True)]
    start = _solve([value for value, _ in others], [factor for _, factor in others], modulus, width)
    if start is not None and len(set(powers)) > 1:
        yield left[0] ^ remainder(multiply(start, powers[0]), modulus)


def _power(exponent: int, modulus: int) -> int:
    """x to a power, modulo a polynomial."""
    found, base = 1, remainder(2, modulus)
    while exponent:
        if exponent & 1:
            found = remainder(multiply(found, base), modulus)
        base = remainder(multiply(base, base), modulus)
        exponent >>= 1
    return found


def _solve(wanted: Sequence[int], factors: Sequence[int], modulus: int, width: int) -> int | None:
    """A y with y·factor = wanted modulo a polynomial, for each factor, by elimination over GF(2); None without one.

    The equations stand side by side in one number, so that a y is found where no one of them settles it.
    """
    rows = [(_beside([remainder(factor << n, modulus) for factor in factors], width), 1 << n) for n in range(width)]
    left, found = _beside(wanted, width), 0
    for bit in range(width * len(factors) - 1, -1, -1):
        pivot = next((row for row in rows if row[0] >> bit & 1), None)
        if pivot is None:
            if left >> bit & 1:
                return None
            continue
        rows = [(r ^ pivot[0], m ^ pivot[1]) if r >> bit & 1 else (r, m) for r, m in rows if (r, m) != pivot]
        if left >> bit & 1:
            left, found = left ^ pivot[0], found ^ pivot[1]
    return found if left == 0 else None


def _beside(values: Sequence[int], width: int) -> int:
    return sum(value << width * n for n, value in enumerate(values))
