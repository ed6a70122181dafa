"""Thousands of small questions to the parts of the core, their answers held by hashes: every bound is met by some."""

import random
from dataclasses import replace
from itertools import product

import numpy as np
from benchmarks.rom_corpus import EVERY
from benchmarks.rom_pairs import SORTS, sums_of

from loyal_trace.core.boards.outline import body_size, pin_count, pin_places, smallest_body
from loyal_trace.core.chips.names import readings
from loyal_trace.core.diagnosis.bits import hypotheses, judge_bits
from loyal_trace.core.diagnosis.evidence import expected_gain_bits, logit, sigmoid
from loyal_trace.core.parts.ageing import Years, age_of
from loyal_trace.core.parts.fitting import judge_fit, plain_place
from loyal_trace.core.parts.judging import CapacitorReading, judge, old_against_new
from loyal_trace.core.parts.limits import kind_of_capacitor
from loyal_trace.core.parts.marking import parse_marking
from loyal_trace.core.parts.roles import Role
from loyal_trace.core.parts.spec import CapacitorSpec, parse_spec
from loyal_trace.core.planning.kit import marked_words, spec_to_buy, spec_words, standard_value
from loyal_trace.core.power.clocks import cell_life, crystal_load
from loyal_trace.core.power.cooling import Housing, junction_with, plate_in_room, sink_need
from loyal_trace.core.power.diodes import judge_bridge, judge_diode, judge_transistor
from loyal_trace.core.power.formulas import regulator, reservoir
from loyal_trace.core.probing.check import check_chip
from loyal_trace.core.probing.odds import chip_odds
from loyal_trace.core.probing.states import parse_state
from loyal_trace.core.probing.supply import judge_supply
from loyal_trace.core.proving.starts import failure_rate_upper, improvement_p_value, starts_needed
from loyal_trace.core.roms.by_checksums import Expected
from loyal_trace.core.roms.forensics import examine
from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage
from loyal_trace.core.roms.verdicts import judge as judge_image
from loyal_trace.core.simulation.screen import differences
from loyal_trace.core.vocabulary.units import (
    format_duration,
    format_percent,
    format_quantity,
    marked_quantity,
    parse_quantity,
    parse_reading,
    two_meanings,
    typed_quantity,
)
from loyal_trace.demo.common import boards_of
from loyal_trace.resources import chip_library, default_tables
from tests.helpers.ledger import hold_wide, tried

LIBRARY = chip_library()
LIMITS = default_tables().capacitors
UNITS = ("V", "Ω", "F", "Hz", "A", "H", "s", "%", "°C", "")
# At and around bounds as people set them.
STEPS = (
    0.0,
    0.01,
    0.05,
    0.1,
    0.2,
    0.25,
    0.3,
    0.4,
    0.45,
    0.5,
    0.55,
    0.6,
    0.7,
    0.75,
    0.8,
    0.9,
    0.95,
    0.98,
    1.0,
    1.02,
    1.05,
    1.1,
    1.2,
    1.25,
    1.3,
    1.5,
    1.6,
    2.0,
    2.4,
    3.0,
    4.0,
    5.0,
    8.0,
    10.0,
    20.0,
)


def words_and_figures():
    for unit, power, step in product(UNITS, range(-12, 10), (1.0, 4.7, 9.995, 99.95)):
        value = step * 10.0**power
        yield (
            f"figures in {unit}",
            (
                format_quantity(value, unit),
                format_quantity(-value, unit, 4),
                typed_quantity(value, unit),
                marked_quantity(value, unit),
            ),
        )
    for figure, prefix, unit in product(
        ("1", "4.7", "4,7", "1,000", "0", "1e3", "-2", ".5", "5.", "1 000"),
        (*"munpkMGµ", ""),
        ("V", "F", "R", "Ω", "Hz", ""),
    ):
        text = f"{figure}{prefix}{unit}"
        yield f"typed {prefix}", (tried(parse_quantity, text), tried(parse_reading, text, "V"), two_meanings(text))
        yield f"within {prefix}", (tried(parse_quantity, f"{figure}{prefix}7"), tried(parse_reading, f"{text} 3", ""))
    for seconds in (
        0,
        1,
        1.4,
        44,
        45,
        59,
        60,
        89,
        90,
        91,
        600,
        3599,
        3600,
        5399,
        5400,
        7200,
        86399,
        86400,
        129600,
        129599,
        172800,
        9e5,
    ):
        yield "durations", format_duration(seconds)
    for share in (
        0.0,
        1e-6,
        0.0004,
        0.001,
        0.004,
        0.005,
        0.0099,
        0.01,
        0.1,
        0.499,
        0.5,
        0.98,
        0.99,
        0.994,
        0.995,
        0.999,
        0.9999,
        1.0,
    ):
        yield (
            "shares",
            (
                format_percent(share),
                sigmoid(logit(min(max(share, 1e-9), 1 - 1e-9))),
                expected_gain_bits(share, 0.8, 0.1),
            ),
        )


