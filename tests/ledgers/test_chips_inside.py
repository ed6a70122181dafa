"""What verdicts on chips and boards are made of: cones, names, levels, own pinouts, faults on a simulated board."""

import random
from dataclasses import replace
from itertools import product

from loyal_trace.core.assess.alike import common_causes, groups_of, shared_by
from loyal_trace.core.assess.own_chips import OwnPinout, dead_words
from loyal_trace.core.assess.rates import rates_of
from loyal_trace.core.boards.model import Part
from loyal_trace.core.chips.levels import FAMILIES, level_of, output_margin
from loyal_trace.core.chips.names import readings
from loyal_trace.core.diagnosis.dictionary_odds import NetReading, weigh
from loyal_trace.core.job.entries import Measured, PinState
from loyal_trace.core.parts.marking import parse_marking
from loyal_trace.core.parts.other_type import given_up
from loyal_trace.core.parts.places import beside, hot_parts_near
from loyal_trace.core.probing.cones import cone_of, deciding_inputs, names_nearby, names_read
from loyal_trace.core.probing.frequency import wrong_frequency
from loyal_trace.core.probing.reach import divisions, reachable_behaviours
from loyal_trace.core.probing.states import parse_assignment, parse_state
from loyal_trace.core.probing.supply import judge_supply
from loyal_trace.core.roms.signature import Register
from loyal_trace.core.simulation.clock_tree import first_wrong, judge_tree, predict
from loyal_trace.core.simulation.dictionary import compute
from loyal_trace.core.simulation.free_run import all_faults, free_run, unpredictable_nets
from loyal_trace.core.simulation.traces import time_words
from loyal_trace.demo.common import boards_of
from loyal_trace.resources import chip_library, default_tables
from tests.helpers.builders import made, moment_with, small_board
from tests.helpers.free_run_boards import free_run_board
from tests.helpers.ledger import hold, tried

LIBRARY = chip_library()
DEMO = boards_of(("tw-cpu", "tw-vid", "cs-8", "hl-main"))
PRINTED = (
    "SN74LS161AN 8432",
    "HD74LS00P",
    "MC14011BCP",
    "CD4066",
    "74HCT374",
    "7404",
    "DM74S138N",
    "UPC339C",
    "LM339",
    "27C128-15",
    "TMS2764-25JL",
    "M5L8085AP",
    "Z80A",
    "4164-15",
    "74AC14SC",
    "?",
    "74",
    "8432",
    "40106",
    "74AHCT1G04",
)


def cones():
    draw = random.Random(51)
    for name in LIBRARY.type_names[::2]:
        chip = LIBRARY.find(name)
        for output in chip.outputs[:2]:
            cone = cone_of(chip, output.name)
            names = names_read(cone)
            known = [{one: draw.randrange(2) for one in draw.sample(names, min(len(names), k))} for k in (0, 1, 3)]
            levels = [(some, sorted(deciding_inputs(cone, some))) for some in known]
            stored = [sorted(names_nearby(cone, one.bit)) for one in cone.registers[:1]]
            yield f"{name} {output.name}", (names, sorted(names_nearby(cone, output.name)), stored, levels)
        for output in chip.outputs[:1] if len(chip.pins) <= 16 else ():
            cone = cone_of(chip, output.name)
            drives = [{one: draw.choice("LHPL") for one in names_read(cone)} for _ in range(2)]
            clocks = [(sorted(map(str, divisions(cone, some, one)))) for some in drives for one in names_read(cone)[:2]]
            shown = [sorted(map(str, tried(reachable_behaviours, cone, some))) for some in drives]
            yield f"{name} {output.name} driven", (drives, shown, clocks)


