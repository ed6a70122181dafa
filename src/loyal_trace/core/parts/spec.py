"""What a capacitor is, as far as it is known: read from a marking, a drawer, a shop's line or the board.

`100u/25V tantalum 105C 6.3x11 pitch 2.5 ripple 120mA 2000h` is understood word by word; a word that means nothing is
named, never dropped.
"""

import math
import re
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from loyal_trace.core.boards.model import Part
from loyal_trace.core.parts.marks import Marking, capacitor_marking
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import parse_quantity, two_meanings

POLARISED = ("aluminium", "tantalum", "polymer")
_KINDS = {
    "aluminium": ("aluminium", "aluminum", "electrolytic", "alu"),
    "tantalum": ("tantalum", "tant", "ta"),
    "polymer": ("polymer", "solid"),
    "ceramic": ("ceramic", "mlcc", "disc"),
    "film": ("film", "polyester", "polypropylene", "polystyrene", "mkt", "mkp"),
    "mica": ("mica",),
    "trimmer": ("trimmer", "variable"),
    "paper": ("paper",),
}
_DIELECTRICS = ("C0G", "NP0", "X7R", "X5R", "X7S", "Y5V", "Z5U", "Z5V")
_MOUNTINGS = {
    "radial": ("radial", "rad"),
    "axial": ("axial", "ax"),
    "smd": ("smd", "surface", "smt"),
    "snap-in": ("snap-in", "snapin", "snap"),
    "chassis": ("chassis", "screw-terminal"),
}
LOW_IMPEDANCE, BIPOLAR = "low impedance", "bipolar"
_SERIES = {
    LOW_IMPEDANCE: ("low-esr", "lowesr", "low-impedance", "lowz", "low-z"),
    BIPOLAR: ("bipolar", "bp", "np", "non-polar", "nonpolar", "unpolarised", "non-polarised"),
}
_WORDS: dict[str, tuple[str, str]] = {
    **{word: ("technology", kind) for kind, words in _KINDS.items() for word in words},
    **{word: ("mounting", kind) for kind, words in _MOUNTINGS.items() for word in words},
    **{word: ("series", kind) for kind, words in _SERIES.items() for word in words},
}
_SIZE = re.compile(r"(?:Ø|d)?(\d+(?:[.,]\d+)?)x(\d+(?:[.,]\d+)?)(?:mm)?", re.IGNORECASE)
_TEMPERATURE = re.compile(r"(\d{2,3})(?:°?C|deg)", re.IGNORECASE)
_HOURS = re.compile(r"(\d{3,6})h(?:ours)?", re.IGNORECASE)
_TOLERANCE = re.compile(r"(?:±|\+/-|\+-)?(\d+(?:[.,]\d+)?)%")
_NAMED = re.compile(r"(?<![\w-])(pitch|ripple|esr|diameter|height|length)\s+(?=\S)", re.IGNORECASE)
_NAMED_WORD = re.compile(r"(pitch|ripple|esr|diameter|height|length)=(\S+)", re.IGNORECASE)
_UNITS = {"pitch": "mm", "diameter": "mm", "height": "mm", "length": "mm", "ripple": "A", "esr": "Ω"}
_FIELDS = {"length": "height"}
_LONGEST, _MOST_VOLTS = 300.0, 10_000.0
_FIGURE = r"\d+(?:[.,]\d+)?"
# One of the words that may follow value and rating in a line: an ESR or another share would have been measured.
DESCRIBING = (
    rf"(?:(?:{'|'.join(sorted((*_WORDS, *_DIELECTRICS), key=len, reverse=True))})(?![\w-])|"
    r"low[\s-]+(?:esr|impedance|z)|non[\s-]+polar(?:ised)?|surface\s+mount|"
    rf"(?:Ø|d)?{_FIGURE}\s*[x×]\s*{_FIGURE}(?:\s*mm)?|\d{{2,3}}\s*(?:°?C|deg)|\d{{3,6}}\s*h(?:ours)?|"
    rf"(?:±|\+/-|\+-)\s*{_FIGURE}\s*%|(?:1|2|5|10|20)\s*%|(?:pitch|ripple|diameter|height|length)[\s=]+{_FIGURE}\s*(?:mm|mA|A)?)"
)