def supplies_and_cooling():
    for ac, load, farad in product((5.0, 6.3, 9.0, 15.0), (0.0, 0.1, 1.0, 4.0), (100e-6, 2200e-6, 0.01)):
        for kind in ("bridge", "half", "full", "centre-tap"):
            yield f"reservoir {kind}", tried(reservoir, ac, 0.8, kind, load, farad, 50.0)
        yield "regulator", tried(regulator, ac * 1.3, 5.0, 2.0, load, (4.0, 0.5, 6.0), 30.0)
    for power, case, sink in product(
        (0.1, 0.5, 1.0, 2.0, 5.0, 20.0), (Housing(5.0, 65.0), Housing(3.0, 50.0), Housing(1.5, 35.0)), STEPS
    ):
        need = sink_need(power, case, 20.0 + 10 * sink)
        yield (
            "sinks",
            (need.words, need.needed, junction_with(power, case, sink), tried(plate_in_room, sink + 0.5, 10 + sink)),
        )
    for volts in STEPS:
        yield "diodes", (judge_diode(volts), judge_diode(volts, True))
        for other in STEPS[::2]:
            yield "bridges", judge_bridge((volts, other, 0.55, 0.56))
            yield "transistors", [judge_transistor(volts, other, third) for third in (0.0, 0.05, 0.4, 1.2, 3.0)]
            yield (
                "cells",
                (
                    tried(cell_life, 0.06 + volts, 1e-6 * (1 + other), 0.01 * volts),
                    tried(crystal_load, volts * 1e-11, other * 1e-11, 5e-12, 18e-12),
                ),
            )
    for clean, failed in product((0, 1, 2, 5, 10, 30, 59, 100, 300), (0, 1, 2, 5)):
        target = (clean + 1) / 400
        yield (
            "starts",
            (
                failure_rate_upper(clean, failed),
                tried(starts_needed, target, failed),
                improvement_p_value(clean, failed, 10, 1),
            ),
        )


MARKED = (
    "100u/16V",
    "6800u/25V",
    "10u/16V tantalum",
    "100n/50V X7R",
    "33p/50V C0G",
    "1n C0G",
    "1.2n C0G",
    "1u film",
    "47u/25V axial",
    "22u/50V BP",
    "220u/6.3V polymer",
    "0.47u/50V",
    "470n/63V",
    "2200u/35V 16x25 105C 5000h",
    "1u/400V",
    "100u/10V low ESR",
)


def kinds_of_capacitors():
    for value, volts in product(
        ("1p", "470p", "1n", "1.1n", "100n", "220n", "330n", "460n", "470n", "1u", "4.7u", "1000u"),
        ("", "/16V", "/400V"),
    ):
        spec = parse_spec(value + volts)
        yield "kinds by value", (value, kind_of_capacitor(spec), spec.has_plus, spec.is_electrolytic)
    for technology, series, plus in product(
        ("aluminium", "tantalum", "polymer", "ceramic", "film", ""),
        ("", "bipolar", "low impedance"),
        (None, True, False),
    ):
        spec = CapacitorSpec(1e-5, 16.0, technology, plus, "", series)
        yield "kinds with a plus", (spec.has_plus, spec.is_electrolytic, kind_of_capacitor(spec))


