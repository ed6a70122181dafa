"""Everything of the table in what can be said, each with what it records."""

from functools import cache
from itertools import product

import pytest

from loyal_trace.core.job.entries import (
    Connected,
    Fitted,
    NamedPart,
    Observed,
    PartTold,
    Removed,
    Swapped,
    SymptomSeen,
    TakenApart,
)
from loyal_trace.core.line.grammar import examples
from loyal_trace.core.vocabulary.stages import Stage
from tests.helpers.builders import made
from tests.helpers.lines import TIDEWRACK, context, read, recorded

V = "tw-vid"
AT_PROBE = {"stage": Stage.PROBE, "picked": (V, "5D")}
AT_ROMS = {"stage": Stage.ROMS, "picked": (V, "4A")}

SAID = [
    ("5D.13 4.87V", {}, "measured", {"place": "5D.13", "quantity": "voltage", "value": 4.87}),
    ("5D.13 4,87V", {}, "measured", {"value": 4.87}),
    ("C1 esr=5", {}, "measured", {"place": "C1", "quantity": "esr", "value": 5.0}),
    ("C1 ESR 12R", {}, "measured", {"quantity": "esr", "value": 12.0}),
    ("C1 esr OL", {}, "measured", {"quantity": "esr", "value": None, "overload": True}),
    ("5D.13 to ground 4k3", {}, "measured", {"quantity": "resistance to ground", "value": 4300.0}),
    ("5D.13 low", {}, "pins_probed", {"place": "5D"}),
    ("5D-13 low", {}, "pins_probed", {"place": "5D"}),
    ("5D.13 is low", {}, "pins_probed", {"place": "5D"}),
    ("L", AT_PROBE, "pins_probed", {"place": "5D"}),
    ("2MHz", AT_PROBE, "pins_probed", {"place": "5D"}),
    ("4A sig 7A5F", {}, "signature", {"place": "4A"}),
    ("5D.13 sig 7A5F", {}, "pin_signature", {"place": "5D", "pin": 13, "value": 0x7A5F, "source": "hand"}),
    ("good board 5D.13 sig 7a5f", {}, "pin_signature", {"value": 0x7A5F, "source": "good board"}),
    ("5D.13 sig unstable", {}, "pin_signature", {"value": None}),
    ("free run: on", {}, "decided", {"what": "free run", "choice": "on"}),
    ("signature window: 65536 clocks", {}, "decided", {"what": "signature window", "choice": "65536"}),
    ("sig 7A5F", AT_ROMS, "signature", {"place": "4A"}),
    ("sig none", AT_ROMS, "signature", {"place": "4A", "value": None}),
    ("5D.4 corroded", {}, "observed", {"place": "5D", "pin": 4, "finding": "corroded"}),
    ("corroded", {"stage": Stage.INSPECT, "picked": (V, "5D")}, "observed", {"place": "5D", "finding": "corroded"}),
    ("socket of 4A loose", {}, "observed", {"place": "4A", "finding": "socket loose"}),
    ("5D removed", {}, "removed", {"place": "5D"}),
    ("before: C1 replaced", {}, "worked", {"before": True, "action": "replaced"}),
    ("5D reflowed", {}, "worked", {"before": False, "action": "reflowed"}),
    ("track 5D.13-4E.15 repaired with wire", {}, "worked", {"detail": "wire"}),
    ("board washed, drying", {}, "worked", {"detail": "drying"}),
    ("C1 use 470u 25V from tray F", {}, "planned", {"place": "C1", "origin": "tray F"}),
    ("4A re-programmed with 4a.bin", {}, "fitted", {"place": "4A"}),
    ("5D socket fitted", {}, "fitted", {"place": "5D"}),
    ("swap 4A with spare 2: stays", {}, "swapped", {"place": "4A", "spare": "spare 2", "result": "stays"}),
    ("5D out: gone", {}, "trial", {"action": "out", "result": "gone"}),
    ("5D back", {}, "trial", {"action": "back", "result": ""}),
    ("5D.13 lifted: gone", {}, "trial", {"action": "lifted", "result": "gone"}),
    ("5D.13 resoldered", {}, "trial", {"action": "resoldered"}),
    ("pressed 5D: comes back", {}, "trial", {"action": "pressed", "result": "comes back"}),
    ("cooled 4A: gone", {}, "trial", {"action": "cooled", "result": "gone"}),
    ("piggyback 3C: better", {}, "trial", {"action": "piggyback", "result": "better"}),
    ("symptom: no sound", {}, "symptom", {"text": "no sound", "present": True}),
    ("path gun: 5D 4A 3C", {}, "path_told", {"name": "gun"}),
    ("fails: gun", {}, "function", {"name": "gun", "state": "fails"}),
    ("check: keyboard ok", {}, "test_result", {"item": "keyboard", "passed": True}),
    ("check: joystick fails, left dead", {}, "test_result", {"passed": False, "note": "left dead"}),
    ("start ok", {}, "started", {"clean": True, "off_seconds": None}),
    ("start failed code 3", {}, "started", {"clean": False, "code": "3"}),
    ("start failed off 10 min", {}, "started", {"off_seconds": 600.0}),
    ("sent 41 shown 45", {}, "pair", {"sent": "41", "shown": "45"}),
    ('sent "A" shown "E"', {}, "pair", {"sent": "A", "shown": "E", "text": True}),
    ("code 3 = 5D", {}, "code_told", {"code": "3"}),
    ("control X 0%=12k 50%=51k 100%=99k", {}, "control", {"name": "X"}),
    ("5D is 74LS166", {}, "part_told", {"place": "5D", "number": "74LS166"}),
    ("C1 is 10 uF 16 V", {}, "part_told", {"number": "10u 16V", "value": pytest.approx(1e-5), "voltage": 16.0}),
    ("Y9 is 8 MHz", {}, "part_told", {"place": "Y9", "number": "8 MHz", "value": 8e6}),
    ("5D is type HYB-3", {}, "part_told", {"number": "HYB-3"}),
    ("5D is socketed", {}, "part_told", {"socketed": True}),
    ("5D at row 5 column D", {}, "part_told", {"row": "5", "column": "D"}),
    ("C1 25 mm high", {}, "part_told", {"height": 25.0}),
    ("U9.3: RESET in", {}, "pin_told", {"place": "U9", "pin": 3, "name": "RESET"}),
    ("twins 4A 4C 4E", {}, "twins_told", {}),
    ("5D.13 = 4E.15", {}, "connected", {"joined": True}),
    ("5D.13 ! 5D.14", {}, "connected", {"joined": False}),
    ("data D2: 4E.11, 5F", {}, "line_told", {"name": "D2"}),
    ("rail +5 feeds 1A, 5F", {}, "rail_told", {}),
    ("supply +5: from J1 5 V DC 3 A", {}, "chain_described", {}),
    ("supply +5: to 5D.16", {}, "chain_described", {}),
    ("4A is ROM 2, 27C64, 4000-5FFF", {}, "rom_told", {"number": 2, "device": "27C64"}),
    ("4A sum sha1 2FD4E1C67A2D28FCED849EE1BB76E7391B93EB12", {}, "sums_known", {}),
    ("owner: Gannet Point", {}, "decided", {"what": "owner", "choice": "Gannet Point"}),
    ("serial: 1042", {}, "decided", {"what": "serial tw-vid", "choice": "1042"}),
    ("service: C1, C2", {}, "service_told", {}),
    ("bench lacks: 12 V AC, harness", {}, "decided", {}),
    ("drawer: 3x 74LS166 in tray 3, untested", {}, "stocked", {"number": "74LS166", "count": 3, "state": "unknown"}),
    ("good enough: the lid", {}, "decided", {"what": "good enough"}),
    ("-- 5D removed", {}, "note", {"text": "5D removed"}),
]  # fmt: skip


