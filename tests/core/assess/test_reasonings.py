"""Each way of reasoning on a board known only from lines: what was typed leads to the part, its place, or what is shared."""

import pytest

from loyal_trace.core.assess.alike import common_causes
from loyal_trace.core.assess.bits import bit_verdicts, fault_words, members
from loyal_trace.core.assess.next_puzzles import unused_spare
from loyal_trace.core.assess.next_things import next_things
from loyal_trace.core.assess.rates import rates_of
from loyal_trace.core.assess.suspects import suspects_of
from loyal_trace.core.assess.swaps import bad_spares
from loyal_trace.core.line.context import Context
from loyal_trace.core.line.grammar import parse_line
from loyal_trace.core.vocabulary.identity import PartRef
from tests.helpers.builders import START, made, moment_with
from tests.helpers.lines import LIBRARY

RAMS = tuple(f"U{n}" for n in range(1, 9))


def after(*lines, boards=None):
    """The moment after these lines were typed, each recorded."""
    entries = []
    for line in lines:
        moment = moment_with(boards or {}, entries)
        parsed = parse_line(line, Context(moment.boards, moment.snapshot, LIBRARY, START))
        assert parsed.said is not None and parsed.status == "recorded", f"{line}: {parsed.status} {parsed.message}"
        entries += [made(one.kind, **one.fields) for one in parsed.said.entries]
    return moment_with(boards or {}, entries)


def probability(moment, refdes):
    found = next((s for s in suspects_of(moment) if s.place == PartRef("own", refdes)), None)
    return found.probability if found else 0.0


def kinds(moment, refdes):
    found = next((s for s in suspects_of(moment) if s.place == PartRef("own", refdes)), None)
    return {line.kind for line in found.evidence} if found else set()


def words(moment, refdes):
    found = next(s for s in suspects_of(moment) if s.place == PartRef("own", refdes))
    return " | ".join(line.text for line in found.evidence)


TWINS = ("U7 is 4066", "U8 is 4066", "U9 is 4066")


def test_a_swap_tells_the_part_from_its_place():
    moved = after(*TWINS, "swap U7 and U8: moves")
    assert probability(moved, "U7") > 0.5 and probability(moved, "U8") < 0.1
    assert "the part, not its place" in words(moved, "U7")
    stayed = after(*TWINS, "swap U7 and U8: stays")
    assert probability(stayed, "U7") < probability(moved, "U7") / 3
    assert words(moved, "U7").startswith("tried: with U8 the fault moved along")
    assert words(moved, "U8").startswith("tried: with U7 the fault moved along")
    assert words(stayed, "U8").startswith("tried: with U7 the fault stayed")


def test_a_bad_spare_is_known_and_never_offered_again():
    moment = after(*TWINS, "swap U7 with spare 1: stays", "swap U7 with spare 2: gone")
    assert list(bad_spares(moment)) == ["spare 1"] and unused_spare(moment) == "spare 3"
    assert probability(moment, "U7") > 0.4
    once = after(*TWINS, "U7 is socketed", "swap U7 with spare 1: stays", "fails: gun", "path gun: U7 U9")
    texts = [thing.text for thing in next_things(once, 9)]
    assert not any("with spare 1" in text for text in texts), texts


@pytest.mark.parametrize(
    ("line", "more", "less"),
    [
        ("U7 out: gone", "U7", "U8"),
        ("U7.3 lifted: gone", "U7", "U8"),
        ("pressed U7: comes back", "U7", "U8"),
        ("cooled U7: gone", "U7", "U8"),
        ("piggyback U7: better", "U7", "U8"),
    ],
)
def test_what_a_trial_changed_counts_and_what_it_did_not_counts_less(line, more, less):
    moment = after(*TWINS, line, f"cooled {less}: stays")
    assert probability(moment, more) > 3 * probability(moment, less)
    assert more in line and "the fault" in words(moment, more)


def test_a_trial_of_several_parts_accuses_each_less_and_one_before_a_replacement_not_at_all():
    one, three = after(*TWINS, "cooled U7: gone"), after(*TWINS, "cooled U7 U8 U9: gone")
    assert probability(three, "U7") < probability(one, "U7")
    assert "trial-changed" not in kinds(after(*TWINS, "cooled U7: gone", "U7 replaced"), "U7")