def capacitors():
    yield from kinds_of_capacitors()
    for text in MARKED:
        spec = parse_spec(text)
        yield (
            "of a marking",
            (kind_of_capacitor(spec), spec_words(spec), marked_words(spec, "X"), standard_value(spec.value * 1.3)),
        )
        for step in STEPS:
            share = spec.value * step
            for read in (
                CapacitorReading(share),
                CapacitorReading(share, 0.3 * step),
                CapacitorReading(None, step),
                CapacitorReading(spec.value, step, 1e5),
                CapacitorReading(share, None, None, True),
                CapacitorReading(share, 0.2, None, True),
                CapacitorReading(None, None, None, False, 0.1 * step),
                CapacitorReading(None, None, None, False, None, 1e-5 * step),
                CapacitorReading(spec.value, 0.1, 1e3, False, None, None, 0.1 * step),
                CapacitorReading(share, 0.1, None, False, None, None, None, 1e4 * step),
                CapacitorReading(share, step, 1e3, False, 0.02, None, None, None, 10 * step),
                CapacitorReading(share, 0.1, None, False, None, None, None, None, None, spec.value * 0.5),
            ):
                yield f"judged {text}", judge(spec, read, LIMITS)
            yield f"old {text}", old_against_new(CapacitorReading(share, step), CapacitorReading(spec.value, 0.5))
    for kind, limit in sorted(LIMITS.leakages.items()):
        yield "leakage", (kind, limit)
    for used, warm, shelf in product(
        (0.0, 100.0, 1000.0, 2000.0, 9000.0, 40000.0), (20.0, 40.0, 55.0, 85.0), (0.0, 5.0, 30.0)
    ):
        for rated in (None, 1000.0, 2000.0, 10000.0):
            age = age_of(LIMITS.life, Years(used, warm, shelf), rated, 85.0 if rated else None)
            yield "ages", (age, age.word)


ROOM = product(
    (None, 4.0, 5.0, 8.0, 12.0), (None, 7.0, 11.0, 13.0), (None, 5.0, 15.0, 30.0), (None, 0.2, 2.0), (0.0, 10.0, 25.0)
)
BODIES = (
    "100u/25V 8x11",
    "100u/35V 5x7 pitch 2",
    "100u/25V 8.3x11.5 pitch 5",
    "100u/16V 12.5x13 pitch 7.5 axial",
    "100u/25V 4x7 105C",
)


def replacements():
    for old, role in product(MARKED, (None, *Role)):
        place = plain_place(parse_spec(old), role)
        yield "to buy", spec_to_buy(place)
        for new in MARKED:
            yield f"fits {old}", judge_fit(place, parse_spec(new), LIMITS)
        for factor, volts in product((0.5, 0.79, 0.8, 0.9, 1.0, 1.1, 1.2, 1.5, 1.51, 2.0, 3.3), (6.3, 10, 16, 25, 50)):
            sort = "aluminium" if factor * volts > 20 else "film"
            spec = parse_spec(f"{place.old.value * factor * 1e12:.0f}p/{volts}V {sort}")
            yield f"near {old}", judge_fit(place, spec, LIMITS)
    bodies = [found for found in (tried(parse_spec, text) for text in BODIES) if not isinstance(found, str)]
    for number, (across, high, volts, load, warmer) in enumerate(ROOM):
        plain = plain_place(parse_spec("100u/16V 8x11"), (None, Role.RESERVOIR, Role.BULK)[number % 3])
        place = replace(plain, room_diameter=across, room_height=high, volts=volts, current=load, warmer=warmer)
        yield "room", judge_fit(place, bodies[number % len(bodies)], LIMITS)


def marks():
    draw = random.Random(71)
    for number in range(1500):
        word = "".join(
            draw.choice("0123456789" if draw.random() < 0.6 else "upnkMRVAKJ.,/- LSHCT")
            for _ in range(draw.randint(2, 8))
        )
        yield "marked", [parse_marking(word, kind, LIBRARY) for kind in ("capacitor", "resistor", "chip", "fuse")]
        printed = (
            draw.choice(("SN", "MC", "HD", "", "CD", "TMS", "uPC")) + draw.choice(("74", "54", "4", "27", "")) + word
        )
        yield "printed", list(readings(printed)) if number % 2 else tried(parse_spec, word)


def test_figures_parts_and_supplies():
    hold_wide("wide-parts", [*words_and_figures(), *supplies_and_cooling(), *capacitors(), *replacements(), *marks()])


LEVELS = (
    "L",
    "H",
    "P",
    "X",
    "0.2V",
    "0.5V",
    "0.9V",
    "1.4V",
    "2.1V",
    "2.5V",
    "4.1V",
    "5.1V",
    "1MHz",
    "500kHz",
    "333kHz",
    "250kHz",
)


