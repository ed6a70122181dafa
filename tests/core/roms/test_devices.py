"""Memory types and what stands in for one; what each technology allows."""

import re

import pytest

from loyal_trace.core.roms.devices import access_budget, fit, placed
from loyal_trace.core.roms.programming import CHANGED, programming
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.resources import chip_library, memory_types

TYPES = memory_types()


@pytest.mark.parametrize("kind", TYPES.all, ids=lambda kind: kind.name)
def test_every_type_has_the_pins_its_size_needs(kind):
    lines = [int(a[1:]) for a in kind.address_lines]
    assert lines == list(range(kind.size.bit_length() - 1)), "one address line for every doubling"
    assert len(kind.pins) in (16, 20, 24, 28, 32) and sum(bool(re.fullmatch(r"D[0-7]", p)) for p in kind.pins) == 8
    assert kind.pins.count("GND") == kind.pins.count("VCC") == 1 and kind.technology in CHANGED
    assert list(kind.access) == sorted(kind.access, reverse=True) and kind.access


@pytest.mark.parametrize("name", ["27C64", "27C128", "27C256", "2716", "2732", "74288"])
def test_the_pins_agree_with_the_chip_library(name):
    ours = [pin.replace("NC", "") for pin in TYPES.find(name).pins]
    theirs = [re.sub(r"^NC\d*$", "", pin.name) for pin in chip_library().find(name).pins]
    if name == "2732":
        assert ours[19] == "/OE" and theirs[19] == "/OE"
    assert ours == theirs


def wiring(old, new):
    return {pin.device: pin.wiring for pin in fit(TYPES.find(old), TYPES.find(new)).pins}


def test_a_mask_rom_in_24_pins_needs_an_adapter_and_says_where_each_pin_goes():
    found = wiring("2364", "27C64")
    assert found["A12"] == "to socket pin 21 (A12)" and found["A11"] == "to socket pin 18 (A11)"
    assert found["/CE"].startswith("to socket pin 20 (CS1") and found["/OE"] == "" and found["/PGM"] == "to VCC"
    assert "polarity" in " ".join(fit(TYPES.find("2364"), TYPES.find("27C64")).cautions)


@pytest.mark.parametrize("old", ["2316", "2332", "2364"])
def test_every_select_of_a_mask_rom_reaches_an_enable_or_is_named_as_left_over(old):
    """One that is forgotten lets two devices drive the bus at once."""
    old = TYPES.find(old)
    for found in TYPES.substitutes(old):
        wired = {pin.device: pin.wiring or pin.socket for pin in found.pins if pin.device in ("/CE", "/OE")}
        named = " ".join((*wired.values(), *(words for words in found.cautions if "has no enable for" in words)))
        assert all(select in named for select in old.pins if select.startswith("CS")), found.new.name
    assert wiring("2332", "2732")["/CE"] == "to socket pin 21 (CS2; check its polarity)"
    assert wiring("2332", "2732")["/OE"] == "" and not any(
        "no enable" in c for c in fit(TYPES.find("2332"), TYPES.find("2732")).cautions
    )


STEADY = {"VCC", "GND", "VPP", "/PGM", "/WE", "NC"}


def may_reach(pin, old):
    """What a pin of a substitute may end at, from what it does: the rules of the bench, not those of the program."""
    if re.match(r"A\d+$", pin):
        return {pin} if pin in old.pins else STEADY
    if pin in ("/CE", "/OE"):
        return {one for one in old.pins if re.match(r"/?C[SE]|/OE|/[EG]", one)} | (
            {"GND"} if pin not in old.pins else set()
        )
    return {"VPP": {"VCC", "VPP"}, "/PGM": {"VCC", "/PGM", "/WE", "VPP"}, "/WE": {"VCC", "/PGM", "/WE", "VPP"}}.get(
        pin, {pin}
    )


@pytest.mark.parametrize("old", TYPES.all, ids=lambda old: old.name)
def test_every_pin_of_every_substitute_reaches_what_it_needs(old):
    for found in TYPES.substitutes(old):
        listed = {pin.device_pin: pin.wiring for pin in found.pins}
        for number, pin in enumerate(found.new.pins, start=1):
            hole = number - (len(found.new.pins) - len(old.pins)) // 2
            below = old.pins[hole - 1] if 1 <= hole <= len(old.pins) else ""
            wire = re.search(r"\((\S+?)[;)]|to (VCC|GND)", listed.get(number, ""))
            ends = below if not listed.get(number) else (wire[2] or wire[1] if wire else "")
            ends = "GND" if "to GND" in listed.get(number, "") else ends
            assert pin == "NC" or ends in may_reach(pin, old), (found.new.name, number, pin, ends)


def test_a_device_that_needs_a_supply_which_the_socket_has_not_is_no_substitute():
    assert wiring("74S288", "2708")["VBB"] == "no VBB in this socket"
    for old in ("74S288", "74S472"):
        assert all("VBB" not in found.new.pins for found in TYPES.substitutes(TYPES.find(old)))


def test_a_larger_device_takes_the_image_repeated_and_ties_only_what_would_float():
    assert wiring("27C64", "27C128") == {"A13": "to GND (address line the socket has not)"}
    assert wiring("27C128", "27C256") == {"A14": ""}, "the programming pin is steady, and the image is repeated"
    assert placed(b"ab", 8) == b"abababab"
    for image in (b"", b"abc"):
        with pytest.raises(RequestError):
            placed(image, 8)


def test_the_three_supplies_of_an_old_type_are_kept_from_its_substitute():
    found = fit(TYPES.find("2708"), TYPES.find("2716"))
    assert "−5 V on pin 21" in found.cautions[0] and found.adapter
    assert {pin.socket_pin for pin in found.pins} >= {19, 21}


def test_substitutes_are_ranked_by_speed_wires_and_programming_and_never_too_small():
    old = TYPES.find("27C64-15")
    fits = TYPES.substitutes(old, access_budget(4e6))
    assert [f.new.name for f in fits[:2]] == ["2764", "28C64"] or fits[0].new.name in ("2764", "27128", "28C64")
    assert all(f.new.size >= old.size and f.new.technology != "mask" for f in fits)
    slow = TYPES.substitutes(old, access_budget(12e6))
    assert access_budget(12e6) == pytest.approx(2 / 12e6 - 60e-9)
    assert [f.fast_enough for f in slow] == sorted((f.fast_enough for f in slow), reverse=True)
    assert any("too slow in every grade" in " ".join(f.cautions) for f in slow)
    with pytest.raises(RequestError):
        access_budget(0.0)


def test_unknown_types_are_refused_with_those_known():
    with pytest.raises(RequestError, match="known: 2708"):
        TYPES.find("27X99")


@pytest.mark.parametrize(
    ("technology", "image", "reference", "how"),
    [
        ("mask", b"\x01", b"\x00", "replace"),
        ("fuse", b"\x01", b"\x00", "replace"),
        ("otp", b"\x01", b"\x00", "over"),
        ("otp", b"\x00", b"\x01", "replace"),
        ("eeprom", b"\x00", b"\x01", "rewrite"),
        ("eprom", b"\x00", b"\x01", "erase"),
        ("mask", b"\x01", b"\x01", "nothing"),
    ],
)
def test_each_technology_is_put_right_in_its_own_way(technology, image, reference, how):
    assert programming(image, reference, technology).how == how
