"""Rules for work that no reading asks for: usual service by kind of part, improvements with a way back, packages' heat.

Data (`resources/data/extras.toml`) with their sources; a rule offers, and a person takes in.
"""

import tomllib
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from loyal_trace.core.boards.model import Part
from loyal_trace.core.parts.roles import Role
from loyal_trace.core.power.cooling import Housing
from loyal_trace.core.vocabulary.phrases import term

# Between what a modification is and the way back from it, as it is typed and kept.
BACK = "; back: "


def what_of(detail: str) -> str:
    """What a modification is, of what the logbook keeps of it."""
    return detail.partition(BACK)[0]


def back_of(detail: str) -> str:
    """The way back from a modification, of what the logbook keeps of it; empty where nobody entered one."""
    return detail.partition(BACK)[2]


class Ticked(StrEnum):
    """Whether it is part of the plan: in, out, or only offered."""

    IN = "in"
    OUT = "out"
    OFFERED = "offered"


@dataclass(frozen=True)
class Fits:
    """Which parts a rule is for: kinds, words of which one stands in the type, roles of a capacitor; empty is any."""

    kinds: tuple[str, ...]
    words: tuple[str, ...] = ()
    roles: tuple[Role, ...] = ()

    def holds(self, part: Part, role: Role) -> bool:
        """Is the rule for that part?"""
        text = f"{part.number} {part.package}".lower()
        return (
            part.kind in self.kinds
            and (not self.words or any(word in text for word in self.words))
            and (not self.roles or role in self.roles)
        )


@dataclass(frozen=True)
class ServiceRule:
    """A kind of part that is renewed, or whose joints are reflowed, as a matter of course, and why."""

    fits: Fits
    why: str


@dataclass(frozen=True)
class Improvement:
    """A change for the better: what, why, the way back, minutes; `when` names a condition beyond the kind of part."""

    id: str
    fits: Fits
    what: str
    why: str
    back: str
    minutes: float
    when: str = ""
    caution: str = ""


@dataclass(frozen=True)
class ExtraRules:
    """All of them, and what packages do with their heat: (names, housing)."""

    service: tuple[ServiceRule, ...]
    reflow: tuple[ServiceRule, ...]
    improvements: tuple[Improvement, ...]
    packages: tuple[tuple[tuple[str, ...], Housing], ...]

    def housing_of(self, part: Part) -> Housing | None:
        """What a part's package does with heat; None where it is not known."""
        text = f"{part.package} {part.kind}".lower()
        return next((housing for names, housing in self.packages if any(n.lower() in text for n in names)), None)


def extra_rules(text: str) -> ExtraRules:
    """The rules of the data file."""
    told = tomllib.loads(text)
    return ExtraRules(
        tuple(ServiceRule(_fits(row), term(row["why"])) for row in told["service"]),
        tuple(ServiceRule(_fits(row), term(row["why"])) for row in told["reflow"]),
        tuple(_improvement(row) for row in told["improvement"]),
        tuple(
            (tuple(row["names"]), Housing(float(row["junction_case"]), float(row["junction_air"])))
            for row in told["package"]
        ),
    )


def _fits(row: dict[str, Any]) -> Fits:
    roles: Sequence[str] = row.get("roles", ())
    return Fits(tuple(row["kinds"]), tuple(row.get("words", ())), tuple(Role(role) for role in roles))


def _improvement(row: dict[str, Any]) -> Improvement:
    words = (term(row["what"]), term(row["why"]), term(row["back"]))
    return Improvement(
        row["id"], _fits(row), *words, float(row["minutes"]), row.get("when", ""), term(row.get("caution", ""))
    )
