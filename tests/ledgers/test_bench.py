"""What the simulated bench shows of the demo boards, and where a short is looked for on their rails."""

import random
from dataclasses import dataclass
from itertools import product

from loyal_trace.core.power.shorts import find_short, parts_on
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.demo.corvane import corvane_bench
from loyal_trace.demo.gullcry import gullcry_bench
from loyal_trace.demo.hollin import hollin_bench
from loyal_trace.demo.workshop import demo_bench
from tests.helpers.ledger import hold, tried

BENCHES = {"tidewrack": demo_bench, "corvane": corvane_bench, "gullcry": gullcry_bench, "hollin": hollin_bench}


def measured(name, bench):
    for board in bench.boards.values():
        places = [*(point.point for point in board.chain), *(part.refdes for part in board.parts[::4])]
        for place in dict.fromkeys(
            [*places, *(f"{part.refdes}.{1 + n % 7}" for n, part in enumerate(board.parts[::9]))]
        ):
            found = {str(quantity): tried(bench.measure, board.id, place, quantity) for quantity in Quantity}
            told = {quantity: value for quantity, value in found.items() if not isinstance(value, str)}
            if told:
                yield f"{name} {board.id} {place}", told
        lines = [net for net, pins in board.nets if len(pins) > 3][:6]
        ends = [dict(board.nets)[net][0] for net in lines]
        yield (
            f"{name} {board.id} to ground",
            [
                tried(bench.to_ground, board.id, f"{refdes}.{pin}", reverse)
                for refdes, pin in ends
                for reverse in (False, True)
            ],
        )
        yield f"{name} {board.id} as seen", tried(bench.seen, board.id)
        chips = [part for part in board.parts if part.is_chip][::6]
        pins = [(part.refdes, pin) for part in chips for pin in (1, 2, 5, 9, 12)]
        yield f"{name} {board.id} probed", [(place, tried(bench.probe, board.id, *place)) for place in pins]
        yield (
            f"{name} {board.id} tried",
            [(f.name, tried(bench.try_function, board.id, f.name)) for f in board.functions],
        )
    yield f"{name} starts", [bench.start() for _ in range(6)]


@dataclass(frozen=True)
class Lifted:
    parts: tuple[str, ...]
    value: float | None


def shorts():
    draw = random.Random(61)
    for bench in BENCHES.values():
        for board in bench().boards.values():
            rails = [rail.net for rail in board.rails if len(parts_on(board, rail.net)) > 3]
            for net, number in product(rails[:2], range(4)):
                parts = [part.refdes for part in parts_on(board, net)]
                lifts = [
                    Lifted(
                        tuple(draw.sample(parts, draw.randint(1, 3))),
                        draw.choice((None, 1.1, 1.3, 40.0, 50.0, 72.0, 900.0)),
                    )
                    for _ in range(number)
                ]
                track = {part: round(draw.uniform(0.02, 0.4), 3) for part in draw.sample(parts, number)}
                found = find_short(board, net, draw.choice((0.8, 1.2, 9.0)), lifts, track)
                yield (
                    f"short on {net} of {board.id} {number}",
                    (lifts, track, found.candidates[:4], found.lift, found.why, found.culprit, found.track),
                )


def test_the_bench_and_shorts():
    hold("bench", [*(case for name, bench in BENCHES.items() for case in measured(name, bench())), *shorts()])
