"""Supply chains with computed limits: what the readings of one path say together."""

import math

import pytest

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.supplies import ChainPoint, Rail, Supply
from loyal_trace.core.power.expected import limits_at
from loyal_trace.core.power.explain import explain
from loyal_trace.core.vocabulary.errors import RequestError
from tests.helpers.builders import measured, rails_of

OL = math.inf


def point(where, quantity, part="", path="+5 V", **more):
    return ChainPoint(where, quantity, part=part or where, path=path, **more)


def chain_board(**changes):
    """One 5 V supply whose limits are all computed, and a bare 24 V one behind a fuse."""
    parts = (
        Part("J1", "plug", kind="connector"),
        Part("F1", "2 A slow", kind="fuse", value=2.0),
        Part("BR1", "bridge", kind="bridge"),
        Part("C1", "4700u", kind="capacitor", value=4700e-6, polarised=True),
        Part("REG1", "7805", kind="regulator"),
        Part("U1", "74LS00", "DIP-14"),
        Part("F2", "3 A", kind="fuse", value=3.0),
    )
    legs = tuple(point(f"BR1.{leg}", "diode", "BR1") for leg in (1, 2, 3, 4))
    chain = (
        point("J1.1", "ac voltage", "J1"),
        point("F1", "resistance"),
        point("F1", "rating"),
        *legs,
        point("C1", "ripple frequency", "BR1"),
        point("C1", "voltage"),
        point("C1", "ripple"),
        point("REG1.3", "voltage", "REG1"),
        point("U1.14", "voltage", "U1", low=4.75, high=5.25),
        point("F2", "resistance", path="+24 V"),
    )
    fields = {
        "id": "small",
        "name": "Small",
        "parts": parts,
        "chain": chain,
        "supplies": (Supply(8.5, 1.2, "+5 V", reservoir="C1", nominal=5.0),),
        "rails": (Rail("+5 V", 5.0, 4.75, 5.25, far="U1.14"),),
    }
    return BoardDefinition(**{**fields, **changes})


HEALTHY = {
    ("J1.1", "ac voltage"): 8.6,
    ("F1", "resistance"): 0.09,
    ("F1", "rating"): 2.0,
    ("BR1.1", "diode"): 0.55,
    ("BR1.2", "diode"): 0.56,
    ("BR1.3", "diode"): 0.55,
    ("BR1.4", "diode"): 0.57,
    ("C1", "ripple frequency"): 100.2,
    ("C1", "voltage"): 9.0,
    ("C1", "ripple"): 2.6,
    ("REG1.3", "voltage"): 5.01,
    ("U1.14", "voltage"): 4.96,
}


def report_of(**changes):
    """The +5 V path after the healthy readings, with some changed: `C1_ripple=5.2`, or left out as None."""
    readings = dict(HEALTHY)
    for name, value in changes.items():
        where, _, quantity = name.partition("_")
        readings[(where.replace("o", "."), quantity.replace("_", " "))] = value
    entries = [measured(where, quantity, v) for (where, quantity), v in readings.items() if v is not None]
    report = rails_of(chain_board(), entries)
    return report, explain(chain_board(), report.paths[0])


def kinds(said):
    return {(line.part, line.kind) for line in said}


def test_a_healthy_chain_is_good_at_every_point_and_says_how_much_is_to_spare():
    report, said = report_of()
    assert {p.verdict for p in report.paths[0].points} == {"good"} and report.first_bads == ()
    assert kinds(said) == {("REG1", "good"), ("", "good"), ("BR1", "good")} and "headroom" in said[0].text


def test_limits_are_computed_from_winding_load_and_reservoir():
    board = chain_board()
    found = {(p.point, p.quantity): limits_at(board, p) for p in board.chain}
    assert found[("J1.1", "ac voltage")].high == pytest.approx(9.35)
    assert found[("C1", "ripple")].high == pytest.approx(1.3 * 1.2 / (100 * 4700e-6))
    assert found[("C1", "ripple frequency")].low == pytest.approx(97)
    assert found[("U1.14", "voltage")].source == "" and found[("REG1.3", "voltage")].source
    with pytest.raises(RequestError, match="no limits are known"):
        limits_at(chain_board(supplies=()), point("C1", "ripple"))


