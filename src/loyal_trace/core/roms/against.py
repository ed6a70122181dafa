"""An image held against the true one: every kind of damage scored by what it leaves unexplained.

The data lines are judged from joint histograms, whole and by aligned ranges; the address lines on a sample first, then
on the whole image; cells, blanks, edits and patterns by what differs. The best few are then measured byte by byte, and
what they leave is itself described (bits that faded beside a stuck line).
"""

import math
from collections.abc import Iterator, Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.roms.advice import NEXT
from loyal_trace.core.roms.against_bytes import beside_the_lines
from loyal_trace.core.roms.hypotheses import (
    NO_DEVICE,
    Hypothesis,
    PinNames,
    address_lines,
    rank,
    stuck_address,
    stuck_data,
    unknown,
)
from loyal_trace.core.roms.line_shows import RANGE_BITS
from loyal_trace.core.roms.maps import (
    PARTS,
    AddressMap,
    Bytes,
    DataMap,
    address_maps,
    data_maps,
    dead_line_maps,
    dead_lines,
    found_address_order,
    found_permutation,
    joint_histograms,
    ranges,
    spread_over,
)
from loyal_trace.core.roms.residual import PER_BYTE, elsewhere_words, residual_cost
from loyal_trace.core.roms.shapes import Shape, shapes
from loyal_trace.core.roms.together import account_of
from loyal_trace.core.roms.together_words import as_explanation, faults_of, told_together
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of

# Places looked at before a fault of address lines is tried in full: enough to rank hundreds of maps in milliseconds.
_SAMPLE = 4096
# The best of a sample are judged in full.
_KEPT = 8
_SHAPES_LOOKED_INTO = 3
# What leaves more than a third of the wrong bytes explains nothing.
_EXPLAINS = 3
# Explanations up to this many bits, or of a few bytes, leave no room for several faults together.
_CHEAP, _FEW = 60.0, 32
_LEAST_SHOWN = 3
# A fault that leaves more than a third of the sample wrong explains nothing.
_PLAUSIBLE = 0.35
# Below half a KiB a range is too short to tell a fault inside the chip from chance.
_RANGED = 512
_VERDICT_OF = {
    "data-stuck-0": "stuck-data",
    "data-stuck-1": "stuck-data",
    "address-stuck": "stuck-address",
    "blank": "blank",
    "all-zero": "blank",
    "pattern": "blank",
    "half-read": "wrong-size",
    "doubled": "wrong-size",
    "overdump": "wrong-size",
    "header": "wrong-size",
    "joined": "wrong-size",
    "text-mode": "wrong-size",
}


def against_reference(image: Bytes, reference: Bytes, names: PinNames, whole: bool = True) -> tuple[Hypothesis, ...]:
    """Ranked explanations of an image of the right size; not `whole`: a piece already put in its place."""
    wrong = int(np.count_nonzero(image != reference))
    told = say(
        "{bytes} of {count:,} differ, in no pattern known to the program",
        bytes=count_of(wrong, "byte"),
        count=len(image),
    )
    nothing = replace(unknown(image, told), unexplained=wrong)
    found = [
        *beside_the_lines(image, reference, names),
        *_on_data_lines(image, reference, names),
        *_on_address_lines(image, reference, names),
    ]
    # What explains no byte, or fewer than it costs to say, explains nothing.
    ranked = rank([nothing, *(h for h in found if h.score <= nothing.score and h.unexplained * _EXPLAINS < wrong)])
    if _worth_more(ranked[0], wrong):
        several = told_together(image, reference, account_of(image, reference), names)
        if several is not None and several.score < nothing.score:
            ranked = rank([*ranked, several])
    if whole and _worth_more(ranked[0], wrong):
        shaped = _of_shapes(image.tobytes(), reference.tobytes(), names)
        ranked = rank([*ranked, *(h for h in shaped if h.score <= nothing.score and h.unexplained < wrong)])
    return tuple(h for n, h in enumerate(ranked) if h.likelihood > 1e-6 or (n < _LEAST_SHOWN and h.kind != "unknown"))


def _worth_more(top: Hypothesis, wrong: int) -> bool:
    """Does the best explanation by one fault leave room for a better one by several?"""
    return bool(top.unexplained) or (top.score > _CHEAP and wrong > _FEW)


def against_other_size(
    data: bytes, reference: bytes, others: Mapping[str, bytes] | None = None, names: PinNames = NO_DEVICE
) -> tuple[Hypothesis, ...]:
    """Ranked explanations of an image of another size than the true one; empty when none is known here."""
    found = _of_shapes(data, reference, names, others)
    return rank(found) if found else ()


def _of_shapes(
    data: bytes, reference: bytes, names: PinNames, others: Mapping[str, bytes] | None = None
) -> list[Hypothesis]:
    """Every shape that explains the image, with what is wrong besides; those that leave least are looked into."""
    found = sorted(shapes(data, reference, others), key=lambda shape: (shape.wrong, shape.bits))
    return [h for h in (_from_shape(shape, names) for shape in found[:_SHAPES_LOOKED_INTO]) if h is not None]


