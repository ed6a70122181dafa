"""Measured: `5D.13 4.87V`, `C1 measures 51u esr 5 loss 12%`, `BR1 diode 3 OL`, `rail +5 to ground 4.2 ohm red`."""

import math
import re
from collections.abc import Iterable, Iterator
from itertools import product

from loyal_trace.core.job.entries import (
    GOOD_BOARD,
    OLD_PART,
    Lifted,
    Measured,
    NamedPart,
    number_or_overload,
)
from loyal_trace.core.line.context import (
    Planned,
    Refusal,
    Said,
)
from loyal_trace.core.line.registry import Match, Scope, about, form, said
from loyal_trace.core.line.values import NUMBER, UNIT, VALUE, possible, read_values, typed_value, unit_of
from loyal_trace.core.parts.marking import parse_marking
from loyal_trace.core.parts.spec import DESCRIBING
from loyal_trace.core.vocabulary.quantities import OF_CAPACITORS, Quantity
from loyal_trace.core.vocabulary.stages import Stage

_GOOD = r"(?P<good>good\s+board:?\s+)?"
READING = rf"(?:{VALUE}\s*{UNIT}?|OL)"
_BY_UNIT = {
    "V": Quantity.VOLTAGE,
    "Ω": Quantity.RESISTANCE,
    "Hz": Quantity.FREQUENCY,
    "F": Quantity.CAPACITANCE,
    "A": Quantity.CURRENT,
    "H": Quantity.INDUCTANCE,
    "°C": Quantity.TEMPERATURE,
}
_BY_WORD = {
    "ac": Quantity.AC_VOLTAGE,
    "ac voltage": Quantity.AC_VOLTAGE,
    "voltage": Quantity.VOLTAGE,
    "dc": Quantity.VOLTAGE,
    "ripple": Quantity.RIPPLE,
    "ripple frequency": Quantity.RIPPLE_FREQUENCY,
    "resistance": Quantity.RESISTANCE,
    "frequency": Quantity.FREQUENCY,
    "capacitance": Quantity.CAPACITANCE,
    "esr": Quantity.ESR,
    "leakage": Quantity.LEAKAGE,
    "current": Quantity.CURRENT,
    "rating": Quantity.RATING,
    "temperature": Quantity.TEMPERATURE,
    "inductance": Quantity.INDUCTANCE,
    "track": Quantity.TRACK,
    "diode": Quantity.DIODE,
    "reset time": Quantity.RESET_TIME,
    "to ground": Quantity.TO_GROUND,
    "to ground reversed": Quantity.TO_GROUND_REVERSED,
}
_WORDS = "|".join(sorted((word.replace(" ", r"\s+") for word in _BY_WORD), key=len, reverse=True))
_TYPED_WORD = {
    Quantity.AC_VOLTAGE: "ac",
    Quantity.RIPPLE: "ripple",
    Quantity.RIPPLE_FREQUENCY: "ripple frequency",
    Quantity.ESR: "esr",
    Quantity.LOSS: "loss",
    Quantity.LEAKAGE: "leakage",
    Quantity.RATING: "rating",
    Quantity.TRACK: "track",
    Quantity.DIODE: "diode",
    Quantity.RESET_TIME: "reset time",
    Quantity.TO_GROUND: "to ground",
    Quantity.TO_GROUND_REVERSED: "to ground reversed",
    Quantity.CAPACITANCE: "capacitance",
    Quantity.TEMPERATURE: "temperature",
    Quantity.CURRENT: "current",
    Quantity.RESISTANCE: "resistance",
    Quantity.INDUCTANCE: "inductance",
}
_OFF = (
    Quantity.RESISTANCE,
    Quantity.TO_GROUND,
    Quantity.TO_GROUND_REVERSED,
    Quantity.DIODE,
    Quantity.CONTINUITY,
    Quantity.TRACK,
    Quantity.RATING,
    *OF_CAPACITORS,
)


def reading(board: str, point: str, quantity: Quantity, value: float, **more: object) -> Planned:
    """One number as an entry."""
    number, overload = number_or_overload(value)
    powered = {"powered": quantity not in _OFF}
    return about(
        Measured, board, place=point, quantity=quantity, value=number, overload=overload, **{**powered, **more}
    )


def typed_reading(name: str, quantity: Quantity, value: float) -> str:
    """A reading said in full."""
    word = _TYPED_WORD.get(quantity, "")
    return f"{name} {word} {typed_value(value, quantity)}".replace("  ", " ")


