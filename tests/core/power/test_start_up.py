"""Reset, watchdog, back-up cell, currents and what readings under load say together."""

import tomllib
from dataclasses import replace

import pytest

from loyal_trace.core.boards.model import Part
from loyal_trace.core.boards.supplies import Cell, Reset, Supply
from loyal_trace.core.power.consumption import CurrentTable, Draw
from loyal_trace.core.power.diodes import judge_transistor
from loyal_trace.core.power.expected import limits_at, reset_time
from loyal_trace.core.power.explain import explain
from loyal_trace.core.power.start_up import cell_years
from loyal_trace.core.power.under_load import SupplyContext
from loyal_trace.core.vocabulary.verdicts import PartVerdict
from loyal_trace.demo.common import boards_of
from loyal_trace.demo.corvane import CORVANE_BOARD
from loyal_trace.resources import chip_library, current_table, read_text
from tests.core.power.test_supply_chain import HEALTHY, chain_board, point
from tests.helpers.builders import measured, rails_of

OL = float("inf")
CS8 = boards_of((CORVANE_BOARD,))[CORVANE_BOARD]


def said_of(path, readings, board=CS8, around=None):
    """(part, kind) → text of every conclusion about one path after (point, quantity) → value."""
    entries = [measured(where, quantity, value, board=board.id) for (where, quantity), value in readings.items()]
    report = next(p for p in rails_of(board, entries).paths if p.path == path)
    said = {}
    for line in explain(board, report, around):
        said[(line.part, line.kind)] = f"{said.get((line.part, line.kind), '')} {line.text}".strip()
    return said


RESET = "2C.25"


def test_a_reset_that_lasts_as_long_as_its_parts_say_is_right():
    wanted = reset_time(CS8, CS8.resets[0])
    assert wanted == pytest.approx(0.3857, rel=1e-3), "-100 kΩ · 10 µF · ln(1 - 1.6/5)"
    assert (
        said_of("start-up", {(RESET, "reset time"): wanted, (RESET, "voltage"): 4.6, (RESET, "reset pulses"): 0.0})
        == {}
    )


@pytest.mark.parametrize(
    ("quantity", "value", "part", "kind", "words"),
    [
        ("reset time", 0.09, "C12", "bad", "acts like 2.33 µF and has dried"),
        ("reset time", 0.9, "C12", "bad", "leaks or R12 has risen"),
        ("reset pulses", 2.1, "4C", "doubtful", "check ROMs and bus before the reset circuit"),
        ("reset pulses", 11.0, "4C", "bad", "not the period of the watchdog"),
        ("voltage", 0.2, "4C", "bad", "reset is held low (200 mV)"),
    ],
)
def test_a_reset_that_is_wrong_says_how(quantity, value, part, kind, words):
    said = said_of("start-up", {(RESET, quantity): value})
    assert words in said[(part, kind)]


def test_an_active_high_reset_is_judged_the_other_way_round():
    board = replace(CS8, resets=(Reset(RESET, "4C", "high", low=0.1, high=0.4),))
    assert "held high" in said_of("start-up", {(RESET, "voltage"): 4.8}, board)[("4C", "bad")]
    limits = [limits_at(board, p) for p in board.chain if p.point == RESET]
    assert (limits[0].low, limits[0].high) == (0.1, 0.4) and limits[1].high == pytest.approx(0.8)


def test_a_flat_cell_a_good_one_and_one_that_something_empties():
    flat = said_of("back-up cell", {("BT1", "voltage"): 1.3, ("BT1", "current"): 3e-6})
    assert "below 2.5 V what it feeds loses its contents; inspect C41" in flat[("BT1", "bad")]
    assert "a new BT1 lasts 7.7 years" in flat[("BT1", "good")]
    drained = said_of("back-up cell", {("BT1", "voltage"): 3.0, ("BT1", "current"): 60e-6})
    assert "C41" in drained[("C41", "bad")] and "0.4 years, not 7.7" in drained[("C41", "bad")]
    assert cell_years(Cell("BT1", 3.0, 2.5, 0.0, 3e-6)) is None, "a cell of no capacity has no life"


def test_typical_currents_are_sane_and_cover_every_type_of_the_library():
    table, common = current_table(), tomllib.loads(read_text("data/chips.toml"))
    for name in chip_library().type_names:
        typical, largest, known = table.of(name if not name.startswith("74") else f"74LS{name[2:]}")
        assert 0 < typical <= largest < 0.3 and (known or name not in common), name
    assert table.of("74161")[0] == pytest.approx(4 * table.of("74LS161")[0]), "standard TTL draws about four times"
    assert table.of("SN74HC00N")[0] < 0.001 and table.of("74S138N")[2]
    assert table.of("no such chip") == (0.04, 0.09, False) and table.of("2817")[0] == 0.06


def test_a_boards_current_is_the_sum_over_its_fitted_chips():
    table = CurrentTable(read_text("data/currents.toml"))
    parts = (Part("U1", "74LS161"), Part("U2", "74LS161"), Part("C1", "100n", kind="capacitor"), Part("U3", "XYZ"))
    draw = table.draw(parts)
    assert (draw.chips, draw.guessed) == (3, 1) and draw.typical == pytest.approx(0.019 * 2 + 0.04)
    assert draw.low < draw.typical < draw.largest < draw.high


