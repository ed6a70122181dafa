"""May that capacitor go there? Value by role, voltage, kind, warmth, room and leads, at and beside each limit."""

from dataclasses import replace

import pytest

from loyal_trace.core.boards.model import KeepOut, Part
from loyal_trace.core.boards.supplies import Rail, Supply
from loyal_trace.core.parts.fitting import Fits, judge_fit, plain_place
from loyal_trace.core.parts.places import beside, place_on, warmer_at
from loyal_trace.core.parts.roles import Role, role_of, role_said
from loyal_trace.core.parts.spec import BIPOLAR, CapacitorSpec, parse_spec
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.resources import default_tables
from tests.helpers.builders import small_board

LIMITS = default_tables().capacitors


def fits(old, new, role=None, **place):
    found = replace(plain_place(parse_spec(old), role), **place)
    return judge_fit(found, parse_spec(new), LIMITS)


def of(aspect, found):
    return {check.aspect: check.verdict for check in found.checks}.get(aspect)


@pytest.mark.parametrize(
    ("role", "old", "new", "expected"),
    [
        (Role.BULK, "100u/16V", "100u/16V", "fits"),
        (Role.BULK, "100u/16V", "150u/16V", "fits"),
        (Role.BULK, "100u/16V", "220u/16V", "with-care"),
        (Role.BULK, "100u/16V", "330u/16V", "no"),
        (Role.BULK, "100u/16V", "47u/16V", "no"),
        (Role.BULK, "50u/16V", "47u/16V", "fits"),
        (Role.TIMING, "50u/16V", "47u/16V", "fits"),
        (Role.TIMING, "10u/16V", "12u/16V", "no"),
        (Role.RESET, "10u/16V", "22u/16V", "no"),
        (Role.COUPLING, "10u/16V", "15u/16V", "with-care"),
        (Role.COUPLING, "10u/16V", "22u/16V", "no"),
        (Role.CRYSTAL, "33p/50V", "68p/50V", "no"),
        (Role.CRYSTAL, "33p/50V", "33p/50V C0G", "fits"),
        (Role.RESERVOIR, "6800u/25V", "10000u/25V", "fits"),
        (Role.RESERVOIR, "6800u/25V", "15000u/25V", "no"),
        (Role.DECOUPLING, "100n/50V", "1u/50V ceramic X7R", "with-care"),
    ],
)
def test_the_role_decides_how_near_the_value_has_to_be(role, old, new, expected):
    assert fits(old, new, role).fits == expected


def test_a_role_that_was_only_guessed_is_called_a_guess():
    found = fits("33p/50V", "68p/50V")
    assert found.fits is Fits.NO and "crystal (guessed)" in found.reasons[0]
    assert "guessed" not in fits("33p/50V", "68p/50V", Role.CRYSTAL).reasons[0]


@pytest.mark.parametrize(
    ("old", "new", "volts", "expected"),
    [
        ("100u/16V", "100u/10V", None, "bad"),
        ("100u/16V", "100u/16V", None, "good"),
        ("100u/16V", "100u/63V", None, "good"),
        ("100u", "100u/10V", None, "not known"),
        ("100u/16V", "100u/25V tantalum", None, "bad"),
        ("100u/16V", "100u/35V tantalum", None, "good"),
        ("100u/16V", "100u/16V tantalum", 5.0, "good"),
        ("100u/16V", "100u/16V tantalum", 12.0, "bad"),
        ("100u/16V tantalum", "100u/16V tantalum", 12.0, "good"),
        ("100u/16V", "100u/20V polymer", None, "good"),
        ("100u/16V", "100u/16V polymer", None, "bad"),
    ],
)
def test_voltage_is_never_lower_and_tantalum_carries_half_its_rating(old, new, volts, expected):
    assert of("voltage", fits(old, new, Role.BULK, volts=volts)) == expected


@pytest.mark.parametrize(
    ("role", "old", "new", "expected"),
    [
        (Role.RESERVOIR, "1000u/16V", "1000u/35V tantalum", "bad"),
        (Role.BULK, "10u/16V", "10u/35V tantalum", "doubtful"),
        (Role.COUPLING, "10u/16V", "10u/35V tantalum", None),
        (Role.COUPLING, "10u/16V", "10u/50V film", "good"),
        (Role.TIMING, "10u/16V", "10u/50V polymer", "bad"),
        (Role.TIMING, "10u/16V tantalum", "10u/16V aluminium", "doubtful"),
        (Role.FILTER, "1u/50V film", "1u/50V aluminium", "bad"),
        (Role.TIMING, "1u/16V", "1u/50V ceramic X7R", "bad"),
        (Role.BULK, "10u/16V", "22u/50V ceramic X7R", "doubtful"),
        (Role.BULK, "10u/16V", "10u/25V", None),
    ],
)
def test_another_dielectric_is_judged_by_what_the_part_does(role, old, new, expected):
    assert of("kind", fits(old, new, role)) == expected


