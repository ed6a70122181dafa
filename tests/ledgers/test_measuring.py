"""What is said of chips as they were probed, of supplies as they were measured, and of boards as they would run."""

import random
from itertools import product

import numpy as np

from loyal_trace.core.assess.assessment import Assessment
from loyal_trace.core.boards.alignment import align, outline_on_photo
from loyal_trace.core.boards.layout import grouped
from loyal_trace.core.boards.outline import body_size, pin_count, pin_places, smallest_body
from loyal_trace.core.boards.paths import walking_path
from loyal_trace.core.job.entries import ChainDescribed, Measured
from loyal_trace.core.power.clocks import cell_life, crystal_load, divided
from loyal_trace.core.power.cooling import Housing, junction_with, plate_area, plate_in_room, sink_need
from loyal_trace.core.power.diodes import judge_bridge, judge_diode, judge_transistor
from loyal_trace.core.power.formulas import charge_time, peak_voltage, regulator, regulator_output, reservoir
from loyal_trace.core.power.fuses import fuse_type
from loyal_trace.core.probing.check import all_possible, check_chip
from loyal_trace.core.probing.odds import chip_odds
from loyal_trace.core.probing.states import parse_state
from loyal_trace.core.proving.starts import failure_rate_upper, improvement_p_value, starts_needed
from loyal_trace.core.roms.signature import Register
from loyal_trace.core.simulation.clock_tree import load_of, predict
from loyal_trace.core.simulation.dictionary import compute
from loyal_trace.core.simulation.free_run import all_faults, free_run, frequencies_of, signatures
from loyal_trace.core.simulation.traces import Trace, compare_trace, guess_channels
from loyal_trace.demo.common import boards_of
from loyal_trace.resources import chip_library
from tests.helpers.builders import made, moment_with, small_board
from tests.helpers.free_run_boards import free_run_board
from tests.helpers.ledger import hold, tried

LIBRARY = chip_library()
DEMO = boards_of(("tw-cpu", "tw-vid", "cs-8", "hl-main"))
QUIET = ("not probed",)
LEVELS = ("L", "H", "P", "P", "X", "0.2V", "1.4V", "2.2V", "4.1V", "1MHz", "250kHz")


def probed():
    draw = random.Random(21)
    for place, name in enumerate(LIBRARY.type_names):
        if place % 3:
            continue
        chip = LIBRARY.find(name)
        for number in range(2):
            supplied = number == 1 and draw.random() < 0.2
            pins = [pin.number for pin in chip.pins if supplied or pin.role not in ("power", "ground")]
            some = sorted(draw.sample(pins, draw.randint(min(3, len(pins)), min(len(pins), 16))))
            readings = {pin: parse_state(draw.choice(LEVELS), chip.family) for pin in some}
            found = check_chip(chip, readings)
            told = [
                (one.pin, one.verdict, str(one.reason), one.because)
                for one in found.outputs
                if one.verdict not in QUIET
            ]
            yield f"{name} {number}", (found.word, told, tried(chip_odds, found, readings))
        outputs = [pin for pin in chip.pins if pin.role == "output"][: 1 if len(chip.pins) <= 16 else 0]
        for pin in outputs:
            inputs = [one.number for one in chip.pins if one.role == "input"][:3]
            for text in ("P",):
                known = {number: parse_state(text, chip.family) for number in inputs}
                yield (
                    f"{name}.{pin.number} with inputs {text}",
                    [str(one) for one in sorted(all_possible(chip, pin, known), key=str)],
                )


def traced():
    noise = np.random.default_rng(7)
    for name in ("74LS00", "74LS138", "74LS74", "74LS161", "74LS166", "74LS244"):
        chip = LIBRARY.find(name)
        used = [pin for pin in chip.pins if pin.role in ("input", "output")]
        channels = {pin.name: noise.integers(0, 2, 60, dtype=np.uint8).repeat(10) for pin in used}
        trace = Trace(np.arange(600) * 1e-8, channels)
        yield f"{name} traced", tried(compare_trace, chip, trace, {pin.number: pin.name for pin in used}, LIBRARY)
        yield (
            f"{name} traced without outputs",
            tried(compare_trace, chip, trace, {used[0].number: used[0].name}, LIBRARY),
        )
        named = [used[0].name, f"U1.{used[1].number}", f"pin{used[2].number}", "DATA 0", "/X", "3"]
        yield f"{name} channels", guess_channels(chip, "U1", {used[3].number: "data0", used[-1].number: "/x"}, named)


def test_chips_as_they_were_probed():
    hold("chips", [*probed(), *traced()])


OWN = (
    ("from J1 9 V AC 1 A", "through F1/1A, BR1, C1, REG1", "to U2.14"),
    ("from J1 12 V DC 2 A", "through F1/2A, D1, C1, REG1", "to U2.14"),
    ("from J1 5 V DC 3 A", "through F1/3A, C1", "to U1.14"),
)


