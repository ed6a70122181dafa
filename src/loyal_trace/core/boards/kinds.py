"""What kind of part a reference designator stands for, when nothing better is known. Always a guess."""

import re

_KIND = {
    "F": "fuse",
    "BR": "bridge",
    "DB": "bridge",
    "D": "diode",
    "REG": "regulator",
    "VR": "regulator",
    "C": "capacitor",
    "L": "inductor",
    "R": "resistor",
    "RA": "network",
    "RN": "network",
    "J": "connector",
    "P": "connector",
    "CN": "connector",
    "TP": "connector",
    "Q": "transistor",
    "TR": "transistor",
    "Y": "crystal",
    "XT": "crystal",
    "X": "crystal",
    "SW": "switch",
    "S": "switch",
    "BT": "cell",
    "BAT": "cell",
    "T": "transformer",
    "K": "relay",
    "LED": "diode",
    "LD": "diode",
    "LP": "other",
    "DS": "other",
    "Z": "unknown",
}
UNITS = {
    "fuse": "A",
    "capacitor": "F",
    "regulator": "V",
    "resistor": "Ω",
    "network": "Ω",
    "crystal": "Hz",
    "inductor": "H",
}


def kind_of(refdes: str) -> str:
    """The kind of part that its reference designator stands for; a place such as 4F is a chip."""
    letters = re.match(r"[A-Za-z]*", refdes)
    return _KIND.get((letters[0] if letters else "").upper(), "chip")