def test_a_ceramic_counts_by_what_is_left_of_it_under_its_voltage():
    assert of("value", fits("10u/16V", "10u/25V ceramic X7R", Role.BULK, volts=12.0)) == "bad"
    enough = fits("10u/16V", "15u/50V ceramic X7R", Role.BULK, volts=12.0)
    assert of("value", enough) == "good" and "left under its direct voltage" in " ".join(enough.reasons)
    assert of("value", fits("33p/50V", "33p/50V C0G", Role.CRYSTAL, volts=50.0)) == "good"


def test_a_polarised_part_never_goes_where_the_board_has_none():
    for kind in ("aluminium", "tantalum", "polymer"):
        assert of("polarity", fits("10u/16V BP", f"10u/50V {kind}", Role.COUPLING)) == "bad"
    assert of("polarity", fits("10u/16V BP", "10u/16V BP", Role.COUPLING)) is None
    assert of("polarity", fits("10u/16V", "10u/16V BP", Role.COUPLING)) == "good"


@pytest.mark.parametrize(
    ("new", "place", "expected"),
    [
        ("8x11", {"room_diameter": 8.0}, "doubtful"),
        ("8x11", {"room_diameter": 8.6}, "good"),
        ("8x11", {"room_diameter": 7.9}, "bad"),
        ("8x11", {"room_height": 11.0}, "good"),
        ("8x12", {"room_height": 11.0}, "doubtful"),
        ("8x12", {"room_height": 11.0, "room_diameter": 9.0}, "bad"),
        ("13x12", {"room_height": 11.0}, "bad"),
        ("", {"room_height": 11.0}, "not known"),
    ],
)
def test_room_across_and_upwards(new, place, expected):
    found = fits("100u/16V", f"100u/16V {new}", Role.BULK, **place)
    worst = [
        v
        for v in ("bad", "doubtful", "good", "not known")
        if v in {c.verdict for c in found.checks if c.aspect == "room"}
    ]
    assert worst[0] == expected
    if expected == "doubtful" and "room_height" in place:
        assert "lie down" in " ".join(found.reasons)


@pytest.mark.parametrize(
    ("old", "new", "aspect", "expected"),
    [
        ("100u/16V axial", "100u/16V radial", "leads", "doubtful"),
        ("100u/16V smd", "100u/16V radial", "leads", "doubtful"),
        ("100u/16V radial", "100u/16V smd", "leads", "bad"),
        ("100u/16V radial", "100u/16V snap-in", "leads", "bad"),
        ("100u/16V radial", "100u/16V radial", "leads", None),
        ("100u/16V pitch 5", "100u/16V pitch 5.5", "pitch", None),
        ("100u/16V pitch 5", "100u/16V pitch 3.5", "pitch", "doubtful"),
        ("100u/16V pitch 5", "100u/16V pitch 25", "pitch", "bad"),
        ("100u/16V low ESR", "100u/16V", "ESR", "doubtful"),
        ("100u/16V", "100u/16V esr 5", "ESR", "bad"),
        ("100u/16V", "100u/16V esr 0.2", "ESR", "good"),
        ("100u/16V 105C", "100u/16V 85C", "temperature", "doubtful"),
        ("100u/16V", "100u/16V 105C", "temperature", "good"),
        ("100u/16V", "100u/16V 65C", "temperature", "bad"),
    ],
)
def test_leads_resistance_and_warmth(old, new, aspect, expected):
    assert of(aspect, fits(old, new, Role.BULK)) == expected


@pytest.mark.parametrize(("ripple", "expected"), [("1.7A", "good"), ("1A", "doubtful"), ("0.9A", "bad")])
def test_a_reservoir_has_to_carry_the_ripple_of_its_load(ripple, expected):
    assert of("ripple", fits("4700u/25V", f"4700u/25V ripple {ripple}", Role.RESERVOIR, current=1.0)) == expected
    assert of("ripple", fits("4700u/25V", "4700u/25V", Role.RESERVOIR, current=1.0)) == "not known"


