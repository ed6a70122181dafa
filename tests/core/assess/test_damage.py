"""Damaged pads and tracks: a step with its wire by the netlist, until they were repaired."""

from loyal_trace.core.assess.at_iron import tally_of
from loyal_trace.core.assess.damage import damage_left
from loyal_trace.core.assess.plan import plan_of
from loyal_trace.core.job.entries import Connected, Fitted, NamedPart, Observed, Removed, Worked
from loyal_trace.core.vocabulary.findings import Finding
from tests.helpers.builders import made, measured, moment_of


def pin(refdes, number=None):
    return NamedPart(board="small", refdes=refdes, pin=number)


def damaged(refdes, number=None, note="pad lifted"):
    return made(Observed, board="small", place=refdes, finding=Finding.TRACK_DAMAGED, pin=number, note=note)


def steps(*entries):
    return [step for step in plan_of(moment_of(entries=entries)).steps if step.kind == "track"]


def test_a_lifted_pad_is_wired_to_the_nearest_pin_of_its_net():
    (step,) = steps(damaged("U1", 3))
    assert step.id == "small/U1/track/3" and "U1.3 to U2.1" in step.tool and "track U1.3 to U2.1 repaired" in step.after
    (blind,) = steps(damaged("C1", note="ring came off"))
    assert "find out where C1 led" in blind.tool and "ring came off" in blind.reason


def test_a_cut_track_leads_where_it_led_and_not_where_the_netlist_goes_then():
    apart = made(Connected, board="small", first=pin("U1", 3), second=pin("U2", 1), joined=False)
    moment = moment_of(entries=[apart, damaged("U1", 3)])
    assert moment.boards["small"].net_of("U2", 1) is None, "the netlist follows the cut"
    assert damage_left(moment)[0].to == "U2.1"


def test_what_was_repaired_or_found_good_since_is_done_and_damage_after_it_is_not():
    seen = damaged("U1", 3)
    done = made(Worked, board="small", action="track repaired", parts=(pin("U1", 3), pin("U2", 1)))
    assert steps(seen, done) == [] and len(steps(seen, done, damaged("U1", 3))) == 1
    other = made(Worked, board="small", action="track repaired", parts=(pin("U1", 9),))
    assert len(steps(seen, other)) == 1
    assert steps(seen, made(Worked, board="small", action="repaired", parts=(pin("U1"),))) == []
    assert steps(seen, made(Observed, board="small", place="U1", finding=Finding.LOOKS_GOOD)) == []
    assert len(steps(damaged("U1", 3), damaged("U1", 4))) == 2


def test_a_part_that_was_knocked_off_is_out_and_has_to_go_in_again():
    tally = tally_of(
        moment_of(entries=[made(Removed, board="small", place="C1", number="1000u", reason="knocked off")])
    )
    assert [place.refdes for place in tally.empty] == ["C1"] and tally.fitted == 0


def test_what_came_off_is_fitted_again_by_a_step_unless_it_is_replaced_anyway():
    off = made(Removed, board="small", place="C1", number="1000u", reason="knocked off")
    (step,) = [s for s in plan_of(moment_of(entries=[off])).steps if s.place.refdes == "C1"]
    assert step.kind == "missing" and "it was knocked off" in step.reason and step.part_number
    dried = measured("C1", "capacitance", 0.3e-3)
    assert [s.kind for s in plan_of(moment_of(entries=[dried, off])).steps if s.place.refdes == "C1"] == ["capacitor"]
    fitted = made(Fitted, board="small", place="C1", number="1000u 16V", origin="tray A")
    assert [s for s in plan_of(moment_of(entries=[off, fitted])).steps if s.place.refdes == "C1"] == []
