"""What follows from works and fails, swaps, codes and free words; in which order changes are made."""

import random
from datetime import datetime, timedelta

from loyal_trace.core.diagnosis.arrangements import Arrangement, solve_arrangements
from loyal_trace.core.diagnosis.bits import hypotheses, judge_bits
from loyal_trace.core.diagnosis.complaint import stem, suggest
from loyal_trace.core.diagnosis.evidence import entropy_bits, expected_gain_bits, logit, sigmoid
from loyal_trace.core.diagnosis.paths import Case, Statement, path_odds
from loyal_trace.core.diagnosis.swaps import OUTCOMES, Exchange, Puzzle, solve
from loyal_trace.core.diagnosis.tried import CHANGES, Tried
from loyal_trace.core.planning.orders import Diagnostics, breaks, compared, moved, replanned
from loyal_trace.core.planning.sequencing import Task, normalised
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.resources import word_groups
from tests.helpers.ledger import hold, tried
from tests.helpers.repairs import made_up


def works_and_fails():
    for seed in range(10):
        repair = made_up(seed, omitted=0.1, without_path=0.15)
        for name in sorted(repair.told)[: seed % 4]:
            repair.look_at(name, repair.told[name][0])
        for part in sorted(repair.priors)[: seed % 3]:
            repair.exchange(part)
        odds = repair.odds()
        if odds is None:
            yield f"board {seed}", None
            continue
        first = sorted(odds.probability.items(), key=lambda item: (-item[1], item[0]))
        yield f"board {seed}", ([(part.refdes, chance) for part, chance in first[:8]], odds.gap)
        name, path = next(iter(repair.told.items()))
        worlds = odds.worlds
        yield (
            f"board {seed}, what tells most",
            (
                worlds.bits_of_function(name),
                [worlds.bits_of_signal(name, part) for part in path],
                worlds.bits_of_exchange(path[0]),
                [worlds.bits_of_trial(path[0], sort) for sort in sorted(CHANGES)],
            ),
        )


def tried_and_changed():
    draw = random.Random(43)
    for seed in range(12):
        repair = made_up(seed)
        parts, told = sorted(repair.priors), dict(repair.told)
        when = [repair.now + timedelta(minutes=n) for n in range(1, 4)]
        trials = [
            Tried(
                tuple(draw.sample(parts, draw.randint(1, 2))),
                draw.choice(sorted(CHANGES)),
                draw.random() < 0.5,
                when[0],
            )
            for _ in range(seed % 4)
        ]
        new = {draw.choice(parts): (when[1],)} if seed % 2 else {}
        old = {draw.choice(parts): draw.choice((0.2, 5.0))} if seed % 3 == 0 else {}
        statements = (
            *repair.statements,
            Statement(sorted(told)[0], draw.choice(("works", "partly", "fails")), when[2]),
        )
        odds = path_odds(Case(told, statements, repair.priors, tuple(repair.exchanges), new, tuple(trials), old))
        first = sorted(odds.probability.items(), key=lambda item: (-item[1], item[0])) if odds else []
        yield f"tried on board {seed}", ([(one.parts, one.sort, one.changed) for one in trials], first[:8])


def swapped():
    draw = random.Random(31)
    parts = [f"U{n}" for n in range(1, 6)]
    for number in range(14):
        moves = []
        for minute in range(draw.randint(1, 5)):
            place, other = draw.sample(parts, 2)
            if draw.random() < 0.3:
                refs = tuple(PartRef("b", part) for part in draw.sample(parts, draw.randint(1, 2)))
                when = datetime(2026, 1, 1) + timedelta(minutes=minute)
                moves.append(Tried(refs, draw.choice(sorted(CHANGES)), draw.random() < 0.5, when))
            elif draw.random() < 0.5:
                moves.append(Exchange(place, draw.choice(("spare A", "spare B")), "", draw.choice(OUTCOMES), place))
            else:
                moves.append(Exchange(place, other, other, draw.choice(OUTCOMES), place))
        prior = {part: draw.choice((0.05, 0.1, 0.3)) for part in parts}
        yield (
            f"exchanges {number}",
            (moves, tried(solve, Puzzle(tuple(moves), prior, frozenset({"spare A", "spare B"})))),
        )
    for number in range(8):
        seen = []
        for _ in range(draw.randint(2, 5)):
            places = draw.sample(("P1", "P2", "P3"), 2)
            bodies = draw.sample(("a", "b", "c", "d"), 2)
            seen.append(
                Arrangement(tuple(zip(places, bodies, strict=True)), draw.choice(("works", "fails", places[0])))
            )
        yield f"arrangements {number}", tried(solve_arrangements, seen)


def codes():
    draw = random.Random(37)
    every = hypotheses(8)
    for _ in range(16):
        fault = draw.choice(every)
        sent = [draw.randrange(256) for _ in range(draw.randint(1, 6))]
        found = judge_bits([(code, fault.shown(code) ^ (draw.random() < 0.1)) for code in sent], 8)
        yield f"{fault} over {sent}", found
    for number, fault in enumerate(draw.sample(hypotheses(16), 6)):
        sent = [draw.randrange(1 << 16) for _ in range(number)]
        yield f"{fault} of sixteen over {sent}", judge_bits([(code, fault.shown(code)) for code in sent], 16)
    yield (
        "figures",
        [(logit(p), sigmoid(p), entropy_bits(p), expected_gain_bits(p, 0.9, 0.2)) for p in (0.02, 0.3, 0.5, 0.9)],
    )


def free_words():
    symptoms = [
        ("b", text) for text in ("no sound", "picture rolls", "resets by itself", "one key dead", "wrong colours")
    ]
    for words in (
        "it makes no noise at all",
        "keeps rebooting",
        "screen rolling over",
        "keys do nothing",
        "blue is missing",
        "",
    ):
        yield f"complaint {words}", (suggest(words, symptoms, word_groups()), [stem(word) for word in words.split()])


def orders():
    draw = random.Random(41)
    for number in range(20):
        tasks = normalised(
            [
                Task(
                    str(n),
                    f"change {n}",
                    round(draw.uniform(2, 40), 1),
                    round(draw.random() * 0.4, 2),
                    str(n % 4),
                    draw.choice(("iron", "hand")),
                    tuple(str(k) for k in range(n) if draw.random() < 0.12),
                    draw.choice((0, 0, 1.0, 3.0)),
                )
                for n in range(draw.choice((3, 6, 6, 9, 9 if number % 4 else 16)))
            ]
        )
        yield (
            f"orders {number}",
            [
                (
                    one.grouping,
                    one.sequence,
                    [task.id for task in one.tasks],
                    one.minutes,
                    one.days,
                    one.weight,
                    one.bound,
                    one.exact,
                    one.found,
                    one.known,
                    one.mix_up,
                    one.damage,
                )
                for one in compared(tasks, Diagnostics(6.0, 0.5) if number % 2 else None)
            ],
        )
        names = [task.id for task in tasks]
        own = moved(names, names[-1], names[0])
        yield f"own order {number}", (own, breaks(tasks, own), [task.id for task in replanned(names[:-1], tasks)])


def test_what_follows():
    hold("reasoning", [*works_and_fails(), *tried_and_changed(), *swapped(), *codes(), *free_words(), *orders()])
