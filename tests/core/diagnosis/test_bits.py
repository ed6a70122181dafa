"""Codes sent and shown: the faulty line, what cannot be told apart, and the code to send next."""

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from loyal_trace.core.diagnosis.bits import BitFault, hypotheses, judge_bits

STUCK = BitFault("stuck", (2,), "low")


def pairs_of(fault, codes):
    return [(code, fault.shown(code)) for code in codes]


def test_every_fault_of_eight_lines_is_weighed_once():
    every = hypotheses(8)
    assert len(every) == len(set(every)) == 277


@pytest.mark.parametrize(
    ("fault", "sent", "shown"),
    [
        (STUCK, 0x45, 0x41),
        (BitFault("stuck", (1,), "high"), 0x41, 0x43),
        (BitFault("inverted", (0,)), 0x41, 0x40),
        (BitFault("follows", (0, 1), "and"), 0x01, 0x00),
        (BitFault("bridged", (0, 7), "or"), 0x01, 0x81),
        (BitFault("exchanged", (0, 1)), 0x01, 0x02),
    ],
)
def test_what_each_fault_shows(fault, sent, shown):
    assert fault.shown(sent) == shown


def test_one_pair_accuses_a_little_and_says_what_to_send():
    found = judge_bits([(0x45, 0x41)], 8)
    assert found.likeliest == STUCK and not found.settled and found.together
    assert found.lines[2] == max(found.lines) and found.bits > 0.5
    assert STUCK.shown(found.send) != found.together[0].shown(found.send)


def test_right_codes_are_called_right_and_a_misread_one_is_outvoted():
    right = [(code, code) for code in (0x00, 0xFF, 0x55, 0xAA, 0x0F, 0x33, 0x40, 0xBF)]
    assert judge_bits(right, 8).likeliest.kind == "right" and max(judge_bits(right, 8).lines) < 0.05
    assert judge_bits([*right, (0x41, 0x45)], 8).likeliest.kind == "right"


@given(st.sampled_from(hypotheses(8)), st.integers(0, 1000))
@settings(max_examples=20, deadline=None)
def test_following_the_advice_finds_the_fault_in_a_few_codes(fault, seed):
    hand = random.Random(seed)
    pairs = pairs_of(fault, [hand.randrange(256)])
    for _ in range(7):
        pairs += pairs_of(fault, [judge_bits(pairs, 8).send])
    found = judge_bits(pairs, 8)
    assert found.likeliest == fault or fault in found.together
    if found.settled:
        assert found.likeliest == fault


def test_healthy_lines_are_not_accused_by_random_codes_with_misreadings():
    hand = random.Random(5)
    accused = 0
    for _ in range(60):
        pairs = []
        for _ in range(6):
            code = hand.randrange(256)
            pairs.append((code, code ^ (1 << hand.randrange(8)) if hand.random() < 0.03 else code))
        accused += max(judge_bits(pairs, 8).lines) > 0.9
    assert accused <= 1


def test_a_bus_of_other_widths():
    fault = BitFault("stuck", (11,), "high")
    found = judge_bits(pairs_of(fault, [0x5555, 0x3333, 0x00FF]), 16)
    assert found.likeliest == fault and found.width == 16


def test_when_every_code_was_sent_the_one_that_tells_most_is_sent_again():
    # D0 is low for so many of the codes that have it high that neither "stuck" nor "follows D3" explains them all.
    held = set(random.Random(55).sample(range(1, 256, 2), 55))
    found = judge_bits([(code, code & ~1 if code in held else code) for code in range(256)], 8)
    assert found.send & 1 and found.bits > 0.5
