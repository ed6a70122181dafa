"""Pins probed: `5D.13 low`, `5D 1=L 2=P 3=4.1V`; at Probe from the pin shown: `L`, `LHPPL`, `2MHz`."""

import re
from collections.abc import Iterable, Iterator

from loyal_trace.core.chips.levels import FAMILIES, Family
from loyal_trace.core.job.entries import GOOD_BOARD, NamedPart, PinSigned, PinsProbed, PinState, pin_state
from loyal_trace.core.job.free_run import FREE_RUN, MOST_CLOCKS, WINDOW, free_run_is_on
from loyal_trace.core.line.context import AskedPin, Planned, Refusal, Said
from loyal_trace.core.line.forms.papers import decided
from loyal_trace.core.line.forms.roms import signature_value
from loyal_trace.core.line.registry import Match, Scope, at, form, said
from loyal_trace.core.line.values import VALUE, possible, read_values, unit_of
from loyal_trace.core.probing.states import STATE_WORDS, PinReading, parse_state
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import plain
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import typed_quantity

_LETTERS = {word: letter for letter, word in STATE_WORDS.items() if letter != "?"}
_LETTERS |= {"lo": "L", "hi": "H", "stuck low": "L", "stuck high": "H", "toggling": "P"}
_STATE = "|".join(_LETTERS)
_MOST_VOLTS = 30.0
_GOOD = r"(?P<good>good\s+board:?\s+)?"
_WORD_TOO = ("PLL", "HP", "LP", "PH", "HZ", "XL", "XP", "HXL", "ZX")
_ASSIGNED = rf"(?:\d{{1,3}}|/?[A-Z][A-Z0-9/]*)\s*=\s*(?:[LHPXZ](?![\w.])|{_STATE}|{VALUE}\s*(?:V|Hz)?)"


def _family(scope: Scope, part: NamedPart) -> Family:
    number = scope.context.boards[part.board].part(part.refdes).number
    library = scope.context.library
    return library.find(number).family if library.knows(number) else FAMILIES["TTL"]


def _typed(pin: PinState) -> str:
    """A state as it can be typed again."""
    if pin.voltage is not None:
        return typed_quantity(pin.voltage, "V")
    return typed_quantity(pin.frequency, "Hz") if pin.frequency is not None else plain(STATE_WORDS[pin.state])


def _short(pin: PinState) -> str:
    return _typed(pin) if pin.voltage is not None or pin.frequency is not None else pin.state


def probed(scope: Scope, part: NamedPart, pins: tuple[PinState, ...], good: bool = False) -> Said:
    """Pins of one chip as a reading of the line; `good`: of a board known to work."""
    bare = NamedPart(board=part.board, refdes=part.refdes)
    in_free_run = {"free_run": True} if free_run_is_on(scope.context.snapshot) and not good else {}
    entry: Planned = at(PinsProbed, bare, pins=pins, **({"source": GOOD_BOARD} if good else {}), **in_free_run)
    head = "good board " if good else ""
    if len(pins) == 1 and pins[0].voltage is None and pins[0].frequency is None:
        return said(f"{head}{scope.named(bare)}.{pins[0].pin} {_typed(pins[0])}", entry)
    return said(f"{head}{scope.named(bare)} {' '.join(f'{pin.pin}={_short(pin)}' for pin in pins)}", entry)


@form(
    rf"{_GOOD}(?P<at><pin>)\s*(?:\s(?:is\s+)?|=\s*)(?P<state>[LHPXZ]|{_STATE})",
    "5D.13 low",
    "5D-13 low",
    "5D.13 is low",
    "5D.13 stuck high",
    stage=Stage.PROBE,
)
def pin_state_said(m: Match, scope: Scope) -> Iterable[Said]:
    """The state of one pin."""
    letter = _LETTERS.get(m["state"].lower(), m["state"].upper())
    for one in scope.places.find(m["at"]):
        yield probed(scope, one.one, (pin_state(one.one.pin or 1, PinReading(letter)),), bool(m["good"]))


@form(
    rf"{_GOOD}(?P<at><part>)\s+(?P<pins>{_ASSIGNED}(?:[\s,]+{_ASSIGNED})*)",
    "5D 1=L 2=P 3=4.1V",
    "good board 5D 1=L 2=P",
    stage=Stage.PROBE,
)
def pins_assigned(m: Match, scope: Scope) -> Iterable[Said]:
    """Several pins of one chip."""
    for one in scope.places.find(m["at"]):
        family = _family(scope, one.one)
        pins = tuple(_assigned(scope, one.one, text, family) for text in re.findall(_ASSIGNED, m["pins"], re.I))
        if len({pin.pin for pin in pins}) < len(pins):
            raise Refusal("pin-twice", place=one.one.refdes)
        yield probed(scope, one.one, pins, bool(m["good"]))


