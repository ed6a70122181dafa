"""Entries of every kind: one hypothesis strategy a registered kind, so that a new kind is tested the day it is made."""

from datetime import timedelta

from hypothesis import strategies as st

from loyal_trace.core.job import entries as e
from tests.helpers.builders import START

BOARD = st.sampled_from(["small", "own"])
PLACE = st.sampled_from(["U1", "U2", "C1", "9Z"])
WORDS = st.sampled_from(["", "one", "ünïcödé “two”", "line\u2028separator"])
SHA = st.sampled_from(["0" * 64, "1" * 64])
NAME = st.sampled_from(["sound", "picture"])
NUMBER = st.one_of(st.none(), st.floats(1e-9, 1e6))
NAMED = st.builds(e.NamedPart, board=BOARD, refdes=PLACE, pin=st.one_of(st.none(), st.integers(1, 14)))
MEMBERS = st.lists(NAMED, min_size=2, max_size=3).map(tuple)
RESULT = st.sampled_from(["gone", "stays", "moves", "partly", ""])
PIN = st.builds(e.PinState, pin=st.integers(1, 14), state=st.sampled_from("LHPXZ"))
LINE = st.builds(
    e.SumLine, name=st.sampled_from(["u2.bin", "x.bin"]), digests=st.just({"crc32": "0123abcd"}), board=st.just("")
)
POINTS = st.just((e.PhotoPoint(x=0.0, y=0.0, u=1.0, v=2.0),))
FIELDS = {
    "opened": {"title": WORDS, "owner": WORDS},
    "imported": {"head": SHA, "entries": st.integers(0, 9)},
    "decided": {
        "what": st.sampled_from(["firmware", "supply limits", "repair order", "leak reach"]),
        "choice": st.sampled_from(["A", "strict", "likely first", "20 mm"]),
    },
    "caution_seen": {"caution": NAME},
    "note": {"text": WORDS, "place": st.sampled_from(["", "U1"])},
    "handed_back": {"note": WORDS},
    "observed": {
        "place": PLACE,
        "finding": st.sampled_from(list(e.KINDS["observed"].model.model_fields["finding"].annotation)),
        "pin": st.none(),
    },
    "photographed": {"attachment": SHA, "file_name": WORDS, "width": st.just(40), "height": st.just(30)},
    "photo_aligned": {"attachment": SHA, "points": POINTS},
    "photo_of": {"place": PLACE, "attachment": SHA},
    "taken_apart": {"sort": st.just("fastener"), "what": NAME, "count": st.integers(1, 4)},
    "put_back": {"target": st.sampled_from(["e0", "e1"]), "count": st.integers(0, 4)},
    "measured": {
        "place": st.sampled_from(["U1", "U2.14", "C1"]),
        "value": NUMBER,
        "quantity": st.sampled_from(["voltage", "capacitance", "esr", "frequency", "resistance to ground"]),
        "source": st.sampled_from(["hand", "good board"]),
    },
    "lifted": {"place": st.just("A"), "parts": st.just(("U1",)), "value": NUMBER},
    "pins_probed": {
        "place": PLACE,
        "pins": st.lists(PIN, min_size=1, max_size=3).map(tuple),
        "free_run": st.booleans(),
    },
    "pin_signature": {
        "place": PLACE,
        "pin": st.integers(1, 14),
        "value": st.one_of(st.none(), st.integers(0, 65535)),
        "source": st.sampled_from(["hand", "good board"]),
    },
    "trace": {
        "place": PLACE,
        "file_name": WORDS,
        "samples": st.just(9),
        "channels": st.just(((1, "D0"),)),
        "times": st.just((0.0, 1e-6)),
        "lanes": st.just((e.TraceLane(pin=1, name="A", levels="01"),)),
        "differences": st.sampled_from([(), (e.TraceDifference(pin=3, time=1e-6, reason="it differs", count=2),)]),
    },
    "signature": {"place": PLACE, "value": st.one_of(st.none(), st.integers(0, 65535))},
    "pair": {"sent": st.just("41"), "shown": st.just("45")},
    "control": {
        "name": NAME,
        "points": st.just((e.ControlPoint(travel=0.0, value=1.0), e.ControlPoint(travel=1.0, value=9.0))),
    },
    "image_known": {"place": PLACE, "attachment": SHA, "size": st.just(8), "firmware": st.sampled_from(["", "A"])},
    "sums_known": {"source": NAME, "lines": st.lists(LINE, min_size=1, max_size=2).map(tuple)},
    "rom_read": {"place": PLACE, "attachment": SHA, "size": st.just(8)},
    "removed": {"place": PLACE, "number": WORDS, "shelf": st.sampled_from(["", "box 3"])},
    "fitted": {
        "place": PLACE,
        "number": st.sampled_from(["74LS00", "100n"]),
        "origin": st.sampled_from(["drawer 7", "own part", ""]),
        "lender": st.sampled_from(["", "the twin"]),
    },
    "gave_back": {"place": PLACE},
    "swapped": {"place": PLACE, "spare": NAME, "result": RESULT, "back": st.booleans()},
    "trial": {"action": st.sampled_from(["pressed", "out"]), "parts": MEMBERS, "result": RESULT},
    "worked": {"action": st.sampled_from(["reflowed", "cleaned", "washed"]), "parts": MEMBERS, "before": st.booleans()},
    "step_done": {
        "step": st.sampled_from(["small/C1/capacitor", "small/U1/chip"]),
        "minutes": st.just(3.0),
        "skipped": st.booleans(),
    },
    "action_taken": {
        "step": st.just("small/C1/capacitor"),
        "action": st.sampled_from(["remove", "fit"]),
        "result": st.sampled_from(["done", "skipped", "went wrong"]),
    },
    "timer_started": {"what": NAME, "seconds": st.sampled_from([5.0, 1200.0])},
    "planned": {"place": PLACE, "number": NAME},
    "extra_ticked": {
        "place": PLACE,
        "sort": st.sampled_from(["usual service", "heat sink", "improvement"]),
        "choice": st.sampled_from(["in", "out"]),
        "what": st.sampled_from(["", "label"]),
    },
    "offered": {"shop": NAME, "number": st.just("100u 25V"), "price": st.just(0.4)},
    "stocked": {"number": st.just("74LS00"), "count": st.integers(0, 3)},
    "symptom": {"text": NAME, "present": st.booleans()},
    "function": {"name": NAME, "state": st.sampled_from(["works", "fails", "partly"])},
    "stage": {"name": NAME, "member": NAMED, "state": st.sampled_from(["works", "fails"])},
    "started": {"clean": st.booleans(), "code": st.sampled_from(["", "3"]), "off_seconds": st.just(600.0)},
    "test_result": {"item": NAME, "passed": st.booleans()},
    "not_testable": {"item": NAME, "reason": WORDS},
    "part_told": {
        "place": PLACE,
        "number": st.sampled_from(["", "74LS00"]),
        "socketed": st.sampled_from([None, True]),
        "origin": st.sampled_from(["said", "list"]),
        "x": st.sampled_from([None, 9.0]),
        "y": st.just(8.0),
    },
    "pin_told": {"place": PLACE, "pin": st.integers(1, 14), "name": NAME},
    "connected": {"first": NAMED, "second": NAMED, "joined": st.booleans()},
    "check_told": {"items": st.sampled_from([("keyboard",), ("picture", "every sound")])},
    "setting_told": {"place": PLACE, "setting": st.just("1-2")},
    "outline_told": {
        "width": st.floats(10, 400),
        "height": st.just(100.0),
        "origin": st.sampled_from(["said", "photo"]),
    },
    "nets_told": {"source": NAME, "nets": st.just((e.Net(name="D0", pins=(("U1", 3), ("U9", 2))),))},
    "line_told": {"name": st.sampled_from(["D2", "A4"]), "members": MEMBERS},
    "rail_told": {"name": st.just("+5 V"), "nominal": st.just(5.0), "members": MEMBERS},
    "chain_described": {
        "line": st.sampled_from(["from", "to"]),
        "path": st.just("x"),
        "text": st.sampled_from(["from J1 9 V DC 1 A", "to U2.14"]),
    },
    "rom_told": {"place": PLACE, "number": st.integers(1, 3), "device": st.just("2764")},
    "twins_told": {"members": MEMBERS},
    "clock_told": {"at": NAMED, "frequency": st.just(2e6)},
    "lamp_told": {"place": PLACE, "members": MEMBERS},
    "code_told": {"code": st.just("3"), "members": MEMBERS},
    "path_told": {"name": NAME, "members": MEMBERS},
    "service_told": {"members": MEMBERS},
    "assumed": {"name": NAME, "together": st.just((("U1.3", "U2.1"),))},
}


@st.composite
def logbooks(draw, most=14):
    """A logbook of any entries, retractions of earlier ones among them, some belonging to the one after them."""
    entries = []
    for number in range(draw(st.integers(0, most))):
        common = {"id": f"e{number}", "time": START + timedelta(minutes=number), "author": "T", "board": draw(BOARD)}
        if entries and draw(st.integers(0, 4)) == 0:
            target = draw(st.sampled_from(entries)).id
            entries.append(e.Retracted(**common, target=target))
            continue
        kind = draw(st.sampled_from(sorted(FIELDS)))
        fields = {name: draw(strategy) for name, strategy in FIELDS[kind].items()}
        belongs = f"e{number + 1}" if draw(st.integers(0, 5)) == 0 else ""
        entries.append(e.KINDS[kind].model(**common, part_of=belongs, **fields))
    return entries