@dataclass(frozen=True)
class CapacitorSpec:
    """A capacitor. Farad, volt, °C, hours of rated life at that temperature, ampere, ohm, millimetres; None: not known.

    `height` is the length of an axial one. `series` is low impedance, bipolar or empty (general purpose).
    """

    value: float | None = None
    voltage: float | None = None
    technology: str = ""
    polarised: bool | None = None
    dielectric: str = ""
    series: str = ""
    temperature: float | None = None
    hours: float | None = None
    ripple: float | None = None
    esr: float | None = None
    diameter: float | None = None
    height: float | None = None
    pitch: float | None = None
    mounting: str = ""
    tolerance: float | None = None

    @property
    def has_plus(self) -> bool:
        """Does it have a plus and a minus?"""
        if self.polarised is not None:
            return self.polarised
        return self.technology in POLARISED and self.series != BIPOLAR

    @property
    def is_electrolytic(self) -> bool:
        """Aluminium with a liquid electrolyte: what dries out."""
        return self.technology == "aluminium"


def parse_spec(text: str) -> CapacitorSpec:
    """The capacitor that words describe, value and voltage first; RequestError names the word that means nothing."""
    words = _words_of(text)
    if not words:
        raise RequestError(say("no capacitor is described; write, for example, 100u/25V 105C 6.3x11 pitch 2.5"))
    spec, rest = _marked(words, text)
    fields: dict[str, Any] = {}
    for word in rest:
        for name, value in _meant(word, text).items():
            if name in fields and fields[name] != value:
                raise RequestError(say("“{text}” gives the {name} twice", text=text, name=name))
            fields[name] = value
    spec = replace(spec, **fields)
    if spec.series == BIPOLAR:
        return replace(spec, polarised=False, technology=spec.technology or "aluminium")
    if "technology" in fields or spec.dielectric:
        kind = fields.get("technology") or "ceramic"
        return replace(spec, technology=kind, polarised=kind in POLARISED)
    return spec


def described_marking(text: str) -> Marking | None:
    """The marking of a capacitor with what else its sleeve or a list says: `10u 16V tantalum`, `100u/25V 105C 8x11`."""
    try:
        spec = parse_spec(text)
    except RequestError:
        return None
    words = _words_of(text)
    rest = _marked(words, text)[1]
    plain = capacitor_marking(joined(" ", words[: len(words) - len(rest)]))
    if plain is None:
        return None
    number = joined(" ", (plain.number, *(word.replace("=", " ") for word in rest)))
    kind = replace(plain, number=number, technology=spec.technology, polarised=spec.polarised)
    return replace(kind, diameter=spec.diameter, height=spec.height, pitch=spec.pitch)


def _words_of(text: str) -> list[str]:
    return _NAMED.sub(lambda m: f"{m[1]}=", _glued(text)).split()


def _glued(text: str) -> str:
    """Words that belong together written as one: `10 uF`, `10 x 16 mm`, `105 °C`, `low ESR`, `± 20 %`."""
    text = re.sub(r"(\d)\s*[x×]\s*(\d)", r"\1x\2", text)
    text = re.sub(r"(\d)\s+([pnuµμm]F)(?=\s|$)", r"\1\2", text, flags=re.IGNORECASE)
    text = re.sub(r"(\d)\s+(mm|°C|hours|h|%|mA|A|V|ohm|Ω)(?=\s|$)", r"\1\2", text)
    text = re.sub(r"\blow[\s-]+(esr|impedance|z)\b", r"low-\1", text, flags=re.IGNORECASE)
    text = re.sub(r"\bnon[\s-]+(polar(?:ised)?)\b", r"non-\1", text, flags=re.IGNORECASE)
    return re.sub(r"\b(surface)\s+mount\b", r"\1", text, flags=re.IGNORECASE).replace(";", " ")


