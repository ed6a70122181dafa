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

from loyal_trace.core.roms.advice import HALF_ADVICE, NEXT
from loyal_trace.core.roms.content import entropy_of
from loyal_trace.core.roms.hypotheses import (
    NO_DEVICE,
    PRIOR_BITS,
    Hypothesis,
    PinNames,
    address_lines,
    blank_image,
    few_bytes,
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
from loyal_trace.core.roms.shapes import Shape, shapes
from loyal_trace.core.roms.together import account_of
from loyal_trace.core.roms.together_words import as_explanation, faults_of, told_together
from loyal_trace.core.vocabulary.phrases import joined, say, say_count
from loyal_trace.core.vocabulary.units import count_of

# Places looked at before a fault of address lines is tried in full: enough to rank hundreds of maps in milliseconds.
_SAMPLE = 4096
# The best of a sample are judged in full.
_KEPT = 8
_SHAPES_LOOKED_INTO = 3
_ONE_WAY = 8
# What leaves more than a third of the wrong bytes explains nothing.
_EXPLAINS = 3
_CONSTANT = 0.98
# Explanations up to this many bits, or of a few bytes, leave no room for several faults together.
_CHEAP, _FEW = 60.0, 32
_LEAST_SHOWN = 3
# Scores are description lengths in bits: what it takes to write down the fault and everything it leaves unexplained.
_PER_BYTE = 8.0
# A fault that leaves more than a third of the sample wrong explains nothing.
_PLAUSIBLE = 0.35
# Programs and graphics stay below; noise and compressed content come near eight.
_GARBAGE_BITS = 7.0
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
        *_simple(image, reference, names),
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


def residual_cost(image: Bytes, predicted: Bytes) -> tuple[int, float, str]:
    """What a prediction leaves: how many bytes are wrong, the bits to write them down, and in words.

    A byte with a single wrong bit is cheaper than one that is wrong altogether.
    """
    places = np.flatnonzero(image != predicted)
    if not len(places):
        return 0, 0.0, say("every byte is explained")
    here, there = image[places], predicted[places]
    flips = np.unpackbits((here ^ there)[:, None], axis=1).sum(axis=1)
    raised, dropped = int(np.unpackbits(here & ~there).sum()), int(np.unpackbits(there & ~here).sum())
    each = math.log2(max(len(image), 2))
    cost = len(places) * each + 3.0 * int((flips == 1).sum()) + _PER_BYTE * int((flips > 1).sum())
    what = say("bits faded to 1") if not dropped else say("bits lost to 0") if not raised else say("bits differ")
    return (
        len(places),
        cost,
        say(
            "besides, {raised:,} {what} in {bytes}",
            raised=raised + dropped,
            what=what,
            bytes=count_of(len(places), "byte"),
        ),
    )


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
                    float(wrong[number]) * (_PER_BYTE + math.log2(len(image))) + where_bits + maps[number].bits,
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


def _elsewhere(left: int) -> str:
    """What is true of all other bytes of the image."""
    return (
        say_count(left, "{count:,} other byte differs", "{count:,} other bytes differ")
        if left
        else say("every other byte matches")
    )


def _only_within(made: Hypothesis, start: int, end: int) -> Hypothesis:
    """The same damage in a range of addresses, with what that says of its cause."""
    reason = say(
        "{reason}, only from {start:04X} to {end:04X}; {elsewhere}: a cell row, a decoder inside the chip, "
        "or an address line is involved",
        reason=made.reason,
        start=start,
        end=end,
        elsewhere=_elsewhere(made.unexplained),
    )
    return replace(made, reason=reason, where={**made.where, "from": start, "to": end})


def _simple(image: Bytes, reference: Bytes, names: PinNames) -> Iterator[Hypothesis]:
    """Blank, in part too, pattern, garbage, faded or lost bits, few bytes, edits that belong together, slow outputs."""
    blank = blank_image(image, names)
    if blank is not None:
        yield blank
        return
    few = few_bytes(image, reference)
    if few is not None:
        yield few
    yield from (many for many in _many_bits(image, reference) if few is None or many.kind != few.kind)
    for maker in (_pattern, _garbage, _patched, _slow):
        found = maker(image, reference)
        if found is not None:
            yield found
    part = _part_blank(image, reference, names)
    if part is not None:
        yield part


def _slow(image: Bytes, reference: Bytes) -> Hypothesis | None:
    """Bytes that are still those of the address before: outputs that follow too late."""
    places = np.flatnonzero(image != reference)
    places = places[places > 0]
    late = int(np.count_nonzero(image[places] == reference[places - 1]))
    # Repeats in the content lag by themselves: only many, and nearly all of the wrong ones, are a slow output.
    if late < 16 or late < 0.9 * len(places) or late > 0.7 * len(image):
        return None
    left = len(places) - late
    reason = say(
        "{bytes} still show the byte of the address before: select or output enable is too slow",
        bytes=count_of(late, "byte"),
    )
    cost = len(image) * _entropy(len(places) / len(image)) + left * (math.log2(len(image)) + _PER_BYTE)
    return Hypothesis(
        "shifted",
        "unknown",
        reason,
        NEXT["slow"],
        evidence=say("{late:,} of {count:,} wrong bytes show the address before", late=late, count=len(places)),
        where={"offsets": [int(p) for p in places[:64]], "site": "select"},
        score=14.0 + cost,
        unexplained=left,
    )


def _many_bits(image: Bytes, reference: Bytes) -> Iterator[Hypothesis]:
    """Cells that all lost their charge one way, too many to list."""
    raised, dropped = image & ~reference, reference & ~image
    for kind, flips, other in (("bits-faded", raised, dropped), ("bits-lost", dropped, raised)):
        count = int(np.unpackbits(flips).sum())
        if count and not other.any():
            share = count / (8 * len(image))
            to = "1" if kind == "bits-faded" else "0"
            cost = 8 * len(image) * _entropy(share) if share < 0.5 else math.inf
            reason = say(
                "{bits} wrongly read 1, none the other way: suggests cells that faded with age"
                if to == "1"
                else "{bits} wrongly read 0, none the other way: suggests cells that were programmed or cannot be read",
                bits=count_of(count, "bit"),
            )
            advice = say(
                "Only 1→0 changes are needed, so it can be programmed over. Erasing "
                "first is safer: the other cells are as old."
            )
            places = np.flatnonzero(flips)[:64]
            yield Hypothesis(
                kind,
                "few-bytes",
                reason,
                advice if to == "1" else NEXT["bits-lost"],
                where={"offsets": [int(p) for p in places]},
                evidence=_cluster(flips),
                score=PRIOR_BITS["few-bytes"] + 3 + cost,
            )


def _entropy(share: float) -> float:
    return 0.0 if share in (0.0, 1.0) else -(share * math.log2(share) + (1 - share) * math.log2(1 - share))


def _cluster(flips: Bytes) -> str:
    """Are the bits scattered, or do they sit in rows or columns of the cell array?"""
    places = np.flatnonzero(flips)
    width = 1 << max(3, (len(flips).bit_length() - 1) // 2)
    rows, columns = np.bincount(places // width), np.bincount(places % width)
    lanes = [n for n in range(8) if (flips >> n & 1).any()]
    told = (
        say("on {lanes}", lanes=joined(", ", (f"D{n}" for n in lanes))) if len(lanes) < 8 else say("on all data lines")
    )
    if len(places) > 8 and rows.max() > 0.6 * len(places):
        return say("{told}, most in one row of cells around {argmax:04X}", told=told, argmax=int(rows.argmax()) * width)
    if len(places) > 8 and columns.max() > 0.6 * len(places):
        return say("{told}, most in one column of cells", told=told)
    return say("{told}, scattered over the array", told=told)


def _half_line(start: int, end: int, size: int) -> int | None:
    """The address line whose high or low half a stretch is, None when it is no such half."""
    if size & (size - 1) or end - start + 1 < size // 4:
        return None
    line = (end - start + 1).bit_length() - 1
    whole = end - start + 1 == 1 << line and start % (1 << line) == 0
    return line if whole and line < size.bit_length() - 1 else None


def _part_blank(image: Bytes, reference: Bytes, names: PinNames) -> Hypothesis | None:
    """One stretch reads FF (or 00) where content should be, the rest is right."""
    places = np.flatnonzero(image != reference)
    if len(places) < 8:
        return None
    start, end = int(places[0]), int(places[-1])
    value = int(image[start])
    if value not in (0, 255):
        return None
    predicted = reference.copy()
    predicted[start : end + 1] = value
    left, cost, _ = residual_cost(image, predicted)
    if np.count_nonzero(image[start : end + 1] == value) < _CONSTANT * (end - start + 1):
        return None
    word = say("{value:02X}", value=value)
    line = _half_line(start, end, len(image))
    side = (
        say("; that is where A{line} is high" if start >> line & 1 else "; that is where A{line} is low", line=line)
        if line is not None
        else ""
    )
    advice = (
        NEXT["part-blank"]
        if line is None
        else say("{first} {then}", first=say(HALF_ADVICE, line=names.line(f"A{line}")), then=NEXT["part-blank"])
    )
    return Hypothesis(
        "part-blank",
        "unknown",
        say(
            "{start:04X} to {end:04X} reads {word} throughout; {elsewhere}{side}",
            start=start,
            end=end,
            word=word,
            elsewhere=_elsewhere(left),
            side=side,
        ),
        advice,
        where={"from": start, "to": end, "value": value},
        evidence=say(
            "{bytes} of {word} where the reference image has other bytes",
            bytes=count_of(end - start + 1, "byte"),
            word=word,
        ),
        score=6.0 + 2 * math.log2(len(image)) + cost,
        unexplained=left,
    )


def _pattern(image: Bytes, reference: Bytes) -> Hypothesis | None:
    """A short pattern over and over, which the true image is not."""
    for period in (2, 4, 8, 16, 32, 64):
        if len(image) >= 4 * period and np.array_equal(image[period:], image[:-period]):
            shown = image[: min(period, 4)].tobytes().hex(" ").upper()
            reason = say(
                "the same {period} bytes ({shown} …) repeat throughout, as if the chip never drove its outputs",
                period=period,
                shown=shown,
            )
            evidence = say("repeats every {period} bytes", period=period)
            return Hypothesis(
                "pattern",
                "blank",
                reason,
                NEXT["pattern"],
                where={"period": period},
                evidence=evidence,
                score=20.0 + 8.0 * period,
            )
    return None


def _garbage(image: Bytes, reference: Bytes) -> Hypothesis | None:
    """As good as random, and no more like the true image than chance."""
    bits = entropy_of(np.bincount(image, minlength=256) / len(image))
    alike = float(np.count_nonzero(image == reference)) / len(image)
    # A short image cannot reach eight bits a byte, however random.
    if bits < min(_GARBAGE_BITS, math.log2(len(image)) - 2) or alike > 0.05:
        return None
    return Hypothesis(
        "garbage",
        "unknown",
        say("the contents look like noise: they resemble neither the reference image nor a program"),
        NEXT["garbage"],
        evidence=say(
            "{bits:.1f} bits a byte, {alike:.1f} % of the bytes agree by chance", bits=bits, alike=100 * alike
        ),
        score=PRIOR_BITS["unknown"] - 4 + 5.0 * len(image) - 4.0,
    )


def _both_ways(image: Bytes, reference: Bytes) -> tuple[tuple[Bytes, Bytes], tuple[Bytes, Bytes]]:
    return (image, reference), (reference, image)


def _patched(image: Bytes, reference: Bytes) -> Hypothesis | None:
    """A few edits, each of several bytes together: somebody changed it, no fault does that."""
    places = np.flatnonzero(image != reference)
    if len(places) < 3 or len(places) > 0.1 * len(image):
        return None
    gaps = np.flatnonzero(np.diff(places) > 8)
    starts, ends = places[np.r_[0, gaps + 1]], places[np.r_[gaps, len(places) - 1]]
    # Accidents are scattered single bytes; edits are few and each several bytes long.
    if len(starts) > 12 or len(places) < 2.5 * len(starts):
        return None
    # Whoever writes other bytes turns bits both ways; cells that fade turn them one way.
    raised, dropped = (int(np.bitwise_count(a[places] & ~b[places]).sum()) for a, b in _both_ways(image, reference))
    if min(raised, dropped) == 0 and raised + dropped >= _ONE_WAY:
        return None
    lengths = ends - starts + 1
    cost = float((lengths * 7.0 + 2 * math.log2(len(image))).sum())
    first = zip(starts[:3], ends[:3], strict=True)
    shown = joined(", ", (say("{s:04X}", s=s) + (say(" to {e:04X}", e=e) if e > s else "") for s, e in first))
    more = " …" if len(starts) > 3 else ""
    edits = [[int(s), int(e)] for s, e in zip(starts, ends, strict=True)]
    told = say(
        "{bytes} in {stretchs}",
        bytes=count_of(len(places), "byte"),
        stretchs=count_of(len(starts), "stretch", "stretches"),
    )
    reason = say(
        "{edits} of several bytes each ({shown}{more})", edits=count_of(len(starts), "edit"), shown=shown, more=more
    )
    return Hypothesis(
        "patched",
        "few-bytes",
        reason,
        NEXT["patched"],
        evidence=say("{told}; every other byte matches the reference image", told=told),
        where={"edits": edits, "offsets": [int(p) for p in places[:64]]},
        score=PRIOR_BITS["few-bytes"] + 5 + cost,
    )
