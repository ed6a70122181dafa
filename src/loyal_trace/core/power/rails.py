"""Rail readings judged: each point of the supply chains, the schools of what a good 5 V is, first bad after good."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.supplies import ChainPoint
from loyal_trace.core.power.consumption import Draw
from loyal_trace.core.power.expected import Limits, limits_at
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say, term
from loyal_trace.core.vocabulary.quantities import GROUND, Quantity
from loyal_trace.core.vocabulary.readings import Latest, Reading
from loyal_trace.core.vocabulary.units import format_quantity

SUPPLY_LIMITS = {
    "maker": say("the maker's ±5 % at the far chip (4.75 to 5.25 V)"),
    "strict": say("at least 4.9 V at the far chip"),
    "clean": say("ripple within its limit; the exact voltage matters less"),
}
_STRICT_SHARE = 0.98
NO_LIMITS = say("no limits are known here")
_WIDE = (*GROUND, "current", "reset time", "frequency")
_BETWEEN_BOARDS = 0.3
_OF_THE_PART_ITSELF = ("resistance", "rating", "diode")


def _unit(quantity: str) -> str:
    return Quantity(quantity).unit if quantity in set(Quantity) else ""


@dataclass(frozen=True)
class PointVerdict:
    """One point of a chain: its limits, its reading (None when not taken), its verdict, and a sentence."""

    board: str
    point: ChainPoint
    limits: Limits
    reading: Reading | None
    verdict: str
    why: str

    @property
    def overload(self) -> bool:
        """Was it measured, and the meter showed OL?"""
        return self.reading is not None and (self.reading.overload or self.reading.value is None)

    @property
    def shown(self) -> str:
        """The reading with its unit, or a dash."""
        if self.reading is None or self.reading.value is None:
            return "OL" if self.overload else "–"
        return format_quantity(self.reading.value, _unit(self.point.quantity))

    @property
    def expected(self) -> str:
        """The limits in words: 4.75 to 5.25 V, at most 2.9 V, 2 A."""
        unit = _unit(self.point.quantity)
        low, high = self.limits.low, self.limits.high
        if math.isinf(low):
            return say("not known")
        if low == 0:
            return say("at most {high}", high=format_quantity(high, unit))
        if math.isinf(high):
            return say("above {low}", low=format_quantity(low, unit))
        if self.point.quantity in _WIDE:
            return say("{low} to {high}", low=format_quantity(low, unit, 2), high=format_quantity(high, unit, 2))
        if self.point.quantity == "rating":
            return say("{low:.3g} {unit}", low=(low + high) / 2, unit=unit)
        return say("{low:.3g} to {high:.3g} {unit}", low=low, high=high, unit=unit)


@dataclass(frozen=True)
class PathReport:
    """One supply path: its points in order, and where good gives way to bad."""

    path: str
    points: tuple[PointVerdict, ...]

    @cached_property
    def first_bad(self) -> PointVerdict | None:
        return next((p for p in self.points if p.verdict == "bad"), None)

    @cached_property
    def last_good(self) -> PointVerdict | None:
        """The last good point before the first bad one, at another place of the chain."""
        bad = self.first_bad
        if bad is None:
            return None
        before = self.points[: self.points.index(bad)]
        return next((p for p in reversed(before) if p.verdict == "good" and p.point.point != bad.point.point), None)

    @property
    def measured(self) -> int:
        return sum(1 for p in self.points if p.reading is not None)

    def latest(self, quantity: str, part: str = "") -> PointVerdict | None:
        """The first measured point of a quantity, at a part if one is named."""
        wanted = (p for p in self.points if p.reading and p.point.quantity == quantity)
        return next((p for p in wanted if not part or part in (p.point.part, p.point.point)), None)


@dataclass(frozen=True)
class RailReport:
    """All supply paths of one board."""

    paths: tuple[PathReport, ...] = ()

    @cached_property
    def points(self) -> tuple[PointVerdict, ...]:
        return tuple(point for path in self.paths for point in path.points)

    @cached_property
    def first_bads(self) -> tuple[PointVerdict, ...]:
        """The point where each path stops being right."""
        return tuple(path.first_bad for path in self.paths if path.first_bad)

    @cached_property
    def against_own_part(self) -> tuple[PointVerdict, ...]:
        """Bad readings that accuse their own part: where a path stops being right, and those of the part by itself.

        What reads wrong further down follows from it; which part shorts a rail to ground is for the hunt to say.
        """
        bad = (p for p in self.points if p.verdict == "bad" and p.point.quantity not in GROUND)
        return tuple(p for p in bad if p in self.first_bads or p.point.quantity in _OF_THE_PART_ITSELF)

    @property
    def measured(self) -> int:
        return sum(path.measured for path in self.paths)

    @cached_property
    def power_off_missing(self) -> tuple[PointVerdict, ...]:
        """The points to be measured with the power off, of all supplies, that have no reading yet."""
        return tuple(p for p in self.points if not p.point.powered and p.reading is None)

    @cached_property
    def hazard(self) -> PointVerdict | None:
        """The first power-off reading with which power does damage: a short, a shorted diode, a fuse too large.

        An open fuse or diode only leaves the supply dead or weak.
        """
        return next((p for p in self.points if not p.point.powered and _does_damage(p)), None)

    def may_power(self, went_on: bool = False) -> bool:
        """May power go on: is every power-off reading there and none a hazard, or did the person go on without?"""
        return went_on or not (self.power_off_missing or self.hazard)

    def wanted(self, went_on: bool = False, after: ChainPoint | None = None) -> PointVerdict | None:
        """The one point to be measured next; None when nothing is left to measure.

        Power off first, over all supplies of the board: one plug feeds them together. While one of those readings is
        a hazard, it is measured again after the repair, and no reading with power on is asked for. With `after`, the
        search begins behind that point and goes once round.
        """
        if not went_on and not self.power_off_missing and self.hazard is not None:
            return self.hazard
        powered = self.may_power(went_on)
        start = next((n for n, p in enumerate(self.points, start=1) if p.point == after), 0)
        around = (*self.points[start:], *self.points[:start])
        still = [p for p in around if p.reading is None and (powered or not p.point.powered)]
        # Along one supply before the next, as the probe travels.
        here = [p for p in still if after is not None and p.point.path == after.path]
        return next(iter(here or still), None)

    def path_of(self, point: PointVerdict) -> PathReport:
        """The path that a point belongs to."""
        return next(path for path in self.paths if point in path.points)


def _does_damage(point: PointVerdict) -> bool:
    """Would power burn something: is the reading below its limits to ground or across a diode, or a fuse too large?"""
    value = None if point.reading is None or point.overload else point.reading.value
    if point.verdict != "bad" or value is None:
        return False
    if point.point.quantity == Quantity.RATING:
        return value > point.limits.high
    return point.point.quantity in (*GROUND, Quantity.DIODE) and value < point.limits.low


def judge_rails(
    board_id: str,
    board: BoardDefinition,
    latest: Latest,
    limits_by: str = "maker",
    draw: Draw | None = None,
    good_board: Latest | None = None,
) -> RailReport:
    """Judges every chain point of a board under one choice of supply limits.

    `latest` and `good_board` give the newest reading of a point and quantity, of this board and of one known to work;
    `draw` is the chips' own current.
    """
    far = {rail.far: rail for rail in board.rails}
    paths: dict[str, list[PointVerdict]] = {name: [] for name in board.paths}
    for point in board.chain:
        reading = latest(point.point, point.quantity)
        rail = far.get(point.point)
        strict_limit = rail.nominal * _STRICT_SHARE if rail and point.quantity == "voltage" else None
        limits = _of_good_board(good_board(point.point, point.quantity) if good_board else None)
        limits = limits or _limits(board, point, draw)
        verdict, why = _judge(point, limits, reading, limits_by, strict_limit)
        paths[point.path].append(PointVerdict(board_id, point, limits, reading, verdict, why))
    return RailReport(tuple(PathReport(name, tuple(points)) for name, points in paths.items()))


def _limits(board: BoardDefinition, point: ChainPoint, draw: Draw | None) -> Limits:
    """The limits of a point; what boards of this kind measured while they worked where neither board nor formulas say.

    Without any when nothing is known.
    """
    try:
        return limits_at(board, point, draw)
    except RequestError:
        learnt = (one for one in board.good if (one.point, one.quantity) == (point.point, point.quantity))
        found = _around(next((one.value for one in learnt), None), say("earlier boards of this kind ±30 %"))
        return found or Limits(-math.inf, math.inf, NO_LIMITS)


def _of_good_board(reading: Reading | None) -> Limits | None:
    """What a board known to work reads, with the spread between boards of one kind."""
    return _around(reading.value if reading is not None else None, say("a good board ±30 %"))


def _around(value: float | None, source: str) -> Limits | None:
    if value is None:
        return None
    low, high = sorted((value * (1 - _BETWEEN_BOARDS), value * (1 + _BETWEEN_BOARDS)))
    return Limits(low, high, source)


def _judge(
    point: ChainPoint, limits: Limits, reading: Reading | None, limits_by: str, strict_limit: float | None
) -> tuple[str, str]:
    if reading is None:
        return say("not measured"), say(
            "{quantity} at {point}: {note}", quantity=term(point.quantity), point=point.point, note=point.note
        )
    if (reading.overload or reading.value is None) and point.quantity in GROUND and math.isinf(limits.high):
        return "good", say("{point} has no path to ground (OL)", point=point.point)
    if reading.overload or reading.value is None:
        return "bad", say("{point} reads open (OL): {open_words}", point=point.point, open_words=_open_words(point))
    if math.isinf(limits.low):
        return "doubtful", say(
            "{quantity} at {point}: {no_limits}, so it cannot be judged",
            quantity=term(point.quantity),
            point=point.point,
            no_limits=NO_LIMITS,
        )
    value, low, high = reading.value, limits.low, limits.high
    clean_only = limits_by == "clean" and strict_limit is not None
    if value < low or value > high:
        side = "below" if value < low else "above"
        verdict = "doubtful" if clean_only and 0.9 * low <= value <= 1.05 * high else "bad"
        return verdict, say(
            "{point} is {side} its limit: {cause}", point=point.point, side=side, cause=_cause(point, limits, value)
        )
    if strict_limit is not None and value < strict_limit:
        words = say("within the maker's limits, but below the stricter {strict_limit:.2f} V", strict_limit=strict_limit)
        return "bad" if limits_by == "strict" else "good", say("{point} is {words}", point=point.point, words=words)
    return "good", say("{point} is within its limits", point=point.point) + (
        say(" ({note})", note=point.note) if point.note else ""
    )


def _open_words(point: ChainPoint) -> str:
    if point.quantity == "diode":
        return say("this diode is open")
    if point.quantity in ("resistance", "rating"):
        return say("blown, missing, or a poor contact")
    return point.note


# What a reading below (first) or above (second) its limits usually means, by what was measured.
_CAUSES: Mapping[str, tuple[str, str]] = {
    Quantity.RIPPLE_FREQUENCY: (
        say("half of the rectifier is missing"),
        say("not from the mains; look for another source"),
    ),
    Quantity.DIODE: (say("shorted or leaky"), say("a poor joint or an open diode")),
    Quantity.RATING: (say("the wrong fuse; only the same rating protects the board"),) * 2,
    Quantity.RESISTANCE: (say("it is shorted"), say("it is open or a poor contact")),
    Quantity.CURRENT: (say("a part is not supplied or not running"), say("a part draws too much")),
    Quantity.RESET_TIME: (say("the reset's timing parts have changed"),) * 2,
    Quantity.RESET_PULSES: (say("reset repeats"),) * 2,
    Quantity.AC_VOLTAGE: (say("check winding, plug and mains setting first"),) * 2,
    **dict.fromkeys(GROUND, (say("the rail or a part on it is shorted"), say("fewer loads on the rail than expected"))),
}


def _cause(point: ChainPoint, limits: Limits, value: float) -> str:
    """What a reading outside its limits usually means at such a point."""
    if point.quantity == Quantity.RIPPLE:
        lost = 100 * (1 - limits.high / value)
        return say(
            "the reservoir has lost about {lost:.0f} % of its capacitance or more, or the load is too high", lost=lost
        )
    if point.quantity in _CAUSES:
        below, above = _CAUSES[point.quantity]
        return below if value < limits.low else above
    if limits.source.startswith("what the cell feeds"):
        return say("the cell is flat") if value < limits.low else say("no such cell reads that high")
    # Negative supplies have their smaller magnitude at the upper limit.
    weak = abs(value) < abs(limits.low) if limits.low > 0 else abs(value) < abs(limits.high)
    return say("voltage drop on the way, or a part on the rail draws too much") if weak else say("regulation failed")
