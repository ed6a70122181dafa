"""The clock tree: predicted from the netlist, held against the counter, the wrong stage named."""

import re
from dataclasses import replace

import pytest

from loyal_trace.core.assess.rails import frequencies
from loyal_trace.core.boards.supplies import Clock
from loyal_trace.core.job.entries import PinsProbed, PinState
from loyal_trace.core.simulation.bench import HiddenFault
from loyal_trace.core.simulation.clock_tree import first_wrong, judge_tree, load_of, predict
from loyal_trace.demo.common import boards_of
from loyal_trace.demo.corvane import CORVANE_BOARD, corvane_bench
from loyal_trace.resources import chip_library
from tests.helpers.builders import assessment_of, made, measured, moment_of

CS8 = boards_of((CORVANE_BOARD,))[CORVANE_BOARD]
NODES = predict(CS8, chip_library())
BY_NET = {node.net: node for node in NODES}


def test_every_divider_of_the_crystal_is_predicted():
    assert {net: BY_NET[net].frequency for net in ("XT1", "CLK4", "DIV500", "DIV31", "TICK")} == {
        "XT1": 8e6,
        "CLK4": 4e6,
        "DIV500": 5e5,
        "DIV31": 31250.0,
        "TICK": 1953.125,
    }
    assert BY_NET["TICK"].parent == "DIV31" and BY_NET["TICK"].pin == "4E.8"
    assert not any(re.fullmatch(r"(A|D|MA)\d+", net) for net in BY_NET), "what the processor drives is no divider"


def test_the_healthy_bench_reads_what_is_predicted():
    bench = corvane_bench()
    judged = judge_tree(NODES, {n.net: bench.measure(CORVANE_BOARD, n.pin, "frequency") for n in NODES})
    assert {n.verdict for n in judged} == {"good"} and first_wrong(judged) is None


@pytest.mark.parametrize(("refdes", "pin", "stage"), [("4D", 11, "4D"), ("4E", 6, "4E"), ("4C", 4, "4C")])
def test_a_dead_divider_output_is_named_and_what_hangs_on_it_only_follows(refdes, pin, stage):
    bench = corvane_bench()
    bench.faults.append(HiddenFault(CORVANE_BOARD, refdes, "pin-output-stuck", pin=pin, level=0))
    judged = judge_tree(NODES, {n.net: bench.measure(CORVANE_BOARD, n.pin, "frequency") for n in NODES})
    wrong = first_wrong(judged)
    assert wrong.pin == f"{refdes}.{pin}" and f"{stage}, or a part that holds the line" in wrong.why
    assert all(n.verdict == "follows" for n in judged if n.verdict != "good" and n is not wrong)


def test_a_skipped_division_is_told_from_a_dead_one():
    judged = judge_tree(NODES, {"XT1": 8e6, "CLK8": 8e6, "CLK4": 8e6})
    assert "a division by 2 is skipped in 4D" in first_wrong(judged).why
    assert "doubled" in first_wrong(judge_tree(NODES, {"CLK8": 8e6, "CLK4": 2e6})).why
    assert "preset and reset" in first_wrong(judge_tree(NODES, {"CLK4": 3.1e6})).why


def test_probe_and_counter_both_speak_and_become_evidence():
    probed = made(PinsProbed, board=CS8.id, place="4D", pins=(PinState(pin=2, state="P", frequency=8e6),))
    entries = [
        probed,
        measured("4D.11", "frequency", 0.0, board=CS8.id),
        measured("4D.14", "frequency", 4e6, board=CS8.id),
    ]
    moment = moment_of(CS8, entries)
    assert frequencies(moment, CS8.id) == {"CLK8": 8e6, "DIV500": 0.0, "CLK4": 4e6}
    found = assessment_of(CS8, entries)
    kinds = [line.kind for line in found.suspect_at((CS8.id, "4D")).evidence]
    assert kinds == ["clock-wrong"], "one wrong output is not made good by a right one"


def test_a_clock_from_elsewhere_is_taken_at_its_word_and_none_is_no_tree():
    outside = replace(CS8, clocks=(Clock("CLK8", frequency=6e6),))
    assert next(n for n in predict(outside, chip_library()) if n.net == "DIV500").frequency == 375e3
    assert predict(replace(CS8, clocks=()), chip_library()) == ()
    assert predict(replace(CS8, clocks=(Clock("CLK8"),)), chip_library()) == ()


def test_the_crystals_load_comes_from_its_two_capacitors():
    load = load_of(CS8, CS8.clocks[0])
    assert load.load_capacitance == pytest.approx(20.5e-12) and load.verdict == "good"
    assert load_of(CS8, Clock("XT1", "Y1")) is None
