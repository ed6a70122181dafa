"""A bad rail takes down the blocks that need it, and no others; their symptoms accuse nobody then."""

from dataclasses import replace

import pytest

from loyal_trace.core.boards.model import Block
from loyal_trace.core.boards.supplies import ChainPoint, Rail
from loyal_trace.core.job.entries import SymptomSeen
from loyal_trace.core.power.blocks import dead_blocks, dead_rails
from loyal_trace.core.power.fuses import fuse_type
from tests.helpers.builders import assessment_of, made, measured, rails_of, small_board

BOARD = replace(
    small_board(),
    rails=(Rail("+5 V", 5.0, 4.75, 5.25, far="U2.14"), Rail("+12 V", 12.0, 11.4, 12.6, far="U1.14")),
    chain=(
        ChainPoint("C1", "ripple", 0.0, 0.2, "C1", path="five"),
        ChainPoint("C1", "resistance", 0, 0.5, "C1", path="five"),
        ChainPoint("U2.14", "voltage", 4.75, 5.25, "U2", path="five"),
        ChainPoint("U1.14", "voltage", 11.4, 12.6, "U1", path="twelve"),
    ),
    blocks=(Block("logic", ("U2",), ("+5 V",), ("no count",)), Block("sound", ("U1",), ("+12 V",), ("silent",))),
    symptoms=(("no count", "logic"), ("silent", "sound")),
)


def dead(*readings):
    entries = [measured(where, quantity, value) for where, quantity, value in readings]
    report = rails_of(BOARD, entries)
    return dead_rails(BOARD, report), [item.block.name for item in dead_blocks(BOARD, report)]


@pytest.mark.parametrize(
    ("readings", "rails", "blocks"),
    [
        ([], (), []),
        ([("U2.14", "voltage", 4.1)], ("+5 V",), ["logic"]),
        ([("U1.14", "voltage", 3.0)], ("+12 V",), ["sound"]),
        ([("C1", "ripple", 0.9), ("U2.14", "voltage", 5.0)], (), []),
        ([("C1", "resistance", float("inf"))], ("+5 V",), ["logic"]),
        ([("C1", "resistance", float("inf")), ("U2.14", "voltage", 5.0)], (), []),
    ],
)
def test_a_rail_is_dead_by_its_far_end_or_by_an_open_path_to_it(readings, rails, blocks):
    assert dead(*readings) == (rails, blocks)


def test_only_the_symptoms_of_blocks_on_the_dead_rail_stop_accusing():
    seen = [made(SymptomSeen, board="small", text=text) for text in ("no count", "silent")]
    found = assessment_of(BOARD, [*seen, measured("U2.14", "voltage", 3.9)])
    culprit = {s.place[1] for s in found.suspects if any(line.kind == "symptom" for line in s.evidence)}
    assert culprit == {"U1"}
    report = found.rails["small"]
    assert (
        dead_blocks(BOARD, report)[0].words
        == "logic needs +5 V: its parts are not suspected while that is bad; explains “no count”"
    )


@pytest.mark.parametrize(
    ("text", "kind"), [("2 A slow", "slow"), ("T", "slow"), ("F 2A", "fast"), ("FF", "very fast"), ("2A", "")]
)
def test_the_speed_is_read_off_a_fuse(text, kind):
    assert fuse_type(text) == kind
