"""The simulated bench answers like a bench: through legs, with noise, and without telling what is wrong."""

import numpy as np
import pytest

from loyal_trace.core.boards.model import Part
from loyal_trace.core.boards.supplies import Cell
from loyal_trace.core.simulation.bench import Drive, HiddenFault, SimulatedBench, SupplyModel, state_of_stream
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.demo.images import program_image
from tests.helpers.builders import small_board

ROM = program_image("bench", 0x800)


def bench(library, *faults, seed=1, spares=None):
    parts = (
        *small_board().parts,
        Part("U3", "2716", "DIP-24", socketed=True),
        Part("BR1", "b", kind="bridge"),
        Part("F1", "2 A", kind="fuse"),
        Part("J1", "in", kind="connector"),
        Part("REG1", "r", kind="regulator"),
    )
    nets = (("A", (("U1", 3), ("U2", 1))), ("CK", (("U1", 1), ("U1", 2))), ("OUT", (("U2", 2), ("U1", 4))))
    board = small_board(parts=parts, nets=nets)
    drives = {"small": Drive(clock="CK")}
    return SimulatedBench(
        {"small": board},
        library,
        {("small", "U3"): ROM},
        tuple(faults),
        drives,
        SupplyModel(load=0.05),
        seed,
        bad_spares=spares,
    )


def fault(kind, refdes="U3", **more):
    return HiddenFault("small", refdes, kind, **more)


def test_a_good_rom_reads_as_programmed_every_time(library):
    ours = bench(library)
    assert ours.read_rom("small", "U3") == ROM == ours.read_rom("small", "U3")


@pytest.mark.parametrize(("pin", "line"), [(8, "A0"), (19, "A10"), (22, "A9")])
def test_an_open_address_leg_repeats_blocks(library, pin, line):
    data = np.frombuffer(bench(library, fault("pin-open", pin=pin, level=0)).read_rom("small", "U3"), np.uint8)
    index = np.arange(len(ROM)) & ~(1 << int(line[1:]))
    assert np.array_equal(data, np.frombuffer(ROM, np.uint8)[index])


def test_an_open_data_leg_sticks_its_lane_and_faded_cells_rise(library):
    stuck = np.frombuffer(bench(library, fault("pin-open", pin=9, level=1)).read_rom("small", "U3"), np.uint8)
    assert (stuck & 1).all() and np.array_equal(stuck & 0xFE, np.frombuffer(ROM, np.uint8) & 0xFE)
    faded = bench(library, fault("cells", offsets=(5, 6), bit=2)).read_rom("small", "U3")
    assert faded[5] == ROM[5] | 4 and faded[6] == ROM[6] | 4 and faded[7:] == ROM[7:]


def test_the_probe_follows_the_netlist_and_a_fault_inside_a_pin(library):
    assert [bench(library).probe("small", "U1", pin).state for pin in (1, 2, 3)] == ["P", "P", "P"]
    dead = bench(library, fault("pin-output-stuck", "U1", pin=3, level=0))
    assert dead.probe("small", "U1", 3).state == "L" and dead.probe("small", "U2", 2).state == "H"
    deaf = bench(library, fault("pin-input-stuck", "U1", pin=1, level=0))
    assert deaf.probe("small", "U1", 1).state == "P", "the leg still shows the line"
    assert deaf.probe("small", "U1", 3).state == "H"
    opened = bench(library, fault("pin-open", "U1", pin=3))
    assert opened.probe("small", "U1", 3).state == "Z"


def test_supply_pins_read_as_voltages_and_grounds_low(library):
    ours = bench(library)
    assert 4.7 < ours.probe("small", "U1", 14).voltage < 5.1 and ours.probe("small", "U1", 7).state == "L"


def test_a_dried_reservoir_ripples_more_and_measures_less(library):
    good, dried = bench(library), bench(library, fault("dried", "C1", factor=0.4))
    assert dried.measure("small", "C1", "ripple") > 2 * good.measure("small", "C1", "ripple")
    assert dried.measure("small", "C1", "capacitance") == pytest.approx(0.4e-3, rel=0.02)
    assert dried.measure("small", "C1", "esr") > 5 * good.measure("small", "C1", "esr")


def test_the_meter_is_noisy_but_repeatable_from_its_seed(library):
    first = [bench(library, seed=7).measure("small", "REG1", "voltage") for _ in range(2)]
    assert first[0] == first[1] != bench(library, seed=8).measure("small", "REG1", "voltage")


def test_a_blown_fuse_reads_open_and_nonsense_is_refused(library):
    assert bench(library, fault("blown", "F1")).measure("small", "F1", "resistance") == float("inf")
    assert bench(library).measure("small", "F1", "resistance") < 0.2
    for place, quantity in (("U9", "voltage"), ("F1", "esr"), ("C1", "wavelength")):
        with pytest.raises(RequestError):
            bench(library).measure("small", place, quantity)
    with pytest.raises(RequestError):
        bench(library).read_rom("small", "U1")
    with pytest.raises(RequestError):
        bench(library).probe("nowhere", "U1", 1)


def test_a_worn_socket_fails_about_as_often_as_it_should(library):
    ours = bench(library, fault("worn-socket", rate=0.3, code="ROM 3"))
    results = [ours.start() for _ in range(400)]
    assert 80 < sum(not clean for clean, _ in results) < 160
    assert {code for clean, code in results if not clean} == {"ROM 3"}


def test_renewing_takes_the_fault_away_and_a_bad_spare_brings_its_own(library):
    spare = {"drawer 3": fault("pin-output-stuck", "U1", pin=3, level=1)}
    ours = bench(library, fault("pin-output-stuck", "U1", pin=3, level=0), spares=spare)
    assert ours.probe("small", "U1", 3).state == "L"
    ours.replace_part("small", "U1", "drawer 3")
    assert ours.probe("small", "U1", 3).state == "H"
    ours.replace_part("small", "U1", "drawer 7")
    assert ours.probe("small", "U1", 3).state == "P"


def test_the_lamp_of_the_probe():
    def stream(*codes):
        return np.array(codes * 300, dtype=np.uint8)

    assert [state_of_stream(stream(*c)) for c in ((0,), (1,), (0, 1), (2,), (0, 2), (1, 2), (3, 0))] == list("LHPZPHX")


def test_a_fresh_cell_is_a_little_above_its_nominal_voltage(library):
    cell = Cell("BT1", nominal=3.6, low=2.0, capacity_ah=0.06, current=2e-6)
    board = small_board(parts=(*small_board().parts, Part("BT1", "3.6V", kind="cell")), cells=(cell,))
    ours = SimulatedBench({"small": board}, library, {}, (), {}, SupplyModel(load=0.05), 1)
    assert ours.measure("small", "BT1", "voltage") == pytest.approx(3.6 * 1.02, rel=0.01)