def figures_of_pins():
    draw = random.Random(52)
    for name in LIBRARY.type_names[::5]:
        chip = LIBRARY.find(name)
        power = {
            pin.number: draw.choice(("5.0V", "4.2V", "0.3V", "0V", "H", "L", "P", "5.6V"))
            for pin in chip.pins
            if pin.role in ("power", "ground")
        }
        yield (
            f"{name} supplied",
            (power, judge_supply(chip, {n: parse_state(t, chip.family) for n, t in power.items()})),
        )
        read = {
            pin.number: parse_state(draw.choice(("1MHz", "500kHz", "250kHz", "62.5kHz", "L", "H")), chip.family)
            for pin in chip.pins
            if pin.role in ("input", "output")
        }
        for output in (one for one in chip.outputs[:2] if chip.pin(one.name).number in read):
            yield f"{name} {output.name} rates", wrong_frequency(cone_of(chip, output.name), chip, output.name, read)
    chip = LIBRARY.find("74LS161")
    for text in ("1=H", "QA=P", "/CLR = L", "pin 3 0.4V", "CLK=2MHz", "99=L", "1", "=H", "1=W"):
        yield f"assigned {text}", tried(parse_assignment, text, chip)
    for name, family in FAMILIES.items():
        volts = (0.0, 0.45, 0.6, 0.8, 1.0, 1.5, 2.0, 2.4, 2.6, 3.5, 4.0, 4.5)
        yield f"levels of {name}", [(v, level_of(v, family), output_margin(v, family)) for v in volts]
    for text in PRINTED:
        yield f"printed {text}", list(readings(text))


def own_pinouts():
    draw = random.Random(53)
    names = {
        1: "CLK",
        2: "/RESET",
        3: "D0",
        4: "D1",
        5: "Q0",
        6: "Q1",
        7: "GND",
        8: "Q2",
        9: "/OE",
        10: "PHI2",
        14: "VCC",
    }
    ways = {
        1: "in",
        2: "in",
        3: "in",
        4: "in",
        5: "out",
        6: "out",
        7: "ground",
        8: "out",
        9: "in",
        10: "in",
        14: "power",
    }
    for number in range(60):
        ours = {**names, 2: draw.choice(("/RESET", "RESET", "CLR#", "-MR"))}
        pins = {
            pin: PinState(pin=pin, state=draw.choice("PPLHZ" if pin < 5 else "LLLHP"))
            for pin in draw.sample(sorted(names), 9)
        }
        pins |= (
            {14: PinState(pin=14, state="H", voltage=draw.choice((None, 4.9, 4.0, 2.0)))} if draw.random() < 0.9 else {}
        )
        pins |= {pin: PinState(pin=pin, state="L") for pin in (5, 6, 8)} if number % 2 else {}
        told = "".join(f"{pin}{state.state}" for pin, state in sorted(pins.items()))
        yield f"own chip {number} {told}", dead_words(OwnPinout(ours, ways), pins)


def others_beside():
    limits = default_tables().capacitors
    for name, board in DEMO.items():
        yield f"alike on {name}", groups_of(board)
        parts = [part.refdes for part in board.parts]
        some = [parts[n::7] for n in range(3)]
        yield (
            f"in common on {name}",
            [(shared_by(board, one[:3]), common_causes(board, dict.fromkeys(one))) for one in some],
        )
        for group in groups_of(board):
            hits = [common_causes(board, dict.fromkeys(group[:count])) for count in range(2, len(group) + 1)]
            yield f"of {len(group)} alike on {name}", [bool(hit) for hit in hits]
        caps = [part for part in board.parts if part.kind == "capacitor"]
        near = {part.refdes: [(round(mm, 2), o.refdes) for mm, o in hot_parts_near(board, part, 60.0)] for part in caps}
        yield f"hot parts of {name}", ({place: found for place, found in near.items() if found}, limits.heat)
        yield f"beside on {name}", {part.refdes: beside(board, part) for part in caps}
        for part in board.parts[::5]:
            for other in ("74HC161", "74LS161", "100u/25V", "220u/10V", "27C64", "LM339"):
                told = tried(given_up, part, other, LIBRARY)
                if told:
                    yield f"{other} for {part.refdes} ({part.number}) of {name}", told


def other_values():
    """At the bounds, and on both sides of them."""
    olds = ("1k", "10k", "100n", "100u/16V", "330n", "22p", "10 MHz")
    for old, factor in product(olds, (0.8, 0.9, 0.95, 0.99, 1.0, 1.01, 1.05, 1.1, 1.2, 1.25, 1.5, 1.6)):
        kind = {"k": "resistor", "z": "crystal"}.get(old[-1], "capacitor")
        part = replace(Part("X1", old, kind=kind), **marked_as(old, kind))
        number = (
            f"{round((part.value or 0) * factor * 1e12)}p" if kind == "capacitor" else f"{(part.value or 0) * factor:g}"
        )
        yield f"{number} for {old}", (part.value, part.polarised, given_up(part, number, LIBRARY))
    for old, new in (
        ("74LS00", "74LS02"),
        ("74LS161", "74LS163"),
        ("74LS74", "74LS175"),
        ("27C128", "27C256"),
        ("74LS00", "7400"),
    ):
        yield f"{new} for {old}", given_up(Part("X1", old), new, LIBRARY)


