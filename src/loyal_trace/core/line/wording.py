"""The same said in another order of words: a verb first, a pin by its word, the place after the value, units in full.

Each is tried only where a line is nothing else. Where it is no line in the usual order either, it stays a note.
"""

import re
from collections.abc import Iterator

from loyal_trace.core.line.values import NUMBER

# “Replaced 5D with 74LS166” is “5D replaced with 74LS166”.
_VERB_FIRST = re.compile(
    r"(?P<verb>removed|replaced|reseated|reflowed|cleaned|lifted|resoldered)\s+(?P<parts>.+?)(?P<rest>\s+(?:with|from)\s.+)?",
    re.IGNORECASE,
)
# “5D pin 13 low” and “pin 13 of 5D low” are “5D.13 low”.
_PIN_AFTER = re.compile(r"(?P<place>\S+(?:\s\S+)?)\s+pin\s+(?P<pin>\d{1,3})(?P<rest>\b.*)", re.IGNORECASE)
_PIN_FIRST = re.compile(r"pin\s+(?P<pin>\d{1,3})\s+(?:of|at|on)\s+(?P<place>[^\s.]+)(?P<rest>\b.*)", re.IGNORECASE)
# “4.87V at 5D.13” is “5D.13 4.87V”.
_PLACE_LAST = re.compile(
    rf"(?:measured\s+|read\s+)?(?P<value>{NUMBER}\s*[a-zµΩ%°]*)\s+(?:at|on)\s+(?P<place>\S+(?:\s\S+){{0,3}})",
    re.IGNORECASE,
)
_UNITS = (
    (r"volts?", "V"),
    (r"amp(?:ere)?s?", "A"),
    (r"millivolts?", "mV"),
    (r"milliamps?", "mA"),
    (r"hertz", "Hz"),
    (r"kilohertz", "kHz"),
    (r"megahertz", "MHz"),
    (r"kilo-?ohms?", "kΩ"),
    (r"microfarads?", "uF"),
)
_UNIT = re.compile("|".join(rf"(?<=\d)\s*({word})\b" for word, _ in _UNITS), re.IGNORECASE)


def said_otherwise(head: str) -> Iterator[str]:
    """The line in the usual order of words, as far as it can be put so."""
    if found := _VERB_FIRST.fullmatch(head):
        yield f"{found['parts']} {found['verb']}{found['rest'] or ''}"
    plain = _UNIT.sub(lambda m: _UNITS[(m.lastindex or 1) - 1][1], head)
    if plain != head:
        yield plain
    for pattern in (_PIN_AFTER, _PIN_FIRST):
        if found := pattern.fullmatch(plain):
            yield f"{found['place']}.{found['pin']}{found['rest']}"
    if found := _PLACE_LAST.fullmatch(plain):
        place = found["place"]
        if pin := _PIN_AFTER.fullmatch(place) or _PIN_FIRST.fullmatch(place):
            place = f"{pin['place']}.{pin['pin']}"
        yield f"{place} {found['value']}"