def test_swaps_and_trials_weigh_together_and_the_next_move_is_the_one_that_tells_most():
    wobbled = after(*TWINS, "U7 is socketed", "pressed U7: comes back")
    both = after(*TWINS, "U7 is socketed", "pressed U7: comes back", "swap U7 with spare 1: stays")
    assert "its socket, pins or track, not the part" in words(both, "U7")
    assert probability(both, "U7") > probability(after(*TWINS, "swap U7 with spare 1: stays"), "U7")
    texts = [thing.text for thing in next_things(wobbled, 12) if thing.place.refdes == "U7"]
    assert any("exchange U7" in text for text in texts) and not any("press" in text for text in texts), texts
    worse = after(*TWINS, "U8 out: worse")
    assert probability(worse, "U8") == probability(after(*TWINS), "U8"), "a missing part may make matters worse"


def test_the_old_part_that_measured_good_leaves_the_fault_with_the_rest():
    told = ("C7 is 100u 16V", "U1 is 4066", "path gun: C7 U1", "fails: gun", "C7 replaced")
    bad, good = (after(*told, f"old C7 measures {value} esr 0.1") for value in ("9u", "100u"))
    assert probability(good, "U1") > probability(after(*told), "U1") > probability(bad, "U1")


def test_two_twins_that_differ_are_suspected_alike_and_a_third_reading_tells():
    two = after(*TWINS, "twins U7 U8 U9", "U7.14 5V", "U8.14 2.1V")
    assert "twin-differs" in kinds(two, "U7") & kinds(two, "U8")
    three = after(*TWINS, "twins U7 U8 U9", "U7.14 5V", "U8.14 2.1V", "U9.14 5V")
    assert kinds(three, "U8") == {"odd-reading"} and not kinds(three, "U7")


def test_what_was_read_of_a_twin_that_is_out_is_no_longer_compared():
    gone = after(*TWINS, "twins U7 U8 U9", "U7.14 5V", "U8.14 2.1V", "U8 replaced")
    assert "twin-differs" not in kinds(gone, "U7") | kinds(gone, "U8")


def test_a_clock_said_at_a_pin_is_divided_by_what_it_feeds():
    told = ("U3 is 74LS393", "clock at U3.1: 2 MHz", "U3.3 = U5.1", "U3.1 2MHz")
    wrong, right = after(*told, "U3.3 2MHz"), after(*told, "U3.3 1MHz")
    assert "clock-wrong" in kinds(wrong, "U3") and "1.00 MHz expected at U3.3" in words(wrong, "U3")
    assert "clock-wrong" not in kinds(right, "U3")


def test_a_dark_lamp_is_evidence_against_the_fuse_that_it_shows_and_a_lit_one_for_it():
    told = ("F1 is 2A slow", "lamp LD1 shows F1")
    dark, lit = after(*told, "LD1 dark"), after(*told, "LD1 lit")
    assert probability(dark, "F1") > 5 * probability(lit, "F1")
    assert kinds(dark, "LD1") == set(), "what a lamp shows says nothing of the lamp"


def test_codes_name_the_line_and_the_part_that_sits_on_it():
    lines = [f"{name} is 4164" for name in RAMS]
    data = [f"data D{bit}: {name}" for bit, name in enumerate(RAMS)]
    moment = after(*lines, *data, "sent 45 shown 41", "sent 0C shown 08", "sent FF shown FB", "sent 00 shown 00")
    verdict = bit_verdicts(moment)["own"]
    assert fault_words(verdict.likeliest) == "D2 is stuck low" and verdict.settled
    assert probability(moment, "U3") > 0.5 and max(probability(moment, n) for n in RAMS if n != "U3") < 0.1
    one = after(*lines, *data, "sent 45 shown 41")
    assert probability(one, "U3") < probability(moment, "U3")
    assert any(thing.text.startswith("send the code") for thing in next_things(one, 9))
    cured = after(*lines, *data, "sent 45 shown 41", "sent 0C shown 08", "U3 replaced", "sent 45 shown 45")
    assert bit_verdicts(cured)["own"].pairs == 1, "codes before the replacement had their answer"


def test_a_new_part_on_a_faulty_line_has_less_of_the_suspicion():
    told = ("U1 U2 are 74LS245", "data D2: U1 U2")
    codes = ("sent 45 shown 41", "sent 0C shown 08", "sent FF shown FB", "sent 00 shown 00")
    alike, new = after(*told, *codes), after(*told, "U1 replaced", *codes)
    socket = after(*told, "U1 socket fitted", *codes)
    assert probability(alike, "U1") == pytest.approx(probability(alike, "U2"), abs=0.01)
    assert probability(new, "U1") < 0.2 < probability(alike, "U2") < probability(new, "U2")
    assert probability(socket, "U1") > 0.2, "a new socket keeps the chip"


def test_eight_twins_in_order_are_the_bits_and_characters_are_codes():
    moment = after(
        *(f"{name} is 4164" for name in RAMS), f"twins {' '.join(RAMS)}", 'sent "A" shown "E"', 'sent "B" shown "F"'
    )
    board = moment.boards["own"]
    assert [members(moment, board, bit) for bit in (0, 7)] == [["U1"], ["U8"]]
    assert fault_words(bit_verdicts(moment)["own"].likeliest) == "D2 is stuck high"
    assert "bits" in kinds(moment, "U3")