def loaded(around=None, supply=None, **changes):
    """The 5 V path of the small chain board with a current point, after healthy readings with some changed."""
    chain = (*chain_board().chain, point("REG1.3", "current", "REG1"))
    base = Supply(8.5, 1.2, "+5 V", reservoir="C1", nominal=5.0)
    board = chain_board(chain=chain, supplies=(replace(base, **(supply or {})),))
    return said_of(
        "+5 V",
        {**HEALTHY, **{(k.replace("o", ".").split("_")[0], k.split("_")[1]): v for k, v in changes.items()}},
        board,
        around,
    )


def test_volts_lost_on_the_way_become_a_resistance():
    said = loaded(U1o14_voltage=4.60, REG1o3_current=1.0)
    assert "410 mV are lost between REG1.3 and U1.14, 410 mΩ at 1.00 A" in said[("U1", "doubtful")]
    assert "within what plug and tracks lose" in loaded()[("", "good")]


def test_heat_needs_the_cooling_and_missing_compound_counts():
    cooled = {"theta_jc": 3.0, "theta_cs": 0.5, "theta_sa": 4.0, "shares_sink_with": "BR1"}
    assert "REG1 turns 4.79 W into heat; junction about 61 °C" in loaded(supply=cooled)[("REG1", "good")]
    assert "fit the screws first, then solder" in loaded(supply=cooled)[("REG1", "good")]
    dry = loaded(SupplyContext(without_compound=frozenset({"REG1"})), cooled)
    assert "compound is missing" in dry[("REG1", "doubtful")] and "junction about 68 °C" in dry[("REG1", "doubtful")]
    assert "junction about 146 °C" in loaded(supply={**cooled, "theta_sa": 21.8})[("REG1", "bad")]


@pytest.mark.parametrize(
    ("taken", "kind", "words"),
    [
        (1.9, "bad", "Find the hot part with a thermometer"),
        (0.2, "doubtful", "not supplied"),
        (0.9, "good", "30 chips together"),
    ],
)
def test_the_current_is_held_against_the_chips_own(taken, kind, words):
    said = loaded(SupplyContext(draw=Draw(0.8, 1.4, 30, 2)), REG1o3_current=taken)
    assert any(k == kind and words in text for (_, k), text in said.items())


def test_a_fired_crowbar_is_told_from_a_short_and_the_reservoir_brings_its_own_verdict():
    fired = loaded(supply={"crowbar": "REG1", "crowbar_voltage": 6.2}, REG1o3_voltage=1.0, U1o14_voltage=0.9)
    assert "the crowbar REG1 has fired" in fired[("REG1", "doubtful")] and "6.20 V" in fired[("REG1", "doubtful")]
    dried = loaded(SupplyContext({"C1": PartVerdict("bad", "dried: 900 µF of 4700 µF")}))
    assert dried[("C1", "bad")] == "C1 was measured: dried: 900 µF of 4700 µF"


@pytest.mark.parametrize(
    ("readings", "verdict"),
    [
        ((0.66, 0.64, OL), "good"),
        ((0.66, 0.64, 0.0), "short"),
        ((OL, 0.64, OL), "open"),
        ((0.0, 0.64, OL), "short"),
        ((0.66, 0.2, OL), "leaky"),
        ((0.66, 0.64, 1.1), "leaky"),
    ],
)
def test_a_transistor_is_judged_by_its_three_readings(readings, verdict):
    assert judge_transistor(*readings).verdict == verdict


def test_transistor_points_of_a_chain_are_read_together():
    legs = tuple(point(f"Q1.{leg}", "diode", "Q1", path="driver", powered=False) for leg in ("be", "bc", "ce"))
    board = chain_board(parts=(*chain_board().parts, Part("Q1", "driver", kind="transistor")), chain=legs, supplies=())
    said = said_of("driver", {("Q1.be", "diode"): 0.66, ("Q1.bc", "diode"): 0.65, ("Q1.ce", "diode"): 0.0}, board)
    assert "the usual fault of a driver" in said[("Q1", "bad")]


def test_ground_both_ways_tells_a_short_from_junctions():
    here = {("5H.8", "resistance to ground"): 2.0, ("5H.8", "resistance to ground, reversed"): 2.1}
    assert "low in both directions, which indicates a short" in said_of("+5 V", here)[("5H", "bad")]
    other = {("5H.8", "resistance to ground"): 420.0, ("5H.8", "resistance to ground, reversed"): 300.0}
    assert "different in both directions" in said_of("+5 V", other)[("5H", "good")]


def test_a_good_board_becomes_what_this_one_is_held_against():
    good = measured("5H.8", "resistance to ground", 400.0, board=CS8.id, source="good board")
    here = measured("5H.8", "resistance to ground", 200.0, board=CS8.id)
    points = rails_of(CS8, [good, here]).points
    found = next(p for p in points if p.point.quantity == "resistance to ground")
    assert found.verdict == "bad" and found.expected == "280 Ω to 520 Ω" and found.limits.source == "a good board ±30 %"
    alone = rails_of(CS8, [here]).points
    assert next(p for p in alone if p.point.quantity == "resistance to ground").verdict == "good"