@pytest.mark.parametrize(("line", "at", "kind", "fields"), SAID, ids=[one[0] for one in SAID])
def test_a_line_records_what_it_says(line, at, kind, fields):
    if line.startswith("--"):
        found = [("note", one.fields) for one in read(line).said.entries]
    else:
        found = recorded(line, context(**at))
    assert [name for name, _ in found] == [kind] * len(found) and len(found) == 1
    assert {name: found[0][1].get(name) for name in fields} == fields


@pytest.mark.parametrize(
    ("line", "canonical"),
    [
        ("Replaced 5D with 74LS166", "5D replaced with 74LS166"),
        ("removed C1, C2", "C1, C2 removed"),
        ("reseated 5D", "5D reseated"),
        ("replaced all electrolytics", "all electrolytics replaced"),
        ("5D.13 LO", "5D.13 low"),
        ("5D.13 = hi", "5D.13 high"),
        ("5D.13 stuck low", "5D.13 low"),
    ],
)
def test_a_verb_may_stand_first_and_a_level_may_be_said_shortly(line, canonical):
    assert read(line).said.canonical == canonical and read(line).status == "recorded"


@pytest.mark.parametrize(
    ("off", "seconds"),
    [("5 s", 5), ("5 sec", 5), ("1 second", 1), ("5 seconds", 5), ("2 min", 120), ("1 minute", 60), ("3 minutes", 180),
     ("2 h", 7200), ("1 hour", 3600), ("2 hours", 7200), ("1 day", 86400), ("2 days", 172800), ("1,5 h", 5400)],
)  # fmt: skip
def test_the_time_without_power_is_said_in_any_unit(off, seconds):
    assert recorded(f"start failed off {off}")[0][1]["off_seconds"] == seconds