def test_the_one_that_measures_differently_from_its_twins_is_odd():
    lines = (*TWINS, "twins U7 U8 U9", "U7.14 4.98V", "U8.14 5.0V", "U9.14 2.1V")
    moment = after(*lines)
    assert "odd-reading" in kinds(moment, "U9") and "odd-reading" not in kinds(moment, "U7")
    assert "U9.14" in words(moment, "U9") and "4.98 V" in words(moment, "U9")
    apart = after(*TWINS, "twins U7 U8 U9", "U7.14 1V", "U8.14 5V", "U9.14 2.1V")
    assert not any("odd-reading" in kinds(apart, name) for name in ("U7", "U8", "U9")), "none agree, so none is odd"


def test_eight_memories_at_once_have_a_common_cause():
    lines = [
        *(f"{name} is 4164" for name in RAMS),
        f"twins {' '.join(RAMS)}",
        f"code 7 = {', '.join(RAMS)}",
        "U20 is 74LS244",
    ]
    joined = [f"U20.3 = {name}.4" for name in RAMS]
    moment = after(*lines, *joined, "start failed code 7")
    board = moment.boards["own"]
    assert common_causes(board, dict.fromkeys(RAMS)) == [RAMS] and not common_causes(board, {"U1": 1, "U2": 1})
    assert "common-cause-shared" in kinds(moment, "U20") and probability(moment, "U20") > probability(moment, "U1")
    assert any("measure the supply at U1" in thing.text for thing in next_things(moment, 9))


def test_a_code_that_stays_after_its_chip_was_replaced_means_its_place_and_a_new_one_is_a_new_fault():
    told = ("U4 is 2764", "U5 is 74LS138", "U5.15 = U4.20", "code 3 = U4", "code 5 = U5", "start failed code 3")
    first = after(*told)
    stays = after(*told, "U4 replaced", "start failed code 3")
    assert "self-test" in kinds(first, "U4") and "self-test" not in kinds(stays, "U4")
    assert "code-persists" in kinds(stays, "U4") and probability(stays, "U4") < probability(first, "U4")
    assert "socket and pins first" in words(stays, "U4")
    other = after(*told, "U4 replaced", "start failed code 5")
    assert "self-test" in kinds(other, "U5") and "code-persists" not in kinds(other, "U4")


PINS = ("U9 is type HYB-3", "U9.1: VCC power", "U9.2: CLK in", "U9.3: /RESET in", "U9.4: Q0 out", "U9.5: Q1 out")


def test_an_own_chip_with_supply_clock_and_reset_fine_and_dead_outputs_is_accused():
    dead = after(*PINS, "U9 1=H 2=P 3=H 4=L 5=H")
    assert "own-outputs-dead" in kinds(dead, "U9") and "CLK running" in words(dead, "U9")


@pytest.mark.parametrize(
    "probed",
    [
        "U9 1=H 2=P 3=H 4=L 5=P",
        "U9 1=L 2=P 3=H 4=L 5=H",
        "U9 2=P 3=H 4=L 5=H",
        "U9 1=H 2=L 3=H 4=L 5=H",
        "U9 1=H 2=P 3=L 4=L 5=H",
        "U9 1=H 2=P 3=H 4=L",
        "U9 1=1.2V 2=P 3=H 4=L 5=H",
    ],
    ids=["an output moves", "no supply", "supply not probed", "no clock", "in reset", "one output", "supply low"],
)
def test_an_own_chip_is_not_accused_without_every_premise(probed):
    assert "own-outputs-dead" not in kinds(after(*PINS, probed), "U9")


def test_frequencies_without_a_netlist_are_held_against_each_other():
    lines = ("U1 is 74LS161", "U2 is 74LS161", "U3 is 74LS161", "Y1 is 8MHz")
    moment = after(*lines, "Y1.1 8.000MHz", "U1.14 4.000MHz", "U2.12 15.625kHz", "U3.11 50.08Hz", "U3.12 1.234kHz")
    rates = {rate.point: (rate.words, rate.proves) for rate in rates_of(moment, "own")}
    assert rates["U1.14"] == ("Y1.1 divided by 2", True)
    assert (
        rates["U2.12"][1] and rates["U3.11"][1] and rates["U3.12"] == ("in no whole ratio to another frequency", False)
    )
    assert probability(moment, "U2") < 0.01 and "clock-right" in kinds(moment, "U2")
    still = after(*lines, "Y1.1 8.000MHz", "U1.14 0Hz")
    assert [rate.words for rate in rates_of(still, "own")][-1] == "stands still"


