"""The data of what is offered beyond the evidence: each rule has a reason, an improvement its way back and a source."""

import tomllib

import pytest

from loyal_trace.core.boards.model import Part
from loyal_trace.core.parts.roles import Role
from loyal_trace.core.planning.extras import BACK, back_of, extra_rules, what_of
from loyal_trace.resources import extras, read_text

RULES = extras()


def kinds_offered(part, role=Role.UNKNOWN):
    return [rule.why for rule in RULES.service if rule.fits.holds(part, role)]


def test_every_improvement_has_a_way_back_minutes_and_a_source():
    told = tomllib.loads(read_text("data/extras.toml"))
    assert len({row["id"] for row in told["improvement"]}) == len(told["improvement"]) == len(RULES.improvements)
    for row in told["improvement"]:
        assert row["back"] and row["source"] and row["why"] and 0 < row["minutes"] < 120
    assert {rule.when for rule in RULES.improvements} == {"", "unfused", "holds charge"}


def test_a_cell_is_never_offered_a_change_that_could_charge_a_primary_one():
    (cell,) = [rule for rule in RULES.improvements if "cell" in rule.fits.kinds]
    assert "never be charged" in cell.caution and "diode" in cell.caution


@pytest.mark.parametrize(
    ("part", "role", "offered"),
    [
        (Part("J1", "edge 2x22", kind="connector"), Role.UNKNOWN, True),
        (Part("J2", "BNC", kind="connector"), Role.UNKNOWN, False),
        (Part("C1", "4700u", kind="capacitor"), Role.RESERVOIR, True),
        (Part("C2", "100n", kind="capacitor"), Role.DECOUPLING, False),
        (Part("RN1", "4k7", kind="network"), Role.UNKNOWN, True),
        (Part("U1", "74LS00"), Role.UNKNOWN, False),
    ],
)
def test_service_is_offered_by_kind_words_and_role(part, role, offered):
    assert bool(kinds_offered(part, role)) is offered


def test_a_modification_and_its_way_back_are_kept_in_one_text():
    assert (what_of(f"a wire{BACK}cut it"), back_of(f"a wire{BACK}cut it")) == ("a wire", "cut it")
    assert (what_of("a wire"), back_of("a wire")) == ("a wire", "")


def test_a_rule_for_an_unknown_role_is_no_rule():
    with pytest.raises(ValueError, match="sundries"):
        extra_rules(
            'service = [{kinds = ["capacitor"], roles = ["sundries"], why = "x"}]\nreflow = []\nimprovement = []\npackage = []'
        )