def test_of_several_exchanges_the_one_that_is_named_is_swapped_back():
    both = (("5D", "5A"), ("6B", "6C"))
    made_of = [made(Swapped, board=V, place=one, other=NamedPart(board=V, refdes=other)) for one, other in both]
    where = context(entries=made_of)
    assert read("swapped back", where).said.entries[0].fields["place"] == "6B", "the last one"
    assert read("swapped back 5D", where).said.entries[0].fields["place"] == "5D"


@pytest.mark.parametrize(
    "line", ["Replaced the fuse", "Removed dust from 5D", "cleaned up and went home", "cut and paste"]
)
def test_a_sentence_that_begins_with_such_a_verb_stays_a_note(line):
    assert read(line).status == "note"


@pytest.mark.parametrize(
    "what", ["new 74LS166", "a new 74LS166", "another one", "the same type", "74LS166 new", "a good one"]
)
def test_what_is_no_type_is_not_written_into_the_number(what):
    numbers = {fields["number"] for _, fields in recorded(f"5D replaced with {what}")}
    assert numbers == {"74LS166"}


def test_a_known_symptom_that_is_said_to_be_gone_is_asked_about():
    where = context(entries=[made(SymptomSeen, board=V, text="no sound")])
    found = read("symptom: no sound, gone", where)
    assert found.status == "unclear"
    assert [one.canonical for one in found.choices] == ["symptom: no sound, gone", "symptom gone: no sound"]
    assert read("symptom: colours gone", where).status == "recorded"


def test_every_example_that_help_shows_is_more_than_a_note_somewhere():
    settled = [
        made(PartTold, board=V, place="R5", number="4k7", sort="resistor"),
        *(made(Removed, board=V, place=place) for place in ("2B", "C1", "F1")),
        made(PartTold, board=V, place="F1", number="2A", sort="fuse"),
        made(Fitted, board=V, place="4A", lender="the twin", number="27C64"),
        made(Swapped, board=V, place="5D", other=NamedPart(board=V, refdes="5A")),
        made(SymptomSeen, board=V, text="no sound"),
        made(TakenApart, board="tw-cpu", sort="fastener", what="screws", count=4),
    ]

    @cache
    def every_where(stage):
        return [
            context(boards, settled, next(((b, place) for b in boards if boards[b].has(place)), None), stage=stage)
            for boards, place in product((TIDEWRACK, {V: TIDEWRACK[V]}, {}), ("5D", "4A", "C1", "6C"))
        ]

    for form, example in examples():
        seen = {str(read(example, where).status) for where in every_where(form.stage)}
        assert seen & {"recorded", "unclear"} or form.bare, (form.name, example, seen)


@pytest.mark.parametrize("line", [line for line, *_ in SAID if not line.startswith("--")])
def test_what_the_strip_says_can_be_typed_again_and_is_the_same(line):
    at = next(at for said, at, *_ in SAID if said == line)
    first = read(line, context(**at)).said
    again = read(first.canonical, context()).said
    assert again is not None and again.canonical == first.canonical
    assert [(e.kind, e.fields) for e in again.entries] == [(e.kind, e.fields) for e in first.entries]


