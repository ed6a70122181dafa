"""What each line comes to: every example of every form, as it stands and slightly wrong, on several boards."""

from itertools import product

from loyal_trace.core.job.entries import (
    Fitted,
    Measured,
    NamedPart,
    PartTold,
    PathTold,
    Removed,
    Swapped,
    SymptomSeen,
    TakenApart,
    Trial,
)
from loyal_trace.core.line.context import Status
from loyal_trace.core.line.registry import FORMS
from loyal_trace.core.vocabulary.stages import Stage
from tests.helpers.builders import made
from tests.helpers.ledger import hold, written
from tests.helpers.lines import TIDEWRACK, context, read

V = "tw-vid"
SETTLED = (
    made(PartTold, board=V, place="R5", number="4k7", sort="resistor"),
    *(made(Removed, board=V, place=place) for place in ("2B", "C1", "F1")),
    made(PartTold, board=V, place="F1", number="2A", sort="fuse"),
    made(Fitted, board=V, place="4A", lender="the twin", number="27C64"),
    made(Swapped, board=V, place="5D", other=NamedPart(board=V, refdes="5A")),
    made(Trial, board=V, action="out", parts=(NamedPart(board=V, refdes="3C"),), result="gone"),
    made(SymptomSeen, board=V, text="no sound"),
    made(PathTold, board=V, name="gun", members=(NamedPart(board=V, refdes="5D"), NamedPart(board=V, refdes="5A"))),
    made(Measured, board=V, place="C1", quantity="esr", value=3.0),
    made(TakenApart, board="tw-cpu", sort="fastener", what="screws", count=4),
)
PLACES = ((TIDEWRACK, ("tw-vid", "5D")), ({V: TIDEWRACK[V]}, (V, "C1")), (TIDEWRACK, ("tw-cpu", "6C")), ({}, None))


def variants(example):
    """A line, and lines that are nearly it."""
    yield example
    yield example.upper()
    yield f"{example} badly"
    yield example.replace("5", "6", 1)
    yield example.replace(",", ";", 1) if "," in example else example.replace(" ", "  ", 1)


def told(parsed):
    """All that a line came to, in one line."""
    if parsed.said is not None and parsed.status is not Status.NOTE:
        return said(parsed.said)
    if parsed.choices:
        return " | ".join(said(one) for one in parsed.choices)
    return written(parsed.message)


def said(one):
    entries = "; ".join(f"{planned.kind.__name__} {written(planned.fields)}" for planned in one.entries[:2])
    return f"{one.canonical} [{len(one.entries)}, {one.count}, {written(one.new)}, {one.caution}] {entries}"


def cases():
    contexts = [context(boards, SETTLED if boards else (), picked) for boards, picked in PLACES]
    for form in FORMS:
        for example in form.examples:
            for number, line in enumerate(variants(example)):
                # As it stands, everywhere; slightly wrong, in one of the contexts.
                for where in contexts if number == 0 else contexts[number % 2 : number % 2 + 1]:
                    found = read(line, where)
                    yield f"{form.name} · {line} · {found.status.value}", told(found)


# What is typed where a value is asked for: alone, with its unit, several at once, and beyond what can be.
BARE = (
    "4.87",
    "4.87 V",
    "-12 V",
    "61 V",
    "2MHz",
    "0",
    "L",
    "HLP",
    "X",
    "not connected",
    "ok",
    "120u",
    "95u 0.3",
    "0.3R",
    "1k",
    "3A4F",
    "FFFFFFFF",
    "yes",
    "fails",
    "12 12 11",
    "5 kV",
    "no",
    "?",
    "2 min",
    "skip no part",
)
ASKED = (
    (TIDEWRACK, ("tw-vid", "5D"), None),
    (TIDEWRACK, ("tw-vid", "5D"), 13),
    (TIDEWRACK, ("tw-vid", "C2"), None),
    (TIDEWRACK, ("tw-cpu", "6C"), 20),
    (TIDEWRACK, None, None),
)


def asked_for():
    for stage, (boards, picked, pin) in product(Stage, ASKED):
        where = context(boards, SETTLED, picked, pin, stage=stage)
        for number, line in enumerate(BARE):
            if (stage + number) % 2 or stage in (Stage.PROBE, Stage.PLAN):
                found = read(line, where)
                if found.status is not Status.NOTE:
                    yield f"{stage.word} {picked} {pin} · {line} · {found.status.value}", told(found)


def test_what_lines_come_to():
    hold("line", cases())


def test_what_bare_values_come_to_where_they_are_asked_for():
    hold("line-asked", asked_for())
