"""Readings in free run: they lead to the fault that would cause them, misread ones included, and end with a change."""

import random
import re
from dataclasses import replace

import pytest

from loyal_trace.core.assess.assessment import assess
from loyal_trace.core.assess.free_runs import expected_at, expected_words, readings_of, signature_words
from loyal_trace.core.assess.moment import Memo
from loyal_trace.core.assess.next_things import next_things
from loyal_trace.core.job import entries as e
from loyal_trace.core.job.fold import fold
from loyal_trace.core.roms.signature import Register
from loyal_trace.core.simulation.dictionary import compute
from loyal_trace.core.simulation.free_run import all_faults, free_run
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.resources import chip_library
from tests.helpers.builders import made, moment_of
from tests.helpers.free_run_boards import free_run_board

LIBRARY, CLOCKS = chip_library(), 4096
BOARD, CONTENTS = free_run_board(LIBRARY, chips=40, roms=3, lines=12)
MACHINE = free_run(BOARD, LIBRARY, CLOCKS, (), CONTENTS)
DICTIONARY = compute(MACHINE, all_faults(BOARD, LIBRARY), Register())
ADVICE = re.compile(r"signature at (\w+)\.(\d+), healthy")

# Faults that more than their own net shows.
FELT = [n for n, seen in enumerate(DICTIONARY.visible) if seen and len(DICTIONARY.changes(n)) >= 5]


def moment(entries, memo=None):
    started = made(e.Decided, what="free run", choice="on")
    return replace(moment_of(BOARD, [started, *entries], memo=memo or Memo()), dictionaries={"big": DICTIONARY})


def signed(refdes, pin, value, **more):
    return made(e.PinSigned, board="big", place=refdes, pin=pin, value=value, **more)


def follow(fault, misread=0.0, most=8, dice=None):
    """The entries of a search: what the program advises is read, until it is sure or nothing is left."""
    entries, memo, changes = [], Memo(), DICTIONARY.changes(fault)
    for _ in range(most):
        now = moment(entries, memo)
        advice = next((m for t in next_things(now, 60, (Stage.PROBE,)) if (m := ADVICE.match(t.text))), None)
        if advice is None or (entries and assess(now).suspects[0].probability > 0.95):
            break
        net = BOARD.line_of(advice[1], int(advice[2]))
        value = (changes.get(net) or DICTIONARY.good(net)).signature
        if dice is not None and dice.random() < misread:
            value ^= dice.randrange(1, 65536)
        entries.append(signed(advice[1], int(advice[2]), value))
    return entries


def ranks(faults, **options):
    """The place of the guilty chip among the suspects, for each fault."""
    found = []
    for fault in faults:
        names = [suspect.place.refdes for suspect in assess(moment(follow(fault, **options))).suspects]
        guilty = str(DICTIONARY.refdes[fault])
        found.append(names.index(guilty) + 1 if guilty in names else len(BOARD.parts))
    return found


def test_the_advice_leads_to_the_fault_in_a_few_signatures():
    found = ranks(random.Random(5).sample(FELT, 24))
    assert sum(rank == 1 for rank in found) >= 18 and sum(rank <= 3 for rank in found) >= 21


def test_a_misread_signature_costs_readings_and_not_the_culprit():
    dice = random.Random(6)
    found = ranks(dice.sample(FELT, 16), misread=0.1, most=12, dice=dice)
    assert sum(rank <= 3 for rank in found) >= 12


def test_a_healthy_board_suspects_nobody():
    nets = [str(net) for net in DICTIONARY.nets if "." not in str(net)][:60]
    places = [dict(BOARD.nets)[net][0] for net in nets]
    entries = [signed(*place, DICTIONARY.good(net).signature) for net, place in zip(nets, places, strict=True)]
    assert all(suspect.probability < 0.2 for suspect in assess(moment(entries)).suspects)


def test_states_and_frequencies_count_when_they_were_read_in_free_run():
    place, pins = ("U2", (e.PinState(pin=18, state="L"), e.PinState(pin=16, state="P", frequency=1.5e6)))
    in_free_run = made(e.PinsProbed, board="big", place=place, pins=pins, free_run=True)
    assert {(r.net, r.state, r.rate) for r in readings_of(moment([in_free_run]), BOARD)} == {
        ("BA0", "L", None), ("BA1", "", 0.25)}  # fmt: skip
    assert readings_of(moment([in_free_run.model_copy(update={"free_run": False})]), BOARD) == ()
    suspects = {s.place.refdes: s for s in assess(moment([in_free_run])).suspects}
    assert suspects["U2"].probability > 2 * suspects["U2"].prior


def test_a_changed_part_ends_what_was_signed_before():
    entries = [signed("U2", 18, 0x1234), made(e.Fitted, board="big", place="U3", number="74LS244", origin="tray 1")]
    assert fold(entries[:1]).readings.pin_signatures and not fold(entries).readings.pin_signatures


def test_what_a_pin_should_show_needs_no_good_board():
    expected = expected_at(moment([]), PartRef("big", "U2"), 18)
    assert expected is not None and expected.state == "P" and expected.frequency == pytest.approx(3e6, rel=0.01)
    assert expected.signature == DICTIONARY.good("BA0").signature


def test_when_free_run_is_over_nothing_more_is_expected_of_it():
    over = made(e.Decided, what="free run", choice="off")
    now = moment([signed("U2", 18, 0x1234), over])
    assert expected_at(now, PartRef("big", "U2"), 18) is None
    assert not any(ADVICE.match(thing.text) for thing in next_things(now, 60, (Stage.PROBE,)))
    assert any(line.kind == "free-run" for s in assess(now).suspects for line in s.evidence), "what was read stays"


@pytest.mark.parametrize(("byte", "words"), [(0, "stays low"), (255, "stays high")])
def test_the_signature_of_a_steady_line_is_recognised(byte, words):
    register, window = Register(), e.Decided
    decided = made(window, what="signature window", choice="2048")
    taken = signed("U2", 18, register.of(bytes([byte]) * 256))
    assert words in signature_words(moment([decided, taken]), PartRef("big", "U2"), 18)


def test_two_pins_with_one_signature_are_named():
    entries = [signed("U2", 18, 0x1234), signed("U2", 16, 0x1234)]
    assert signature_words(moment(entries), PartRef("big", "U2"), 18) == "1234, as pin 16"


def test_a_signature_unlike_that_of_a_good_board_speaks_against_the_chip():
    entries = [signed("U2", 18, 0x1234), signed("U2", 18, 0x4321, source=e.GOOD_BOARD)]
    found = assess(moment_of(BOARD, entries)).suspect_at(PartRef("big", "U2"))
    assert found is not None and any("another signature" in line.text for line in found.against)


def test_a_line_that_depends_on_the_state_at_power_on_may_show_anything():
    net = next(name for name, number in DICTIONARY.number_of.items() if DICTIONARY.unsure[number])
    refdes, pin = dict(BOARD.nets)[net][0]
    expected = expected_at(moment([]), PartRef("big", refdes), pin)
    assert expected is not None and "anything in free run" in expected_words(moment([]), expected)