def hot_board():
    parts = [
        Part(
            "C1",
            "1000u 16V",
            "radial",
            "capacitor",
            30,
            60,
            value=1e-3,
            voltage=16,
            polarised=True,
            technology="aluminium",
            room_diameter=12.0,
        ),
        Part(
            "C2",
            "10u 16V",
            "radial",
            "capacitor",
            30,
            80,
            value=1e-5,
            voltage=16,
            polarised=True,
            technology="aluminium",
        ),
        Part("C3", "22p", "", "capacitor", 80, 80, value=22e-12),
        Part("C4", "1u", "", "capacitor", 90, 80, value=1e-6, polarised=True, technology="aluminium"),
        Part("C5", "10u", "", "capacitor", 95, 80, value=1e-5, polarised=True, technology="aluminium"),
        Part("Y1", "8MHz", "", "crystal", 80, 90, value=8e6),
        Part("REG1", "7805", "TO-220", "regulator", 30, 50),
    ]
    nets = (
        ("VCC", (("C1", 1), ("C2", 1), ("REG1", 3))),
        ("GND", (("C1", 2), ("C2", 2), ("C3", 2), ("C4", 2))),
        ("X1", (("C3", 1), ("Y1", 1))),
        ("RESET", (("C4", 1),)),
        ("OUT", (("C5", 1),)),
        ("SPK", (("C5", 2),)),
    )
    return small_board(
        parts=tuple(parts),
        nets=nets,
        rails=(Rail("+5 V", 5.0, 4.75, 5.25, "VCC"),),
        keep_outs=(KeepOut(0, 0, 100, 20, 70, "shield"),),
        supplies=(Supply(current=0.8, reservoir="C1"),),
    )


def test_the_board_says_what_a_place_asks_for():
    board = hot_board()
    place = place_on(board, board.part("C1"), LIMITS)
    assert (place.role.role, place.volts, place.current) == (Role.RESERVOIR, 5.0, 0.8)
    assert (place.room_diameter, place.room_height, place.room_why, place.warmer) == (12.0, 20, "shield", 15.0)
    assert warmer_at(board, board.part("C2"), LIMITS) == 7.0 and warmer_at(board, board.part("C5"), LIMITS) == 0.0
    assert beside(board, board.part("C1")) == (1e-5, ("C2",)) and beside(board, board.part("C5")) == (0.0, ())
    assert of("temperature", judge_fit(place, parse_spec("1000u/16V 85C"), LIMITS)) == "doubtful", "beside a regulator"
    unplaced = replace(board.part("C1"), placed=False)
    assert place_on(board, unplaced, LIMITS).room_height is None


@pytest.mark.parametrize(
    ("refdes", "role"),
    [("C1", Role.RESERVOIR), ("C2", Role.BULK), ("C3", Role.CRYSTAL), ("C4", Role.RESET), ("C5", Role.COUPLING)],
)
def test_the_role_is_guessed_from_the_nets_and_called_a_guess(refdes, role):
    board = hot_board()
    found = role_of(board, board.part(refdes))
    assert found.role is role and found.guessed is (refdes != "C1") and found.why
    assert role_of(board, replace(board.part(refdes), role="motor run")).role is Role.MOTOR, "what is said wins"


@pytest.mark.parametrize(
    ("text", "role"),
    [
        ("decoupling at the cell", Role.DECOUPLING),
        ("reset timing", Role.RESET),
        ("audio coupling", Role.COUPLING),
        ("input", None),
    ],
)
def test_roles_as_they_stand_on_parts_lists(text, role):
    assert role_said(text) is role


def test_a_capacitor_is_described_in_words():
    found = parse_spec("100u/25V tantalum 105 °C 6.3 x 11 mm pitch 2.5 ripple 120mA 2000 h low ESR ±20%")
    assert (found.value, found.voltage, found.technology, found.temperature) == (100e-6, 25, "tantalum", 105)
    assert (found.diameter, found.height, found.pitch, found.ripple) == (6.3, 11, 2.5, 0.12)
    assert (found.hours, found.series, found.tolerance, found.has_plus) == (2000, "low impedance", 0.2, True)
    assert parse_spec("1u 50V X7R").technology == "ceramic" and not parse_spec("1u 50V X7R").has_plus
    assert not parse_spec("10u 25V BP").has_plus and parse_spec("10u 25V BP").series == "bipolar"


@pytest.mark.parametrize(
    "text",
    [
        "",
        "hello",
        "100u/25V blue",
        "100u/0V",
        "100u/25V 0x11",
        "100u/25V pitch 900",
        "100u/25V 5x11 6x11",
        "0/16V",
        "100u/25V esr -1",
        "5F/99999V",
        "100u/16V esr 0",
        "100u/16V ripple 0mA",
    ],
)
def test_what_cannot_be_is_refused_by_name(text):
    with pytest.raises(RequestError):
        parse_spec(text)


@pytest.mark.parametrize(
    ("fields", "plus"),
    [
        ({"technology": "aluminium"}, True),
        ({"technology": "aluminium", "series": BIPOLAR}, False),
        ({"technology": "film"}, False),
        ({"technology": "tantalum", "polarised": False}, False),
        ({"technology": "film", "polarised": True}, True),
    ],
)
def test_a_capacitor_has_a_plus_by_its_kind_where_nobody_says_so(fields, plus):
    assert CapacitorSpec(1e-6, **fields).has_plus is plus