def _sign(values: list[float], quantity: Quantity) -> list[float]:
    """Values that can be; when none can, the same without the sign, to be asked."""
    good = [value for value in values if possible(quantity, value)]
    return good or [abs(value) for value in values if possible(quantity, abs(value))]


def _readings(scope: Scope, place: str, quantity: Quantity, text: str, good: bool = False) -> Iterator[Said]:
    """Every reading that a place and a value can mean. An impossible value is offered for what it might have been.

    `good`: of a board known to work, which this one is held against.
    """
    values = read_values(text, quantity.unit)
    possible_ones = _sign(values, quantity)
    if values and not possible_ones:
        raise Refusal("impossible-value", value=text.strip(), quantity=quantity.value)
    doubtful = bool(values) and not any(possible(quantity, value) for value in values)
    for board, point in scope.places.points(place):
        for value in possible_ones:
            whole = f"{'good board ' if good else ''}{typed_reading(scope.point(board, point), quantity, value)}"
            more = {"source": GOOD_BOARD} if good else {}
            yield said(whole, reading(board, point, quantity, value, **more))
            if doubtful:
                raise Refusal("impossible-value", value=text.strip(), quantity=quantity.value, instead=whole)


@form(
    rf"{_GOOD}(?P<at><point>)(?:\s*=\s*|\s+(?:(?P<being>is)\s+|(?:reads|measures)\s+)?)(?P<value>{VALUE}\s*{UNIT})",
    "5D.13 4.87V",
    "good board 5D.13 4.95V",
    "F1 0.08 ohm",
    "Y1.1 8.002MHz",
    stage=Stage.RAILS,
)
def value_at_a_point(m: Match, scope: Scope) -> Iterable[Said]:
    """A value with its unit at a point: the unit says what was measured."""
    unit = unit_of(m["value"])
    if unit not in _BY_UNIT or (m["being"] and unit == "Hz" and _is_crystal(scope, m["at"])):
        return
    yield from _readings(scope, m["at"], _BY_UNIT[unit], m["value"], bool(m["good"]))
    # On a board with a grid, 5A and 5F are places as well as five ampere and five farad.
    typed = m["value"].replace(" ", "")
    if any(typed.casefold() in names for names in scope.places.refdes.values()):
        raise Refusal("place-too", word=typed)


def _is_crystal(scope: Scope, place: str) -> bool:
    """A crystal without a pin: what it *is* stands on it; what is measured is measured at one of its pins."""
    found = [(scope.context.boards[board], point) for board, point in scope.places.points(place)]
    return any(board.has(point) and board.part(point).kind == "crystal" for board, point in found)


@form(
    rf"{_GOOD}(?P<at><point>)\s+(?:(?P<word>{_WORDS})\s*=?\s*(?P<value>{READING}|{NUMBER}\s?R)|"
    rf"(?P<first>{VALUE}\s*{UNIT}|{NUMBER}\s?R)\s+(?P<after>{_WORDS}))",
    "J1 ac 8.6V",
    "C1 esr 12R",
    "C1 12 ohm esr",
    "C1 esr=5",
    "5D.13 to ground 4k3",
    stage=Stage.RAILS,
)
def quantity_at_a_point(m: Match, scope: Scope) -> Iterable[Said]:
    """A quantity by its name."""
    quantity = _BY_WORD[" ".join((m["word"] or m["after"]).lower().split())]
    value = m["value"] or m["first"]
    if value[-1] in "rR" and quantity.unit != "Ω":
        return  # 12R is a resistance, whatever it is called
    yield from _readings(scope, m["at"], quantity, value, bool(m["good"]))


_CAN_BE_OPEN = ("fuse", "resistor", "network", "inductor", "diode", "switch", "transformer")


@form(r"(?P<at><point>)\s+(?:(?:reads\s+)?OL|(?:is\s+)?(?P<word>open|blown))", "F1 OL", "F1 open", stage=Stage.RAILS)
def open_at_a_point(m: Match, scope: Scope) -> Iterable[Said]:
    """A meter's OL: an open line, in ohms or at the diode test."""
    for one in scope.places.find(m["at"]):
        part = scope.context.boards[one.board].part(one.one.refdes)
        if m["word"] and part.kind not in _CAN_BE_OPEN:
            continue
        diode = part.kind in ("diode", "bridge", "transistor")
        for quantity in (Quantity.DIODE, Quantity.RESISTANCE) if diode else (Quantity.RESISTANCE,):
            yield said(
                typed_reading(scope.named(one.one), quantity, math.inf),
                reading(one.board, one.one.name, quantity, math.inf),
            )


