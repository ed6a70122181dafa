"""Capacitors: verdicts on measured ones and checks of substitutes, at and beside each limit."""

import math
from dataclasses import replace

import pytest

from loyal_trace.core.boards.model import KeepOut
from loyal_trace.core.parts.capacitors import (
    CapacitorReading,
    StockItem,
    acceptable,
    check_substitute,
    judge_capacitor,
)
from loyal_trace.resources import default_tables
from tests.helpers.builders import small_board

PART = small_board().part("C1")  # 1000 µF, 16 V, aluminium, room for 12 mm
ESR = default_tables().esr


def judged(part=PART, farad=None, ohm=None, in_circuit=True, frequency=None):
    return judge_capacitor(part, CapacitorReading(farad, ohm, frequency, in_circuit), ESR)


@pytest.mark.parametrize(
    ("farad", "ohm", "in_circuit", "verdict"),
    [
        (0.95e-3, 0.05, True, "good"),
        (0.5e-3, None, True, "bad"),
        (1e-6, None, False, "bad"),
        (1e-3, 5.0, True, "bad"),
        (1.8e-3, None, False, "doubtful"),
        (1.8e-3, None, True, "good"),
        (None, None, True, "not measured"),
    ],
)
def test_capacitor_verdicts(farad, ohm, in_circuit, verdict):
    assert judged(PART, farad, ohm, in_circuit).verdict == verdict


@pytest.mark.parametrize(
    ("item", "fits"),
    [
        (StockItem("a", "capacitor", 1, 1e-3, 16, "aluminium", 10, 16), True),
        (StockItem("b", "capacitor", 1, 2.2e-3, 25, "aluminium", 12, 16), True),
        (StockItem("c", "capacitor", 1, 1e-3, 10, "aluminium", 10, 16), False),
        (StockItem("d", "capacitor", 1, 4.7e-3, 25, "aluminium", 12, 16), False),
        (StockItem("e", "capacitor", 1, 1e-3, 25, "aluminium", 13, 16), False),
        (StockItem("f", "capacitor", 1, 1e-3, 16, "tantalum", 7, 9), False),
        (StockItem("g", "capacitor", 1, 1e-3, 35, "tantalum", 7, 9), True),
        (StockItem("h", "capacitor", 1, 1e-3, 16, "aluminium", 10, 31), False),
    ],
)
def test_substitutes_are_judged_by_value_voltage_and_room(item, fits):
    board = small_board(keep_outs=(KeepOut(0, 0, 100, 30, 100, "shield"),))
    checks = check_substitute(board, board.part("C1"), item)
    assert acceptable(checks) is fits and all(c.reason for c in checks)


@pytest.mark.parametrize(
    ("share", "in_circuit", "verdict", "word"),
    [
        (0.0099, True, "bad", "open"),
        (0.0101, True, "bad", "dried out"),
        (0.799, True, "bad", "dried"),
        (0.801, True, "good", "within"),
        (1.499, False, "good", "within"),
        (1.501, False, "doubtful", "leakage"),
        (1.501, True, "good", "in circuit"),
    ],
)
def test_capacitance_is_judged_at_a_hundredth_four_fifths_and_half_as_much_again(share, in_circuit, verdict, word):
    found = judged(PART, share * 1e-3, None, in_circuit)
    assert found.verdict == verdict and word in found.reason


@pytest.mark.parametrize(
    ("voltage", "loss"),
    [(6.3, 0.24), (6.4, 0.20), (10, 0.20), (16, 0.16), (25, 0.14), (35, 0.12), (50, 0.10), (63, 0.09)],
)
def test_at_120_hz_the_limit_of_esr_is_twice_the_loss_of_a_new_part_of_that_voltage(voltage, loss):
    assert ESR.limit(100e-6, voltage, 120.0).ohm == pytest.approx(2 * loss / (2 * math.pi * 120 * 100e-6))


@pytest.mark.parametrize(("farad", "volts", "ohm"), [(10e-6, 16, 30.0), (100e-6, 6.3, 4.0), (1e-6, None, 200.0)])
def test_a_dried_out_part_is_bad_by_the_frequency_of_a_handheld_tester_and_says_that_it_was_assumed(farad, volts, ohm):
    part = replace(PART, value=farad, voltage=volts)
    found = judged(part, farad, ohm)
    assert found.verdict == "bad" and "100.0 kHz assumed" in found.reason.replace("100 kHz", "100.0 kHz")
    assert "assumed" not in judged(part, farad, ohm, frequency=100e3).reason
    assert ("rating not known" in found.reason) is (volts is None)


