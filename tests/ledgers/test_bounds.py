"""Bounds that only a few answers meet: families against families, values against values, timelines, pieces of images."""

import random
from itertools import pairwise, product

import numpy as np

from loyal_trace.core.assess.learnt import learnt_board
from loyal_trace.core.assess.rates import rates_of
from loyal_trace.core.boards.alignment import reference_parts
from loyal_trace.core.boards.model import Part, StepMinutes
from loyal_trace.core.chips.levels import FAMILIES
from loyal_trace.core.diagnosis.bits import judge_bits
from loyal_trace.core.diagnosis.swaps import OUTCOMES, Exchange, Puzzle, solve
from loyal_trace.core.job.entries import Lifted, Measured, StepDone
from loyal_trace.core.parts.equivalents import family_change
from loyal_trace.core.parts.other_type import given_up
from loyal_trace.core.planning.orders import Diagnostics, compared
from loyal_trace.core.planning.sequencing import Task, normalised
from loyal_trace.core.power.described import describe_chain
from loyal_trace.core.power.shorts import find_short
from loyal_trace.core.probing.check import check_chip
from loyal_trace.core.probing.states import parse_state
from loyal_trace.core.roms.by_checksums import Expected
from loyal_trace.core.roms.consensus import consensus
from loyal_trace.core.roms.digests import digest
from loyal_trace.core.roms.forensics import examine
from loyal_trace.core.roms.identify import KnownImages
from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage
from loyal_trace.core.roms.lane_keys import every_phase, lane_keys
from loyal_trace.core.roms.restore import restore
from loyal_trace.core.roms.signature import Register, learn
from loyal_trace.core.roms.together import Reading
from loyal_trace.core.roms.verdicts import judge as judge_image
from loyal_trace.core.simulation.packed import pack, rising, unpack
from loyal_trace.resources import chip_library, families
from tests.helpers.builders import made, moment_of, small_board
from tests.helpers.ledger import hold_wide, tried

LIBRARY = chip_library()


def families_and_values():
    logic = [(name, family) for name, family in FAMILIES.items() if name in families().drives]
    for (one, old), (other, new), clock in product(logic, logic, (None, 1e6, 4e6, 2.4e7)):
        yield f"family {one}", family_change(f"74{other}00", old, new, families(), clock)
    numbers = [n for n in LIBRARY.type_names if n.startswith("74") and n[-2:] in ("00", "38", "74", "44", "66")]
    for old, new in product(numbers[:14], numbers):
        yield f"given up for {old}", given_up(Part("U1", old), new, LIBRARY)
    for kind, written, value, plus in (
        ("capacitor", "100u 16V", 1e-4, True),
        ("capacitor", "10n", 1e-8, False),
        ("resistor", "10k", 1e4, False),
    ):
        part = Part("X1", written, kind=kind, value=value, voltage=16 if plus else None, polarised=plus)
        for share, volts in product(
            (
                0.5,
                0.79,
                0.8,
                0.89,
                0.9,
                0.91,
                0.94,
                0.95,
                0.99,
                1.0,
                1.01,
                1.05,
                1.06,
                1.1,
                1.11,
                1.2,
                1.21,
                1.5,
                1.51,
                2.2,
            ),
            ("", " 10V", " 16V", " 25V"),
        ):
            number = f"{value * share * (1e6 if kind == 'capacitor' else 1):g}{'u' if kind == 'capacitor' else ''}{volts if kind == 'capacitor' else ''}"
            yield f"given up for {written}", (number, given_up(part, number, LIBRARY))


def outputs_that_are_off():
    """Outputs alone on their lines while every enable is on one side, at each level."""
    for name in LIBRARY.type_names:
        chip = LIBRARY.find(name)
        inputs = [pin.number for pin in chip.pins if pin.role == "input"]
        outputs = [pin.number for pin in chip.output_pins]
        if len(inputs) > 16 or not any(output.enable for output in chip.outputs):
            continue
        for level, shown in product("LHP", "LHPX"):
            read = {pin: parse_state(level, chip.family) for pin in inputs}
            read |= {pin: parse_state(shown, chip.family) for pin in outputs[:4]}
            found = check_chip(chip, read, frozenset(outputs[:4]))
            yield f"off {name[:3]}", [(one.pin, one.verdict, one.reason, one.expected) for one in found.outputs[:4]]