@form(
    rf"(?P<at><part>)\s+diode\s+(?P<pin>\d{{1,2}})\s*[:=]?\s+(?P<value>{READING})", "BR1 diode 3 OL", stage=Stage.RAILS
)
def diode_of_a_bridge(m: Match, scope: Scope) -> Iterable[Said]:
    """The diode test at one pin of a bridge."""
    yield from _readings(scope, f"{m['at']}.{m['pin']}", Quantity.DIODE, m["value"])


# What a part of a kind measures when only a number is said.
_OWN_QUANTITY = {
    "capacitor": Quantity.CAPACITANCE,
    "resistor": Quantity.RESISTANCE,
    "network": Quantity.RESISTANCE,
    "control": Quantity.RESISTANCE,
    "fuse": Quantity.RESISTANCE,
    "inductor": Quantity.INDUCTANCE,
    "crystal": Quantity.FREQUENCY,
}
_LOSS = rf"{NUMBER}\s*%"
_IN_OHMS = rf"(?:{VALUE}\s*(?:ohms?|Ω|R(?!\w))|\d+R\d+)"
# What cold and hot mean for a part that nobody put a thermometer to: freezer spray, heat gun (°C).
_COLD_OR_HOT = {"cold": 5.0, "hot": 55.0}
_PIECE = (
    rf"(?:(?:capacitance\s*=?\s*|c\s*=\s*)?(?!{_IN_OHMS})(?P<c>{VALUE}F?)(?![\w%])|esr\s*=?\s*(?P<esr>{VALUE}\s*(?:ohms?|Ω|R(?!\w))?)|(?P<ohms>{_IN_OHMS})|"
    rf"loss\s*=?\s*(?P<loss>{_LOSS})|tan(?:\s*(?:delta|δ))?\s*=?\s*(?P<tan>{NUMBER})|leakage\s*=?\s*(?P<leak>{VALUE}A?)|at\s+(?P<f>{VALUE}\s*Hz)|"
    rf"(?:at\s+(?P<warm>-?{NUMBER})\s*°?C(?!\w)|(?P<state>cold|hot))|"
    rf"(?P<where>(?:in|out\s+of)\s+circuit))"
)
# A value that stands alone can be a marking; with a second one that says what it is, both were measured.
_NAMED_AFTER = rf"(?={VALUE}F?\s*,?\s+(?:(?:esr|loss|tan|leakage)\b|{_IN_OHMS}))"
_PIECES = re.compile(rf"\s*{_PIECE}\s*,?", re.IGNORECASE)
_ANY_PIECES = re.sub(r"\?P<\w+>", "?:", _PIECE)


@form(
    rf"(?P<old>old\s+)?(?P<at><part>)\s+(?:(?:measures|measured|reads|read)\s+|{_NAMED_AFTER})"
    rf"(?P<rest>{_ANY_PIECES}(?:\s*,?\s+{_ANY_PIECES})*)",
    "C1 measures 51u esr 5 loss 12% at 100kHz out of circuit",
    "C1 30 uF, ESR 12R",
    "C1 measures 98u esr 0.9 at 5 °C",
    "old C1 measures 51u esr 5",
    stage=Stage.PLAN,
)
def capacitor_measured(m: Match, scope: Scope) -> Iterable[Said]:
    """A measured capacitor: capacitance, ESR, loss, leakage, tan δ, the meter's frequency, in circuit or out.

    With `old` in front it is of the part that was taken out of the place.
    """
    found = _taken_apart(m["rest"])
    if found is None:
        return
    numbers, more, tail = found
    old = "old " if m["old"] else ""
    more |= {"source": OLD_PART, "in_circuit": False} if old else {}
    for one in scope.places.find(m["at"]):
        own = _OWN_QUANTITY.get(scope.context.boards[one.board].part(one.one.refdes).kind)
        if old and one.one.part not in scope.context.snapshot.parts.removed:
            raise Refusal("not-out", place=one.one.refdes)
        if own is None:
            continue
        if own is not Quantity.CAPACITANCE:
            # A resistor or a coil measures one thing only; loss and ESR belong to capacitors.
            if [quantity for quantity, _ in numbers] == [Quantity.CAPACITANCE] and (old or not more):
                yield from _own_value(scope, one.one, own, numbers[0][1].removesuffix("F"), more if old else {})
            continue
        for values in product(*(of_capacitor(quantity, text) for quantity, text in numbers)):
            pairs = [(quantity, value) for (quantity, _), value in zip(numbers, values, strict=True)]
            told = " ".join(
                typed_value(v, q) if q is Quantity.CAPACITANCE else f"{q.value.split()[0]} {typed_value(v, q)}"
                for q, v in pairs
            )
            canonical = f"{old}{scope.named(one.one)} measures {told}{tail}".replace("leakage current", "leakage")
            yield said(canonical, *(reading(one.board, one.one.refdes, q, v, **more) for q, v in pairs))