CHAIN = ("U1 is 74LS00", "U2 is 74LS04", "U3 is LM324", "U4 is 4066", "U5 is LM386", "path gun: U1 U2 U3 U4 U5")


def test_a_signal_in_the_middle_of_a_path_halves_it():
    fails = after(*CHAIN, "fails: gun")
    assert any("signal of gun after U2" in t.text or "signal of gun after U3" in t.text for t in next_things(fails, 9))
    behind = after(*CHAIN, "fails: gun", "works: gun at U3")
    before = after(*CHAIN, "fails: gun", "fails: gun at U2")
    both = [probability(one, "U4") + probability(one, "U5") for one in (behind, before)]
    assert both[0] > 0.7 and both[1] < 0.25 and probability(before, "U1") > 2 * probability(fails, "U1")
    settled = after(*CHAIN, "fails: gun", "works: gun at U3", "fails: gun at U4")
    assert probability(settled, "U4") > 0.6 and "needed by what fails" in words(settled, "U4")


def test_a_signal_after_a_part_that_is_not_on_the_path_says_nothing_and_a_later_word_counts():
    plain, odd = after(*CHAIN, "fails: gun"), after(*CHAIN, "U9 is 74LS74", "fails: gun", "fails: gun at U9")
    assert probability(odd, "U1") == pytest.approx(probability(plain, "U1"), rel=0.05)
    changed = after(*CHAIN, "fails: gun", "fails: gun at U2", "works: gun at U2")
    assert probability(changed, "U1") < 0.1
    noted = after("U1 is 74LS00", "works: sound at night")
    assert [key.item for key in noted.snapshot.proving.functions] == ["sound at night"], "night is no part"


def test_a_failing_function_without_a_path_is_asked_for_first_as_long_as_nothing_is_clear():
    moment = after("U1 is 74LS00", "U2 is LM386", "fails: horn")
    assert next_things(moment, 3)[0].text.startswith("enter the parts that horn needs")
    clear = after(
        *CHAIN[:5], "path gun: U1 U2", "fails: gun", "fails: horn", "works: gun at U1", "swap U2 with spare 1: gone"
    )
    assert not any("horn needs" in thing.text for thing in next_things(clear, 3)) or probability(clear, "U2") < 0.9


def test_a_shorted_line_is_cut_up_sockets_first_and_what_was_lifted_is_not_asked_again():
    parts = ("U1 is 74LS00", "U2 is 74LS04", "U3 is 74LS138", "U3 is socketed", "U1.3 = U2.1", "U1.3 = U3.1")
    moment = after(*parts, "U1.3 to ground 3 ohm")
    texts = [thing.text for thing in next_things(moment, 9)]
    assert any(text.startswith("take U3 out on the line of U1.3") for text in texts), texts
    later = [thing.text for thing in next_things(after(*parts, "U1.3 to ground 3 ohm", "U3 out: stays"), 9)]
    assert any("lift the pin of U" in text for text in later) and not any("take U3 out" in text for text in later)
    assert not any("on the line of" in thing.text for thing in next_things(after(*parts, "U1.3 to ground 3k ohm"), 9))


def test_a_resistor_or_fuse_is_held_against_its_marking():
    parts = ("R1 is 4k7", "R2 is 4k7", "R3 is 4k7", "F1 is 2A slow", "F2 is 2A slow")
    moment = after(*parts, "R1 resistance OL", "R2 4.6k ohm", "R3 1k ohm", "F1 resistance OL", "F2 0.1 ohm")
    assert [sorted(kinds(moment, name)) for name in ("R1", "R2", "R3", "F1", "F2")] == [
        ["value-wrong"],
        ["value-right"],
        [],
        ["value-wrong"],
        ["value-right"],
    ]
    quarter_more = after("R1 is 1k", "R2 is 1k", "R1 1.25k ohm", "R2 1.26k ohm")
    assert [kinds(quarter_more, name) for name in ("R1", "R2")] == [set(), {"value-wrong"}]
    assert "marked 4.7 kΩ" in words(moment, "R1") and not kinds(after(*parts, "R1 resistance OL", "R1 replaced"), "R1")


def test_a_replacement_that_cured_speaks_for_the_parts_around_it():
    chain = ("C9 is 10u 16V", "R1 is 0R22", "J2 is type plug", "path left: R1 C9 J2", "fails: left")
    cured = after(*chain, "R1 replaced", "works: left")
    assert max(probability(cured, name) for name in ("R1", "C9", "J2")) < 0.08
    assert probability(after(*chain, "R1 replaced", "fails: left"), "C9") > 0.3