def _assigned(scope: Scope, part: NamedPart, text: str, family: Family) -> PinState:
    name, _, state = text.partition("=")
    number = scope.places.pin(part.board, part.refdes, name.strip())
    return pin_state(number or 1, _reading(state.strip(), family))


def _reading(text: str, family: Family) -> PinReading:
    if text.lower() in _LETTERS:
        return PinReading(_LETTERS[text.lower()])
    try:
        return parse_state(re.sub("hz$", "Hz", text, flags=re.I), family)
    except RequestError:
        raise Refusal("impossible-value", value=text, quantity="pin state") from None


@form(
    rf"{_GOOD}(?P<at><pin>)\s+sig(?:nature)?\s+(?P<sig>\S{{2,8}})",
    "5D.13 sig 7A5F",
    "5D.13 sig unstable",
    "good board 5D.13 sig 7A5F",
    stage=Stage.PROBE,
)
def pin_signature(m: Match, scope: Scope) -> Iterable[Said]:
    """What a signature tester shows at a pin, with the processor in free run; unstable when it never comes twice."""
    text = m["sig"].upper()
    value = None if text == "UNSTABLE" else signature_value(scope, text)
    source = {"source": GOOD_BOARD} if m["good"] else {}
    for one in scope.places.find(m["at"]):
        bare = NamedPart(board=one.one.board, refdes=one.one.refdes)
        head, shown = "good board " if m["good"] else "", "unstable" if value is None else text
        words = f"{head}{scope.named(bare)}.{one.one.pin} sig {shown}"
        yield said(words, at(PinSigned, bare, pin=one.one.pin or 1, value=value, **source))


@form(r"free\s+run(?:\s*:)?\s+(?P<state>on|off)", "free run: on", "free run: off", stage=Stage.PROBE)
def free_run(m: Match, scope: Scope) -> Iterable[Said]:
    """The processor only counts through its addresses (or no longer): what is probed now is held against that."""
    yield decided(f"free run: {m['state'].lower()}", FREE_RUN, m["state"].lower())


@form(
    r"signature\s+window\s*:\s*(?P<clocks>\d{1,9})(?:\s+clocks)?", "signature window: 65536 clocks", stage=Stage.PROBE
)
def signature_window(m: Match, scope: Scope) -> Iterable[Said]:
    """Over how many clocks of the processor the tester takes a signature."""
    clocks = int(m["clocks"])
    if not 16 <= clocks <= MOST_CLOCKS:
        raise Refusal("impossible-value", value=m["clocks"], quantity="signature window")
    yield decided(f"signature window: {clocks} clocks", WINDOW, str(clocks))


@form(r"(?P<states>[LHPXZ]{1,40})", "L", "LHPPL", stage=Stage.PROBE, bare=True)
def states_asked_for(m: Match, scope: Scope) -> Iterable[Said]:
    """States from the pin that is shown on, one letter a pin. Letters that are a word too are asked."""
    asked = scope.context.asked
    if not isinstance(asked, AskedPin):
        return
    states = m["states"].upper()
    if len(states) > len(asked.pins):
        raise Refusal("too-many-pins", place=asked.place.refdes, left=str(len(asked.pins)))
    pins = tuple(pin_state(pin, PinReading(state)) for pin, state in zip(asked.pins, states, strict=False))
    yield probed(scope, NamedPart(board=asked.place.board, refdes=asked.place.refdes), pins)
    if states in _WORD_TOO:
        raise Refusal("word-too", word=m["states"])


@form(rf"(?P<value>{VALUE}\s*(?:V|Hz)?)", "2MHz", stage=Stage.PROBE, bare=True)
def level_asked_for(m: Match, scope: Scope) -> Iterable[Said]:
    """A voltage or a frequency of the pin that is shown."""
    asked = scope.context.asked
    if isinstance(asked, AskedPin) and asked.pins:
        yield from _level(scope, asked, m["value"])


def _level(scope: Scope, asked: AskedPin, text: str) -> Iterator[Said]:
    part = NamedPart(board=asked.place.board, refdes=asked.place.refdes)
    unit = unit_of(text) or "V"
    quantity = Quantity.FREQUENCY if unit == "Hz" else Quantity.VOLTAGE
    for value in read_values(text, unit):
        if possible(quantity, value) and (unit == "Hz" or abs(value) <= _MOST_VOLTS):
            found = _reading(typed_quantity(value, unit), _family(scope, part))
            yield probed(scope, part, (pin_state(asked.pins[0], found),))
        elif unit_of(text):
            raise Refusal("impossible-value", value=text.strip(), quantity="pin state")