def test_what_follows_two_dashes_is_the_note_of_the_same_entry():
    ((kind, fields),) = recorded("5D.13 low -- after ten minutes")
    assert kind == "pins_probed" and fields["note"] == "after ten minutes"
    assert {f["note"] for _, f in recorded("C1 measures 51u esr 5 -- warm")} == {"warm"}


def test_one_line_with_several_values_is_several_readings():
    found = recorded("C1 measures 51u esr 5 loss 12% at 100kHz out of circuit")
    assert [(f["quantity"], f["value"]) for _, f in found] == [
        ("capacitance", pytest.approx(51e-6)),
        ("esr", 5.0),
        ("loss", pytest.approx(0.12)),
    ]
    assert {(f["frequency"], f["in_circuit"]) for _, f in found} == {(1e5, False)}
    both = recorded("rail +5 to ground 4.2 ohm red, 0.9 ohm black")
    assert [(f["quantity"], f["value"]) for _, f in both] == [
        ("resistance to ground", 4.2),
        ("resistance to ground, reversed", 0.9),
    ]


@pytest.mark.parametrize(
    ("place", "number", "sort", "line", "quantity", "value"),
    [
        ("R5", "12k", "resistor", "R5 measures 11k9", "resistance", 11900.0),
        ("L1", "10u", "inductor", "L1 measures 9u8", "inductance", 9.8e-6),
        ("F9", "2A", "fuse", "F9 reads 0.1", "resistance", 0.1),
    ],
)
def test_a_number_alone_is_what_a_part_of_that_kind_has(place, number, sort, line, quantity, value):
    fact = made(PartTold, board=V, place=place, number=number, sort=sort)
    ((_, fields),) = recorded(line, context(entries=[fact]))
    assert (fields["quantity"], fields["value"]) == (quantity, pytest.approx(value))
    assert read("5D measures 51u").status == "note", "a chip has no such value"


def test_a_value_with_a_named_one_beside_it_was_measured_and_a_resistance_is_no_voltage():
    for line in (
        "C1 30 uF ESR 12 ohm",
        "C1 30u, esr 12R",
        "C1 reads 30u esr 12R",
        "C1 30u 12R",
        "C1 measures 30u 12 ohm",
    ):
        assert [(f["quantity"], f["value"]) for _, f in recorded(line)] == [("capacitance", 3e-5), ("esr", 12.0)], line
    assert [f["quantity"] for _, f in recorded("C1 30u loss 5% in circuit")] == ["capacitance", "loss"]
    assert read("C1 30 uF").status == "unclear", "a marking or a reading"
    for line in ("J1 ac 12R", "C1 30u leakage", "5D 30u esr 3"):
        assert read(line).status == "note", line
    for line, quantity, value in (("C1 12 ohm esr", "esr", 12.0), ("5D.13 8.6V ac", "ac voltage", 8.6)):
        assert [(f["quantity"], f["value"]) for _, f in recorded(line)] == [(quantity, value)]
    assert read("C1 4.7 esr").status == "note", "a number without its unit"


@pytest.mark.parametrize(
    ("words", "technology", "plus", "size"),
    [
        ("10u 16V tantalum", "tantalum", True, {}),
        (
            "100 uF 25 V 105C low ESR 8x11.5 pitch 5 mm",
            "aluminium",
            True,
            {"diameter": 8.0, "height": 11.5, "pitch": 5.0},
        ),
        ("22u 50V bipolar axial", "aluminium", False, {}),
        ("100n X7R", "ceramic", False, {}),
        ("1u film ±10 %", "film", False, {}),
    ],
)
def test_a_capacitor_is_described_as_on_its_sleeve(words, technology, plus, size):
    ((_, told),) = recorded(f"C1 is {words}")
    assert (told["technology"], told["polarised"]) == (technology, plus)
    assert {name: told[name] for name in ("diameter", "height", "pitch") if told[name] is not None} == size
    assert recorded(read(f"C1 is {words}").said.canonical) == recorded(f"C1 is {words}")
    assert [f["number"] for kind, f in recorded(f"C1 replaced with {words} from tray F") if kind == "fitted"] == [
        told["number"]
    ]
    if "uF" not in words:  # in a drawer, value and unit stand together
        assert recorded(f"drawer: 3x {words} in tray 2, new")[0][1]["count"] == 3
    assert read(f"C1 is {words} blue").status == "note"