def _own_value(scope: Scope, part: NamedPart, quantity: Quantity, text: str, more: dict[str, object]) -> Iterator[Said]:
    """What a resistor, a coil or a fuse measures; with `more`, of the one that was taken out."""
    if not more:
        yield from _readings(scope, f"{scope.board_words(part.board)}{part.refdes}", quantity, text)
        return
    for value in (v for v in read_values(text, quantity.unit) if possible(quantity, v)):
        entry = reading(part.board, part.refdes, quantity, value, **more)
        yield said(f"old {scope.named(part)} measures {typed_value(value, quantity)}", entry)


@form(r"old\s+(?P<at><part>)\s+(?:reads\s+|measures\s+|is\s+)?OL", "old F1 OL", stage=Stage.REPAIR)
def old_part_open(m: Match, scope: Scope) -> Iterable[Said]:
    """The fuse, resistor or coil that was taken out is open."""
    for one in scope.places.find(m["at"]):
        if one.one.part not in scope.context.snapshot.parts.removed:
            raise Refusal("not-out", place=one.one.refdes)
        if scope.context.boards[one.board].part(one.one.refdes).kind == "capacitor":
            continue  # a good one is open too
        entry = reading(one.board, one.one.refdes, Quantity.RESISTANCE, math.inf, source=OLD_PART, in_circuit=False)
        yield said(f"old {scope.named(one.one)} OL", entry)


def of_capacitor(quantity: Quantity, text: str) -> list[float]:
    if quantity is Quantity.LOSS:
        values = [value / 100 for value in read_values(text.replace("%", ""), "")]
    else:
        values = read_values(text, quantity.unit)
    kept = [value for value in values if possible(quantity, value)]
    if not kept:
        raise Refusal("impossible-value", value=text.strip(), quantity=quantity.value)
    return kept


def _degrees(text: str) -> float:
    """A temperature as typed (°C); refused where no part on a board has it."""
    celsius = float(text.replace(",", "."))
    if not -90 < celsius < 300:
        raise Refusal("impossible-value", value=text, quantity="temperature")
    return celsius


def _taken_apart(rest: str) -> tuple[list[tuple[Quantity, str]], dict[str, object], str] | None:
    """(quantity and text, what they share, its words) of a measured capacitor; None when something is said twice."""
    numbers: dict[Quantity, str] = {}
    more: dict[str, object] = {}
    tail = ""
    names = {
        "c": Quantity.CAPACITANCE,
        "esr": Quantity.ESR,
        "ohms": Quantity.ESR,
        "loss": Quantity.LOSS,
        "leak": Quantity.LEAKAGE,
        "tan": Quantity.TAN_DELTA,
    }
    for piece in _PIECES.finditer(rest):
        for name, quantity in names.items():
            if piece[name]:
                if quantity in numbers:
                    return None
                numbers[quantity] = piece[name]
        if piece["f"]:
            frequency = read_values(piece["f"], "Hz")
            if len(frequency) != 1 or frequency[0] <= 0:
                raise Refusal("impossible-value", value=piece["f"], quantity="frequency")
            more["frequency"] = frequency[0]
            tail += f" at {typed_value(frequency[0], Quantity.FREQUENCY)}"
        if piece["warm"] or piece["state"]:
            celsius = _COLD_OR_HOT.get((piece["state"] or "").lower()) or _degrees(piece["warm"])
            more["celsius"] = celsius
            tail += f" at {celsius:g} °C"
        if piece["where"]:
            more["in_circuit"] = piece["where"].lower().startswith("in")
            tail += " in circuit" if more["in_circuit"] else " out of circuit"
    return (list(numbers.items()), more, tail) if numbers else None


_OF_OHMS = re.compile(r"\d+(?:[.,]\d+)?\s?[kMR]|\d+[kMR]\d+")