def test_the_limit_falls_with_value_voltage_and_frequency():
    steps = [ESR.limit(10e-6, 16, f).ohm for f in (120, 1e3, 10e3, 100e3, 1e6)]
    assert steps == sorted(steps, reverse=True) and steps[0] > 5 * steps[-1] > 0
    assert ESR.limit(10e-6, 16, 1e3).ohm == pytest.approx(2 * (2.0 + (21.2 - 2.0) * 0.12), rel=0.02)
    for farad, more in ((1e-6, 2.2e-6), (33e-6, 40e-6), (22e-3, 47e-3)):
        assert ESR.limit(farad, 16).ohm > ESR.limit(more, 16).ohm > 0, "between the rows and beyond them too"
    assert ESR.limit(10e-6, 16).ohm > ESR.limit(10e-6, 25).ohm > ESR.limit(10e-6, 400).ohm
    assert all(ESR.sources)


def test_esr_is_judged_only_where_a_limit_is_known_and_only_beyond_it():
    limit = ESR.limit(1e-3, 16).ohm
    assert judged(ohm=0.99 * limit).verdict == "good" and judged(ohm=1.01 * limit).verdict == "bad"
    film = replace(PART, technology="film")
    assert judged(film, None, 50.0).verdict == "doubtful" and "no ESR limit" in judged(film, None, 50.0).reason
    assert "ESR not judged" in judged(film, 1e-3, 50.0).reason, "its capacitance alone is good"
    assert judged(replace(PART, value=None), 1e-3, 50.0).verdict == "not measured"
    assert judge_capacitor(PART, CapacitorReading(None, 0.01), None).verdict == "doubtful", "no table, no verdict"


def verdict(aspect, part=PART, **item):
    stock = StockItem("x", "capacitor", 1, **{"value": 1e-3, "voltage": 16.0, "technology": "aluminium", **item})
    return {check.aspect: check.verdict for check in check_substitute(small_board(), part, stock)}[aspect]


@pytest.mark.parametrize(
    ("ratio", "plain", "timing"),
    [(0.94, "bad", "bad"), (0.96, "good", "good"), (1.04, "good", "good"), (1.06, "good", "bad"), (2.2, "good", "bad")],
)
def test_more_capacitance_is_allowed_except_where_it_sets_a_time(ratio, plain, timing):
    assert verdict("value", value=ratio * 1e-3) == plain
    assert verdict("value", replace(PART, role="reset timing"), value=ratio * 1e-3) == timing
    assert verdict("value", value=2.21e-3) == "bad"


def test_a_tantalum_runs_at_half_its_rating_unless_one_was_there_before():
    assert verdict("voltage", technology="tantalum", voltage=31.9) == "bad"
    assert verdict("voltage", technology="tantalum", voltage=32.0) == "good"
    before = replace(PART, technology="tantalum")
    assert verdict("voltage", before, technology="tantalum", voltage=16.0) == "good"
    assert verdict("voltage", before, technology="tantalum", voltage=15.9) == "bad"
    assert verdict("voltage", voltage=15.9) == "bad" and verdict("voltage", voltage=None) == "doubtful"


@pytest.mark.parametrize("technology", ["aluminium", "tantalum", "polymer"])
def test_a_polarised_part_never_goes_where_the_board_has_none(technology):
    plain = replace(PART, polarised=False, technology="film", voltage=5.0)
    assert verdict("polarity", plain, technology=technology) == "bad"
    assert verdict("polarity", plain, technology="film") == "good"
    assert verdict("polarity", technology=technology) == "good"


def test_room_is_judged_across_upwards_and_between_the_legs():
    assert verdict("room", diameter=12.0) == "good" and verdict("room", diameter=12.1) == "bad"
    assert verdict("room") == "doubtful", "no sizes are known"
    pitched = replace(PART, pitch=5.0)
    assert verdict("pitch", pitched, pitch=5.7) == "doubtful"
    assert "pitch" not in {c.aspect for c in check_substitute(small_board(), pitched, StockItem("x", pitch=5.5))}
    low = replace(PART, room_height=20.0)
    checks = check_substitute(small_board(), low, StockItem("x", value=1e-3, voltage=16, height=20.5))
    assert not acceptable(checks) and any("20.5 mm tall, limit 20 mm" in check.reason for check in checks)