def test_findings_have_the_words_of_the_bench():
    words = {"swollen": "bulged", "leaked": "leaking", "burned": "scorched", "gets hot": "hot", "very hot": "hot", "dry joint": "joint cracked or dull",
             "bent pins": "pin bent under or missing"}  # fmt: skip
    for word, finding in words.items():
        assert [f["finding"].value for _, f in recorded(f"C1 {word}")] == [finding]
    for line in ("5D.13 to 5A.13 open", "5D.13 to 5A.13 no continuity"):
        assert recorded(line) == recorded("5D.13 to 5A.13 OL"), line


def test_a_marking_is_no_measurement_and_a_share_without_a_name_is_neither():
    assert recorded("C1 100u 16V radial")[0][0] == "part_told"
    assert [read(line).status for line in ("C1 100u 5%", "C1 is 51u esr 5", "C1 100u 12%")] == ["note"] * 3
    for words in ("4k7 5%", "4k7 5% 0.25W", "4k7 1/4W"):
        fact = made(PartTold, board=V, place="R5", number="10k", sort="resistor", value=1e4)
        ((_, told),) = recorded(f"R5 is {words}", context(entries=[fact]))
        assert (told["number"], told["value"], told["sort"]) == (words, 4700.0, "resistor")


def test_a_type_that_nobody_knows_has_the_pins_of_its_package():
    fact = made(PartTold, board=V, place="5D", number="HYB-3")
    assert read("5D.17 low", context(entries=[fact])).message.id == "unknown-pin"
    assert recorded("5D.16 low", context(entries=[fact]))


def test_a_row_of_states_goes_to_the_pins_from_the_one_asked_for():
    ((_, fields),) = recorded("LHPPL", context(**AT_PROBE, pin=4))
    assert [(p.pin, p.state) for p in fields["pins"]] == [(4, "L"), (5, "H"), (6, "P"), (7, "P"), (8, "L")]
    ((_, fields),) = recorded("5D 1=L 2=P 3=4.1V")
    assert [(p.pin, p.state, p.voltage) for p in fields["pins"]] == [(1, "L", None), (2, "P", None), (3, "H", 4.1)]


def test_a_replacement_is_a_part_out_and_a_part_in_with_where_it_came_from():
    out, new = recorded("C1 replaced with 6800u 35V from tray F")
    assert (out[0], out[1]["place"]) == ("removed", "C1")
    assert (new[0], new[1]["number"], new[1]["origin"]) == ("fitted", "6800u 35V", "tray F")
    every = recorded("all electrolytics replaced")
    places = [f["place"] for kind, f in every if kind == "fitted"]
    board = TIDEWRACK[V]
    assert places and all(board.part(place).technology == "aluminium" for place in places)


def test_observations_of_a_range_are_one_entry_a_part():
    found = recorded("C1-C4 leaking")
    assert [f["place"] for _, f in found] == ["C1", "C2", "C3", "C4"] and {k for k, _ in found} == {"observed"}


def test_an_exchange_back_names_the_open_exchange():
    open_one = made(Swapped, board=V, place="5D", other=NamedPart(board=V, refdes="5A"), result="stays")
    ((kind, fields),) = recorded("swapped back", context(entries=[open_one]))
    assert kind == "swapped" and fields["back"] and (fields["place"], fields["other"].refdes) == ("5D", "5A")


def test_findings_of_one_board_stay_there_when_both_have_the_place():
    found = read("5D corroded", context(TIDEWRACK))
    assert found.status == "unclear" and [s.entries[0].fields["board"] for s in found.choices] == ["tw-cpu", "tw-vid"]
    ((_, fields),) = recorded("TW-VID 5D corroded", context(TIDEWRACK))
    assert fields["board"] == V
    ((_, fields),) = recorded("5D corroded", context(TIDEWRACK, picked=("tw-cpu", "5D")))
    assert fields["board"] == "tw-cpu"


