"""A supply from three lines, and what has to be measured before power goes on."""

import pytest

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.supplies import Rail
from loyal_trace.core.job.entries import OWN_BOARD
from loyal_trace.core.power.described import EXAMPLES, LINES, describe_chain, kind_of, with_chain
from loyal_trace.core.power.expected import limits_at
from loyal_trace.core.power.explain import explain
from loyal_trace.core.power.guard import power_guard
from loyal_trace.core.vocabulary.errors import RequestError
from tests.core.power.test_supply_chain import chain_board, point
from tests.helpers.builders import measured, rails_of, small_board

TOLD = dict(zip(LINES, EXAMPLES, strict=True))
BARE = BoardDefinition(OWN_BOARD, "Loose parts")


def judged(readings, lines=TOLD):
    board = with_chain(BARE, describe_chain(lines, "+5 V"))
    entries = [measured(where, quantity, value, board=OWN_BOARD) for where, quantity, value in readings]
    report = rails_of(board, entries)
    return report, [e.text for e in explain(board, report.paths[0])]


def test_three_lines_become_points_in_the_order_of_measuring_with_computed_limits():
    board = with_chain(BARE, describe_chain(TOLD, "+5 V"))
    assert [(p.point, p.quantity) for p in board.chain] == [
        ("J1", "ac voltage"),
        ("F1", "resistance"),
        ("F1", "rating"),
        ("BR1.1", "diode"),
        ("BR1.2", "diode"),
        ("BR1.3", "diode"),
        ("BR1.4", "diode"),
        ("4F.20", "resistance to ground"),
        ("C1", "voltage"),
        ("C1", "ripple frequency"),
        ("C1", "ripple"),
        ("REG1.3", "voltage"),
        ("4F.20", "voltage"),
    ]
    limits = {(p.point, p.quantity): limits_at(board, p) for p in board.chain}
    assert limits[("F1", "rating")].low == pytest.approx(1.96) and limits[("REG1.3", "voltage")].low == pytest.approx(
        4.85
    )
    assert limits[("C1", "ripple frequency")].low == pytest.approx(97.0)
    assert {p.refdes: p.kind for p in board.parts}["4F"] == "chip" and board.rails[0].far == "4F.20"


def test_a_half_bridge_is_explained_on_a_board_that_nobody_described():
    _, said = judged([("C1", "ripple frequency", 50.0), ("C1", "ripple", 5.2), ("C1", "voltage", 8.2)])
    assert any("half of" in text and "50.0 Hz" in text for text in said) and any("C1 is in order" in t for t in said)


def test_a_dc_input_needs_no_reservoir_and_mains_may_be_sixty():
    lines = {"from": "from J2.1 12 V DC 0.8 A", "to": "to REG1 5V, 1A.14"}
    report, said = judged([("J2.1", "voltage", 12.1), ("REG1.3", "voltage", 5.0), ("1A.14", "voltage", 4.98)], lines)
    assert (
        report.measured == 3 and not report.first_bads and any("REG1 regulates: its input is 12.1 V" in t for t in said)
    )
    sixty = describe_chain({**TOLD, "from": "from J1 9 V AC 1.2 A 60 Hz"})
    assert sixty.supply.mains == 60 and sixty.points[0].path == ""
    bare = describe_chain({"from": "from J2 5 V DC", "to": "to 1A.14"})
    assert bare.rail.nominal == 5.0 and bare.supply.current == 0.5


@pytest.mark.parametrize(
    ("line", "text", "words"),
    [
        ("from", "from somewhere", "was not understood; write, for example: from J1 9 V AC"),
        ("to", "", "is missing"),
        ("through", "through F1 2A", "needs its reservoir"),
        ("through", "through C1", "the value of C1"),
        ("through", "through C1 4700x", "not a number"),
        ("to", "to REG1, 4F.20", "the voltage of REG1"),
        ("to", "to REG1 5 V", "names no far end"),
    ],
)
def test_a_line_that_will_not_do_says_which_word(line, text, words):
    with pytest.raises(RequestError, match=words):
        describe_chain({**TOLD, line: text})


@pytest.mark.parametrize(
    ("refdes", "kind"),
    [
        ("F1", "fuse"),
        ("BR2", "bridge"),
        ("4F", "chip"),
        ("U7", "chip"),
        ("REG1", "regulator"),
        ("C12", "capacitor"),
        ("r3", "resistor"),
    ],
)
def test_a_designator_tells_the_kind(refdes, kind):
    assert kind_of(refdes) == kind


def test_a_described_chain_takes_the_place_of_the_boards_own_of_that_path_alone():
    board = with_chain(chain_board(), describe_chain(TOLD, "+5 V"))
    assert [p.point for p in board.chain if p.path == "+24 V"] == ["F2"] and len(board.supplies) == 1
    assert len({p.refdes for p in board.parts}) == len(board.parts), "nothing is there twice"
    assert board.has("4F") and board.part("U1") == chain_board().part("U1")
    other = chain_board(rails=(*chain_board().rails, Rail("-12 V", -12.0, -12.6, -11.4)))
    rails = with_chain(other, describe_chain(TOLD, "+5 V")).rails
    assert [(rail.name, rail.far) for rail in rails] == [("-12 V", ""), ("+5 V", "4F.20")]


def guard_after(*readings):
    entries = [measured(where, quantity, value) for where, quantity, value in readings]
    board = chain_board(
        chain=(
            point("J1.1", "ac voltage", "J1"),
            point("F1", "resistance", powered=False),
            point("U1.14", "resistance to ground", "U1", powered=False),
            point("REG1.3", "voltage", "REG1"),
        )
    )
    return power_guard(rails_of(board, entries))


def test_the_guard_names_what_is_not_measured_and_what_that_risks():
    guard = guard_after()
    assert guard.missing == ("F1 resistance", "U1.14 resistance to ground")
    assert "a short behind it" in guard.risk and "a blown fuse has a cause" in guard.risk
    assert guard_after(("F1", "resistance", 0.1)).missing == ("U1.14 resistance to ground",)
    done = guard_after(("F1", "resistance", 0.1), ("U1.14", "resistance to ground", 300.0))
    assert (done.missing, done.risk) == ((), "")


def test_values_come_from_the_board_and_the_paths_name_where_the_line_leaves_them_out():
    known = small_board(parts=(*small_board().parts, Part("REG2", "7912", "TO-220", "regulator")))
    lines = {"from": "from J1 9 V AC", "through": "through F1/2A, C1", "to": "to U1.14"}
    chain = describe_chain(lines, "+5", known)
    assert chain.supply.reservoir == "C1" and chain.rail.nominal == 5.0 and chain.rail.far == "U1.14"
    assert [p.quantity for p in chain.points if p.part == "F1"] == ["resistance", "rating"]
    through = describe_chain({**lines, "through": "through C1, REG2"}, "-12", known)
    assert through.supply.nominal == -12.0 and through.points[-2].point == "REG2.3"
    assert (through.rail.low, through.rail.high) == (pytest.approx(-12.6), pytest.approx(-11.4))


def test_on_dc_a_capacitor_needs_no_value_and_its_ripple_is_not_asked():
    chain = describe_chain({"from": "from J1 5 V DC 3 A", "through": "through F1, C7", "to": "to U1.14"})
    assert [(p.point, p.quantity) for p in chain.points if p.part == "C7"] == [("C7", "voltage")]
    assert chain.supply.current == 3.0 and chain.supply.dc == 5.0
