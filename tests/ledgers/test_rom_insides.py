"""The parts that the forensics are made of, each asked by itself: accounts, shapes, pieces, changes that can be undone."""

from itertools import product

import numpy as np
from benchmarks.rom_corpus import EVERY, samples
from benchmarks.rom_pairs import SORTS, pairs, sums_of

from loyal_trace.core.roms.alignment import aligned
from loyal_trace.core.roms.by_checksums import Expected
from loyal_trace.core.roms.consensus import consensus
from loyal_trace.core.roms.content import likeness
from loyal_trace.core.roms.forensics import examine
from loyal_trace.core.roms.identify import KnownImages, variants
from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage
from loyal_trace.core.roms.inside import looks_random
from loyal_trace.core.roms.lanes import data_bits, lanes_of, steady_lines, tied_pairs
from loyal_trace.core.roms.line_shows import bits_of, counted, is_right, mismatches, shows
from loyal_trace.core.roms.maps import dead_lines, found_address_order, found_permutation, joint_histograms, permuted
from loyal_trace.core.roms.pieces import pieces_in, wholes_of
from loyal_trace.core.roms.residual import residual_cost
from loyal_trace.core.roms.sets import revision_mix
from loyal_trace.core.roms.shapes import resembling, shapes
from loyal_trace.core.roms.together import account_of
from loyal_trace.core.roms.undo import undo
from loyal_trace.core.roms.verdicts import judge
from tests.helpers.ledger import hold


def bytes_of(data):
    return np.frombuffer(data, dtype=np.uint8)


def accounts():
    for number, pair in enumerate(pairs((8,), (512,), ("code", "text", "dense", "four-bit"))):
        if number % 12 == 0 and len(pair.damaged) == len(pair.true):
            yield f"{' and '.join(pair.names)}, {pair.sort}", account_of(bytes_of(pair.damaged), bytes_of(pair.true))
    rng = np.random.default_rng(81)
    true = SORTS["code"](rng, 512)
    for lines, share in (((2,), 0.3), ((1, 6), 0.3), ((1, 3, 6), 0.3), ((4,), 0.06), ((0, 7), 0.12)):
        noise = np.zeros(512, dtype=np.uint8)
        for line in lines:
            noise |= (rng.random(512) < share).astype(np.uint8) << line
        yield f"lines {lines} changing in {share:.0%} of the bytes", account_of(true ^ noise, true)


def left_over():
    """What a prediction leaves and what that costs, of bits one way, the other way and both."""
    rng = np.random.default_rng(80)
    image = rng.integers(0, 256, 256, dtype=np.uint8)
    for count, mask in product((0, 1, 5, 60), ((255, 0), (0, 255), (255, 255), (8, 0))):
        predicted = image.copy()
        places = rng.choice(256, count, replace=False)
        noise = rng.integers(0, 256, count, dtype=np.uint8)
        predicted[places] = image[places] & ~(noise & mask[0]) | noise & mask[1] & ~image[places]
        yield f"{count} bytes left, {mask}", residual_cost(image, predicted)