def timelines():
    draw = random.Random(81)
    for number in range(60):
        count = draw.choice((1, 2, 3, 5, 8))
        tasks = normalised(
            [
                Task(
                    str(n),
                    f"change {n}",
                    draw.choice((2.0, 5.0, 20.0)),
                    round(draw.random() * 0.5, 2),
                    str(n % draw.choice((1, 2, 4))),
                    draw.choice(("iron", "hand")),
                    (str(n - 1),) if n and draw.random() < 0.2 else (),
                    draw.choice((0, 0, 2.0)),
                )
                for n in range(count)
            ]
        )
        for one in compared(tasks, Diagnostics(6.0, 0.5) if number % 2 else None):
            blocks = [(block.kind, block.letter, block.minutes, block.days) for block in one.blocks]
            yield "timelines", (one.grouping, one.sequence, blocks, one.found, one.weight, one.bound, one.gap)


def lift(parts, ohms):
    return made(Lifted, board="small", place="V", parts=parts, value=ohms)


def supplies_and_codes():
    parts = [
        *(Part(f"U{n}", "74LS00", socketed=n % 2 == 0) for n in range(1, 5)),
        *(
            Part(f"C{n}", "100u 16V", kind="capacitor", technology=kind)
            for n, kind in enumerate(("tantalum", "aluminium", "ceramic"), 1)
        ),
    ]
    pins = tuple((part.refdes, 14 if part.kind == "chip" else 1) for part in parts)
    board = small_board(parts=tuple(parts), nets=(("V", pins),))
    names = [part.refdes for part in parts]
    for baseline, lifted, value in product(
        (0.3, 4.0, 7.0),
        (("C1",), ("U1", "U2"), ("C2", "C3", "U4")),
        (None, 0.3, 3.0, 49.0, 50.0, 51.0, 57.0, 74.0, 76.0, 300.0),
    ):
        yield "shorts", find_short(board, "V", baseline, (lift(lifted, value),), {})
        twice = (lift(lifted, value), lift(tuple(names[:3]), baseline))
        yield "shorts", find_short(board, "V", baseline, twice, {"U1": 0.03, "C1": baseline / 100})
    for line, frame, other in product(
        (15_100.0, 15_200.0, 15_625.0, 16_200.0, 16_300.0), (46.0, 47.0, 49.0, 50.0, 60.0, 63.0, 64.0), (31_250.0, 2e6)
    ):
        read = [
            made(Measured, board="small", place=f"U{n}.3", quantity="frequency", value=hertz)
            for n, hertz in ((1, line), (2, frame), (3, other))
        ]
        yield "rates", rates_of(moment_of(entries=read), "small")
    draw = random.Random(83)
    for count in range(24):
        sent = [draw.randrange(16) for _ in range(count)]
        yield "next codes", judge_bits([(code, code & 0b1011) for code in sent], 4)


FROM = (
    "from J1 9 V AC 1 A",
    "from J1 9 V AC 1.2 A 60 Hz",
    "from J1 12 V DC 2 A",
    "from J1 5 V DC 3 A",
    "from J1 8.5 V AC",
)
THROUGH = (
    "through F1/2A, BR1, C1 4700u, REG1",
    "through F1/2A, D1, C1 470u, REG1 7812",
    "through F1/2A, C1, REG1 5 V",
    "through C1",
    "through R1, C1 100u",
    "",
)
TO = ("to REG1 5 V, U1.14", "to U1.14", "to REG1 12 V, U1.14, U2.14", "to C1 5 V, U2.14")


