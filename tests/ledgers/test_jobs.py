"""What is said of whole jobs, after anything that can be said in a line and anything that can be measured."""

import random

from loyal_trace.core.assess.assessment import Assessment
from loyal_trace.core.job.entries import Measured, PinsProbed, PinState
from loyal_trace.core.line.registry import FORMS
from loyal_trace.demo.common import boards_of
from tests.helpers.builders import made, moment_with
from tests.helpers.ledger import all_said_of, hold
from tests.helpers.lines import TIDEWRACK, context, read

BOARDS = {
    "two boards": TIDEWRACK,
    "one board": {"tw-vid": TIDEWRACK["tw-vid"]},
    "a school computer": boards_of(("cs-8",)),
    "a lamp driver": boards_of(("hl-main",)),
    "nothing": {},
}
EXAMPLES = [example for form in FORMS for example in form.examples]
FACTORS = (0.0, 0.4, 0.9, 0.96, 1.0, 1.0, 1.04, 1.1, 2.5)


def lines_said(draw, boards, count):
    """Entries of lines drawn from all examples, as far as they can be recorded on these boards."""
    entries = []
    for line in draw.sample(EXAMPLES, count):
        found = read(line, context(boards, entries))
        said = found.said or (draw.choice(found.choices) if found.choices else None)
        if said is not None and found.status.value in ("recorded", "unclear"):
            entries += [made(one.kind, **one.fields) for one in said.entries]
    return entries


def points_read(draw, boards, share):
    """Readings at the points of the supplies: some right, some a little off, some far off."""
    found = []
    for report in Assessment(moment_with(boards)).rails.values():
        for one in report.points:
            middle = (one.limits.low + min(one.limits.high, 3 * one.limits.low + 1.0)) / 2
            if draw.random() < share:
                value = round(middle * draw.choice(FACTORS), 4)
                place, quantity = one.point.point, one.point.quantity
                found.append(made(Measured, board=one.board, place=place, quantity=quantity, value=value))
    return found


def pins_read(draw, boards, count):
    """Pins of a few chips at any level."""
    found = []
    for board in boards.values():
        chips = [part for part in board.parts if moment_with(boards).library.knows(part.number)]
        for part in draw.sample(chips, min(count, len(chips))):
            pins = draw.sample(range(1, 15), draw.randint(3, 12))
            states = tuple(PinState(pin=pin, state=draw.choice("LLHHPPX")) for pin in pins)
            found.append(made(PinsProbed, board=board.id, place=part.refdes, pins=states))
    return found


def cases():
    for name, boards in BOARDS.items():
        for seed in range(3):
            draw = random.Random(f"{name} {seed}")
            entries = lines_said(draw, boards, 40)
            entries += points_read(draw, boards, 0.3 * seed) + pins_read(draw, boards, 2 * seed)
            moment = moment_with(boards, entries)
            for title, value in all_said_of(Assessment(moment)):
                yield f"{name} {seed}: {title}", value


def test_what_is_said_of_jobs():
    hold("jobs", cases())