def supplies():
    draw = random.Random(23)
    told = [
        [made(ChainDescribed, board="small", line=t.split()[0], path="+5 V", text=t) for t in texts] for texts in OWN
    ]
    boards = {**DEMO, "small": small_board()}
    for name, count in (("hl-main", 14), ("cs-8", 6), ("tw-cpu", 6), ("small", 12)):
        for number in range(count):
            entries = list(told[number % 3]) if name == "small" else []
            report = Assessment(moment_with({name: boards[name]}, entries)).rails.get(name)
            for one in report.points if report else ():
                middle = (one.limits.low + min(one.limits.high, 3 * one.limits.low + 1.0)) / 2
                if draw.random() < 0.75:
                    value = round(middle * draw.choice((0.0, 0.5, 0.94, 1.0, 1.0, 1.0, 1.06, 1.6)), 4)
                    place, quantity = one.point.point, one.point.quantity
                    entries.append(made(Measured, board=name, place=place, quantity=quantity, value=value))
            found = Assessment(moment_with({name: boards[name]}, entries))
            for path in found.rails[name].paths if found.rails.get(name) else ():
                words = [(one.point.point, one.verdict, one.why) for one in path.points]
                yield f"{name} {number} {path.path}", (words, getattr(path, "explanations", ()))
            yield f"{name} {number} suspects", [(one.place, one.probability) for one in found.suspects[:6]]
            yield f"{name} {number} next", found.next[:3]


def sums():
    for ac, load, farad in product((6.0, 8.5, 12.0), (0.2, 1.5), (470e-6, 4700e-6)):
        yield (
            f"{ac:g} V, {load:g} A, {farad:g} F",
            (
                reservoir(ac, 0.9, "bridge", load, farad, 50.0),
                reservoir(ac, 0.7, "half", load, farad, 60.0),
                peak_voltage(ac, 0.8),
                regulator_output(ac * 1.2, 5.0, 2.0),
                tried(regulator, ac * 1.3, 5.0, 2.0, load, (4.0, 0.5, 6.0), 30.0),
            ),
        )
    for power, case in product((0.3, 1.0, 4.0, 30.0), (Housing(5.0, 65.0), Housing(1.5, 35.0))):
        need = sink_need(power, case)
        sink = need.needed or 5.0
        yield (
            f"{power:g} W in {case.junction_case:g} K/W",
            (
                need.words,
                junction_with(power, case, 8.0),
                tried(plate_area, abs(sink)),
                tried(plate_in_room, abs(sink), 25.0),
            ),
        )
    yield (
        "crystals",
        [crystal_load(c, 33e-12, 5e-12, wanted) for c in (15e-12, 27e-12, 68e-12) for wanted in (18e-12, 30e-12)],
    )
    yield (
        "dividers",
        (divided(12e6, (2, 4, 16)), tried(divided, 1e6, (0.5,)), cell_life(0.2, 5e-6, 0.02), cell_life(60e-3, 2e-6)),
    )
    yield "diodes", [(judge_diode(v), judge_diode(v, True)) for v in (0.0, 0.2, 0.3, 0.42, 0.55, 0.72, 0.9, 3.0)]
    yield "bridges", [judge_bridge(r) for r in product((0.02, 0.55, 3.0), (0.5, 0.56), (0.54, 3.0), (0.57,))]
    yield "transistors", [judge_transistor(*r) for r in product((0.0, 0.6, 3.0), (0.05, 0.62), (0.0, 1.2, 3.0))]
    yield "fuses", [tried(fuse_type, text) for text in ("T2A", "F500mA 250V", "slow", "3.15A", "2 A quick", "x")]
    yield "reset", [charge_time(r, 10e-6, 2.0, 5.0) for r in (1e3, 47e3)]
    yield (
        "starts",
        [
            (failure_rate_upper(n), tried(starts_needed, 1 / (n + 1)), improvement_p_value(n, 3, 2 * n, 1))
            for n in (1, 10, 59)
        ],
    )


def test_supplies_as_they_were_measured():
    hold("supplies", [*supplies(), *sums()])


def running():
    for seed in (3, 4):
        board, contents = free_run_board(LIBRARY, 24, 2, seed, 12)
        run = free_run(board, LIBRARY, 2048, contents=contents)
        yield f"signatures {seed}", signatures(run, Register())
        yield f"frequencies {seed}", frequencies_of(run)
        faults = all_faults(board, LIBRARY)[::9]
        found = compute(run, faults, Register())
        for place, fault in enumerate(faults):
            if place % 4 == 0:
                yield f"{seed} {fault}", dict(list(found.changes(place).items())[:3])
    for name, board in DEMO.items():
        yield f"clocks of {name}", predict(board, LIBRARY)
        yield f"load of {name}", [load_of(board, clock) for clock in board.clocks]


def placed():
    draw = random.Random(29)
    for name, board in DEMO.items():
        yield f"walk over {name}", [part.refdes for part in walking_path(board)]
        yield f"groups of {name}", grouped(board)
        for part in draw.sample(board.parts, 10):
            yield (
                f"{name} {part.refdes}",
                (pin_count(part), body_size(part), smallest_body(part), dict(list(pin_places(part).items())[:3])),
            )
    corners = [(0.0, 0.0), (200.0, 0.0), (200.0, 150.0), (0.0, 150.0), (80.0, 60.0)]
    seen = [(10 + 3 * x + 0.2 * y, 400 - 2.8 * y + 0.1 * x + 0.001 * x * y) for x, y in corners]
    found = align(corners, seen)
    yield "a photo laid over", (found, [found.on_photo(*point) for point in corners[:3]])
    for part in DEMO["hl-main"].parts[:4]:
        yield f"{part.refdes} on the photo", outline_on_photo(found, part)


def test_boards_as_they_would_run_and_lie():
    hold("boards", [*running(), *placed()])
