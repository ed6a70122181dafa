"""The kit: which part goes into which place, over all places at once, and what has to be bought.

Matching stock to places is an assignment problem: first fit gives the only large part to whoever asks first. Each place
may take one part of the drawer that fits, or be bought; the cheapest whole is found by the Hungarian method
(`scipy.optimize.linear_sum_assignment`). A part of the drawer that fits is best, one that fits with care comes before
buying, a reserved or untested one after a proven one.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from loyal_trace.core.parts.fitting import RANK, Fits, Judged, Place, judge_fit
from loyal_trace.core.parts.limits import CapacitorLimits
from loyal_trace.core.parts.roles import VALUES
from loyal_trace.core.parts.spec import BIPOLAR, LOW_IMPEDANCE, CapacitorSpec
from loyal_trace.core.parts.stock import State, StockItem
from loyal_trace.core.vocabulary.eseries import E6, nearest_in
from loyal_trace.core.vocabulary.identity import PartRef, natural_key
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.units import marked_quantity, typed_quantity

# What a choice costs, in points: buying is worse than a part with care, a misfit is never chosen.
_CARE, _BUY, _DONOR = 1.0, 3.0, 2.0
_STATE_POINTS = {State.GOOD: 0.0, State.UNTESTED: 0.2, State.RESERVED: 0.8}
_NEVER, _CHOSEN = 1e6, 10.0
_COST = {Fits.FITS: 0.0, Fits.WITH_CARE: _CARE, Fits.NO: 2 * _NEVER}
_THOUGHT_OF = 4.0
_EXACT, _NEXT_MADE = 0.005, 0.075
_MEANT_FOR = 0.2
# A ceramic may be several times the value, as it loses most of it under its voltage.
_CERAMIC = 8.0
_SPARES_FROM, _SPARES_PER = 2, 10
_VOLTS = (6.3, 10, 16, 25, 35, 50, 63, 100, 160, 200, 250, 350, 400, 450, 630, 1000)


@dataclass(frozen=True)
class KitPlace:
    """One place of the kit: where, how it is marked, what it asks for; `wanted` is what somebody chose for it."""

    ref: PartRef
    marked: str
    place: Place
    wanted: str = ""
    wanted_from: str = ""


@dataclass(frozen=True)
class Choice:
    """What goes into one place: an item of the drawer with how it fits, or nothing (then it is bought)."""

    place: KitPlace
    item: StockItem | None = None
    judged: Judged | None = None


@dataclass(frozen=True)
class Candidate:
    """An item of the drawer for one place, with how it fits and how many are left."""

    item: StockItem
    judged: Judged
    left: int


@dataclass(frozen=True)
class KitGroup:
    """Places that take the same part: their letter, how they are marked, what goes in, what is bought.

    `buy` counts what the places lack, `spares` what is bought besides.
    """

    letter: str
    marked: str
    spec: CapacitorSpec
    choices: tuple[Choice, ...]
    order: str
    spares: int = 0

    @property
    def places(self) -> tuple[PartRef, ...]:
        """Where they go."""
        return tuple(choice.place.ref for choice in self.choices)

    @property
    def buy(self) -> int:
        """How many places have nothing in the drawer."""
        return sum(choice.item is None for choice in self.choices)

    @property
    def to_order(self) -> int:
        """How many to buy, spares included."""
        return self.buy + self.spares if self.buy else 0

    @property
    def fits(self) -> Fits:
        """The worst of the choices; what is bought is bought to fit."""
        worst = [choice.judged.fits for choice in self.choices if choice.judged is not None]
        return Fits.WITH_CARE if Fits.WITH_CARE in worst else Fits.FITS

    @property
    def reason(self) -> str:
        """What has to be cared for, in few words."""
        told = [c.judged.deciding for c in self.choices if c.judged is not None and c.judged.fits is Fits.WITH_CARE]
        return joined("; ", dict.fromkeys(told))


@dataclass(frozen=True)
class Kit:
    """All groups, largest value first."""

    groups: tuple[KitGroup, ...]

    @property
    def count(self) -> int:
        """How many places it serves."""
        return sum(len(group.choices) for group in self.groups)

    @property
    def from_drawer(self) -> int:
        """How many of them the drawer serves."""
        return self.count - sum(group.buy for group in self.groups)

    @cached_property
    def _at(self) -> Mapping[PartRef, tuple[KitGroup, Choice]]:
        return {choice.place.ref: (group, choice) for group in self.groups for choice in group.choices}

    def group_of(self, ref: PartRef) -> KitGroup | None:
        """The group of a place."""
        return self._at[ref][0] if ref in self._at else None

    def choice_at(self, ref: PartRef) -> Choice | None:
        """What goes into a place."""
        return self._at[ref][1] if ref in self._at else None


def plan_kit(places: Sequence[KitPlace], stock: Sequence[tuple[StockItem, int]], limits: CapacitorLimits) -> Kit:
    """The kit for these places out of a drawer: (item, how many are left). Nothing is promised twice."""
    chosen = _assigned(places, stock, _FitTable(limits, [item for item, _ in stock]))
    groups: dict[tuple[object, ...], list[Choice]] = {}
    for choice in chosen:
        groups.setdefault(_group_key(choice.place), []).append(choice)
    ordered = sorted(groups.values(), key=lambda some: (-(some[0].place.place.old.value or 0.0), some[0].place.marked))
    return Kit(tuple(_group(letter_of(n), choices) for n, choices in enumerate(ordered)))


class _FitTable:
    """How items of a drawer fit places: each different pair judged once, and only what could fit at all."""

    def __init__(self, limits: CapacitorLimits, items: Sequence[StockItem]) -> None:
        self._limits = limits
        self._specs = [item.spec for item in items]
        self._known: dict[tuple[Place, CapacitorSpec], Judged] = {}
        self._value = _column(spec.value for spec in self._specs)
        self._voltage = _column(spec.voltage for spec in self._specs)
        self._across = _column(spec.diameter if spec.mounting != "axial" else None for spec in self._specs)
        self._stretch = np.array([_CERAMIC if spec.technology == "ceramic" else 1.0 for spec in self._specs])

    def spec(self, index: int) -> CapacitorSpec:
        """The item of that index as a capacitor."""
        return self._specs[index]

    def possible(self, place: Place) -> list[int]:
        """The items (indices) that value, voltage and width do not rule out at once."""
        if not place.old.value or not self._specs:
            return []
        low, high = _bounds(place)
        with np.errstate(invalid="ignore"):  # not a number where nobody said: nothing is ruled out by it
            ratio = self._value / place.old.value
            good = (ratio >= low) & (ratio <= high * self._stretch)
            good &= ~(self._voltage < (place.old.voltage or 0.0))
            good &= ~(self._across > (place.room_diameter or math.inf))
        return [int(index) for index in np.flatnonzero(good)]

    def judged(self, place: Place, index: int) -> Judged:
        """How an item fits."""
        key = (place, self._specs[index])
        if key not in self._known:
            self._known[key] = judge_fit(place, self._specs[index], self._limits)
        return self._known[key]


def _column(values: Iterable[float | None]) -> np.ndarray:
    return np.array([math.nan if value is None else value for value in values], dtype=np.float64)


def _bounds(place: Place) -> tuple[float, float]:
    """The lowest and highest share of the value that is worth judging in a role."""
    low, high = VALUES[place.role.role].care
    return min(low, 0.9) * 0.98, max(high, 1.1) * 1.02


def could_fit(place: Place, spec: CapacitorSpec) -> bool:
    """Is it worth judging at all: a value near enough for the role, and not below the voltage fitted?"""
    if not spec.value or not place.old.value:
        return False
    low, high = _bounds(place)
    near = low <= spec.value / place.old.value <= high * (_CERAMIC if spec.technology == "ceramic" else 1.0)
    return near and not (spec.voltage and place.old.voltage and spec.voltage < place.old.voltage)


def _assigned(
    places: Sequence[KitPlace],
    stock: Sequence[tuple[StockItem, int]],
    table: _FitTable,
    near: float = math.inf,
) -> tuple[Choice, ...]:
    """The best choice for every place, over all places at once; values no further apart than the share `near`."""
    if not places:
        return ()
    # One column for each piece of an item, as far as there are places for it.
    units = [n for n, (_, left) in enumerate(stock) for _ in range(min(max(left, 0), len(places)))]
    where: dict[int, list[int]] = {}
    for column, index in enumerate(units):
        where.setdefault(index, []).append(column)
    cost = np.full((len(places), len(units) + len(places)), _NEVER)
    cost[:, len(units) :] = _BUY
    for row, place in enumerate(places):
        for index in table.possible(place.place):
            if index in where and _apart(place.place.old, table.spec(index)) <= near:
                cost[row, where[index]] = _hoped(place, stock[index][0], table.spec(index))
    settled: set[tuple[int, int]] = set()
    while True:
        # What was not judged yet is hoped to fit, so that no whole can be cheaper than the one found: once all of the
        # chosen pairs are judged, it is the best. A few hundred pairs are judged instead of all of them.
        columns = _cheapest(cost, where)
        chosen = [(row, units[c]) for row, c in enumerate(columns) if c < len(units)]
        fresh = [pair for pair in chosen if pair not in settled and cost[pair[0], where[pair[1]][0]] < _NEVER]
        if not fresh:
            break
        for row, index in fresh:
            cost[row, where[index]] += _COST[table.judged(places[row].place, index).fits]
        settled.update(fresh)
    taken = {row: index for row, index in chosen if cost[row, where[index][0]] < _NEVER}
    return tuple(
        Choice(place, stock[taken[row]][0], table.judged(place.place, taken[row])) if row in taken else Choice(place)
        for row, place in enumerate(places)
    )


def _cheapest(cost: np.ndarray, where: Mapping[int, Sequence[int]]) -> list[int]:
    """A column for each row, no column twice, at the least cost in all; float64 (rows, columns)."""
    best = np.argmin(cost, axis=1)
    pieces = {column: columns for columns in where.values() for column in columns}
    wanted: dict[int, int] = {}
    alone = []
    for row, column in enumerate(best.tolist()):
        # Pieces of one item cost the same: the next of them is taken while there is one.
        columns = pieces.get(column)
        if columns is None:  # bought: every row has a column of its own for it
            alone.append(cost.shape[1] - cost.shape[0] + row)
            continue
        number = wanted.get(columns[0], 0)
        wanted[columns[0]] = number + 1
        alone.append(columns[number] if number < len(columns) else -1)
    if -1 not in alone:
        return alone  # nobody is in another's way, so that each has its cheapest
    from scipy.optimize import linear_sum_assignment  # loading it takes longer than all the rest of a plan

    _, columns_found = linear_sum_assignment(cost)
    found: list[int] = columns_found.tolist()
    return found


def _apart(old: CapacitorSpec, new: CapacitorSpec) -> float:
    return abs(new.value / old.value - 1) if new.value and old.value else 0.0


def _hoped(place: KitPlace, item: StockItem, spec: CapacitorSpec) -> float:
    """What it costs to put an item there if it fits; what somebody chose goes before everything."""
    points = _STATE_POINTS.get(State(item.state), 0.2) + (_DONOR * (0.5 + item.risk) if item.donor else 0.0)
    points += _distance(place.place.old, spec)
    if place.wanted and place.wanted in (item.number, item.spec_words):
        # The place that was named counts as much again: no other state or risk makes up for it.
        points -= 2 * _CHOSEN if place.wanted_from and place.wanted_from == item.place else _CHOSEN
    return points


def _distance(old: CapacitorSpec, new: CapacitorSpec) -> float:
    """Small: of two parts that fit alike, the one nearer in value and voltage; the large one stays for who needs it."""
    apart = abs(math.log(new.value / old.value)) if new.value and old.value else 0.0
    if new.voltage and old.voltage:
        apart += 0.3 * abs(math.log(new.voltage / old.voltage))
    return min(0.15, 0.05 * apart)


def candidates(place: Place, stock: Sequence[tuple[StockItem, int]], limits: CapacitorLimits) -> tuple[Candidate, ...]:
    """Every item of the drawer that could be meant for a place, the best first, those that do not fit last."""
    near = [(item, left) for item, left in stock if left > 0 and _alike(place.old, item.spec)]
    judged = [Candidate(item, judge_fit(place, item.spec, limits), left) for item, left in near]
    return tuple(sorted(judged, key=lambda c: (RANK[c.judged.fits], _distance(place.old, c.item.spec))))


def _alike(old: CapacitorSpec, new: CapacitorSpec) -> bool:
    """Would somebody think of it: a value not far from the old one, whatever its voltage?"""
    return bool(old.value and new.value and 1 / _THOUGHT_OF <= new.value / old.value <= _THOUGHT_OF)


# groups


def _group_key(place: KitPlace) -> tuple[object, ...]:
    """What makes two places take the same part: value, rating, kind, plus, leads, room."""
    old, room = place.place.old, place.place
    kind = (old.technology, old.series, old.has_plus, old.mounting, old.dielectric)
    if not old.value:
        return (place.marked, place.ref)
    return (old.value, old.voltage, *kind, old.pitch, room.room_diameter, room.room_height)


def _group(letter: str, choices: Sequence[Choice]) -> KitGroup:
    ordered = tuple(sorted(choices, key=lambda c: (c.place.ref.board, natural_key(c.place.ref.refdes))))
    first = ordered[0].place
    # The hottest place of a group decides what is bought for all of it.
    warm = max((choice.place.place for choice in ordered), key=lambda place: place.warmer)
    spec = spec_to_buy(replace(first.place, warmer=warm.warmer))
    short = sum(choice.item is None for choice in ordered)
    spares = math.ceil(short / _SPARES_PER) if short >= _SPARES_FROM else 0
    return KitGroup(letter, first.marked, spec, ordered, spec_words(spec), spares)


def letter_of(number: int) -> str:
    """a … z, then aa, ab, …"""
    text = ""
    number += 1
    while number:
        number, digit = divmod(number - 1, 26)
        text = chr(ord("a") + digit) + text
    return text


# what to buy


def spec_to_buy(place: Place) -> CapacitorSpec:
    """What to ask a shop for: a value that is made, the next usual rating, warm enough, no larger than its room."""
    old = place.old
    wet = old.is_electrolytic
    value = standard_value(old.value) if old.value else None
    voltage = next((v for v in _VOLTS if v >= old.voltage - 1e-9), old.voltage) if old.voltage else None
    return CapacitorSpec(
        value,
        float(voltage) if voltage else None,
        old.technology,
        old.has_plus if old.technology else None,
        old.dielectric,
        old.series,
        temperature=105.0 if wet else None,
        diameter=place.room_diameter,
        height=place.room_height,
        pitch=old.pitch,
        mounting=old.mounting,
    )


def standard_value(farad: float) -> float:
    """The value that is made next to an odd old one (50 µF: 47 µF); a usual value stays as it is."""
    near = nearest_in(E6, farad)
    return near if _EXACT < abs(near / farad - 1) <= _NEXT_MADE else farad


def spec_words(spec: CapacitorSpec) -> str:
    """A capacitor as it is asked for: value, rating, kind, and the limits of its size."""
    if not spec.value:
        return say("value to be read from the part")
    rating = f" {spec.voltage:g}V" if spec.voltage else ""
    told = [typed_quantity(spec.value, "F").removesuffix("F") + rating]
    if spec.technology not in ("", "aluminium"):
        told.append(term(spec.technology))
    if spec.series == BIPOLAR:
        told.append(say("bipolar"))
    if spec.series == LOW_IMPEDANCE:
        told.append(say("low impedance"))
    told += [spec.dielectric] if spec.dielectric else []
    told += [term(spec.mounting)] if spec.mounting else []
    told += [say("{celsius:g} °C", celsius=spec.temperature)] if spec.temperature else []
    if spec.diameter is not None:
        told.append(say("Ø up to {mm:g} mm", mm=spec.diameter))
    if spec.height is not None:
        told.append(say("up to {mm:g} mm high", mm=spec.height))
    if spec.pitch is not None:
        told.append(say("pitch {mm:g} mm", mm=spec.pitch))
    return joined(", ", told)


def marked_words(spec: CapacitorSpec, number: str) -> str:
    """How a place is marked, for people: 6800 µF 25 V."""
    if not spec.value:
        return number or say("no value")
    rating = say(" {volts:g} V", volts=spec.voltage) if spec.voltage else ""
    kind = f" {term(spec.technology)}" if spec.technology not in ("", "aluminium") else ""
    return marked_quantity(spec.value, "F") + rating + kind + (say(" bipolar") if spec.series == BIPOLAR else "")


# a bought kit


@dataclass(frozen=True)
class KitCheck:
    """A kit against the board: places that get no part of it, parts that no place takes, (part, place, why) misfits."""

    missing: tuple[tuple[str, int], ...]
    left_over: tuple[tuple[str, int], ...]
    misfits: tuple[tuple[str, str, str], ...]

    @property
    def complete(self) -> bool:
        """Does every place get its part?"""
        return not self.missing


def check_kit(places: Sequence[KitPlace], bought: Sequence[StockItem], limits: CapacitorLimits) -> KitCheck:
    """What came in a kit, held against the places that it is for."""
    stock = [(item, item.count) for item in bought]
    # In a kit made for the board a part is meant for its own value, although another place could bear it.
    chosen = _assigned(places, stock, _FitTable(limits, bought), _MEANT_FOR)
    used: dict[int, int] = {}
    lacking: dict[str, int] = {}
    for choice in chosen:
        if choice.item is None:
            lacking[choice.place.marked] = lacking.get(choice.place.marked, 0) + 1
        else:
            used[id(choice.item)] = used.get(id(choice.item), 0) + 1
    rest = [(item, item.count - used.get(id(item), 0)) for item in bought]
    left = tuple((item.number, count) for item, count in rest if count > 0)
    return KitCheck(tuple(lacking.items()), left, tuple(_misfits(chosen, rest, limits)))


def _misfits(
    chosen: Sequence[Choice], rest: Sequence[tuple[StockItem, int]], limits: CapacitorLimits
) -> list[tuple[str, str, str]]:
    """Left-over parts of the right value for a place that got none: why they do not do."""
    found: dict[tuple[str, str], str] = {}
    for choice in chosen:
        old = choice.place.place.old
        for item, count in rest:
            spec = item.spec
            if choice.item is None and count > 0 and old.value and spec.value and abs(spec.value / old.value - 1) < 0.5:
                judged = judge_fit(choice.place.place, spec, limits)
                found.setdefault((item.number, choice.place.marked), judged.deciding)
    return [(number, marked, why) for (number, marked), why in found.items() if why]
