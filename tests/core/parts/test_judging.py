"""The verdict on measured capacitors: every kind of reading, at and beside its limit, alone and together."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.parts.judging import CapacitorReading, Fault, judge, old_against_new
from loyal_trace.core.parts.spec import CapacitorSpec, parse_spec
from loyal_trace.core.vocabulary.verdicts import Verdict
from loyal_trace.resources import default_tables

LIMITS = default_tables().capacitors
ESR = LIMITS.esr


def judged(marked, farad=None, **read):
    return judge(parse_spec(marked), CapacitorReading(farad, **{"in_circuit": False, **read}), LIMITS)


@pytest.mark.parametrize(
    ("share", "verdict", "fault"),
    [
        (0.0, "bad", Fault.OPEN),
        (0.0099, "bad", Fault.OPEN),
        (0.0101, "bad", Fault.DRIED_OUT),
        (0.799, "bad", Fault.DRIED_OUT),
        (0.801, "good", None),
        (1.499, "good", None),
        (1.501, "doubtful", Fault.READS_HIGH),
        (2.99, "doubtful", Fault.READS_HIGH),
        (3.01, "bad", Fault.READS_HIGH),
    ],
)
def test_an_electrolytic_is_judged_by_its_share_of_the_marked_capacitance(share, verdict, fault):
    found = judged("1000u/16V", share * 1e-3)
    assert found.verdict == verdict and found.faults == ({fault} if fault else set())
    assert judged("1000u/16V", share * 1e-3, in_circuit=True).verdict == ("good" if share > 1 else verdict)


@pytest.mark.parametrize(
    ("marked", "low", "high"),
    [
        ("10u/16V tantalum", 0.8, 1.2),
        ("100n ceramic X7R", 0.65, 1.5),
        ("33p ceramic", 0.9, 1.1),
        ("1u film", 0.9, 1.1),
        ("220p mica", 0.95, 1.05),
    ],
)
def test_every_kind_has_limits_of_its_own(marked, low, high):
    value = parse_spec(marked).value
    for share, good in ((low - 0.01, False), (low + 0.01, True), (high - 0.01, True), (high + 0.01, False)):
        assert (judged(marked, share * value).verdict == "good") is good


def test_a_capacitor_that_reads_high_and_loses_its_charge_is_leaky_not_good():
    found = judged("22u/16V", 51e-6, loss=0.12)
    assert found.verdict == "bad" and Fault.LEAKY in found.faults and "because it leaks" in found.reason
    alone = judged("22u/16V", 46e-6)
    assert alone.verdict == "doubtful" and "another value is fitted (47 µF" in alone.reason
    assert judged("100u/16V", 51e-6, esr=5, loss=0.12).faults == {Fault.DRIED_OUT, Fault.RESISTANCE, Fault.LOSS}


@pytest.mark.parametrize(("loss", "verdict"), [(0.03, "good"), (0.031, "doubtful"), (0.099, "doubtful"), (0.1, "bad")])
def test_loss_of_charge(loss, verdict):
    assert judged("100u/16V", loss=loss).verdict == verdict


@pytest.mark.parametrize(
    ("ampere", "verdict"), [(16e-6, "good"), (17e-6, "doubtful"), (80e-6, "doubtful"), (81e-6, "bad")]
)
def test_leakage_against_a_hundredth_of_its_charge_a_second(ampere, verdict):
    assert judged("100u/16V", leakage=ampere).verdict == verdict
    assert judged("1u/16V", leakage=3e-6).verdict == "good", "a floor of 3 µA"
    assert judged("100u", leakage=1e-6).verdict == "doubtful", "no rating, no limit"


@pytest.mark.parametrize(
    ("ohm", "verdict", "fault"),
    [
        (1.9, "bad", Fault.SHORT),
        (43, "bad", Fault.RESISTOR),
        (19e3, "bad", Fault.RESISTOR),
        (100e3, "doubtful", Fault.LEAKY),
        (1e6, "good", None),
    ],
)
def test_a_capacitor_can_be_a_resistor_now(ohm, verdict, fault):
    found = judged("100u/16V", resistance=ohm)  # 16 µA at 16 V are 1 MΩ
    assert found.verdict == verdict and found.faults == ({fault} if fault else set())
    here = judged("100u/16V", resistance=ohm, in_circuit=True)
    assert here.verdict == "doubtful" and (ohm < 2 or "lift one pin" in here.reason)


def test_esr_is_bad_beyond_the_spread_of_makers_and_doubtful_within_it():
    limit = ESR.limit(100e-6, 16).ohm
    for times, verdict in ((0.99, "good"), (1.01, "doubtful"), (1.49, "doubtful"), (1.51, "bad")):
        assert judged("100u/16V", esr=times * limit).verdict == verdict
    assert judged("100u/16V low ESR", esr=0.9 * limit).verdict == "bad"
    assert judged("100u/16V BP", esr=1.4 * limit).verdict == "good"
    assert judged("10u/16V", esr=30).verdict == "bad"


@pytest.mark.parametrize(
    ("voltage", "loss"),
    [(6.3, 0.24), (6.4, 0.20), (10, 0.20), (16, 0.16), (25, 0.14), (35, 0.12), (50, 0.10), (63, 0.09)],
)
def test_at_120_hz_the_limit_of_esr_is_twice_the_loss_of_a_new_part_of_that_voltage(voltage, loss):
    assert ESR.limit(100e-6, voltage, 120.0).ohm == pytest.approx(2 * loss / (2 * math.pi * 120 * 100e-6))
    part = CapacitorSpec(100e-6, voltage, "aluminium", True)
    for tan, verdict in ((1.99 * loss, "good"), (2.02 * loss, "doubtful"), (3.1 * loss, "bad")):
        assert judge(part, CapacitorReading(tan_delta=tan, in_circuit=False), LIMITS).verdict == verdict


def test_the_frequency_of_the_meter_is_assumed_and_said_to_be():
    found = judged("10u/16V", esr=30)
    assert "100 kHz assumed" in found.reason and "assumed" not in judged("10u/16V", esr=30, frequency=1e5).reason
    assert judged("10u/16V", esr=15, frequency=120).verdict == "good", "at mains frequency it may be that high"
    assert "rating not known" in judged("10u", esr=30).reason


def test_the_limit_falls_with_value_voltage_and_frequency():
    steps = [ESR.limit(10e-6, 16, f).ohm for f in (120, 1e3, 10e3, 100e3, 1e6)]
    assert steps == sorted(steps, reverse=True) and steps[0] > 5 * steps[-1] > 0
    assert ESR.limit(10e-6, 16, 1e3).ohm == pytest.approx(2 * (2.0 + (21.2 - 2.0) * 0.12), rel=0.02)
    for farad, more in ((1e-6, 2.2e-6), (33e-6, 40e-6), (22e-3, 47e-3)):
        assert ESR.limit(farad, 16).ohm > ESR.limit(more, 16).ohm > 0, "between the rows and beyond them too"
    assert ESR.limit(10e-6, 16).ohm > ESR.limit(10e-6, 25).ohm > ESR.limit(10e-6, 400).ohm
    assert all(ESR.sources) and all(LIMITS.sources)


def test_a_cold_electrolytic_may_have_twice_the_resistance_and_a_warm_one_less():
    limit = ESR.limit(100e-6, 16).ohm
    assert judged("100u/16V", esr=1.9 * limit, celsius=0).verdict == "good"
    assert judged("100u/16V", esr=0.8 * limit, celsius=60).verdict == "bad"
    assert judged("100u/16V tantalum", esr=1.9 * limit, celsius=0).verdict == "bad", "solid: no wet electrolyte"


def test_where_no_limit_is_known_esr_alone_decides_nothing():
    assert judged("1u film", esr=50).verdict == "doubtful" and "no ESR limit" in judged("1u film", esr=50).reason
    assert judged("1u film", 1e-6, esr=50).verdict == "good"
    nameless = judge(CapacitorSpec(), CapacitorReading(1e-3), LIMITS)
    assert nameless.verdict == Verdict.NOT_MEASURED and "marked value is not known" in nameless.reason
    assert judged("100u/16V").verdict == Verdict.NOT_MEASURED


@pytest.mark.parametrize(
    ("farad", "verdict"),
    [
        (95e-6, "doubtful"),
        (117e-6, "doubtful"),
        (119e-6, "good"),
        (147e-6, "good"),
        (190e-6, "good"),
        (210e-6, "doubtful"),
    ],
)
def test_in_circuit_the_netlist_says_what_reads_with_it(farad, verdict):
    """100 µF with 47 µF beside it: all of both, or something is missing, or there is more than both."""
    found = judged("100u/16V", farad, in_circuit=True, parallel=47e-6, beside=("C9",))
    assert found.verdict == verdict and "C9" in found.reason
    esr = judged("100u/16V", esr=0.1, in_circuit=True, parallel=47e-6, beside=("C9",))
    assert esr.verdict == "doubtful" and "can hide a high one" in esr.reason


def test_the_old_part_beside_the_new_one():
    found = old_against_new(CapacitorReading(60e-6, 2.0), CapacitorReading(100e-6, 0.25))
    assert found.worse and "60 % of its capacitance" in found.text and "8 times" in found.text
    assert not old_against_new(CapacitorReading(98e-6), CapacitorReading(100e-6, 0.2)).worse
    assert old_against_new(CapacitorReading(esr=1.0), CapacitorReading(100e-6)) is None


@given(
    st.sampled_from(["100u/16V", "10u/25V tantalum", "100n ceramic", "1u film", "33p mica", "4700u/25V low ESR"]),
    st.fixed_dictionaries(
        {},
        optional={
            "capacitance": st.floats(0, 1),
            "esr": st.floats(0, 1e6),
            "loss": st.floats(0, 1),
            "leakage": st.floats(0, 1),
            "tan_delta": st.floats(0, 10),
            "resistance": st.floats(0, 1e9),
            "in_circuit": st.booleans(),
            "celsius": st.floats(-40, 100),
        },
    ),
)
def test_one_more_bad_reading_never_makes_a_verdict_better(marked, read):
    spec, order = parse_spec(marked), ["not measured", "good", "doubtful", "bad"]
    before = judge(spec, CapacitorReading(**read), LIMITS)
    after = judge(spec, CapacitorReading(**{**read, "loss": 0.5}), LIMITS)
    assert order.index(after.verdict) >= order.index(before.verdict) and after.verdict == "bad"
    assert before.reason and all(reason.text for reason in before.reasons)