SUPPLIED = [
    "0V",
    "0.4V",
    "0.6V",
    "4.4V",
    "4.5V",
    "4.75V",
    "4.9V",
    "5.25V",
    "5.5V",
    "5.6V",
    "7V",
    "12V",
    "L",
    "H",
    "P",
    "X",
]


def chips():
    draw = random.Random(72)
    for name in LIBRARY.type_names:
        chip = LIBRARY.find(name)
        power = [pin.number for pin in chip.pins if pin.role in ("power", "ground")]
        signals = [pin.number for pin in chip.pins if pin.role not in ("power", "ground", "unused")]
        few = {pin: parse_state(draw.choice("LHP"), chip.family) for pin in draw.sample(signals, min(len(signals), 8))}
        many = {
            pin: parse_state(draw.choice(LEVELS), chip.family) for pin in draw.sample(signals, min(len(signals), 20))
        }
        many |= {pin: parse_state(draw.choice(("5.0V", "4.7V", "0.1V", "H")), chip.family) for pin in power}
        for read, alone in ((few, ()), (many, list(many)[:2])):
            found = check_chip(chip, read, frozenset(alone))
            yield f"chips {name[:3]}", (name, found, tried(chip_odds, found, read))
        for level in SUPPLIED:
            yield f"supply {name[:3]}", judge_supply(chip, {pin: parse_state(level, chip.family) for pin in power})


def lines_of_codes():
    draw = random.Random(73)
    for width in (4, 8):
        every = hypotheses(width)
        for _ in range(120):
            fault = draw.choice(every)
            sent = [draw.randrange(1 << width) for _ in range(draw.randint(0, 8))]
            yield (
                f"codes of {width}",
                judge_bits([(code, fault.shown(code) ^ (draw.random() < 0.05)) for code in sent], width),
            )


def pictures():
    """Pictures beside what faults make of them: lines that repeat, colours that are lost, parts that are black."""
    rng = np.random.default_rng(75)
    right = np.where(rng.random((48, 64, 3)) < 0.3, rng.integers(0, 256, (48, 64, 3)), 0).astype(np.uint8)
    places = np.arange(64)
    for line in range(6):
        for level in (0, 1):
            order = places | 1 << line if level else places & ~(1 << line)
            for share in (0.0, 0.01, 0.05):
                noise = (rng.random((48, 64, 1)) < share).astype(np.uint8) * np.uint8(255)
                yield "repeated across", differences(right, right[:, order] ^ noise)
                yield "repeated down", differences(right, right[np.minimum(order[:48], 47)] ^ noise)
    for wrong in (
        right,
        right * 0,
        right * 0 + 9,
        right & [255, 0, 255],
        right[..., ::-1],
        right | [0, 255, 0],
        255 - right,
    ):
        yield "coloured", differences(right, np.asarray(wrong, dtype=np.uint8))
    for top, left in product((0, 12, 24, 47), (0, 16, 40, 63)):
        wrong = right.copy()
        wrong[top:, left:] = 0
        edge = right.copy()
        edge[0, 0], edge[top, left] = 255, 255 - edge[top, left]
        yield "in part", (differences(right, wrong), differences(right, edge))


def outlines():
    for board in boards_of(("tw-cpu", "tw-vid", "cs-8", "hl-main")).values():
        for part in board.parts:
            yield f"outlines {board.id}", (pin_count(part), body_size(part), smallest_body(part), pin_places(part))


def test_chips_codes_and_outlines():
    hold_wide("wide-chips", [*chips(), *lines_of_codes(), *pictures(), *outlines()], 5)


def images():
    rng = np.random.default_rng(74)
    for size, (sort, make), kind in product((64, 256), SORTS.items(), EVERY):
        if size > 64 and len(kind) % 2:
            continue
        true = make(rng, 512)[:size]
        try:
            damaged = EVERY[kind](rng, true)
        except (ValueError, IndexError):
            continue
        data, right = damaged.astype(np.uint8).tobytes(), true.astype(np.uint8).tobytes()
        known = KnownChecksum("u1", sums_of(right), len(right))
        yield f"{sort} with", examine(data, right)
        yield f"{sort} without", examine(data, None)
        yield f"{sort} by checksums", judge_image(RomImage("u1", data), Expected((known,)), ChecksumList([known]))


def test_small_images():
    hold_wide("wide-images", images(), 10)
