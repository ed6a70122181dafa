"""How large parts are drawn and where their pins are, in millimetres."""

import pytest

from loyal_trace.core.boards.model import Part
from loyal_trace.core.boards.outline import body_size, pin_count, pin_places


@pytest.mark.parametrize(
    ("part", "size"),
    [
        (Part("U1", "x", "DIP-14"), (20.78, 12.5)),
        (Part("U1", "x", "DIP-28"), (38.56, 19.0)),
        (Part("U1", "x", "DIP-14", rotation=90), (12.5, 20.78)),
        (Part("U1", "x", "DIP-14", rotation=180), (20.78, 12.5)),
        (Part("U1", "x"), (22.0, 12.5)),
        (Part("C1", "x", "", "capacitor"), (9.5, 5.5)),
        (Part("C1", "x", "", "capacitor", polarised=True), (12.0, 12.0)),
        (Part("C1", "x", "", "capacitor", polarised=True, diameter=18.0), (18.0, 18.0)),
        (Part("J1", "x", "HDR-10", "connector"), (23.0, 11.0)),
        (Part("J1", "x", "HDR-98", "connector"), (150.0, 11.0)),
        (Part("J1", "x", "", "connector"), (24.0, 9.0)),
        (Part("J1", "12-pin header", "", "connector"), (34.48, 9.0)),
        (Part("VR1", "x", "", "control"), (12.0, 12.0)),
        (Part("R1", "x", "", "resistor"), (10.0, 6.0)),
        (Part("V1", "x", "", "via"), (2.0, 2.0)),
    ],
)
def test_a_part_is_as_large_as_its_package_or_its_kind(part, size):
    assert body_size(part) == (pytest.approx(size[0]), pytest.approx(size[1]))


def test_pins_run_along_the_lower_row_and_back_along_the_upper_one():
    places = pin_places(Part("U1", "x", "DIP-14", x=50, y=30))
    assert len(places) == 14 and places[1] == (pytest.approx(50 - 3 * 2.54), pytest.approx(30 + 3.81))
    assert places[7] == (pytest.approx(50 + 3 * 2.54), pytest.approx(30 + 3.81))
    assert places[8] == (pytest.approx(50 + 3 * 2.54), pytest.approx(30 - 3.81))
    assert places[14] == (pytest.approx(50 - 3 * 2.54), pytest.approx(30 - 3.81))
    wide = pin_places(Part("U1", "x", "DIP-28"))
    assert wide[1][1] - wide[28][1] == pytest.approx(15.2)


def test_a_turned_chip_takes_its_pins_with_it():
    here = pin_places(Part("U1", "x", "DIP-14", x=0, y=0))[1]
    for quarter, expected in ((1, (-here[1], here[0])), (2, (-here[0], -here[1])), (3, (here[1], -here[0]))):
        turned = pin_places(Part("U1", "x", "DIP-14", x=0, y=0, rotation=90 * quarter))[1]
        assert turned == (pytest.approx(expected[0]), pytest.approx(expected[1]))
    assert pin_places(Part("C1", "x", "", "capacitor")) == {}


@pytest.mark.parametrize(("package", "pins"), [("DIP-28", 28), ("PLCC44", 44), ("", 0), ("TO-220-3", 3)])
def test_the_number_that_ends_a_package_is_its_pin_count(package, pins):
    assert pin_count(Part("U1", "x", package)) == pins
