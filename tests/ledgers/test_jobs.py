"""What is said of whole jobs, after anything that can be said in a line and anything that can be measured."""

import hashlib
import random

from loyal_trace.core.assess.assessment import Assessment
from loyal_trace.core.job.entries import Measured, PinsProbed, PinState, RomRead, SignatureTaken
from loyal_trace.core.line.registry import FORMS
from loyal_trace.demo.common import boards_of
from loyal_trace.demo.images import reference_image
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


def lines_said(draw, name, boards, count):
    """Entries of lines drawn from all examples, as far as they can be recorded on these boards.

    Each line has a number of its own to be drawn by, so that one more example moves no others.
    """
    entries = []
    numbers = {line: random.Random(f"{name} {line}").random() for line in EXAMPLES}
    for line in sorted(numbers, key=numbers.__getitem__)[:count]:
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


def roms_read(draw, boards, share):
    """Reads of sockets, some damaged, and signatures of the tester; with the bytes by their hash."""
    entries, blobs = [], {}
    for board in boards.values():
        for slot in board.rom_slots:
            for _ in range(draw.choice((1, 1, 2)) if draw.random() < share else 0):
                data = damaged(draw, reference_image(board.id, slot.refdes, draw.choice("AB")))
                sha = hashlib.sha256(data).hexdigest()
                blobs[sha] = data
                entries.append(made(RomRead, board=board.id, place=slot.refdes, attachment=sha, size=len(data)))
            if draw.random() < share / 2:
                value = draw.choice((None, 0x1234, 0xBEEF))
                entries.append(made(SignatureTaken, board=board.id, place=slot.refdes, value=value))
    return entries, blobs


def damaged(draw, data):
    """An image as it is, with a line stuck, some bytes off, half of it, or blank."""
    how = draw.choice(("right", "right", "stuck", "off", "half", "blank"))
    changed = bytearray(data)
    if how == "stuck":
        changed = bytearray(byte & ~0x20 & 0xFF for byte in data)
    elif how == "off":
        for at in range(5):
            changed[draw.randrange(len(data))] ^= 1 << at
    return bytes(changed)[: len(data) // 2 if how == "half" else None] if how != "blank" else b"\xff" * len(data)


def cases():
    for name, boards in BOARDS.items():
        for seed in range(2):
            # Each sort is drawn by itself, so that one more example moves no readings.
            lines, points, pins, roms = (
                random.Random(f"{name} {seed} {sort}") for sort in ("lines", "points", "pins", "roms")
            )
            entries = lines_said(lines, f"{name} {seed}", boards, 40)
            entries += points_read(points, boards, 0.6 * seed) + pins_read(pins, boards, 4 * seed)
            reads, blobs = roms_read(roms, boards, 0.7 * seed)
            moment = moment_with(boards, [*entries, *reads], blobs)
            for title, value in all_said_of(Assessment(moment)):
                yield f"{name} {seed}: {title}", value


def test_what_is_said_of_jobs():
    hold("jobs", cases())
