"""What to order: value, voltage and rating, so that two parts of one name are not one thing to buy."""

import pytest

from loyal_trace.core.boards.model import Part
from loyal_trace.core.parts.marking import order_marking
from tests.helpers.lines import LIBRARY


@pytest.mark.parametrize(
    ("part", "order"),
    [
        (Part("F1", "fuse", kind="fuse", value=5.0), "5A"),
        (Part("F2", "glass slow", kind="fuse", value=8.0), "8A glass slow"),
        (Part("F3", "2A slow", kind="fuse", value=2.0), "2A slow"),
        (Part("C1", "100u 16V", kind="capacitor", value=1e-4, voltage=16.0), "100u 16V"),
        (Part("C2", "100u", kind="capacitor", value=1e-4, voltage=25.0), "100u 25V"),
        (Part("C3", "Elko", kind="capacitor", value=4.7e-5, voltage=35.0), "47uF 35V Elko"),
        (Part("R1", "", kind="resistor", value=4700.0), "4.7kΩ"),
        (Part("U1", "74LS138"), "74LS138"),
        (Part("REG1", "7805", kind="regulator", value=5.0), "7805"),
    ],
)
def test_an_order_names_value_voltage_and_rating(part, order):
    assert order_marking(part, LIBRARY) == order