def _marked(words: list[str], text: str) -> tuple[CapacitorSpec, list[str]]:
    """Value and voltage, which stand first in one or two words; the words that are left."""
    both = two_meanings(words[0])
    if both is not None:
        named = {"text": text, "small": both[0], "large": both[1]}
        raise RequestError(say("“{text}” can mean {small} or {large}; write it without the comma", **named))
    for count in (2, 1):
        found = capacitor_marking(joined(" ", words[:count])) if len(words) >= count else None
        if found is not None and (found.voltage is None or 0 < found.voltage <= _MOST_VOLTS):
            bipolar = found.technology == "aluminium" and not found.polarised
            spec = CapacitorSpec(found.value, found.voltage, found.technology, found.polarised)
            return (replace(spec, series=BIPOLAR) if bipolar else spec), words[count:]
    raise RequestError(say("“{text}” does not begin with a capacitor’s value and voltage, such as 100u/25V", text=text))


def _meant(word: str, text: str) -> dict[str, Any]:
    known = _WORDS.get(word.lower())
    if known is not None:
        return {known[0]: known[1]}
    if word.upper() in _DIELECTRICS:
        return {"dielectric": word.upper()}
    if size := _SIZE.fullmatch(word):
        return {"diameter": _length(size[1], text), "height": _length(size[2], text)}
    if named := _NAMED_WORD.fullmatch(word):
        name = named[1].lower()
        if _UNITS[name] == "mm":
            return {_FIELDS.get(name, name): _length(named[2].removesuffix("mm"), text)}
        return {name: _positive(parse_quantity(named[2], _UNITS[name]), text)}
    if (hot := _TEMPERATURE.fullmatch(word)) and 40 <= int(hot[1]) <= 200:
        return {"temperature": float(hot[1])}
    if hours := _HOURS.fullmatch(word):
        return {"hours": float(hours[1])}
    if (near := _TOLERANCE.fullmatch(word)) and 0 < float(near[1].replace(",", ".")) <= 100:
        return {"tolerance": float(near[1].replace(",", ".")) / 100}
    raise RequestError(say("“{word}” in “{text}” is not understood", word=word, text=text))


def _length(digits: str, text: str) -> float:
    found = parse_quantity(digits)
    if not 0 < found <= _LONGEST:
        raise RequestError(say("“{text}” has a size of {found:g} mm, which cannot be", text=text, found=found))
    return found


def _positive(value: float, text: str) -> float:
    if not 0 < value < math.inf:
        raise RequestError(say("“{text}” has a value that cannot be", text=text))
    return value


@lru_cache(maxsize=4096)
def spec_of_part(part: Part) -> CapacitorSpec:
    """What the board knows of a capacitor in its place."""
    value = part.value if part.value is not None and part.value > 0 else None
    words = f"{part.package} {part.number}".lower()
    mounting = next((kind for kind, names in _MOUNTINGS.items() if any(_has(words, name) for name in names)), "")
    series = next((kind for kind, names in _SERIES.items() if any(_has(words, name) for name in names)), "")
    dielectric = next((name for name in _DIELECTRICS if _has(words, name.lower())), "")
    technology = part.technology or ("ceramic" if dielectric else "aluminium" if part.polarised else "")
    printed = _printed(part.number)
    return CapacitorSpec(
        value,
        part.voltage,
        technology,
        part.polarised if technology else None,
        dielectric,
        series or (BIPOLAR if technology == "aluminium" and not part.polarised else ""),
        printed.temperature,
        printed.hours,
        printed.ripple,
        printed.esr,
        diameter=part.diameter,
        height=None,
        pitch=part.pitch,
        mounting=mounting,
        tolerance=printed.tolerance,
    )


def _printed(number: str) -> CapacitorSpec:
    """What the words of a marking say besides value and rating; nothing where they say something else."""
    try:
        return parse_spec(number)
    except RequestError:
        return CapacitorSpec()


def _has(words: str, name: str) -> bool:
    return re.search(rf"(?<![a-z]){re.escape(name)}(?![a-z])", words) is not None
