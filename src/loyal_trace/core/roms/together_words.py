"""An account of several faults as one explanation: each named with its lines, what is left counted, what to do."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from loyal_trace.core.roms.hypotheses import Hypothesis, PinNames
from loyal_trace.core.roms.line_shows import LineShows, is_right
from loyal_trace.core.roms.maps import PARTS, Bytes
from loyal_trace.core.roms.together import Account
from loyal_trace.core.vocabulary.phrases import joined, say, say_count
from loyal_trace.core.vocabulary.units import count_of

# Kinds that the search for single faults does not know.
_ONLY_HERE = ("data-noisy", "address-noisy")
_VERDICTS = {"data-stuck-0": "stuck-data", "data-stuck-1": "stuck-data", "address-stuck": "stuck-address"}


@dataclass(frozen=True)
class Fault:
    """One fault: its kind, in words, and its lines (`data`, `address`) or range (`from`, `to`)."""

    kind: str
    words: str
    where: Mapping[str, object] = field(default_factory=dict)

    @property
    def told(self) -> dict[str, object]:
        return {"kind": self.kind, **self.where}

    def lines(self, which: str) -> tuple[int, ...]:
        named = self.where.get(which)
        return tuple(named) if isinstance(named, list) else ()


def faults_of(account: Account, size: int) -> tuple[Fault, ...]:
    """Every fault of the account, address lines first."""
    return (
        *(Fault(one.kind, one.words, _with_level(list(one.lines), one.level)) for one in account.reading.maps),
        *_floating(account.reading.floating),
        *_on_data_lines(account.shown, size),
        *(Fault("data-noisy", say("D{line} reads at random", line=n), {"data": [n]}) for n in account.noisy),
        *_unread(account),
    )


def _with_level(lines: list[int], level: int | None) -> dict[str, object]:
    return {"address": lines} if level is None else {"address": lines, "level": level}


def _floating(mask: int) -> Iterator[Fault]:
    if mask:
        line = mask.bit_length() - 1
        words = say("A{line} floats: each byte is the right one or the one {size:,} away", line=line, size=mask)
        yield Fault("address-noisy", words, {"address": [line]})


def _unread(account: Account) -> Iterator[Fault]:
    if account.blank:
        start, end = account.blank
        words = say("{start:04X} to {end:04X} holds one byte throughout", start=start, end=end)
        yield Fault("part-blank", words, {"from": start, "to": end})


def _on_data_lines(shown: Sequence[LineShows], size: int) -> Iterator[Fault]:
    """The faults of the data lines: lines that show each other belong together."""
    wrong = [one for one in shown if not is_right(one)]
    moved = {one.line: one.source.lines[0] for one in wrong if one.source.kind == "line"}
    told: set[tuple[int, ...]] = set()
    for one in wrong:
        fault = _one_line(one, moved)
        lines = fault.lines("data")
        if fault.kind in ("data-bridged", "data-swapped") and lines in told:
            continue
        told.add(lines)
        yield _within(fault, one, size)


def _one_line(one: LineShows, moved: Mapping[int, int]) -> Fault:
    line, source = one.line, one.source
    if source.kind == "steady":
        word = say("high") if source.level else say("low")
        words = say("D{line} reads {word}", line=line, word=word)
        return Fault(f"data-stuck-{source.level}", words, {"data": [line], "level": source.level})
    if source.kind == "inverted":
        return Fault("inverted", say("D{line} is inverted", line=line), {"data": [line]})
    if source.kind == "joined":
        a, b = source.lines
        name = say("high") if source.level else say("low")
        words = say("D{a} and D{b} are bridged, {name} wins", a=a, b=b, name=name)
        return Fault("data-bridged", words, {"data": [a, b]})
    near = source.lines[0]
    if near not in moved:
        words = say("D{line} is open and follows D{near}", line=line, near=near)
        return Fault("data-bridged", words, {"data": sorted((line, near))})
    if moved[near] == line:
        a, b = sorted((line, near))
        return Fault("data-swapped", say("D{a} and D{b} are exchanged", a=a, b=b), {"data": [a, b]})
    words = joined(", ", (say("D{line} shows D{order}", line=n, order=moved[n]) for n in sorted(moved)))
    return Fault("data-swapped", words, {"data": sorted(moved)})


def _within(fault: Fault, one: LineShows, size: int) -> Fault:
    if (one.start, one.end) == (0, PARTS):
        return fault
    first, last = one.start * size // PARTS, one.end * size // PARTS - 1
    words = say("{words} from {first:04X} to {last:04X}", words=fault.words, first=first, last=last)
    return Fault(fault.kind, words, {**fault.where, "from": first, "to": last})


def told_together(image: Bytes, reference: Bytes, account: Account | None, names: PinNames) -> Hypothesis | None:
    """The account as one explanation; None when it has nothing that the search for single faults does not know."""
    faults = faults_of(account, len(image)) if account is not None else ()
    if account is None or (len(faults) < 2 and not any(fault.kind in _ONLY_HERE for fault in faults)):
        return None
    return as_explanation(image, reference, account, names)


def as_explanation(image: Bytes, reference: Bytes, account: Account, names: PinNames) -> Hypothesis:
    """An account of one fault at least, as an explanation."""
    faults = faults_of(account, len(image))
    left = len(account.wrong)
    explained = int(np.count_nonzero(image != reference)) - left
    return explanation(faults, names, account.cost, left, max(explained, 0), besides(image, account))


def explanation(
    faults: Sequence[Fault], names: PinNames, cost: float, left: int, explained: int, rest: str
) -> Hypothesis:
    """One explanation of several faults: the first gives it its kind, each is listed in `where`."""
    where: dict[str, object] = {}
    for which in ("data", "address"):
        lines = sorted({line for fault in faults for line in fault.lines(which)})
        if lines:
            where[which] = lines
    where["faults"] = [fault.told for fault in faults]
    if len(faults) == 1:
        where = {**faults[0].where, **where}
    list_of = joined("; ", (fault.words for fault in faults))
    reason = (
        say("{count} faults together: {list}", count=len(faults), list=list_of) if len(faults) > 1 else faults[0].words
    )
    evidence = say("explains {wrong_bytes}, leaves {left:,}", wrong_bytes=count_of(explained, "wrong byte"), left=left)
    kind = faults[0].kind
    return Hypothesis(
        kind,
        _VERDICTS.get(kind, "unknown"),
        reason if not left else say("{reason}; {rest}", reason=reason, rest=rest),
        advice(faults, names),
        where=where,
        evidence=evidence,
        score=cost,
        unexplained=left,
    )


def besides(image: Bytes, account: Account) -> str:
    """What the faults leave, in words: `besides, 3 bytes differ (0 bits turned to 1, 5 to 0)`."""
    if not len(account.wrong):
        return ""
    here, there = image[account.wrong], account.predicted[account.wrong]
    raised, dropped = int(np.bitwise_count(here & ~there).sum()), int(np.bitwise_count(there & ~here).sum())
    return say_count(
        len(account.wrong),
        "besides, {count:,} byte differs ({raised:,} bits turned to 1, {dropped:,} to 0)",
        "besides, {count:,} bytes differ ({raised:,} bits turned to 1, {dropped:,} to 0)",
        raised=raised,
        dropped=dropped,
    )


def advice(faults: Sequence[Fault], names: PinNames) -> str:
    """What to do about several faults: the pins of all lines first."""
    address = sorted({line for fault in faults for line in fault.lines("address")})
    data = sorted({line for fault in faults for line in fault.lines("data")})
    pins = [names.line(f"A{n}") for n in address] + [names.line(f"D{n}") for n in data]
    if not pins:
        return say("Read it again with the right device, and compare the reads.")
    shown = joined(", ", pins) if len(pins) < 12 else say("all lines")
    once = say("Check {pins}: pins, socket contacts and bridges between them. Then read it again.", pins=shown)
    if len(pins) < 2:
        return say("{once} A line that floats changes from read to read: compare two reads.", once=once)
    return say(
        "{once} Read a good chip of the type with the same settings: the same faults there are the reader's.", once=once
    )