def marked_as(text, kind):
    found = parse_marking(text, kind, LIBRARY)
    return {
        "value": found.value,
        "voltage": found.voltage,
        "polarised": found.polarised,
        "technology": found.technology,
    }


def test_chips_and_what_is_beside_them():
    hold("chips-inside", [*cones(), *figures_of_pins(), *own_pinouts(), *others_beside(), *other_values()])


def faults_weighed():
    draw = random.Random(54)
    for seed in (11, 12):
        board, contents = free_run_board(LIBRARY, 20, 2, seed, 12)
        some = dict(list(contents.items())[: 2 if seed == 11 else 1])  # once one ROM has no known content
        run = free_run(board, LIBRARY, 1000, contents=some)
        yield f"without a model {seed}", sorted(unpredictable_nets(run))
        faults = all_faults(board, LIBRARY)[::3]
        found = compute(run, faults, Register())
        nets = sorted(found.number_of)
        priors = {part.refdes: draw.choice((0.01, 0.05, 0.1)) for part in board.parts if part.refdes != "U7"}
        for number in range(8):
            fault = draw.randrange(len(faults))
            changed = found.changes(fault)
            looked_at = [*draw.sample(sorted(changed), min(2, len(changed))), *draw.sample(nets, 4)]
            seen = [(net, changed.get(net) or found.good(net), draw.randrange(3)) for net in looked_at]
            read = [
                NetReading(
                    net,
                    ("", shown.state)[way == 0],
                    shown.rises / 1000 if way == 1 else None,
                    shown.signature ^ (draw.random() < 0.1) if way == 2 else None,
                )
                for net, shown, way in seen
            ]
            odds = weigh(found, read, priors, 16)
            first = sorted(odds.parts.items(), key=lambda item: (-item[1], item[0]))[:4]
            best = odds.likeliest(first[0][0])
            told = (found.faults[best], odds.explained(best), odds.shows(best), odds.next_nets())
            yield f"{seed} {faults[fault]} {number}", (first, odds.none, len(odds.readings), told)
        yield f"codes {seed}", {net: levels[:96] for net, levels in list(run.codes().items())[::5]}
        yield f"groups {seed}", (found.groups(), [(net, found.good(net)) for net in nets[::9]])


def clocks_judged():
    for name, board in DEMO.items():
        nodes = predict(board, LIBRARY)
        for factor in (1.0, 0.5, 1.003, 0.0):
            read = {
                node.net: node.frequency * (factor if n == len(nodes) // 2 else 1.0)
                for n, node in enumerate(nodes)
                if node.frequency
            }
            judged = judge_tree(nodes, read)
            yield (
                f"clocks of {name}, one {factor:g} times",
                ([(one.net, one.verdict) for one in judged], first_wrong(judged)),
            )
    yield "times", [time_words(t) for t in (0.0, 3e-10, 5e-9, 1e-6, 2.5e-5, 1e-3, 0.4, 1.0, -2e-3)]


def rates_read():
    """Frequencies at points of a board whose clocks nothing predicts: line and frame rates, dividers, what stands still."""
    points = [f"U{n}.{pin}" for n in (1, 2) for pin in range(1, 8)]
    for number, hertz in enumerate(
        (
            (15_734.0, 60.05, 4e6),
            (15_625.0, 50.08),
            (15_200.0, 47.0),
            (16_200.0, 63.0, 0.0),
            (8e6, 4e6, 2.003e6, 1e6),
            (6e6, 2e6, 1.5e6),
            (8e6, 8e6, 15.625e3),
            (12e6, 12e6 / 1024, 12e6 / 1025),
            (1e6, 0.33e6, 0.25e6, -1.0),
            (15_700.0, 40.0, 61.0),
            (100.0,),
            (4e6, 1.992e6),
        )
    ):
        entries = [
            made(Measured, board="small", place=place, quantity="frequency", value=value)
            for place, value in zip(points, hertz, strict=False)
            if value >= 0
        ]
        found = rates_of(moment_with({"small": small_board()}, entries), "small")
        yield f"rates {number}", [(one.point, one.hertz, one.words, one.proves) for one in found]


def test_boards_with_faults_and_clocks():
    hold("boards-inside", [*faults_weighed(), *clocks_judged(), *rates_read()])
