"""From an image and what is expected of it to a verdict: matches, or what kind of wrong, with reason and next check."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cache

import numpy as np

from loyal_trace.core.roms.against import against_other_size
from loyal_trace.core.roms.by_checksums import Expected, from_checksums, from_elsewhere, put_back, several_contents
from loyal_trace.core.roms.forensics import examine
from loyal_trace.core.roms.hypotheses import Hypothesis
from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage
from loyal_trace.core.roms.pieces import Whole
from loyal_trace.core.roms.voting import moving_bits
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of

_NEVER_SETTLED = ("unknown", "garbage", "few-bytes", "bits-faded", "bits-lost", "patched", "other-slot", "unstable")
_OPEN = ("unknown", "garbage", "patched", "few-bytes")
VERDICTS = (
    "matches",
    "other-revision",
    "other-slot",
    "blank",
    "stuck-data",
    "stuck-address",
    "few-bytes",
    "unstable",
    "wrong-size",
    "unknown",
)


@dataclass(frozen=True)
class RomVerdict:
    """The coarse verdict, its reason in a sentence, the next check, and the ranked hypotheses behind it."""

    verdict: str
    reason: str
    next: str
    hypotheses: tuple[Hypothesis, ...]

    @property
    def good(self) -> bool:
        return self.verdict == "matches"


def _only(found: Hypothesis) -> RomVerdict:
    return RomVerdict(found.verdict, found.reason, found.next, (found,))


def _settled(verdict: str, reason: str, advice: str, **where: object) -> RomVerdict:
    only = Hypothesis(verdict, verdict, reason, advice, 1.0, dict(where), say("proved by its checksums"))
    return _only(only)


@cache
def _right(detail: str, firmwares: tuple[str, ...]) -> RomVerdict:
    """One verdict for all images that are right in the same way: large sets have thousands."""
    return _settled(
        "matches", say("contents match: {detail}", detail=detail), say("No repair needed."), firmware=list(firmwares)
    )


def judge(image: RomImage, expected: Expected, known: ChecksumList, other_reads: Sequence[bytes] = ()) -> RomVerdict:
    """The verdict on one image. `known` holds all sums of the set; `other_reads` are further reads of the same chip."""
    proved = _by_digest(image, expected, known)
    flicker = _unstable(image, other_reads, proved)
    if proved:
        return flicker or proved
    own = _by_content(image, expected, known)
    if flicker and not settled_damage(own):
        return flicker
    return replace(own, reason=say("{reason}; another read of it differs", reason=own.reason)) if flicker else own


def settled_damage(verdict: RomVerdict) -> bool:
    """Damage that one cause explains to the last byte: a read like that says what it is even if another differs."""
    top = verdict.hypotheses[0]
    return top.kind not in _NEVER_SETTLED and not top.unexplained


def _by_content(image: RomImage, expected: Expected, known: ChecksumList) -> RomVerdict:
    """What the content itself shows, once the sums have said that it is not right."""
    if image.gaps:
        return _with_gaps(image, expected)
    several = several_contents(image, expected, known)
    if several:
        return _only(several)
    wrong_size = _wrong_size(image, expected, known)
    if wrong_size:
        sized = against_other_size(image.data, expected.reference, names=expected.names) if expected.reference else ()
        if sized:
            top = sized[0]
            if wrong_size.hypotheses[0].kind not in ("unknown", "half-read"):
                return replace(wrong_size, hypotheses=sized)
            return RomVerdict(
                "wrong-size", say("{reason}; {reason2}", reason=wrong_size.reason, reason2=top.reason), top.next, sized
            )
        found = put_back(image, expected) if wrong_size.hypotheses[0].kind == "unknown" else None
        return _only(found) if found else wrong_size
    reference = expected.reference_of_size(image.size)
    ranked = examine(image.data, reference, expected.names)
    if reference is None and ranked[0].verdict != "blank":
        ranked = from_checksums(image, expected, ranked)
    if ranked[0].kind in _OPEN:
        ranked = from_elsewhere(image, expected, ranked)
    top = ranked[0]
    return RomVerdict(top.verdict, top.reason, top.next, ranked)


def _with_gaps(image: RomImage, expected: Expected) -> RomVerdict:
    """A file of records that leaves addresses out: filled with 00 it may be right, else it was cut."""
    filled = bytearray(image.data)
    for first, last in image.gaps:
        filled[first : last + 1] = bytes(last + 1 - first)
    right = any(entry.accepts(RomImage("", bytes(filled))) for entry in expected.own)
    shown = joined(", ", (say("{first:04X} to {last:04X}", first=first, last=last) for first, last in image.gaps[:4]))
    reason = say("the records of the file leave out {shown}", shown=shown) + (" …" if len(image.gaps) > 4 else "")
    first, last = image.gaps[0][0], image.gaps[-1][1]
    where: dict[str, object] = {"from": first, "to": last, "gaps": [list(gap) for gap in image.gaps], "site": "file"}
    reason += say("; filled with 00 every checksum matches") if right else ""
    advice = (
        say("Write it as a plain binary, with those bytes 00.")
        if right
        else say("Save it again with all its addresses.")
    )
    return _only(
        Hypothesis("part-blank", "unknown", reason, advice, 1.0, where, say("by the addresses of its records"))
    )


def accepted_verdict(own: tuple[KnownChecksum, ...], accepting: Sequence[KnownChecksum], firmware: str) -> RomVerdict:
    """The verdict on an image whose own sums (one at least, the accepting ones) agree: right, or right elsewhere."""
    firmwares = sorted({entry.firmware for entry in accepting} - {""})
    if not firmwares or not firmware or firmware in firmwares:
        every = {entry.firmware for entry in own}
        same = len(every) > 1 and set(firmwares) == every
        return _right(
            say("the same in every firmware revision") if same else _right_by(own, firmwares), tuple(firmwares)
        )
    return _settled(
        "other-revision",
        say(
            "contents of firmware {firmwares}; this set is firmware {firmware}",
            firmwares=firmwares[0],
            firmware=firmware,
        ),
        say("The chip can be good. Decide which revision the board runs, and make the set of one revision."),
        firmware=firmwares,
    )


def part_of_whole(whole: Whole, part: int, names: Sequence[str]) -> RomVerdict:
    """The verdict on a file that holds one half, quarter or byte lane of a content which several files make up."""
    place = whole.entry.place or whole.entry.name
    what = say("byte lane {part}", part=part) if whole.lanes else say("part {part}", part=part + 1)
    others = joined(", ", (name for number, name in enumerate(names) if number != part))
    reason = say(
        "{what} of {count} of {place}; with {others} every checksum matches",
        what=what,
        count=len(names),
        place=place,
        others=others,
    )
    how = "roms convert --interleave" if whole.lanes else "roms convert"
    where = {"slot": place, "part": part, "of": len(names), "with": list(names)}
    kind = "lane-wrong" if whole.lanes else "half-read"
    advice = say("Put the parts together ({how} {names} OUT) and check the whole.", how=how, names=joined(" ", names))
    return _only(
        Hypothesis(kind, "wrong-size", reason, advice, 1.0, where, say("the whole is proved by its checksums"))
    )


def _by_digest(image: RomImage, expected: Expected, known: ChecksumList) -> RomVerdict | None:
    """What the sums prove: right, right for another revision, or right for another slot."""
    accepting = [entry for entry in expected.own if entry.accepts(image)]
    if accepting:
        return accepted_verdict(expected.own, accepting, expected.firmware)
    elsewhere = known.matching(image)
    if elsewhere:
        home = elsewhere[0]
        place = home.place or home.name
        if home.board and expected.board and home.board != expected.board:
            place = say("{place} of board {board}", place=place, board=home.board)
        return _settled(
            "other-slot",
            say(
                "these are the contents listed for {place}{firmware}",
                place=place,
                firmware=" (firmware " + home.firmware + ")" if home.firmware else "",
            ),
            say(
                "If the chip sits in the wrong socket, move it to {place}. If only the file has another "
                "name, ignore this.",
                place=place,
            ),
            slot=home.place or home.name,
            board=home.board,
        )
    return None


def _right_by(own: tuple[KnownChecksum, ...], firmwares: list[str]) -> str:
    if firmwares:
        return say("firmware {firmwares}", firmwares=firmwares[0])
    algorithms = sorted({a for entry in own for a, _ in entry.digests})
    weak = say(", a weak proof: many wrong images agree too") if all(entry.weak for entry in own) else ""
    return say("all checksums match ({algorithms}{weak})", algorithms=joined(", ", algorithms), weak=weak)


def _unstable(image: RomImage, other_reads: Sequence[bytes], proved: RomVerdict | None) -> RomVerdict | None:
    """Reads that disagree: where, on which data lines, and whether a majority settles it."""
    differing = [read for read in other_reads if read != image.data]
    if not differing:
        return None
    if proved and proved.verdict == "matches":
        reason = say(
            "this read matches, but {count} of {count2} other reads differ: it is marginal",
            count=len(differing),
            count2=len(other_reads),
        )
    else:
        reason = say("{count} reads do not agree with each other", count=len(differing) + 1)
    flips = moving_bits([image.data, *(read for read in differing if len(read) == image.size)])
    places = np.flatnonzero(flips)
    lines = [line for line in range(8) if (flips >> line & 1).any()]
    detail = (
        say(
            " ({bytes} change, on {lines})",
            bytes=count_of(len(places), "byte"),
            lines=joined(", ", (f"D{line}" for line in lines)),
        )
        if lines
        else ""
    )
    advice = say(
        "Clean pins and socket, reseat the chip and read it three times. If it still changes, "
        "read it at a lower supply (4.5 to 4.75 V): faded cells come back."
    )
    found = Hypothesis(
        "unstable",
        "unstable",
        reason + detail,
        advice,
        1.0,
        {"data": lines, "offsets": [int(p) for p in places[:64]]},
        say("{count} reads compared byte by byte", count=len(other_reads) + 1),
    )
    return _only(found)


def _wrong_size(image: RomImage, expected: Expected, known: ChecksumList) -> RomVerdict | None:
    sizes = {entry.size for entry in expected.own if entry.size is not None}
    size = expected.size or (len(expected.reference) if expected.reference is not None else None)
    wanted = sizes or ({size} if size else set()) or _proved_sizes(image, expected)
    if not wanted or image.size in wanted:
        return None
    right = sorted(w for w in wanted if w is not None)[0]
    kind, reason = (
        "unknown",
        say("{bytes}, but {right:,} are expected", bytes=count_of(image.size, "byte"), right=right),
    )
    advice = say("Choose the device again at the reader and read it again.")
    if image.size & (image.size - 1):
        advice = say(
            "Memory chips hold a power of two of bytes, so the file probably lost or gained some on the way: transfer "
            "it again and compare the sizes. Else read the chip again."
        )
    if image.size > right:
        starts = [o for o in range(0, image.size - right + 1, right) if _part_fits(image, o, right, expected)]
        if starts:
            place = say("{starts:04X}", starts=starts[0])
            times = image.size // right
            again = image.size == times * right and image.data == image.data[:right] * times
            kind = "doubled" if again else "header" if starts[0] else "overdump"
            reason += say(
                "; the {bytes} from {place} on match (read too far, or doubled)",
                bytes=count_of(right, "byte"),
                place=place,
            )
            advice = say(
                "Keep {right:,} bytes from {place}, and set the reader to the right device.", right=right, place=place
            )
    elif image.size and right in (2 * image.size, 4 * image.size) and len(set(image.data)) > 1:
        kind = "half-read"
        part = say("half") if right == 2 * image.size else say("a quarter")
        reason = say("{reason}: exactly {part}", reason=reason, part=part)
        advice = say(
            "It may be one part of a chip read as a smaller one, or one of several byte lanes. Choose the device "
            "again; else look for the other byte lanes."
        )
    where: dict[str, object] = {"size": image.size, "expected": right}
    only = Hypothesis(kind, "wrong-size", reason, advice, 1.0, where, say("by its size and its checksums"))
    return _only(only)


def _proved_sizes(image: RomImage, expected: Expected) -> set[int]:
    """Without a known size: a half, quarter or eighth of the image whose sums are right tells it."""
    parts = (image.size // count for count in (2, 4, 8) if image.size and image.size % count == 0)
    return {s for s in parts if any(_part_fits(image, start, s, expected) for start in range(0, image.size, s))}


def _part_fits(image: RomImage, start: int, size: int, expected: Expected) -> bool:
    part = RomImage(image.name, image.data[start : start + size])
    return any(entry.accepts(part) and not entry.weak for entry in expected.own) or (
        expected.reference is not None and part.data == expected.reference
    )
