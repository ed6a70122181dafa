"""What one explanation of a bad image is, how explanations are weighed, and the words for the commonest of them.

The score of a hypothesis is a description length in bits: how surprising the kind of damage is to begin with (a prior
from a fixed table) plus what it takes to write down everything that the damage does not explain. Likelihoods are
`2^-score`, normalised over the hypotheses (minimum description length, as in Rissanen 1978). See docs/method.md.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from loyal_trace.core.roms.advice import NEXT
from loyal_trace.core.roms.sites import separating, site_of
from loyal_trace.core.vocabulary.phrases import joined, say, say_count, template, term
from loyal_trace.core.vocabulary.units import count_of

PRIOR_BITS = {
    "stuck-data": 4.0,
    "stuck-address": 4.0,
    "few-bytes": 3.0,
    "blank": 3.0,
    "unknown": 10.0,
}
_FEW_SHARE, _FEW_LEAST = 0.02, 32
_MAX_LISTED = 64
_WORTH_TELLING, _ALIKE_BITS = 0.01, 8.0


_SHORT = {"0": template("{line} stuck low"), "1": template("{line} stuck high")}
_OPEN = template("{line} open or stuck")


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

    def lines(self, which: str) -> tuple[int, ...]:
        """The lines that `where` names, `address` or `data`; empty when it names none."""
        named = self.where.get(which)
        return tuple(int(line) for line in named) if isinstance(named, list) else ()

    @property
    def faults(self) -> tuple[Mapping[str, object], ...]:
        """Every fault of the explanation with its own `kind` and lines; the one that it is when there is only one."""
        several = self.where.get("faults")
        return tuple(several) if isinstance(several, list) else ({"kind": self.kind, **self.where},)

    @property
    def site(self) -> str:
        """Where the cause sits; a hypothesis may say so itself in `where`, else its kind does."""
        return str(self.where.get("site", "")) or site_of(self.kind)

    @property
    def detail(self) -> str:
        """What happened and what speaks for it, in one line."""
        return say("{reason}; {evidence}", reason=self.reason, evidence=self.evidence) if self.evidence else self.reason

    @property
    def short(self) -> str:
        """A few words for a list: `A9 stuck low`, `D5 stuck high`, `few bytes`."""
        level = self.where.get("level")
        for letter, lines in (("A", self.lines("address")), ("D", self.lines("data"))):
            if len(lines) == 1:
                return say(_SHORT.get(str(level), _OPEN), line=f"{letter}{lines[0]}")
        return term(self.kind.replace("-", " "))


@dataclass(frozen=True)
class PinNames:
    """Turns line numbers into words with pins: `A9 (pin 24)`. Without a device, only the line is named."""

    pin_of: Callable[[str], int | None] = lambda name: None

    def line(self, name: str) -> str:
        pin = self.pin_of(name)
        return say("{name} (pin {pin})", name=name, pin=pin) if pin else name


NO_DEVICE = PinNames()


def rank(found: Sequence[Hypothesis]) -> tuple[Hypothesis, ...]:
    """Turns scores (bits) into likelihoods that sum to one; likeliest first."""
    # Relative to the best, or the powers of two underflow for a large image.
    best = min(h.score for h in found)
    weights = [2.0 ** -(h.score - best) for h in found]
    total = sum(weights)
    weighed = [replace(h, likelihood=w / total) for h, w in zip(found, weights, strict=True)]
    ranked = sorted(weighed, key=lambda h: -h.likelihood)
    return tuple(_with_rival(h, ranked) if h.likelihood > _WORTH_TELLING else h for h in ranked)


def _with_rival(hypothesis: Hypothesis, ranked: Sequence[Hypothesis]) -> Hypothesis:
    """The next check names what tells an explanation from its strongest rival, if that is worth a thought."""
    rivals = (h for h in ranked if h.kind != hypothesis.kind and h.likelihood > _WORTH_TELLING)
    rival = next(rivals, None)
    check = separating(hypothesis.site, rival.site) if rival is not None else ""
    if rival is None or not check or check in hypothesis.next:
        return hypothesis
    # Eight bits apart is a factor of 256: below it neither is to be preferred.
    alike = rival.unexplained == hypothesis.unexplained and abs(rival.score - hypothesis.score) < _ALIKE_BITS
    told = say("The image alone cannot tell it from") if alike else say("To tell it from")
    return replace(
        hypothesis,
        next=say(
            "{next} {told} {short}: {check}{check2}",
            next=hypothesis.next,
            told=told,
            short=rival.short,
            check=check[:1].lower(),
            check2=check[1:],
        ),
    )


def address_lines(image: np.ndarray) -> int:
    size = len(image)
    return size.bit_length() - 1 if size and size & (size - 1) == 0 else 0


def stuck_data(line: int, level: int, names: PinNames, evidence: str, cost: float) -> Hypothesis:
    word = say("high") if level else say("low")
    advice = say(
        "Check {line}: pin and socket contact first. Then read it in another socket or reader.",
        line=names.line(f"D{line}"),
    )
    if (line, level) == (7, 0):
        advice = say(
            "{advice} A transfer of seven bits does the same: compare with the file at the reader.", advice=advice
        )
    return Hypothesis(
        f"data-stuck-{level}",
        "stuck-data",
        say("data line D{line} reads {word} at every address", line=line, word=word),
        advice,
        where={"data": [line], "level": level},
        evidence=evidence,
        score=PRIOR_BITS["stuck-data"] + 4 + cost,
    )


def stuck_address(
    line: int, how: str, names: PinNames, evidence: str, cost: float, level: int | None = None
) -> Hypothesis:
    where: dict[str, object] = {"address": [line]}
    if level is not None:
        where["level"] = level
    return Hypothesis(
        "address-stuck",
        "stuck-address",
        say(
            "address line A{line} is {how}: every block of {line2:,} bytes appears twice",
            line=line,
            how=how,
            line2=1 << line,
        ),
        say(
            "Check {line}. Usual cause: a pin bent under, or a worn socket contact. Straighten the pin, "
            "reseat the chip, read it again.",
            line=names.line(f"A{line}"),
        ),
        where=where,
        evidence=evidence,
        score=PRIOR_BITS["stuck-address"] + 5 + cost,
    )


def few_bytes(image: np.ndarray, reference: np.ndarray) -> Hypothesis | None:
    places = np.flatnonzero(image != reference)
    if not len(places) or len(places) > max(_FEW_LEAST, _FEW_SHARE * len(image)):
        return None
    raised = int(np.unpackbits(image[places] & ~reference[places]).sum())
    dropped = int(np.unpackbits(reference[places] & ~image[places]).sum())
    per_byte = math.log2(len(image)) + (3 if raised + dropped == len(places) else 8)
    listed = [{"offset": int(i), "is": int(image[i]), "should_be": int(reference[i])} for i in places[:_MAX_LISTED]]
    return Hypothesis(
        "bits-faded" if dropped == 0 else "few-bytes",
        "few-bytes",
        _few_reason(listed, len(places), raised, dropped),
        _few_advice(dropped, raised),
        where={"offsets": [int(i) for i in places[:_MAX_LISTED]], "bytes": listed},
        evidence=say(
            "{bits} turned to 1, {dropped:,} to 0; every other byte matches",
            bits=count_of(raised, "bit"),
            dropped=dropped,
        ),
        score=PRIOR_BITS["few-bytes"] + len(places) * per_byte,
    )


def _few_reason(listed: list[dict[str, int]], count: int, raised: int, dropped: int) -> str:
    shown = joined(
        ", ",
        (say("{b:04X} is {b2:02X} not {b3:02X}", b=b["offset"], b2=b["is"], b3=b["should_be"]) for b in listed[:3]),
    )
    more = say(" and {count:,} more", count=count - 3) if count > 3 else ""
    cause = (
        say("suggests cells that faded to 1")
        if dropped == 0
        else say("suggests cells that read 0 instead of 1")
        if raised == 0
        else ""
    )
    told = say_count(
        count,
        "{count:,} byte differs ({shown}{more})",
        "{count:,} bytes differ ({shown}{more})",
        shown=shown,
        more=more,
    )
    return say("{told}: {cause}", told=told, cause=cause) if cause else told


def _few_advice(dropped: int, raised: int) -> str:
    if dropped == 0:
        return say(
            "Only 1→0 changes are needed, so it can be programmed over. Erasing "
            "first is safer: the other cells are as old."
        )
    if raised == 0:
        return say("Check the seating and read it again. If it stays, erase and re-program it.")
    return say(
        "Read it again twice. If the same bytes stay wrong, erase and re-program "
        "it, or compare it with patched versions."
    )


def _select_pins(names: PinNames) -> str:
    """The pins that keep a chip silent, as far as the device is known: `/CE (pin 20), /OE (pin 22), VCC (pin 28)`."""
    return joined(", ", (names.line(name) for name in ("/CE", "/OE", "VPP", "/PGM", "VCC") if names.pin_of(name)))


def repeated_pattern(image: np.ndarray, most: int, score: Callable[[int], float]) -> Hypothesis | None:
    """The same few bytes over and over, up to `most` (a power of two); `score` in bits by how many they are."""
    for period in (2**n for n in range(1, most.bit_length())):
        if len(image) >= 4 * period and np.array_equal(image[period:], image[:-period]):
            shown = image[: min(period, 4)].tobytes().hex(" ").upper()
            return Hypothesis(
                "pattern",
                "blank",
                say(
                    "the same {period} bytes ({shown} …) repeat throughout, as if the chip never drove its outputs",
                    period=period,
                    shown=shown,
                ),
                NEXT["pattern"],
                where={"period": period},
                evidence=say("repeats every {period} bytes", period=period),
                score=score(period),
            )
    return None


def blank_image(image: np.ndarray, names: PinNames = NO_DEVICE) -> Hypothesis | None:
    """All bytes alike: erased, or never driven; which of the two an image alone cannot tell, and it says so."""
    if not len(image) or not (image == image[0]).all():
        return None
    value = int(image[0])
    what = say("erased (all FF)") if value == 0xFF else say("the same byte everywhere ({value:02X})", value=value)
    pins = _select_pins(names) or say("chip select, output enable and supply pins")
    advice = (
        say(
            "Measure {pins} at the chip while it is read; if all are right and it is blank in another reader "
            "too, program it.",
            pins=pins,
        )
        if value in (0xFF, 0)
        else say("Check {pins} and the contacts of the reader, then read again.", pins=pins)
    )
    apart = say("the image alone cannot tell an erased chip from one that was never selected or has no supply")
    return Hypothesis(
        "blank" if value == 0xFF else "all-zero" if value == 0 else "pattern",
        "blank",
        say("the image is {what}: the chip is empty, or it never drove its outputs", what=what),
        advice,
        where={"value": value},
        evidence=say("all {count:,} bytes are {value:02X}; {apart}", count=len(image), value=value, apart=apart),
        score=-4.0 * math.log2(max(len(image), 2)),
    )


def unknown(image: np.ndarray, evidence: str) -> Hypothesis:
    return Hypothesis(
        "unknown",
        "unknown",
        say("the contents differ from what is expected, in no pattern that names a cause"),
        say("Read it two more times and compare the reads. Find out which board or revision it comes from."),
        evidence=evidence,
        score=PRIOR_BITS["unknown"] + 5.0 * len(image),
    )
