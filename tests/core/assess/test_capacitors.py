"""Capacitors of a job: what the logbook's readings of one say together."""

from loyal_trace.core.assess.capacitors import judged_capacitors
from loyal_trace.core.vocabulary.identity import PartRef
from tests.helpers.builders import measured, moment_of

C1 = PartRef("small", "C1")


def verdict(**more):
    """The verdict on C1, 1000 µF 16 V, of an ESR between the limits at 20 °C and at 5 °C."""
    esr = measured("C1", "esr", 0.32, frequency=100e3, in_circuit=False, **more)
    return judged_capacitors(moment_of(entries=[esr]))[C1]


def test_a_part_read_cold_may_have_more_resistance_than_one_at_room_temperature():
    assert verdict().verdict != "good" and verdict(celsius=5.0).verdict == "good"
    assert "5 °C" in verdict(celsius=5.0).reason
    assert verdict(celsius=55.0).verdict == "bad"