@form(
    rf"(?P<at><part>)\s+(?P<value>{VALUE}F?)(?:\s+(?P<volts>{NUMBER}\s*V))?(?P<more>(?:\s+{DESCRIBING}){{0,6}})",
    "C1 6,800u",
    stage=Stage.PLAN,
)
def value_alone(m: Match, scope: Scope) -> Iterable[Said]:
    """A value beside a capacitor or a resistor can be its marking or a reading: asked, never guessed."""
    for one in scope.places.find(m["at"]):
        name, kind = scope.named(one.one), scope.context.boards[one.board].part(one.one.refdes).kind
        if kind == "resistor" and not m["volts"] and not m["more"] and _OF_OHMS.fullmatch(m["value"]):
            for value in read_values(m["value"], "Ω"):
                typed = typed_value(value, Quantity.RESISTANCE)
                yield said(f"{name} resistance {typed}", reading(one.board, one.one.refdes, Quantity.RESISTANCE, value))
                yield from _as_marking(scope, one.one, m["value"])
        if kind != "capacitor" or "%" in m["more"]:  # a loss, or a tolerance
            continue
        for value in read_values(m["value"], "F"):
            typed = typed_value(value, Quantity.CAPACITANCE)
            if not possible(Quantity.CAPACITANCE, value):
                continue
            if not m["more"]:  # nobody measures that it is radial
                yield said(f"{name} measures {typed}", reading(one.board, one.one.refdes, Quantity.CAPACITANCE, value))
            yield from _as_marking(scope, one.one, f"{typed} {m['volts'] or ''}{m['more']}".strip())


def _as_marking(scope: Scope, part: NamedPart, text: str) -> Iterator[Said]:
    from loyal_trace.core.line.forms.facts import marked

    kind = scope.context.boards[part.board].part(part.refdes).kind
    found = parse_marking(text, kind, scope.context.library)
    if found is not None:
        yield marked(scope, part, found)


@form(rf"(?P<at><part>)\s+(?P<c>{VALUE}F?)\s+(?P<esr>{VALUE})\s+(?P<loss>{_LOSS})", "C1 51u 5 12%", stage=Stage.PLAN)
def capacitor_numbers_alone(m: Match, scope: Scope) -> Iterable[Said]:
    """Numbers without names beside a capacitor: offered with the names that they may have."""
    for one in scope.places.find(m["at"]):
        values = [of_capacitor(q, m[g]) for q, g in ((Quantity.CAPACITANCE, "c"), (Quantity.LOSS, "loss"))]
        for c, loss in product(*values):
            for quantity, typed in ((Quantity.ESR, m["esr"]), (Quantity.LEAKAGE, f"{m['esr']}u")):
                value = of_capacitor(quantity, typed)[0]
                pairs = [(Quantity.CAPACITANCE, c), (quantity, value), (Quantity.LOSS, loss)]
                named = f"{quantity.value.split()[0]} {typed_value(value, quantity)}"
                told = f"{typed_value(c, Quantity.CAPACITANCE)} {named} loss {typed_value(loss, Quantity.LOSS)}"
                entries = (reading(one.board, one.one.refdes, q, v) for q, v in pairs)
                yield said(f"{scope.named(one.one)} measures {told}", *entries)


OHMS = rf"(?:{VALUE}\s*(?:ohms?|Ω)?|OL)"


def ohms_of(quantity: Quantity, text: str) -> list[float]:
    """The ohms that a text can mean; Refusal where no reading can be that."""
    kept = [value for value in read_values(text, "Ω") if possible(quantity, value)]
    if not kept:
        raise Refusal("impossible-value", value=text.strip(), quantity=quantity.value)
    return kept


def lifted_entry(scope: Scope, board: str, net: str, parts: tuple[str, ...], value: float) -> Said:
    """The resistance of a net to ground (ohm) with these parts lifted off it."""
    number, _ = number_or_overload(value)
    names = scope.listed(NamedPart(board=board, refdes=refdes) for refdes in parts)
    entry = about(Lifted, board, place=net, parts=parts, value=number)
    return said(f"{names} lifted: {typed_value(value, Quantity.TO_GROUND)}", entry)


@form(
    rf"(?P<first><pin>)\s+to\s+(?P<second><pin>)\s+(?:(?P<value>{OHMS})|(?:is\s+)?open|no\s+continuity)",
    "5D.13 to 4E.15 0.2 ohm",
    "5D.13 to 4E.15 open",
    stage=Stage.PLAN,
)
def pair_measured(m: Match, scope: Scope) -> Iterable[Said]:
    """The resistance between two pins, power off."""
    for one in scope.places.find(m["first"]):
        for other in scope.places.find(m["second"]):
            if other.board != one.board:
                continue
            pair = " ".join(sorted((one.one.name, other.one.name)))
            for value in ohms_of(Quantity.CONTINUITY, m["value"] or "OL"):
                names = pair.replace(" ", " to ")
                yield said(
                    f"{scope.board_words(one.board)}{names} {typed_value(value, Quantity.CONTINUITY)}",
                    reading(one.board, pair, Quantity.CONTINUITY, value),
                )