def chains_and_boards():
    """Supplies in three lines, put together in every way; what a board keeps from a job; parts to click on a photo."""
    for source, through, to, path in product(FROM, THROUGH, TO, ("+5 V", "")):
        lines = {name: text for name, text in (("from", source), ("through", through), ("to", to)) if text}
        yield f"chain {source}", tried(describe_chain, lines, path, small_board())
    kinds = ("capacitor", "chip", "leg", "socket")
    for earlier in (
        (),
        (StepMinutes("capacitor", 8.0, 3),),
        (StepMinutes("chip", 25.0, 1), StepMinutes("leg", 4.0, 2)),
    ):
        done = [made(StepDone, step=f"small/C{n}/{kinds[n % 4]}", minutes=3.0 * n, skipped=n == 5) for n in range(1, 8)]
        moment = moment_of(small_board(minutes=earlier), done)
        yield "learnt", learnt_board(moment, "small", "new", "New").minutes
    draw = random.Random(95)
    for _ in range(20):
        parts = tuple(
            Part(f"U{n}", "74LS00", x=draw.uniform(0, 200), y=draw.uniform(0, 150), placed=n % 7 != 3)
            for n in range(draw.randint(1, 14))
        )
        yield (
            "reference parts",
            [
                part.refdes
                for part in reference_parts(small_board(parts=parts, nets=(), rails=(), width=200, height=150))
            ],
        )


def many_exchanges():
    """More parts and spares than can be written out world by world."""
    draw = random.Random(93)
    for count in (3, 9, 14):
        parts = [f"U{n}" for n in range(count)]
        for _ in range(6):
            moves = [Exchange(draw.choice(parts), "spare A", "", draw.choice(OUTCOMES), parts[0])]
            for place, other in pairwise(draw.sample(parts, count)):
                moves.append(Exchange(place, other, other, draw.choice(OUTCOMES), place))
            puzzle = Puzzle(tuple(moves), {part: draw.choice((0.05, 0.2)) for part in parts}, frozenset({"spare A"}))
            for one in solve(puzzle):
                yield "exchanges", (one, [(one.of_part(name), one.before(name)) for name in parts])