def _from_shape(shape: Shape, names: PinNames) -> Hypothesis | None:
    """A shape and what is wrong besides; None when what is left shows that it is not this shape."""
    verdict = _VERDICT_OF.get(shape.kind, "unknown")
    alone = Hypothesis(
        shape.kind,
        verdict,
        shape.words,
        shape.advice,
        where=dict(shape.where),
        evidence=say("every byte is explained"),
        score=shape.bits,
    )
    if shape.read == shape.meant:
        return alone
    image, reference = np.frombuffer(shape.read, np.uint8), np.frombuffer(shape.meant, np.uint8)
    rest = _besides(shape, image, reference, names)
    if rest.kind in ("unknown", "garbage", "blank", "pattern", "all-zero"):
        return None
    where = {**shape.where, **{k: v for k, v in rest.where.items() if k not in shape.where}}
    where["faults"] = [{"kind": shape.kind, **shape.where}, *rest.faults]
    return replace(
        alone,
        reason=say("{shape}; besides, {rest}", shape=shape.words, rest=rest.reason),
        next=say("{first} {then}", first=shape.advice, then=rest.next),
        where=where,
        evidence=rest.evidence,
        score=shape.bits + rest.score,
        unexplained=rest.unexplained,
    )


def _besides(shape: Shape, image: Bytes, reference: Bytes, names: PinNames) -> Hypothesis:
    """What is wrong with the bytes of a shape once they are in their places."""
    if shape.there is not None:
        account = account_of(image, reference, shape.there)
        if account is not None and faults_of(account, len(image)):
            return as_explanation(image, reference, account, names)
        if not shape.alike:
            return unknown(image, "")
    return against_reference(image, reference, names, whole=False)[0]


def _explained(image: Bytes, reference: Bytes, predicted: Bytes) -> tuple[int, float, str]:
    """The residual of a prediction for one kind of line damage, and the evidence sentence for it."""
    left, cost, besides = residual_cost(image, predicted)
    explained = int(np.count_nonzero(reference != predicted))
    evidence = say(
        "explains {wrong_bytes}, leaves {left:,}", wrong_bytes=count_of(explained, "wrong byte"), left=left
    ) + (say("; {besides}", besides=besides) if left else "")
    return left, cost, evidence


def _on_data_lines(image: Bytes, reference: Bytes, names: PinNames) -> Iterator[Hypothesis]:
    """Stuck, bridged, swapped, reversed and inverted data lines, everywhere or in one aligned range."""
    joint = joint_histograms(image, reference)
    parts = len(joint)
    maps = [*data_maps()]
    found_order = found_permutation(joint.sum(axis=0))
    if found_order is not None:
        maps.append(found_order)
    tables = np.array([m.table for m in maps])
    rows = np.arange(256)
    right = np.array([block[rows[None, :], tables].sum(axis=1) for block in joint])
    same = np.array([int(np.trace(block)) for block in joint])
    each = joint.sum(axis=(1, 2))
    scored: list[tuple[float, DataMap, int, int]] = []
    for start, end in ranges(parts):
        outside = int((each - same).sum() - (each - same)[start:end].sum())
        wrong = each[start:end].sum() - right[start:end].sum(axis=0) + outside
        where_bits = 0.0 if end - start == parts else 6.0 + math.log2(parts)
        for number in np.argsort(wrong)[:_KEPT]:
            scored.append(
                (
                    float(wrong[number]) * (PER_BYTE + math.log2(len(image))) + where_bits + maps[number].bits,
                    maps[number],
                    start,
                    end,
                )
            )
    for _, one, start, end in sorted(scored, key=lambda s: s[0])[:_KEPT]:
        first, last = start * len(image) // parts, end * len(image) // parts
        predicted = reference.copy()
        predicted[first:last] = one.table[reference[first:last]]
        if not np.array_equal(predicted, reference):  # a line that is always low explains nothing by being stuck low
            yield _data_hypothesis(image, reference, predicted, one, first, last, names)


def _data_hypothesis(
    image: Bytes, reference: Bytes, predicted: Bytes, one: DataMap, start: int, end: int, names: PinNames
) -> Hypothesis:
    left, cost, evidence = _explained(image, reference, predicted)
    whole = end - start == len(image)
    extra = 0.0 if whole else 6.0
    if one.kind.startswith("data-stuck"):
        made = stuck_data(one.lines[0], one.level or 0, names, evidence, cost + extra)
    else:
        lines = joined(", ", (names.line(f"D{n}") for n in one.lines)) if len(one.lines) < 3 else say("all data lines")
        advice = say("{next} ({lines})", next=NEXT.get(one.kind, ""), lines=lines).strip()
        verdict = _VERDICT_OF.get(one.kind, "unknown")
        made = Hypothesis(
            one.kind,
            verdict,
            one.words,
            advice,
            where=_where_of(one),
            evidence=evidence,
            score=one.bits + cost + extra,
        )
    if whole:
        return replace(made, unexplained=left)
    return replace(_only_within(replace(made, reason=one.words), start, end - 1), unexplained=left)


