"""A number alone, where a point is being asked for: the reading of it; and the rating on a fuse's cap."""

import re
from collections.abc import Iterable, Iterator
from itertools import product

from loyal_trace.core.job.entries import (
    GOOD_BOARD,
    NamedPart,
    Observed,
)
from loyal_trace.core.line.context import (
    AskedCapacitor,
    AskedLift,
    AskedPair,
    AskedPoint,
    Refusal,
    Said,
)
from loyal_trace.core.line.forms.measured import READING, lifted_entry, of_capacitor, ohms_of, reading, typed_reading
from loyal_trace.core.line.registry import Match, Scope, at, form, said
from loyal_trace.core.line.values import VALUE, possible, read_values, typed_value, unit_of
from loyal_trace.core.power.fuses import fuse_type
from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.stages import Stage

_SPEED = r"(?P<speed>slow|fast|very\s+fast)"


@form(rf"(?P<at><part>)\s+rating\s+(?P<value>{VALUE}\s*A)\s+{_SPEED}", "F1 rating 2A slow", stage=Stage.RAILS)
def fuse_read(m: Match, scope: Scope) -> Iterable[Said]:
    """The rating and the speed on a fuse's cap."""
    for one in scope.places.find(m["at"]):
        yield from _fuse(scope, one.one, m["value"], m["speed"])


def _fuse(scope: Scope, part: NamedPart, text: str, speed: str) -> Iterator[Said]:
    """A rating; another speed than the board wants is a wrong part besides."""
    words = " ".join(speed.lower().split())
    wanted = fuse_type(scope.context.boards[part.board].part(part.refdes).number)
    wrong = f"{words} where the board wants {wanted}" if wanted and wanted != words else ""
    for value in (v for v in read_values(text, "A") if possible(Quantity.RATING, v)):
        entries = [reading(part.board, part.refdes, Quantity.RATING, value, note=words)]
        if wrong:
            entries.append(at(Observed, part, finding=Finding.WRONG_PART, note=wrong))
        yield said(f"{typed_reading(scope.named(part), Quantity.RATING, value)} {words}", *entries)


@form(rf"(?P<value>{VALUE}\s*A)\s+{_SPEED}", "2A slow", stage=Stage.RAILS, bare=True)
def fuse_asked_for(m: Match, scope: Scope) -> Iterable[Said]:
    """Rating and speed of the fuse that is asked for."""
    asked = scope.context.asked
    if isinstance(asked, AskedPoint) and asked.quantity == Quantity.RATING and asked.part:
        yield from _fuse(scope, NamedPart(board=asked.board, refdes=asked.part), m["value"], m["speed"])


@form(rf"(?P<value>{READING})", "4.87V", stage=Stage.RAILS, bare=True)
def value_asked_for(m: Match, scope: Scope) -> Iterable[Said]:
    """A number alone is the reading of the point that is asked for."""
    asked = scope.context.asked
    if isinstance(asked, AskedPoint):
        yield from _at_point(scope, asked, m["value"])
    elif isinstance(asked, AskedPair):
        for value in read_values(m["value"], "Ω"):
            names, typed = asked.pair.replace(" ", " to "), typed_value(value, Quantity.CONTINUITY)
            canonical = f"{scope.board_words(asked.board)}{names} {typed}"
            yield said(canonical, reading(asked.board, asked.pair, Quantity.CONTINUITY, value))
    elif isinstance(asked, AskedLift):
        yield from _with_lifted(scope, asked, m["value"])


def _at_point(scope: Scope, asked: AskedPoint, text: str) -> Iterator[Said]:
    quantity = Quantity(asked.quantity)
    values = read_values(text, quantity.unit)
    if values and unit_of(text) and not any(possible(quantity, value) for value in values):
        raise Refusal("impossible-value", value=text.strip(), quantity=quantity.value)
    for value in (value for value in values if possible(quantity, value)):
        more = {"powered": asked.powered, **({"source": GOOD_BOARD} if asked.good_board else {})}
        whole = typed_reading(scope.point(asked.board, asked.point), quantity, value)
        canonical = f"good board {whole}" if asked.good_board else whole
        yield said(canonical, reading(asked.board, asked.point, quantity, value, **more))


def _with_lifted(scope: Scope, asked: AskedLift, text: str) -> Iterator[Said]:
    for value in ohms_of(Quantity.TO_GROUND, text):
        if asked.parts:
            yield lifted_entry(scope, asked.board, asked.net, asked.parts, value)
        else:
            named = NamedPart(board=asked.board, refdes=asked.far)
            yield said(
                typed_reading(scope.named(named), Quantity.TO_GROUND, value),
                reading(asked.board, asked.far, Quantity.TO_GROUND, value),
            )


@form(rf"(?P<c>{VALUE}F?)(?:\s+(?P<esr>{VALUE}\s*(?:ohms?|Ω)?))?", "3200u 0.4", stage=Stage.PLAN, bare=True)
def capacitor_asked_for(m: Match, scope: Scope) -> Iterable[Said]:
    """Capacitance, then ESR, of the capacitor that is asked for."""
    asked = scope.context.asked
    if not isinstance(asked, AskedCapacitor) or not re.search(r"[pnuµμmF]", m["c"]):
        return
    part = NamedPart(board=asked.place.board, refdes=asked.place.refdes)
    numbers = [(Quantity.CAPACITANCE, m["c"])] + ([(Quantity.ESR, m["esr"])] if m["esr"] else [])
    for values in product(*(of_capacitor(quantity, text) for quantity, text in numbers)):
        pairs = [(quantity, value) for (quantity, _), value in zip(numbers, values, strict=True)]
        told = " ".join(f"esr {typed_value(v, q)}" if q is Quantity.ESR else typed_value(v, q) for q, v in pairs)
        yield said(f"{scope.named(part)} measures {told}", *(reading(part.board, part.refdes, q, v) for q, v in pairs))