def blanks():
    """A stretch that was not read, of every length about the bounds, alone and beside a few wrong bytes."""
    rng = np.random.default_rng(82)
    true = rng.integers(1, 255, 512, dtype=np.uint8)
    for start, length in ((10, 70), (200, 66)):
        image = true.copy()
        image[start : start + length] = 0
        image[start + length : start + length + length // 2] ^= rng.integers(0, 2, length // 2, dtype=np.uint8) << 3
        yield f"{length} from {start} beside others", account_of(image, true)
    for start, length, value, holes in product((0, 100, 256), (7, 8, 60, 130, 256), (0, 255), (0, 2)):
        image = true.copy()
        image[start : start + length] = value
        for hole in range(holes):
            image[start + 3 + 2 * hole] = true[start + 3 + 2 * hole]
        found = examine(image.tobytes(), true.tobytes())
        yield (
            f"{length} from {start} read {value:02X}, {holes} holes",
            [(h.kind, h.reason, h.score, h.unexplained) for h in found[:3]],
        )


def slips():
    rng = np.random.default_rng(83)
    for size in (32, 64, 128, 256, 700):
        true = rng.integers(0, 256, size, dtype=np.uint8)
        for lost, at in product((1, 3, -2), (5, size // 2, size - 4)):
            slipped = np.delete(true, range(at, at + lost)) if lost > 0 else np.insert(true, at, [7] * -lost)
            for padded in (False, True):
                image = np.resize(np.r_[slipped, np.full(8, 255, np.uint8)], size) if padded else slipped
                found = aligned(image, true)
                yield f"{lost} lost at {at} of {size}, {padded}", found and (found.slips, int(found.there.sum()))


def test_accounts_blanks_and_slips():
    hold("roms-accounts", [*accounts(), *left_over(), *blanks(), *slips()])


def contents_shown():
    rng = np.random.default_rng(84)
    sorts = {name: make(rng, 512) for name, make in SORTS.items()}
    lines = bytes_of(b"\n".join(b"MOVE" for _ in range(60)) + b"\x01\x02\x03\x80" * 8)
    returns = bytes_of(b"\r\n".join(b"GO 12" for _ in range(60)) + b"\x01\x02\x90\x80" * 12)
    images = {**sorts, "lines": lines, "returns": returns, "noise": rng.integers(0, 256, 512, dtype=np.uint8)}
    images |= {
        "short noise": images["noise"][:40],
        "seven bits": images["noise"] & 0x7F,
        "tied": images["noise"] & 0xFC,
    }
    others = {name: image.tobytes() for name, image in sorts.items()}
    for name, image in images.items():
        found = lanes_of(image)
        yield (
            f"content: {name}",
            (
                likeness(image, {other: data for other, data in others.items() if other != name}),
                looks_random(image),
                (data_bits(image), steady_lines(found), tied_pairs(found)),
            ),
        )
        yield f"dead lines: {name}", [dead_lines(image, bits) for bits in (5, 8)] if len(image) == 512 else ()


def lines_shown():
    for kind, damaged, true in samples(85, (256,)):
        image, reference = bytes_of(damaged), bytes_of(true)
        if len(image) != len(reference):
            continue
        parts = [
            counted(*both) for both in zip(np.split(reference, 8), np.split(bits_of(image), 8, axis=1), strict=True)
        ]
        total, high = (np.array(some) for some in zip(*parts, strict=True))
        order = found_permutation(joint_histograms(image, reference).sum(axis=0))
        addresses = found_address_order(image, reference, 8)
        yield (
            f"lines: {kind}",
            (
                [one for one in shows(total, high) if not is_right(one)],
                mismatches(total, high),
                order and order.lines,
                addresses and (addresses.kind, addresses.lines, addresses.bits),
                round(resembling(damaged, true), 4),
            ),
        )


def test_contents_and_lines():
    hold("roms-lines", [*contents_shown(), *lines_shown()])


def shaped():
    rng = np.random.default_rng(86)
    true, other = (SORTS["code"](rng, 512).tobytes() for _ in range(2))
    half, quarter = len(true) // 2, len(true) // 4
    cases = {
        "lower half": true[:half],
        "upper half": true[half:],
        "third quarter": true[2 * quarter : 3 * quarter],
        "even bytes": true[::2],
        "last of four": true[3::4],
        "twice": true * 2,
        "halves of two": true[:half] + other[:half],
        "behind a header": b"\x55" * 16 + true,
        "before a trailer": true + b"\0" * 32,
        "behind and before": other[:8] + true + other[:9],
        "cut": true[:400],
        "cut and filled": true[:400].ljust(512, b"\xff"),
        "shifted": true[3:] + true[:3],
        "of two": true + other,
        "interleaved": bytes(b for two in zip(true, other, strict=True) for b in two),
        "of the other": other,
        "line ends": true.replace(b"\n", b"\r\n"),
        "no zeros": true.replace(b"\0", b""),
        "seven bits": bytes(b & 127 for b in true),
        "as text": true.decode("latin-1").encode(),
        "one lost": true[:99] + true[100:],
        "one more": true[:99] + b"x" + true[99:],
        "with wrong bytes": true[:20] + b"abc" + true[23:half],
    }
    sums = dict(sums_of(true))
    for name, data in cases.items():
        yield f"shape: {name}", [(s.kind, s.words, s.where, s.bits) for s in shapes(data, true, {"6B": other})]
        undone = undo(data, sums, len(true) if len(name) % 2 else None)
        yield f"undone: {name}", undone and (undone.kind, undone.words, undone.where, undone.proof)
        yield f"examined: {name}", [(h.kind, h.reason, h.likelihood) for h in examine(data, true)[:2]]
    turned = bytes_of(true)[np.arange(512) ^ 0x10] ^ 0x21
    swapped = permuted((1, 0, 2, 3, 4, 6, 5, 7), 0x09)[bytes_of(true)]
    for name, image in (("a line turned and others inverted", turned), ("exchanged and inverted", swapped)):
        for known in (sums, {"sha1": sums["sha1"]}, {"crc32": sums["crc32"]}):
            undone = undo(image.astype(np.uint8).tobytes(), known, thorough=True)
            yield (
                f"undone: {name} by {sorted(known)}",
                undone and (undone.kind, undone.words, undone.where, undone.proof),
            )
    order = found_permutation(joint_histograms(swapped, bytes_of(true)).sum(axis=0))
    yield "exchanged and inverted", order and (order.kind, order.lines, order.words, order.inverted)
    for name, image in {
        "two lines": permuted((0, 1, 2, 6, 4, 5, 3, 7), 0)[bytes_of(true)],
        "one turned": bytes_of(true) ^ 8,
        "nibbles": permuted((4, 5, 6, 7, 0, 1, 2, 3), 0)[bytes_of(true)],
        "all turned": bytes_of(true) ^ 255,
    }.items():
        undone = undo(image.astype(np.uint8).tobytes(), {"sha1": sums["sha1"]})
        yield f"undone: {name} by SHA-1 alone", undone and (undone.kind, undone.words, undone.where)
    for kind in ("data-swapped", "inverted", "bit-reversed", "address-swapped"):
        if kind in EVERY:
            damaged = EVERY[kind](rng, bytes_of(true)).tobytes()
            undone = undo(damaged, sums)
            yield f"undone: {kind}", undone and (undone.kind, undone.words, undone.where)


def put_together():
    rng = np.random.default_rng(87)
    parts = [rng.integers(0, 256, 64, dtype=np.uint8).tobytes() for _ in range(8)]
    known = ChecksumList([KnownChecksum(f"p{n}", sums_of(part), 64) for n, part in enumerate(parts)])
    for count in (1, 2, 3, 4, 8):
        some = parts[:count]
        yield f"{count} one after the other", pieces_in(b"".join(some), known)
        yield f"{count} as lanes", pieces_in(bytes(b for group in zip(*some, strict=True) for b in group), known)
    yield "the same twice, and one unknown", [pieces_in(x, known) for x in (parts[0] * 2, parts[0] + bytes(64), b"")]
    wholes = [
        KnownChecksum("w", sums_of(parts[1] + parts[0]), 128, firmware="A"),
        KnownChecksum("x", sums_of(b""), None),
    ]
    lanes = bytes(b for group in zip(*parts[2:6], strict=True) for b in group)
    wholes.append(KnownChecksum("l", sums_of(lanes), 256, firmware="B"))
    found = wholes_of(parts[:6], ChecksumList(wholes), {"w", "l"})
    yield "wholes", [(one.entry.name, one.order, one.lanes) for one in found]
    a, b, both = (KnownChecksum(name, (), 8, firmware=name) for name in ("A", "B", ""))
    for own, size in product(
        ((), (KnownChecksum("p0", sums_of(parts[0]), 64),), (KnownChecksum("q", (), 256),)), (None, 64, 256)
    ):
        told = judge(RomImage("p0", b"".join(parts[:4])), Expected(own, size=size), known)
        yield f"four as one, {size}, {[one.name for one in own]}", (told.verdict, told.reason, told.next)
    others = {"7A": parts[1], "7B": parts[2], "long": parts[3] * 2}
    for share, near in product((0.0, 0.1, 0.19, 0.25), ("7A", "7B")):
        moved = np.where(rng.random(64) < share, 0x55, bytes_of(others[near])).astype(np.uint8).tobytes()
        told = judge(
            RomImage("p0", moved),
            Expected((known.entries[0],), reference=parts[0], others=lambda: others),
            ChecksumList(()),
        )
        yield f"{near} with {share:.0%} wrong", (told.reason, told.next, told.hypotheses[0].evidence)
    for flips in (0, 1, 3, 20, 60):
        two = bytearray(parts[0])
        for bit in rng.choice(512, flips, replace=False):
            two[bit // 8] ^= 1 << bit % 8
        for right in (0, flips // 2):
            mixed = bytes(a if n % 2 and right else b for n, (a, b) in enumerate(zip(parts[0], two, strict=True)))
            told = consensus([mixed, bytes(two), parts[0]][: 2 + flips % 2], dict(sums_of(parts[0])))
            yield (
                f"reads that differ in {flips} bits, {right}",
                told and (told.words, told.proof, told.data == parts[0]),
            )
    yield "mix", [revision_mix(m) for m in ({"u1": (a,), "u2": (a, both), "u10": (b,)}, {"u1": (a, b)}, {"u1": (a,)})]


def known_images():
    known = KnownImages()
    rng = np.random.default_rng(88)
    images = {f"u{n}": SORTS[sort](rng, 512) for n, sort in enumerate(("code", "text", "picture", "sparse"))}
    for name, image in images.items():
        known.add_image(name, "the set", image.tobytes(), "A")
    for name, image in images.items():
        for share in (0.01, 0.1, 0.4):
            damaged = np.where(rng.random(512) < share, rng.integers(0, 256, 512), image).astype(np.uint8)
            yield f"{name} with {share:.0%} wrong", known.identify(damaged.tobytes())
        yield f"half of {name}", known.identify(image[:256].tobytes())
        yield f"{name} with a line high", known.identify((image | 4).tobytes())
    yield "variants", [(name, cost, data) for name, cost, data in variants(images["u0"][:64].tobytes())]


def test_shapes_pieces_and_known_images():
    hold("roms-shapes", [*shaped(), *put_together(), *known_images()])
