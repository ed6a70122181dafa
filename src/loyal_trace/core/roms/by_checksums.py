"""What sums and other slots' contents say of an image that is wrong here, without its own true image.

One wrong byte, a reversible change, a cut to the right size, several contents in one file, another slot's content.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.roms.against import against_reference
from loyal_trace.core.roms.content import likeness
from loyal_trace.core.roms.hypotheses import NO_DEVICE, Hypothesis, PinNames
from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage
from loyal_trace.core.roms.pieces import pieces_in
from loyal_trace.core.roms.restore import restore
from loyal_trace.core.roms.shapes import resembling
from loyal_trace.core.roms.undo import undo
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of

Bytes = NDArray[np.uint8]
_RESEMBLES = 0.8
# What it takes at most to write a content down once the other is known, as a share; and what a fault may leave of it.
_NEARLY_TOLD, _LEFT = 0.9, 0.05
_TRY_RESTORING = say(
    "Its checksums are known: Restore the contents can find two wrong bytes, three bits or a stuck stretch."
)


@dataclass(frozen=True)
class Expected:
    """What one ROM should be: the sums for its name or slot, the chosen firmware, and the true image if at hand.

    `others` gives true images of other slots and revisions by name, asked only when nothing else explains the content.
    """

    own: tuple[KnownChecksum, ...]
    firmware: str = ""
    size: int | None = None
    reference: bytes | None = None
    names: PinNames = NO_DEVICE
    others: Callable[[], Mapping[str, bytes]] = dict
    board: str = ""

    def reference_of_size(self, size: int) -> bytes | None:
        """The true image if it is at hand and of that size."""
        return self.reference if self.reference is not None and len(self.reference) == size else None


def several_contents(image: RomImage, expected: Expected, known: ChecksumList) -> Hypothesis | None:
    """A file with the contents of several slots: the pieces are named by their sums."""
    sizes = {entry.size for entry in expected.own if entry.size is not None} | {expected.size} - {None}
    right_size = image.size in sizes or expected.reference_of_size(image.size) is not None
    found = pieces_in(image.data, known)
    # A piece that is not known, in a file of the right size, is damage to be looked into, not another content.
    if found is None or (right_size and not all(found.names)):
        return None
    where = {"pieces": list(found.names), "lanes": found.lanes}
    how = "roms convert --lanes" if found.lanes else "roms convert --split"
    advice = say("Take it apart ({how} {count}) and check each piece in its own slot.", how=how, count=len(found.names))
    return Hypothesis(
        "joined",
        "other-slot" if right_size else "wrong-size",
        found.words,
        advice,
        1.0,
        where,
        say("each piece proved by its checksums"),
    )


def from_elsewhere(image: RomImage, expected: Expected, ranked: tuple[Hypothesis, ...]) -> tuple[Hypothesis, ...]:
    """Content that nothing explains here may be that of another slot or revision with some damage of its own."""
    here = np.frombuffer(image.data, dtype=np.uint8)
    others = {name: data for name, data in expected.others().items() if data != expected.reference}
    same_size = {name: np.frombuffer(data, np.uint8) for name, data in others.items() if len(data) == image.size}
    alike = {name: float(np.mean(data == here)) for name, data in same_size.items()}
    best = max(alike, key=lambda name: alike[name], default="")
    reference = expected.reference_of_size(image.size)
    own = float(np.mean(here == np.frombuffer(reference, np.uint8))) if reference is not None else 0.0
    # It must be nearer to the other slot than to its own: two revisions of one slot resemble each other too.
    if best and alike[best] >= _RESEMBLES and alike[best] > own:
        wrong = int(np.count_nonzero(same_size[best] != here))
        reason = say("these are the contents of {best}", best=best)
        if wrong:
            reason = say("these are the contents of {best}, except {bytes}", best=best, bytes=count_of(wrong, "byte"))
        share = say("{alike:.1f} % of the bytes agree", alike=100 * alike[best])
        return _before(_of_another(best, reason, wrong, share), ranked)
    top = ranked[0]
    if top.kind in ("unknown", "garbage"):
        changed = _explained_by_another(here, same_size, expected)
        if changed is not None:
            return _before(changed, ranked)
    told = likeness(here, others).words if image.size and top.kind in ("unknown", "garbage") else ""
    return (replace(top, evidence=joined("; ", (part for part in (top.evidence, told) if part))), *ranked[1:])


def _explained_by_another(here: Bytes, others: Mapping[str, Bytes], expected: Expected) -> Hypothesis | None:
    """The contents of another slot of which a line reads wrong: few bytes agree, and the fault explains the rest."""
    likeness_of = {name: resembling(here.tobytes(), data.tobytes()) for name, data in others.items()}
    best = min(likeness_of, key=lambda name: likeness_of[name], default="")
    if not best or likeness_of[best] > _NEARLY_TOLD:
        return None
    fault = against_reference(here, others[best], expected.names)[0]
    if not (fault.lines("data") or fault.lines("address")) or fault.unexplained > _LEFT * len(here):
        return None
    reason = say("these are the contents of {best}; besides, {fault}", best=best, fault=fault.reason)
    return _of_another(best, reason, fault.unexplained, fault.evidence)


def _of_another(name: str, reason: str, wrong: int, evidence: str) -> Hypothesis:
    advice = say("Check whether it belongs at {best}, and judge it there.", best=name)
    where: dict[str, object] = {"slot": name, "wrong": wrong}
    return Hypothesis("other-slot", "other-slot", reason, advice, 1.0, where, evidence)


def _before(proved: Hypothesis, ranked: tuple[Hypothesis, ...]) -> tuple[Hypothesis, ...]:
    """What is proved comes first; what was thought likely before has no likelihood left."""
    return (proved, *(replace(h, likelihood=0.0) for h in ranked))


def put_back(image: RomImage, expected: Expected) -> Hypothesis | None:
    """An image of another size that a cut or another order makes right, proved by its sums."""
    for entry in expected.own:
        # A checksum of a few bits agrees with one cut in some thousands: it proves none.
        undone = None if entry.weak else undo(image.data, entry.by_algorithm, entry.size or expected.size)
        if undone:
            reason = say(
                "{bytes}, but {count:,} are expected; {undone}",
                bytes=count_of(image.size, "byte"),
                count=len(undone.data),
                undone=undone.words,
            )
            reason = say("{reason}: the expected contents are in it ({proof})", reason=reason, proof=undone.proof)
            advice = (
                say("Transfer the file again in binary mode, or write the restored image.")
                if undone.kind == "text-mode"
                else say(
                    "Write the restored image of {count:,} bytes, and set the reader to the right device.",
                    count=len(undone.data),
                )
            )
            where = dict(undone.where)
            return Hypothesis(
                undone.kind, "wrong-size", reason, advice, 1.0, where, say("proved by {proof}", proof=undone.proof)
            )
    return None


def from_checksums(image: RomImage, expected: Expected, ranked: tuple[Hypothesis, ...]) -> tuple[Hypothesis, ...]:
    """With only the sums at hand: does changing a single byte make them right?"""
    for entry in expected.own:
        if entry.weak or (expected.firmware and entry.firmware not in ("", expected.firmware)):
            continue  # sums of a few bits agree with too much
        top = _one_wrong_byte(image, entry)
        if top:
            return _before(top, ranked)
        undone = undo(image.data, entry.by_algorithm)
        if undone:
            advice = say("Restore the order and verify twice. Find what wired or joined it that way.")
            reason = say(
                "{undone}; with that reversed every checksum matches ({proof})", undone=undone.words, proof=undone.proof
            )
            top = Hypothesis(
                undone.kind,
                "unknown",
                reason,
                advice,
                1.0,
                dict(undone.where),
                say("proved by {proof}", proof=undone.proof),
            )
            return _before(top, ranked)
    top = ranked[0]
    provable = any("crc32" in e.by_algorithm and len(e.digests) > 1 and not e.weak for e in expected.own)
    if provable and top.kind in ("unknown", "garbage"):
        return (
            replace(top, next=say("{next} {try_restoring}", next=top.next, try_restoring=_TRY_RESTORING)),
            *ranked[1:],
        )
    return ranked


def _one_wrong_byte(image: RomImage, entry: KnownChecksum) -> Hypothesis | None:
    """The one byte that makes every sum right, if there is exactly one."""
    digests = entry.by_algorithm
    found = restore(image.data, digests, most=1) if "crc32" in digests else None
    if found is None or not found.certain:
        return None
    (change,) = found.changes
    now, value = change.read, change.meant
    raised, dropped = now & ~value, value & ~now
    return Hypothesis(
        "bits-faded" if not dropped else "few-bytes",
        "few-bytes",
        say(
            "one byte is wrong: {offset:04X} is {now:02X} instead of {value:02X} (proved by {digests})",
            offset=change.offset,
            now=now,
            value=value,
            digests=joined(say(" and "), sorted(digests)),
        ),
        say(
            "Only 1→0 changes are needed, so it can be programmed over. Erasing first is safer: the other "
            "cells are as old."
        )
        if not dropped
        else say("Read it again. If it stays, erase it and program the restored image."),
        1.0,
        {"offsets": [change.offset], "bytes": [{"offset": change.offset, "is": now, "should_be": value}]},
        say(
            "{bit_count} bits turned to 1, {bit_count2} to 0",
            bit_count=raised.bit_count(),
            bit_count2=dropped.bit_count(),
        ),
    )