def test_off_time_of_a_start_is_what_was_said_or_the_time_since_the_last_or_unknown():
    from datetime import timedelta

    from loyal_trace.core.job.entries import Started

    first = made(Started, board=V, clean=True)
    later = context(entries=[first], now=first.time + timedelta(minutes=7))
    ((_, fields),) = recorded("start ok", later)
    assert fields["off_seconds"] == 420.0
    ((_, fields),) = recorded("start ok off 30 s", later)
    assert fields["off_seconds"] == 30.0
    ((_, fields),) = recorded("start ok", context())
    assert fields["off_seconds"] is None


@pytest.mark.parametrize(
    ("said", "seconds"),
    [
        ("30 s", 30.0),
        ("1,5 min", 90.0),
        ("10 minutes", 600.0),
        ("2 h", 7200.0),
        ("1 day", 86400.0),
        ("3 days", 259200.0),
    ],
)
def test_a_pause_can_be_said_in_any_unit(said, seconds):
    ((_, fields),) = recorded(f"start ok off {said}")
    assert fields["off_seconds"] == seconds


def test_a_class_of_parts_is_replaced_each_with_its_own_value_unless_another_is_said():
    plain = {f["place"]: f["number"] for kind, f in recorded("all electrolytics replaced") if kind == "fitted"}
    board = TIDEWRACK[V]
    assert plain == {place: board.part(place).number for place in plain} and len(set(plain.values())) > 1
    given = recorded("all electrolytics replaced with 100u 25V from tray C")
    assert {f["number"] for kind, f in given if kind == "fitted"} == {"100u 25V"}
    assert {f["origin"] for kind, f in given if kind == "fitted"} == {"tray C"}


def test_a_fact_can_make_a_part_on_a_job_without_any_board():
    found = read("U3 is 74LS00", context({}))
    assert found.said.new == (("own", "U3"),) and found.said.entries[0].fields["place"] == "U3"
    known = [made(Observed, board="own", place="U3", finding="corroded")]
    assert read("U4 corroded", context({}, known)).status == "refused"
    assert NamedPart(board="own", refdes="U3").name == "U3"


# An own board, told in lists and ranges


def _told(line, *before):
    """What a line tells of parts of an own board, after others: refdes to (kind, number)."""
    entries = []
    for typed in (*before, line):
        found = read(typed, context({}, entries))
        assert found.status == "recorded", (typed, found.status, found.message)
        entries += [made(one.kind, **one.fields) for one in found.said.entries]
    return {p.refdes: (p.kind, p.number) for p in context({}, entries).boards["own"].parts}


def test_a_list_or_a_range_of_new_parts_is_one_line():
    assert _told("C2, C3 and C9 are 100n") == {f"C{n}": ("capacitor", "100n") for n in (2, 3, 9)}
    assert _told("C2-C5 are 100n 50V", "C3 is 10u 16V")["C3"] == ("capacitor", "100n 50V")
    assert len(_told("C2-C5 are 100n 50V", "C3 is 10u 16V")) == 4
    assert set(_told("U3 U4 are 74LS138").values()) == {("chip", "74LS138")}
    own = [made(PartTold, board="own", place="C3", number="100n", sort="capacitor")]
    assert read("C2-C5 are leaking", context({}, own)).said.canonical == "C3 leaking"
    assert read("C1-C900 are 100n", context({}, own)).said.canonical == "C3 is 100n"


def test_a_range_on_a_board_that_is_known_makes_no_part_up():
    known = {entry["place"] for _, entry in recorded("C1-C99 are 100n")}
    assert known and known == {
        p.refdes for p in context().boards[V].parts if p.refdes[0] == "C" and p.kind != "connector"
    }


@pytest.mark.parametrize(
    ("line", "kind"),
    [("J1 is a plug", "connector"), ("J1, J2 are connectors", "connector"), ("VR1 is a potentiometer", "control"),
     ("S1 is a switch", "switch"), ("BT1 is a battery", "cell"), ("U9 is a regulator", "regulator")],
)  # fmt: skip
def test_the_kind_of_a_part_can_be_said_in_a_word(line, kind):
    assert {kind} == {one for one, _ in _told(line).values()}
    canonical = read(line, context({})).said.canonical
    assert read(canonical, context({})).said.canonical == canonical


