import pytest

from loyal_trace.core.chips.expressions import compile_expression, evaluate_tree
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.vocabulary.errors import RequestError


def test_every_type_has_a_whole_package_and_supply_pins(library):
    assert len(library.type_names) >= 24
    for name in library.type_names:
        chip = library.find(name)
        assert len(chip.pins) in (4, 6, 8, 9, 10, 14, 16, 18, 20, 22, 24, 28, 30, 32, 40, 48, 64), name
        if chip.family.name in ("ANALOGUE", "DRIVER"):
            continue  # resistor packs, arrays and opto-couplers have no supply of their own
        assert any(p.role == "power" for p in chip.pins) and any(p.role == "ground" for p in chip.pins), name


def test_logic_only_names_pins_and_stored_bits_that_exist(library):
    for name in library.type_names:
        chip = library.find(name)
        known = {p.name for p in chip.pins} | {r.bit for r in chip.registers}
        used = set().union(*(o.value.names for o in chip.outputs), *(r.reads for r in chip.registers), set())
        used |= {n for o in chip.outputs if o.enable for n in o.enable.names}
        assert used <= known, (name, used - known)


@pytest.mark.parametrize(
    ("printed", "family"), [("74LS00", "LS"), ("SN74HCT00N", "HCT"), ("74hc00", "HC"), ("7400", "TTL")]
)
def test_printed_names_are_found_with_their_family(library, printed, family):
    chip = library.find(printed)
    assert chip.title == "quad 2-input NAND gate" and chip.family.name == family


def test_vertical_sync_is_an_output_and_no_supply(library):
    assert [library.find("6845").pin(name).role for name in ("HSYNC", "VSYNC", "VCC")] == ["output", "output", "power"]
    sync = library.with_types('[OWN1]\ntitle = "sync"\npins = "VS GND A VCC"\nout = { VS = "A" }\n').find("OWN1")
    assert [pin.role for pin in sync.pins] == ["output", "ground", "input", "power"]


def test_an_unknown_chip_is_refused_by_name(library):
    with pytest.raises(RequestError, match="74LS9999"):
        library.find("74LS9999")


def number(chip, output_names, values):
    bits = [int(chip.output_of[n].value.evaluate(values)) for n in output_names]
    return sum(bit << i for i, bit in enumerate(bits))


def test_the_adder_adds(library):
    chip = library.find("74LS283")
    for a in range(16):
        for b in range(16):
            values = (
                {f"A{i + 1}": a >> i & 1 for i in range(4)} | {f"B{i + 1}": b >> i & 1 for i in range(4)} | {"C0": 1}
            )
            assert number(chip, ["S1", "S2", "S3", "S4", "C4"], values) == a + b + 1


def test_the_comparator_compares(library):
    chip = library.find("74LS85")
    for a in range(16):
        for b in range(16):
            values = {f"A{i}": a >> i & 1 for i in range(4)} | {f"B{i}": b >> i & 1 for i in range(4)}
            values |= {"IEQ": 1, "IGT": 0, "ILT": 0}
            assert number(chip, ["OLT", "OEQ", "OGT"], values) == (1 if a < b else 2 if a == b else 4)


def test_the_counter_counts_and_loads(library):
    chip = library.find("74LS161")
    for state in range(16):
        values = {f"q{c}": state >> i & 1 for i, c in enumerate("abcd")} | {"ENP": 1, "ENT": 1, "/LOAD": 1}
        values |= dict.fromkeys("ABCD", 1)
        following = sum(int(evaluate_tree(r.sync, values)) << i for i, r in enumerate(chip.registers))
        assert following == (state + 1) % 16
        loaded = sum(int(evaluate_tree(r.sync, {**values, "/LOAD": 0})) << i for i, r in enumerate(chip.registers))
        assert loaded == 15


@pytest.mark.parametrize("text", ["A + B", "__import__('os')", "A if B", "A.real", "A[0]", "A and B"])
def test_the_logic_language_takes_nothing_else(text):
    with pytest.raises(RequestError):
        compile_expression(text)


def test_pins_are_asked_for_by_number_from_one_to_the_last_and_by_name(library):
    chip = library.find("74LS00")
    assert chip.pin_number(1).number == 1 and chip.pin_number(14).name == "VCC" and chip.pin("GND").number == 7
    for number in (0, 15, -1):
        with pytest.raises(RequestError, match="14 pins"):
            chip.pin_number(number)
    with pytest.raises(RequestError, match="no pin called"):
        chip.pin("QX")


@pytest.mark.parametrize(("number", "rom"), [("2764", True), ("27C256", True), ("6116", False), ("74LS00", False)])
def test_content_is_held_by_memories_that_cannot_be_written_in_circuit(library, number, rom):
    assert library.find(number).is_rom is rom


@pytest.mark.parametrize("name", ["74S573", "74S572", "Z80APIO", "4016", "40174", "68B09E", "74LS573"])
def test_what_a_name_means_does_not_depend_on_how_much_of_the_library_was_read_before(library, name):
    """The texts are read one after the other, as far as a name asks for."""
    assert library.type_names
    assert ChipLibrary(*library._texts).find(name).title == library.find(name).title
    assert library.find("74S573").title == "1K by 4 PROM", "no latch of family S"
