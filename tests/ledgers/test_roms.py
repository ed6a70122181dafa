"""What is said of damaged images: with the reference, by checksums alone, from the image alone; and what puts them right."""

from itertools import product

import numpy as np
from benchmarks.rom_corpus import samples
from benchmarks.rom_pairs import SORTS, pairs, sums_of

from loyal_trace.core.roms.across import across
from loyal_trace.core.roms.by_checksums import Expected
from loyal_trace.core.roms.correcting import correct, searched
from loyal_trace.core.roms.devices import access_budget, fit
from loyal_trace.core.roms.forensics import examine
from loyal_trace.core.roms.hypotheses import PinNames
from loyal_trace.core.roms.identify import KnownImages, likely_sources
from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage
from loyal_trace.core.roms.programming import erase_minutes, programming
from loyal_trace.core.roms.signature import Register, learn
from loyal_trace.core.roms.sites import SITES, separating
from loyal_trace.core.roms.triage import Socket, triage
from loyal_trace.core.roms.verdicts import judge
from loyal_trace.core.roms.voting import vote
from loyal_trace.resources import memory_types
from tests.helpers.ledger import hold, tried


def ranked(found):
    """The first explanation whole, of the others what they are and how likely."""
    return [*found[:1], *((h.kind, h.likelihood, h.unexplained, h.score) for h in found[1:5])]


def by_sums(damaged, true):
    known = KnownChecksum("u1", sums_of(true), len(true))
    return judge(RomImage("u1", damaged), Expected((known,)), ChecksumList([known]))


def with_reference():
    for number, (kind, damaged, true) in enumerate(samples(31, (1024,))):
        if number % 2:
            continue
        yield f"{kind} {number}", ranked(examine(damaged, true))
    for number, pair in enumerate(pairs((5,), (1024,), ("mirrored", "sparse", "four-bit", "code"))):
        if number % 40 == 0:
            yield f"{' and '.join(pair.names)}, {pair.sort}", ranked(examine(pair.damaged, pair.true))


def test_with_the_reference_at_hand():
    hold("roms-with-reference", with_reference())


def without_reference():
    names = PinNames({"A7": 3, "D3": 13}.get)
    for number, (kind, damaged, true) in enumerate(samples(37, (2048,))):
        if number % 2:
            yield f"checksums only: {kind} {number}", by_sums(damaged, true)
        else:
            yield f"image alone: {kind} {number}", ranked(examine(damaged, None, names))


def test_by_checksums_and_from_the_image_alone():
    hold("roms-without-reference", without_reference())


def putting_right():
    for number, (kind, damaged, true) in enumerate(samples(41, (256,))):
        known = KnownChecksum("u1", sums_of(true), len(true))
        if number % 12 == 0:
            yield f"corrected: {kind} {number}", correct([damaged], [known])
        yield f"programmed over: {kind} {number}", programming(damaged[:256].ljust(256, b"\0"), true)
    true = SORTS["code"](np.random.default_rng(9), 256)
    for start, count, line in ((10, 4, 0x10), (100, 9, 0x01), (3, 12, 0x80)):
        stuck = true.copy()
        stuck[start : start + count] |= line
        found = correct([stuck.tobytes()], [KnownChecksum("u1", sums_of(true.tobytes()), 256)])
        yield f"a line stuck over {count} bytes", found
    for size in (1024, 65536, 1 << 19, 1 << 21):
        yield f"searched at {size}", searched(size, KnownChecksum("u1", sums_of(b"x"), size))
    yield "erasing", [erase_minutes(power) for power in (20.0, 60.0, 120.0)]


def test_what_puts_an_image_right():
    hold("roms-put-right", putting_right())


def several_reads():
    rng = np.random.default_rng(7)
    true = SORTS["code"](rng, 512)
    for reads, share, line in ((2, 0.001, None), (3, 0.01, 5), (4, 0.05, None), (5, 0.2, 0), (9, 0.02, 7)):
        taken = []
        for _ in range(reads):
            flips = rng.random((512, 8)) < share
            if line is not None:
                flips[:, [n for n in range(8) if n != line]] = False
            taken.append((true ^ np.packbits(flips, axis=1)[:, 0]).tobytes())
        known = KnownChecksum("u1", sums_of(true.tobytes()), 512)
        yield f"{reads} reads, {share:g} of the bits, line {line}", (vote(taken), correct(taken, [known]))
        yield (
            f"judged with {reads} reads",
            judge(RomImage("u1", taken[0]), Expected((known,)), ChecksumList([known]), tuple(taken[1:])),
        )


def sets_of_images():
    images = {f"u{n}": true for n, (_, _, true) in enumerate(samples(43, (256, 512), ("data-stuck-1",)))}
    known = KnownImages()
    for name, data in images.items():
        known.add_image(name, "the set", data, "AB"[len(name) % 2])
    for number, (kind, damaged, _) in enumerate(samples(43, (512,))):
        if number % 4 == 0:
            yield f"identified: {kind} {number}", known.identify(damaged)
    yield "sources", likely_sources([known.identify(data) for data in images.values()])
    for level in (0xDF, 0xFB):
        stuck = {name: bytes(byte & level for byte in data) for name, data in images.items()}
        yield f"across the set, {level:02X}", across(stuck)
        yield f"across the set with references, {level:02X}", across(stuck, images)


def test_several_reads_and_several_images():
    hold("roms-several", [*several_reads(), *sets_of_images()])


def registers():
    rng = np.random.default_rng(3)
    contents = [rng.integers(0, 256, size, dtype=np.uint8).tobytes() for size in (64, 64, 64, 64, 96, 40)]
    some = (
        Register(),
        Register(poly=0x8005, init=0, refin=True, refout=True),
        Register(poly=0x8408, init=0x1234, feedback=True),
        Register(poly=0x1021, init=0, xorout=0xFFFF, refout=True),
    )
    for register, count in product(some, (2, 3, 4, 6)):
        pairs_known = [(data, register.of(data)) for data in contents[:count]]
        yield (
            f"{register.poly:04X} {register.style} from {count}",
            (
                [value for _, value in pairs_known],
                tried(learn, pairs_known),
            ),
        )


def sockets():
    ways = ("", "right", "wrong", "none")
    for here, out in product(ways, ("", "matches", "differs", "unstable")):
        for other in ("right", "wrong"):
            near = Socket("6D", other, "", "3A", "4F")
            yield f"{here}/{out} beside {other}", triage(Socket("6C", here, out, "3A", "4F"), [near])
    yield "with the watchdog", triage(Socket("6C", "wrong"), [], watchdog=True)
    for one, other in product(sorted(set(SITES.values())), repeat=2):
        if one <= other:
            yield f"{one} or {other}", separating(one, other)


def devices():
    known = memory_types().all
    for number, (old, new) in enumerate(product(known, repeat=2)):
        if number % 7 == 0:
            found = fit(old, new, access_budget(4e6))
            yield (
                f"{new.name} for {old.name}",
                (found.words, found.effort, [pin.wiring for pin in found.pins], found.cautions),
            )


def test_registers_sockets_and_devices():
    hold("roms-around", [*registers(), *sockets(), *devices()])