def test_a_resistor_is_asked_a_crystal_is_what_stands_on_it_and_a_test_point_has_one_pin():
    resistor = [made(PartTold, board="own", place="R1", number="4k7", sort="resistor")]
    choices = {one.canonical for one in read("R1 12k", context({}, resistor)).choices}
    assert {"R1 resistance 12k ohm", "R1 is 12k"} <= choices
    assert _told("X1 is 4 MHz", "X1 is a crystal")["X1"] == ("crystal", "4 MHz")
    assert _told("TP1 = U1.6", "U1 is Z80A")["TP1"][0] == "connector"
    own = [made(PartTold, board="own", place="U1", number="Z80A", sort="chip")]
    assert read("TP1 = U1.6", context({}, own)).said.canonical == "TP1.1 = U1.6"


@pytest.mark.parametrize(
    ("line", "kind", "fields"),
    [
        ("service out: C1", "extra_ticked", {"place": "C1", "sort": "usual service", "choice": "out"}),
        (
            "improve 5D: a label; back: peel it off",
            "extra_ticked",
            {"sort": "improvement", "choice": "in", "what": "a label", "back": "peel it off"},
        ),
        ("improve out 5D: a label", "extra_ticked", {"choice": "out", "what": "a label"}),
        ("heat sink in: 5D", "extra_ticked", {"sort": "heat sink", "choice": "in"}),
        ("5D has no heatsink", "part_told", {"sink": 0.0}),
        ("5D has a heat sink of 8,5 K/W", "part_told", {"sink": 8.5}),
        ("5D dissipates 750 mW", "part_told", {"heat": 0.75}),
        ("5D modified: a wire; back: cut it", "worked", {"action": "modified", "detail": "a wire; back: cut it"}),
        ("5D modification undone", "worked", {"action": "modification undone"}),
        ("donor: 74ls166 at 5D of GP-0099", "stocked", {"donor": "GP-0099", "risk": 0.1, "place": "donor GP-0099 5D"}),
        (
            "offer: 100u 25V from Quay & Sons at 0,40 each, shipping 4.5, at least 10, 3 days",
            "offered",
            {"shop": "Quay & Sons", "price": 0.4, "minimum": 10, "days": 3.0},
        ),
        ("order: 5D last", "decided", {"choice": "last"}),
        ("5D knocked off", "removed", {"place": "5D", "reason": "knocked off"}),
        ("C1 fell off", "removed", {"reason": "knocked off"}),
        ("5D was cut out", "removed", {"reason": "cut out"}),
        ("pad of 5D.3 lifted", "observed", {"finding": "track damaged", "pin": 3, "note": "pad lifted"}),
        ("5D.3 pad is gone", "observed", {"pin": 3}),
        ("5D fitted backwards", "observed", {"finding": "fitted reversed"}),
        ("reflow: 5D", "extra_ticked", {"sort": "reflow", "choice": "in"}),
        ("reflow out: 5D", "extra_ticked", {"choice": "out"}),
        ("board is coated", "decided", {"choice": "coated"}),
        ("C1 measures 98u hot", "measured", {"celsius": 55.0}),
        ("C1 measures 98u at -5 °C in circuit", "measured", {"celsius": -5.0, "in_circuit": True}),
    ],
)
def test_work_beyond_the_evidence_and_what_shops_and_donors_have(line, kind, fields):
    ((found, told),) = recorded(line)
    assert found == kind and {name: told[name] for name in fields} == fields


@pytest.mark.parametrize(
    "line",
    [
        "5D dissipates 0 W",
        "donor: 74LS00 at 5D of GP-0099, risk 400 %",
        "5D has a heat sink of 0 K/W",
        "C1 measures 98u at 400 C",
    ],
)
def test_heat_and_risks_that_cannot_be_are_refused(line):
    assert read(line).status == "refused"


def test_a_cut_track_takes_its_pins_apart_and_its_repair_joins_them_again():
    cut = recorded("track 5D.13 to 4E.15 cut")
    assert [kind for kind, _ in cut] == ["connected", "observed"] and not cut[0][1]["joined"] and cut[1][1]["pin"] == 13
    pins = {"first": cut[0][1]["first"], "second": cut[0][1]["second"]}
    apart = made(Connected, board=V, joined=False, **pins)
    line = "track 5D.13 to 4E.15 repaired with wire"
    assert [kind for kind, _ in recorded(line)] == ["worked"]
    again = recorded(line, context(entries=[apart]))
    assert [kind for kind, _ in again] == ["worked", "connected"] and again[1][1]["joined"]
