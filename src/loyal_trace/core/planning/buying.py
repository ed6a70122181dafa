"""Where to buy what the drawer lacks: the cheapest orders over all shops, shipping and an hour's worth counted.

Each group of the kit needs so many of one part; each offer has a price, a smallest number sold, a shop with shipping
and days, and how far it is to be trusted. Which shops to order from is a small fixed-charge problem
(`scipy.optimize.milp`): one 0/1 variable for each offer of each group, one for each shop.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from loyal_trace.core.parts.fitting import Fits, Judged, Place, judge_fit
from loyal_trace.core.parts.limits import CapacitorLimits
from loyal_trace.core.parts.stock import Offer
from loyal_trace.core.planning.kit import could_fit

_ORDER_MINUTES, _CARE_COST, _MISSING_COST = 10.0, 0.5, 1e5
_RATHER, _TWICE = 1e-3, 2.0


@dataclass(frozen=True)
class Wish:
    """So many of one part: its name, where it goes (for capacitors) or its exact type; for which other job."""

    name: str
    count: int
    place: Place | None = None
    owner: str = ""


@dataclass(frozen=True)
class Bought:
    """One line of an order: for what, from which offer, how many, what it costs, how it fits."""

    wish: Wish
    offer: Offer
    count: int
    judged: Judged | None = None

    @property
    def price(self) -> float:
        """Of the whole line."""
        return self.count * self.offer.price


@dataclass(frozen=True)
class Purchase:
    """All lines, what no shop has, shipping, the worth of the time that ordering takes, the days until all is here."""

    lines: tuple[Bought, ...]
    missing: tuple[Wish, ...]
    shipping: float
    work: float
    days: float

    @property
    def parts(self) -> float:
        """The price of the parts."""
        return sum(line.price for line in self.lines)

    @property
    def total(self) -> float:
        """Parts, shipping and the worth of the time."""
        return self.parts + self.shipping + self.work

    @property
    def shops(self) -> tuple[str, ...]:
        """The shops that are ordered from."""
        return tuple(dict.fromkeys(line.offer.shop for line in self.lines))


def plan_purchase(
    wishes: Sequence[Wish], offers: Sequence[Offer], limits: CapacitorLimits, hour_rate: float = 0.0
) -> Purchase:
    """The cheapest way to buy everything; a part that may be a fake costs its share of failures besides."""
    pairs = [pair for n, wish in enumerate(wishes) for offer in offers for pair in _suiting(n, wish, offer, limits)]
    shops = list(dict.fromkeys(pair.offer.shop for pair in pairs))
    work = hour_rate * _ORDER_MINUTES / 60
    fees = {shop: max(o.shipping for o in offers if o.shop == shop) + work for shop in shops}
    taken = [pairs[k] for k in _solved(wishes, pairs, [fees[shop] for shop in shops], shops)]
    lines = tuple(Bought(wishes[p.wish], p.offer, max(p.offer.minimum, wishes[p.wish].count), p.judged) for p in taken)
    served = {line.wish for line in lines}
    used = dict.fromkeys(line.offer.shop for line in lines)
    return Purchase(
        lines,
        tuple(wish for wish in wishes if wish not in served),
        sum(fees[shop] - work for shop in used),
        work * len(used),
        max((line.offer.days for line in lines), default=0.0),
    )


@dataclass(frozen=True)
class _Pair:
    """An offer that would do for a wish (by its index), and how it fits; None for an exact type."""

    wish: int
    offer: Offer
    judged: Judged | None = None

    def cost(self, count: int) -> float:
        """The price of a line, and what distrust, care and waiting add."""
        price = max(self.offer.minimum, count) * self.offer.price
        care = _CARE_COST * count if self.judged is not None and self.judged.fits is Fits.WITH_CARE else 0.0
        # A part that turns out to be a fake is bought again, and its place is worked on twice.
        return price + care + (1 - self.offer.trust) * (price + _TWICE * count) + _RATHER * self.offer.days


def same_type(first: str, second: str) -> bool:
    """Is it the same type, however spaces, commas and capitals are set?"""
    return _letters(first) == _letters(second)


def _letters(text: str) -> str:
    return "".join(sign for sign in text.upper() if sign.isalnum())


def _suiting(number: int, wish: Wish, offer: Offer, limits: CapacitorLimits) -> list[_Pair]:
    """The offer for the wish, if it is the exact type or a capacitor that fits."""
    if wish.place is None:
        return [_Pair(number, offer)] if same_type(wish.name, offer.number) else []
    if not could_fit(wish.place, offer.spec):
        return []
    judged = judge_fit(wish.place, offer.spec, limits)
    return [] if judged.fits is Fits.NO else [_Pair(number, offer, judged)]


def _solved(
    wishes: Sequence[Wish],
    pairs: Sequence[_Pair],
    fees: Sequence[float],
    shops: Sequence[str],
) -> list[int]:
    """The pairs to take: one for each wish that has any, the shops' fees paid once."""
    if not pairs:
        return []
    from scipy.optimize import Bounds, LinearConstraint, milp

    count, places = len(pairs), len(wishes)
    columns = count + places + len(shops)
    cost = np.zeros(columns)
    cost[:count] = [pair.cost(wishes[pair.wish].count) for pair in pairs]
    cost[count : count + places] = _MISSING_COST
    cost[count + places :] = fees
    each = np.zeros((places, columns))
    for k, pair in enumerate(pairs):
        each[pair.wish, k] = 1
    each[:, count : count + places] = np.eye(places)
    opened = np.zeros((count, columns))
    for k, pair in enumerate(pairs):
        opened[k, k] = 1
        opened[k, count + places + shops.index(pair.offer.shop)] = -1
    found = milp(
        cost,
        integrality=np.ones(columns, dtype=np.int64),
        bounds=Bounds(0, 1),
        constraints=[LinearConstraint(each, 1, 1), LinearConstraint(opened, -np.inf, 0)],
        options={"time_limit": 2.0},
    )
    if found.x is None:
        return []
    # The solver gives 0.9999…: rounded.
    return [k for k in range(count) if round(float(found.x[k])) == 1]