def _where_of(one: DataMap) -> dict[str, object]:
    """The lines; where some are exchanged and others inverted, each as a fault of its own."""
    if not one.inverted:
        return {"data": list(one.lines)}
    faults = [{"kind": one.kind, "data": list(one.lines)}, *({"kind": "inverted", "data": [n]} for n in one.inverted)]
    return {"data": sorted({*one.lines, *one.inverted}), "faults": faults}


def _on_address_lines(image: Bytes, reference: Bytes, names: PinNames) -> Iterator[Hypothesis]:
    """Stuck, bridged, swapped and inverted address lines, byte order and lanes: a sample first, then in full."""
    bits = address_lines(image)
    if not bits:
        return
    index = np.arange(len(image), dtype=np.int64)
    sample = spread(len(image))
    maps = list(address_maps(bits))
    maps += dead_line_maps(dead_lines(image, bits))
    order = found_address_order(image, reference, bits)
    if order is not None:
        maps.append(order)
    seen, same = image[sample], reference[sample] != image[sample]
    parts = PARTS if len(image) >= _RANGED else 1
    bounds = np.searchsorted(sample, np.arange(parts) * (len(image) // parts))
    wrong_without = np.add.reduceat(same.astype(np.int64), bounds)
    wrong = np.array(
        [np.add.reduceat((reference[one.source(sample)] != seen).astype(np.int64), bounds) for one in maps]
    )
    scored = _in_ranges(wrong, wrong_without)
    for share, number, (start, end) in sorted(scored)[:_KEPT]:
        if share <= _PLAUSIBLE * len(sample):
            within = index[start * len(image) // parts : end * len(image) // parts]
            yield _address_hypothesis(image, reference, maps[number], within, names)


def spread(size: int) -> NDArray[np.int64]:
    """The places of an image on which address lines are tried before the whole."""
    return spread_over(np.arange(size, dtype=np.int64), _SAMPLE)


def _in_ranges(wrong: NDArray[np.int64], without: NDArray[np.int64]) -> list[tuple[int, int, tuple[int, int]]]:
    """What each fault (a row) leaves wrong when it acts everywhere, and in the one aligned range where it leaves least.

    (bytes left wrong, number of the fault, range) for each; `without` is what is wrong in each part with no fault.
    """
    parts = len(without)
    inside = sorted(ranges(parts))
    starts, ends = np.array(inside).T
    by_fault, plain = _running(wrong), _running(without[None, :])
    left = by_fault[:, ends] - by_fault[:, starts] + plain[:, -1:] - (plain[:, ends] - plain[:, starts])
    best = left.argmin(axis=1)
    found = []
    for number, (everywhere, place) in enumerate(zip(by_fault[:, -1].tolist(), best.tolist(), strict=True)):
        found.append((everywhere, number, (0, parts)))
        least = int(left[number, place])
        if inside[place] != (0, parts) and least < everywhere and least < plain[0, -1]:
            found.append((least, number, inside[place]))
    return found


def _running(counts: NDArray[np.int64]) -> NDArray[np.int64]:
    """Running totals along each row, from nought: shape (rows, columns + 1)."""
    return np.pad(np.cumsum(counts, axis=1), ((0, 0), (1, 0)))


def _address_hypothesis(
    image: Bytes, reference: Bytes, one: AddressMap, within: NDArray[np.int64], names: PinNames
) -> Hypothesis:
    """A fault of address lines that acts within some addresses, all or an aligned range of them."""
    start, end, whole = int(within[0]), int(within[-1]), len(within) == len(image)
    predicted = reference.copy()
    predicted[start : end + 1] = reference[one.source(within)]
    left, cost, evidence = _explained(image, reference, predicted)
    cost += 0.0 if whole else RANGE_BITS
    if one.kind == "address-stuck" and len(one.lines) == 1:
        word = say("high") if one.level else say("low")
        made = stuck_address(one.lines[0], say("stuck {word}", word=word), names, evidence, cost, one.level)
    else:
        lines = joined(", ", (names.line(f"A{n}") for n in one.lines)) if 0 < len(one.lines) < 3 else ""
        advice = NEXT.get(one.kind, "") + (say(" ({lines})", lines=lines) if lines else "")
        verdict = _VERDICT_OF.get(one.kind, "unknown")
        made = Hypothesis(
            one.kind,
            verdict,
            one.words,
            advice,
            where={"address": list(one.lines)},
            evidence=evidence,
            score=one.bits + cost,
        )
    made = replace(made, unexplained=left)
    return made if whole else _only_within(made, start, end)


def _only_within(made: Hypothesis, start: int, end: int) -> Hypothesis:
    """The same damage in a range of addresses, with what that says of its cause."""
    reason = say(
        "{reason}, only from {start:04X} to {end:04X}; {elsewhere}: a cell row, a decoder inside the chip, "
        "or an address line is involved",
        reason=made.reason,
        start=start,
        end=end,
        elsewhere=elsewhere_words(made.unexplained),
    )
    return replace(made, reason=reason, where={**made.where, "from": start, "to": end})
