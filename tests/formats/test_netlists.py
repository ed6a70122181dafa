"""Netlists of the known kinds: parts, nets, positions, and everything that could not be used by name."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from loyal_trace.core.vocabulary.errors import LoyalTraceError, UserFileError
from loyal_trace.formats.netlists import is_netlist, read_netlist
from loyal_trace.formats.s_expressions import read_s_expression
from loyal_trace.resources import chip_library

EXPORT = """(export (version "E")
  (components
    (comp (ref "U1") (value "74LS138") (footprint "Package_DIP:DIP-16_W7.62mm"))
    (comp (ref "C1") (value "100u 16V") (footprint "Capacitor_THT:CP_Radial"))
    (comp (ref "J1") (value "edge \\"A\\"")))
  (nets
    (net (code "1") (name "/CS0") (node (ref "U1") (pin "15")) (node (ref "U2") (pin "20")))
    (net (code "2") (name "GND") (node (ref "U1") (pin "8")) (node (ref "C1") (pin "2")) (node (ref "J1") (pin "A1")))
    (net (code "3") (name "unconnected-(U1-Pad7)") (node (ref "U1") (pin "7")))))
"""


def pads(count, turn):
    """Pads of a DIP as a board file has them: pin 1 at its origin, the part lying upright in the library."""
    half = count // 2
    lines = []
    for pin in range(1, count + 1):
        x, y = (0, (pin - 1) * 2.54) if pin <= half else (7.62, (count - pin) * 2.54)
        lines.append(f'(pad "{pin}" thru_hole oval (at {x} {y:g} {turn}) (net {pin} "N{pin}"))')
    return " ".join(lines)


def board_file(turn):
    return f"""(kicad_pcb (version 20221018)
  (gr_line (start 100 50) (end 200 50) (layer "Edge.Cuts"))
  (gr_line (start 200 50) (end 200 130) (layer "Edge.Cuts"))
  (footprint "Package_DIP:DIP-16" (layer "F.Cu") (at 150 80 {turn})
    (property "Reference" "U1" (at 0 0)) (property "Value" "74LS138" (at 0 0)) {pads(16, turn)})
  (module "Package_DIP:DIP-14" (at 120 80 90) (fp_text reference U2 (at 0 0)) (fp_text value 74LS00 (at 0 0)) {pads(14, 90)})
  (footprint "MountingHole" (at 103 53)))"""


def record(net, part, pin, x, y):
    return f"317{net:<14}   {part:<6}-{pin:<4}D0320PA00X{x:+07d}Y{y:+07d}X0600Y0000R000S0"


RECORDS = "\n".join(
    [
        "C  test",
        "P  UNITS CUST 0",
        "P  NNAME1 /A_LONG_NAME_OF_A_NET",
        *(record(f"N{n}", "U1", n, 1000 * n, 5000) for n in range(1, 8)),
        *(record(f"N{n}", "U1", n, 1000 * (15 - n), 8000) for n in range(8, 15)),
        record("NNAME1", "U1", 3, 3000, 5000),
        record("NNAME1", "U2", 5, 9000, 9000),
        record("GND", "VIA", "", 100, 100),
        record("N/C", "U2", 6, 9000, 9900),
        "999",
    ]
)


def read(text, name):
    return read_netlist(text.encode(), name, chip_library())


def test_an_exported_netlist_gives_parts_and_nets_and_names_the_rest():
    found = read(EXPORT, "board.net")
    assert found.parts["U1"] | {} == {"refdes": "U1", "part": "74LS138", "kind": "chip", "package": "DIP-16"}
    assert float(found.parts["C1"]["value"]) == pytest.approx(1e-4) and found.parts["C1"]["voltage"] == "16.0"
    assert found.parts["J1"]["part"] == 'edge "A"'
    assert found.nets == {"CS0": [("U1", 15), ("U2", 20)], "GND": [("U1", 8), ("C1", 2)]}
    assert found.unused == ["1 net with only one pin", "pins without a number: J1.A1"]


@pytest.mark.parametrize(("turn", "rotation"), [(0, 90), (90, 0), (180, 270), (270, 180)])
def test_a_board_file_gives_the_middle_of_each_part_and_how_it_is_turned(turn, rotation):
    found = read(board_file(turn), "board.kicad_pcb")
    row = found.parts["U1"]
    assert found.outline == (100.0, 80.0) and row["rotation"] == str(rotation)
    # From pad 1 at (150, 80): half the length and half the width of the package, turned with it.
    along, across = 3.5 * 2.54, 3.81
    middle = {0: (across, along), 90: (along, -across), 180: (-across, -along), 270: (-along, across)}[turn]
    assert (float(row["x"]), float(row["y"])) == pytest.approx((50 + middle[0], 30 + middle[1]), abs=0.01)
    assert found.parts["U2"]["part"] == "74LS00" and found.nets["N3"] == [("U1", 3), ("U2", 3)]
    assert found.unused[0] == "1 footprint without a name (holes, marks)"


def test_test_records_give_nets_with_their_long_names_and_positions_with_y_upwards():
    found = read(RECORDS, "board.d356")
    assert found.nets == {"A_LONG_NAME_OF_A_NET": [("U1", 3), ("U2", 5)]}
    u1 = found.parts["U1"]
    assert u1["rotation"] == "0", "pin 1 at the lower left, counted to the right"
    assert float(u1["x"]) == pytest.approx(10 + 3 * 2.54, abs=0.01)
    assert float(u1["y"]) > float(found.parts["U2"]["y"])


@pytest.mark.parametrize(
    "text",
    [
        "net,part,pin\nD0,U1,9\nD0,U2,11\nX,U9,1\n,,\nD0,J1,A\n",
        "signal;pins\nD0;U1.9 U2-11 J1.A\nX;U9.1\n",
    ],
)
def test_a_table_of_pins_is_a_netlist(tmp_path, text):
    found = read(text, "pins.csv")
    assert found.nets == {"D0": [("U1", 9), ("U2", 11)]} and found.unused[-1] == "pins without a number: J1.A"
    path = tmp_path / "pins.csv"
    path.write_text(text)
    assert is_netlist(path)
    path.write_text("place,type\nU1,74LS00\n")
    assert not is_netlist(path)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        (EXPORT[:300], "line 7: a bracket is not closed"),
        (EXPORT.replace('"E")', '"E"))'), "not one list|one bracket too many"),
        ('(export (version "E)', "line 1: a text in quotes does not end"),
        ("(" * 300, "nested deeper"),
        ("(sheet a)", "neither a netlist nor"),
        ("(export)", "no part and no net"),
        ("hello", "known kind"),
    ],
)
def test_what_is_wrong_with_a_netlist_is_said_with_its_line(text, words):
    with pytest.raises(UserFileError, match=words):
        read(text, "board.net")


@given(st.recursive(st.text(min_size=1, max_size=6), lambda inner: st.lists(inner, max_size=4), max_leaves=30))
@settings(max_examples=60, deadline=None)
def test_what_is_written_as_an_s_expression_is_read_again(node):
    def written(one):
        if isinstance(one, list):
            return "(" + " ".join(map(written, one)) + ")"
        return '"' + one.replace("\\", "\\\\").replace('"', '\\"') + '"'

    assert read_s_expression(written([node]), "x") == [node]


@given(st.sampled_from([EXPORT, board_file(0), RECORDS]), st.integers(0, 3000), st.integers(1, 40))
@settings(max_examples=80, deadline=None)
def test_a_damaged_netlist_is_read_or_refused_in_words(text, at, length):
    damaged = text[:at] + text[at + length :]
    try:
        assert read(damaged, "board.net").words
    except LoyalTraceError as error:
        assert str(error)
