"""Which cautions stand at a supply, and what comes before power: over all points and states of all demo boards."""

from dataclasses import dataclass, replace
from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.boards.cells import Chemistry, chemistry_named, chemistry_of
from loyal_trace.core.boards.model import Part
from loyal_trace.core.boards.supplies import Cell, ChainPoint, Supply
from loyal_trace.core.power.guard import cautions_of, drives_monitor, power_guard, to_sign
from loyal_trace.core.power.rails import judge_rails
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.demo.common import boards_of
from tests.helpers.builders import small_board

DEMO_BOARDS = boards_of(("tw-cpu", "tw-vid", "cs-8", "hl-main"))


@dataclass(frozen=True)
class Taken:
    """A reading at a point: a value, or an open line."""

    value: float | None
    overload: bool
    time: datetime = datetime(2026, 1, 1, tzinfo=UTC)


def board_fed(quantity="voltage", part="J9", note="", path="+5", supplies=(), **more):
    chain = (ChainPoint("J9.1", quantity, part=part, note=note, path=path, **more),)
    return small_board(parts=(Part("J9", "", kind="connector"),), nets=(), rails=(), chain=chain, supplies=supplies)


@pytest.mark.parametrize(
    ("board", "wanted"),
    [
        (board_fed(supplies=(Supply(path="+5", dc=9.0),)), (Caution.DC_SUPPLY,)),
        (board_fed(), (Caution.DC_SUPPLY,)),
        (board_fed("ac voltage"), (Caution.MAINS, Caution.RESERVOIR)),
        (board_fed(supplies=(Supply(path="+5", ac_rms=9.0),)), (Caution.MAINS, Caution.RESERVOIR)),
        (board_fed("resistance", powered=False), ()),
        (board_fed(note="from the switch-mode supply"), (Caution.SWITCH_MODE,)),
        (board_fed(path="monitor supply"), (Caution.MONITOR, Caution.DC_SUPPLY)),
    ],
)
def test_each_supply_has_the_cautions_of_what_feeds_it_and_no_others(board, wanted):
    assert cautions_of(board, board.paths[0]) == wanted


def test_the_demo_boards_have_the_cautions_of_their_supplies():
    assert cautions_of(DEMO_BOARDS["hl-main"], "+5 V") == (Caution.MAINS, Caution.RESERVOIR)
    assert cautions_of(DEMO_BOARDS["hl-main"], "lamp drivers") == (Caution.RESERVOIR,), "fed by the same transformer"
    assert cautions_of(DEMO_BOARDS["cs-8"], "+5 V") == (Caution.DC_SUPPLY,)
    assert cautions_of(DEMO_BOARDS["cs-8"], "start-up") == ()
    assert cautions_of(DEMO_BOARDS["cs-8"], "back-up cell") == (Caution.CELL_LITHIUM,)
    assert to_sign(cautions_of(DEMO_BOARDS["cs-8"], "+5 V")) == ()
    assert drives_monitor(DEMO_BOARDS["tw-vid"]) and not drives_monitor(DEMO_BOARDS["hl-main"])
    assert drives_monitor(DEMO_BOARDS["hl-main"], ["no picture"])


@pytest.mark.parametrize(
    ("words", "chemistry"),
    [
        ("NiCd", Chemistry.NICD),
        ("nickel-cadmium", Chemistry.NICD),
        ("Ni-MH", Chemistry.NIMH),
        ("lithium", Chemistry.LITHIUM),
        ("lithium rechargeable", Chemistry.LITHIUM_RECHARGEABLE),
        ("CR2032", Chemistry.LITHIUM),
        ("ML2032", Chemistry.LITHIUM_RECHARGEABLE),
        ("LR6", Chemistry.ALKALINE),
        ("lead-acid", Chemistry.LEAD),
        ("3.6V", None),
        ("leaded", None),
    ],
)
def test_the_chemistry_of_a_cell_is_named_by_words_or_by_its_designation(words, chemistry):
    assert chemistry_named(words) is chemistry


def test_what_was_entered_of_a_cell_counts_before_the_file_and_both_before_its_marking():
    bare = small_board(parts=(Part("BT1", "CR2032", kind="cell"),), nets=(), rails=())
    assert chemistry_of(bare, "BT1") is Chemistry.LITHIUM
    filed = replace(bare, cells=(Cell("BT1", 3.6, 3.0, 0.06, 1e-6, chemistry="NiCd"),))
    assert chemistry_of(filed, "BT1") is Chemistry.NICD
    said = replace(filed, parts=(replace(bare.parts[0], technology="NiMH"),))
    assert chemistry_of(said, "BT1") is Chemistry.NIMH
    unknown = small_board(parts=(Part("BT1", "3.6V", kind="cell"),), nets=(), rails=())
    assert chemistry_of(unknown, "BT1").caution is Caution.CELL_UNKNOWN


def state_of(board, draw):
    """Some points of a board with readings: within their limits, far above them, or OL."""
    taken = {}
    for point in board.chain:
        kind = draw(st.sampled_from(["", "", "good", "high", "open"]))
        if kind:
            middle = (point.low + point.high) / 2 if point.low is not None and point.high is not None else 1.0
            taken[(point.point, point.quantity)] = Taken(
                value=None if kind == "open" else middle if kind == "good" else 1e9, overload=kind == "open"
            )
    return lambda point, quantity: taken.get((point, quantity))


@given(st.data())
def test_everything_power_off_comes_first_whatever_was_measured_and_whichever_point_is_in_hand(data):
    board = data.draw(st.sampled_from([b for b in DEMO_BOARDS.values() if b.chain]))
    report = judge_rails(board.id, board, state_of(board, data.draw))
    after = data.draw(st.sampled_from([None, *board.chain]))
    wanted = report.wanted(after=after)
    missing = [p for p in report.points if not p.point.powered and p.reading is None]
    assert set(power_guard(report).missing) == {f"{p.point.point} {p.point.quantity}" for p in missing}
    if missing:
        assert wanted in missing and not report.may_power()
    elif report.hazard is not None:
        assert wanted is report.hazard and not report.may_power() and report.may_power(went_on=True)
    else:
        still = [p for p in report.points if p.reading is None]
        assert report.may_power() and (wanted in still if still else wanted is None)