def blanks_and_halves():
    """Images in part blank, looked up whole and by their pieces: blank fill is no knowledge."""
    rng = np.random.default_rng(91)
    known = KnownImages()
    images = {name: rng.integers(0, 256, 256, dtype=np.uint8) for name in ("first", "second")}
    images["third"] = np.concatenate([images["first"][:128], np.full(128, 255, np.uint8)])
    images["fourth"] = np.concatenate([np.zeros(64, np.uint8), images["second"][:192]])
    for name, image in images.items():
        known.add_image(name, "the set", image.tobytes(), "A")
    for size, fill in product((64, 128, 256, 512), (0, 255, 170)):
        yield "blank", known.identify(bytes([fill]) * size)
    for image, start, length in product(images.values(), (0, 64, 128), (64, 128, 192)):
        yield "pieces", known.identify(image[start : start + length].tobytes())
        yield (
            "pieces",
            known.identify(np.concatenate([image[start : start + length], np.full(64, 255, np.uint8)]).tobytes()),
        )
    whole = np.concatenate([images["first"], images["second"]])
    for share, line in product((8, 5, 4, 3, 2), (1, 6)):
        for piece in (whole[-(512 // share) :], whole[: 512 // share], whole[100 : 100 + 512 // share]):
            yield "pieces with a line low", examine((piece & ~np.uint8(1 << line)).tobytes(), whole.tobytes())
    for line in range(5):
        yield "lines in use", sorted(Reading(floating=1 << line).used)


def test_bounds_of_parts_and_supplies():
    hold_wide(
        "bounds-parts",
        [
            *chains_and_boards(),
            *many_exchanges(),
            *families_and_values(),
            *outputs_that_are_off(),
            *timelines(),
            *supplies_and_codes(),
        ],
        10,
    )


def images_in_pieces():
    rng = np.random.default_rng(85)
    for size in (32, 64, 128):
        true = rng.integers(0, 200, size, dtype=np.uint8)
        right = true.tobytes()
        for count, at in product((2, 3, 4, 8), (0, 1)):
            pieces = [rng.integers(0, 256, size, dtype=np.uint8).tobytes() for _ in range(count)]
            pieces[at] = right
            data = b"".join(pieces)
            yield "other sizes", judge_image(RomImage("u1", data), Expected((), right), ChecksumList([]))
            known = KnownChecksum("u1", (("crc32", digest(right, "crc32")),))
            yield "other sizes", judge_image(RomImage("u1", data), Expected((known,)), ChecksumList([known]))
        for flips, reads in product((0, 1, 2, 5, 20), (2, 3)):
            taken = []
            for _ in range(reads):
                one = bytearray(right)
                for at in rng.choice(size, flips, replace=False):
                    one[at] ^= 1 << int(rng.integers(8))
                taken.append(bytes(one))
            yield "consensus", consensus(taken, {name: digest(right, name) for name in ("crc32", "sha1")})
        for line, level, length in product(range(0, 8, 3), (0, 1), (3, 5, 9, 20)):
            damaged = true.copy()
            start = size // 3
            stretch = damaged[start : start + length]
            damaged[start : start + length] = stretch | 1 << line if level else stretch & ~np.uint8(1 << line)
            yield (
                "a line over a stretch",
                restore(damaged.tobytes(), {name: digest(right, name) for name in ("crc32", "sha1")}),
            )
        for number in (1, 2, 3, 4, 6):
            changed = bytearray(right)
            for at in range(number):
                changed[at * 7 % size] ^= 0xFF
            yield "told", restore(bytes(changed), {name: digest(right, name) for name in ("crc32", "sha1")}, most=2)


def lines_that_repeat():
    """Images with one or two lines wrong over a part only, as they are examined."""
    rng = np.random.default_rng(87)
    places = np.arange(256)
    for seed, (line, floating), share in product(range(1), ((2, 3), (4, 6), (5, 1)), (0.5, 1.0)):
        true = np.where(rng.random(256) < 0.5, rng.integers(0, 256, 256), seed).astype(np.uint8)
        stuck = true[places & ~(1 << line)]
        noisy = stuck.copy()
        moved = rng.random(256) < share / 2
        noisy[moved] = stuck[places ^ 1 << floating][moved]
        swapped = true[
            (places & ~(1 << line | 1 << floating))
            | (places >> line & 1) << floating
            | (places >> floating & 1) << line
        ]
        for damaged in (stuck, noisy, swapped, noisy & 0xFD):
            yield "lines", examine(damaged.astype(np.uint8).tobytes(), true.tobytes())


def words_of_bits():
    rng = np.random.default_rng(89)
    for steps in (1, 2, 63, 64, 65, 127, 128, 129, 200):
        for density in (0.1, 0.5, 0.9):
            bits = (rng.random(steps) < density).astype(np.uint8)
            words = pack(bits)
            yield "edges", (rising(words, steps), int(unpack(words, steps).sum()), words)
    for size in (200, 255, 256, 257, 300, 511, 512, 513, 700):
        image = rng.integers(0, 256, size, dtype=np.uint8)
        yield "keys", (every_phase(image), tried(lane_keys, image))
    images = [rng.integers(0, 256, size, dtype=np.uint8).tobytes() for size in (64, 64, 128, 96, 160, 64, 256)]
    for register in (Register(), Register(16, 0x8005, 0, 0, True, True), Register(16, 0x1021, 0x1D0F, 0xFFFF)):
        pairs = [(image, register.of(image)) for image in images]
        for count in range(2, len(pairs) + 1):
            yield "registers", tried(learn, pairs[:count])
        for first, second in pairwise(pairs):
            yield "registers", tried(learn, [first, second, pairs[0]])


def test_bounds_of_images():
    hold_wide("bounds-images", [*images_in_pieces(), *lines_that_repeat(), *words_of_bits(), *blanks_and_halves()], 5)
