"""The settings of a job that something is computed from: what each can be. Any other decision is words.

An entry of a later version, or of an archive, may hold what no setting can be: it counts as not decided.
"""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from difflib import get_close_matches
from functools import cache, lru_cache

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.units import parse_quantity

FAILURE_TARGET, _USUAL_TARGET = "failure rate target", 0.05
_MOST_MONEY, _ALIKE, _LONG_NAME = 1e9, 0.8, 8


@dataclass(frozen=True)
class Setting:
    """One setting: its choices by name, or what reads its text and raises RequestError or ValueError."""

    choices: tuple[str, ...] = ()
    read: Callable[[str], object] | None = None
    also: tuple[str, ...] = ()

    def kept(self, choice: str) -> str | None:
        """The choice as it is kept; None where it is none of this setting."""
        if self.read is None:
            plain = choice.casefold()
            return next((str(one) for one in (*self.choices, *self.also) if one.casefold() == plain), None)
        try:
            self.read(choice)
        except (RequestError, ValueError):
            return None
        return choice

    @property
    def words(self) -> str:
        """What it can be, for people; empty where it is read as text."""
        return joined(", ", (term(choice) for choice in self.choices))


def _above(text: str) -> float:
    return _between(parse_quantity(text), 0.0, math.inf)


def _between(value: float, low: float, high: float) -> float:
    if not low < value < high:
        raise ValueError(value)
    return value


def _amount(text: str) -> float:
    return _between(float(text.replace(",", ".")), -1.0, _MOST_MONEY)


def _share(text: str) -> float:
    """0.05 or 5 %."""
    value = parse_quantity(text.removesuffix("%").strip())
    return _between(value / 100 if text.endswith("%") else value, 0, 1)


def failure_target(choice: str) -> float:
    """The share of starts that may fail, as decided; 5 % where nobody decided."""
    return _share(choice) if choice else _USUAL_TARGET


def _clocks(text: str) -> int:
    from loyal_trace.core.job.free_run import MOST_CLOCKS

    return int(_between(int(text), 0, MOST_CLOCKS + 1))


@cache
def settings() -> Mapping[str, Setting]:
    """Setting by name. Loaded when first asked for: what a choice is lies with what computes from it."""
    from loyal_trace.core.boards.leaks import SIDES
    from loyal_trace.core.planning.choices import (
        DIAGNOSTICS_FIRST,
        FIRST_POWER,
        FIRST_POWER_ALIASES,
        KIT_CHOICES,
        SOCKET_CHOICES,
    )
    from loyal_trace.core.planning.sequencing import Grouping
    from loyal_trace.core.planning.steps import REPAIR_ORDERS, REPLACE_FROM
    from loyal_trace.core.power.rails import SUPPLY_LIMITS
    from loyal_trace.core.roms.devices import access_budget
    from loyal_trace.core.roms.signature import check_symbols, register_from

    return {
        "supply limits": Setting(tuple(SUPPLY_LIMITS)),
        "repair order": Setting(tuple(REPAIR_ORDERS)),
        "replace from": Setting(tuple(REPLACE_FROM)),
        "first power": Setting(tuple(FIRST_POWER), also=tuple(FIRST_POWER_ALIASES)),
        "kit": Setting(tuple(KIT_CHOICES)),
        "sockets": Setting(SOCKET_CHOICES),
        "diagnostics": Setting((DIAGNOSTICS_FIRST,), also=("", "none", "later")),
        "testing": Setting(tuple(Grouping)),
        "lowest side": Setting((say("not known"), *(side for side in SIDES if side))),
        "free run": Setting(("on", "off")),
        "leak reach": Setting(
            read=lambda text: _between(parse_quantity(text.split()[0] if text.split() else ""), 0, 1000)
        ),
        FAILURE_TARGET: Setting(read=_share),
        "signature window": Setting(read=_clocks),
        "processor clock": Setting(read=lambda text: access_budget(parse_quantity(text, "Hz"))),
        "lamp": Setting(read=_above),
        "hour rate": Setting(read=_amount),
        "value": Setting(read=_amount),
        "register": Setting(read=register_from),
        "symbols": Setting(read=check_symbols),
    }


def meant(what: str) -> str | None:
    """The setting that a name with a slip of the finger means; None where it is none, or one already.

    Short names are words too: lamps are not the lamp of the eraser.
    """
    long = len(what) >= _LONG_NAME and what not in settings()
    near = get_close_matches(what, settings(), 1, _ALIKE) if long else []
    return near[0] if near else None


@lru_cache(maxsize=1024)
def allowed(what: str, choice: str) -> bool:
    """Can a decision about `what` be that? Of what is no setting, anything can be decided."""
    setting = settings().get(what)
    return setting is None or setting.kept(choice) is not None