def test_half_a_bridge_is_found_from_the_frequency_alone_and_clears_reservoir_and_regulator():
    report, said = report_of(
        **{f"BR1o{leg}_diode": None for leg in (1, 2, 3, 4)},
        C1_ripple_frequency=50.1,
        C1_ripple=5.0,
        C1_voltage=7.7,
        REG1o3_voltage=4.4,
        U1o14_voltage=4.3,
    )
    assert report.first_bads[0].point.part == "BR1"
    assert {("BR1", "bad"), ("C1", "good"), ("REG1", "good")} <= kinds(said)
    assert any("REG1 drops out in every cycle because of its input" in line.text for line in said)


def test_a_diode_read_open_is_named_by_its_leg():
    report, said = report_of(BR1o3_diode=OL)
    assert report.first_bads[0].point.point == "BR1.3" and report.paths[0].last_good.point.point == "BR1.2"
    assert "diode 3 is open" in said[0].text


def test_a_dried_reservoir_is_told_by_how_much_it_has_left():
    _, said = report_of(C1_ripple=6.5)
    dried = next(line for line in said if line.part == "C1")
    assert dried.kind == "bad" and "indicates 1840 µF against 4700 µF marked" in dried.text


@pytest.mark.parametrize(("reading", "words"), [(OL, "blown or missing"), (0.05, None)])
def test_a_missing_fuse_explains_its_whole_path(reading, words):
    _, said = report_of(F1_resistance=reading, C1_voltage=0.0, C1_ripple=None, REG1o3_voltage=0.0, U1o14_voltage=0.0)
    assert (said[0].part == "F1" and words in said[0].text) if words else all(line.part != "F1" for line in said)


def test_a_fuse_of_the_wrong_rating_is_called_so_even_if_everything_works():
    report, said = report_of(F1_rating=5.0)
    assert report.first_bads[0].point.point == "F1" and "5.00 A fuse where the board needs 2 A" in said[0].text


@pytest.mark.parametrize(
    ("ohms", "kind", "words"),
    [(None, "doubtful", "distinguishes an open path"), (1.5, "bad", "shorted"), (900.0, "bad", "not a short")],
)
def test_no_volts_after_good_volts_is_open_or_shorted_as_the_resistance_says(ohms, kind, words):
    chain = (*chain_board().chain, point("U1.14", "resistance to ground", "U1", low=100.0, high=1e6))
    board = chain_board(chain=chain)
    readings = {**HEALTHY, ("U1.14", "voltage"): 0.1, ("REG1.3", "voltage"): 5.0}
    if ohms is not None:
        readings[("U1.14", "resistance to ground")] = ohms
    entries = [measured(where, quantity, v) for (where, quantity), v in readings.items()]
    report = rails_of(board, entries)
    said = explain(board, report.paths[0])[-1]
    assert (said.part, said.kind) == ("U1", kind) and words in said.text and report.first_bads[0].point.point == "U1.14"


def test_a_regulator_with_enough_at_its_input_and_a_wrong_output_is_accused():
    _, said = report_of(REG1o3_voltage=3.2, U1o14_voltage=3.1)
    assert ("REG1", "bad") in kinds(said)


def test_each_path_has_its_own_boundary():
    entries = [measured("F2", "resistance", OL), measured("F1", "resistance", 0.1)]
    report = rails_of(chain_board(), entries)
    assert [p.path for p in report.paths] == ["+5 V", "+24 V"]
    assert [p.point.point for p in report.first_bads] == ["F2"] and report.measured == 2
    assert report.path_of(report.first_bads[0]).path == "+24 V"
